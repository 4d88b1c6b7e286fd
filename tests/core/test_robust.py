"""Robust errors and tests against fourth moments written out, equivalences and simulation."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.stats import chi2

from dusk_arrow.core.assessment.criteria.criterion import Ground
from dusk_arrow.core.assessment.fit import FitTest, RobustFit, Traces, adjusted_test
from dusk_arrow.core.covariance.estimation import Estimation
from dusk_arrow.core.covariance.global_fit import assess_model, assess_tests
from dusk_arrow.core.covariance.implied import implied, implied_means, matrices
from dusk_arrow.core.covariance.parameters import ParameterTable, compile_model
from dusk_arrow.core.covariance.robust import casewise_scores
from dusk_arrow.core.observations.moments import covariance
from tests.core.populations import (
    EQUAL,
    FORMATIVE,
    THREE,
    fit_cases,
    fit_matrix,
    model_of,
    on_cases,
    only,
    random_population,
    table_of,
)

TEXTS = {"three constructs": THREE, "formative": FORMATIVE, "equality": EQUAL}


def skewed(table: ParameterTable, seed: int, n: int) -> np.ndarray:
    """Cases with the population's covariances but heavy, skewed tails."""
    truth = random_population(table, seed)
    rng = np.random.default_rng(seed)
    raw = (rng.chisquare(3, (n, len(truth.covariance))) - 3) / np.sqrt(6)
    return raw @ np.linalg.cholesky(truth.covariance).T


def mean_scaled(ground: Ground, factor: float, baseline_factor: float) -> tuple[FitTest, RobustFit]:
    """The mean-scaled test from its factors, and the robust statistics that stand beside it."""
    found = adjusted_test(
        "mean-scaled", ground, Traces(factor * ground.df), Traces(baseline_factor * ground.baseline_df)
    )
    assert found is not None
    assert found.robust is not None
    return found, found.robust


def pairs(p: int) -> tuple[np.ndarray, np.ndarray]:
    return np.tril_indices(p)


def written_out(
    found: Estimation, values: np.ndarray, inverse: np.ndarray | None = None
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Δ by differences, V from its definition through a duplication matrix, Γ from every case's products."""
    p = values.shape[1]
    rows, columns = pairs(p)
    theta = found.solution.theta
    step = 1e-6
    ahead = implied(matrices(found.model, theta + step * np.eye(theta.size))).covariance
    behind = implied(matrices(found.model, theta - step * np.eye(theta.size))).covariance
    delta = ((ahead - behind) / (2 * step))[:, rows, columns].T
    duplication = np.zeros((p * p, rows.size))
    for k, (i, j) in enumerate(zip(rows, columns, strict=True)):
        duplication[i * p + j, k] = duplication[j * p + i, k] = 1.0
    inverse = np.linalg.inv(only(found).covariance) if inverse is None else inverse
    weight = 0.5 * duplication.T @ np.kron(inverse, inverse) @ duplication
    centred = values - values.mean(axis=0)
    products = centred[:, rows] * centred[:, columns]
    gamma = np.cov(products.T, ddof=0)
    return delta, weight, gamma


@pytest.mark.parametrize("text", TEXTS.values(), ids=TEXTS.keys())
def test_satorra_bentler_against_its_definition(text: str) -> None:
    """Errors and scaling factor from Δ, V and Γ themselves, as in the paper."""
    table = table_of(text)
    values = skewed(table, 4, 300)
    n, p = values.shape
    covariance(values)
    found = fit_cases(table, values, errors="satorra-bentler")
    delta, weight, gamma = written_out(found, values)
    bread = np.linalg.inv(delta.T @ weight @ delta)
    expected = bread @ delta.T @ weight @ gamma @ weight @ delta @ bread / n
    np.testing.assert_allclose(found.covariance, expected, rtol=1e-4, atol=1e-9)
    df = p * (p + 1) // 2 - table.n_free
    residual = weight - weight @ delta @ bread @ delta.T @ weight
    test = found.estimator.scaled_test(found.point, df, "satorra-bentler")
    assert test is not None
    assert test.scaling_factor == pytest.approx(np.trace(residual @ gamma) / df, rel=1e-5)


@pytest.mark.parametrize("text", TEXTS.values(), ids=TEXTS.keys())
def test_robust_gls_against_its_definition(text: str) -> None:
    """The same sandwich and trace in the weight S⁻¹; the baseline too, where only variances are free."""
    table = table_of(text)
    values = skewed(table, 8, 300)
    p = values.shape[1]
    found = fit_cases(table, values, "gls", errors="satorra-bentler")
    delta, weight, gamma = written_out(found, values, np.linalg.inv(only(found).evidence.covariance))
    bread = np.linalg.inv(delta.T @ weight @ delta)
    expected = bread @ delta.T @ weight @ gamma @ weight @ delta @ bread / only(found).evidence.multiplier
    np.testing.assert_allclose(found.covariance, expected, rtol=1e-4, atol=1e-9)
    df = p * (p + 1) // 2 - table.n_free
    test = found.estimator.scaled_test(found.point, df, "satorra-bentler")
    assert test is not None
    rows, columns = pairs(p)
    diagonal = (rows == columns)[:, None] * (rows[:, None] == np.arange(p))
    for slopes, left, factor in (
        (delta, df, test.scaling_factor),
        (diagonal, p * (p - 1) / 2, test.baseline_factor),
    ):
        taken = weight @ slopes @ np.linalg.inv(slopes.T @ weight @ slopes) @ slopes.T @ weight
        assert factor == pytest.approx(np.trace((weight - taken) @ gamma) / left, rel=1e-5)
    assert found.estimator.scaled_test(found.point, 0, "satorra-bentler") is None


@pytest.mark.parametrize("means", [False, True])
def test_robust_uls_against_its_definition(means: bool) -> None:
    """(ΔᵀΔ)⁻¹ΔᵀΓΔ(ΔᵀΔ)⁻¹ by fourth moments, and the residual-based test, with and without means."""
    text = THREE + "hold intercept of b2 at 0.1\n" if means else THREE
    table = compile_model(model_of(text), "marker", means)
    values = skewed(table_of(THREE), 9, 400) + np.linspace(-1, 2, 9)
    found = fit_cases(table, values, "uls", errors="sandwich")
    p, theta, step = values.shape[1], found.solution.theta, 1e-6
    rows, columns = pairs(p)

    def moments_at(at: np.ndarray) -> np.ndarray:
        parts = matrices(found.model, at)
        there = implied(parts)
        second = there.covariance[rows, columns]
        return np.concatenate([second, implied_means(parts, there)[0]]) if means else second

    steps = step * np.eye(theta.size)
    delta = np.stack([(moments_at(theta + s) - moments_at(theta - s)) / (2 * step) for s in steps], axis=1)
    centred = values - values.mean(axis=0)
    each = centred[:, rows] * centred[:, columns]
    sample = only(found).evidence.covariance[rows, columns]
    weight = np.where(rows == columns, 1.0, 2.0)
    if means:
        each, sample = np.hstack([each, centred]), np.concatenate([sample, values.mean(axis=0)])
        weight = np.concatenate([weight, np.full(p, 2.0)])
    gamma = np.cov(each.T, ddof=0)
    bread = np.linalg.inv(delta.T * weight @ delta)
    expected = bread @ (delta.T * weight) @ gamma @ (delta.T * weight).T @ bread / only(found).evidence.multiplier
    np.testing.assert_allclose(np.diag(found.covariance), np.diag(expected), rtol=1e-3)
    gap, inverse = sample - moments_at(theta), np.linalg.inv(gamma)
    across = inverse @ delta
    residual = gap @ inverse @ gap - gap @ across @ np.linalg.inv(delta.T @ across) @ across.T @ gap
    found_test = found.estimator.statistic(found.point, 0.0, "sandwich")
    assert found_test == pytest.approx(only(found).evidence.multiplier * residual, rel=1e-4)


def test_baseline_factor_against_its_definition() -> None:
    """The baseline is scaled by the same formula, with only variances as parameters."""
    table = table_of(THREE)
    values = skewed(table, 6, 250)
    sample = covariance(values)
    found = fit_matrix(table, sample, 250)
    p = values.shape[1]
    rows, columns = pairs(p)
    _, _, gamma = written_out(found, values)
    inverse = np.diag(1 / np.diag(sample))
    duplication = np.zeros((p * p, rows.size))
    for k, (i, j) in enumerate(zip(rows, columns, strict=True)):
        duplication[i * p + j, k] = duplication[j * p + i, k] = 1.0
    weight = 0.5 * duplication.T @ np.kron(inverse, inverse) @ duplication
    delta = (rows == columns)[:, None] * (rows[:, None] == np.arange(p))
    bread = np.linalg.inv(delta.T @ weight @ delta)
    residual = weight - weight @ delta @ bread @ delta.T @ weight
    test = found.estimator.scaled_test(on_cases(found, values), 20, "satorra-bentler")
    assert test is not None
    assert test.baseline_factor == pytest.approx(np.trace(residual @ gamma) / (p * (p - 1) / 2))


@pytest.mark.parametrize("text", TEXTS.values(), ids=TEXTS.keys())
def test_scores_are_derivatives_of_each_case(text: str) -> None:
    """The meat of the sandwich, case by case, against differences of the log-likelihood."""
    table = table_of(text)
    values = skewed(table, 2, 400)
    found = fit_matrix(table, covariance(values), 400)
    theta, step = found.solution.theta, 1e-6
    centred = values - values.mean(axis=0)

    def likelihood(at: np.ndarray) -> np.ndarray:
        sigma = implied(matrices(found.model, at)).covariance
        lengths = np.einsum("np,pq,nq->n", centred, np.linalg.inv(sigma), centred)
        return -0.5 * (np.linalg.slogdet(sigma)[1] + lengths)

    scores = casewise_scores(on_cases(found, values).blocks[0])
    for k in range(theta.size):
        shift = step * np.eye(theta.size)[k]
        slope = (likelihood(theta + shift) - likelihood(theta - shift)) / (2 * step)
        np.testing.assert_allclose(scores[:, k] - scores[:, k].mean(), slope, atol=2e-5)


def test_observed_information_is_the_curvature() -> None:
    """(n·H/2)⁻¹, and near the expected one where the model holds."""
    table = table_of(THREE)
    truth = random_population(table, 3)
    found = fit_matrix(table, truth.covariance, 400, "observed")
    curvature = found.discrepancy.exact(found.model, found.solution.theta, 0)
    np.testing.assert_allclose(found.covariance, np.linalg.inv(400 * curvature / 2), rtol=1e-6, atol=1e-12)
    expected = fit_matrix(table, truth.covariance, 400)
    np.testing.assert_allclose(found.covariance, expected.covariance, rtol=1e-4, atol=1e-9)


def test_on_large_normal_samples_all_errors_agree() -> None:
    """Nobody should pay for robustness where it is not needed."""
    table = table_of(THREE)
    truth = random_population(table, 5)
    values = np.random.default_rng(5).multivariate_normal(np.zeros(9), truth.covariance, 20_000)
    sample = covariance(values)
    found = fit_matrix(table, sample, 20_000)
    plain = np.sqrt(np.diag(found.covariance))
    for errors in ("observed", "sandwich", "satorra-bentler"):
        other = found.estimator.covariance(on_cases(found, values), errors)  # type: ignore[arg-type]
        np.testing.assert_allclose(np.sqrt(np.diag(other)), plain, rtol=0.05)
    for errors in ("sandwich", "satorra-bentler"):
        test = found.estimator.scaled_test(on_cases(found, values), 24, errors)  # type: ignore[arg-type]
        assert test is not None
        assert test.scaling_factor == pytest.approx(1, abs=0.05)


def test_robust_errors_are_the_spread_of_repeated_studies() -> None:
    """With heavy tails the plain error is too small, and the robust one is right."""
    table = table_of("x leads to m\nm leads to y")
    rng = np.random.default_rng(11)
    n, studies = 300, 600
    index = next(p.index for p in table.parameters if p.words == "variance of x")
    assert index is not None
    at = list(table.observed).index("x")
    draws, plain, robust = [], [], []
    for study in range(studies):
        raw = rng.standard_t(6, (n, 3))
        values = raw @ np.linalg.cholesky(np.array([[1, 0.5, 0.2], [0.5, 1, 0.4], [0.2, 0.4, 1]])).T
        sample = covariance(values)
        draws.append(sample[at, at])
        if study < 60:
            found = fit_matrix(table, sample, n)
            plain.append(np.sqrt(found.covariance[index, index]))
            other = found.estimator.covariance(on_cases(found, values), "sandwich")
            robust.append(np.sqrt(other[index, index]))
    assert np.mean(plain) < 0.85 * np.std(draws)
    assert np.mean(robust) == pytest.approx(np.std(draws), rel=0.15)


def test_scaled_test_keeps_its_level_where_the_plain_one_does_not() -> None:
    """With skewed items χ² rejects true models far too often; scaled, it hardly does."""
    table = table_of("A shows in a1, a2, a3\nB shows in b1, b2, b3\nA leads to B")
    rng = np.random.default_rng(13)
    loading = 0.8
    plain, scaled = [], []
    for _ in range(150):
        factor = (rng.chisquare(2, (400, 2)) - 2) / 2
        factor[:, 1] = 0.5 * factor[:, 0] + np.sqrt(0.75) * factor[:, 1]
        tails = (rng.chisquare(1, (400, 6)) - 1) / np.sqrt(2) * np.sign(rng.standard_normal((400, 1)))
        values = loading * np.repeat(factor, 3, axis=1) + 0.6 * tails * np.abs(factor[:, :1])
        sample = covariance(values)
        found = fit_matrix(table, sample, 400)
        if not found.solution.converged:
            continue
        fit = assess_model(found)
        test = found.estimator.scaled_test(on_cases(found, values), fit.df, "satorra-bentler")
        assert test is not None
        plain.append((fit.p_value or 0) < 0.05)
        scaled.append((mean_scaled(fit.ground, test.scaling_factor, test.baseline_factor)[0].p_value or 0) < 0.05)
    assert np.mean(plain) > 0.25
    assert np.mean(scaled) < 0.13


def test_robust_figures_follow_their_formulas() -> None:
    """With factors of one, scaled and robust figures are the plain ones; else as the papers define them."""
    table = table_of(THREE)
    values = skewed(table, 9, 300)
    sample = covariance(values)
    found = fit_matrix(table, sample, 300)
    fit = assess_model(found)
    same, robust = mean_scaled(fit.ground, 1.0, 1.0)
    for name in ("cfi", "tli", "rmsea", "chi_square", "p_value"):
        assert getattr(same, name) == pytest.approx(fit.values.get(name, fit.p_value))
    assert (robust.cfi, robust.tli, robust.rmsea) == (
        pytest.approx(fit["cfi"]),
        pytest.approx(fit["tli"]),
        pytest.approx(fit["rmsea"]),
    )
    c, c0 = 1.4, 1.7
    other, robust = mean_scaled(fit.ground, c, c0)
    t, t0, df, df0 = fit.chi_square, fit.ground.baseline, fit.df, fit.ground.baseline_df
    assert other.chi_square == pytest.approx(t / c)
    assert robust.rmsea == pytest.approx(np.sqrt(max(t - c * df, 0) / (df * 300)))
    assert robust.cfi == pytest.approx(1 - max(t - c * df, 0) / (t0 - c0 * df0))
    assert robust.tli == pytest.approx(1 - (t - c * df) * df0 / ((t0 - c0 * df0) * df))
    assert found.estimator.scaled_test(on_cases(found, values), 0, "sandwich") is None


@pytest.mark.parametrize("estimator", ["ml", "gls"])
@pytest.mark.parametrize("means", [False, True])
def test_adjusted_tests_against_their_definitions(estimator: str, means: bool) -> None:
    """Mean-and-variance adjusted and scaled-shifted tests, of the model and of the baseline that CFI leans on, from U and Γ written
    out: with T distributed as UΓ says, both have the mean of their χ²; the scaled-shifted one its variance too."""
    text = THREE + "hold intercept of b2 at 0.1\n" if means else THREE
    table = compile_model(model_of(text), "marker", means)
    values = skewed(table_of(THREE), 14, 260) + np.linspace(-1, 2, 9) * means
    found = fit_cases(table, values, estimator, errors="satorra-bentler")
    fit, p = assess_model(found), values.shape[1]
    rows, columns = pairs(p)
    sample = np.cov(values.T, ddof=0)
    own = np.linalg.inv(only(found).evidence.covariance if estimator == "gls" else only(found).covariance)
    base = own if estimator == "gls" else np.diag(1 / np.diag(sample))
    duplication = np.zeros((p * p, rows.size))
    for k, (i, j) in enumerate(zip(rows, columns, strict=True)):
        duplication[i * p + j, k] = duplication[j * p + i, k] = 1.0
    centred = values - values.mean(axis=0)
    each = centred[:, rows] * centred[:, columns]
    free = [k for k in range(rows.size) if rows[k] == columns[k]]
    if means:
        each, free = np.hstack([each, centred]), [*free, *range(rows.size, rows.size + p)]
    gamma = np.cov(each.T, ddof=0)

    def traces(inverse: np.ndarray, slopes: np.ndarray) -> tuple[float, float]:
        weight = np.zeros((len(gamma), len(gamma)))
        weight[: rows.size, : rows.size] = 0.5 * duplication.T @ np.kron(inverse, inverse) @ duplication
        weight[rows.size :, rows.size :] = inverse if means else 0
        taken = weight @ slopes @ np.linalg.inv(slopes.T @ weight @ slopes) @ slopes.T @ weight
        product = (weight - taken) @ gamma
        return float(np.trace(product)), float(np.trace(product @ product))

    (t1, t2), (b1, b2) = traces(own, only(found).slopes), traces(base, np.eye(len(gamma))[:, free])
    t, df, t0, df0 = fit.chi_square, fit.df, fit.ground.baseline, fit.ground.baseline_df
    tests = {test.kind: test for test in assess_tests(found, fit)}
    assert list(tests) == ["plain", "mean-scaled", "mean-and-variance-adjusted", "scaled-shifted"]
    assert (tests["plain"].chi_square, tests["plain"].p_value) == (t, fit.p_value)
    adjusted, shifted = tests["mean-and-variance-adjusted"], tests["scaled-shifted"]
    assert adjusted.df == pytest.approx(t1**2 / t2, rel=1e-6)
    assert adjusted.chi_square == pytest.approx(t * t1 / t2, rel=1e-6)
    a, a0 = np.sqrt(df / t2), np.sqrt(df0 / b2)
    assert (shifted.chi_square, shifted.df) == (pytest.approx(a * t + df - a * t1, rel=1e-6), df)
    base_statistic = a0 * t0 + df0 - a0 * b1
    assert shifted.cfi == pytest.approx(1 - max(shifted.chi_square - df, 0) / (base_statistic - df0), rel=1e-6)
    per = (base_statistic / df0 - shifted.chi_square / df) / (base_statistic / df0 - 1)
    assert shifted.tli == pytest.approx(per, rel=1e-6)
    excess = max(adjusted.chi_square - adjusted.df, 0) / (adjusted.df * only(found).evidence.multiplier)
    assert adjusted.rmsea == pytest.approx(np.sqrt(excess), rel=1e-6)
    for test in (adjusted, shifted):
        assert test.p_value == pytest.approx(chi2.sf(test.chi_square, test.df), rel=1e-9)
    moments = (adjusted.df * t2 / t1, a * t1 + df - a * t1), (2 * adjusted.df * (t2 / t1) ** 2, 2 * t2 * a**2)
    assert moments == ((pytest.approx(t1), pytest.approx(df)), (pytest.approx(2 * t2), pytest.approx(2 * df)))
