"""Every figure of composites, for the full sample (a batch of one) and for resamples alike."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from itertools import combinations

import numpy as np

from dusk_arrow.core.assessment.collinearity import antecedent_vif, f_squared, inflation_within
from dusk_arrow.core.assessment.reliability import (
    alphas,
    average_variance_extracted,
    composite_reliability,
)
from dusk_arrow.core.assessment.validity import heterotrait
from dusk_arrow.core.composite.program import Outcome, Program
from dusk_arrow.core.effects.routes import Effect
from dusk_arrow.core.effects.tracked import Quantity, tracked_values
from dusk_arrow.core.effects.values import Walk, effect_values, plan_walks
from dusk_arrow.core.figures import FigureKey, Figures
from dusk_arrow.core.linear_algebra import Array, beside, variance_inflation
from dusk_arrow.core.parameter_key import ParameterKey
from dusk_arrow.core.specification.model import Construct


@dataclass(frozen=True)
class FigurePlan:
    """Which figures are computed: of a program with its constructs, the effects along its paths (by name), the tracked
    quantities with the paths that have a name, for a sample of n."""

    program: Program
    constructs: tuple[Construct, ...]
    paths: tuple[tuple[str, str], ...]
    effects: tuple[Effect, ...]
    tracked: tuple[tuple[str, Quantity], ...]
    named: tuple[tuple[str, ParameterKey], ...]
    n: int

    @cached_property
    def parameters(self) -> tuple[ParameterKey, ...]:
        """Loadings and weights of constructs, paths, and correlations of what nothing leads to."""
        shown = [(c.name, name) for c in self.constructs for name in c.indicators]
        structure = self.program.structure
        ends = [structure.names[i] for i in structure.standing if structure.saturated or i in structure.exogenous]
        return (
            *(ParameterKey("loading", construct, name) for construct, name in shown),
            *(ParameterKey("weight", name, construct) for construct, name in shown),
            *(ParameterKey("path", *pair) for pair in self.paths),
            *(ParameterKey("covariance", a, b) for a, b in combinations(ends, 2)),
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
    def keys(self) -> tuple[FigureKey, ...]:
        """Every figure, in the order of its column."""
        pairs = [(outcome, name) for outcome, names in self.antecedents for name in names]
        apart = list(combinations(self.blocks, 2))
        shown = [(c.name, name) for c in self.constructs if len(c.indicators) > 1 for name in c.indicators]
        structure = self.program.structure
        return (
            *(FigureKey("estimate", key) for key in self.parameters),
            *(FigureKey("standardized", key) for key in self.parameters),
            *(FigureKey("effect", effect) for effect in self.effects),
            *(FigureKey("standardized_effect", effect) for effect in self.effects),
            *(FigureKey("tracked", (name,)) for name, _ in self.tracked),
            *(FigureKey("r_squared", (name,)) for name, _ in self.antecedents),
            *(FigureKey("r_squared_adjusted", (name,)) for name, _ in self.antecedents),
            *(FigureKey("composite_reliability", (c.name,)) for c in self.reflective),
            *(FigureKey("ave", (c.name,)) for c in self.reflective),
            *(FigureKey("rho_a", (c.name,)) for c in self.reflective),
            *(FigureKey("alpha", (name,)) for name in self.blocks),
            *(FigureKey("htmt", pair) for pair in apart),
            *(FigureKey("htmt_signed", pair) for pair in apart),
            *(FigureKey("htmt2", pair) for pair in apart),
            *(FigureKey("vif_antecedents", pair) for pair in pairs),
            *(FigureKey("f_squared", pair) for pair in pairs),
            *(FigureKey("vif_full", (structure.names[i],)) for i in structure.standing),
            *(FigureKey("vif_indicators", pair) for pair in shown),
        )


def _structure(plan: FigurePlan, outcome: Outcome) -> list[Array]:
    """Paths, and correlations of what nothing leads to."""
    structure = plan.program.structure
    row = {name: i for i, name in enumerate(structure.names)}
    at = {pair: column for column, pair in enumerate(structure.paths)}
    columns = []
    for key in plan.parameters:
        if key.kind == "path":
            columns.append(outcome.structure.paths[:, at[row[key.source], row[key.target]]])
        elif key.kind == "covariance":
            columns.append(outcome.structure.between[:, row[key.source], row[key.target]])
    return columns


def _reliability(plan: FigurePlan, outcome: Outcome) -> list[Array]:
    """Composite reliability, AVE and rho_A of every reflective construct."""
    rhos, reliabilities, shares = [], [], []
    for construct in plan.reflective:
        loadings = outcome.own_loadings[construct.name]
        noise = (1 - loadings**2).sum(axis=-1)
        reliabilities.append(composite_reliability(loadings, noise))
        shares.append(average_variance_extracted(loadings, noise))
        rhos.append(outcome.rho[:, plan.program.place[construct.name]])
    return [*reliabilities, *shares, *rhos]


def figures(plan: FigurePlan, outcome: Outcome, covariance: Array, correlation: Array) -> Figures:
    """All figures of a batch: an outcome, and the covariances and correlations (b, p, p) of the columns that it was estimated from."""
    structure, between = plan.program.structure, outcome.structure.between
    own = (
        [outcome.own_loadings[c.name] for c in plan.constructs],
        [outcome.own_weights[c.name] for c in plan.constructs],
    )
    estimates = beside([*own[0], *own[1], *(c[:, None] for c in _structure(plan, outcome))])
    value = {key: estimates[:, i] for i, key in enumerate(plan.parameters)}
    coefficients = structure.path_matrix(outcome.structure.paths)
    effects = effect_values(plan.walks, coefficients)
    named = {name: value[key] for name, key in plan.named}
    columns = [
        estimates,
        estimates,
        effects,
        effects,
        tracked_values(dict(plan.tracked), named, structure.names, coefficients),
    ]
    row = {name: i for i, name in enumerate(structure.names)}
    explained = [outcome.structure.explained[:, row[name]] for name, _ in plan.antecedents]
    adjusted = [
        1 - (1 - share) * (plan.n - 1) / max(plan.n - len(names) - 1, 1)
        for share, (_, names) in zip(explained, plan.antecedents, strict=True)
    ]
    loose = [*explained, *adjusted, *_reliability(plan, outcome)]
    columns += [np.stack(loose, axis=-1)] if loose else []
    blocks = list(plan.blocks.values())
    columns += [alphas(covariance, blocks), *heterotrait(correlation, blocks, correlations=True)]
    outcomes = [(row[outcome_], [row[n] for n in names]) for outcome_, names in plan.antecedents]
    columns += [antecedent_vif(between, rows) for _, rows in outcomes]
    columns += [f_squared(between, at, rows) for at, rows in outcomes]
    standing = list(structure.standing)
    columns.append(variance_inflation(between[:, standing, :][..., standing]))
    columns += _within(plan, outcome, correlation)
    return Figures(plan.keys, beside(columns))


def _within(plan: FigurePlan, outcome: Outcome, correlation: Array) -> list[Array]:
    """VIF of the members of every block of two or more."""
    at, place = {name: i for i, name in enumerate(plan.program.columns)}, plan.program.place
    several = [c.indicators for c in plan.constructs if len(c.indicators) > 1]
    found: dict[tuple[str, ...], Array] = {}
    for known, source in ((place, outcome.scores), (at, correlation)):
        blocks = {names: [known[name] for name in names] for names in several if known.keys() >= set(names)}
        found |= zip(blocks, inflation_within(source, list(blocks.values())), strict=True)
    return [found[names] for names in several]
