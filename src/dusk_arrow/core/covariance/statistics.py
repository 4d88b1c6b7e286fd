"""Everything that follows from the free values and the sample: standardized solution, R², effects, reliability, validity.

One function serves the full sample (a batch of one) and the bootstrap; the part that depends on the free values alone
also takes complex steps for the delta method.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from dusk_arrow.core.assessment.collinearity import antecedent_vif, f_squared
from dusk_arrow.core.assessment.reliability import (
    alphas,
    average_variance_extracted,
    composite_reliability,
)
from dusk_arrow.core.assessment.validity import Heterotrait, heterotrait
from dusk_arrow.core.covariance.compiled import Block
from dusk_arrow.core.covariance.implied import Spread, all_values, spread
from dusk_arrow.core.effects.routes import Effect
from dusk_arrow.core.effects.tracked import Quantity, tracked_values
from dusk_arrow.core.effects.values import Walk, effect_values, plan_walks
from dusk_arrow.core.linear_algebra import Array, correlation_from, slices, variance_inflation
from dusk_arrow.core.parameter_key import HELD, ParameterKey
from dusk_arrow.core.specification.model import Construct
from dusk_arrow.core.statistics import (
    Formula,
    Numbers,
    StatisticKey,
    Statistics,
    alone,
    computed,
    keys_of,
    of_antecedents,
    outcomes_with,
    pairs_of,
    side_by_side,
)


@dataclass(frozen=True)
class Inquiry:
    """Which statistics are asked of one block: of the model, its effects, its tracked quantities, and of the outcomes with their
    antecedents. `unknown` are pairs of columns of whose covariance the data say nothing: what needs it is nan."""

    model: Block
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

    @property
    def group(self) -> str | None:
        """The group, None where there are no groups."""
        return self.model.table.group

    @cached_property
    def parameters(self) -> tuple[ParameterKey, ...]:
        """All parameters."""
        return tuple(p.key for p in self.model.table.parameters)

    @cached_property
    def model_keys(self) -> tuple[StatisticKey, ...]:
        """What follows from the free values alone."""
        return keys_of(FROM_VALUES, self)

    @cached_property
    def keys(self) -> tuple[StatisticKey, ...]:
        """Every statistic, in the order of its column."""
        return (*self.model_keys, *keys_of(FROM_COVARIANCES, self))

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


def standardize(model: Block, values: Numbers, found: Spread) -> Numbers:
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


def path_matrix(asked: Inquiry, values: Numbers) -> Numbers:
    """Only the paths of a batch of values (…, n) as a matrix over the nodes (…, m, m)."""
    m = len(asked.model.table.nodes)
    result = np.zeros((*values.shape[:-1], m, m), dtype=values.dtype)
    for i, parameter in enumerate(asked.model.table.parameters):
        if parameter.kind == "path":
            result[..., parameter.row, parameter.column] = values[..., i]
    return result


class _Values:
    """A batch of one block's free values θ (…, q), real or complex, with what several statistics need computed once."""

    def __init__(self, asked: Inquiry, theta: Numbers) -> None:
        self.asked, self.lead = asked, theta.shape[:-1]
        self.found = spread(asked.model, theta)
        self.values = all_values(asked.model, theta)

    @cached_property
    def standardized(self) -> Numbers:
        return standardize(self.asked.model, self.values, self.found)

    @cached_property
    def paths(self) -> Numbers:
        return path_matrix(self.asked, self.values)

    def effects(self) -> Numbers:
        return effect_values(self.asked.walks, self.paths)

    def standardized_effects(self) -> Numbers:
        return effect_values(self.asked.walks, path_matrix(self.asked, self.standardized))

    def tracked(self) -> Numbers:
        table = self.asked.model.table
        named = {name: self.values[..., at] for name, at in table.names.items()}
        return tracked_values(dict(self.asked.tracked), named, table.nodes, self.paths)

    def explained(self) -> Numbers:
        """R² (…, k): one less the share of the disturbance or residual."""
        found, names, table = self.found, self.asked.explained, self.asked.model.table
        own, whole = (np.diagonal(part, axis1=-2, axis2=-1) for part in (found.own, found.nodes))
        node_at = {name: i for i, name in enumerate(table.nodes)}
        observed_at = {name: i for i, name in enumerate(table.observed)}
        nodes = [node_at[name] for name in names if name in node_at]
        observed = [observed_at[name] for name in names if name not in node_at]
        shares = (
            1 - own[..., nodes] / whole[..., nodes],
            1 - found.residual[..., observed] / found.observed[..., observed],
        )
        place = np.argsort([name not in node_at for name in names], kind="stable")
        result = np.empty((*found.nodes.shape[:-2], len(names)), dtype=np.result_type(*shares))
        result[..., place] = np.concatenate(shares, axis=-1)
        return result

    @cached_property
    def reliability(self) -> tuple[Numbers, Numbers]:
        """Composite reliability and AVE, each (…, c)."""
        found, table = self.found, self.asked.model.table
        observed_at = {name: i for i, name in enumerate(table.observed)}
        sd = _root(found.observed)
        shape = (*self.lead, len(self.asked.reflective))
        reliability, ave = np.zeros(shape, self.values.dtype), np.zeros(shape, self.values.dtype)
        for at, name in enumerate(self.asked.reflective):
            chosen = [i for i, p in enumerate(table.parameters) if p.kind == "loading" and p.source == name]
            loadings = self.standardized[..., chosen]
            rows = [observed_at[table.parameters[i].target] for i in chosen if table.parameters[i].matrix == "loading"]
            # no constructs among the indicators, whose own part is what is not common to them
            alone = len(rows) == len(chosen)
            own = found.residual[..., rows] / found.observed[..., rows] if alone else 1 - loadings**2
            noise = own.sum(axis=-1)
            ave[..., at] = average_variance_extracted(loadings, noise)
            if found.crossed is not None and alone:
                scale = sd[..., rows]
                crossed = found.crossed[..., rows, :][..., rows] / (scale[..., :, None] * scale[..., None, :])
                noise = crossed.sum(axis=(-2, -1))
            reliability[..., at] = composite_reliability(loadings, noise)
        return reliability, ave


class _Covariances:
    """A batch of one block's sample covariances (…, p, p), and those of its nodes (…, m, m)."""

    def __init__(self, asked: Inquiry, nodes: Array, samples: Array) -> None:
        if asked.unknown:
            samples, (rows, columns) = samples.copy(), np.transpose(asked.unknown)
            samples[..., rows, columns] = samples[..., columns, rows] = np.nan
        self.asked, self.nodes, self.samples = asked, nodes, samples
        self.lead = np.broadcast_shapes(samples.shape[:-2], nodes.shape[:-2])
        self.indicators = list(asked.blocks.values())
        self.at = {name: i for i, name in enumerate(asked.model.table.nodes)}

    @cached_property
    def heterotrait(self) -> Heterotrait:
        return heterotrait(self.samples, self.indicators)

    def beside_each_other(self) -> Array:
        rows = [self.at[name] for name in self.asked.standing]
        return variance_inflation(correlation_from(self.nodes[..., rows, :][..., rows]))


FROM_VALUES: tuple[Formula[Inquiry, _Values], ...] = (
    Formula("estimate", lambda asked: asked.parameters, lambda batch: batch.values),
    Formula("standardized", lambda asked: asked.parameters, lambda batch: batch.standardized),
    Formula("effect", lambda asked: asked.effects, _Values.effects),
    Formula("standardized_effect", lambda asked: asked.effects, _Values.standardized_effects),
    Formula("tracked", lambda asked: alone(name for name, _ in asked.tracked), _Values.tracked),
    Formula("r_squared", lambda asked: alone(asked.explained), _Values.explained),
    Formula("composite_reliability", lambda asked: alone(asked.reflective), lambda batch: batch.reliability[0]),
    Formula("ave", lambda asked: alone(asked.reflective), lambda batch: batch.reliability[1]),
)
FROM_COVARIANCES: tuple[Formula[Inquiry, _Covariances], ...] = (
    Formula("alpha", lambda asked: alone(asked.blocks), lambda batch: alphas(batch.samples, batch.indicators)),
    Formula("htmt", lambda asked: pairs_of(asked.blocks), lambda batch: batch.heterotrait.absolute),
    Formula("htmt_signed", lambda asked: pairs_of(asked.blocks), lambda batch: batch.heterotrait.signed),
    Formula("htmt2", lambda asked: pairs_of(asked.blocks), lambda batch: batch.heterotrait.geometric),
    Formula(
        "vif_antecedents",
        lambda asked: outcomes_with(asked.antecedents),
        lambda batch: of_antecedents(antecedent_vif, batch.nodes, batch.asked.antecedents, batch.at),
    ),
    Formula(
        "f_squared",
        lambda asked: outcomes_with(asked.antecedents),
        lambda batch: of_antecedents(f_squared, batch.nodes, batch.asked.antecedents, batch.at),
    ),
    Formula("vif_full", lambda asked: alone(asked.standing), _Covariances.beside_each_other),
)


def model_statistics(inquiries: Sequence[Inquiry], theta: Numbers) -> Statistics:
    """What follows from free values θ (…, q) alone, real or complex, for all blocks."""
    batches = [_Values(asked, theta) for asked in inquiries]
    return side_by_side([computed(FROM_VALUES, batch.asked, batch, batch.lead) for batch in batches])


def statistics(inquiries: Sequence[Inquiry], theta: Array, samples: Sequence[Array]) -> Statistics:
    """All statistics of a batch: free values θ (…, q) and the sample covariances (…, p, p) of every block that they were
    estimated from."""
    parts = []
    for asked, own in zip(inquiries, samples, strict=True):
        values = _Values(asked, theta)
        covariances = _Covariances(asked, values.found.nodes, own)
        parts.append(computed(FROM_VALUES, asked, values, values.lead))
        parts.append(computed(FROM_COVARIANCES, asked, covariances, covariances.lead))
    return side_by_side(parts)


STEP = 1e-20


def delta_errors(inquiries: Sequence[Inquiry], theta: Array, covariance: Array) -> Statistics:
    """Delta-method standard errors of what follows from the free values, from their covariance (q, q).

    The Jacobian comes from complex steps, exact to machine precision (Squire & Trapp 1998).
    """
    p = max(len(asked.model.table.observed) for asked in inquiries)
    keys = tuple(key for asked in inquiries for key in asked.model_keys)
    jacobian = np.zeros((theta.size, len(keys)))
    for begin, end in slices(theta.size, p * p):
        steps = theta + 1j * STEP * np.eye(theta.size)[begin:end]
        jacobian[begin:end] = model_statistics(inquiries, steps).values.imag / STEP
    variance = (jacobian * (covariance @ jacobian)).sum(axis=0)
    errors: Array = np.sqrt(np.maximum(variance, 0.0))
    return Statistics(keys, np.where(np.isnan(jacobian).any(axis=0), np.nan, errors))
