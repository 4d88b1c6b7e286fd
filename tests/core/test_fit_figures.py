"""Fit figures from numbers worked out by hand: T = 50 on 20 df, baseline 400 on 28, n = 201 with multiplier n − 1."""

from __future__ import annotations

import math

import numpy as np
import pytest

from dusk_arrow.core.assessment.criteria.criterion import Ground
from dusk_arrow.core.assessment.fit import Fit, assess_fit, srmr, srmr_with_means
from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.settings import Settings
from tests.core.test_robust import mean_scaled
from tests.core.test_search import SOUND, TWO, simulated


def of(found: Fit, name: str) -> object:
    """A statistic by key, or what else follows from the test."""
    return found.values[name] if name in found.values else getattr(found, name)


@pytest.fixture(scope="module")
def fit() -> Fit:
    return assess_fit(Ground(50.0, 20, 400.0, 28, n_parameters=16, n=201, multiplier=200.0, srmr=0.05, gfi=0.9, n_second_order=36,
        likelihoods=(-1000.0, -975.0),
    ))  # fmt: skip


@pytest.mark.parametrize(
    ("figure", "value"),
    [
        ("chi_square_per_df", 2.5),
        ("cfi", 1 - 30 / 372),
        ("tli", (400 / 28 - 2.5) / (400 / 28 - 1)),
        ("nfi", 0.875),
        ("rfi", 0.825),
        ("ifi", 350 / 380),
        ("rmsea", 0.08660254037844387),
        ("agfi", 0.82),
        ("aic", 2032.0),
        ("bic", 2084.8528758),
        ("sabic", 2034.1633172),
        ("ecvi", 0.41),
        ("critical_n_05", 31.410432844 / 0.25 + 1),
        ("critical_n_01", 37.566234786 / 0.25 + 1),
        ("p_value", 0.000221476638),
    ],
)
def test_each_figure_by_hand(fit: Fit, figure: str, value: float) -> None:
    """A sign, a divisor or a constant that is wrong in one of them would go into papers."""
    assert of(fit, figure) == pytest.approx(value, rel=2e-6)


def test_the_interval_of_rmsea_and_close_fit_by_their_definition(fit: Fit) -> None:
    """At the bounds the statistic is the 95th and the 5th percentile of its non-central distribution."""
    from scipy.stats import ncx2

    assert fit.rmsea_interval is not None
    low, high = (bound**2 * 20 * 200 for bound in fit.rmsea_interval)
    assert ncx2.cdf(50, 20, low) == pytest.approx(0.95, abs=1e-7)
    assert ncx2.cdf(50, 20, high) == pytest.approx(0.05, abs=1e-7)
    assert fit["close_fit_p"] == pytest.approx(ncx2.sf(50, 20, 0.0025 * 20 * 200), rel=1e-7)


def test_a_statistic_below_its_df_is_a_perfect_fit() -> None:
    """CFI is 1 and RMSEA 0, TLI may pass 1, and a baseline that fits leaves nothing to gain."""
    found = assess_fit(Ground(15.0, 20, 400.0, 28, n_parameters=16, n=201, multiplier=201.0, srmr=0.02, gfi=None, n_second_order=36,
                       likelihoods=None))  # fmt: skip
    assert tuple(found[key] for key in ("cfi", "rmsea", "agfi", "aic", "sabic")) == (1.0, 0.0, None, None, None)
    assert found["tli"] == pytest.approx((400 / 28 - 0.75) / (400 / 28 - 1))
    assert (found["tli"] or 0) > 1
    assert found.rmsea_interval is not None
    assert found.rmsea_interval[0] == 0.0
    saturated = assess_fit(Ground(0.0, 0, 400.0, 28, n_parameters=36, n=201, multiplier=201.0, srmr=0.0, gfi=1.0, n_second_order=36,
                           likelihoods=None))  # fmt: skip
    for name in ("p_value", "chi_square_per_df", "tli", "rfi", "agfi", "rmsea", "rmsea_interval", "close_fit_p"):
        assert of(saturated, name) is None
    assert (saturated["cfi"], saturated["nfi"]) == (1.0, 1.0)


def test_scaled_and_robust_figures_by_hand(fit: Fit) -> None:
    """Scaled figures plug in the scaled statistics; robust ones weigh their df instead."""
    found, robust = mean_scaled(fit.ground, 1.25, 1.6)
    assert found.chi_square == 40.0
    assert found.cfi == pytest.approx(1 - 20 / (250 - 28))
    assert found.tli == pytest.approx(1 - (40 - 20) / 20 * 28 / (250 - 28))
    assert found.rmsea == pytest.approx(math.sqrt(20 / (20 * 200)))
    assert robust.cfi == pytest.approx(1 - (50 - 25) / (400 - 44.8))
    assert robust.tli == pytest.approx(1 - 25 * 28 / ((400 - 44.8) * 20))
    assert robust.rmsea == pytest.approx(math.sqrt(25 / (20 * 200)))


def test_srmr_by_hand() -> None:
    """Two variables: three residuals, in correlations of the sample; means add theirs in SDs."""
    sample, implied = np.array([[4.0, 1.0], [1.0, 9.0]]), np.array([[4.4, 0.4], [0.4, 9.0]])
    assert float(srmr(sample, implied)) == pytest.approx(math.sqrt((0.1**2 + 0.1**2) / 3))
    shifted = srmr_with_means(sample, implied, np.array([1.0, 2.0]), np.array([0.8, 2.6]))
    assert shifted == pytest.approx(math.sqrt((0.1**2 + 0.1**2 + 0.1**2 + 0.2**2) / 5))


def test_fornell_larcker_has_roots_on_its_diagonal() -> None:
    """Correlations off the diagonal, the square root of the AVE on it; the AVE itself would condemn every model."""
    data: DataSet = simulated(3, SOUND, 300)
    found = assemble(analyse(parse(TWO), data, Settings())).quality
    assert found is not None
    table = np.array(found.fornell_larcker.values, dtype=float)
    ave = [c.ave for c in found.constructs]
    np.testing.assert_allclose(np.diag(table) ** 2, ave)
    correlations = np.array(found.construct_correlations.values, dtype=float)
    assert table[0, 1] == table[1, 0] == correlations[0, 1]
    np.testing.assert_allclose(np.diag(correlations), 1.0)
