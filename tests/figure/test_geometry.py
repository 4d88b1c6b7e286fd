"""Boxes, curves, labels and columns: the small geometry on which every figure stands."""

from __future__ import annotations

import itertools
import math
import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dusk_arrow.figure.arcs import arc_way
from dusk_arrow.figure.geometry import (
    Box,
    Curve,
    arrival_angle,
    edges,
    horizontal,
    path_data,
    runs_through,
    shortened,
    spaced,
    straight,
)
from dusk_arrow.figure.labels import Labels, collide, untangled
from dusk_arrow.figure.layering import crossings, forward_links, layer_of, order_columns
from dusk_arrow.figure.parts import Arrow
from dusk_arrow.figure.spreading import scale_of, spread
from dusk_arrow.figure.text import fit_text, text_width

number = st.floats(-500, 500).map(lambda v: round(v, 2))
size = st.floats(1, 300).map(lambda v: round(v, 2))
boxes = st.builds(Box, number, number, size, size)
points = st.tuples(number, number)
curves = st.builds(Curve, points, points, points, points)


@given(first=boxes, second=boxes)
def test_overlap_is_mutual_and_never_more_than_a_box(first: Box, second: Box) -> None:
    """What overlaps what decides where everything stands; it must not depend on who asks."""
    shared = first.overlap(second)
    assert shared == pytest.approx(second.overlap(first))
    assert shared <= min(first.width * first.height, second.width * second.height) * (1 + 1e-9)
    assert first.overlap(first) == pytest.approx(first.width * first.height)
    assert second.overlap(first, 10) >= shared


@given(box=boxes, across=st.floats(0.01, 0.99), down=st.floats(0.01, 0.99))
def test_a_box_contains_what_is_inside_it_and_nothing_else(box: Box, across: float, down: float) -> None:
    """A label is pushed off a card by this question."""
    inside = (box.x + across * box.width, box.y + down * box.height)
    outside = (box.x + box.width * (1 + across), box.y + down * box.height)
    assert box.contains(inside)
    assert not box.contains(outside)
    assert box.contains(outside, across * box.width + 1)
    assert box.contains(box.centre)


@given(box=boxes, dx=number, dy=number)
def test_moving_keeps_size_and_distances(box: Box, dx: float, dy: float) -> None:
    """A dragged card keeps its shape."""
    moved = box.moved(dx, dy)
    assert (moved.width, moved.height) == (box.width, box.height)
    assert moved.centre == pytest.approx((box.centre[0] + dx, box.centre[1] + dy))


@given(curve=curves, t=st.floats(0, 1))
def test_a_curve_begins_and_ends_where_it_says_and_stays_in_its_hull(curve: Curve, t: float) -> None:
    """An arrow that ends beside its card points at nothing."""
    assert curve.at(0) == pytest.approx(curve.start)
    assert curve.at(1) == pytest.approx(curve.end)
    x, y = curve.at(t)
    xs, ys = zip(curve.start, curve.first, curve.second, curve.end, strict=True)
    assert min(xs) - 1e-6 <= x <= max(xs) + 1e-6
    assert min(ys) - 1e-6 <= y <= max(ys) + 1e-6


@given(curve=curves, dx=number, dy=number)
def test_a_moved_curve_is_moved_everywhere(curve: Curve, dx: float, dy: float) -> None:
    """Not only at its ends."""
    for before, after in zip(curve.samples(6), curve.moved(dx, dy).samples(6), strict=True):
        assert after == pytest.approx((before[0] + dx, before[1] + dy), abs=1e-6)


@pytest.mark.parametrize("end", [(200.0, 40.0), (-200.0, 40.0), (5.0, 90.0), (0.0, -90.0)])
def test_horizontal_curves_leave_and_arrive_level(end: tuple[float, float]) -> None:
    """A path leaves a card at a right angle, also to a card straight below."""
    curve = horizontal((0.0, 0.0), end)
    assert curve.first[1] == 0.0
    assert curve.second[1] == end[1]
    assert abs(curve.first[0]) >= 24
    assert math.copysign(1, curve.first[0]) == math.copysign(1, end[0] or 1)


def test_a_shortened_curve_leaves_room_for_its_head() -> None:
    """The head's tip touches the card, the line ends before it, and points the same way."""
    curve = horizontal((0.0, 0.0), (300.0, 120.0))
    short = shortened([curve], 8)
    assert short[0].start == curve.start
    assert math.dist(short[0].end, curve.end) == pytest.approx(8)
    assert arrival_angle(short) == pytest.approx(arrival_angle([curve]))


@pytest.mark.parametrize(("second", "angle"), [((0.0, 10.0), 0.0), ((10.0, 0.0), 90.0), ((20.0, 10.0), 180.0)])
def test_the_angle_in_which_a_line_arrives(second: tuple[float, float], angle: float) -> None:
    """The head is turned by it."""
    assert abs(arrival_angle([Curve((0.0, 0.0), (0.0, 0.0), second, (10.0, 10.0))])) == pytest.approx(angle)


def test_path_data_name_every_point() -> None:
    """What a browser draws is what was laid out."""
    curve = Curve((1.04, 2.0), (3.0, 4.0), (5.0, 6.0), (7.0, 8.06))
    data = path_data([curve, curve.moved(10, 0)])
    assert data.startswith("M1.0 2.0C3.0 4.0 5.0 6.0 7.0 8.1")
    assert len(re.findall("C", data)) == 2
    assert len(re.findall(r"-?\d+\.\d", data)) == 14


@given(dx=st.floats(190, 260), dy=st.floats(-40, 40), tall=st.floats(30, 200))
def test_a_covariance_touches_both_its_cards_and_avoids_the_one_between(dx: float, dy: float, tall: float) -> None:
    """An arc behind a third card would read as that card's."""
    first, second = Box(0, 0, 90, 60), Box(dx, dy, 90, tall)
    (free,) = arc_way(first, second, [])
    for end, box in ((free.start, first), (free.end, second)):
        assert box.contains(end, 0.5)
    middle = free.at(0.5)
    between = Box(middle[0] - 20, middle[1] - 20, 40, 40)
    if between.overlap(first, 8) or between.overlap(second, 8):
        return

    def through(curve: Curve) -> int:
        return sum(between.contains(p) for p in curve.samples(28))

    (around,) = arc_way(first, second, [between])
    assert through(around) < through(free)


def test_arcs_of_one_card_stand_apart() -> None:
    """Three correlations from one card to another place must not lie on each other."""
    first, second = Box(0, 0, 90, 60), Box(400, 20, 90, 60)
    found = {arc_way(first, second, [], nudge=nudge)[0].start for nudge in (-6.0, 0.0, 6.0)}
    assert len(found) == 3


def line(y: float, width: float = 40) -> tuple[Arrow, list[Curve]]:
    return Arrow("a", "b", width, 16), [horizontal((0, y), (300, y))]


def test_labels_keep_off_cards_lines_and_each_other() -> None:
    """Two parallel arrows ten points apart: their numbers stand beside each other, not on each other."""
    ways = [line(0), line(10), line(20)]
    card = Box(120, -30, 60, 80)
    labels = Labels(ways, [card]).boxes
    assert not collide(labels, [card])
    assert all(label.overlap(card) == 0 for label in labels)
    assert all(a.overlap(b) == 0 for a, b in itertools.combinations(labels, 2))
    assert Labels([], [card]).boxes == []


def test_a_label_stands_beside_its_line_where_another_runs_along() -> None:
    """A number on two lines is of neither; beside them it is of the nearer."""
    ways = [line(0), line(8)]
    upper, lower = Labels(ways, []).boxes
    assert upper.y + upper.height <= 0 < 8 <= lower.y
    assert upper.y + upper.height >= -3, "near its own line"
    assert lower.y <= 11
    third = straight((0, -20), (300, -20))  # closes the room above, but for four points
    upper, _ = Labels(ways, [], [third]).boxes
    assert not runs_through(edges([upper]), [[third]], 4).any(), "nearer to its own line than to any other"


def test_a_label_keeps_off_the_tip_of_its_arrow() -> None:
    """An arrow whose head is under its number points nowhere."""
    (label,) = Labels([(Arrow("a", "b", 20, 16), [straight((0, 0), (100, 0))])], [Box(-20, -20, 90, 40)]).boxes
    assert not label.contains((100, 0), 5)


def test_a_label_hides_no_corner_of_its_arrow() -> None:
    """Of an arrow at right angles whose jog is under its number two ends are left that seem to belong to two arrows."""
    corners = [(0.0, 0.0), (70.0, 0.0), (70.0, 14.0), (150.0, 14.0)]
    way = [straight(a, b) for a, b in itertools.pairwise(corners)]
    (label,) = Labels([(Arrow("a", "b", 30, 20), way)], []).boxes
    assert not any(label.contains(corner, 2) for corner in corners)
    (bent,) = Labels(
        [(Arrow("a", "b", 30, 20), [horizontal((0, 0), (70, 20)), straight((70, 20), (140, 20))])], []
    ).boxes
    assert bent.contains((70, 20), 5), "where a curve goes on straight there is none"


def test_an_arrow_turns_elsewhere_where_that_frees_its_label() -> None:
    """Where lines run all along an arrow no place is free on it or beside it; then it takes another way."""
    bars = [straight((0, y), (300, y)) for y in range(-60, 70, 6)]
    crowded = Labels([line(0)], [], bars)
    assert crowded.hidden
    free = [horizontal((0, 0), (300, 200))]
    found = untangled(crowded, [[free, [horizontal((0, 0), (300, 20))]]])
    assert not found.hidden
    assert found.ways[0][1] == free
    short = [straight((0, 200), (60, 200))]
    assert untangled(crowded, [[short]]).ways[0][1] == short
    assert crowded.turned(0, [straight((0, 200), (20, 200))]).boxes[0].y > 150, "of few places"
    assert untangled(crowded, [[]]).ways == crowded.ways, "none is made up"


corner = st.tuples(st.floats(-800, 800), st.floats(-800, 800))


@given(corners=st.tuples(corner, corner, corner, corner), stride=st.floats(2, 40))
def test_points_along_a_curve_are_no_farther_apart_than_asked(
    corners: tuple[tuple[float, float], ...], stride: float
) -> None:
    """A long curve is looked at as closely as a short one: between two points of it a number would lie unseen."""
    curve = Curve(*corners)
    points = spaced([curve], stride)
    assert points[0] == pytest.approx(curve.start)
    assert points[-1] == pytest.approx(curve.end)
    far = max(math.dist(a, b) for a, b in itertools.pairwise(points.tolist()))
    assert far <= 2 * stride
    even = spaced([straight(curve.start, curve.end)], stride)
    assert max(math.dist(a, b) for a, b in itertools.pairwise(even.tolist())) <= stride
    assert spaced([], stride).shape == (0, 2)


def test_what_runs_through_a_box_is_seen_however_thin() -> None:
    """A line that clips a corner between two sampled points would lie under a number."""
    boxes = edges([Box(0, 0, 10, 10), Box(0, 20, 10, 10)])
    long = [straight((-500, -492), (500, 508))]  # through the corner of the first at (0, 8) … (2, 10)
    away = [straight((-500, 40), (500, 40))]
    assert runs_through(boxes, [long, away]).tolist() == [[True, False], [False, False]]
    assert runs_through(boxes, [long, away], 11).tolist() == [[True, False], [True, True]]
    assert runs_through(boxes, []).shape == (2, 0)


def test_collisions_are_seen() -> None:
    """A layout is widened until this says no; if it always said no, labels would lie on each other."""
    label = Box(0, 0, 40, 16)
    assert not collide([], [label])
    assert not collide([label], [])
    assert collide([label], [Box(30, 10, 40, 40)])
    assert collide([label, label.moved(30, 0)], [])
    assert not collide([label, label.moved(41, 0)], [Box(0, 17, 40, 16)])


links = st.lists(st.tuples(st.integers(0, 7), st.integers(0, 7)), max_size=14).map(
    lambda pairs: [(f"n{a}", f"n{b}") for a, b in dict.fromkeys(pairs) if a != b]
)
NAMES = [f"n{i}" for i in range(8)]


@given(links=links)
def test_causes_stand_left_of_effects_in_any_model(links: list[tuple[str, str]]) -> None:
    """A reciprocal path turns one arrow back, and no other."""
    forward = forward_links(NAMES, links)
    assert {frozenset(pair) for pair in forward} == {frozenset(pair) for pair in links}
    layers = layer_of(NAMES, forward)
    assert all(layers[source] < layers[target] for source, target in forward)
    assert set(layers) == set(NAMES)
    incoming = {target for _, target in forward}
    assert all(layers[name] == 0 for name in NAMES if name not in incoming)


def test_crossings_by_counting() -> None:
    """The order of columns is judged by this number."""
    columns = [["a", "b", "c"], ["x", "y", "z"]]
    assert crossings(columns, [("a", "x"), ("b", "y"), ("c", "z")]) == 0
    assert crossings(columns, [("a", "z"), ("b", "y"), ("c", "x")]) == 3
    assert crossings(columns, [("a", "y"), ("a", "z"), ("b", "x")]) == 2


@given(order=st.permutations(["x", "y", "z", "w"]))
def test_a_column_is_ordered_like_the_one_it_follows(order: list[str]) -> None:
    """Four parallel paths never cross, in whatever order their ends were made."""
    pairs = list(zip("abcd", ["x", "y", "z", "w"], strict=True))
    found = order_columns([list("abcd"), order], pairs)
    assert crossings(found, pairs) == 0
    assert sorted(found[1]) == sorted(order)


def test_a_tall_column_is_parted_and_keeps_its_order() -> None:
    """Fifteen constructs without paths fill the room instead of a strip; a short column stays one."""
    names = [f"n{i}" for i in range(12)]
    sizes = dict.fromkeys(names, (120.0, 100.0))

    def scale(columns: list[list[str]]) -> float:
        return scale_of(columns, sizes, (40, 16), (800.0, 500.0))

    heights = dict.fromkeys(names, 100.0)
    parted = spread([names], heights, 16, scale)
    assert len(parted) > 1
    assert [name for column in parted for name in column] == names
    assert scale(parted) > 1.1 * scale([names])
    assert spread([names[:3]], heights, 16, scale) == [names[:3]]


@given(text=st.text(max_size=30), width=st.floats(8, 200))
def test_a_fitted_text_is_no_wider_than_its_room(text: str, width: float) -> None:
    """A long name ends in an ellipsis inside its card."""
    fitted = fit_text(text, 12, width)
    if fitted == text:
        assert text_width(text, 12) <= width
    else:
        assert fitted.endswith("…")
        assert text_width(fitted, 12) <= max(width, text_width("…", 12))
        assert text.startswith(fitted[:-1])


def test_wider_letters_are_wider() -> None:
    """Widths come from the fonts that are drawn with, in the size that is drawn."""
    assert text_width("iii", 12) < text_width("WWW", 12)
    assert text_width("Persistence", 24) == pytest.approx(2 * text_width("Persistence", 12))
    assert text_width("測", 10) == 10
