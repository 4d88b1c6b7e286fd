"""Ways of lines on paper: curved, straight or at right angles, bows of covariances, and heads."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from typing import Literal

from dusk_arrow.figure.drawing import Head
from dusk_arrow.figure.geometry import Box, Curve, Point, straight
from dusk_arrow.figure.layout import Routed

BULGES = (10.0, 22.0, 40.0, 70.0, 110.0)
HIT, NEAR_MISS = 60.0, 8.0  # what it costs, in points of detour, to cross a shape, or a label


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
    return any(box.contains(point, 2) for curve in curves for point in curve.samples(24) for box in obstacles)


def styled(
    routed: Sequence[Routed],
    style: Literal["curved", "straight", "angled"],
    cores: dict[str, tuple[Box, bool]],
    obstacles: Sequence[tuple[str, Box]],
) -> list[list[Curve]]:
    """The ways of arrows as chosen. Straight ones take the lanes that were laid for them where they would cross a shape that
    is not theirs, or lie on the way back of another; turns of right-angled ones stand apart."""
    if style == "curved":
        return [list(one.curves) for one in routed]
    pairs = {(one.source, one.target) for one in routed}
    found = []
    for number, one in enumerate(routed):
        stops = [one.curves[0].start, *(curve.end for curve in one.curves)]
        if style == "angled":
            turn = 0.32 + 0.36 * (number % 5) / 4
            ways = [_polyline(_angles(one.curves, share)) for share in (turn, 0.5, 0.2, 0.8)]
            others = [box for owner, box in obstacles if owner not in (one.source, one.target)]
            found.append(next((way for way in ways if not _crosses(way, others)), ways[0]))
            continue
        (source, source_round), (target, target_round) = cores[one.source], cores[one.target]
        direct = [
            straight(edge_point(source, target.centre, source_round), edge_point(target, source.centre, target_round))
        ]
        others = [box for owner, box in obstacles if owner not in (one.source, one.target)]
        back = (one.target, one.source) in pairs
        ways = [_polyline(stops), list(one.curves)] if back else [direct, _polyline(stops), list(one.curves)]
        found.append(next((way for way in ways if not _crosses(way, others)), ways[-1]))
    return found


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


def bow(first: tuple[Box, bool], second: tuple[Box, bool], obstacles: Sequence[Box], labels: Sequence[Box]) -> Curve:
    """A covariance between two shapes: the bow that crosses the fewest others, then the shortest."""
    (one, one_round), (two, two_round) = first, second
    (ax, ay), (bx, by) = one.centre, two.centre
    length = math.dist((ax, ay), (bx, by)) or 1.0
    ux, uy = (bx - ax) / length, (by - ay) / length
    options = []
    for side in (1, -1):
        nx, ny = -uy * side, ux * side
        for bulge in BULGES:
            lean = 0.35 + bulge / 120
            start = edge_point(one, (ax + length * (ux + nx * lean), ay + length * (uy + ny * lean)), one_round)
            end = edge_point(two, (bx + length * (-ux + nx * lean), by + length * (-uy + ny * lean)), two_round)
            reach = 0.25 * math.dist(start, end)
            options.append(
                Curve(
                    start,
                    (start[0] + nx * bulge + ux * reach, start[1] + ny * bulge + uy * reach),
                    (end[0] + nx * bulge - ux * reach, end[1] + ny * bulge - uy * reach),
                    end,
                )
            )

    def cost(curve: Curve) -> float:
        points = curve.samples(24)
        hits = sum(box.contains(point, 3) for box in obstacles for point in points)
        grazed = sum(box.contains(point, 1) for box in labels for point in points)
        own = sum(box.contains(point, -2) for box in (one, two) for point in points[1:-1])
        long = sum(math.dist(a, b) for a, b in itertools.pairwise(points))
        return HIT * (hits + own) + NEAR_MISS * grazed + long

    return min(options, key=cost)


def ladder(first: tuple[Box, bool], second: tuple[Box, bool], apart: int, down: bool) -> Curve:
    """A covariance of two shapes that stand in one line: the farther they are `apart`, the farther out it bows, on the side
    that their items do not take."""
    (one, one_round), (two, two_round) = first, second
    if (two.centre < one.centre) if down else (two.centre[1] < one.centre[1]):
        (one, one_round), (two, two_round) = (two, two_round), (one, one_round)
    out, lean = 12.0 + 34.0 * (apart - 1), 1.0 / apart

    def leaving(box: Box, along: float, round_: bool) -> Point:
        x, y = box.centre
        across = (
            (x + along * lean * box.width, y + box.height) if down else (x + box.width, y + along * lean * box.height)
        )
        return edge_point(box, across, round_)

    start, end = leaving(one, 1.0, one_round), leaving(two, -1.0, two_round)
    far = (0.0, max(start[1], end[1]) + out) if down else (max(start[0], end[0]) + out, 0.0)
    if down:
        return Curve(start, (start[0] + 8, far[1]), (end[0] - 8, far[1]), end)
    return Curve(start, (far[0], start[1] + 8), (far[0], end[1] - 8), end)


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
