"""Columns that are taller than there is room for are parted into several, so that a model fills its board."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from itertools import accumulate

WORTH = 1.12  # how much larger everything has to become before a column is parted
LARGEST = 1.1


def _chunks(column: Sequence[str], heights: Mapping[str, float], gap: float, count: int) -> list[list[str]]:
    """A column in `count` pieces of about the same height, its order kept."""
    ends = list(accumulate(heights[name] + gap for name in column))
    pieces: list[list[str]] = [[] for _ in range(count)]
    for name, end in zip(column, ends, strict=True):
        middle = end - (heights[name] + gap) / 2
        pieces[min(int(middle / ends[-1] * count), count - 1)].append(name)
    return [piece for piece in pieces if piece]


def scale_of(
    columns: Sequence[Sequence[str]],
    sizes: Mapping[str, tuple[float, float]],
    gaps: tuple[float, float],
    room: tuple[float, float],
) -> float:
    """How large columns of cards can be drawn in a room, before anything is routed. `gaps` between columns, and rows."""
    width = sum(max(sizes[n][0] for n in column) for column in columns) + gaps[0] * (len(columns) - 1)
    height = max(sum(sizes[n][1] + gaps[1] for n in column) - gaps[1] for column in columns)
    return min(room[0] / max(width, 1), room[1] / max(height, 1), LARGEST)


def spread(
    columns: Sequence[Sequence[str]],
    heights: Mapping[str, float],
    gap: float,
    scale: Callable[[list[list[str]]], float],
) -> list[list[str]]:
    """The columns with the tall ones parted where that lets everything be drawn in a larger `scale`, which is given for columns."""
    tall = [sum(heights[n] + gap for n in column) for column in columns]
    best = [list(column) for column in columns]
    largest = scale(best) * WORTH
    limits = sorted({total / parts for total in tall for parts in range(2, 7)}, reverse=True)
    for limit in limits:
        parted = [
            piece
            for column, total in zip(columns, tall, strict=True)
            for piece in _chunks(column, heights, gap, min(max(1, round(total / limit)), len(column)))
        ]
        found = scale(parted)
        if found > largest:
            best, largest = parted, found
    return best
