"""A model of several blocks over the same free values: what is joined, against blocks by themselves and against definitions."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np
import pytest

from dusk_arrow.core.covariance.bootstrapping import BootstrapTask, prepare, run_samples
from dusk_arrow.core.covariance.compiled import Joined, lay_out_all
from dusk_arrow.core.covariance.estimation import Estimation, discrepancy_of, estimate, identification
from dusk_arrow.core.covariance.estimators.registry import ESTIMATORS
from dusk_arrow.core.covariance.global_fit import assess_model
from dusk_arrow.core.covariance.local_fit import standardized_residuals
from dusk_arrow.core.covariance.modification import extend, modification_indices, tied
from dusk_arrow.core.covariance.parameters import Parameter, ParameterTable, compile_model, over_one_theta
from dusk_arrow.core.covariance.statistics import Inquiry, delta_errors, statistics
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.evidence import CompleteCases, Evidence
from dusk_arrow.core.resampling.draws import (
    Chunk,
    FromCases,
    FromModel,
    MembershipPermuted,
    chunks_leaving_one_out,
    chunks_of,
)
from tests.core.populations import (
    THREE,
    Population,
    case_evidence,
    matrix_evidence,
    model_of,
    population,
    random_population,
    table_of,
)

WAYS = [
    ("ml", "expected", {}),
    ("ml", "satorra-bentler", {}),
    ("ml", "sandwich", {}),
    ("ml", "observed", {"missing": "full-information"}),
    ("ml", "sandwich", {"missing": "full-information"}),
    ("gls", "expected", {}),
    ("gls", "satorra-bentler", {}),
    ("uls", "expected", {}),
    ("uls", "sandwich", {}),
    ("adf", "expected", {}),
]
IDS = [" ".join([estimator, errors, *how.values()]) for estimator, errors, how in WAYS]
TWO = "A shows in a1, a2, a3\nB shows in b1, b2, b3\nA leads to B"


def loadings_alike(parameter: Parameter) -> bool:
    return parameter.kind == "loading"


def cases(table: ParameterTable, seed: int, n: int, holes: bool = False) -> Array:
    truth = random_population(
        replace(table, parameters=tuple(p for p in table.parameters if p.matrix[-4:] != "cept")), 3
    )
    values = np.random.default_rng(seed).multivariate_normal(np.full(len(table.observed), 2.0), truth.covariance, n)
    if holes:
        values[np.random.default_rng(seed + 1).random(values.shape) < 0.05] = np.nan
    return values


def two_groups(how: dict[str, str], seed: int = 1) -> tuple[ParameterTable, list[Evidence]]:
    means = "missing" in how
    table = compile_model(model_of(TWO), "marker", means)
    plain = compile_model(model_of(TWO))
    return table, [case_evidence(cases(plain, seed + k, n, means), **how) for k, n in enumerate((260, 410))]


@pytest.mark.parametrize(("estimator", "errors", "how"), WAYS, ids=IDS)
def test_blocks_that_share_nothing_are_as_by_themselves(estimator: str, errors: str, how: dict[str, str]) -> None:
    """Joined without an equality every estimate and error is that of the group alone, and tests, their scaling and baselines add up: what
    a group says must not depend on who stands beside it."""
    table, evidence = two_groups(how)
    tables = over_one_theta({"one": table, "two": table})
    way = partial(estimate, estimator=ESTIMATORS[estimator], errors=errors)  # type: ignore[arg-type]
    whole = way(tables, evidence)
    parts = [way([table], [own]) for own in evidence]
    assert isinstance(whole.model, Joined)
    np.testing.assert_allclose(whole.point.theta, np.concatenate([p.point.theta for p in parts]), rtol=2e-5, atol=2e-5)
    if estimator != "uls":  # whose groups are then weighted by one common unit, which alone they have none
        q = parts[0].model.n_free
        np.testing.assert_allclose(whole.covariance[:q, :q], parts[0].covariance, rtol=1e-4, atol=1e-7)
        np.testing.assert_allclose(whole.covariance[q:, q:], parts[1].covariance, rtol=1e-4, atol=1e-7)
    np.testing.assert_allclose(whole.covariance[: parts[0].model.n_free, parts[0].model.n_free :], 0, atol=1e-9)
    assert whole.statistic == pytest.approx(sum(p.statistic for p in parts), rel=1e-5)
    assert whole.df == sum(p.df for p in parts)
    fit, each = assess_model(whole), [assess_model(p) for p in parts]
    assert fit.ground.baseline == pytest.approx(sum(own.ground.baseline for own in each), rel=1e-6)
    assert fit.ground.baseline_df == sum(own.ground.baseline_df for own in each)
    if fit.ground.likelihoods is not None:
        assert fit.ground.likelihoods[0] == pytest.approx(sum(own.ground.likelihoods[0] for own in each), rel=1e-7)
    n = [own.n for own in evidence]
    assert fit["srmr"] == pytest.approx(np.average([own["srmr"] or 0 for own in each], weights=n), rel=1e-4)
    if errors in ("sandwich", "satorra-bentler") and estimator in ("ml", "gls"):
        scaled = whole.estimator.scaled_test(whole.point, whole.df, whole.errors)
        alone = [p.estimator.scaled_test(p.point, p.df, p.errors) for p in parts]
        assert scaled is not None
        assert scaled.scaling_factor == pytest.approx(np.mean([own.scaling_factor for own in alone if own]), rel=1e-4)
        assert scaled.baseline_factor == pytest.approx(np.mean([own.baseline_factor for own in alone if own]), rel=1e-4)
    for block, own in zip(whole.point.blocks, parts, strict=True):
        ours, theirs = standardized_residuals(whole, block), standardized_residuals(own, own.point.blocks[0])
        assert (ours is None) == (theirs is None)
        if ours is not None and theirs is not None:
            np.testing.assert_allclose(ours, theirs, rtol=2e-3, atol=2e-3)


def joined_population(
    seed: int, alike: tuple[str, ...] = ("loading",)
) -> tuple[tuple[ParameterTable, ...], list[Population], Array]:
    """Two groups with equal loadings and everything else their own: tables, populations, and the free values that made them."""
    table = table_of(THREE)
    tables = over_one_theta({"one": table, "two": table}, lambda p: p.kind in alike)
    first, second = random_population(table, seed), random_population(table, seed + 1)
    shared = {p.words for p in table.parameters if p.kind in alike}
    second = population(table, {**second.values, **{word: first.values[word] for word in shared}})
    theta = np.zeros(lay_out_all(tables).n_free)
    for own, truth in zip(tables, (first, second), strict=True):
        for p in own.parameters:
            if p.index is not None:
                theta[p.index] = truth.values[p.words]
    return tables, [first, second], theta


@pytest.mark.parametrize("estimator", ["ml", "gls", "uls"])
def test_an_exact_population_of_two_groups_comes_back(estimator: str) -> None:
    """Equal loadings made both; the estimates return them to 1e-6 and nothing is left to test."""
    tables, truths, theta = joined_population(5)
    evidence = [matrix_evidence(truth.covariance, n) for truth, n in zip(truths, (300, 700), strict=True)]
    assert identification(tables) == []
    found = estimate(tables, evidence, ESTIMATORS[estimator])
    np.testing.assert_allclose(found.point.theta, theta, atol=1e-6)
    assert found.statistic == pytest.approx(0, abs=1e-6)
    assert found.df == 2 * 45 - theta.size == 2 * 24 + 6


def test_discrepancies_are_weighed_by_their_cases_and_derivatives_hold() -> None:
    """F is Σ n_g F_g / N written out, and its slopes are those of differences; a shared loading is pulled by both groups."""
    tables, truths, theta = joined_population(8)
    evidence = [matrix_evidence(truth.covariance * 1.1, n) for truth, n in zip(truths, (300, 700), strict=True)]
    model, at = lay_out_all(tables), np.zeros(1, dtype=np.intp)
    discrepancy = discrepancy_of(model, evidence, ESTIMATORS["ml"])
    theta = theta * np.random.default_rng(1).uniform(0.9, 1.1, theta.size)
    value, gradient = discrepancy.evaluate(model, theta[None], at)
    parts = [
        discrepancy_of(block, [own], ESTIMATORS["ml"]).evaluate(block, theta[None], at)[0][0]
        for block, own in zip(model.blocks, evidence, strict=True)
    ]
    assert value[0] == pytest.approx(0.3 * parts[0] + 0.7 * parts[1], rel=1e-12)
    step, same = 1e-6, np.zeros(theta.size, dtype=np.intp)
    ahead, behind = (discrepancy.evaluate(model, theta + sign * step * np.eye(theta.size), same) for sign in (1, -1))
    np.testing.assert_allclose(gradient[0], (ahead[0] - behind[0]) / (2 * step), atol=1e-6)
    np.testing.assert_allclose(
        discrepancy.exact(model, theta, 0), (ahead[1] - behind[1]) / (2 * step), atol=1e-5, rtol=1e-5
    )


def test_the_same_cases_twice_over_are_one_group_of_both() -> None:
    """Two groups with the same moments and everything equal are one group: no group means one block, and one block means no group."""
    table, (evidence, _) = two_groups({})
    alike = over_one_theta({"one": table, "two": table}, lambda _: True)
    both = estimate(alike, [evidence, evidence])
    alone = estimate([table], [evidence])
    np.testing.assert_allclose(both.point.theta, alone.point.theta, rtol=1e-6, atol=1e-8)
    np.testing.assert_allclose(both.covariance, alone.covariance / 2, rtol=1e-5)
    assert both.statistic == pytest.approx(2 * alone.statistic, rel=1e-7)
    assert assess_model(both)["rmsea"] is not None


def test_a_parameter_held_in_one_group_holds_what_is_equal_to_it() -> None:
    """Equality carries a fixed value over, also through another equality within the group."""
    free = table_of(TWO + "\nmatch A > a2, B > b2")
    held = table_of(TWO + "\nhold A > a2 at 0.8")
    tables = over_one_theta({"one": held, "two": free}, loadings_alike)
    values = {p.words: (p.value, p.index) for p in tables[1].parameters if p.kind == "loading"}
    assert values["A → a2"] == (0.8, None)
    assert values["B → b2"] == (0.8, None)
    assert values["A → a3"][1] == {p.words: p.index for p in tables[0].parameters}["A → a3"]
    indices = sorted({p.index for table in tables for p in table.parameters if p.index is not None})
    assert indices == list(range(len(indices)))
    assert {p.key.group for p in tables[1].parameters} == {"two"}


@pytest.mark.parametrize("estimator", ["ml", "gls", "uls"])
def test_score_tests_across_groups_are_quadratic_forms_of_the_whole_gradient(estimator: str) -> None:
    """Releasing an equality across groups, or freeing a cross-loading in one of them: the index is g²/(2H) with g by differences and H
    from the whole expected curvature."""
    table, evidence = two_groups({})
    tables = over_one_theta({"one": table, "two": table}, loadings_alike)
    found = estimate(tables, evidence, ESTIMATORS[estimator])
    listed = {m.key: m for m in modification_indices(found, least=0.0)}
    released = [m.key for m in listed.values() if m.release]
    assert sorted(key.words for key in released) == ["A → a2", "A → a3", "B → b2", "B → b3"]
    assert {p.group for p in tied(tables)} == {"two"}, "of two equal parameters only the second"
    crossed = next(key for key in listed if key.kind == "loading" and key.words == "A → b2" and key.group == "two")
    if estimator == "uls":
        return  # scores of ULS have variances of their own, tested where there is one group
    extra = Parameter("loading", "A", "b2", "loading", table.observed.index("b2"), table.nodes.index("A"), group="two")
    model, theta = extend(tables, [extra]), np.append(found.point.theta, 0.0)
    at = np.zeros(1, dtype=np.intp)
    step = np.zeros(theta.size)
    step[-1] = 1e-6
    values = [found.discrepancy.evaluate(model, (theta + sign * step)[None], at)[0][0] for sign in (1, -1)]
    gradient = (values[0] - values[1]) / 2e-6
    curvature = found.discrepancy.curvature(model, theta[None], at)[0]
    left = 1 / np.linalg.inv(curvature)[-1, -1]
    assert listed[crossed].index == pytest.approx(670 * gradient**2 / (2 * left), rel=1e-3)
    assert listed[crossed].expected_change == pytest.approx(-gradient / left, rel=1e-3)


def inquiries(found: Estimation) -> tuple[Inquiry, ...]:
    return tuple(Inquiry(block) for block in found.model.blocks)


def test_statistics_have_their_group_and_errors_of_shared_values_are_shared() -> None:
    """The same statistic stands once for each group, and a loading that both share has one error in both."""
    table, evidence = two_groups({})
    tables = over_one_theta({"one": table, "two": table}, loadings_alike)
    found = estimate(tables, evidence)
    all_of = statistics(inquiries(found), found.point.theta, [own.covariance for own in evidence])
    for group, own in zip(("one", "two"), evidence, strict=True):
        alone = own.covariance[:3, :3]
        assert all_of.value("alpha", "A", group=group) == pytest.approx(1.5 * (1 - np.trace(alone) / alone.sum()))
    errors = delta_errors(inquiries(found), found.point.theta, found.covariance)
    keys = [p.key for t in tables for p in t.parameters if p.words == "A → a2"]
    assert [key.group for key in keys] == ["one", "two"]
    assert errors.value("estimate", keys[0]) == errors.value("estimate", keys[1]) > 0
    assert all_of.value("ave", "A", group="one") != all_of.value("ave", "A", group="two")


def test_resamples_are_drawn_within_their_group_and_solved_together() -> None:
    """Each resample keeps the groups' sizes, and its estimates are those of the two resampled groups fitted anew."""
    table, evidence = two_groups({})
    tables = over_one_theta({"one": table, "two": table}, loadings_alike)
    found = estimate(tables, evidence)
    draws = FromCases(tuple(own for own in evidence if isinstance(own, CompleteCases)))
    prepared = prepare(BootstrapTask(inquiries(found), found, draws))
    (chunk,) = chunks_of(12, 4)
    samples = prepared.draw(chunk)
    result = run_samples(prepared, samples)
    assert (result.failed, len(result.statistics)) == (0, 12)
    for k in (0, 5, 11):
        again = estimate(
            tables, [matrix_evidence(s.covariances[k], own.n) for s, own in zip(samples, evidence, strict=True)]
        )
        expected = statistics(inquiries(again), again.point.theta, [s.covariances[k] for s in samples])
        np.testing.assert_allclose(result.statistics[k], expected.values, atol=2e-5, rtol=2e-5)


def test_what_is_drawn() -> None:
    """Cases within groups; one case left out of all; membership dealt out anew with sizes kept, which changes no pooled mean; and
    samples of a model, whose covariances are its own on average. All of them the same however many go together."""
    rng = np.random.default_rng(3)
    sizes, values = (40, 25), rng.normal(size=(65, 3))
    groups = tuple(case_evidence(part) for part in np.split(values, [40]))
    kept = FromCases(groups)  # type: ignore[arg-type]
    assert kept.n == 65
    (chunk,) = chunks_leaving_one_out(65, 65)
    left = kept.prepared()(chunk)
    np.testing.assert_allclose(left[0].means[3], np.delete(values[:40], 3, axis=0).mean(axis=0))  # type: ignore[index]
    np.testing.assert_allclose(left[1].means[3], values[40:].mean(axis=0))  # type: ignore[index]
    np.testing.assert_allclose(left[1].means[50], np.delete(values[40:], 10, axis=0).mean(axis=0))  # type: ignore[index]
    pooled = case_evidence(values)
    permuted = MembershipPermuted(pooled, sizes)  # type: ignore[arg-type]
    drawn = permuted.prepared()(chunks_of(300, 5)[0])
    both = (40 * drawn[0].means + 25 * drawn[1].means) / 65  # type: ignore[operator]
    np.testing.assert_allclose(both, np.tile(values.mean(axis=0), (300, 1)), atol=1e-12)
    apart = drawn[0].means - drawn[1].means  # type: ignore[operator]
    spread = values.var(axis=0, ddof=1) * (1 / 40 + 1 / 25)
    np.testing.assert_allclose(apart.var(axis=0), spread, rtol=0.25)
    truth = random_population(table_of(TWO), 2).covariance
    model = FromModel((truth, 2 * truth), (np.arange(6.0), np.zeros(6)), (300, 200), 1)
    made = [model.prepared()(chunk) for chunk in chunks_of(200, 6, 64)]
    for which, (expected, n) in enumerate(((truth, 300), (2 * truth, 200))):
        covariances = np.concatenate([own[which].covariances for own in made])
        error = np.sqrt((np.outer(np.diag(expected), np.diag(expected)) + expected**2) / n / 200)
        assert np.abs((covariances.mean(axis=0) - expected) / error).max() < 4.5
    for draws in (kept, permuted, model):
        draw = draws.prepared()  # type: ignore[attr-defined]
        for a, b in zip(_all(draw, chunks_of(300, 7)), _all(draw, chunks_of(300, 7, 16)), strict=True):
            np.testing.assert_allclose(a, b, rtol=1e-9, atol=1e-12)


def _all(draw: object, chunks: list[Chunk]) -> list[Array]:
    parts = [draw(chunk) for chunk in chunks]  # type: ignore[operator]
    return [np.concatenate([part[k].covariances for part in parts]) for k in range(2)]
