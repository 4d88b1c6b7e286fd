"""Where the label of each line stands: off the cards, off other labels, off other lines."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.figure.geometry import Box, Curve
from dusk_arrow.figure.parts import Way


def _label_places(curves: list[Curve], width: float, height: float) -> list[Box]:
    steps = (
        0.5,
        0.42,
        0.58,
        0.34,
        0.66,
        0.26,
        0.74,
        0.18,
        0.82,
        0.46,
        0.54,
        0.38,
        0.62,
        0.3,
        0.7,
        0.22,
        0.78,
        0.12,
        0.88,
    )
    order = sorted(range(len(curves)), key=lambda i: abs(i - (len(curves) - 1) / 2))
    points = [curves[i].at(t) for t in steps for i in order]
    return [Box(x - width / 2, y - height / 2, width, height) for x, y in points]


def place_labels(ways: Sequence[Way], cards: Sequence[Box], lines: Sequence[Curve] = ()) -> list[Box]:
    """For every arrow the best place on its way: off the cards, off other labels, off other arrows and further `lines`."""
    if not ways:
        return []
    places = [_label_places(curves, arrow.label_width, arrow.label_height) for arrow, curves in ways]
    owner = np.repeat(np.arange(len(places)), [len(options) for options in places])
    rank = np.concatenate([np.arange(len(options)) for options in places])
    options = _corners([option for own in places for option in own])
    cost = 0.4 * rank + 40 * _overlapping(options, _corners(cards), 5).sum(axis=1)
    cost += 9.0 * _crossed(options, owner, [*(curves for _, curves in ways), *([line] for line in lines)])
    near = _overlapping(options, options, 3)
    begins = np.searchsorted(owner, np.arange(len(places)))
    own = [slice(begin, begin + len(boxes)) for begin, boxes in zip(begins.tolist(), places, strict=True)]
    chosen = np.array([part.start + int(np.argmin(cost[part])) for part in own])
    for _ in range(6):
        for i, part in enumerate(own):
            others = np.delete(chosen, i)
            chosen[i] = part.start + int(np.argmin(cost[part] + 30 * near[part][:, others].sum(axis=1)))
    return [boxes[choice - part.start] for boxes, choice, part in zip(places, chosen.tolist(), own, strict=True)]


def collide(labels: Sequence[Box], cards: Sequence[Box]) -> bool:
    """Whether a label lies on another, or on a card."""
    if not labels:
        return False
    corners = _corners(labels)
    among = _overlapping(corners, corners, -0.5)
    np.fill_diagonal(among, False)
    return bool(among.any() or _overlapping(corners, _corners(cards), -0.5).any())


def _corners(boxes: Sequence[Box]) -> Array:
    """Left, top, right and bottom (b, 4)."""
    edges = [(box.x, box.y, box.x + box.width, box.y + box.height) for box in boxes]
    return np.array(edges, dtype=float).reshape(len(edges), 4)


def _overlapping(first: Array, second: Array, margin: float) -> NDArray[np.bool_]:
    """Which boxes of one set (a, b) share an area with which of another that is grown by a margin."""
    left, right = first[:, None], second[None]
    across = np.minimum(left[..., 2], right[..., 2] + margin) - np.maximum(left[..., 0], right[..., 0] - margin)
    down = np.minimum(left[..., 3], right[..., 3] + margin) - np.maximum(left[..., 1], right[..., 1] - margin)
    result: NDArray[np.bool_] = (across > 0) & (down > 0)
    return result


def _crossed(options: Array, owner: NDArray[np.intp], ways: Sequence[list[Curve]]) -> NDArray[np.intp]:
    """How many arrows other than its own go through each place (t,), or within two points of it."""
    samples = [[p for curve in curves for p in curve.samples(12)] for curves in ways]
    points = np.array([p for own in samples for p in own])
    begins = np.cumsum([0, *(len(own) for own in samples[:-1])])
    x, y = points[:, 0], points[:, 1]
    left, top, right, bottom = (options[:, i, None] for i in range(4))
    inside = (left - 2 < x) & (x < right + 2) & (top - 2 < y) & (y < bottom + 2)
    through = np.logical_or.reduceat(inside, begins, axis=1)
    through[np.arange(owner.size), owner] = False
    result: NDArray[np.intp] = through.sum(axis=1)
    return result
