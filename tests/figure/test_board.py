"""The board of generated models: nothing overlaps, nothing is cut off, and everything is as large as there is room for."""

from __future__ import annotations

import itertools
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dusk_arrow.core.observations.data import Column
from dusk_arrow.core.specification.model import read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.figure import board as boards
from dusk_arrow.figure.board import View, board
from dusk_arrow.figure.geometry import Box
from dusk_arrow.figure.layering import crossings, order_columns
from dusk_arrow.figure.layout import arrange
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.figure.paper import diagram
from dusk_arrow.figure.parts import Arc, Arrow, Card
from dusk_arrow.figure.scene import Board, BoxPart
from dusk_arrow.figure.spreading import scale_of, spread
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.settings import Settings
from tests.conftest import demo_data, demo_text
from tests.report.situations import GROWTH, growth

ROOM = (736.0, 530.0)


def generated(seed: int, count: int) -> str:
    """A model of some constructs with two to six items each and paths from earlier to later ones."""
    rng = np.random.default_rng(seed)
    lines = [f"C{i} shows in " + ", ".join(f"x{i}_{j}" for j in range(int(rng.integers(2, 7)))) for i in range(count)]
    share = 0.4 if count <= 6 else 2.2 / count
    lines += [f"C{i} leads to C{j}" for j in range(count) for i in range(j) if rng.random() < share]
    return "\n".join(lines)


def boxed(part: BoxPart) -> Box:
    return Box(part.x, part.y, part.width, part.height)


def overlaps(boxes: list[Box], others: list[Box] | None = None) -> int:
    """How many pairs share more than a hair."""
    pairs = itertools.combinations(boxes, 2) if others is None else itertools.product(boxes, others)
    return sum(a.overlap(b, -0.5) > 0 for a, b in pairs)


@pytest.fixture
def numbered(monkeypatch: pytest.MonkeyPatch) -> None:
    """Labels as wide as numbers make them, without estimating anything."""
    monkeypatch.setattr(boards, "_label_size", lambda _, brief: (38.0, 19.0) if brief else (58.0, 32.0))


@pytest.mark.parametrize("count", [2, 3, 5, 6, 9, 12, 15, 20])
@pytest.mark.parametrize("seed", range(5))
@pytest.mark.usefixtures("numbered")
def test_cards_and_labels_keep_apart(count: int, seed: int) -> None:
    """A number that lies on another is a number that is read wrongly."""
    found = board(read(parse(generated(seed, count))), None, {}, View(ROOM))
    cards = [boxed(card.box) for card in found.cards]
    labels = [boxed(arrow.label) for arrow in found.arrows]
    assert len(cards) == count
    assert overlaps(cards) == 0
    assert overlaps(labels) == 0
    assert overlaps(labels, cards) == 0
    for box in (*cards, *labels):
        assert box.x >= 0
        assert box.y >= 0
        assert box.x + box.width <= found.width + 0.1
        assert box.y + box.height <= found.height + 0.1


def scale(found: Board) -> float:
    return min(ROOM[0] / found.width, ROOM[1] / found.height, 1.1)


@pytest.mark.parametrize("count", [4, 8, 15])
def test_a_model_without_paths_fills_its_board(count: int) -> None:
    """Not one column of unreadable cards: as many columns as make them largest, with their covariances."""
    text = "\n".join(f"C{i} shows in " + ", ".join(f"x{i}_{j}" for j in range(4)) for i in range(count))
    found = board(read(parse(text)), None, {}, View(ROOM))
    columns = {round(card.box.x + card.box.width / 2) // 30 for card in found.cards}
    assert len(columns) > 1
    assert scale(found) * 13 >= 11 or all(card.folded for card in found.cards)
    wide = board(read(parse(text)), None, {}, View((1400.0, 300.0)))
    tall = board(read(parse(text)), None, {}, View((300.0, 1400.0)))
    assert wide.width / wide.height > tall.width / tall.height


def test_cards_fold_where_rows_could_not_be_read() -> None:
    """In a small room names and suns stay readable; a card that was opened by hand stays open, one folded by hand folded."""
    model = read(parse(generated(1, 8)))
    roomy = board(model, None, {}, View((4000.0, 3000.0), folded=frozenset({"C2"})))
    assert [card.name for card in roomy.cards if card.folded] == ["C2"]
    small = board(model, None, {}, View((420.0, 260.0), opened=frozenset({"C0"})))
    assert [card.name for card in small.cards if not card.folded] == ["C0"]
    assert board(read(parse("")), None, {}, View(ROOM)).cards == [], "an empty board has room too"
    unlimited = board(model, None, {})
    assert not any(card.folded for card in unlimited.cards)


@settings(max_examples=60)
@given(seed=st.integers(0, 10_000))
def test_parting_columns_only_ever_makes_things_larger(seed: int) -> None:
    """Every card stays, in its order, and what is drawn is never smaller than before."""
    rng = np.random.default_rng(seed)
    names = [f"c{i}" for i in range(int(rng.integers(1, 18)))]
    sizes = {n: (float(rng.uniform(80, 200)), float(rng.uniform(40, 180))) for n in names}
    cuts = sorted(rng.choice(range(1, len(names) + 1), size=min(3, len(names)), replace=False).tolist())
    columns = [list(c) for c in (names[a:b] for a, b in itertools.pairwise([0, *cuts, len(names)])) if c]
    room = (float(rng.uniform(300, 1200)), float(rng.uniform(200, 900)))

    def scale(columns: list[list[str]]) -> float:
        return scale_of(columns, sizes, (60, 26), room)

    parted = spread(columns, {name: size[1] for name, size in sizes.items()}, 26, scale)
    assert [n for column in parted for n in column] == names
    assert scale(parted) >= scale(columns)


def fewest(columns: list[list[str]], links: list[tuple[str, str]]) -> int:
    """The least crossings over all orders of all columns."""
    orders = itertools.product(*(itertools.permutations(column) for column in columns))
    return min(crossings([list(c) for c in order], links) for order in orders)


@pytest.mark.parametrize("seed", range(25))
def test_crossings_are_near_the_fewest_there_can_be(seed: int) -> None:
    """Small models are compared with every possible order; large ones cannot be."""
    rng = np.random.default_rng(seed)
    columns = [[f"{c}{i}" for i in range(int(rng.integers(2, 5)))] for c in "abc"]
    links = [(a, b) for left, right in itertools.pairwise(columns) for a in left for b in right if rng.random() < 0.5]
    found = crossings(order_columns([list(c) for c in columns], links), links)
    assert found <= fewest(columns, links) + 1


def test_arcs_reach_their_cards_and_stay_in_the_picture() -> None:
    """A covariance ends at the edges of the two it is of, and a picture that begins left of it is moved."""
    cards = [Card(name, 120, 90) for name in "abcd"]
    arcs = [Arc(x, y, 30, 15) for x, y in itertools.combinations("abcd", 2)]
    layout = arrange(cards, [], arcs=arcs, room=(300, 700))
    for routed in layout.arcs:
        ends = (routed.curves[0].start, routed.curves[-1].end)
        for point, name in zip(ends, (routed.source, routed.target), strict=True):
            box = layout.cards[name]
            assert box.contains(point, 1)
            assert not box.contains(point, -1)
        for x, y in (p for curve in routed.curves for p in curve.samples()):
            assert 0 <= x <= layout.width
            assert 0 <= y <= layout.height


def test_lines_of_one_bundle_meet_their_card_together() -> None:
    """In a large model lines that lead to one place share their way; in a small one each has its own."""
    cards = [Card(f"c{i}", 100, 60) for i in range(12)]
    first, middle, last = [f"c{i}" for i in range(5)], ["c5", "c6", "c7", "c8"], ["c9", "c10", "c11"]
    arrows = [Arrow(a, b, 30, 18) for a in first for b in middle]
    arrows += [Arrow(a, b, 30, 18) for a in middle for b in last[:2]]
    arrows += [Arrow(a, "c9", 30, 18) for a in first]
    large = arrange(cards, arrows)
    ends = {r.curves[-1].end for r in large.arrows if r.target == "c9" and r.source in first}
    assert len(ends) == 1
    small = arrange(cards, [a for a in arrows if a.target == "c9"])
    assert len({r.curves[-1].end for r in small.arrows}) == len(small.arrows)


def test_every_covariance_that_is_estimated_can_be_seen() -> None:
    """Those a sentence states always, the others on demand; residuals stand at the rows of their items."""
    text = demo_text("river_wardens") + "st1 and st2 covary\nEfficacy and Stewardship covary\n"
    results = assemble(analyse(parse(text), demo_data("river_wardens"), Settings()))
    few = board(read(parse(text)), results, {}, View())
    assert {(a.from_, a.to, a.kind, a.said) for a in few.arcs} == {
        ("st1", "st2", "residual", True),
        ("Efficacy", "Stewardship", "node", True),
    }
    assert few.hidden_arcs == 1
    every = board(read(parse(text)), results, {}, View(arcs=True))
    assert {frozenset((a.from_, a.to)) for a in every.arcs} == {
        frozenset(("st1", "st2")), frozenset(("Efficacy", "Stewardship")), frozenset(("Training", "Support")),
    }  # fmt: skip
    estimated = {(p.from_, p.to): p.standardized for p in results.parameters if p.kind == "covariance"}
    for arc in every.arcs:
        assert arc.standardized == estimated.get((arc.from_, arc.to), estimated.get((arc.to, arc.from_)))
    residual = next(a for a in few.arcs if a.kind == "residual")
    card = next(c for c in few.cards if c.name == "Stewardship")
    rows = [card.box.y + 34 + 19 * (i + 0.5) for i in (0, 1)]
    assert sorted(round(h.y) for h in residual.heads) == [round(y) for y in rows]


def test_constructs_of_constructs_are_linked() -> None:
    """What a construct of second order shows in is drawn, and stands right of it."""
    text = "A shows in a1, a2, a3\nB shows in b1, b2, b3\nG shows in A, B\n"
    found = board(read(parse(text)), None, {}, View())
    assert {(a.kind, a.from_, a.to) for a in found.arrows} == {("loading", "G", "A"), ("loading", "G", "B")}
    x = {card.name: card.box.x for card in found.cards}
    assert x["G"] < min(x["A"], x["B"])


def test_growth_on_the_board_has_levels_and_no_verdicts_and_controls_fold_away() -> None:
    """What is asked of growth are the means, so they stand on the cards; its items say when, so none is weak. A control is grey, and
    hidden it takes its arrows along."""
    data = growth()
    rng = np.random.default_rng(1)
    wider = replace(data, columns=(*data.columns, Column("age", "number", rng.normal(40, 9, data.n))))
    for text in (GROWTH, GROWTH + "z leads to Level, Slope\nLevel and Slope covary\ncontrol age\n"):
        results = assemble(analyse(parse(text), wider, Settings()))
        found = board(read(parse(text)), results, {}, View())
        said = {p.from_: p.estimate for p in results.parameters if p.kind in ("mean", "intercept") and p.free}
        assert {c.name: c.mean for c in found.cards if c.rows} == {name: said[name] for name in ("Level", "Slope")}
        assert {row.verdict for card in found.cards for row in card.rows} == {"none"}
        assert {row.held for card in found.cards for row in card.rows} == {0, 1, 2, 3}
    assert {a.from_ for a in found.arrows if a.control} == {c.name for c in found.cards if c.control} == {"age"}
    folded = board(read(parse(text)), results, {}, View(controls=False))
    assert {c.name for c in folded.cards} == {"z", "Level", "Slope"}
    assert not any(a.control for a in folded.arrows)
    for own, note in ((False, "age is controlled for and not drawn."), (True, "")):
        written = diagram(results, FigureOptions(controls=own)).note
        assert note in written
        assert ("controlled for" in written) != own
        assert "8 loadings are held at values." in written
