"""The held-out half: both halves are what separate analyses of their cases give, and the distance between them is F(S₂, Σ̂₁)."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.core.observations.steps import HoldOutHalf, other_half
from dusk_arrow.core.observations.taking_steps import apply_steps
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.document import Results
from dusk_arrow.results.holdout import holdout, opened
from dusk_arrow.results.settings import Settings
from tests.results.golden_cases import THREE, cases

COLUMNS = tuple(f"{c}{i}" for c in "abc" for i in (1, 2, 3))


def document(data: DataSet, **settings: Any) -> Results:
    return assemble(analyse(parse(THREE), data, Settings(**settings)))


def correlations(covariance: Any) -> Any:
    values = np.array(covariance)
    sd = np.sqrt(np.diag(values))
    return values / np.outer(sd, sd)


@pytest.mark.parametrize("settings", [{}, {"estimator": "uls"}, {"estimator": "plsc"}, {"divisor": "n-1"}])
def test_both_halves_are_fitted_freely_and_held_against_the_first(settings: dict[str, Any]) -> None:
    """The only honest confirmation left after changes that came from the data."""
    steps = [HoldOutHalf(COLUMNS, 5, opened=True)]
    first, second = (apply_steps(cases(), s)[0] for s in (steps, other_half(steps)))
    results = document(first, **settings)
    found = opened(results, cases(), steps)
    assert found is not None
    alone = document(second, **settings)
    assert (found.seed, found.first.n, found.second.n) == (5, 200, 200)
    assert found.second.fit == alone.fit
    assert found.first.fit == results.fit
    assert [p.standardized for p in found.second.paths] == [
        p.standardized for p in alone.parameters if p.kind == "path"
    ]
    assert results.implied is not None
    assert results.sample is not None
    assert alone.sample is not None
    implied, own, other = (np.array(m.covariance) for m in (results.implied, results.sample, alone.sample))
    for sample, value in ((own, found.own_discrepancy), (other, found.discrepancy)):
        if settings.get("estimator") == "plsc":
            expected = 0.5 * ((correlations(sample) - correlations(implied)) ** 2).sum()
        elif settings.get("estimator") == "uls":
            expected = 0.5 * ((sample - implied) ** 2).sum()
        else:
            ratio = np.linalg.solve(implied, sample)
            expected = np.trace(ratio) - np.linalg.slogdet(ratio)[1] - len(sample)
        assert value == pytest.approx(expected, rel=1e-6)
    assert found.discrepancy > found.own_discrepancy  # type: ignore[operator]


def test_a_half_that_is_the_same_is_as_far_as_the_first_itself() -> None:
    """Cross-validation on the same cases has to cost nothing."""
    results = document(cases())
    found = holdout(results, cases(), cases(), 1)
    assert found.discrepancy == pytest.approx(found.own_discrepancy)
    assert found.first == found.second


def test_a_closed_half_says_nothing() -> None:
    """Whoever has not opened it must not see it, not even by asking for the document."""
    closed = [HoldOutHalf(COLUMNS, 5)]
    results = document(apply_steps(cases(), closed)[0])
    assert opened(results, cases(), closed) is None
    assert opened(results, cases(), []) is None


def test_a_half_that_cannot_be_estimated_says_why() -> None:
    """An empty column of figures would be read as zero differences."""
    data = cases()
    few = DataSet("few", tuple(replace(c, numbers=c.numbers[:4]) for c in data.columns if c.numbers is not None))
    found = holdout(document(data), data, few, 1)
    assert found.second.message
    assert found.second.fit is None
    assert found.discrepancy is None
