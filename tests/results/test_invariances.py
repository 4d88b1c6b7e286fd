"""What must not change a result: units, the order of cases, items and lines, names, and how scales are set."""

from __future__ import annotations

from dataclasses import replace
from functools import cache
from typing import Any

import numpy as np
import pytest

from dusk_arrow.core.observations.data import Column, DataSet
from dusk_arrow.core.specification.applying import apply_all
from dusk_arrow.core.specification.changes import Rename
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.writing import write
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.document import Results
from dusk_arrow.results.settings import Settings
from tests.results.golden_cases import MEDIATED, THREE, cases, with_gaps

SECOND = THREE.split("A leads")[0] + "G shows in A, B, C\nx leads to G"
WAYS: dict[str, tuple[str, DataSet, dict[str, Any]]] = {
    "ml": (THREE, cases(), {}),
    "ml, n − 1": (MEDIATED, cases(), {"divisor": "n-1"}),
    "gls": (THREE, cases(), {"estimator": "gls"}),
    "adf": ("A shows in a1..a3\nB shows in b1..b3\nA leads to B", cases(), {"estimator": "adf"}),
    "scaled": (THREE, cases(), {"errors": "satorra-bentler"}),
    "sandwich": (THREE, cases(), {"errors": "sandwich"}),
    "full information": (THREE, with_gaps(), {"missing": "full-information"}),
    "second order": (SECOND, cases(), {}),
}
UNIT_FREE = ("ml", "gls", "adf", "scaled", "full information", "second order")


def document(text: str, data: DataSet, how: dict[str, Any]) -> Results:
    found = assemble(analyse(parse(text), data, Settings(**how)))
    assert found.converged, found.problems
    return found


def figures(found: Results, names: dict[str, str] | None = None) -> dict[str, float]:
    """Every figure of a document that has no unit, by what it is of; with names given, under the names of before."""
    back = names or {}

    def old(name: str) -> str:
        return back.get(name, name)

    assert found.fit is not None
    assert found.quality is not None
    values: dict[str, float | None] = {
        f"fit {k}": getattr(found.fit, k) for k in ("chi_square", "cfi", "rmsea", "srmr")
    }
    for p in found.parameters:
        pair = sorted((old(p.from_), old(p.to))) if p.kind == "covariance" else [old(p.from_), old(p.to)]
        values[f"{p.kind} {pair}"] = p.standardized
    values |= {f"R² {old(name)}": value for name, value in found.r_squared.items()}
    for c in found.quality.constructs:
        values |= {
            f"{figure} {old(c.name)}": getattr(c, figure) for figure in ("ave", "composite_reliability", "alpha")
        }
    for effect in found.effects:
        values[f"effect {[old(n) for n in (effect.from_, *(effect.via or ()), effect.to)]} {effect.kind}"] = (
            effect.standardized
        )
    return {key: value for key, value in values.items() if value is not None}


def same(one: dict[str, float], other: dict[str, float], tolerance: float = 2e-6) -> None:
    assert set(one) == set(other)
    for key, value in one.items():
        assert other[key] == pytest.approx(value, abs=tolerance, rel=1e-4 if key == "fit chi_square" else tolerance), (
            key
        )


def mapped(data: DataSet, change: Any) -> DataSet:
    """The data with every numeric column made anew."""
    columns = [c if c.numbers is None else replace(c, numbers=change(c.name, c.numbers)) for c in data.columns]
    return replace(data, columns=tuple(columns))


@cache
def usual(name: str) -> dict[str, float]:
    """The figures of one of the ways, as it is."""
    return figures(document(*WAYS[name]))


@pytest.mark.parametrize("name", WAYS)
def test_the_order_of_cases_and_columns(name: str) -> None:
    """A file sorted by something else is the same survey."""
    text, data, how = WAYS[name]
    rng = np.random.default_rng(5)
    order = rng.permutation(data.n)
    shuffled = mapped(data, lambda _, values: values[order])
    columns = tuple(shuffled.columns[i] for i in rng.permutation(len(shuffled.columns)))
    same(usual(name), figures(document(text, replace(shuffled, columns=columns), how)))


@pytest.mark.parametrize("name", UNIT_FREE)
@pytest.mark.parametrize("seed", range(2))
def test_units(name: str, seed: int) -> None:
    """Seconds or minutes, 1–7 or 0–100, higher or lower zero: no figure without a unit may notice. (α of raw answers has one.)"""
    text, data, how = WAYS[name]
    rng = np.random.default_rng(seed)
    factor = {c.name: float(np.exp(rng.uniform(-2, 2))) for c in data.columns}
    shift = {c.name: float(rng.normal(scale=10)) for c in data.columns}
    other = mapped(data, lambda column, values: shift[column] + factor[column] * values)
    bound = ("alpha", "intercept")
    found, before = (
        {key: value for key, value in every.items() if not key.startswith(bound)}
        for every in (figures(document(text, other, how)), usual(name))
    )
    same(before, found, 2e-5)


@pytest.mark.parametrize("name", WAYS)
def test_another_marker(name: str) -> None:
    """Which item carries the scale is a convention; the one with the strongest loading is as good as the first."""
    text, data, how = WAYS[name]
    turned = text.replace("a1..a3", "a3, a1, a2").replace("b1..b3", "b2, b3, b1")
    assert turned != text
    same(usual(name), figures(document(turned, data, how)), 2e-5)


@pytest.mark.parametrize("name", WAYS)
def test_marker_and_unit_variance(name: str) -> None:
    """The two ways to set a scale are one model."""
    text, data, how = WAYS[name]
    same(usual(name), figures(document(text, data, {**how, "scaling": "unit-variance"})), 2e-5)


@pytest.mark.parametrize("name", ["ml", "ml, n − 1", "second order"])
def test_the_order_of_lines(name: str) -> None:
    """Sentences are a set of statements; only the first item of a line means something by its place."""
    text, data, how = WAYS[name]
    lines = text.splitlines()
    for seed in range(3):
        order = np.random.default_rng(seed).permutation(len(lines))
        same(usual(name), figures(document("\n".join(lines[i] for i in order), data, how)))


@pytest.mark.parametrize("name", ["ml", "second order", "scaled"])
def test_names(name: str) -> None:
    """A construct may be called anything, in any script."""
    text, data, how = WAYS[name]
    new = {"A": "Zuversicht", "B": "a wish", "C": "ενέργεια"}
    renamed = write(apply_all(parse(text), [Rename(old, to) for old, to in new.items()]))
    same(usual(name), figures(document(renamed, data, how), {to: old for old, to in new.items()}))


@pytest.mark.parametrize("name", ["ml", "gls", "scaled", "sandwich"])
def test_columns_that_the_model_does_not_use(name: str) -> None:
    """Other questions of the survey, with gaps and without variance, have no say."""
    text, data, how = WAYS[name]
    gaps = np.full(data.n, np.nan)
    gaps[::3] = 1.0
    more = replace(data, columns=(*data.columns, Column("other", "number", gaps)))
    found, before = figures(document(text, more, how)), usual(name)
    assert found == before


@pytest.mark.parametrize("name", ["ml", "ml, n − 1", "gls"])
def test_every_case_twice(name: str) -> None:
    """Twice the cases: the same estimates, twice the χ² (with divisor n; nearly so with n − 1)."""
    text, data, how = WAYS[name]
    found = figures(document(text, mapped(data, lambda _, values: np.tile(values, 2)), how))
    before = dict(usual(name))
    ratio = found.pop("fit chi_square") / before.pop("fit chi_square")
    assert ratio == pytest.approx(2.0, rel=6e-3 if how else 1e-5)
    for key, value in before.items():
        if key.startswith(("loading", "path", "R²", "ave", "composite", "effect", "fit srmr")):
            assert found[key] == pytest.approx(value, abs=3e-5), key


def test_a_flipped_item_flips_its_own_signs_alone() -> None:
    """Reversing an answer scale turns that loading round and nothing else."""
    text, data, how = WAYS["ml"]
    flipped = mapped(data, lambda column, values: -values if column == "b2" else values)
    found, before = figures(document(text, flipped, how)), dict(usual("ml"))
    assert found["loading ['B', 'b2']"] == pytest.approx(-before["loading ['B', 'b2']"], abs=2e-6)
    for key, value in before.items():
        if "b2" not in key and not key.startswith(("alpha B", "composite_reliability B")):
            assert found[key] == pytest.approx(value, abs=2e-5), key


@pytest.mark.parametrize("seed", range(3))
def test_the_seed_alone_decides_the_resamples(seed: int) -> None:
    """The same seed gives the same intervals in any process; another seed gives others."""
    how = {"bootstrap": 60, "seed": seed}
    one, again = document(MEDIATED, cases(), how), document(MEDIATED, cases(), how)
    other = document(MEDIATED, cases(), {**how, "seed": seed + 1})

    def intervals(found: Results) -> list[Any]:
        return [p.bootstrap.percentile for p in found.parameters if p.bootstrap is not None]

    assert intervals(one)
    assert intervals(one) == intervals(again)
    assert intervals(one) != intervals(other)
