"""Ways of covariances: curved lines with two heads that keep off the cards where they can."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dusk_arrow.figure.geometry import Box, Curve, Point, edges, inside, sampled

NEAR = 30.0
PASSING = 45.0  # what it costs, in points of detour, to pass behind a card for a twenty-eighth of the way


def _beside(a: Point, b: Point, side: int, bulge: float) -> Curve:
    """From one point to another round one side: −1 left, 1 right."""
    edge = min(a[0], b[0]) - bulge if side < 0 else max(a[0], b[0]) + bulge
    return Curve(a, (edge, a[1]), (edge, b[1]), b)


def _over(first: Box, second: Box, side: int, rise: float) -> Curve:
    """From card to card over their tops (−1) or under them (1)."""
    (ax, _), (bx, _) = first.centre, second.centre
    ay = first.y if side < 0 else first.y + first.height
    by = second.y if side < 0 else second.y + second.height
    edge = (min(ay, by) if side < 0 else max(ay, by)) + side * rise
    return Curve((ax, ay), (ax, edge), (bx, edge), (bx, by))


def arc_way(
    first: Box, second: Box, obstacles: Sequence[Box], heights: tuple[float, float] | None = None, nudge: float = 0.0
) -> list[Curve]:
    """The way between two cards, or two rows of cards at `heights`: the variant that crosses the fewest of the obstacles,
    then the shortest. `nudge` shifts the ends so that several arcs of a card stand apart."""
    ay, by = heights or (first.centre[1] + nudge, second.centre[1] + nudge)
    gap = abs(ay - by)
    options: list[Curve] = []
    for bulge in (18 + 0.14 * gap, 40 + 0.22 * gap):
        options.append(_beside((first.x, ay), (second.x, by), -1, bulge))
        options.append(_beside((first.x + first.width, ay), (second.x + second.width, by), 1, bulge))
    left, right, ly, ry = (first, second, ay, by) if first.x <= second.x else (second, first, by, ay)
    if right.x - left.x - left.width > NEAR:
        start, end = (left.x + left.width, ly), (right.x, ry)
        reach = (end[0] - start[0]) / 2
        across = Curve(start, (start[0] + reach, ly), (end[0] - reach, ry), end)
        options.append(across if left is first else Curve(end, across.second, across.first, start))
    if heights is None:
        wide = abs(first.centre[0] - second.centre[0])
        if wide > NEAR:
            for rise in (20 + 0.06 * wide, 40 + 0.1 * wide):
                options += [_over(first, second, -1, rise), _over(first, second, 1, rise)]

    def cost(curve: Curve) -> float:
        points = sampled([curve], 28)[0]
        hits = inside(edges(obstacles), points, 3).sum() + inside(edges((first, second)), points, -3).sum()
        return float(PASSING * hits + np.abs(np.diff(points, axis=0)).sum())

    return [min(options, key=cost)]
