"""Where the label of each line stands: off the cards, off other labels, off other lines."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.figure.geometry import Box, Curve, edges, inside, overlapping, sampled
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
    options = edges([option for own in places for option in own])
    cost = 0.4 * rank + 40 * overlapping(options, edges(cards), 5).sum(axis=1)
    cost += 9.0 * _crossed(options, owner, [*(curves for _, curves in ways), *([line] for line in lines)])
    begins = np.searchsorted(owner, np.arange(len(places)))
    own = [slice(begin, begin + len(boxes)) for begin, boxes in zip(begins.tolist(), places, strict=True)]
    chosen = np.array([part.start + int(np.argmin(cost[part])) for part in own])
    for _ in range(6):
        for i, part in enumerate(own):
            near = overlapping(options[part], options[np.delete(chosen, i)], 3)
            chosen[i] = part.start + int(np.argmin(cost[part] + 30 * near.sum(axis=1)))
    return [boxes[choice - part.start] for boxes, choice, part in zip(places, chosen.tolist(), own, strict=True)]


def collide(labels: Sequence[Box], cards: Sequence[Box]) -> bool:
    """Whether a label lies on another, or on a card."""
    if not labels:
        return False
    corners = edges(labels)
    among = overlapping(corners, corners, -0.5)
    np.fill_diagonal(among, False)
    return bool(among.any() or overlapping(corners, edges(cards), -0.5).any())


def _crossed(options: Array, owner: NDArray[np.intp], ways: Sequence[list[Curve]]) -> NDArray[np.intp]:
    """How many arrows other than its own go through each place (t,), or within two points of it."""
    points = [sampled(curves, 12).reshape(-1, 2) for curves in ways]
    begins = np.cumsum([0, *(len(own) for own in points[:-1])])
    through = np.logical_or.reduceat(inside(options, np.concatenate(points), 2), begins, axis=1)
    through[np.arange(owner.size), owner] = False
    result: NDArray[np.intp] = through.sum(axis=1)
    return result
