"""Fit, reliability, collinearity, validity, intervals and screening against closed forms and SciPy."""

from __future__ import annotations

from dataclasses import replace
from itertools import combinations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from dusk_arrow.core.assessment.collinearity import antecedent_vif, explained_share, f_squared
from dusk_arrow.core.assessment.criteria import BY_KEY, SHEET, f_squared_words
from dusk_arrow.core.assessment.criteria.criterion import Ground
from dusk_arrow.core.assessment.fit import assess_fit, rmsea_interval, srmr
from dusk_arrow.core.assessment.reliability import alphas, cronbach_alpha, standardized_alpha
from dusk_arrow.core.assessment.validity import heterotrait
from dusk_arrow.core.covariance.estimators.registry import ESTIMATORS
from dusk_arrow.core.covariance.global_fit import assess_model
from dusk_arrow.core.linear_algebra import (
    blocks_by_size,
    guarded_cholesky,
    inverse_from_cholesky,
    positive_definite,
    variance_inflation,
)
from dusk_arrow.core.observations.moments import complete_cases, covariance, prepare_products, resample_covariances
from dusk_arrow.core.observations.screening import check_covariance, summarise
from dusk_arrow.core.observations.stems import group_by_stem
from dusk_arrow.core.resampling.draws import MANY, STREAM, chunks_of, counts_with_replacement
from dusk_arrow.core.resampling.intervals import bias_correction
from dusk_arrow.core.resampling.intervals import summarise as summarise_draws
from tests.core.populations import case_evidence, fit_matrix, matrix_evidence, saturated, table_of


def compound(k: int, r: float) -> np.ndarray:
    return np.full((k, k), r) + (1 - r) * np.eye(k)


def test_alpha_has_its_closed_form() -> None:
    """With equal correlations alpha is the Spearman–Brown reliability."""
    k, r = 5, 0.4
    assert cronbach_alpha(compound(k, r)) == pytest.approx(k * r / (1 + (k - 1) * r))
    units = np.diag([1.0, 10, 3, 0.2, 5])
    assert standardized_alpha(units @ compound(k, r) @ units) == pytest.approx(k * r / (1 + (k - 1) * r))


def test_alpha_of_a_batch_is_that_of_each() -> None:
    """A sample is a batch of one."""
    batch = np.stack([compound(3, r) for r in (0.1, 0.5, 0.9)])
    assert cronbach_alpha(batch) == pytest.approx([cronbach_alpha(one) for one in batch])


def test_vif_of_two_predictors() -> None:
    """1/(1−r²), the figure by which people decide to drop a predictor."""
    assert variance_inflation(compound(2, 0.8)) == pytest.approx(np.full(2, 1 / (1 - 0.64)))
    assert np.isnan(variance_inflation(compound(2, 1.0))).all()


def test_one_of_a_batch_has_the_vif_it_has_alone() -> None:
    """Among resamples one may have two columns that are the same, or none that varies; the others keep their figures."""
    batch = np.stack([*(compound(3, r) for r in np.linspace(0, 0.9, 20)), compound(3, 1.0), np.full((3, 3), np.nan)])
    found = variance_inflation(batch)
    assert np.isnan(found[20:]).all()
    assert found[:20] == pytest.approx(np.stack([variance_inflation(one) for one in batch[:20]]), rel=1e-12)


def test_vif_and_f_squared_against_regression() -> None:
    """Collinearity and contribution as an ordinary regression would give them."""
    rng = np.random.default_rng(4)
    x = rng.standard_normal((5000, 3)) @ np.array([[1, 0.6, 0.3], [0, 0.8, 0.2], [0, 0, 0.9]])
    y = x @ [0.5, 0.2, -0.3] + rng.standard_normal(5000)
    matrix = covariance(np.column_stack([x, y]))

    def r2(columns: list[int], outcome: np.ndarray) -> float:
        design = np.column_stack([np.ones(5000), x[:, columns]])
        residual = outcome - design @ np.linalg.lstsq(design, outcome, rcond=None)[0]
        return float(1 - residual.var() / outcome.var())

    vif = antecedent_vif(matrix, 3, [0, 1, 2])
    assert vif[0] == pytest.approx(1 / (1 - r2([1, 2], x[:, 0])), rel=1e-9)
    assert explained_share(matrix, 3, [0, 1, 2]) == pytest.approx(r2([0, 1, 2], y), rel=1e-9)
    expected = (r2([0, 1, 2], y) - r2([0, 2], y)) / (1 - r2([0, 1, 2], y))
    assert f_squared(matrix, 3, [0, 1, 2])[1] == pytest.approx(expected, rel=1e-8)
    assert [f_squared_words(v) for v in (0.01, 0.02, 0.15, 0.4, None)] == ["negligible", "small", "medium", "large", ""]


def test_htmt_of_parallel_items_is_the_construct_correlation() -> None:
    """With equal loadings the ratio recovers the correlation of the constructs exactly, whatever the signs."""
    loading, phi = 0.7, 0.6
    within, between = loading**2, phi * loading**2
    matrix = np.full((6, 6), between)
    matrix[:3, :3] = matrix[3:, 3:] = within
    np.fill_diagonal(matrix, 1)
    assert heterotrait(matrix, [[0, 1, 2], [3, 4, 5]]).absolute[0] == pytest.approx(phi)
    flip = np.diag([1, -1, 1, 1, 1, 1.0])
    assert heterotrait(flip @ matrix @ flip, [[0, 1, 2], [3, 4, 5]]).absolute[0] == pytest.approx(phi)
    assert heterotrait(matrix, [[0], [3]]).absolute[0] == pytest.approx(between)


def test_fit_of_a_known_misfit() -> None:
    """Every figure from its formula, computed here a second time from χ² alone."""
    sample, implied = compound(4, 0.5), compound(4, 0.45)
    n = 200
    free = saturated(("v0", "v1", "v2", "v3"))
    held = tuple(replace(p, value=float(implied[p.row, p.column]), index=None) for p in free.parameters)
    fixed = fit_matrix(replace(free, parameters=held), sample, n)
    discrepancy = float(
        np.linalg.slogdet(implied)[1] + np.trace(np.linalg.solve(implied, sample)) - np.linalg.slogdet(sample)[1] - 4
    )
    t, df = n * discrepancy, 5
    base = -n * np.log(np.linalg.det(sample))
    fit = assess_fit(
        Ground(
            t,
            df,
            base,
            6,
            n_parameters=5,
            n=n,
            multiplier=n,
            srmr=float(srmr(sample, implied)),
            gfi=None,
            n_second_order=10,
            likelihoods=fixed.estimator.log_likelihoods(fixed.point),
        )
    )
    assert (fit.chi_square, fit.df) == (pytest.approx(t), df)
    assert fit.p_value == pytest.approx(stats.chi2.sf(t, df))
    assert fit.ground.baseline == pytest.approx(base)
    assert fit["cfi"] == pytest.approx(1 - max(t - df, 0) / max(base - 6, t - df))
    assert fit["tli"] == pytest.approx((base / 6 - t / df) / (base / 6 - 1))
    assert fit["nfi"] == pytest.approx((base - t) / base)
    assert fit["rmsea"] == pytest.approx(np.sqrt(max(t - df, 0) / (df * n)))
    assert fit["close_fit_p"] == pytest.approx(stats.ncx2.sf(t, df, 0.0025 * df * n))
    expected = np.sqrt((6 * 0.05**2) / 10)
    assert fit["srmr"] == pytest.approx(expected)
    multivariate = stats.multivariate_normal(np.zeros(4), implied)
    rows = np.random.default_rng(0).multivariate_normal(np.zeros(4), sample, n)
    rows = (
        (rows - rows.mean(0))
        @ np.linalg.inv(np.linalg.cholesky(np.cov(rows.T, ddof=0))).T
        @ np.linalg.cholesky(sample).T
    )
    assert fit.ground.likelihoods is not None
    assert fit.ground.likelihoods[0] == pytest.approx(multivariate.logpdf(rows).sum())
    assert fit["aic"] == pytest.approx(-2 * fit.ground.likelihoods[0] + 10)
    assert fit["bic"] == pytest.approx(-2 * fit.ground.likelihoods[0] + 5 * np.log(n))
    assert 2 * (fit.ground.likelihoods[1] - fit.ground.likelihoods[0]) == pytest.approx(t)


def test_saturated_models_have_nothing_to_test() -> None:
    """df = 0 gives empty cells, not zeros that look like a perfect fit."""
    fit = assess_model(fit_matrix(table_of("A shows in a1, a2, a3"), compound(3, 0.4), 100))
    assert (fit.df, fit["cfi"]) == (0, 1.0)
    for name in ("p_value", "chi_square_per_df", "rmsea", "rmsea_interval", "close_fit_p", "tli", "agfi"):
        assert fit.values.get(name, getattr(fit, name, None)) is None


@given(chi_square=st.floats(0.1, 900), df=st.integers(1, 300), n=st.integers(50, 3000))
def test_rmsea_interval_inverts_the_noncentral_chi_square(chi_square: float, df: int, n: int) -> None:
    """At its ends the observed χ² is exactly at the 5 % and 95 % points."""
    low, high = rmsea_interval(chi_square, df, n)
    assert 0 <= low <= high
    if low > 0:
        assert stats.ncx2.cdf(chi_square, df, low**2 * df * n) == pytest.approx(0.95, abs=1e-5)
    if high > 0:
        assert stats.ncx2.cdf(chi_square, df, high**2 * df * n) == pytest.approx(0.05, abs=1e-5)


def test_baseline_of_uncorrelated_variables_is_zero() -> None:
    """Nothing to explain, nothing to test against, whatever the estimator."""
    sample = np.diag([1.0, 4, 9])
    found = fit_matrix(table_of("A shows in a1, a2, a3"), compound(3, 0.4), 100)
    for estimator in ("ml", "gls", "uls"):
        point = replace(found.point, evidence=(matrix_evidence(sample, 100),))
        assert ESTIMATORS[estimator].baseline(point, "expected") == pytest.approx(0, abs=1e-9)
    assert srmr(np.eye(3), np.eye(3)) == 0


def test_verdicts_use_the_unrounded_figure() -> None:
    """.9496 is not .95, however it prints."""
    cfi, rmsea = BY_KEY["cfi"], BY_KEY["rmsea"]
    assert [cfi.judge(v) for v in (0.95, 0.9496, 0.9, 0.8999, None)] == [
        "meets",
        "borderline",
        "borderline",
        "misses",
        "none",
    ]
    assert [rmsea.judge(v) for v in (0.06, 0.0601, 0.0801)] == ["meets", "borderline", "misses"]
    assert BY_KEY["chi_square"].judge(3.0) == "none"
    assert all(criterion.source and criterion.definition for criterion in SHEET)


@given(seed=st.integers(0, 1000), mean=st.floats(-1e6, 1e6))
def test_resample_covariances_are_those_of_the_drawn_rows(seed: int, mean: float) -> None:
    """One matrix product must give what computing each resample would, also with large means."""
    rng = np.random.default_rng(seed)
    values = rng.standard_normal((30, 4)) + mean
    chunk = chunks_of(5, seed)[0]
    counts = counts_with_replacement(chunk, [30])[0]
    assert (counts.sum(axis=1) == 30).all()
    found = resample_covariances(prepare_products(values), counts, 1)
    for row, matrix in zip(counts, found, strict=True):
        drawn = np.repeat(values, row.astype(int), axis=0)
        np.testing.assert_allclose(matrix, np.cov(drawn.T), atol=1e-7)


def test_plans_depend_on_the_seed_alone() -> None:
    """The same seed gives the same draws, however many resamples follow."""
    few, many = chunks_of(100, 7), chunks_of(10 * STREAM + 3, 7)
    np.testing.assert_array_equal(
        counts_with_replacement(few[0], [20])[0], counts_with_replacement(many[0], [20])[0][:100]
    )
    assert [c.size for c in many] == [MANY] * 2 + [2 * STREAM + 3]
    assert (counts_with_replacement(many[0], [20])[0] != counts_with_replacement(many[1], [20])[0]).any()
    alone = np.concatenate([counts_with_replacement(c, [20])[0] for c in chunks_of(10 * STREAM + 3, 7, STREAM)])
    np.testing.assert_array_equal(np.concatenate([counts_with_replacement(c, [20])[0] for c in many]), alone)


def test_intervals_of_known_draws() -> None:
    """Percentile bounds by linear interpolation, bias-corrected ones from z₀, p as defined."""
    draws = np.arange(1.0, 1001.0)[:, None] - 300
    summary = summarise_draws(draws, np.array([200.5]), 0.95, np.array([True]))[0]
    assert summary is not None
    assert summary.percentile == (pytest.approx(np.quantile(draws, 0.025)), pytest.approx(np.quantile(draws, 0.975)))
    assert bias_correction(draws, np.array([200.5]))[0] == pytest.approx(0, abs=1e-9)
    assert summary.bias_corrected == pytest.approx(summary.percentile)
    assert summary.p_value == pytest.approx(2 * (300 + 1) / 1001)
    assert summary.se == pytest.approx(np.std(draws, ddof=1))
    shifted = summarise_draws(draws, np.array([300.0]), 0.95, np.array([False]))[0]
    assert shifted is not None
    z0 = stats.norm.ppf(0.5995)
    share = stats.norm.cdf(2 * z0 + stats.norm.ppf(0.025))
    assert shifted.bias_corrected[0] == pytest.approx(np.quantile(draws, share))
    assert shifted.p_value is None
    beyond = bias_correction(draws, np.array([1e9]))[0]
    assert beyond == pytest.approx(stats.norm.ppf(1 - 0.5 / 1000))


def test_percentile_intervals_cover_as_they_promise() -> None:
    """Over many studies a 90 % interval of a mean must hold it about nine times in ten."""
    rng = np.random.default_rng(12)
    inside = 0
    for study in range(300):
        values = rng.exponential(1.0, 60)
        counts = np.concatenate([counts_with_replacement(c, [60])[0] for c in chunks_of(256, study)])
        summary = summarise_draws((counts @ values / 60)[:, None], np.array([values.mean()]), 0.90, np.array([True]))[0]
        assert summary is not None
        inside += summary.percentile[0] <= 1.0 <= summary.percentile[1]
    assert 0.83 <= inside / 300 <= 0.94


def test_one_bad_matrix_does_not_spoil_its_batch() -> None:
    """A resample that is not positive definite must not kill its chunk."""
    batch = np.stack([compound(3, 0.4), compound(3, 1.5), np.full((3, 3), np.nan), np.eye(3)])
    assert positive_definite(batch).tolist() == [True, False, False, True]
    factors, _, good = guarded_cholesky(batch)
    assert good.tolist() == [True, False, False, True]
    np.testing.assert_allclose(factors[0] @ factors[0].T, batch[0])


@pytest.mark.parametrize(("count", "size"), [(1, 5), (40, 7), (40, 17), (33, 24)])
def test_inverses_by_blocks_are_inverses(count: int, size: int) -> None:
    """The fast way for large batches must give what one matrix at a time gives."""
    rows = np.random.default_rng(2).standard_normal((count, size, 2 * size))
    batch = rows @ np.swapaxes(rows, 1, 2)
    found = inverse_from_cholesky(np.linalg.cholesky(batch), batch)
    np.testing.assert_allclose(found, np.linalg.inv(batch), atol=1e-10)


def test_column_summaries_against_scipy() -> None:
    """What the Data station prints, from SciPy's own functions."""
    rng = np.random.default_rng(8)
    values = rng.gamma(2.0, size=80)
    values[[3, 9]] = np.nan
    valid = values[~np.isnan(values)]
    found = summarise(values)
    assert (found.n, found.missing) == (78, 2)
    assert found.sd == pytest.approx(valid.std(ddof=1))
    n = 78
    g1 = stats.skew(valid)
    assert found.skewness == pytest.approx(np.sqrt(n * (n - 1)) / (n - 2) * g1)
    g2 = stats.kurtosis(valid)
    assert found.kurtosis == pytest.approx((n - 1) / ((n - 2) * (n - 3)) * ((n + 1) * g2 + 6))
    assert summarise(np.full(5, 2.0)).skewness is None
    assert summarise(np.array([np.nan])).mean is None


def test_stems_group_blocks() -> None:
    """The block is what people pick up in one go."""
    blocks = group_by_stem(["case", "sv1", "sv2", "q_01", "q_02", "age", "x9", "2020", "sv10"])
    assert [(b.stem, b.columns) for b in blocks] == [
        ("sv", ("sv1", "sv2", "sv10")),
        ("q", ("q_01", "q_02")),
        (None, ("case",)),
        (None, ("age",)),
        (None, ("x9",)),
        (None, ("2020",)),
    ]


def test_matrices_that_cannot_be_used_are_explained() -> None:
    """The columns at fault are named: a copy, a total, a constant, too few cases."""
    rng = np.random.default_rng(1)
    values = rng.standard_normal((50, 3))
    total = np.column_stack([values, values.sum(axis=1)])
    names = ["a", "b", "c", "d"]
    problem = check_covariance(names, covariance(total), 50)[0]
    assert problem.code == "not_positive_definite"
    assert "a, b, c and d" in problem.message
    copy = check_covariance(["a", "b", "c", "twin"], covariance(np.column_stack([values, 3 * values[:, 1]])), 50)[0]
    assert "b and twin are the same" in copy.message
    impossible = check_covariance(["a", "b", "c"], compound(3, -0.9), 50)[0]
    assert "no set of answers" in impossible.message
    assert check_covariance(["a", "b"], np.diag([1.0, 0.0]), 50)[0].code == "zero_variance"
    assert check_covariance(names, np.eye(4), 4)[0].code == "too_few_cases"
    assert check_covariance(names, np.eye(4), 50) == []


def test_listwise_deletion_counts_what_it_loses() -> None:
    """The number lost is reported, always."""
    values = np.array([[1, 2], [np.nan, 3], [4, 5]])
    np.testing.assert_array_equal(complete_cases(values), [[1, 2], [4, 5]])
    sample = case_evidence(values)
    assert (sample.n, sample.n_total) == (2, 3)


def test_htmt_of_many_blocks_is_that_of_each_pair() -> None:
    """Ratios of all pairs at once, against the definition written out pair by pair, an item shared by two blocks included."""
    rng = np.random.default_rng(8)
    batch = np.stack([np.corrcoef(rng.normal(size=(9, 40))) for _ in range(3)])
    blocks = [[0, 1, 2], [3, 4], [5], [2, 6, 7, 8]]
    found = heterotrait(batch, blocks).absolute

    def mean(matrix: np.ndarray, pairs: list[tuple[int, int]]) -> float:
        return float(np.mean([abs(matrix[a, b]) for a, b in pairs])) if pairs else 1.0

    at = 0
    for i, first in enumerate(blocks):
        for second in blocks[i + 1 :]:
            for k, matrix in enumerate(batch):
                own = [mean(matrix, list(combinations(block, 2))) for block in (first, second)]
                between = mean(matrix, [(a, b) for a in first for b in second if a != b])
                assert found[k, at] == pytest.approx(between / np.sqrt(own[0] * own[1]))
            at += 1


def test_htmt2_of_many_small_correlations_does_not_vanish() -> None:
    """The product of 49 correlations of 1e-9 is no number any more; their geometric mean is one."""
    sample = np.full((14, 14), 1e-9)
    for at in (0, 7):
        sample[at : at + 7, at : at + 7] = compound(7, 0.5)
    for small in (1e-9, 1e-12):
        found = heterotrait(np.where(sample == 1e-9, small, sample)[None], [range(7), range(7, 14)])
        assert found.geometric[0] == pytest.approx(small / 0.5, rel=1e-9)


@pytest.mark.parametrize("fellows", [1, 30])
def test_blocks_of_a_batch_are_taken_each_for_itself(fellows: int) -> None:
    """Blocks of one size are computed together: each has its own alpha and inflation, and two copies of one variable have none,
    without taking it from others."""
    values = np.random.default_rng(6).normal(size=(60, 9)) + np.random.default_rng(7).normal(size=(60, 1))
    values[:, 4] = values[:, 3]
    sample = np.corrcoef(values, rowvar=False)
    batch, blocks = np.stack([sample] * fellows), [[0, 1, 2], [5, 6], [3, 4, 8], [7]]
    expected = [cronbach_alpha(sample[np.ix_(block, block)]) if len(block) > 1 else np.nan for block in blocks]
    np.testing.assert_allclose(alphas(batch, blocks), [expected] * fellows, rtol=1e-12)
    seen = dict(
        pair
        for own, within in blocks_by_size(batch, blocks)
        for pair in zip(own, np.moveaxis(within, 1, 0), strict=True)
    )
    for at in (0, 1):
        inverse = np.linalg.inv(sample[np.ix_(blocks[at], blocks[at])])
        np.testing.assert_allclose(variance_inflation(seen[at]), [np.diagonal(inverse)] * fellows, rtol=1e-9)
    both = variance_inflation(np.stack([seen[0], seen[2]], axis=1))
    assert np.isfinite(both[:, 0]).all()
    assert np.isnan(both[:, 1]).all()
