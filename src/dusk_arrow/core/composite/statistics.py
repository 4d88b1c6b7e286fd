"""Every statistic of composites, for the full sample (a batch of one) and for resamples alike."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from itertools import combinations

import numpy as np

from dusk_arrow.core.assessment.collinearity import antecedent_vif, f_squared, inflation_within
from dusk_arrow.core.assessment.reliability import (
    alphas,
    average_variance_extracted,
    composite_reliability,
)
from dusk_arrow.core.assessment.validity import Heterotrait, heterotrait
from dusk_arrow.core.composite.program import Outcome, Program
from dusk_arrow.core.effects.routes import Effect
from dusk_arrow.core.effects.tracked import Quantity, tracked_values
from dusk_arrow.core.effects.values import Walk, effect_values, plan_walks
from dusk_arrow.core.linear_algebra import Array, beside, variance_inflation
from dusk_arrow.core.parameter_key import ParameterKey
from dusk_arrow.core.specification.model import Construct
from dusk_arrow.core.statistics import (
    Formula,
    StatisticKey,
    Statistics,
    alone,
    computed,
    keys_of,
    of_antecedents,
    outcomes_with,
    pairs_of,
)


@dataclass(frozen=True)
class Inquiry:
    """Which statistics are asked of one block: of a program with its constructs, the effects along its paths (by name), the tracked
    quantities with the paths that have a name, for a sample of n."""

    program: Program
    constructs: tuple[Construct, ...]
    paths: tuple[tuple[str, str], ...]
    effects: tuple[Effect, ...]
    tracked: tuple[tuple[str, Quantity], ...]
    named: tuple[tuple[str, ParameterKey], ...]
    n: int
    group: str | None = None

    @cached_property
    def parameters(self) -> tuple[ParameterKey, ...]:
        """Loadings and weights of constructs, paths, and correlations of what nothing leads to."""
        shown = [(c.name, name) for c in self.constructs for name in c.indicators]
        structure = self.program.structure
        ends = [structure.names[i] for i in structure.standing if structure.saturated or i in structure.exogenous]
        return (
            *(ParameterKey("loading", construct, name, self.group) for construct, name in shown),
            *(ParameterKey("weight", name, construct, self.group) for construct, name in shown),
            *(ParameterKey("path", *pair, self.group) for pair in self.paths),
            *(ParameterKey("covariance", a, b, self.group) for a, b in combinations(ends, 2)),
        )

    @cached_property
    def antecedents(self) -> tuple[tuple[str, tuple[str, ...]], ...]:
        """The outcomes with what leads to them."""
        names = self.program.structure.names
        return tuple(
            (names[outcome], tuple(names[i] for i in found))
            for outcome, found in self.program.structure.antecedents.items()
        )

    @cached_property
    def walks(self) -> list[Walk]:
        """The effects as they are computed."""
        return plan_walks(self.effects, self.program.structure.names)

    @cached_property
    def reflective(self) -> tuple[Construct, ...]:
        """The constructs whose reliability is asked."""
        return tuple(c for c in self.constructs if c.mode == "reflective" and len(c.indicators) > 1)

    @cached_property
    def blocks(self) -> dict[str, list[int]]:
        """For every reflective construct of columns their positions, for alpha and HTMT."""
        at = {name: i for i, name in enumerate(self.program.columns)}
        found = {c.name: [at[n] for n in c.indicators if n in at] for c in self.constructs if c.mode == "reflective"}
        return {name: block for name, block in found.items() if block}

    @cached_property
    def shown(self) -> tuple[tuple[str, ...], ...]:
        """The constructs of two indicators or more with each of them."""
        return tuple((c.name, name) for c in self.constructs if len(c.indicators) > 1 for name in c.indicators)

    @property
    def standing(self) -> tuple[str, ...]:
        """The constructs that are no parts of another."""
        return tuple(self.program.structure.names[i] for i in self.program.structure.standing)

    @cached_property
    def keys(self) -> tuple[StatisticKey, ...]:
        """Every statistic, in the order of its column."""
        return keys_of(FORMULAS, self)


class _Batch:
    """An outcome, and the covariances and correlations (b, p, p) of the columns that it was estimated from, with what several
    statistics need computed once."""

    def __init__(self, asked: Inquiry, outcome: Outcome, covariance: Array, correlation: Array) -> None:
        self.asked, self.outcome, self.covariance, self.correlation = asked, outcome, covariance, correlation
        self.structure, self.between = asked.program.structure, outcome.structure.between
        self.indicators = list(asked.blocks.values())
        self.row = {name: i for i, name in enumerate(self.structure.names)}

    @cached_property
    def estimates(self) -> Array:
        """Loadings, weights, paths, and correlations of what nothing leads to."""
        outcome, at = self.outcome, {pair: column for column, pair in enumerate(self.structure.paths)}
        columns = [outcome.own_loadings[c.name] for c in self.asked.constructs]
        columns += [outcome.own_weights[c.name] for c in self.asked.constructs]
        for key in self.asked.parameters:
            if key.kind == "path":
                columns.append(outcome.structure.paths[:, [at[self.row[key.source], self.row[key.target]]]])
            elif key.kind == "covariance":
                columns.append(outcome.structure.between[:, self.row[key.source], [self.row[key.target]]])
        return beside(columns)

    @cached_property
    def coefficients(self) -> Array:
        return self.structure.path_matrix(self.outcome.structure.paths)

    @cached_property
    def effects(self) -> Array:
        return effect_values(self.asked.walks, self.coefficients)

    def tracked(self) -> Array:
        value = {key: self.estimates[:, i] for i, key in enumerate(self.asked.parameters)}
        named = {name: value[replace(key, group=self.asked.group)] for name, key in self.asked.named}
        return tracked_values(dict(self.asked.tracked), named, self.structure.names, self.coefficients)

    @cached_property
    def explained(self) -> Array:
        return self.outcome.structure.explained[:, [self.row[name] for name, _ in self.asked.antecedents]]

    def explained_adjusted(self) -> Array:
        n, counts = self.asked.n, np.array([len(names) for _, names in self.asked.antecedents])
        found: Array = 1 - (1 - self.explained) * (n - 1) / np.maximum(n - counts - 1, 1)
        return found

    @cached_property
    def reliability(self) -> tuple[Array, Array]:
        """Composite reliability and AVE of every reflective construct."""
        both = []
        for construct in self.asked.reflective:
            loadings = self.outcome.own_loadings[construct.name]
            noise = (1 - loadings**2).sum(axis=-1)
            both.append((composite_reliability(loadings, noise), average_variance_extracted(loadings, noise)))
        reliabilities, shares = zip(*both, strict=True)
        return np.stack(reliabilities, axis=-1), np.stack(shares, axis=-1)

    def rho(self) -> Array:
        return self.outcome.rho[:, [self.asked.program.place[c.name] for c in self.asked.reflective]]

    @cached_property
    def heterotrait(self) -> Heterotrait:
        return heterotrait(self.correlation, self.indicators, correlations=True)

    def beside_each_other(self) -> Array:
        standing = list(self.structure.standing)
        return variance_inflation(self.between[:, standing, :][..., standing])

    def within(self) -> Array:
        """VIF of the members of every block of two or more."""
        program = self.asked.program
        at, place = {name: i for i, name in enumerate(program.columns)}, program.place
        several = [c.indicators for c in self.asked.constructs if len(c.indicators) > 1]
        found: dict[tuple[str, ...], Array] = {}
        for known, source in ((place, self.outcome.scores), (at, self.correlation)):
            blocks = {names: [known[name] for name in names] for names in several if known.keys() >= set(names)}
            found |= zip(blocks, inflation_within(source, list(blocks.values())), strict=True)
        return beside([found[names] for names in several])


def _outcomes(asked: Inquiry) -> list[tuple[str]]:
    return alone(name for name, _ in asked.antecedents)


def _reflective(asked: Inquiry) -> list[tuple[str]]:
    return alone(c.name for c in asked.reflective)


FORMULAS: tuple[Formula[Inquiry, _Batch], ...] = (
    Formula("estimate", lambda asked: asked.parameters, lambda batch: batch.estimates),
    Formula("standardized", lambda asked: asked.parameters, lambda batch: batch.estimates),
    Formula("effect", lambda asked: asked.effects, lambda batch: batch.effects),
    Formula("standardized_effect", lambda asked: asked.effects, lambda batch: batch.effects),
    Formula("tracked", lambda asked: alone(name for name, _ in asked.tracked), _Batch.tracked),
    Formula("r_squared", _outcomes, lambda batch: batch.explained),
    Formula("r_squared_adjusted", _outcomes, _Batch.explained_adjusted),
    Formula("composite_reliability", _reflective, lambda batch: batch.reliability[0]),
    Formula("ave", _reflective, lambda batch: batch.reliability[1]),
    Formula("rho_a", _reflective, _Batch.rho),
    Formula("alpha", lambda asked: alone(asked.blocks), lambda batch: alphas(batch.covariance, batch.indicators)),
    Formula("htmt", lambda asked: pairs_of(asked.blocks), lambda batch: batch.heterotrait.absolute),
    Formula("htmt_signed", lambda asked: pairs_of(asked.blocks), lambda batch: batch.heterotrait.signed),
    Formula("htmt2", lambda asked: pairs_of(asked.blocks), lambda batch: batch.heterotrait.geometric),
    Formula(
        "vif_antecedents",
        lambda asked: outcomes_with(asked.antecedents),
        lambda batch: of_antecedents(antecedent_vif, batch.between, batch.asked.antecedents, batch.row),
    ),
    Formula(
        "f_squared",
        lambda asked: outcomes_with(asked.antecedents),
        lambda batch: of_antecedents(f_squared, batch.between, batch.asked.antecedents, batch.row),
    ),
    Formula("vif_full", lambda asked: alone(asked.standing), _Batch.beside_each_other),
    Formula("vif_indicators", lambda asked: asked.shown, _Batch.within),
)


def statistics(asked: Inquiry, outcome: Outcome, covariance: Array, correlation: Array) -> Statistics:
    """All statistics of a batch of one block: an outcome, and the covariances and correlations (b, p, p) of the columns that it was
    estimated from."""
    return computed(FORMULAS, asked, _Batch(asked, outcome, covariance, correlation), covariance.shape[:1])
