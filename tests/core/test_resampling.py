"""Resamples that redo what was done to the data, BCa intervals, the Bollen–Stine test, and scores of cases."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import stats

from dusk_arrow.core.covariance.bootstrapping import BootstrapTask, prepare, run_chunk, run_samples
from dusk_arrow.core.covariance.implied import implied, matrices
from dusk_arrow.core.covariance.parameters import compile_model
from dusk_arrow.core.covariance.scores import score_weights
from dusk_arrow.core.covariance.statistics import Inquiry
from dusk_arrow.core.observations.derived import Product
from dusk_arrow.core.observations.evidence import CompleteCases
from dusk_arrow.core.resampling.draws import (
    FromCases,
    chunks_leaving_one_out,
    chunks_of,
    counts_leaving_one_out,
    counts_with_replacement,
)
from dusk_arrow.core.resampling.intervals import accelerations, summarise
from dusk_arrow.core.scores import score
from dusk_arrow.core.statistics import StatisticKey
from tests.core.populations import (
    THREE,
    case_evidence,
    fit_cases,
    fit_matrix,
    from_counts,
    model_of,
    only,
    random_population,
    table_of,
)


def rows(seed: int, n: int, text: str = THREE) -> np.ndarray:
    truth = random_population(table_of(text), seed)
    return np.random.default_rng(seed).multivariate_normal(np.zeros(len(truth.covariance)), truth.covariance, n)


def test_every_resample_fills_its_own_gaps() -> None:
    """Filling once and then resampling would pretend that the filled answers were known."""
    values = rows(1, 120)
    rng = np.random.default_rng(2)
    holes = np.where(rng.random(values.shape) < 0.2, np.nan, values)
    evidence = case_evidence(holes, missing="mean")
    counts = rng.multinomial(120, np.full(120, 1 / 120), 4).astype(float)
    draw = evidence.resampling()(counts)
    for i in range(4):
        again = np.repeat(holes, counts[i].astype(int), axis=0)
        filled = np.where(np.isnan(again), np.nanmean(again, axis=0), again)
        np.testing.assert_allclose(draw.covariances[i], np.cov(filled.T, ddof=0), atol=1e-10)
        np.testing.assert_allclose(draw.means[i], filled.mean(axis=0), atol=1e-10)


def test_resample_means_and_the_jackknife() -> None:
    """The jackknife leaves every case out once, and moments follow the size of the resample."""
    values = rows(2, 150)
    resampling = case_evidence(values).resampling()
    chunks = chunks_leaving_one_out(150)
    assert [chunk.size for chunk in chunks] == [128, 22]
    counts = np.concatenate([counts_leaving_one_out(chunk, [150])[0] for chunk in chunks])
    assert (counts.sum(axis=1) == 149).all()
    assert (counts.sum(axis=0) == 149).all()
    draw = resampling(counts[[0, 140]])
    for k, left in enumerate((0, 140)):
        kept = np.delete(values, left, axis=0)
        np.testing.assert_allclose(draw.covariances[k], np.cov(kept.T, ddof=0), atol=1e-10)
        np.testing.assert_allclose(draw.means[k], kept.mean(axis=0), atol=1e-10)


def test_acceleration_and_bca_of_a_mean() -> None:
    """For a mean the acceleration is skewness/(6√n), and the interval is the one SciPy computes from the same idea."""
    values = np.random.default_rng(5).gamma(1.2, size=60)
    left_out = (values.sum() - values) / 59
    a = accelerations(left_out[:, None])[0]
    assert a == pytest.approx(stats.skew(values) / (6 * np.sqrt(60)), rel=1e-9)
    rng = np.random.default_rng(6)
    draws = values[rng.integers(0, 60, (40_000, 60))].mean(axis=1)
    summary = summarise(draws[:, None], np.array([values.mean()]), 0.95, np.array([True]), np.array([a]))[0]
    assert summary is not None
    assert summary.bca is not None
    other = stats.bootstrap((values,), np.mean, n_resamples=40_000, method="BCa", random_state=7, vectorized=True)
    assert summary.bca[0] == pytest.approx(other.confidence_interval.low, abs=0.01)
    assert summary.bca[1] == pytest.approx(other.confidence_interval.high, abs=0.01)
    assert summary.bca != summary.percentile


def test_transformed_data_fit_the_model_exactly_and_its_test_keeps_its_level() -> None:
    """Bollen & Stine's resamples are drawn from data in which the model holds; their T is about χ² with df."""
    values = rows(7, 400)
    table = table_of("A shows in a1, a2, a3, b1, b2, b3, c1, c2, c3")
    found = fit_cases(table, values)
    assert found.statistic > 60
    prepared = prepare(BootstrapTask((Inquiry(found.model),), found, FromCases((only(found).evidence,)), True))  # type: ignore[arg-type]
    assert prepared.transforms is not None
    turned = prepared.transforms[0] @ only(found).evidence.covariance @ prepared.transforms[0].T
    np.testing.assert_allclose(turned, only(found).covariance, atol=1e-10)
    drawn = np.concatenate([run_chunk(prepared, chunk).transformed for chunk in chunks_of(384, 1)])
    assert drawn.mean() == pytest.approx(27, rel=0.15)
    assert (drawn >= found.statistic).mean() < 0.05
    again = values @ prepared.transforms[0].T
    counts = counts_with_replacement(chunks_of(2, 1)[0], [400])[0]
    each = run_samples(prepared, from_counts(prepared, counts)).transformed
    for k in range(2):
        sample = np.cov(np.repeat(again, counts[k].astype(int), axis=0).T, ddof=0)
        assert each[k] == pytest.approx(fit_matrix(table, sample, 400).statistic, rel=1e-6)


def test_scores_are_conditional_means_and_unbiased() -> None:
    """Regression scores are E(η | y); Bartlett's reproduce the construct exactly when there is no error."""
    table = table_of(THREE)
    truth = random_population(table, 9)
    found = fit_matrix(table, truth.covariance, 500)
    weights = score_weights(only(found))
    parts = matrices(found.model, found.solution.theta)
    joint = implied(parts)
    across = joint.nodes @ parts.loading.T
    np.testing.assert_allclose(weights.regression, across @ np.linalg.inv(truth.covariance), atol=1e-6)
    assert weights.bartlett is not None
    np.testing.assert_allclose(weights.bartlett @ parts.loading, np.eye(3), atol=1e-8)
    inverse = np.linalg.inv(parts.residual)
    classic = np.linalg.solve(parts.loading.T @ inverse @ parts.loading, parts.loading.T @ inverse)
    np.testing.assert_allclose(weights.bartlett, classic, atol=1e-8)
    constructs = np.random.default_rng(1).standard_normal((20, 3))
    np.testing.assert_allclose(score(weights, constructs @ parts.loading.T, "bartlett"), constructs, atol=1e-8)
    gap = np.full((1, 9), np.nan)
    assert np.isnan(score(weights, gap)).all()


@pytest.mark.parametrize("how", [{"missing": "full-information"}, {"estimator": "gls"}, {"estimator": "adf"}])
def test_bootstrap_of_every_kind_of_evidence(how: dict[str, str]) -> None:
    """The bootstrap's errors are of the size of the estimator's own, whatever is resampled."""
    text = "A shows in a1, a2, a3\nA leads to y"
    values = rows(11, 400, text)
    if "missing" in how:
        values[:60, 1] = np.nan
        values[40:90, 3] = np.nan

    table = compile_model(model_of(text), "marker", "missing" in how)
    found = fit_cases(table, values, **how)  # type: ignore[arg-type]
    plan = Inquiry(found.model)
    prepared = prepare(BootstrapTask((plan,), found, FromCases((only(found).evidence,))))  # type: ignore[arg-type]
    results = [run_chunk(prepared, chunk) for chunk in chunks_of(256, 4)]
    draws = np.concatenate([r.statistics for r in results])
    assert sum(r.failed for r in results) == 0
    at = next(i for i, p in enumerate(table.parameters) if p.words == "A → y")
    index = table.parameters[at].index
    assert draws[:, at].std(ddof=1) == pytest.approx(np.sqrt(found.covariance[index, index]), rel=0.25)
    keys = plan.keys
    assert np.isfinite(draws[:, keys.index(StatisticKey("alpha", ("A",)))]).all()


def test_derived_columns_are_formed_anew_in_every_resample() -> None:
    """A product centred once, before resampling, has the wrong covariances in each resample."""
    values = np.random.default_rng(3).gamma(2.0, size=(90, 3)) + 5
    product = Product((0, 2))
    everything = np.column_stack([values, product.form(values, np.ones((1, 90)))[0]])
    cases = CompleteCases(everything, np.cov(everything.T, ddof=0), everything.mean(axis=0), 90, "n-1", (product,))
    counts = np.random.default_rng(4).multinomial(90, np.full(90, 1 / 90), 5).astype(float)
    drawn = cases.resampling()(counts)
    assert drawn.means is not None
    for i in range(5):
        again = np.repeat(values, counts[i].astype(int), axis=0)
        centred = again - again.mean(axis=0)
        whole = np.column_stack([again, centred[:, 0] * centred[:, 2]])
        np.testing.assert_allclose(drawn.covariances[i], np.cov(whole.T), rtol=1e-10)
        np.testing.assert_allclose(drawn.means[i], whole.mean(axis=0), rtol=1e-10)
    plain = np.repeat(everything, counts[0].astype(int), axis=0)
    assert abs(np.cov(plain.T)[0, 3] - drawn.covariances[0, 0, 3]) > 1e-3


def test_acceleration_of_figures_that_are_not_always_there() -> None:
    """A figure that a left-out case takes away is accelerated by the others; one that is never there by nothing, and in
    silence."""
    rng = np.random.default_rng(8)
    left_out = rng.gamma(2.0, size=(30, 3))
    left_out[4, 1] = np.nan
    left_out[:, 2] = np.nan
    found = accelerations(left_out)
    for column in (0, 1):
        values = left_out[np.isfinite(left_out[:, column]), column]
        gaps = values.mean() - values
        assert found[column] == pytest.approx((gaps**3).sum() / (6 * (gaps**2).sum() ** 1.5))
    assert found[2] == 0.0
