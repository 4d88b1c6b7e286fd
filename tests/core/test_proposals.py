"""Constructs proposed from names: the figures are those of the block's complete cases."""

from __future__ import annotations

import numpy as np
import pytest

from dusk_arrow.core.observations.data import Column, DataSet, Moments
from dusk_arrow.core.observations.stems import group_by_stem
from dusk_arrow.results.proposals import proposed_constructs


def survey(n: int = 120) -> DataSet:
    rng = np.random.default_rng(3)
    factor = rng.normal(size=n)
    values = {f"wa{i}": factor + rng.normal(size=n) for i in (1, 2, 3)} | {"wa4": -factor + rng.normal(size=n)}
    values |= {f"ri{i}": rng.normal(size=n) for i in (1, 2)} | {"age": rng.normal(size=n)}
    values["wa1"] = np.where(np.arange(n) < 7, np.nan, values["wa1"])
    return DataSet("survey", tuple(Column(name, "number", column) for name, column in values.items()))


def test_figures_are_those_of_complete_cases() -> None:
    """Mean, ends and alpha by NumPy's own correlations and the textbook's formula."""
    data = survey()
    found = {p.stem: p for p in proposed_constructs(data, group_by_stem(list(data.names)))}
    assert set(found) == {"wa", "ri"}, "a single column makes no block"
    whole = data.matrix(("wa1", "wa2", "wa3", "wa4"))[7:]
    r = np.corrcoef(whole.T)
    off = r[~np.eye(4, dtype=bool)]
    wa = found["wa"]
    assert wa.n == 113
    assert wa.mean_correlation == pytest.approx(off.mean())
    assert (wa.lowest_correlation, wa.highest_correlation) == (pytest.approx(off.min()), pytest.approx(off.max()))
    s = np.cov(whole.T)
    assert wa.alpha == pytest.approx(4 / 3 * (1 - np.trace(s) / s.sum()))
    assert (wa.weakest, wa.against) == ("wa4", ["wa4"])
    assert found["ri"].weakest is None, "of two items neither is the weaker"


def test_what_cannot_be_correlated_is_proposed_without_figures() -> None:
    """Constant columns, too few cases and text leave the names, and no made-up number."""
    few = survey(8)
    assert [p.mean_correlation for p in proposed_constructs(few, group_by_stem(list(few.names)))] == [None, None]
    flat = DataSet("flat", (Column("wa1", "number", np.ones(40)), Column("wa2", "number", np.arange(40.0))))
    (only,) = proposed_constructs(flat, group_by_stem(["wa1", "wa2"]))
    assert (only.columns, only.alpha, only.n) == (["wa1", "wa2"], None, 0)
    words = DataSet("words", (Column("wa1", "text", None, ("a",) * 40), Column("wa2", "number", np.arange(40.0))))
    assert proposed_constructs(words, group_by_stem(["wa1", "wa2"])) == []


def test_a_matrix_has_its_own_correlations() -> None:
    """Published correlations are evidence too."""
    r = np.array([[1, 0.5, 0.3], [0.5, 1, 0.4], [0.3, 0.4, 1]])
    matrix = Moments("published", ("wa1", "wa2", "wa3"), r, 200)
    (only,) = proposed_constructs(matrix, group_by_stem(["wa1", "wa2", "wa3"]))
    assert only.mean_correlation == pytest.approx(0.4)
    assert only.alpha == pytest.approx(3 * 0.4 / (1 + 2 * 0.4))
    assert (only.n, only.weakest) == (200, "wa3")
