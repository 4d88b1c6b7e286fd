"""Where the label of each line stands: off the cards, off other labels, off other lines."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Sequence
from copy import copy
from dataclasses import dataclass, fields, replace

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.figure.geometry import Box, Curve, edges, inside, overlapping, runs_through, spaced
from dusk_arrow.figure.parts import Way

STEP = 6.0  # from place to place of a label along its line
TIP = 6.0  # how far a label keeps from the tip of its own arrow
ON = 2.0  # how far other lines keep from a label that stands on its line
BESIDE = 2.0  # between a line and a label that stands beside it
CLOSER = 5.0  # how far other lines keep from such a label, so that nobody takes it for theirs
SWEEPS = 6
HIDES, OVER, UNDER = 100.0, 80.0, 30.0  # what a shape, a label and a line below cost
HIDDEN_TURN = 8.0  # and a corner of its own line
SHARP = 0.7  # the cosine of a turn that is one
CORNER = 5.0  # how far it keeps from one
OFF_CENTRE, ASIDE, SLOPING = 8.0, 6.0, 6.0  # and an end of its own line, standing beside it, and a slope


@dataclass(frozen=True)
class _Places:
    """Where one label can stand: edges of boxes (p, 4), the same with the room that they need, what each costs by itself (p,), and
    which lines that are not its own run through it (p, w)."""

    boxes: Array
    room: Array
    alone: Array
    crossed: NDArray[np.bool_]

    @property
    def cost(self) -> Array:
        """What each place costs before other labels stand (p,)."""
        result: Array = self.alone + UNDER * self.crossed.sum(axis=1)
        return result

    def and_also(self, other: _Places) -> _Places:
        """Both sets of places."""
        pairs = ((getattr(self, name.name), getattr(other, name.name)) for name in fields(self))
        return _Places(*(np.concatenate(pair) for pair in pairs))


def _along(way: Way, beside: bool) -> tuple[Array, Array]:
    """Edges of the places of a way's label (p, 4) on its line, or beside it, and what each costs: near the
    middle is best, and where it does not slope."""
    arrow, curves = way
    half = np.array([arrow.label_width, arrow.label_height]) / 2
    middles = spaced(curves, STEP)
    ahead = np.gradient(middles, axis=0)
    lengths = np.hypot(*ahead.T)
    gone = np.cumsum(lengths) - lengths / 2
    normal = ahead[:, ::-1] * (1, -1) / np.maximum(lengths, 1e-9)[:, None]
    cost = OFF_CENTRE * np.abs(2 * gone / max(lengths.sum(), 1e-9) - 1) + SLOPING * 2 * np.abs(normal.prod(axis=1))
    if beside:
        away = normal * (np.abs(normal) @ half + BESIDE)[:, None]
        middles = np.concatenate([middles + away, middles - away])
        cost = np.tile(cost + ASIDE, 2)
    boxes = np.hstack([middles - half, middles + half])
    return boxes, cost + HIDDEN_TURN * inside(boxes, _corners(curves), CORNER).sum(axis=1)


def _corners(curves: Sequence[Curve]) -> Array:
    """Where a way turns at once (n, 2)."""
    found = []
    for before, after in itertools.pairwise(curves):
        (ax, ay), (bx, by) = before.second, before.end
        (cx, cy), (dx, dy) = after.start, after.first
        along = (bx - ax) * (dx - cx) + (by - ay) * (dy - cy)
        if along < SHARP * math.dist(before.second, before.end) * math.dist(after.start, after.first):
            found.append(after.start)
    return np.array(found).reshape(-1, 2)


class Labels:
    """The labels of ways where they lie best: off cards, off one another, off `lines` and ways that are not theirs; on their own
    way, or beside it where nothing is free on it. Ways that are not `drawn` are in nobody's way."""

    def __init__(
        self, ways: Sequence[Way], cards: Sequence[Box], lines: Sequence[Curve] = (), drawn: bool = True
    ) -> None:
        self.drawn = drawn
        self.ways, self.cards, self.lines = list(ways), edges(cards), [[line] for line in lines]
        self.places = self._places(range(len(self.ways)), beside=False)
        self.chosen = [int(np.argmin(own.cost)) for own in self.places]
        self._settle()
        self._step_aside()

    @property
    def boxes(self) -> list[Box]:
        """Where every label stands."""
        return [Box(left, top, right - left, bottom - top) for left, top, right, bottom in self._corners.tolist()]

    @property
    def hidden(self) -> list[tuple[int, int]]:
        """Labels that lie on a shape, on another label, or on a line that is not theirs, or too near to it; with the number of that
        line, those of ways first, of that label, or else their own."""
        standing = list(zip(self.places, self.chosen, strict=True))
        on_shapes = [(i, i) for i, (own, at) in enumerate(standing) if own.alone[at] >= HIDES]
        on_labels = np.argwhere(np.tril(overlapping(self._corners, self._corners, 3), -1)).tolist()
        on_lines = [
            (i, line) for i, (own, at) in enumerate(standing) for line in np.flatnonzero(own.crossed[at]).tolist()
        ]
        return [*on_shapes, *((i, j) for i, j in on_labels), *on_lines]

    @property
    def badness(self) -> float:
        """What all places cost together."""
        among = np.tril(overlapping(self._corners, self._corners, 3), -1).sum()
        return float(OVER * among + sum(own.cost[at] for own, at in zip(self.places, self.chosen, strict=True)))

    @property
    def _corners(self) -> Array:
        """Edges of where the labels stand (l, 4)."""
        return np.array([own.boxes[at] for own, at in zip(self.places, self.chosen, strict=True)]).reshape(-1, 4)

    def turned(self, number: int, curves: list[Curve]) -> Labels:
        """The labels with one of their ways led otherwise."""
        other = copy(self)
        other.ways = [*self.ways]
        other.ways[number] = (self.ways[number][0], curves)
        through = runs_through(np.concatenate([own.room for own in self.places]), [curves])
        begins = np.cumsum([len(own.room) for own in self.places])
        other.places = [
            replace(own, crossed=np.hstack([own.crossed[:, :number], now, own.crossed[:, number + 1 :]]))
            for own, now in zip(self.places, np.split(through, begins[:-1]), strict=True)
        ]
        other.places[number] = other._places([number], beside=False)[0].and_also(
            other._places([number], beside=True)[0]
        )
        other.chosen = [*self.chosen]
        other.chosen[number] = int(np.argmin(other.places[number].cost))
        other._settle()
        return other

    def _places(self, which: Sequence[int], beside: bool) -> list[_Places]:
        """The places of some labels, on their ways or beside them."""
        if not which:
            return []
        found = [_along(self.ways[i], beside) for i in which]
        owner = np.repeat(which, [len(alone) for _, alone in found])
        boxes, alone = (np.concatenate(parts) for parts in zip(*found, strict=True))
        room = boxes + np.multiply(CLOSER if beside else ON, (-1, -1, 1, 1))
        tips = np.array([curves[-1].end for _, curves in self.ways])
        own = np.arange(owner.size), owner
        alone = alone + HIDES * (overlapping(boxes, self.cards, 5).sum(axis=1) + inside(boxes, tips, TIP)[own])
        crossed = runs_through(room, [*(curves for _, curves in self.ways), *self.lines])
        crossed[own if self.drawn else (slice(None), slice(len(self.ways)))] = False
        begins = np.searchsorted(owner, which).tolist()
        parts = (np.split(everything, begins[1:]) for everything in (boxes, room, alone, crossed))
        return [_Places(*one) for one in zip(*parts, strict=True)]

    def _settle(self) -> None:
        """Every label where it lies best among the others, until none moves."""
        costs = [own.cost for own in self.places]
        corners = self._corners
        for _ in range(SWEEPS):
            before = [*self.chosen]
            for i, own in enumerate(self.places):
                near = overlapping(own.boxes, np.delete(corners, i, axis=0), 3)
                self.chosen[i] = int(np.argmin(costs[i] + OVER * near.sum(axis=1)))
                corners[i] = own.boxes[self.chosen[i]]
            if before == self.chosen:
                break

    def _step_aside(self) -> None:
        """Labels that find no place of their own on their line may stand beside it."""
        which = sorted({i for i, _ in self.hidden})
        for i, further in zip(which, self._places(which, beside=True), strict=True):
            self.places[i] = self.places[i].and_also(further)
        if which:
            self._settle()


def untangled(labels: Labels, others: Sequence[Iterable[list[Curve]]]) -> Labels:
    """The labels after ways that hide one were led otherwise where that hides less: `others` are further ways of the same arrows."""
    known: dict[int, list[list[Curve]]] = {}
    tried: set[tuple[int, int]] = set()
    while hidden := labels.hidden:
        involved = dict.fromkeys(number for pair in hidden for number in pair if number < len(others))
        for number in involved:
            known.setdefault(number, list(others[number]))
        attempt = next(((i, j) for i in involved for j in range(len(known[i])) if (i, j) not in tried), None)
        if attempt is None:
            break
        tried.add(attempt)
        other = labels.turned(attempt[0], known[attempt[0]][attempt[1]])
        if len(other.hidden) < len(hidden) and other.badness < labels.badness:
            labels = other
            tried = {attempt}
    return labels


def collide(labels: Sequence[Box], cards: Sequence[Box]) -> bool:
    """Whether a label lies on another, or on a card."""
    if not labels:
        return False
    corners = edges(labels)
    among = overlapping(corners, corners, -0.5)
    np.fill_diagonal(among, False)
    return bool(among.any() or overlapping(corners, edges(cards), -0.5).any())
