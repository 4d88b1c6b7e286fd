"""What a figure is checked by: whether labels lie on something, and how far everything reaches."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dusk_arrow.figure.drawing import Handle, Item, Label, Line, Node, Rectangle, Words
from dusk_arrow.figure.framing import bounds, covered, framed, moved, wrapped
from dusk_arrow.figure.geometry import Box, Curve, edges, runs_through, straight
from dusk_arrow.figure.options import FigureOptions

OPTIONS = FigureOptions()
ENDS: tuple[Node, Node] = (("a",), ("b",))
OTHERS: tuple[Node, Node] = (("a",), ("c",))


def label(box: Box, ends: tuple[Node, Node] | None = ENDS) -> Label:
    return Label(box, "#ffffff", (Words(box.centre, ".43", 10, "#000000"),), ends, Handle(str(ends), (0.0, 0.0)))


def line(y: float, ends: tuple[Node, Node] | None = ENDS) -> Line:
    curve = straight((0, y), (200, y))
    return Line((curve,), "#000000", 1, ends=ends, kind="path", full=(curve,))


def test_a_label_on_its_own_line_hides_nothing() -> None:
    """Numbers stand on their lines; only those of others count, and a rule that belongs to nobody does not."""
    assert covered([line(20), label(Box(80, 10, 30, 20))], OPTIONS) == 0
    assert covered([line(20, None), label(Box(80, 10, 30, 20))], OPTIONS) == 0
    assert covered([], OPTIONS) == 0


def test_a_label_on_a_foreign_line_or_label_is_counted() -> None:
    """The figure is loosened until this says none; if it always said so, numbers would be read as others'."""
    own, foreign = line(20), line(60, OTHERS)
    assert covered([own, foreign, label(Box(80, 50, 30, 20))], OPTIONS) == 1
    assert covered([own, foreign, label(Box(80, 25, 30, 34.5))], OPTIONS) == 0, "up to the line is not on it"
    assert covered([own, foreign, label(Box(80, 10, 30, 60))], OPTIONS) == 1
    two = [label(Box(80, 10, 30, 20)), label(Box(105, 10, 30, 20), OTHERS)]
    assert covered([own, *two], OPTIONS) == 2, "one on the other, and the other on a line"
    assert covered([label(Box(80, 10, 30, 20)), label(Box(110, 10, 30, 20), OTHERS)], OPTIONS) == 0, "side by side"


def test_what_was_put_by_hand_is_where_it_is_wanted() -> None:
    """A figure is not loosened for a number that somebody put on a line."""
    by_hand = FigureOptions(label_places={str(ENDS): (3.0, 4.0)})
    foreign = line(60, OTHERS)
    assert covered([foreign, label(Box(80, 50, 30, 20))], by_hand) == 0
    assert covered([line(20), label(Box(80, 10, 30, 20), OTHERS)], by_hand) == 1


def test_an_r_squared_has_no_line_of_its_own() -> None:
    """A share with any line through it is misread, also with that of its own construct; a title is no share."""
    share = Words((100.0, 24.0), "R² = .42", 10, "#000000", anchor="middle", handle=Handle("R² · b", (0.0, 0.0)))
    assert covered([line(20), share], OPTIONS) == 1
    assert covered([line(40), share], OPTIONS) == 0
    assert covered([line(20), Words(share.at, share.text, 10, "#000000")], OPTIONS) == 0
    assert covered([share, label(Box(110, 15, 30, 20))], OPTIONS) == 1


def test_a_frame_holds_everything_at_the_width_that_was_chosen() -> None:
    """What reaches beyond the frame is cut off in print."""
    items: list[Item] = [
        line(20),
        label(Box(-40, 300, 30, 20)),
        Rectangle(Box(100, -70, 50, 20), "#ffffff", node=("a",)),
    ]
    drawn = framed(items, "title", "A note below the figure.", FigureOptions(width=84), True)
    assert drawn.width * drawn.scale == pytest.approx(84 * 72 / 25.4)
    left, top, right, bottom = bounds(drawn.items, OPTIONS)
    assert (left, top) == (0, 0)
    assert (right, bottom) == pytest.approx((drawn.width, drawn.height), abs=1e-6)
    without = framed(items, "title", "A note below the figure.", FigureOptions(width=84), False)
    assert without.height < drawn.height
    assert without.note == drawn.note


@given(dx=st.floats(-500, 500), dy=st.floats(-500, 500))
def test_what_is_moved_is_the_same_somewhere_else(dx: float, dy: float) -> None:
    """A figure is drawn first and framed afterwards; a part that stays behind is at nobody's line."""
    for item in (
        line(20),
        label(Box(80, 10, 30, 20)),
        Words((3.0, 4.0), "x", 10, "#000000", handle=Handle("x", (1.0, 2.0))),
    ):
        before, after = bounds([item], OPTIONS), bounds([moved(item, dx, dy)], OPTIONS)
        assert np.subtract(after, before) == pytest.approx((dx, dy, dx, dy), abs=1e-6)
        if not isinstance(item, Line) and item.handle is not None:
            there = moved(item, dx, dy)
            assert not isinstance(there, Line)
            assert there.handle is not None
            assert np.subtract(there.handle.at, item.handle.at) == pytest.approx((dx, dy))


def test_a_note_is_broken_between_words() -> None:
    """A line that is too long runs off the page; a word that is longer than a line is kept whole."""
    lines = wrapped("one two three four five sixsevenandeight", 10, 60, OPTIONS)
    assert " ".join(lines) == "one two three four five sixsevenandeight"
    assert all(OPTIONS.width_of(text, 10) <= 60 for text in lines if " " in text)
    assert len(lines) > 2
    assert wrapped("", 10, 60, OPTIONS) == []


place = st.floats(-60, 60)
point = st.tuples(place, place)


@given(corners=st.tuples(point, point, point, point), at=point, size=st.tuples(st.floats(4, 40), st.floats(4, 40)))
def test_what_runs_through_a_box_is_found_by_looking_closer(
    corners: tuple[tuple[float, float], ...], at: tuple[float, float], size: tuple[float, float]
) -> None:
    """Lines are looked at every few points; one that is more than those few inside of a box is never missed, none is made up."""
    curve, box = Curve(*corners), Box(*at, *size)
    found = bool(runs_through(edges([box]), [[curve]])[0, 0])
    close = curve.samples(2000)
    if found:
        assert any(box.contains(p, 0.2) for p in close)
    if any(box.contains(p, -2.0) for p in close):
        assert found
