"""The table of what-ifs: every row is exactly what the change would make, in both families."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.core.specification.applying import apply
from dusk_arrow.core.specification.changes import AddIndicators, SetAside
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.readout import figure_value
from dusk_arrow.results.settings import Settings
from dusk_arrow.results.what_ifs import ItemWhatIf, estimator_of, item_what_ifs, left_out_what_ifs, with_what_ifs
from tests.conftest import demo_data, demo_text
from tests.results.golden_cases import cases

TEXT = "A shows in a1..a3\nB shows in b1..b3\nF is made of x, z\nC shows in c1..c3\nD shows in A, B\nF leads to C\nD leads to C"
PLAIN = 'A shows in a1..a3\nB shows in b1..b3\nC shows in c1, c2\nA leads to B\nB leads to C\nkeep a2 in A because "the claim"'


def rows_of(text: str, source: DataSet, **settings: object) -> list[ItemWhatIf]:
    estimate = estimator_of(source, Settings(**settings))
    specification = parse(text)
    return item_what_ifs(specification, estimate(specification), estimate)


def short_of(name: str, count: int) -> DataSet:
    """The cases, some of which did not answer one item: without it there would be more of them."""
    data, columns = cases(), []
    for column in data.columns:
        if column.name == name and column.numbers is not None:
            numbers = column.numbers.copy()
            numbers[:count] = np.nan
            column = replace(column, numbers=numbers)
        columns.append(column)
    return replace(data, columns=tuple(columns))


@pytest.mark.parametrize("family", ["covariance", "composite"])
def test_every_row_is_the_change_itself(family: str) -> None:
    """A preview that differs from what comes of it would be worse than none."""
    data = short_of("a3", 25)
    estimate = estimator_of(data, Settings(family=family))
    specification = parse(PLAIN)
    rows = rows_of(PLAIN, data, family=family)
    assert [(row.construct_, row.indicator) for row in rows] == [
        *(("A", f"a{i}") for i in (1, 2, 3)), *(("B", f"b{i}") for i in (1, 2, 3)), ("C", "c1"), ("C", "c2"),
    ]  # fmt: skip
    now = estimate(specification)
    for row in rows:
        then = estimate(apply(specification, SetAside(row.construct_, row.indicator)))
        assert row.estimated == then.converged
        if not then.converged:
            assert row.message
            continue
        assert then.data is not None
        assert now.data is not None
        assert row.n_used == then.data.n_used
        assert row.other_data == (then.data.n_used != now.data.n_used)
        for figure in row.figures:
            if figure.about is None:
                assert (figure.now, figure.then) == (figure_value(now, figure.key), figure_value(then, figure.key))
        own = {c.name: c for c in (then.quality.constructs if then.quality else [])}[row.construct_]
        found = {figure.key: figure.then for figure in row.figures if figure.about}
        assert found == {"ave": own.ave, "composite_reliability": own.composite_reliability, "alpha": own.alpha}
    assert [row.indicator for row in rows if row.kept] == ["a2"]
    assert [row.indicator for row in rows if row.other_data] == ["a3"]


def test_the_path_that_moves_most_is_named() -> None:
    """Whoever sets an item aside for its loading should see what it does to the claim."""
    estimate = estimator_of(cases(), Settings())
    specification = parse(PLAIN)
    now = estimate(specification)
    for row in item_what_ifs(specification, now, estimate):
        then = estimate(apply(specification, SetAside(row.construct_, row.indicator)))
        if not then.converged:
            continue
        after = {(p.from_, p.to): p.standardized for p in then.parameters if p.kind == "path"}
        moves = {
            (p.from_, p.to): abs((after[p.from_, p.to] or 0) - (p.standardized or 0))
            for p in now.parameters
            if p.kind == "path"
        }
        assert row.largest_path is not None
        assert (row.largest_path.from_, row.largest_path.to) == max(moves, key=lambda pair: moves[pair])


def test_a_criterion_that_is_crossed_is_marked() -> None:
    """○ to ● is what people look for; a figure that stays on its side is not marked, however far it moves."""
    for row in rows_of(PLAIN, cases()):
        for figure in row.figures:
            differs = figure.verdict_now != figure.verdict_then and "none" not in (
                figure.verdict_now,
                figure.verdict_then,
            )
            assert figure.crosses == differs


@pytest.mark.parametrize("family", ["covariance", "composite"])
def test_parts_and_last_items_are_not_offered(family: str) -> None:
    """A construct without indicators is no model, and a part of a whole is no item."""
    rows = rows_of(TEXT, cases(), family=family)
    named = {(row.construct_, row.indicator) for row in rows}
    assert ("F", "x") in named
    assert not any(construct == "D" for construct, _ in named)
    assert all(row.type == "set_aside" for row in rows)


def test_what_is_left_out_is_let_in_as_the_change_would() -> None:
    """The index is a forecast; the refit is what comes of it, and both have to be of the same change."""
    data = demo_data("river_wardens")
    estimate = estimator_of(data, Settings())
    specification = parse(demo_text("river_wardens"))
    now = assemble(analyse(specification, data, Settings()))
    rows = left_out_what_ifs(specification, now, estimate, most=6)
    assert [row.index for row in rows] == sorted((row.index for row in rows), reverse=True)
    kinds = {row.change.type for row in rows}
    assert kinds == {"set_covariance", "add_indicators"}
    for row in rows:
        then = estimate(apply(specification, row.change))
        assert row.estimated == then.converged
        assert now.fit is not None
        assert then.fit is not None
        assert now.fit.chi_square is not None
        assert row.chi_square_fall == pytest.approx(now.fit.chi_square - (then.fit.chi_square or 0), abs=1e-9)
        assert row.chi_square_fall == pytest.approx(row.index, rel=0.35)
        shown = {(f.key, f.about): f.then for f in row.figures}
        assert shown["cfi", None] == then.fit.cfi
    named = next(row for row in rows if row.change.type == "add_indicators")
    assert isinstance(named.change, AddIndicators)
    assert {f.about for f in named.figures if f.key == "ave"} >= {named.change.construct}


def test_composites_leave_nothing_out() -> None:
    """They have no such tests; an invented table would be worse than none."""
    estimate = estimator_of(cases(), Settings(family="composite"))
    now = estimate(parse(PLAIN))
    assert left_out_what_ifs(parse(PLAIN), now, estimate) == []


@pytest.mark.parametrize("family", ["covariance", "composite"])
def test_the_document_has_every_row(family: str) -> None:
    """The command line must not know less than the screen."""
    data, text = demo_data("river_wardens"), demo_text("river_wardens")
    settings = Settings(family=family)
    results = assemble(analyse(parse(text), data, settings))
    found = with_what_ifs(results, data).what_ifs
    assert found is not None
    estimate = estimator_of(data, settings)
    items = item_what_ifs(parse(text), results, estimate)
    aside = [row for row in found if row.change.type == "set_aside"]
    assert [(row.change.construct, row.change.indicator) for row in aside] == [  # type: ignore[union-attr]
        (item.construct_, item.indicator) for item in items
    ]
    for row, item in zip(aside, items, strict=True):
        then = estimate(apply(parse(text), row.change))
        assert row.n == (then.data.n_used if then.data and then.converged else None)
        if then.converged:
            assert then.fit is not None
            assert row.fit["srmr"] == then.fit.srmr
            assert set(row.crosses) == {
                f"{f.key} of {f.about}" if f.about else f.key for f in item.figures if f.crosses
            }
            assert item.construct_ == "Effort" or f"ave of {item.construct_}" in row.quality
    assert (len(found) > len(aside)) == (family == "covariance")
