"""Everything that follows from the free values: standardized solution, R², effects, reliability. All batched.

The same function serves the full sample (a batch of one), the delta method (complex steps) and the bootstrap.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.implied import CompiledModel, Matrices, all_values, implied, matrices
from dusk_arrow.core.effects.routes import Effect
from dusk_arrow.core.linear_algebra import Array, slices
from dusk_arrow.core.specification.statements import Binary, Expression, Negative, Number, Reference

Numbers = NDArray[Any]


@dataclass(frozen=True)
class FigurePlan:
    """Which figures are computed: the model, its effects, its tracked quantities and what R² is asked of."""

    model: CompiledModel
    effects: tuple[Effect, ...]
    tracked: dict[str, tuple[str, ...] | Expression]
    explained: tuple[str, ...]
    reflective: tuple[str, ...]


@dataclass(frozen=True)
class Figures:
    """Figures of a batch (b first): parameters and standardized (b, n), effects and their standardized form (b, e),
    tracked (b, t), r_squared (b, k), composite_reliability and ave (b, c); nan where one does not apply."""

    parameters: Numbers
    standardized: Numbers
    effects: Numbers
    effects_standardized: Numbers
    tracked: Numbers
    r_squared: Numbers
    composite_reliability: Numbers
    ave: Numbers

    def flat(self) -> Numbers:
        """All figures side by side (b, f), in the order of the fields."""
        return np.concatenate([getattr(self, name) for name in self.__dataclass_fields__], axis=-1)

    def split(self, flat: Array) -> dict[str, Array]:
        """Columns of an array (…, f) laid out like `flat`, back under the names of the fields."""
        parts, at = {}, 0
        for name in self.__dataclass_fields__:
            width = getattr(self, name).shape[-1]
            parts[name] = flat[..., at : at + width]
            at += width
        return parts


def make_plan(
    model: CompiledModel, effects: tuple[Effect, ...], tracked: dict[str, tuple[str, ...] | Expression]
) -> FigurePlan:
    """The plan of figures for a compiled model."""
    table = model.table
    composites = {c.name for c in table.constructs if c.mode == "formative"}
    into = [p.target for p in table.parameters if p.matrix == "effect" and p.target not in composites]
    observed_in_block = [p.target for p in table.parameters if p.matrix == "loading"]
    reflective = tuple(c.name for c in table.constructs if c.mode == "reflective" and len(c.indicators) > 1)
    in_order = [name for name in table.nodes if name in into]
    return FigurePlan(model, effects, tracked, tuple(dict.fromkeys([*in_order, *observed_in_block])), reflective)


def _root(values: Numbers) -> Numbers:
    """Square roots, nan where the (real part of the) value is not positive."""
    positive = values.real > 0
    result: Numbers = np.sqrt(np.where(positive, values, 1.0))
    return np.where(positive, result, np.nan)


def standardize(model: CompiledModel, values: Numbers, parts: Matrices, nodes: Numbers, covariance: Numbers) -> Numbers:
    """Standardized parameters (…, n): constructs and observed variables scaled to variance 1.

    Covariances become correlations (of residuals and disturbances where those covary); variances become the
    share of the variable's variance, intercepts and means are in SDs.
    """
    sd = {
        "node": _root(np.diagonal(nodes, axis1=-2, axis2=-1)),
        "observed": _root(np.diagonal(covariance, axis1=-2, axis2=-1)),
    }
    own = {
        "node": _root(np.diagonal(parts.node, axis1=-2, axis2=-1)),
        "residual": _root(np.diagonal(parts.residual, axis1=-2, axis2=-1)),
    }
    result = values.copy()
    at, rows, columns = model.table.positions("loading")
    result[..., at] = values[..., at] * sd["node"][..., columns] / sd["observed"][..., rows]
    at, rows, columns = model.table.positions("effect")
    result[..., at] = values[..., at] * sd["node"][..., columns] / sd["node"][..., rows]
    for name, kind in (("intercept", "observed"), ("mean", "node")):
        at, rows, _ = model.table.positions(name)  # type: ignore[arg-type]
        result[..., at] = values[..., at] / sd[kind][..., rows]
    for name, total in (("node", sd["node"]), ("residual", sd["observed"])):
        at, rows, columns = model.table.positions(name)  # type: ignore[arg-type]
        diagonal = rows == columns
        scale = np.where(
            diagonal, total[..., rows] * total[..., columns], own[name][..., rows] * own[name][..., columns]
        )
        zero = np.isnan(scale) & (values[..., at] == 0)
        result[..., at] = np.where(zero, 0.0, values[..., at] / np.where(zero, 1.0, scale))
    return result


def _path_matrix(plan: FigurePlan, values: Numbers) -> Numbers:
    """Only the paths of a batch of values (…, n) as a matrix over the nodes (…, m, m)."""
    m = len(plan.model.table.nodes)
    result = np.zeros((*values.shape[:-1], m, m), dtype=values.dtype)
    for i, parameter in enumerate(plan.model.table.parameters):
        if parameter.kind == "path":
            result[..., parameter.row, parameter.column] = values[..., i]
    return result


def effect_values(plan: FigurePlan, values: Numbers) -> Numbers:
    """Effects (…, e) from parameter values (…, n): products along routes, totals from (I−B)⁻¹."""
    node_at = {name: i for i, name in enumerate(plan.model.table.nodes)}
    paths = _path_matrix(plan, values)
    total = np.linalg.inv(np.eye(paths.shape[-1]) - paths)
    result = np.zeros((*values.shape[:-1], len(plan.effects)), dtype=values.dtype)
    for at, effect in enumerate(plan.effects):
        row, column = node_at[effect.target], node_at[effect.source]
        if effect.via is None:
            result[..., at] = total[..., row, column]
            if effect.kind == "total indirect":
                result[..., at] = result[..., at] - paths[..., row, column]
        else:
            product: Numbers = np.ones(values.shape[:-1], dtype=values.dtype)
            for start, end in zip(effect.route, effect.route[1:], strict=False):
                product = product * paths[..., node_at[end], node_at[start]]
            result[..., at] = product
    return result


def _evaluate(expression: Expression, known: dict[str, Numbers]) -> Numbers:
    match expression:
        case Number(value):
            return np.asarray(value)
        case Reference(name):
            return known[name]
        case Negative(operand):
            return -_evaluate(operand, known)
        case Binary(operator, left, right):
            a, b = _evaluate(left, known), _evaluate(right, known)
            if operator == "+":
                return a + b
            if operator == "-":
                return a - b
            if operator == "*":
                return a * b
            with np.errstate(divide="ignore", invalid="ignore"):
                result: Numbers = a / b
            return np.where(np.isfinite(result), result, np.nan)


def tracked_values(plan: FigurePlan, values: Numbers) -> Numbers:
    """Tracked quantities (…, t) from unstandardized parameter values (…, n)."""
    known = {name: values[..., at] for name, at in plan.model.table.names.items()}
    where = {(p.source, p.target): i for i, p in enumerate(plan.model.table.parameters) if p.kind == "path"}
    result = np.zeros((*values.shape[:-1], len(plan.tracked)), dtype=values.dtype)
    for at, (name, quantity) in enumerate(plan.tracked.items()):
        if isinstance(quantity, tuple):
            found: Numbers = np.ones(values.shape[:-1], dtype=values.dtype)
            for step in itertools.pairwise(quantity):
                found = found * values[..., where[step]]
        else:
            found = _evaluate(quantity, known)
        result[..., at] = known[name] = np.broadcast_to(found, values.shape[:-1])
    return result


def _reliability(
    plan: FigurePlan, standardized: Numbers, covariance: Numbers, parts: Matrices
) -> tuple[Numbers, Numbers]:
    """Composite reliability (Raykov's 2001 form where residuals covary) and AVE (Fornell & Larcker 1981), each (…, c)."""
    table = plan.model.table
    observed_at = {name: i for i, name in enumerate(table.observed)}
    sd = _root(np.diagonal(covariance, axis1=-2, axis2=-1))
    shape = (*standardized.shape[:-1], len(plan.reflective))
    reliability, ave = np.zeros(shape, standardized.dtype), np.zeros(shape, standardized.dtype)
    for at, name in enumerate(plan.reflective):
        chosen = [i for i, p in enumerate(table.parameters) if p.kind == "loading" and p.source == name]
        loadings = standardized[..., chosen]
        rows = [observed_at[table.parameters[i].target] for i in chosen if table.parameters[i].matrix == "loading"]
        if len(rows) == len(chosen):
            residual = parts.residual[..., rows, :][..., rows] / (
                sd[..., rows][..., :, None] * sd[..., rows][..., None, :]
            )
            error = residual.sum(axis=(-2, -1))
            own = np.trace(residual, axis1=-2, axis2=-1)
        else:
            own = error = (1 - loadings**2).sum(axis=-1)
        squares = (loadings**2).sum(axis=-1)
        ave[..., at] = squares / (squares + own)
        common = loadings.sum(axis=-1) ** 2
        reliability[..., at] = common / (common + error)
    return reliability, ave


def figures(plan: FigurePlan, theta: Numbers) -> Figures:
    """All figures for a batch of free values θ (b, q), real or complex."""
    model = plan.model
    values = all_values(model, theta)
    parts = matrices(model, theta)
    found = implied(parts)
    standardized = standardize(model, values, parts, found.nodes, found.covariance)
    node_at = {name: i for i, name in enumerate(model.table.nodes)}
    observed_at = {name: i for i, name in enumerate(model.table.observed)}
    r_squared = np.zeros((*theta.shape[:-1], len(plan.explained)), dtype=theta.dtype)
    for at, name in enumerate(plan.explained):
        if name in node_at:
            i = node_at[name]
            r_squared[..., at] = 1 - parts.node[..., i, i] / found.nodes[..., i, i]
        else:
            i = observed_at[name]
            r_squared[..., at] = 1 - parts.residual[..., i, i] / found.covariance[..., i, i]
    reliability, ave = _reliability(plan, standardized, found.covariance, parts)
    return Figures(
        values,
        standardized,
        effect_values(plan, values),
        effect_values(plan, standardized),
        tracked_values(plan, values),
        r_squared,
        reliability,
        ave,
    )


STEP = 1e-20


def delta_errors(plan: FigurePlan, theta: Array, covariance: Array) -> Array:
    """Delta-method standard errors (f,) of all figures, from the covariance (q, q) of the free values.

    The Jacobian comes from complex steps, exact to machine precision (Squire & Trapp 1998).
    """
    p = len(plan.model.table.observed)
    parts = []
    for begin, end in slices(theta.size, p * p):
        steps = theta + 1j * STEP * np.eye(theta.size)[begin:end]
        parts.append(figures(plan, steps).flat().imag / STEP)
    if not parts:
        parts.append(np.zeros((0, figures(plan, theta[None]).flat().shape[-1])))
    jacobian = np.concatenate(parts)
    variance = (jacobian * (covariance @ jacobian)).sum(axis=0)
    result: Array = np.sqrt(np.maximum(variance, 0.0))
    return np.where(np.isnan(jacobian).any(axis=0), np.nan, result)
