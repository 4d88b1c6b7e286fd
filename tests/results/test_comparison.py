"""Nested tests, every path at zero, joint hypotheses: against refits, each other and closed forms."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import stats

from dusk_arrow.core.covariance.comparison import Quick, compare, quick_fit
from dusk_arrow.core.observations.data import Column, DataSet
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.comparison import information_weights, joint_test, paths_at_zero
from dusk_arrow.results.settings import Settings
from tests.core.populations import THREE, random_population, table_of


def study(seed: int = 3, n: int = 500, tails: bool = False) -> DataSet:
    table = table_of(THREE)
    truth = random_population(table, seed)
    rng = np.random.default_rng(seed)
    raw = (rng.chisquare(3, (n, 9)) - 3) / np.sqrt(6) if tails else rng.standard_normal((n, 9))
    rows = raw @ np.linalg.cholesky(truth.covariance).T
    return DataSet("study", tuple(Column(name, "number", rows[:, i]) for i, name in enumerate(table.observed)))


def quick(text: str, data: DataSet, **how: object) -> Quick:
    found = quick_fit(parse(text), data, Settings(**how))  # type: ignore[arg-type]
    assert found is not None
    return found


def test_nested_models_are_known_by_their_numbers() -> None:
    """A model with a path less is nested whatever it is called; one with other paths is not, and is not tested."""
    data = study()
    whole = quick(THREE, data)
    without = quick(THREE.replace("A leads to B, C", "A leads to B"), data)
    found = compare(whole, without)
    assert found.nested
    assert found.difference is not None
    assert found.difference.df == 1
    assert found.difference.chi_square == pytest.approx(without.estimation.statistic - whole.estimation.statistic)
    assert found.difference.p_value == pytest.approx(stats.chi2.sf(found.difference.chi_square, 1))
    assert compare(without, whole) == found
    measurement = quick("A shows in a1, a2, a3\nB shows in b1, b2, b3\nC shows in c1, c2, c3", data)
    same = compare(whole, measurement)
    assert same.nested
    assert same.difference is None
    assert "equivalent" in same.reason
    other = quick(THREE.replace("A leads to B, C", "A leads to B") + "a1 and b1 covary\na2 and c1 covary", data)
    apart = compare(other, quick(THREE + "b1 and c1 covary", data))
    assert not apart.nested
    assert apart.difference is None
    fewer = quick(THREE.replace("c1, c2, c3", "c1, c2"), data)
    assert "other data" in compare(whole, fewer).reason


def test_scaled_difference_by_its_formula() -> None:
    """Satorra & Bentler (2001) from the two statistics and their factors; the plain one stands beside it."""
    data = study(5, 600, tails=True)
    whole = quick(THREE, data, errors="satorra-bentler")
    without = quick(THREE.replace("A leads to B, C", "A leads to B"), data, errors="satorra-bentler")
    found = compare(whole, without).difference
    assert found is not None
    assert found.scaled is not None
    first, second = without.factor(), whole.factor()
    assert first is not None
    assert second is not None
    scale = (without.df * first - whole.df * second) / (without.df - whole.df)
    assert found.scaled == pytest.approx(found.chi_square / scale, rel=1e-9)


def test_every_path_at_zero_agrees_with_its_z() -> None:
    """Δχ² of one path is about z², so a reader can trust either."""
    data = study(7, 2000)
    tests = paths_at_zero(parse(THREE), data, Settings())
    assert [(t.source, t.target) for t in tests] == [("A", "B"), ("A", "C"), ("B", "C")]
    for test in tests:
        assert test.difference is not None
        assert test.z is not None
        assert test.difference.df == 1
        assert test.difference.chi_square == pytest.approx(test.z**2, rel=0.4)


def test_joint_hypotheses_by_three_routes() -> None:
    """Wald, score and Δχ² of the same hypothesis are near each other in a large sample, with the same df."""
    data = study(9, 3000)
    whole = parse(THREE)
    zero = joint_test(parse(THREE + "hold A > C at 0\nhold B > C at 0"), whole, data, Settings())
    assert zero is not None
    assert zero.difference is not None
    assert zero.df == 2
    equal = joint_test(parse(THREE + "match A > a2, A > a3"), whole, data, Settings())
    assert equal is not None
    assert equal.difference is not None
    assert equal.wald is not None
    assert equal.score is not None
    assert equal.df == 1
    assert equal.wald == pytest.approx(equal.difference.chi_square, rel=0.1, abs=0.2)
    assert equal.score == pytest.approx(equal.difference.chi_square, rel=0.1, abs=0.2)
    alone = joint_test(parse(THREE + "hold A > C at 0"), whole, data, Settings())
    single = paths_at_zero(whole, data, Settings())[1]
    assert alone is not None
    assert single.z is not None
    assert alone.wald == pytest.approx(single.z**2, rel=1e-8)
    assert joint_test(whole, whole, data, Settings()) is None


def test_information_weights_sum_to_one() -> None:
    """The best model has the largest weight, and a gap of 10 leaves next to nothing."""
    weights = information_weights([100.0, 110.0, None])
    assert weights[0] == pytest.approx(1 / (1 + np.exp(-5)))
    assert weights[2] is None
    assert weights[0] is not None
    assert weights[1] is not None
    assert weights[0] + weights[1] == pytest.approx(1)


def test_full_information_models_are_compared_too() -> None:
    """Missing answers do not switch the comparison off."""
    data = study(11, 400)
    rng = np.random.default_rng(1)
    columns = tuple(
        Column(c.name, "number", np.where(rng.random(400) < 0.1, np.nan, c.numbers)) for c in data.columns if c.numbers is not None
    )  # fmt: skip
    holed = DataSet("holed", columns)
    how = {"missing": "full-information"}
    found = compare(quick(THREE, holed, **how), quick(THREE.replace("A leads to B, C", "A leads to B"), holed, **how))
    assert found.nested
    assert found.difference is not None
    assert found.difference.df == 1
