"""Figures of made-up models by geometry: what lies on what."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from dusk_arrow.figure.drawing import Drawing, Ellipse, Label, Line, Rectangle, Words
from dusk_arrow.figure.framing import covered
from dusk_arrow.figure.geometry import middle_of
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.figure.paper import diagram
from dusk_arrow.figure.sizes import largest, sideways
from tests.figure.made_up import made_up

STYLES: tuple[dict[str, Any], ...] = (
    {}, {"direction": "down"}, {"arrows": "straight"}, {"arrows": "angled"}, {"notation": "cards"}, {"residuals": True, "beside": "stars"},
    {"parts": "measurement"}, {"covariances": True},
)  # fmt: skip


def shapes(drawing: Drawing) -> list[Rectangle | Ellipse]:
    return [item for item in drawing.items if isinstance(item, Rectangle | Ellipse) and item.node]


@pytest.mark.parametrize("style", STYLES, ids=str)
@pytest.mark.parametrize("constructs", [2, 3, 6, 10, 15, 20])
def test_nothing_hides_a_number(constructs: int, style: dict[str, Any]) -> None:
    """A label on a shape or on another label cannot be read, and one on a foreign line is read as that line's."""
    for seed in (0, 3):
        drawing = diagram(made_up(constructs, 3 + seed, seed, 2), FigureOptions(**style))
        labels = [item for item in drawing.items if isinstance(item, Label)]
        assert labels
        for i, label in enumerate(labels):
            assert not any(label.box.overlap(shape.box, -0.5) for shape in shapes(drawing)), label.words
            assert not any(label.box.overlap(other.box, -0.5) for other in labels[:i]), label.words
        assert covered(drawing.items, FigureOptions(**style)) == 0


@pytest.mark.parametrize("style", [{}, {"direction": "down"}, {"arrows": "angled"}, {"notation": "cards"}], ids=str)
@pytest.mark.parametrize("constructs", [3, 6, 10])
def test_covariances_run_through_no_number(constructs: int, style: dict[str, Any]) -> None:
    """A line of a covariance through a loading makes one number of two, or none."""
    for seed in (5, 6):
        results = made_up(constructs, 3, seed, 2, covariances=constructs // 3)
        drawing = diagram(results, FigureOptions(covariances=True, **style))
        bows = [item for item in drawing.items if isinstance(item, Line) and item.kind == "covariance"]
        assert len(bows) >= constructs // 3
        assert covered(drawing.items, FigureOptions(**style)) == 0
        for bow in bows:
            assert bow.ends is not None
            points = [point for curve in bow.full for point in curve.samples(60)]
            foreign = [shape.box for shape in shapes(drawing) if shape.node not in bow.ends]
            assert not any(box.contains(point, -1) for box in foreign for point in points), bow.ends


def test_a_loading_makes_way_for_a_covariance() -> None:
    """Where errors of many constructs covary a bow finds no way between the numbers; then one moves along its own arrow."""
    options = FigureOptions(covariances=True, direction="down")
    drawing = diagram(made_up(10, 3, 8, 2, covariances=3), options)
    assert covered(drawing.items, options) == 0


@pytest.mark.parametrize("style", STYLES, ids=str)
def test_no_path_runs_through_a_construct(style: dict[str, Any]) -> None:
    """A line through a shape, or through an item of its own construct, looks as if it led there."""
    for constructs in (4, 8, 15):
        drawing = diagram(made_up(constructs, 4, 1, 2), FigureOptions(**style))
        for line in drawing.items:
            if not isinstance(line, Line) or line.kind != "path" or line.ends is None:
                continue
            own = {end[0] for end in line.ends}
            points = [point for curve in line.full for point in curve.samples(24)]
            for shape in shapes(drawing):
                allowed = len(shape.node) == 1 and shape.node[0] in own
                assert allowed or not any(shape.box.contains(p, -1) for p in points), (line.ends, shape.node)


@pytest.mark.parametrize("style", [*STYLES, {"parts": "structure", "r_squared": False}], ids=str)
def test_a_model_of_one_or_two_constructs_is_drawn_in_every_style(style: dict[str, Any]) -> None:
    """Whoever begins with one construct, without a path or a number to draw, sees it."""
    for constructs, items in ((1, 3), (1, 1), (2, 12)):
        drawing = diagram(made_up(constructs, items, 0), FigureOptions(**style))
        assert len([shape for shape in shapes(drawing) if len(shape.node) == 1]) == constructs


@pytest.mark.parametrize("style", STYLES, ids=str)
def test_everything_is_inside_of_the_page_and_joined(style: dict[str, Any]) -> None:
    """What is clipped is lost in print; a line that ends nowhere is of nobody."""
    drawing = diagram(made_up(6, 4, 2), FigureOptions(**style))
    known = {shape.node for shape in shapes(drawing)} | {
        (*shape.node, item) for shape in shapes(drawing) for item in ("error",)
    }
    for item in drawing.items:
        if isinstance(item, Line):
            points = [p for curve in item.full or item.curves for p in curve.samples(12)]
            assert all(0 <= x <= drawing.width and 0 <= y <= drawing.height for x, y in points)
            assert item.ends is None or set(item.ends) <= known
        elif not isinstance(item, Rectangle) or item.node:
            for words in [item] if not hasattr(item, "words") else item.words:  # type: ignore[union-attr]
                assert 0 <= words.at[0] <= drawing.width
                assert 0 <= words.at[1] <= drawing.height


def test_a_width_in_millimetres_is_the_width_in_print() -> None:
    """A figure that a journal scales once more has type of another size than was promised."""
    for width in (84.0, 174.0):
        drawing = diagram(made_up(4, 3, 1), FigureOptions(width=width))
        assert drawing.width * drawing.scale == pytest.approx(width * 72 / 25.4)
        sizes = {words.size * drawing.scale for words in drawing.words()}
        assert drawing.smallest == pytest.approx(min(sizes))


def test_a_construct_that_was_moved_by_hand_stays_there() -> None:
    """Somebody put it there for a reason; what is around it gives way."""
    results = made_up(5, 3, 4)
    before, after = (
        {shape.node: shape.box.centre for shape in shapes(diagram(results, FigureOptions(places=places)))}
        for places in ({}, {"Clarity": (400.0, 300.0)})
    )
    assert before["Clarity",] != after["Clarity",]
    drawing = diagram(results, FigureOptions(places={"Clarity": (400.0, 300.0)}))
    ellipses = [shape for shape in shapes(drawing) if isinstance(shape, Ellipse)]
    assert not any(a.box.overlap(b.box) for i, a in enumerate(ellipses) for b in ellipses[:i])


def test_what_was_put_beside_a_line_by_hand_stays_by_its_middle() -> None:
    """A number that somebody moved goes along with its arrow, and nothing else moves; the same for R²."""
    results = made_up(4, 3, 4)
    plain = diagram(results)
    handles = {i.handle.key: i for i in plain.items if isinstance(i, Label | Words) and i.handle is not None}
    path, loading, share = (
        next(key for key, item in handles.items() if kind(item))
        for kind in (
            lambda item: isinstance(item, Label) and item.ends and all(len(end) == 1 for end in item.ends),
            lambda item: isinstance(item, Label) and item.ends and any(len(end) == 2 for end in item.ends),
            lambda item: isinstance(item, Words),
        )
    )
    options = FigureOptions(label_places={path: (30.0, -25.0), loading: (-9.0, 14.0), share: (0.0, 40.0)})
    moved = diagram(results, options)
    found = {i.handle.key: i for i in moved.items if isinstance(i, Label | Words) and i.handle is not None}
    for key, place in options.label_places.items():
        item = found[key]
        box = item.box if isinstance(item, Label) else moved.box_of(item)
        assert item.handle is not None
        assert np.subtract(box.centre, item.handle.at) == pytest.approx(place)
    lines = {i.ends: i for i in moved.items if isinstance(i, Line)}
    line = lines[found[path].ends]  # type: ignore[union-attr]
    assert found[path].handle.at == pytest.approx(middle_of(line.full))  # type: ignore[union-attr]
    assert [s.box.width for s in shapes(moved)] == [s.box.width for s in shapes(plain)]


def test_what_was_put_on_something_by_hand_moves_nothing() -> None:
    """Somebody who drags a number over another one has the figure rearranged under the hand, and the number is elsewhere."""
    results = made_up(6, 3, 2, 2)
    plain = diagram(results)
    values = [i for i in plain.items if isinstance(i, Label) and i.ends and all(len(end) == 1 for end in i.ends)]
    (first, last) = (one.handle for one in (values[0], values[-1]) if one.handle is not None)
    onto = (last.at[0] - first.at[0], last.at[1] - first.at[1])
    moved = diagram(results, FigureOptions(label_places={first.key: onto}))
    assert moved.places == plain.places
    assert (moved.width, moved.height) == (plain.width, plain.height)


def test_many_items_are_not_drawn_unasked() -> None:
    """Ninety rectangles are too small to be read on any page; who wants them says so."""
    results = made_up(11, 6, 2)
    assert not [s for s in shapes(diagram(results)) if len(s.node) == 2]
    assert len([s for s in shapes(diagram(results, FigureOptions(parts="both"))) if len(s.node) == 2]) == 66
    assert len([s for s in shapes(diagram(made_up(4, 3, 2))) if len(s.node) == 2]) == 12


def test_a_figure_is_no_larger_than_its_page() -> None:
    """What is promised as the smallest type is what comes out of the printer."""
    mm = 72 / 25.4
    flat, tall = Drawing(600, 200, "", ()), Drawing(400, 500, "", ())
    assert 600 * largest(flat, 84) == pytest.approx(84 * mm)
    assert 600 * largest(flat, 257) == pytest.approx(257 * mm)  # on its side
    assert 500 * largest(tall, 300) == pytest.approx(
        500 * 174 * mm / 400
    )  # upright: higher on that page than on its side
    assert 900 * largest(Drawing(300, 900, "", ()), 174) == pytest.approx(225 * mm)
    assert sideways(replace(flat, scale=largest(flat, 257)))
    assert not sideways(replace(tall, scale=largest(tall, 300)))


@pytest.mark.parametrize("constructs", [4, 15])
@pytest.mark.parametrize("direction", ["across", "down"])
def test_variances_of_errors_stand_beside_their_items(direction: Any, constructs: int) -> None:
    """An error variance on somebody else's rectangle is read as another number, few items or many."""
    options = FigureOptions(parts="both", direction=direction, residuals=True, note=False, r_squared=False)
    drawing = diagram(made_up(constructs, 6, 2, 2), options)
    said = [drawing.box_of(item) for item in drawing.items if isinstance(item, Words)]
    assert len(said) == 6 * constructs
    assert not [1 for box in said for shape in shapes(drawing) if box.overlap(shape.box, -1) > 0]
    assert not [1 for i, box in enumerate(said) for other in said[:i] if box.overlap(other, 3) > 0]


@pytest.mark.parametrize("beside", ["interval", "stars"])
@pytest.mark.parametrize("notation", ["literature", "cards"])
def test_fifteen_constructs_with_their_items_can_be_read_on_a_page(notation: Any, beside: Any) -> None:
    """A reviewer who wants to see every loading gets them in one figure, not too small to be read."""
    for seed in (1, 2, 3):
        options = FigureOptions(parts="both", direction="down", notation=notation, beside=beside)
        drawing = diagram(made_up(15, 6, seed, 2), options)
        assert drawing.smallest / drawing.scale * largest(drawing, 174) >= 6
        assert covered(drawing.items, options) == 0
        assert sum(bool(re.fullmatch(r"[a-z]{3}\d", one.text)) for one in drawing.words()) == 90
        ways = ways_of(drawing)
        rectangles = [shape.box for shape in shapes(drawing) if len(shape.node) == 2]
        assert len(rectangles) == (90 if notation == "literature" else 0)
        assert not [box for i, box in enumerate(rectangles) for other in rectangles[:i] if box.overlap(other) > 0]
        assert not [box for box in rectangles if any(box.contains(point, -1) for way in ways for point in way)], (
            "no path runs through an item, its own construct's neither"
        )


def ways_of(drawing: Drawing) -> list[list[tuple[float, float]]]:
    """Points along every path."""
    lines = [item for item in drawing.items if isinstance(item, Line) and item.kind == "path"]
    return [[point for curve in line.full for point in curve.samples(60)] for line in lines]


@pytest.mark.parametrize("wide", [{}, {"decimals": 3, "leading_zero": True}], ids=["usual", "wide numbers"])
def test_items_in_two_columns_of_a_card_keep_apart(wide: dict[str, Any]) -> None:
    """A loading that runs into the name of the next item is read as another number."""
    drawing = diagram(made_up(15, 6, 2, 2), FigureOptions(parts="both", notation="cards", **wide))
    for shape in shapes(drawing):
        boxes = [drawing.box_of(words) for words in shape.words]
        items = {words.at[1] for words in shape.words if re.fullmatch(r"[a-z]{3}\d", words.text)}
        assert len(items) == 3 or wide, "six items in three rows"
        assert not [1 for i, box in enumerate(boxes) for other in boxes[:i] if box.overlap(other, 2) > 0]


@pytest.mark.parametrize("style", [{"direction": "down"}, {}], ids=str)
def test_explained_variance_stands_on_no_arrow(style: dict[str, Any]) -> None:
    """An R² with a line through it is misread."""
    drawing = diagram(made_up(15, 6, 2, 2), FigureOptions(parts="both", beside="stars", **style))
    said = [drawing.box_of(item) for item in drawing.items if isinstance(item, Words) and item.text.startswith("R²")]
    assert len(said) == 14
    assert sum(any(box.contains(point, -1) for point in way) for box in said for way in ways_of(drawing)) == 0
