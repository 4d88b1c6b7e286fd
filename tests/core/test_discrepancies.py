"""GLS, ULS, ADF and full information against their definitions written out, exact populations and equivalences."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy import stats

from dusk_arrow.core.covariance.compiled import Block, lay_out
from dusk_arrow.core.covariance.discrepancies.discrepancy import Discrepancy
from dusk_arrow.core.covariance.estimation import Estimation, discrepancy_of, estimate
from dusk_arrow.core.covariance.estimators.estimator import Estimator
from dusk_arrow.core.covariance.estimators.registry import ESTIMATORS
from dusk_arrow.core.covariance.global_fit import assess_model
from dusk_arrow.core.covariance.implied import implied, implied_means, matrices
from dusk_arrow.core.covariance.local_fit import standardized_residuals
from dusk_arrow.core.covariance.modification import candidates, extend, modification_indices
from dusk_arrow.core.covariance.moment_layout import MomentLayout, jacobian, layout_of
from dusk_arrow.core.covariance.parameters import ParameterTable, compile_model, independence_table
from dusk_arrow.core.covariance.statistics import Inquiry, model_statistics
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.evidence import Evidence
from tests.core.populations import (
    EQUAL,
    FORMATIVE,
    MIXED,
    ONLY,
    THREE,
    case_evidence,
    fit_cases,
    fit_matrix,
    free_words,
    model_of,
    on_cases,
    only,
    random_population,
    table_of,
)

SOME = {"three": THREE, "formative": FORMATIVE, "mixed": MIXED, "equality": EQUAL}
ORIGIN = THREE + "\nhold intercept of a1 at 0\nmatch intercept of b1, intercept of b2"


def with_means(text: str) -> ParameterTable:
    return compile_model(model_of(text), "marker", True)


def rows_of(table: ParameterTable, seed: int, n: int, exact: bool = False) -> Array:
    """Cases of a population; `exact` turns them so that their covariance matrix is the population's."""
    truth = random_population(table_of_same(table), seed)
    rng = np.random.default_rng(seed)
    rows = rng.multivariate_normal(np.zeros(len(truth.covariance)), truth.covariance, n)
    if exact:
        rows = rows - rows.mean(axis=0)
        root = np.linalg.cholesky(np.cov(rows.T, ddof=0))
        rows = rows @ np.linalg.inv(root).T @ np.linalg.cholesky(truth.covariance).T
    return rows


def table_of_same(table: ParameterTable) -> ParameterTable:
    kept = tuple(p for p in table.parameters if p.matrix not in ("intercept", "mean"))
    return replace(table, parameters=kept)


def holes(values: Array, seed: int, share: float = 0.15) -> Array:
    """Answers missing at random: where the first column is high the others are missing more often."""
    rng = np.random.default_rng(seed)
    gone = rng.random(values.shape) < share * (1 + (values[:, :1] > 0))
    gone[:, 0] = False
    return np.where(gone, np.nan, values)


def evidence_for(kind: str, values: Array) -> tuple[Evidence, Estimator]:
    if kind == "full-information":
        return case_evidence(holes(values, 1), missing="full-information"), ESTIMATORS["ml"]
    shift = 1.5 if kind == "ml with means" else 0.5
    return case_evidence(values + shift), ESTIMATORS[kind.partition(" with ")[0]]


def discrepancy_for(kind: str, model: Block, values: Array) -> Discrepancy:
    evidence, estimator = evidence_for(kind, values)
    return discrepancy_of(model, [evidence], estimator)


KINDS = ["ml", "gls", "uls", "adf", "full-information", "ml with means", "gls with means", "adf with means"]


@pytest.mark.parametrize("text", [*SOME.values(), ORIGIN], ids=[*SOME, "origin"])
@pytest.mark.parametrize("kind", KINDS)
def test_derivatives_of_every_discrepancy(kind: str, text: str) -> None:
    """Gradient and second derivatives against differences: a slip here is a wrong estimate that looks right."""
    modelled = "means" in kind or kind == "full-information"
    if text == ORIGIN and not modelled:
        pytest.skip("intercepts need means")
    table = with_means(text) if modelled else table_of(text)
    values = rows_of(table, 3, 400)
    model = lay_out(table)
    discrepancy = discrepancy_for(kind, model, values)
    rng = np.random.default_rng(2)
    truth = random_population(table_of_same(table), 3).values
    theta = np.array([truth.get(w, 0.4) for w in free_words(table)]) * rng.uniform(0.9, 1.1, table.n_free)
    step, same = 1e-6, np.zeros(theta.size, dtype=np.intp)
    _, gradient = discrepancy.evaluate(model, theta[None], ONLY)
    ahead = discrepancy.evaluate(model, theta + step * np.eye(theta.size), same)
    behind = discrepancy.evaluate(model, theta - step * np.eye(theta.size), same)
    np.testing.assert_allclose(gradient[0], (ahead[0] - behind[0]) / (2 * step), atol=1e-6, rtol=1e-4)
    slopes = (ahead[1] - behind[1]) / (2 * step)
    np.testing.assert_allclose(discrepancy.exact(model, theta, 0), slopes, atol=2e-5, rtol=1e-4)


@pytest.mark.parametrize("text", SOME.values(), ids=SOME)
@pytest.mark.parametrize("kind", ["gls", "uls", "adf", "ml with means", "gls with means"])
def test_exact_populations_come_back(kind: str, text: str) -> None:
    """Every estimator returns the parameters that made the moments, and has nothing left to explain."""
    table = with_means(text) if "means" in kind else table_of(text)
    values = rows_of(table, 5, 600, exact=True)
    evidence, estimator = evidence_for(kind, values)
    found = estimate([table], [evidence], estimator)
    assert found.solution.converged
    assert found.statistic == pytest.approx(0, abs=1e-6)
    truth = random_population(table_of_same(table), 5).values
    for word, value in zip(free_words(table), found.solution.theta, strict=True):
        if word in truth:
            assert value == pytest.approx(truth[word], abs=1e-6)


def written_out(found: Estimation, weight: Array) -> tuple[Array, Array, Array]:
    """Δ, V = ½Dᵀ(W⊗W)D and Γ of normal data at the implied covariances, as the papers define them."""
    p = len(only(found).covariance)
    rows, columns = np.tril_indices(p)
    duplication = np.zeros((p * p, rows.size))
    for k, (i, j) in enumerate(zip(rows, columns, strict=True)):
        duplication[i * p + j, k] = duplication[j * p + i, k] = 1.0
    left = np.linalg.pinv(duplication)
    gamma = 2 * left @ np.kron(only(found).covariance, only(found).covariance) @ left.T
    v = 0.5 * duplication.T @ np.kron(weight, weight) @ duplication
    return jacobian(found.model, found.solution.theta), v, gamma


@pytest.mark.parametrize("estimator", ["gls", "uls", "ml"])
def test_errors_and_residuals_by_definition(estimator: str) -> None:
    """(ΔᵀVΔ)⁻¹, its sandwich for ULS, the errors of residuals, and Browne's test, from whole matrices."""
    table = table_of(THREE)
    values = rows_of(table, 8, 350)
    found = fit_cases(table, values, estimator)
    sample = only(found).evidence.covariance
    weight = {"gls": np.linalg.inv(sample), "uls": np.eye(9), "ml": np.linalg.inv(only(found).covariance)}[estimator]
    delta, v, gamma = written_out(found, weight)
    bread = np.linalg.inv(delta.T @ v @ delta)
    middle = delta.T @ v @ gamma @ v @ delta if estimator == "uls" else np.linalg.inv(bread)
    np.testing.assert_allclose(found.covariance, bread @ middle @ bread / 350, rtol=1e-6, atol=1e-10)
    rows, columns = np.tril_indices(9)
    gap = (sample - only(found).covariance)[rows, columns]
    away = np.eye(rows.size) - delta @ bread @ delta.T @ v
    variance = np.diag(away @ gamma @ away.T) / 350
    ours = standardized_residuals(found, only(found))
    assert ours is not None
    clear = variance * 350 > 1e-6
    np.testing.assert_allclose(ours[rows, columns][clear], gap[clear] / np.sqrt(variance[clear]), rtol=1e-4, atol=1e-6)
    if estimator == "uls":
        inner = np.linalg.inv(gamma)
        rest = inner - inner @ delta @ np.linalg.inv(delta.T @ inner @ delta) @ delta.T @ inner
        assert found.statistic == pytest.approx(350 * gap @ rest @ gap, rel=1e-6)
        real = MomentLayout(9, False).covariance_of_moments(values)
        robust = fit_cases(table, values, estimator, "sandwich")
        middle = delta.T @ v @ real @ v @ delta
        np.testing.assert_allclose(robust.covariance, bread @ middle @ bread / 350, rtol=1e-6, atol=1e-10)
        inner = np.linalg.inv(real)
        rest = inner - inner @ delta @ np.linalg.inv(delta.T @ inner @ delta) @ delta.T @ inner
        assert robust.statistic == pytest.approx(350 * gap @ rest @ gap, rel=1e-6)


def test_discrepancies_by_definition() -> None:
    """F of GLS, ULS and ADF at their solutions, computed a second time from the formulas; GFI from the same weights."""
    table = table_of(THREE)
    values = rows_of(table, 9, 500)
    for estimator in ("gls", "uls", "adf"):
        found = fit_cases(table, values, estimator)
        evidence = only(found).evidence
        gap = evidence.covariance - only(found).covariance
        rows, columns = np.tril_indices(9)
        if estimator == "adf":
            inverse = np.linalg.inv(MomentLayout(9, False).covariance_of_moments(values))
            value = gap[rows, columns] @ inverse @ gap[rows, columns]
            gfi = 1 - value / (evidence.covariance[rows, columns] @ inverse @ evidence.covariance[rows, columns])
        else:
            weight = np.linalg.inv(evidence.covariance) if estimator == "gls" else np.eye(9)
            value = 0.5 * np.trace(weight @ gap @ weight @ gap)
            whole = np.trace(weight @ evidence.covariance @ weight @ evidence.covariance)
            gfi = 1 - 2 * value / whole
        assert found.solution.discrepancy == pytest.approx(value, rel=1e-9)
        fit = assess_model(found)
        assert fit["gfi"] == pytest.approx(gfi, rel=1e-9)
        assert (fit["aic"], fit["bic"], fit.ground.likelihoods) == (None, None, None)
        if estimator != "uls":
            assert fit.chi_square == pytest.approx(500 * value, rel=1e-9)


@pytest.mark.parametrize("estimator", ["gls", "adf", "uls"])
def test_baseline_is_the_fit_of_uncorrelated_variables(estimator: str) -> None:
    """The closed forms against fitting that model itself."""
    table = table_of(THREE)
    values = rows_of(table, 10, 500)
    alone = independence_table(table.observed)
    alone = replace(alone, parameters=tuple(p for p in alone.parameters if p.matrix != "mean"))
    found = fit_cases(table, values, estimator)
    assert assess_model(found).ground.baseline == pytest.approx(fit_cases(alone, values, estimator).statistic, rel=1e-6)


def case_log_likelihood(values: Array, mean: Array, covariance: Array) -> float:
    """The log-likelihood of incomplete cases, one case at a time."""
    total = 0.0
    for row in values:
        there = ~np.isnan(row)
        if there.any():
            inner = covariance[np.ix_(there, there)]
            total += float(stats.multivariate_normal(mean[there], inner).logpdf(row[there]))
    return total


def test_full_information_is_the_likelihood_of_every_case() -> None:
    """logL of model and saturated model against a plain loop; both are maxima."""
    table = with_means(THREE)
    values = holes(rows_of(table, 12, 250), 4)
    evidence = case_evidence(values, missing="full-information")
    found = estimate([table], [evidence], ESTIMATORS["ml"], "observed")
    assert only(found).means is not None
    assert evidence.means is not None
    both = found.estimator.log_likelihoods(found.point)
    assert both is not None
    assert both[0] == pytest.approx(case_log_likelihood(values, only(found).means, only(found).covariance), abs=1e-6)
    assert both[1] == pytest.approx(case_log_likelihood(values, evidence.means, evidence.covariance), abs=1e-6)
    assert found.statistic == pytest.approx(2 * (both[1] - both[0]), abs=1e-6)
    rng = np.random.default_rng(0)
    for _ in range(5):
        theta = found.solution.theta + 0.02 * rng.standard_normal(found.solution.theta.size)
        parts = matrices(found.model, theta)
        moved = implied(parts)
        assert case_log_likelihood(values, implied_means(parts, moved)[0], moved.covariance) < both[0]
    alone = sum(float(stats.norm(np.nanmean(v), np.nanstd(v)).logpdf(v[~np.isnan(v)]).sum()) for v in values.T)
    fit = assess_model(found)
    assert fit.ground.baseline == pytest.approx(2 * (both[1] - alone), abs=1e-6)
    assert fit.ground.n_parameters == table.n_free


def test_full_information_without_gaps_is_maximum_likelihood_with_means() -> None:
    """No missing answer, no difference: estimates, errors, χ², scaled test."""
    values = rows_of(table_of(THREE), 13, 300) + 2.0
    table = with_means(THREE)
    plain = fit_matrix(table_of(THREE), np.cov(values.T, ddof=0), 300, "observed")
    found = fit_cases(table, values, "ml", "observed", missing="full-information")
    words = free_words(table)
    for word, value in zip(free_words(table_of(THREE)), plain.solution.theta, strict=True):
        assert found.solution.theta[words.index(word)] == pytest.approx(value, abs=1e-6)
    assert found.statistic == pytest.approx(plain.statistic, abs=1e-6)
    q = table_of(THREE).n_free
    np.testing.assert_allclose(found.covariance[:q, :q], plain.covariance, rtol=1e-5, atol=1e-9)
    for errors in ("sandwich", "satorra-bentler"):
        first = found.estimator.scaled_test(found.point, 24, errors)  # type: ignore[arg-type]
        second = plain.estimator.scaled_test(on_cases(plain, values), 24, errors)  # type: ignore[arg-type]
        assert first is not None
        assert second is not None
        assert first.scaling_factor == pytest.approx(second.scaling_factor, rel=1e-6)
        assert first.baseline_factor == pytest.approx(second.baseline_factor, rel=1e-6)


def test_yuan_bentler_for_incomplete_cases_joins_the_complete_one() -> None:
    """One gap in hundreds of cases hardly moves the factor, and on normal data it is about one."""
    values = rows_of(table_of(THREE), 14, 500)
    table = with_means(THREE)
    complete = case_evidence(values)
    gap = values.copy()
    gap[0, 8] = np.nan
    nearly = case_evidence(gap, missing="full-information")
    factors = []
    for evidence in (complete, nearly):
        found = estimate([table], [evidence], ESTIMATORS["ml"], "sandwich")
        test = found.estimator.scaled_test(found.point, 24, "sandwich")
        assert test is not None
        factors.append((test.scaling_factor, test.baseline_factor))
    np.testing.assert_allclose(factors[0], factors[1], rtol=0.01)
    many = case_evidence(holes(rows_of(table_of(THREE), 15, 4000), 3), missing="full-information")
    found = estimate([table], [many], ESTIMATORS["ml"], "sandwich")
    test = found.estimator.scaled_test(found.point, 24, "sandwich")
    assert test is not None
    assert test.scaling_factor == pytest.approx(1, abs=0.06)


def test_answers_missing_at_random_do_no_harm_under_full_information() -> None:
    """Where high scorers skip answers, deletion is biased and full information is not."""
    table = with_means("x leads to y")
    rng = np.random.default_rng(3)
    x = rng.standard_normal(40_000)
    y = 1 + 0.5 * x + rng.standard_normal(x.size)
    rows = np.column_stack([x, np.where(x > 0.3, np.where(rng.random(x.size) < 0.7, np.nan, y), y)])
    order = [table.observed.index(name) for name in ("x", "y")]
    values = np.empty_like(rows)
    values[:, order] = rows
    found = estimate([table], [case_evidence(values, missing="full-information")])
    means = only(found).means
    assert means is not None
    assert means[order[1]] == pytest.approx(1.0, abs=0.03)
    listwise = case_evidence(values)
    assert listwise.means is not None
    assert abs(listwise.means[order[1]] - 1.0) > 0.1


def test_intercepts_that_are_fixed_or_equal_cost_degrees_of_freedom() -> None:
    """The mean structure is a hypothesis like any other, and χ² knows it."""
    values = rows_of(table_of(THREE), 16, 300)
    table = with_means(ORIGIN)
    found = fit_cases(table, values)
    plain = fit_cases(with_means(THREE), values)
    assert found.df == 24 + 2
    assert found.statistic > plain.statistic
    away = fit_cases(table, values + np.eye(9)[0] * 3)
    assert away.statistic > found.statistic + 100


@pytest.mark.parametrize("kind", ["gls", "adf", "full-information", "uls"])
def test_modification_indices_of_every_estimator(kind: str) -> None:
    """g²/(2H) with the score from differences of F and the curvature of the freed model."""
    modelled = kind == "full-information"
    table = with_means(EQUAL) if modelled else table_of(EQUAL)
    values = rows_of(table, 17, 600)
    evidence, estimator = evidence_for(kind, values)
    found = estimate([table], [evidence], estimator)
    theta, n = found.solution.theta, evidence.multiplier
    listed = {(m.key.words, m.release): m for m in modification_indices(found, least=0.0)}
    for parameter in candidates(table)[::3]:
        model = extend([table], [parameter])
        at = np.append(theta, parameter.value or 0.0)
        _, gradient = found.discrepancy.evaluate(model, at[None], ONLY)
        curvature = (
            found.discrepancy.exact(model, at, 0) if modelled else found.discrepancy.curvature(model, at[None], ONLY)[0]
        )
        if np.linalg.cond(curvature) > 1e7:
            continue
        left = 1 / np.linalg.inv(curvature)[-1, -1]
        entry = listed[(parameter.words, False)]
        assert entry.expected_change == pytest.approx(-gradient[0, -1] / left, rel=1e-3, abs=1e-7)
        if kind != "uls":
            assert entry.index == pytest.approx(n * gradient[0, -1] ** 2 / (2 * left), rel=1e-3, abs=1e-6)
    release = listed[("B → b2", True)]
    apart = EQUAL.replace("match A > a2, B > b2\n", "")
    other = with_means(apart) if modelled else table_of(apart)
    freed = estimate([other], [evidence], estimator)
    place = {p.words: p.index for p in other.parameters}
    gap = freed.solution.theta[place["B → b2"]] - freed.solution.theta[place["A → a2"]]
    assert release.expected_change == pytest.approx(gap, rel=0.3, abs=0.02)
    if kind != "uls":
        assert release.index == pytest.approx(found.statistic - freed.statistic, rel=0.25, abs=0.1)


def test_adf_on_normal_data_agrees_with_maximum_likelihood() -> None:
    """With many cases both weigh the moments alike."""
    values = rows_of(table_of(THREE), 18, 20_000)
    table = table_of(THREE)
    first = fit_cases(table, values, "adf")
    second = fit_matrix(table, np.cov(values.T, ddof=0), 20_000)
    errors = np.sqrt(np.diag(second.covariance))
    np.testing.assert_allclose(first.solution.theta, second.solution.theta, atol=0.35 * errors.max())
    np.testing.assert_allclose(np.sqrt(np.diag(first.covariance)), errors, rtol=0.06)
    assert first.statistic == pytest.approx(second.statistic, rel=0.15)


def test_one_sample_equals_one_of_a_batch() -> None:
    """Every discrepancy gives a member of a batch what it gives it alone."""
    table = with_means(THREE)
    model = lay_out(table)
    values = holes(rows_of(table, 19, 200), 5)
    evidence = case_evidence(values, missing="full-information")
    counts = np.random.default_rng(1).multinomial(200, np.full(200, 1 / 200), 3).astype(float)
    ml = ESTIMATORS["ml"]
    batch, _ = ml.discrepancy(evidence.resampling()(counts), layout_of(model))
    theta = np.tile(estimate([table], [evidence]).solution.theta, (3, 1))
    value, gradient = batch.evaluate(model, theta, np.arange(3))
    for i in range(3):
        single = case_evidence(np.repeat(values, counts[i].astype(int), axis=0), missing="full-information")
        own, slope = discrepancy_of(model, [single], ml).evaluate(model, theta[:1], ONLY)
        assert value[i] == pytest.approx(own[0], abs=2e-6)
        np.testing.assert_allclose(gradient[i], slope[0], atol=1e-8)


@pytest.mark.parametrize("kind", ["ml", "gls", "adf", "full-information", "ml with means"])
def test_units_order_of_cases_and_scaling_change_no_standardized_figure(kind: str) -> None:
    """Grams or kilograms, this case first or that one, marker or unit variance: χ² and standardized loadings stay."""
    modelled = "means" in kind or kind == "full-information"
    values = rows_of(table_of(THREE), 23, 500)
    if kind == "full-information":
        values = holes(values, 9)
    how: dict[str, object] = {"missing": "full-information"} if kind == "full-information" else {}
    estimator = kind if kind in ("gls", "adf") else "ml"

    def standardized(rows: Array, scaling: str = "marker") -> tuple[Array, float]:
        table = compile_model(model_of(THREE), scaling, modelled)  # type: ignore[arg-type]
        found = fit_cases(table, rows, estimator, **how)
        assert found.solution.converged
        shown = model_statistics([Inquiry(found.model)], found.solution.theta).of("standardized")
        loadings = [shown[i] for i, p in enumerate(table.parameters) if p.kind in ("loading", "path")]
        return np.array(loadings), found.statistic

    first, statistic = standardized(values)
    rng = np.random.default_rng(3)
    for other in (
        standardized(values * rng.uniform(0.1, 30, 9) + rng.uniform(-50, 50, 9)),
        standardized(values[rng.permutation(500)]),
        standardized(values, "unit-variance"),
    ):
        np.testing.assert_allclose(other[0], first, atol=2e-5)
        assert other[1] == pytest.approx(statistic, abs=1e-4)


def test_uls_depends_on_units_and_says_so_nowhere_else() -> None:
    """Unweighted least squares is the one estimator for which units matter; permuting cases still changes nothing."""
    values = rows_of(table_of(THREE), 24, 300)
    table = table_of(THREE)
    first = fit_cases(table, values, "uls")
    again = fit_cases(table, values[::-1], "uls")
    np.testing.assert_allclose(first.solution.theta, again.solution.theta, atol=1e-7)
    other = fit_cases(table, values * np.linspace(0.5, 9, 9), "uls")
    assert abs(other.statistic - first.statistic) > 1e-3
