"""The ways of arrows between cards that have their places."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from dusk_arrow.figure.geometry import Box, Curve, Point, edges, horizontal, inside, runs_through, sampled, straight
from dusk_arrow.figure.layering import Link
from dusk_arrow.figure.parts import Arrow, Card

SHORT = 10.0  # a stretch that needs no straight piece of its own
BUNDLED = 24  # from so many arrows on those that lead to one place share their way


def _ports(box: Box, card: Card, others: list[Point], right: bool, apart: float) -> list[Point]:
    """Points on a card's side for arrows to several places, in the order of those places."""
    core = Box(box.x + card.touch.x, box.y + card.touch.y, card.touch.width, card.touch.height)
    order = sorted(range(len(others)), key=lambda i: (others[i][1], others[i][0]))
    room = core.height - (16 if card.round else 28)
    step = min(apart, room / max(len(others) - 1, 1))
    result: list[Point] = [(0.0, 0.0)] * len(others)
    cx, cy = core.centre
    for place, i in enumerate(order):
        dy = (place - (len(others) - 1) / 2) * step
        dx = core.width / 2
        if card.round:
            dx *= float(np.sqrt(max(1 - (dy / (core.height / 2)) ** 2, 0.0)))
        result[i] = (cx + dx if right else cx - dx, cy + dy)
    return result


def _free_way(source: Box, target: Box, obstacles: Sequence[Box]) -> list[Curve]:
    """A way between two cards that stand anywhere: the variant that crosses the fewest cards, then the shortest."""
    (sx, sy), (tx, ty) = source.centre, target.centre
    options: list[list[Curve]] = []
    if tx > sx:
        options.append([horizontal((source.x + source.width, sy), (target.x, ty))])
    else:
        options.append([horizontal((source.x, sy), (target.x + target.width, ty))])
    down = ty > sy
    start = (sx, source.y + source.height) if down else (sx, source.y)
    end = (tx, target.y) if down else (tx, target.y + target.height)
    reach = (end[1] - start[1]) / 2
    options.append([Curve(start, (sx, start[1] + reach), (tx, end[1] - reach), end)])
    for lift in (-1, 1):
        for distance in (40, 90, 160, 240):
            edge = min(source.y, target.y) if lift < 0 else max(source.y + source.height, target.y + target.height)
            over = edge + lift * distance
            begin = (sx, source.y if lift < 0 else source.y + source.height)
            finish = (tx, target.y if lift < 0 else target.y + target.height)
            options.append([Curve(begin, (sx, over), (tx, over), finish)])

    def cost(curves: list[Curve]) -> float:
        points = sampled(curves, 24).reshape(-1, 2)
        hits = inside(edges(obstacles), points, 4).sum()
        return float(1000 * hits + np.abs(np.diff(points, axis=0)).sum())

    return min(options, key=cost)


def ways_of(
    cards: Mapping[str, Card],
    boxes: Mapping[str, Box],
    arrows: Sequence[Arrow],
    forward: Sequence[Link],
    lanes: Mapping[Link, list[str]],
    lane_ends: Mapping[str, tuple[Point, Point]],
    free: bool,
    tight: bool,
) -> list[tuple[Arrow, list[Curve]]]:
    """Every arrow's way; with pinned cards about, ways that would cross a card are looked for afresh. Where everything is tight
    an arrow runs straight until it is past what stands beside its card's core."""
    stops: list[list[tuple[Point, Point]]] = []
    for link in forward:
        stops.append([lane_ends[lane] for lane in lanes[link]])
    sides: dict[tuple[str, bool], list[tuple[int, Point]]] = {}
    for i, link in enumerate(forward):
        nearest_right = stops[i][0][0] if stops[i] else boxes[link[1]].centre
        nearest_left = stops[i][-1][1] if stops[i] else boxes[link[0]].centre
        sides.setdefault((link[0], True), []).append((i, nearest_right))
        sides.setdefault((link[1], False), []).append((i, nearest_left))
    # Arrows between the same two cards need room for their labels between them; others part on their way.
    doubled = len({frozenset(link) for link in forward}) < len(forward)
    apart = max(a.label_height for a in arrows) + 4 if doubled else 26.0
    bundled = len(arrows) > BUNDLED
    starts: dict[int, Point] = {}
    ends: dict[int, Point] = {}
    for (name, right), attached in sides.items():
        points = [p for _, p in attached]
        places = list(dict.fromkeys(points)) if bundled else points  # lines of one bundle meet the card in one point
        ports = _ports(boxes[name], cards[name], places, right, apart)
        for at, (i, point) in enumerate(attached):
            (starts if right else ends)[i] = ports[places.index(point) if bundled else at]
    ways = []
    for i, arrow in enumerate(arrows):
        start, end = starts[i], ends[i]
        source, target = (boxes[name] for name in forward[i])
        past, before = (source.x + source.width, start[1]), (target.x, end[1])
        begin = past if tight and past[0] - start[0] > SHORT else start
        finish = before if tight and end[0] - before[0] > SHORT else end
        points = [begin, *(p for pair in stops[i] for p in pair), finish]
        curves = [horizontal(a, b) for a, b in zip(points[::2], points[1::2], strict=True)]
        for number in range(len(curves) - 1, 0, -1):
            curves.insert(number, straight(points[2 * number - 1], points[2 * number]))
        curves = [straight(a, b) for a, b in ((start, begin),) if a != b] + curves
        curves += [straight(a, b) for a, b in ((finish, end),) if a != b]
        if forward[i] != (arrow.source, arrow.target):
            curves = [Curve(c.end, c.second, c.first, c.start) for c in reversed(curves)]
        if free:
            others = [box for name, box in boxes.items() if name not in (arrow.source, arrow.target)]
            backwards = (ends[i][0] - starts[i][0]) < 20
            if backwards or runs_through(edges(others), [curves], 2).any():
                curves = _free_way(boxes[arrow.source], boxes[arrow.target], others)
        ways.append((arrow, curves))
    return ways
