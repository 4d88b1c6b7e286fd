"""Covariances: bows between shapes that keep off others and their labels."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Sequence
from operator import itemgetter

import numpy as np

from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.figure.blocks import BOW, ERROR
from dusk_arrow.figure.drawing import Node
from dusk_arrow.figure.geometry import MOST_POINTS, Box, Curve, Point, edges, inside, sampled
from dusk_arrow.figure.plan import Plan
from dusk_arrow.figure.ways import edge_point

Bow = tuple[tuple[Node, Node], Iterator[Curve], str]  # between what, its line and further ones, and its figure in words

GENTLE = (20.0, 35.0, 50.0)  # degrees by which a covariance leaves beside the straight line
WIDE = (70.0, 90.0, 115.0, 140.0)  # and where no gentle bow is free
REACHES = (0.15, 0.3, 0.5, 0.8)  # how far it goes on like that, as a share of the whole distance
HIT = 3000.0  # what it costs, in points of detour, to cross a shape or a label
BEYOND = 2.0  # and to reach a point beyond all shapes


def bows_of(plan: Plan, taken: Sequence[Box]) -> list[Bow]:
    """Covariances of constructs, then of errors, that keep off what is `taken` by texts."""
    shapes = [(name, core) for name, (core, _) in plan.cores.items()]
    shapes += [(name, box) for (name, _), box in plan.rectangles.items()]
    found: list[Bow] = []
    for a, b, value in plan.covariances:
        others = [box for name, box in shapes if name not in (a, b)] + [
            box for name, box in shapes if name in (a, b) and box not in (plan.cores[a][0], plan.cores[b][0])
        ]
        order = list(plan.layout.cards)
        apart = abs(order.index(a) - order.index(b))
        piled = not plan.paths and plan.options.notation == "literature"
        curve = (
            iter([ladder(plan.cores[a], plan.cores[b], apart, plan.down)])
            if piled
            else bow(plan.cores[a], plan.cores[b], others, taken)
        )
        found.append((((a,), (b,)), curve, plan.options.number(value)))
    for first, second, value in plan.bows:
        curve = _error_bow(plan, first, second, [box for _, box in shapes], taken)
        found.append(((first, second), curve, plan.options.number(value)))
    return found


def _error_bow(
    plan: Plan, first: tuple[str, str], second: tuple[str, str], shapes: Sequence[Box], taken: Sequence[Box]
) -> Iterator[Curve]:
    """A covariance of two errors: outside of their rectangles where they stand side by side."""
    one, two = plan.rectangles[first], plan.rectangles[second]
    side, other = (plan.blocks[construct].sides[item] for construct, item in (first, second))
    if first[0] != second[0] or side != other:
        return bow((one, False), (two, False), [b for b in shapes if b not in (one, two)], taken)
    across = side in ("left", "right")
    out = -1.0 if side in ("left", "above") else 1.0
    far = ERROR[0 if across else 1] - 4 if plan.options.residuals else 0.0
    bulge = far + 6 + min(0.16 * math.dist(one.centre, two.centre), BOW - 6)

    def at(box: Box) -> Point:
        x, y = box.centre
        return (x + out * (box.width / 2 + far), y) if across else (x, y + out * (box.height / 2 + far))

    start, end = at(one), at(two)
    push = (out * (bulge - far + 6), 0.0) if across else (0.0, out * (bulge - far + 6))
    return iter([Curve(start, (start[0] + push[0], start[1] + push[1]), (end[0] + push[0], end[1] + push[1]), end)])


def bow(
    first: tuple[Box, bool], second: tuple[Box, bool], obstacles: Sequence[Box], labels: Sequence[Box]
) -> Iterator[Curve]:
    """Covariances between two shapes, the best first: one that crosses the fewest others and their labels, then the shortest; a
    gentle one where that is free."""
    (one, one_round), (two, two_round) = first, second
    (ax, ay), (bx, by) = one.centre, two.centre
    around = edges([one, two, *obstacles])
    corner, opposite = around[:, :2].min(axis=0), around[:, 2:].max(axis=0)
    straight_on = math.atan2(by - ay, bx - ax)

    def leaving(box: Box, round_: bool, angle: float, reach: float) -> tuple[Point, Point]:
        x, y = box.centre
        at = edge_point(box, (x + math.cos(angle), y + math.sin(angle)), round_)
        return at, (at[0] + reach * math.cos(angle), at[1] + reach * math.sin(angle))

    def bowed(lean: float, other: float, reach: float) -> Curve:
        far = reach * math.dist(one.centre, two.centre)
        start, out = leaving(one, one_round, straight_on + math.radians(lean), far)
        end, into = leaving(two, two_round, straight_on + math.pi - math.radians(other), far)
        return Curve(start, out, into, end)

    def costs(curves: Sequence[Curve]) -> Array:
        points = sampled(curves, min(max(32, int(math.dist(one.centre, two.centre) / 4)), MOST_POINTS))
        inner = points[:, 1:-1].reshape(-1, 2)

        def hits(boxes: Sequence[Box], margin: float) -> Array:
            through = inside(edges(boxes), inner, margin).reshape(len(boxes), len(curves), points.shape[1] - 2)
            return np.asarray(through.any(axis=2).sum(axis=0))

        crossed = hits(obstacles, 3) + hits(labels, 2) + hits((one, two), -2)
        long = np.hypot(*np.moveaxis(np.diff(points, axis=1), 2, 0)).sum(axis=1)
        beyond = np.maximum(corner - points.min(axis=1), 0) + np.maximum(points.max(axis=1) - opposite, 0)
        return np.asarray(HIT * crossed + long + BEYOND * beyond.sum(axis=1))

    gentle = [bowed(side * lean, side * lean, 0.3) for side in (1, -1) for lean in GENTLE]
    cost = costs(gentle)
    if cost.min() < HIT:
        yield gentle[int(np.argmin(cost))]
    leans = [side * lean for side in (1, -1) for lean in (*GENTLE, *WIDE)]
    wide = list(itertools.product(leans, leans, REACHES))
    curves = [bowed(*one) for one in wide]
    by_side: dict[tuple[bool, bool], tuple[float, Curve]] = {}
    for (lean, other, _), price, curve in zip(wide, costs(curves).tolist(), curves, strict=True):
        side = lean > 0, other > 0
        if side not in by_side or price < by_side[side][0]:
            by_side[side] = price, curve
    ranked = sorted(by_side.values(), key=itemgetter(0))
    free = [curve for price, curve in ranked if price < HIT]
    yield from free or [ranked[0][1]]


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
