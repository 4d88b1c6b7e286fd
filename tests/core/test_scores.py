"""Scores against each other, and formative constructs against the item that sums them up: by definition and by other routes."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from dusk_arrow.core.assessment.validity import redundancy
from dusk_arrow.core.scores import pair


def two(n: int, seed: int = 1) -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(seed)
    x = rng.normal(3, 2, size=n)
    return x, 0.6 * x + rng.normal(size=n)


def test_the_line_is_the_regression_and_the_band_that_of_its_mean() -> None:
    """A wrong band makes a chance relation look certain."""
    x, y = two(80)
    found = pair(x, y)
    assert found is not None
    line = stats.linregress(x, y)
    assert found.slope == pytest.approx(line.slope, rel=1e-12)
    assert found.intercept == pytest.approx(line.intercept, rel=1e-12)
    assert found.correlation == pytest.approx(line.rvalue, rel=1e-12)
    design = np.column_stack([np.ones_like(x), x])
    beta, rest, *_ = np.linalg.lstsq(design, y, rcond=None)
    spread = rest[0] / (len(x) - 2) * np.linalg.inv(design.T @ design)
    points = np.column_stack([np.ones_like(found.at), found.at])
    reach = stats.t.ppf(0.975, len(x) - 2) * np.sqrt(np.einsum("ij,jk,ik->i", points, spread, points))
    np.testing.assert_allclose(found.upper, points @ beta + reach, rtol=1e-10)
    np.testing.assert_allclose(found.lower, points @ beta - reach, rtol=1e-10)
    assert found.at[[0, -1]].tolist() == [x.min(), x.max()]


def test_distances_are_those_of_mahalanobis() -> None:
    """Who is far is decided by both scores together, not by one at a time."""
    x, y = two(60)
    found = pair(x, y)
    assert found is not None
    both = np.column_stack([x, y]) - [x.mean(), y.mean()]
    d2 = np.einsum("ij,jk,ik->i", both, np.linalg.inv(np.cov(both, rowvar=False)), both)
    np.testing.assert_allclose(found.d2, d2, rtol=1e-9)
    np.testing.assert_allclose(found.p_value, stats.chi2.sf(d2, 2), rtol=1e-9)


@pytest.mark.parametrize("what", ["three cases", "one does not vary", "the same twice"])
def test_no_line_where_there_is_none(what: str) -> None:
    """A division by nothing must not become a line."""
    x, y = two(3 if what == "three cases" else 20)
    second = {"three cases": y, "one does not vary": np.ones_like(x), "the same twice": 2 * x + 1}[what]
    assert pair(x, second) is None


@given(scale=st.floats(0.01, 100), shift=st.floats(-100, 100))
def test_units_change_neither_correlation_nor_distances(scale: float, shift: float) -> None:
    """Scores have no unit of their own."""
    x, y = two(40)
    one, other = pair(x, y), pair(x * scale + shift, y)
    assert one is not None
    assert other is not None
    assert other.correlation == pytest.approx(one.correlation, rel=1e-6)
    np.testing.assert_allclose(other.d2, one.d2, rtol=1e-5)


def test_redundancy_is_the_correlation_of_the_sum_with_the_item() -> None:
    """By covariances, batched, and by forming the sum of every case."""
    rng = np.random.default_rng(3)
    weights = np.array([0.5, 1.5, -0.2])
    samples, plain = [], []
    for _ in range(4):
        values = rng.normal(size=(50, 4)) @ rng.normal(size=(4, 4))
        samples.append(np.cov(values, rowvar=False))
        plain.append(np.corrcoef(values[:, :3] @ weights, values[:, 3])[0, 1])
    np.testing.assert_allclose(redundancy(weights, np.stack(samples)), plain, rtol=1e-10)
    assert redundancy(weights, samples[2]) == pytest.approx(plain[2])
    assert np.isnan(redundancy(np.zeros(3), samples[0]))
