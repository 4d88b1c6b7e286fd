"""The layout: nothing overlaps, nothing crosses a card, causes stand left of effects."""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dusk_arrow.core.specification.model import read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.figure.board import board
from dusk_arrow.figure.geometry import Box
from dusk_arrow.figure.layering import crossings, order_columns
from dusk_arrow.figure.layout import arrange
from dusk_arrow.figure.parts import Arrow, Card
from dusk_arrow.figure.text import fit_text, text_width
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.settings import Settings
from tests.conftest import demo_data, demo_text, paper_figure


def random_model(seed: int) -> tuple[list[Card], list[Arrow]]:
    rng = np.random.default_rng(seed)
    count = int(rng.integers(2, 16))
    cards = [Card(f"c{i}", float(rng.uniform(90, 220)), float(rng.uniform(40, 240))) for i in range(count)]
    arrows = [
        Arrow(f"c{i}", f"c{j}", 54, 32)
        for j in range(count)
        for i in range(j)
        if rng.random() < (0.9 if j - i == 1 else 0.15)
    ]
    return cards, arrows


@given(seed=st.integers(0, 4000))
def test_cards_never_overlap_and_arrows_never_cross_cards(seed: int) -> None:
    """A figure that has to be redrawn by hand is no figure."""
    cards, arrows = random_model(seed)
    layout = arrange(cards, arrows)
    boxes = list(layout.cards.items())
    for i, (_, box) in enumerate(boxes):
        assert all(box.overlap(other, 8) == 0 for _, other in boxes[:i])
    for routed in layout.arrows:
        for name, box in boxes:
            if name in (routed.source, routed.target):
                continue
            assert not any(box.contains(p, -1) for c in routed.curves for p in c.samples(24)), (
                routed.source,
                routed.target,
                name,
            )
        assert layout.cards[routed.source].x < layout.cards[routed.target].x


@given(seed=st.integers(0, 4000))
def test_labels_stay_off_the_cards(seed: int) -> None:
    """A label that covers a loading hides a number."""
    cards, arrows = random_model(seed)
    layout = arrange(cards, arrows)
    covered = sum(routed.label.overlap(box, 0) > 0 for routed in layout.arrows for box in layout.cards.values())
    assert covered == 0


def test_crossings_are_minimised() -> None:
    """Two arrows that need not cross do not."""
    columns = [["a", "b", "c"], ["x", "y", "z"]]
    links = [("a", "z"), ("b", "y"), ("c", "x")]
    assert crossings(columns, links) == 3
    assert crossings(order_columns(columns, links), links) == 0


def test_pinned_cards_stay_and_others_give_way() -> None:
    """What the user has put somewhere is not moved; the rest makes room."""
    cards = [Card("a", 100, 80), Card("b", 100, 80), Card("c", 100, 80)]
    arrows = [Arrow("a", "b", 40, 30), Arrow("b", "c", 40, 30)]
    free = arrange(cards, arrows)
    spot = (free.cards["a"].x + 20, free.cards["a"].y + 10)
    pinned = arrange(cards, arrows, {"c": spot})
    assert (pinned.cards["c"].x, pinned.cards["c"].y) == spot
    assert pinned.cards["a"].overlap(pinned.cards["c"]) == 0


def test_circles_are_drawn_too() -> None:
    """A reciprocal model has no first cause, but still a picture."""
    cards = [Card("a", 100, 80), Card("b", 100, 80)]
    layout = arrange(cards, [Arrow("a", "b", 40, 30), Arrow("b", "a", 40, 30)])
    assert len(layout.arrows) == 2
    assert layout.arrows[0].label.overlap(layout.arrows[1].label) == 0


def test_text_is_measured() -> None:
    """Long names are cut to their card, not over its edge."""
    assert text_width("WWW", 10) > text_width("iii", 10)
    assert text_width("abc", 20) == pytest.approx(2 * text_width("abc", 10))
    cut = fit_text("Organisational citizenship behaviour", 14, 100)
    assert cut.endswith("…")
    assert text_width(cut, 14) <= 100


def test_board_of_the_demo() -> None:
    """The board has every card and arrow, in the order of causes, and fits beside shelf and lens."""
    specification = parse(demo_text("river_wardens"))
    results = assemble(analyse(specification, demo_data("river_wardens"), Settings()))
    found = board(read(specification), results, {})
    x = {card.name: card.box.x for card in found.cards}
    assert x["Training"] < x["Efficacy"] < x["Stewardship"] < x["Persistence"]
    assert len(found.arrows) == 7
    assert found.width < 960
    assert next(c for c in found.cards if c.name == "Effort").kind == "formative"


@pytest.mark.parametrize("study", ["river_wardens", "night_ferry"])
def test_figure_is_wellformed_and_complete(study: str) -> None:
    """The SVG must open anywhere and show every name and every path coefficient."""
    results = assemble(analyse(parse(demo_text(study)), demo_data(study), Settings()))
    text = paper_figure(results)
    root = ET.fromstring(text)
    words = [element.text or "" for element in root.iter("{http://www.w3.org/2000/svg}text")]
    model = read(parse(results.model))
    for name in (*model.structure_nodes, *(n for c in model.constructs for n in c.indicators)):
        assert name in words
    paths = [p for p in results.parameters if p.kind == "path"]
    assert len(root.findall("{http://www.w3.org/2000/svg}ellipse")) == len(model.constructs)
    for p in paths:
        assert f"{abs(p.standardized or 0):.2f}"[1:] in " ".join(words)
    assert "http" not in re.sub(r"http://www.w3.org/2000/svg", "", text)
    open_ended = [
        p for p in paths if p.standardized_interval and p.standardized_interval[0] <= 0 <= p.standardized_interval[1]
    ]
    assert text.count("stroke-dasharray") == len(open_ended)


@pytest.mark.parametrize("study", ["river_wardens", "night_ferry"])
def test_r_squared_stands_beside_its_shape(study: str) -> None:
    """Inside an ellipse stands its name alone; R² is near, and touches neither shapes nor other words."""
    results = assemble(analyse(parse(demo_text(study)), demo_data(study), Settings()))
    root = ET.fromstring(paper_figure(results))
    space = "{http://www.w3.org/2000/svg}"
    shapes = [
        Box(float(e.get("cx", 0)) - float(e.get("rx", 0)), float(e.get("cy", 0)) - float(e.get("ry", 0)),
            2 * float(e.get("rx", 0)), 2 * float(e.get("ry", 0)))
        for e in root.iter(f"{space}ellipse")
    ] + [
        Box(float(e.get("x", 0)), float(e.get("y", 0)), float(e.get("width", 0)), float(e.get("height", 0)))
        for e in root.iter(f"{space}rect") if e.get("stroke")
    ]  # fmt: skip
    shown = [e for e in root.iter(f"{space}text") if (e.text or "").startswith("R²")]
    assert len(shown) == len([p for p in results.parameters if p.kind == "path"] and
                             {p.to for p in results.parameters if p.kind == "path"})  # fmt: skip
    for e in shown:
        width = text_width(e.text or "", 11)
        box = Box(float(e.get("x", 0)) - width / 2, float(e.get("y", 0)) - 8, width, 10)
        assert all(box.overlap(shape) == 0 for shape in shapes), e.text
