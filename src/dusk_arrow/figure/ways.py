"""Ways of lines on paper: curved, straight or at right angles, bows of covariances, and heads."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Sequence
from typing import Literal

from dusk_arrow.figure.drawing import Head
from dusk_arrow.figure.geometry import Box, Curve, Point, edges, runs_through, straight
from dusk_arrow.figure.layout import Routed

LEANS = (0.3, 0.7, 0.15, 0.85)  # where on its way an arrow turns instead of at its half


def head(tip: Point, angle: float, size: float, fill: str) -> Head:
    """An arrowhead that arrives in a direction in degrees."""
    x, y = tip
    a = math.radians(angle)
    points = [
        (x + along * math.cos(a) - across * math.sin(a), y + along * math.sin(a) + across * math.cos(a))
        for along, across in ((0.0, 0.0), (-size, size * 0.42), (-size, -size * 0.42))
    ]
    return Head((points[0], points[1], points[2]), fill)


def edge_point(core: Box, towards: Point, round_: bool) -> Point:
    """Where a line from the middle of an ellipse or a rectangle leaves it."""
    cx, cy = core.centre
    dx, dy = towards[0] - cx, towards[1] - cy
    across, down = abs(dx) / (core.width / 2), abs(dy) / (core.height / 2)
    reach = (math.hypot(across, down) if round_ else max(across, down)) or 1.0
    return cx + dx / reach, cy + dy / reach


def _polyline(points: Sequence[Point]) -> list[Curve]:
    return [straight(a, b) for a, b in itertools.pairwise(points) if math.dist(a, b) > 0.5]


def _crosses(curves: Sequence[Curve], obstacles: Sequence[Box]) -> bool:
    return bool(runs_through(edges(obstacles), [curves], 2).any())


def styled(
    routed: Sequence[Routed],
    style: Literal["curved", "straight", "angled"],
    cores: dict[str, tuple[Box, bool]],
    obstacles: Sequence[tuple[str | None, Box]],
) -> list[Iterator[list[Curve]]]:
    """The ways of arrows as chosen, for each the best first, around obstacles that are of a construct whose own arrows may touch
    them, or of nobody. Straight ones take the lanes that were laid for them where they would cross a shape that is not theirs,
    or lie on the way back of another; turns of right-angled ones stand apart. Further ways turn earlier or later."""
    pairs = {(one.source, one.target) for one in routed}

    def ways(number: int, one: Routed) -> Iterator[list[Curve]]:
        leaning = (_leaning(one.curves, lean) for lean in LEANS)
        if style == "curved":
            yield list(one.curves)
            yield from leaning
        elif style == "angled":
            turns = (0.32 + 0.36 * (number % 5) / 4, 0.5, 0.2, 0.8, 0.35, 0.65, 0.1, 0.9)
            yield from (_polyline(_angles(one.curves, turn)) for turn in turns)
        else:
            (source, source_round), (target, target_round) = cores[one.source], cores[one.target]
            start = edge_point(source, target.centre, source_round)
            if (one.target, one.source) not in pairs:
                yield [straight(start, edge_point(target, source.centre, target_round))]
            yield _polyline([one.curves[0].start, *(curve.end for curve in one.curves)])
            yield list(one.curves)
            yield from leaning

    def free(number: int, one: Routed) -> Iterator[list[Curve]]:
        others = [box for owner, box in obstacles if owner not in (one.source, one.target)]
        found = False
        for way in ways(number, one):
            if not _crosses(way, others):
                found = True
                yield way
        if not found:
            yield list(one.curves) if style != "angled" else next(ways(number, one))

    return [free(number, one) for number, one in enumerate(routed)]


def _leaning(curves: Sequence[Curve], lean: float) -> list[Curve]:
    """Curves that turn at a share of their way instead of at its half."""

    def away(point: Point, control: Point, by: float) -> Point:
        return point[0] + (control[0] - point[0]) * by, point[1] + (control[1] - point[1]) * by

    return [
        Curve(c.start, away(c.start, c.first, 2 * lean), away(c.end, c.second, 2 - 2 * lean), c.end) for c in curves
    ]


def _angles(curves: Sequence[Curve], turn: float) -> list[Point]:
    """Corners of a way at right angles: every curve that rises turns twice."""
    points = [curves[0].start]
    for curve in curves:
        (ax, ay), (bx, by) = curve.start, curve.end
        along = abs(curve.first[0] - ax) >= abs(curve.first[1] - ay)  # leaves across the page, else down it
        if along and abs(by - ay) > 0.5:
            middle = ax + (bx - ax) * turn
            points += [(middle, ay), (middle, by)]
        elif not along and abs(bx - ax) > 0.5:
            middle = ay + (by - ay) * turn
            points += [(ax, middle), (bx, middle)]
        points.append(curve.end)
    return points


def departure(curve: Curve) -> float:
    """The direction in degrees in which a head at the start of a curve points."""
    dx, dy = curve.start[0] - curve.first[0], curve.start[1] - curve.first[1]
    return math.degrees(math.atan2(dy, dx))


def drawn_in(curve: Curve, by: float) -> Curve:
    """A curve whose both ends leave room for a head."""

    def moved(tip: Point, towards: Point) -> Point:
        dx, dy = towards[0] - tip[0], towards[1] - tip[1]
        far = math.hypot(dx, dy) or 1.0
        return tip[0] + dx / far * by, tip[1] + dy / far * by

    return Curve(moved(curve.start, curve.first), curve.first, curve.second, moved(curve.end, curve.second))
