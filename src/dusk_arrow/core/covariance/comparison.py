"""Models beside each other: whether they are nested, every path at zero, tests of several parameters at once."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from dusk_arrow.core.assessment.comparing import (
    ROUNDING,
    Comparison,
    Difference,
    ParameterTest,
    PathTest,
    difference_of,
)
from dusk_arrow.core.assessment.fit import chi_square_p
from dusk_arrow.core.covariance.discrepancies.discrepancy import ONLY
from dusk_arrow.core.covariance.estimation import Estimation, discrepancy_of, estimate, identification
from dusk_arrow.core.covariance.estimators.registry import ESTIMATORS
from dusk_arrow.core.covariance.parameters import Parameter, ParameterTable
from dusk_arrow.core.covariance.robust import guarded_inverse
from dusk_arrow.core.covariance.setting_up import Ready, make_ready
from dusk_arrow.core.covariance.solver import solve
from dusk_arrow.core.covariance.starting import starting_values
from dusk_arrow.core.family import EstimationSettings
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.data import DataSet, Source
from dusk_arrow.core.observations.evidence import MatrixEvidence, identity_of
from dusk_arrow.core.problems import has_error
from dusk_arrow.core.specification.applying import apply_all
from dusk_arrow.core.specification.changes import FixPath
from dusk_arrow.core.specification.checking import check, formative_of_factors
from dusk_arrow.core.specification.model import read
from dusk_arrow.core.specification.statements import Specification
from dusk_arrow.core.wald import two_sided_p, z_of

NESTED = 1e-6


@dataclass(frozen=True)
class Quick:
    """A model estimated without anything that is made of the estimates."""

    ready: Ready
    estimation: Estimation

    @property
    def tables(self) -> tuple[ParameterTable, ...]:
        """The parameters of every group."""
        return self.ready.tables

    @property
    def parameters(self) -> list[Parameter]:
        """All of them."""
        return [p for table in self.tables for p in table.parameters]

    @property
    def observed(self) -> list[tuple[str | None, set[str]]]:
        """The groups with the variables of each."""
        return [(table.group, set(table.observed)) for table in self.tables]

    @property
    def df(self) -> int:
        """Degrees of freedom."""
        return self.estimation.df

    @property
    def identity(self) -> str:
        """What tells the data apart that two models rest on."""
        return identity_of(self.ready.evidence, [table.observed for table in self.tables])

    def factor(self, theta: Array | None = None) -> float | None:
        """The scaling factor of the test at the estimates (or other values), None where the test is not scaled."""
        found = self.estimation
        if "mean-scaled" not in found.estimator.further_tests(found.errors):
            return None
        point = found.point if theta is None else found.point.at(theta)
        test = found.estimator.scaled_test(point, self.df, found.errors)
        return None if test is None else test.scaling_factor


def quick_fit(specification: Specification, source: Source, settings: EstimationSettings) -> Quick | None:
    """Estimates a model; None where it cannot be."""
    model = read(specification)
    if has_error([*check(specification, source.names), *formative_of_factors(read(specification))]):
        return None
    if isinstance(source, DataSet) and any(source.column(name).numbers is None for name in model.columns):
        return None
    ready = make_ready(specification, model, source, settings)
    if has_error(ready.covariance_problems()) or identification(ready.tables):
        return None
    try:
        estimation = estimate(ready.tables, ready.evidence, ready.estimator, settings.analytic_errors)
    except np.linalg.LinAlgError:
        return None
    return Quick(ready, estimation) if estimation.solution.converged else None


def _within(free: Quick, restricted: Quick) -> tuple[float, Array] | None:
    """The freer model fitted to what the restricted one implies: how far it stays away, and its values there."""
    if restricted.observed != free.observed:
        return None
    evidence = []
    for block, own, table in zip(restricted.estimation.point.blocks, free.ready.evidence, free.tables, strict=True):
        at = {name: i for i, name in enumerate(block.model.table.observed)}
        order = [at[name] for name in table.observed]
        if table.means and block.means is None:
            return None
        means = None if block.means is None else block.means[order]
        evidence.append(MatrixEvidence(block.covariance[np.ix_(order, order)], means, own.n))
    estimator = ESTIMATORS["ml"] if free.ready.estimator.needs_cases else free.ready.estimator
    try:
        target = discrepancy_of(free.estimation.model, evidence, estimator)
    except np.linalg.LinAlgError:
        return None
    solution = solve(free.estimation.model, target, starting_values(free.estimation.model, evidence))
    return solution.discrepancy, solution.theta


def compare(first: Quick, second: Quick) -> Comparison:
    """Two models in either order; tested only where the more restricted one is a case of the other, on the same data."""
    restricted, free = (first, second) if first.df > second.df else (second, first)
    if first.observed != second.observed:
        return Comparison(False, "other data: they do not use the same variables", None)
    if first.identity != second.identity:
        return Comparison(False, "other data: they do not rest on the same cases", None)
    if _ways(first) != _ways(second):
        return Comparison(False, "estimated in different ways: their χ² are not of one kind", None)
    found = _within(free, restricted)
    if found is None or found[0] > NESTED:
        return Comparison(False, "not nested: the one cannot reproduce what the other implies", None)
    if restricted.df == free.df:
        return Comparison(True, "equivalent: they imply the same moments", None)
    if restricted.estimation.statistic - free.estimation.statistic < -ROUNDING:
        reason = (
            "nested, but not to be tested: the freer model fits worse than the other, so its estimation has come to rest at "
            "a point that is not its best"
        )
        return Comparison(True, reason, None)
    return Comparison(True, "nested", _tested(restricted, free, found[1]))


def _ways(of: Quick) -> tuple[object, ...]:
    """How a model was estimated: its χ² is of one kind with another's where these agree."""
    kinds = tuple((type(own), own.multiplier) for own in of.ready.evidence)
    return of.estimation.estimator, kinds


def _tested(restricted: Quick, free: Quick, values: Array) -> Difference:
    df = restricted.df - free.df
    chi_square = restricted.estimation.statistic - free.estimation.statistic
    plain = difference_of(chi_square, df)
    own = restricted.factor()
    if own is None or plain.p_value is None:
        return plain
    other = free.factor() if free.df > 0 else 0.0
    if other is None:
        return plain
    scale = (restricted.df * own - free.df * other) / df
    if scale <= 0 and free.df > 0:
        at_restricted = free.factor(values)
        scale = (restricted.df * own - free.df * (at_restricted or 0.0)) / df
    if scale <= 0:
        return plain
    scaled = chi_square / scale
    return replace(plain, scaled=scaled, scaled_p=chi_square_p(scaled, df))


def paths_at_zero(specification: Specification, source: Source, settings: EstimationSettings) -> list[PathTest]:
    """Every free path fixed at zero in turn, beside its z-test; empty where the model cannot be estimated."""
    whole = quick_fit(specification, source, settings)
    if whole is None:
        return []
    errors = np.sqrt(np.maximum(np.diag(whole.estimation.covariance), 0.0))
    tests = []
    for parameter in whole.parameters:
        if parameter.kind != "path" or parameter.index is None:
            continue
        estimate_, se = float(whole.estimation.solution.theta[parameter.index]), float(errors[parameter.index])
        z = z_of(estimate_, se)
        changed = apply_all(specification, [FixPath(parameter.source, parameter.target, 0.0)])
        without = quick_fit(changed, source, settings)
        found = None if without is None else _tested(without, whole, _padded(whole, without))
        tests.append(PathTest(parameter.source, parameter.target, estimate_, z, two_sided_p(z), found))
    return tests


def _padded(free: Quick, restricted: Quick) -> Array:
    """The restricted estimates as values of the freer model, by what the parameters are."""
    place = {p.key: p for p in restricted.parameters}
    values = free.estimation.solution.theta.copy()
    for parameter in free.parameters:
        if parameter.index is not None and parameter.key in place:
            other = place[parameter.key]
            index = other.index
            values[parameter.index] = restricted.estimation.solution.theta[index] if index is not None else other.value
    return values


def joint_test(
    restricted: Specification, specification: Specification, source: Source, settings: EstimationSettings
) -> ParameterTest | None:
    """The hypothesis that makes `specification` the `restricted` one by fixing or equating free parameters.

    Wald's test rests on the free model alone, the score test on the restricted one (Buse 1982). None where one of the
    models cannot be estimated, or where the second has no fewer parameters.
    """
    free, bound = quick_fit(specification, source, settings), quick_fit(restricted, source, settings)
    if free is None or bound is None or [t.observed for t in free.tables] != [t.observed for t in bound.tables]:
        return None
    df = free.estimation.model.n_free - bound.estimation.model.n_free
    if df <= 0:
        return None
    values = _padded(free, bound)
    gap, contrast = _contrast(free, bound)
    wald = None
    middle = contrast @ free.estimation.covariance @ contrast.T
    inverse = guarded_inverse(middle)
    if not np.isnan(inverse).any():
        wald = float(gap @ inverse @ gap)
    model, discrepancy = free.estimation.model, free.estimation.discrepancy
    _, gradient = discrepancy.evaluate(model, values[None], ONLY)
    bread = guarded_inverse(discrepancy.score_curvature(model, values))
    score = None
    if not np.isnan(bread).any() and free.ready.estimator.score_tests:
        score = float(free.estimation.point.multiplier * gradient[0] @ bread @ gradient[0] / 2)
    return ParameterTest(
        df,
        wald,
        None if wald is None else chi_square_p(wald, df),
        score,
        None if score is None else chi_square_p(score, df),
        _tested(bound, free, values),
    )


def _contrast(free: Quick, bound: Quick) -> tuple[Array, Array]:
    """What the restricted model asks of the free values: R θ − r = 0, as the gap at the estimates and R (d, q)."""
    place = {p.key: p for p in bound.parameters}
    theta = free.estimation.solution.theta
    rows, gaps = [], []
    first: dict[int, int] = {}
    for parameter in free.parameters:
        other = place.get(parameter.key)
        if parameter.index is None or other is None:
            continue
        row = np.zeros(theta.size)
        row[parameter.index] = 1.0
        if other.index is None:
            rows.append(row)
            gaps.append(theta[parameter.index] - (other.value or 0.0))
        elif other.index in first and first[other.index] != parameter.index:
            row[first[other.index]] -= 1.0
            rows.append(row)
            gaps.append(theta[parameter.index] - theta[first[other.index]])
        else:
            first.setdefault(other.index, parameter.index)
    return np.array(gaps), np.array(rows).reshape(len(gaps), theta.size)
