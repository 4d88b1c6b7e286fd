"""Small geometry for layouts: boxes, points and smooth paths."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.linear_algebra import Array

Point = tuple[float, float]
STRIDE = 2.5  # from point to point of a line, where it is asked whether it runs through something
MOST_POINTS = 2000  # of one line, however long it is


@dataclass(frozen=True)
class Box:
    """A rectangle by its upper left corner and size."""

    x: float
    y: float
    width: float
    height: float

    @property
    def centre(self) -> Point:
        """The middle of the box."""
        return self.x + self.width / 2, self.y + self.height / 2

    def moved(self, dx: float, dy: float) -> Box:
        """The same box somewhere else."""
        return Box(self.x + dx, self.y + dy, self.width, self.height)

    def overlap(self, other: Box, margin: float = 0.0) -> float:
        """The area that two boxes share when the other is grown by a margin."""
        across = min(self.x + self.width, other.x + other.width + margin) - max(self.x, other.x - margin)
        down = min(self.y + self.height, other.y + other.height + margin) - max(self.y, other.y - margin)
        return max(across, 0.0) * max(down, 0.0)

    def contains(self, point: Point, margin: float = 0.0) -> bool:
        """Whether a point lies in the box grown by a margin."""
        x, y = point
        inside = self.x - margin < x < self.x + self.width + margin
        return inside and self.y - margin < y < self.y + self.height + margin


def _bernstein(t: Any) -> tuple[Any, Any, Any, Any]:
    """How much each of a curve's four points weighs at parameters in 0–1."""
    u = 1 - t
    return u**3, 3 * u * u * t, 3 * u * t * t, t**3


@dataclass(frozen=True)
class Curve:
    """A cubic Bézier from start to end."""

    start: Point
    first: Point
    second: Point
    end: Point

    def at(self, t: float) -> Point:
        """The point at parameter t in 0–1."""
        weights = _bernstein(t)
        points = (self.start, self.first, self.second, self.end)
        return (
            sum(w * p[0] for w, p in zip(weights, points, strict=True)),
            sum(w * p[1] for w, p in zip(weights, points, strict=True)),
        )

    def moved(self, dx: float, dy: float) -> Curve:
        """The same curve somewhere else."""
        start, first, second, end = ((x + dx, y + dy) for x, y in (self.start, self.first, self.second, self.end))
        return Curve(start, first, second, end)

    def samples(self, count: int = 16) -> list[Point]:
        """Evenly spaced parameters along the curve, both ends included."""
        return [self.at(i / count) for i in range(count + 1)]


def edges(boxes: Sequence[Box]) -> Array:
    """Left, top, right and bottom (b, 4)."""
    found = [(box.x, box.y, box.x + box.width, box.y + box.height) for box in boxes]
    return np.array(found, dtype=float).reshape(len(found), 4)


def overlapping(first: Array, second: Array, margin: float) -> NDArray[np.bool_]:
    """Which boxes of one set, by their edges (a, 4), share an area with which of another (b, 4) that is grown by a margin (a, b)."""
    left, right = first[:, None], second[None]
    across = np.minimum(left[..., 2], right[..., 2] + margin) - np.maximum(left[..., 0], right[..., 0] - margin)
    down = np.minimum(left[..., 3], right[..., 3] + margin) - np.maximum(left[..., 1], right[..., 1] - margin)
    result: NDArray[np.bool_] = (across > 0) & (down > 0)
    return result


def inside(boxes: Array, points: Array, margin: float) -> NDArray[np.bool_]:
    """Which boxes, by their edges (b, 4) and grown by a margin, hold which points (n, 2): (b, n)."""
    left, top, right, bottom = (boxes[:, i, None] for i in range(4))
    x, y = points[:, 0], points[:, 1]
    result: NDArray[np.bool_] = (left - margin < x) & (x < right + margin) & (top - margin < y) & (y < bottom + margin)
    return result


def sampled(curves: Sequence[Curve], count: int) -> Array:
    """Points at evenly spaced parameters along every curve, both ends included (c, count + 1, 2)."""
    t = np.linspace(0, 1, count + 1)
    weights = np.stack(_bernstein(t))
    corners = np.array([(c.start, c.first, c.second, c.end) for c in curves], dtype=float).reshape(len(curves), 4, 2)
    result: Array = weights.T @ corners
    return result


@lru_cache(maxsize=4096)
def _spaced(curve: Curve, stride: float) -> tuple[Array, tuple[float, ...]]:
    """Points along a curve (n, 2), and the edges of the box that they fill."""
    corners = (curve.start, curve.first, curve.second, curve.end)
    long = sum(math.dist(a, b) for a, b in itertools.pairwise(corners))
    points: Array = sampled([curve], min(max(4, math.ceil(1.5 * long / stride)), MOST_POINTS))[0]
    points.flags.writeable = False
    return points, (*points.min(axis=0).tolist(), *points.max(axis=0).tolist())


def spaced(curves: Sequence[Curve], stride: float) -> Array:
    """Points along curves (n, 2), nearer than `stride` to one another where they run evenly, never farther than twice that, unless they
    are so long that it would take more points than anybody needs."""
    return np.concatenate([np.empty((0, 2)), *(_spaced(curve, stride)[0] for curve in curves)])


def runs_through(boxes: Array, ways: Sequence[Sequence[Curve]], margin: float = 0.0) -> NDArray[np.bool_]:
    """Which ways run through which boxes, by their edges (b, 4) and grown by a margin: (b, w)."""
    result = np.zeros((len(boxes), len(ways)), dtype=bool)
    owner = [number for number, curves in enumerate(ways) for _ in curves]
    known = [_spaced(curve, STRIDE) for curves in ways for curve in curves]
    left, top, right, bottom = np.array([bounds for _, bounds in known]).reshape(-1, 4).T
    low, high = boxes[:, :2] - margin, boxes[:, 2:] + margin
    near = (low[:, :1] < right) & (high[:, :1] > left) & (low[:, 1:] < bottom) & (high[:, 1:] > top)
    for at in np.flatnonzero(near.any(axis=0)).tolist():
        rows = np.flatnonzero(near[:, at])
        result[rows, owner[at]] |= inside(boxes[rows], known[at][0], margin).any(axis=1)
    return result


def straight(start: Point, end: Point) -> Curve:
    """A straight line as a curve."""
    third = ((end[0] - start[0]) / 3, (end[1] - start[1]) / 3)
    return Curve(start, (start[0] + third[0], start[1] + third[1]), (end[0] - third[0], end[1] - third[1]), end)


def horizontal(start: Point, end: Point) -> Curve:
    """A curve that leaves and arrives horizontally."""
    reach = (end[0] - start[0]) / 2
    if abs(reach) < 24:
        reach = math.copysign(24, reach or 1)
    return Curve(start, (start[0] + reach, start[1]), (end[0] - reach, end[1]), end)


def shortened(curves: list[Curve], by: float) -> list[Curve]:
    """The curves with the last one ending `by` earlier along its final direction, to leave room for an arrowhead."""
    last = curves[-1]
    dx, dy = last.end[0] - last.second[0], last.end[1] - last.second[1]
    length = math.hypot(dx, dy) or 1.0
    shift = (dx / length * by, dy / length * by)
    end = (last.end[0] - shift[0], last.end[1] - shift[1])
    second = (last.second[0] - shift[0], last.second[1] - shift[1])
    return [*curves[:-1], Curve(last.start, last.first, second, end)]


def path_data(curves: list[Curve]) -> str:
    """The curves as SVG path data."""
    x, y = curves[0].start
    pieces = [f"M{x:.1f} {y:.1f}"]
    for c in curves:
        pieces.append(
            f"C{c.first[0]:.1f} {c.first[1]:.1f} {c.second[0]:.1f} {c.second[1]:.1f} {c.end[0]:.1f} {c.end[1]:.1f}"
        )
    return "".join(pieces)


def arrival_angle(curves: list[Curve]) -> float:
    """The direction in degrees in which the last curve arrives."""
    last = curves[-1]
    return math.degrees(math.atan2(last.end[1] - last.second[1], last.end[0] - last.second[0]))


def middle_of(curves: Sequence[Curve]) -> Point:
    """The middle of curves that follow one another."""
    half = len(curves) // 2
    return curves[half].at(0.5) if len(curves) % 2 else curves[half].start
