"""Everything that follows from the free values and the sample: standardized solution, R², effects, reliability, validity.

One function serves the full sample (a batch of one) and the bootstrap; the part that depends on the free values alone
also takes complex steps for the delta method.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from itertools import combinations

import numpy as np

from dusk_arrow.core.assessment.collinearity import antecedent_vif, f_squared
from dusk_arrow.core.assessment.reliability import (
    alphas,
    average_variance_extracted,
    composite_reliability,
)
from dusk_arrow.core.assessment.validity import heterotrait
from dusk_arrow.core.covariance.implied import CompiledModel, Spread, all_values, spread
from dusk_arrow.core.effects.routes import Effect
from dusk_arrow.core.effects.tracked import Quantity, tracked_values
from dusk_arrow.core.effects.values import Walk, effect_values, plan_walks
from dusk_arrow.core.figures import FigureKey, Figures, Numbers, side_by_side
from dusk_arrow.core.linear_algebra import Array, beside, correlation_from, slices, variance_inflation
from dusk_arrow.core.parameter_key import HELD
from dusk_arrow.core.specification.model import Construct


@dataclass(frozen=True)
class FigurePlan:
    """Which figures are computed: of the model, its effects, its tracked quantities, and of the outcomes with their
    antecedents. `unknown` are pairs of columns of whose covariance the data say nothing: what needs it is nan."""

    model: CompiledModel
    effects: tuple[Effect, ...] = ()
    tracked: tuple[tuple[str, Quantity], ...] = ()
    antecedents: tuple[tuple[str, tuple[str, ...]], ...] = ()
    unknown: tuple[tuple[int, int], ...] = ()

    @cached_property
    def explained(self) -> tuple[str, ...]:
        """What R² is asked of: outcomes and indicators, not composites."""
        table = self.model.table
        composites = {c.name for c in table.constructs if c.mode == "formative"}
        into = {p.target for p in table.parameters if p.matrix == "effect"} - composites
        shown = [p.target for p in table.parameters if p.matrix == "loading"]
        return tuple(dict.fromkeys([*(name for name in table.nodes if name in into), *shown]))

    @cached_property
    def walks(self) -> list[Walk]:
        """The effects as they are computed."""
        return plan_walks(self.effects, self.model.table.nodes)

    @cached_property
    def measured(self) -> tuple[Construct, ...]:
        """The reflective constructs whose measurement is asked: not those all of whose loadings a sentence holds, as of levels and
        slopes the items say when, not how well."""
        table = self.model.table
        held = {(p.source, p.target) for p in table.parameters if p.kind == "loading" and p.why_fixed == HELD}
        return tuple(
            c
            for c in table.constructs
            if c.mode == "reflective"
            and (len(c.indicators) < 2 or not held.issuperset((c.name, name) for name in c.indicators))
        )

    @cached_property
    def reflective(self) -> tuple[str, ...]:
        """The constructs whose reliability is asked: those that show in two indicators or more."""
        return tuple(c.name for c in self.measured if len(c.indicators) > 1)

    @cached_property
    def blocks(self) -> dict[str, list[int]]:
        """For every reflective construct with observed indicators their positions, for alpha and HTMT."""
        at = {name: i for i, name in enumerate(self.model.table.observed)}
        found = {c.name: [at[name] for name in c.indicators if name in at] for c in self.measured}
        return {name: block for name, block in found.items() if block}

    @cached_property
    def model_keys(self) -> tuple[FigureKey, ...]:
        """What follows from the free values alone."""
        parameters = [p.key for p in self.model.table.parameters]
        return (
            *(FigureKey("estimate", key) for key in parameters),
            *(FigureKey("standardized", key) for key in parameters),
            *(FigureKey("effect", effect) for effect in self.effects),
            *(FigureKey("standardized_effect", effect) for effect in self.effects),
            *(FigureKey("tracked", (name,)) for name, _ in self.tracked),
            *(FigureKey("r_squared", (name,)) for name in self.explained),
            *(FigureKey("composite_reliability", (name,)) for name in self.reflective),
            *(FigureKey("ave", (name,)) for name in self.reflective),
        )

    @cached_property
    def further_keys(self) -> tuple[FigureKey, ...]:
        """What is computed from the sample's or the constructs' covariances as they are."""
        pairs = [(outcome, name) for outcome, names in self.antecedents for name in names]
        return (
            *(FigureKey("alpha", (name,)) for name in self.blocks),
            *(FigureKey("htmt", pair) for pair in combinations(self.blocks, 2)),
            *(FigureKey("htmt_signed", pair) for pair in combinations(self.blocks, 2)),
            *(FigureKey("htmt2", pair) for pair in combinations(self.blocks, 2)),
            *(FigureKey("vif_antecedents", pair) for pair in pairs),
            *(FigureKey("f_squared", pair) for pair in pairs),
            *(FigureKey("vif_full", (name,)) for name in self.standing),
        )

    @cached_property
    def standing(self) -> tuple[str, ...]:
        """The constructs that are no parts of another, which stand beside each other."""
        inside = {name for c in self.model.table.constructs for name in c.indicators}
        return tuple(c.name for c in self.model.table.constructs if c.name not in inside)


def _root(values: Numbers) -> Numbers:
    """Square roots, nan where the (real part of the) value is not positive."""
    positive = values.real > 0
    result: Numbers = np.sqrt(np.where(positive, values, 1.0))
    return np.where(positive, result, np.nan)


def standardize(model: CompiledModel, values: Numbers, found: Spread) -> Numbers:
    """Standardized parameters (…, n): constructs and observed variables scaled to variance 1.

    Covariances become correlations (of residuals and disturbances where those covary); variances become the
    share of the variable's variance, intercepts and means are in SDs.
    """
    sd = {
        "node": _root(np.diagonal(found.nodes, axis1=-2, axis2=-1)),
        "observed": _root(found.observed),
    }
    own = {
        "node": _root(np.diagonal(found.own, axis1=-2, axis2=-1)),
        "residual": _root(found.residual),
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


def path_matrix(plan: FigurePlan, values: Numbers) -> Numbers:
    """Only the paths of a batch of values (…, n) as a matrix over the nodes (…, m, m)."""
    m = len(plan.model.table.nodes)
    result = np.zeros((*values.shape[:-1], m, m), dtype=values.dtype)
    for i, parameter in enumerate(plan.model.table.parameters):
        if parameter.kind == "path":
            result[..., parameter.row, parameter.column] = values[..., i]
    return result


def _explained(plan: FigurePlan, found: Spread) -> Numbers:
    """R² (…, k): one less the share of the disturbance or residual."""
    own, whole = (np.diagonal(part, axis1=-2, axis2=-1) for part in (found.own, found.nodes))
    node_at = {name: i for i, name in enumerate(plan.model.table.nodes)}
    observed_at = {name: i for i, name in enumerate(plan.model.table.observed)}
    nodes = [node_at[name] for name in plan.explained if name in node_at]
    observed = [observed_at[name] for name in plan.explained if name not in node_at]
    shares = 1 - own[..., nodes] / whole[..., nodes], 1 - found.residual[..., observed] / found.observed[..., observed]
    place = np.argsort([name not in node_at for name in plan.explained], kind="stable")
    result = np.empty((*found.nodes.shape[:-2], len(plan.explained)), dtype=np.result_type(*shares))
    result[..., place] = np.concatenate(shares, axis=-1)
    return result


def _reliability(plan: FigurePlan, standardized: Numbers, found: Spread) -> tuple[Numbers, Numbers]:
    """Composite reliability and AVE, each (…, c)."""
    table = plan.model.table
    observed_at = {name: i for i, name in enumerate(table.observed)}
    sd = _root(found.observed)
    shape = (*standardized.shape[:-1], len(plan.reflective))
    reliability, ave = np.zeros(shape, standardized.dtype), np.zeros(shape, standardized.dtype)
    for at, name in enumerate(plan.reflective):
        chosen = [i for i, p in enumerate(table.parameters) if p.kind == "loading" and p.source == name]
        loadings = standardized[..., chosen]
        rows = [observed_at[table.parameters[i].target] for i in chosen if table.parameters[i].matrix == "loading"]
        alone = len(rows) == len(
            chosen
        )  # no constructs among the indicators, whose own part is what is not common to them
        own = found.residual[..., rows] / found.observed[..., rows] if alone else 1 - loadings**2
        noise = own.sum(axis=-1)
        ave[..., at] = average_variance_extracted(loadings, noise)
        if found.crossed is not None and alone:
            scale = sd[..., rows]
            noise = (found.crossed[..., rows, :][..., rows] / (scale[..., :, None] * scale[..., None, :])).sum(
                axis=(-2, -1)
            )
        reliability[..., at] = composite_reliability(loadings, noise)
    return reliability, ave


def _from_values(plan: FigurePlan, theta: Numbers, found: Spread) -> Numbers:
    model, nodes = plan.model, plan.model.table.nodes
    values = all_values(model, theta)
    standardized = standardize(model, values, found)
    paths = path_matrix(plan, values)
    named = {name: values[..., at] for name, at in model.table.names.items()}
    columns = (
        values,
        standardized,
        effect_values(plan.walks, paths),
        effect_values(plan.walks, path_matrix(plan, standardized)),
        tracked_values(dict(plan.tracked), named, nodes, paths),
        _explained(plan, found),
        *_reliability(plan, standardized, found),
    )
    return beside(columns)


def model_figures(plan: FigurePlan, theta: Numbers) -> Figures:
    """What follows from free values θ (…, q) alone, real or complex."""
    return Figures(plan.model_keys, _from_values(plan, theta, spread(plan.model, theta)))


def _from_covariances(plan: FigurePlan, nodes: Array, samples: Array) -> Array:
    blocks = list(plan.blocks.values())
    at = {name: i for i, name in enumerate(plan.model.table.nodes)}
    if plan.unknown:
        samples, (rows_, columns_) = samples.copy(), np.transpose(plan.unknown)
        samples[..., rows_, columns_] = samples[..., columns_, rows_] = np.nan
    columns = [alphas(samples, blocks), *heterotrait(samples, blocks)]
    wide = [(at[outcome], [at[name] for name in names]) for outcome, names in plan.antecedents]
    columns += [antecedent_vif(nodes, rows) for _, rows in wide]
    columns += [f_squared(nodes, outcome, rows) for outcome, rows in wide]
    if rows := [at[name] for name in plan.standing]:
        columns.append(variance_inflation(correlation_from(nodes[..., rows, :][..., rows])))
    lead = np.broadcast_shapes(samples.shape[:-2], nodes.shape[:-2])
    whole = [np.broadcast_to(c, (*lead, c.shape[-1])) for c in columns]
    return beside(whole) if whole else np.zeros((*lead, 0))


def figures(plan: FigurePlan, theta: Array, samples: Array) -> Figures:
    """All figures of a batch: free values θ (…, q) and the sample covariances (…, p, p) they were estimated from."""
    found = spread(plan.model, theta)
    own = Figures(plan.model_keys, _from_values(plan, theta, found))
    return side_by_side([own, Figures(plan.further_keys, _from_covariances(plan, found.nodes, samples))])


STEP = 1e-20


def delta_errors(plan: FigurePlan, theta: Array, covariance: Array) -> Figures:
    """Delta-method standard errors of what follows from the free values, from their covariance (q, q).

    The Jacobian comes from complex steps, exact to machine precision (Squire & Trapp 1998).
    """
    p = len(plan.model.table.observed)
    jacobian = np.zeros((theta.size, len(plan.model_keys)))
    for begin, end in slices(theta.size, p * p):
        steps = theta + 1j * STEP * np.eye(theta.size)[begin:end]
        jacobian[begin:end] = model_figures(plan, steps).values.imag / STEP
    variance = (jacobian * (covariance @ jacobian)).sum(axis=0)
    errors: Array = np.sqrt(np.maximum(variance, 0.0))
    return Figures(plan.model_keys, np.where(np.isnan(jacobian).any(axis=0), np.nan, errors))
