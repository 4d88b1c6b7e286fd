"""Modification indices: what freeing one more parameter would do, by score tests at the solution."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import combinations

import numpy as np

from dusk_arrow.core.covariance.discrepancies import Discrepancy, DistributionFree, PatternLikelihood, WeightedSquares
from dusk_arrow.core.covariance.implied import (
    CompiledModel,
    derivative_factors,
    implied,
    information,
    lay_out,
    matrices,
    mean_derivatives,
    quadratic_diagonal,
    quadratic_form,
)
from dusk_arrow.core.covariance.parameters import Parameter, ParameterTable
from dusk_arrow.core.covariance.robust import guarded_inverse
from dusk_arrow.core.linear_algebra import Array


@dataclass(frozen=True)
class Modification:
    """One parameter that is not free, or is tied to others by an equality (`release`): by how much χ² would fall
    (`index`, about χ² with 1 df) and where the parameter would go from its value (`expected_change`;
    `standardized_change` in SDs implied by the model)."""

    parameter: Parameter
    release: bool
    index: float
    expected_change: float
    standardized_change: float


def candidates(table: ParameterTable) -> list[Parameter]:
    """Omitted loadings, paths, residual and disturbance covariances, and parameters that a sentence fixed."""
    there = {(p.matrix, p.row, p.column) for p in table.parameters}
    there |= {(p.matrix, p.column, p.row) for p in table.parameters if p.matrix in ("node", "residual")}
    node_at = {name: i for i, name in enumerate(table.nodes)}
    composites = {c.name for c in table.constructs if c.mode == "formative"}
    found = [p for p in table.parameters if p.why_fixed == "fixed by a sentence"]
    items = [(i, name) for i, name in enumerate(table.observed) if name not in node_at]
    for (i, first), (j, second) in combinations(items, 2):
        if ("residual", j, i) not in there:
            found.append(Parameter("covariance", first, second, "residual", j, i))
    for construct in table.constructs:
        column = node_at[construct.name]
        own = [name for name in construct.indicators if name not in node_at]
        if construct.mode == "reflective" and own:
            found += [
                Parameter("loading", construct.name, name, "loading", i, column)
                for i, name in items
                if ("loading", i, column) not in there
            ]
    endogenous = {p.row for p in table.parameters if p.matrix == "effect"} - {node_at[name] for name in composites}
    for target in sorted(endogenous):
        for source in table.structural:
            column = node_at[source]
            if column != target and ("effect", target, column) not in there:
                found.append(Parameter("path", source, table.nodes[target], "effect", target, column))
    for a, b in combinations(sorted(endogenous), 2):
        if ("node", a, b) not in there:
            found.append(Parameter("covariance", table.nodes[a], table.nodes[b], "node", b, a, role="disturbance"))
    return found


def tied(table: ParameterTable) -> list[Parameter]:
    """Members of equalities, each of which could be released; of two equal parameters only the second."""
    groups: dict[int, list[Parameter]] = {}
    for parameter in table.parameters:
        if parameter.index is not None:
            groups.setdefault(parameter.index, []).append(parameter)
    return [p for group in groups.values() if len(group) > 1 for p in (group if len(group) > 2 else group[1:])]


def extend(table: ParameterTable, extra: list[Parameter]) -> CompiledModel:
    """The model with further free values after its own."""
    freed_ones = {id(p) for p in extra}
    kept = [p for p in table.parameters if id(p) not in freed_ones]
    q = table.n_free
    freed = [replace(p, value=None, index=q + k) for k, p in enumerate(extra)]
    return lay_out(replace(table, parameters=(*kept, *freed)))


def _standardized(table: ParameterTable, parameter: Parameter, change: float, nodes: Array, covariance: Array) -> float:
    sd_node, sd_observed = np.sqrt(np.diag(nodes)), np.sqrt(np.diag(covariance))
    row, column = parameter.row, parameter.column
    if parameter.matrix in ("intercept", "mean"):
        return float(change / (sd_observed if parameter.matrix == "intercept" else sd_node)[row])
    if parameter.matrix == "loading":
        return float(change * sd_node[column] / sd_observed[row])
    if parameter.matrix == "effect":
        return float(change * sd_node[column] / sd_node[row])
    sd = sd_node if parameter.matrix == "node" else sd_observed
    return float(change / (sd[row] * sd[column]))


def _weighted_blocks(model: CompiledModel, theta: Array, weight: Array, q: int) -> tuple[Array, Array, Array]:
    """Expected second derivatives from a weight (p, p): old by old, old by new, new by themselves."""
    parts = matrices(model, theta)
    found = implied(parts)
    factors = derivative_factors(model, parts, found)
    old = np.flatnonzero(model.slots < q)
    new = np.flatnonzero(model.slots >= q)
    new = new[np.argsort(model.slots[new])]
    first = (factors[0][:, old], factors[1][:, old])
    second = (factors[0][:, new], factors[1][:, new])
    cross = quadratic_form(first, (np.hstack([first[0], second[0]]), np.hstack([first[1], second[1]])), weight)
    own = quadratic_diagonal(second, weight)
    if model.means:
        slopes = mean_derivatives(model, parts, found)
        everything = np.hstack([slopes[:, old], slopes[:, new]])
        cross = cross + slopes[:, old].T @ weight @ everything
        own = own + (slopes[:, new] * (weight @ slopes[:, new])).sum(axis=0)
    slots = model.slots[old]
    inner, between = np.zeros((q, q)), np.zeros((q, new.size))
    np.add.at(inner, (slots[:, None], slots[None, :]), cross[:, : old.size])
    np.add.at(between, slots, cross[:, old.size :])
    return 2 * inner, 2 * between, 2 * own


def _blocks(
    model: CompiledModel, base: CompiledModel, discrepancy: Discrepancy, theta: Array
) -> tuple[Array, Array, Array]:
    """Second derivatives at the values (q + e,) of the `base` and the extended model: q by q, q by e, e alone."""
    only = np.zeros(1, dtype=np.intp)
    q = base.n_free
    if isinstance(discrepancy, DistributionFree):
        full = discrepancy.curvature(model, theta[None], only)[0]
        return full[:q, :q], full[:q, q:], np.diag(full)[q:]
    if isinstance(discrepancy, PatternLikelihood) and len(discrepancy.moments.masks) > 1:
        between, own = discrepancy.blocks(model, theta, q)
        return discrepancy.exact(base, theta[:q], 0), between, own
    if isinstance(discrepancy, WeightedSquares):
        return _weighted_blocks(model, theta, discrepancy.weights[0], q)
    return _weighted_blocks(model, theta, np.linalg.inv(implied(matrices(model, theta)).covariance), q)


def _released(
    table: ParameterTable, theta: Array, discrepancy: Discrepancy, member: Parameter
) -> tuple[CompiledModel, float, Array]:
    """One member of an equality with a value of its own: the model, its score, and second derivatives (q+1, q+1) by the
    common values and by the member's distance from the others."""
    q = table.n_free
    parameters = tuple(replace(p, index=q) if p is member else p for p in table.parameters)
    model = lay_out(replace(table, parameters=parameters))
    values = np.append(theta, theta[member.index])
    only = np.zeros(1, dtype=np.intp)
    _, gradient = discrepancy.evaluate(model, values[None], only)
    observed = isinstance(discrepancy, PatternLikelihood) and len(discrepancy.moments.masks) > 1
    curvature = discrepancy.exact(model, values, 0) if observed else discrepancy.curvature(model, values[None], only)[0]
    apart = np.eye(q + 1)
    apart[q, member.index] = 1.0
    return model, float(gradient[0, q]), apart.T @ curvature @ apart


def _variance_of_score(model: CompiledModel, theta: Array, weights: Array, unit: float) -> Array:
    """For ULS: the variance (e,) of each score beside the first q ones, which it leans on by `weights` (q, e); moments
    are those of normal data, weighed by `unit` each."""
    q = weights.shape[0]
    full = information(model, theta, unit**2 * implied(matrices(model, theta)).covariance)
    result: Array = (
        np.diag(full)[q:]
        - 2 * np.einsum("qe,qe->e", weights, full[:q, q:])
        + (weights * (full[:q, :q] @ weights)).sum(axis=0)
    )
    return result


def _unweighted(discrepancy: Discrepancy) -> float | None:
    """The weight that all residuals share, None where they have weights of their own."""
    if not isinstance(discrepancy, WeightedSquares):
        return None
    weight = discrepancy.weights[0]
    return float(weight[0, 0]) if np.array_equal(weight, weight[0, 0] * np.eye(len(weight))) else None


@dataclass(frozen=True)
class _Score:
    """A score g, its curvature given the free values, its curvature alone, and its variance where F is no χ²."""

    gradient: float
    left: float
    alone: float
    variance: float | None

    def index_and_change(self, multiplier: float) -> tuple[float, float] | None:
        """N·g²/(2H) and −g/H; None where the parameter could not be told from the free ones."""
        if self.left <= 1e-8 * abs(self.alone):
            return None
        if self.variance is None:
            return multiplier * self.gradient**2 / (2 * self.left), -self.gradient / self.left
        if self.variance <= 1e-10 * abs(self.alone):
            return None
        return multiplier * self.gradient**2 / (4 * self.variance), -self.gradient / self.left


def _scores_of_fixed(
    table: ParameterTable, theta: Array, discrepancy: Discrepancy, extra: list[Parameter]
) -> list[_Score]:
    model = extend(table, extra)
    q = table.n_free
    values = np.concatenate([theta, [p.value or 0.0 for p in extra]])
    _, slopes = discrepancy.evaluate(model, values[None], np.zeros(1, dtype=np.intp))
    inner, between, own = _blocks(model, lay_out(table), discrepancy, values)
    weights = guarded_inverse(inner) @ between
    if np.isnan(weights).any():
        return []
    left = own - np.einsum("qe,qe->e", between, weights)
    unit = _unweighted(discrepancy)
    variances = [None] * len(extra) if unit is None else _variance_of_score(model, values, weights, unit)
    columns = zip(slopes[0, q:], left, own, variances, strict=True)
    return [_Score(float(g), float(h), float(a), None if v is None else float(v)) for g, h, a, v in columns]


def _score_of_tied(table: ParameterTable, theta: Array, discrepancy: Discrepancy, member: Parameter) -> _Score | None:
    q = table.n_free
    model, gradient, curvature = _released(table, theta, discrepancy, member)
    weights = guarded_inverse(curvature[:q, :q]) @ curvature[:q, q:]
    if np.isnan(weights).any():
        return None
    left = float(curvature[q, q] - (curvature[:q, q:] * weights).sum())
    variance = None
    unit = _unweighted(discrepancy)
    if unit is not None:
        apart = np.eye(q + 1)
        apart[q, member.index] = 1.0
        weight = unit**2 * implied(matrices(lay_out(table), theta)).covariance
        full = apart.T @ information(model, np.append(theta, theta[member.index]), weight) @ apart
        lean = np.append(-weights[:, 0], 1.0)
        variance = float(lean @ full @ lean)
    return _Score(gradient, left, float(curvature[q, q]), variance)


def modification_indices(
    table: ParameterTable, theta: Array, discrepancy: Discrepancy, multiplier: float, least: float = 3.84
) -> list[Modification]:
    """Indices of at least `least`, the largest first (Sörbom 1989; expected change: Saris, Satorra & Sörbom 1987).

    With g the derivative of F by the parameter and H its second derivative given the free ones, the index is
    N·g²/(2H) and the expected change −g/H; with missing answers H is observed, otherwise expected. For ULS the score
    is divided by its own variance. Parameters that could not be identified beside the free ones are left out.
    """
    extra = candidates(table)
    scores: list[tuple[Parameter, _Score | None]] = []
    if extra:
        scores += zip(extra, _scores_of_fixed(table, theta, discrepancy, extra), strict=False)
    scores += [(member, _score_of_tied(table, theta, discrepancy, member)) for member in tied(table)]
    found = implied(matrices(lay_out(table), theta))
    result = []
    for parameter, score in scores:
        values = None if score is None else score.index_and_change(multiplier)
        if values is not None and values[0] >= least:
            standardized = _standardized(table, parameter, values[1], found.nodes, found.covariance)
            result.append(
                Modification(parameter, parameter.free and parameter.index is not None, *values, standardized)
            )
    return sorted(result, key=lambda m: -m.index)
