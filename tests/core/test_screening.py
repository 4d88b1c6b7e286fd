"""Screening against closed forms, worked examples and SciPy."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from scipy.spatial.distance import mahalanobis as scipy_distance

from dusk_arrow.core.observations.missing import em_moments, little_test, patterns
from dusk_arrow.core.observations.multivariate import mahalanobis, mardia
from dusk_arrow.core.observations.suspects import (
    duplicate_cases,
    exact_sums,
    extreme_scores,
    longest_strings,
    near_duplicates,
    pairwise_correlations,
    reversed_items,
    straight_liners,
)


def rows(seed: int, n: int = 60, p: int = 4) -> np.ndarray:
    rng = np.random.default_rng(seed)
    return rng.gamma(2.0, size=(n, p)) @ rng.uniform(-1, 1, (p, p))


def test_mardia_of_one_column_is_the_ordinary_skewness_and_kurtosis() -> None:
    """With one column the coefficients are the squared skewness and the fourth standardized moment."""
    values = rows(1, 90, 1)
    found = mardia(values)
    assert found.skewness == pytest.approx(stats.skew(values[:, 0]) ** 2)
    assert found.kurtosis == pytest.approx(stats.kurtosis(values[:, 0], fisher=False))
    assert found.skewness_df == 1


def test_mardia_against_its_definition() -> None:
    """Double sums written out, as in the paper."""
    values = rows(2, 25, 3)
    n, p = values.shape
    centred = values - values.mean(axis=0)
    inverse = np.linalg.inv(centred.T @ centred / n)
    products = np.array([[a @ inverse @ b for b in centred] for a in centred])
    found = mardia(values)
    assert found.skewness == pytest.approx((products**3).mean())
    assert found.skewness_chi_square == pytest.approx(n * (products**3).mean() / 6)
    assert found.skewness_p == pytest.approx(stats.chi2.sf(found.skewness_chi_square, 10))
    kurtosis = (np.diag(products) ** 2).mean()
    assert found.kurtosis == pytest.approx(kurtosis)
    assert found.kurtosis_z == pytest.approx((kurtosis - p * (p + 2)) / np.sqrt(8 * p * (p + 2) / n))


def test_mardia_finds_normal_data_normal() -> None:
    """On large normal samples both tests reject about as often as they should."""
    rng = np.random.default_rng(3)
    found = [mardia(rng.standard_normal((400, 3))) for _ in range(200)]
    assert np.mean([f.skewness_p < 0.05 for f in found]) < 0.10
    assert np.mean([f.kurtosis_p < 0.05 for f in found]) < 0.12


@given(seed=st.integers(0, 500), units=st.lists(st.floats(0.1, 50), min_size=4, max_size=4))
def test_units_and_order_of_columns_do_not_matter(seed: int, units: list[float]) -> None:
    """Answers on 0–6 or 1–7, in whatever order: the same distances and coefficients."""
    values = rows(seed)
    changed = (values * units + 3)[:, [2, 0, 3, 1]]
    np.testing.assert_allclose(mahalanobis(changed).d2, mahalanobis(values).d2, rtol=1e-6)
    assert mardia(changed).skewness == pytest.approx(mardia(values).skewness, rel=1e-6)
    assert mardia(changed).kurtosis == pytest.approx(mardia(values).kurtosis, rel=1e-6)


def test_distances_against_scipy() -> None:
    """d² with the covariance matrix of divisor n−1, p from χ²; their sum is (n−1)·p."""
    values = rows(5)
    inverse = np.linalg.inv(np.cov(values.T))
    expected = [scipy_distance(row, values.mean(axis=0), inverse) ** 2 for row in values]
    found = mahalanobis(values)
    np.testing.assert_allclose(found.d2, expected)
    np.testing.assert_allclose(found.p_value, stats.chi2.sf(expected, 4))
    assert found.d2.sum() == pytest.approx(59 * 4)
    assert found.cut_off(4) == pytest.approx(stats.chi2.isf(0.001, 4))


def test_patterns_are_counted() -> None:
    """The most frequent pattern first; empty rows belong to none."""
    nan = np.nan
    values = np.array([[1, 2], [nan, 2], [3, 4], [nan, nan], [nan, 5], [6, nan], [7, 8]])
    found = patterns(values)
    assert [(p.present.tolist(), p.rows.tolist()) for p in found] == [
        ([True, True], [0, 2, 6]),
        ([False, True], [1, 4]),
        ([True, False], [5]),
    ]


def test_em_of_complete_data_is_the_sample() -> None:
    """Nothing missing, nothing to impute."""
    values = rows(6)
    found = em_moments(values)
    np.testing.assert_allclose(found.mean, values.mean(axis=0))
    np.testing.assert_allclose(found.covariance, np.cov(values.T, ddof=0), atol=1e-9)


def test_em_of_a_monotone_pattern_has_a_closed_form() -> None:
    """With y missing for some, ML regresses y on x among the complete and uses everybody's x (Anderson 1957)."""
    rng = np.random.default_rng(7)
    x = rng.standard_normal(80)
    y = 0.6 * x + rng.standard_normal(80)
    y[50:] = np.nan
    found = em_moments(np.column_stack([x, y]), tolerance=1e-12)
    slope = np.cov(x[:50], y[:50], ddof=0)[0, 1] / x[:50].var()
    assert found.converged
    assert found.mean[1] == pytest.approx(y[:50].mean() + slope * (x.mean() - x[:50].mean()))
    residual = y[:50].var() - slope**2 * x[:50].var()
    assert found.covariance[1, 1] == pytest.approx(residual + slope**2 * x.var(), rel=1e-6)
    assert found.covariance[0, 1] == pytest.approx(slope * x.var(), rel=1e-6)


def test_em_maximises_the_likelihood() -> None:
    """No nearby mean or covariance matrix may be more likely."""
    rng = np.random.default_rng(8)
    values = rows(8, 50, 3)
    values[rng.random(values.shape) < 0.2] = np.nan
    found = em_moments(values, tolerance=1e-12)

    def likelihood(mean: np.ndarray, covariance: np.ndarray) -> float:
        total = 0.0
        for row in values:
            there = ~np.isnan(row)
            if there.any():
                total += stats.multivariate_normal(mean[there], covariance[np.ix_(there, there)]).logpdf(row[there])
        return total

    best = likelihood(found.mean, found.covariance)
    for _ in range(20):
        shift = 0.01 * rng.standard_normal(3)
        turn = 0.01 * rng.standard_normal((3, 3))
        assert likelihood(found.mean + shift, found.covariance) <= best + 1e-9
        assert likelihood(found.mean, found.covariance + turn @ turn.T) <= best + 1e-9


def test_little_of_two_columns_by_hand() -> None:
    """With y sometimes missing the statistic compares the mean of x in the two patterns."""
    rng = np.random.default_rng(9)
    x = rng.standard_normal(60)
    y = x + rng.standard_normal(60)
    y[:20] = np.nan
    values = np.column_stack([x, y])
    found = little_test(values)
    assert found is not None
    moments = em_moments(values, tolerance=1e-12)
    covariance = moments.covariance * 60 / 59
    gap = x[:20].mean() - moments.mean[0]
    both = values[20:].mean(axis=0) - moments.mean
    expected = 20 * gap**2 / covariance[0, 0] + 40 * both @ np.linalg.inv(covariance) @ both
    assert (found.df, found.patterns) == (1, 2)
    assert found.chi_square == pytest.approx(expected, rel=1e-6)
    assert found.p_value == pytest.approx(stats.chi2.sf(expected, 1), rel=1e-5)


def test_little_keeps_its_level_and_has_power() -> None:
    """Answers missing by chance pass; answers missing because they are high do not."""
    rng = np.random.default_rng(10)
    by_chance, by_value = [], []
    for _ in range(120):
        values = rng.multivariate_normal(np.zeros(3), np.full((3, 3), 0.5) + 0.5 * np.eye(3), 200)
        chance = values.copy()
        chance[rng.random(200) < 0.3, 2] = np.nan
        chosen = values.copy()
        chosen[values[:, 0] > 0.7, 2] = np.nan
        for data, kept in ((chance, by_chance), (chosen, by_value)):
            test = little_test(data)
            assert test is not None
            kept.append(test.p_value < 0.05)
    assert np.mean(by_chance) < 0.13
    assert np.mean(by_value) > 0.95
    assert little_test(values) is None


def test_pairwise_correlations_use_the_cases_that_have_both() -> None:
    """Each correlation as if the two columns were alone."""
    values = rows(11)
    values[:5, 0] = np.nan
    values[3:9, 1] = np.nan
    found = pairwise_correlations(values)
    assert found[0, 1] == pytest.approx(np.corrcoef(values[9:, 0], values[9:, 1])[0, 1])
    assert found[2, 3] == pytest.approx(np.corrcoef(values[:, 2], values[:, 3])[0, 1])
    np.testing.assert_allclose(np.diag(found), 1)


def test_careless_answers_are_found() -> None:
    """The same answer throughout, long runs of one answer, the same case twice."""
    values = np.array(
        [[4, 4, 4, 4, 4, 4, 4.0], [1, 2, 2, 2, 2, 5, 6], [4, 4, 4, np.nan, 4, 4, 4], [1, 2, 2, 2, 2, 5, 6], [3, 3, np.nan, np.nan, np.nan, np.nan, np.nan]]
    )  # fmt: skip
    assert straight_liners(values) == [0, 2]
    assert longest_strings(values).tolist() == [7, 4, 3, 4, 2]
    assert duplicate_cases(values) == [(1, 3)]


def test_columns_that_repeat_others_are_found() -> None:
    """A total among its items, and two columns that are nearly one."""
    values = rows(12, 50, 3)
    wide = np.column_stack([values, values[:, 0] + values[:, 2], values[:, 1] * 2 + 1e-3 * rows(13, 50, 1)[:, 0]])
    names = ["a", "b", "c", "total", "twin"]
    assert exact_sums(names, wide) == [("total", ("a", "c"))]
    relation = near_duplicates(names, np.corrcoef(wide.T))[0]
    assert {relation.first, relation.second} == {"b", "twin"}


def test_items_against_their_block_are_found() -> None:
    """The reverse-worded item, and only it; a block that is all one way has none."""
    rng = np.random.default_rng(14)
    factor = rng.standard_normal(300)
    block = np.column_stack([0.8 * s * factor + 0.6 * rng.standard_normal(300) for s in (1, 1, -1, 1)])
    names = ["q1", "q2", "q3", "q4"]
    found = reversed_items(names, np.corrcoef(block.T))
    assert [(item.name, item.stem) for item in found] == [("q3", "q")]
    assert found[0].correlation < -0.5
    assert reversed_items(names, np.corrcoef((block * [1, 1, -1, 1]).T)) == []


def test_extreme_scores_are_counted() -> None:
    """Beyond 3.29 SDs, column by column."""
    values = np.vstack([np.random.default_rng(15).standard_normal((200, 2)), [[9, 0]]])
    assert extreme_scores(values).tolist() == [1, 0]
