"""Ways of arrows and bows of covariances: around what is not theirs, and with others to choose from."""

from __future__ import annotations

import itertools
import math
from typing import Any

import numpy as np
import pytest

from dusk_arrow.figure.bows import bow, ladder
from dusk_arrow.figure.geometry import Box, Curve, edges, horizontal, runs_through
from dusk_arrow.figure.layout import Routed
from dusk_arrow.figure.ways import styled

LEFT, RIGHT = (Box(0, 0, 80, 40), True), (Box(300, 0, 80, 40), True)


def crossed(curve: Curve, boxes: list[Box], margin: float = 0.0) -> bool:
    return bool(runs_through(edges(boxes), [[curve]], margin).any())


def touches(shape: tuple[Box, bool], point: tuple[float, float]) -> bool:
    """Whether a point lies on the rim of an ellipse."""
    box, _ = shape
    across, down = (point[0] - box.centre[0]) / (box.width / 2), (point[1] - box.centre[1]) / (box.height / 2)
    return math.isclose(math.hypot(across, down), 1.0, abs_tol=1e-9)


def test_a_covariance_bows_gently_where_nothing_is_about() -> None:
    """A straight line with two heads is taken for a path; one that wanders takes the room of others."""
    curve = next(bow(LEFT, RIGHT, [], []))
    assert touches(LEFT, curve.start)
    assert touches(RIGHT, curve.end)
    rise = abs(curve.at(0.5)[1] - 20)
    assert 15 < rise < 60


@pytest.mark.parametrize("side", [1, -1])
def test_a_covariance_bows_to_the_side_that_is_free(side: int) -> None:
    """It goes round shapes and round numbers, as both would be hidden or misread."""
    wall = Box(60, 20 if side > 0 else -200, 260, 180)
    for shapes, labels in (([wall], []), ([], [wall])):
        curve = next(bow(LEFT, RIGHT, shapes, labels))
        assert not crossed(curve, [wall])
        assert (curve.at(0.5)[1] - 20) * side < 0


def test_a_covariance_goes_far_round_only_where_it_must() -> None:
    """Between walls above and below a wider bow is found, and the first is the best of all that are offered."""
    walls = [Box(90, -70, 200, 60), Box(90, 50, 200, 60), Box(150, -20, 80, 80)]
    found = list(bow(LEFT, RIGHT, walls, []))
    assert not any(crossed(curve, walls, 2) for curve in found)
    assert len(found) >= 2
    sides = {curve.at(0.5)[1] > 20 for curve in found}
    assert sides == {True, False}, "one to either side, for labels that need the other"


def test_a_covariance_is_drawn_where_no_way_is_free() -> None:
    """A number that is in the note and in no line would be looked for."""
    everywhere = [Box(-600 + 40 * i, -600, 30, 1300) for i in range(40)]
    assert len(list(bow(LEFT, RIGHT, everywhere, []))) == 1


@pytest.mark.parametrize("down", [False, True])
def test_covariances_of_a_pile_bow_the_farther_the_farther_they_reach(down: bool) -> None:
    """Correlations of constructs in one line lie side by side, not on each other."""
    boxes = [Box(0, 90 * i, 80, 40) if not down else Box(120 * i, 0, 80, 40) for i in range(4)]
    reach = []
    for apart in (1, 2, 3):
        curve = ladder((boxes[0], True), (boxes[apart], True), apart, down)
        turned = ladder((boxes[apart], True), (boxes[0], True), apart, down)
        assert (turned.start, turned.end) == (curve.start, curve.end), "whichever is named first"
        assert not crossed(curve, boxes[1:apart])
        reach.append(curve.at(0.5)[1] if down else curve.at(0.5)[0])
    assert all(b > a + 10 for a, b in itertools.pairwise(reach))


def routed(source: str, target: str, curves: list[Curve]) -> Routed:
    return Routed(source, target, curves, Box(0, 0, 1, 1))


CORES = {"a": (Box(0, 0, 80, 40), True), "b": (Box(300, 100, 80, 40), True)}
ONE = routed("a", "b", [horizontal((80, 20), (300, 120))])


@pytest.mark.parametrize("style", ["curved", "straight", "angled"])
def test_every_style_offers_further_ways_between_the_same_shapes(style: Any) -> None:
    """A label that finds no place needs another way, which begins and ends as the first does."""
    (ways,) = styled([ONE], style, CORES, [])
    found = list(ways)
    assert len(found) >= 4
    for way in found:
        assert all(math.dist(before.end, after.start) < 1e-9 for before, after in itertools.pairwise(way))
        ends = [(way[0].start, CORES["a"]), (way[-1].end, CORES["b"])]
        assert all(shape[0].contains(point, 1e-6) for point, shape in ends)
    middles = {tuple(np.round(way[len(way) // 2].at(0.5), 1)) for way in found}
    assert len(middles) >= 3


def test_a_straight_arrow_goes_round_what_stands_between() -> None:
    """An item of its own construct, or anybody's, is not run through; of its own shapes it may leave the rim."""
    (plain,) = styled([ONE], "straight", CORES, [("a", CORES["a"][0]), ("b", CORES["b"][0])])
    first = next(plain)
    assert len(first) == 1
    assert touches(CORES["a"], first[0].start)
    assert first[0].at(0.25) == pytest.approx(0.75 * np.array(first[0].start) + 0.25 * np.array(first[0].end))
    between = Box(*(np.array(first[0].at(0.5)) - (10, 8)), 20, 4)
    (around,) = styled([ONE], "straight", CORES, [(None, between)])
    assert not any(crossed(curve, [between], 2) for curve in next(around))


def test_there_and_back_are_two_lines() -> None:
    """Two straight arrows between the same shapes would be one with two heads."""
    back = routed("b", "a", [horizontal((300, 135), (80, 35))])
    there, again = (next(ways) for ways in styled([ONE, back], "straight", CORES, []))
    assert math.dist(there[0].at(0.5), again[0].at(0.5)) > 10


def test_an_arrow_that_cannot_go_round_is_drawn_all_the_same() -> None:
    """A path that is not drawn is a path that nobody believes in."""
    for style in ("curved", "straight", "angled"):
        (ways,) = styled([ONE], style, CORES, [(None, Box(150, -500, 40, 1000))])  # type: ignore[arg-type]
        assert len(list(ways)) == 1
