"""Seeded plans of resampling: which cases each resample draws, the same for any number of workers."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.linear_algebra import Array

STREAM = 128
MANY, SOME = 4 * STREAM, 16
FEW_CASES = 10_000


@dataclass(frozen=True)
class Chunk:
    """Resamples that are drawn and solved together: streams of 128, each from a child of the seed of its own, or a part of one,
    from its resample number `begin` on.

    Without seeds it is a run of the jackknife, whose resamples leave out one case each, from case number `begin` on.
    """

    number: int
    size: int
    seeds: tuple[np.random.SeedSequence, ...]
    begin: int = 0


class ChunkResult(NamedTuple):
    """Figures of the resamples that converged (k, f), whether each solution is admissible (k,), how many failed, the
    statistics T (j,) of data transformed to the model, where those were asked for, and of the failed ones in how many each
    column (p,) did not vary."""

    figures: Array
    admissible: NDArray[np.bool_]
    failed: int
    statistics: Array
    still: Array = np.zeros(0)


def at_once(n: int, columns: int, slow: bool = False) -> int:
    """How many resamples of n cases go together: many where they are small, which saves much; a stream where memory bounds it;
    few where each takes long, so that progress is told and a run can be stopped within about a second."""
    if slow or columns > 120:
        return SOME
    return MANY if n <= FEW_CASES and columns <= 60 else STREAM


def plan_chunks(resamples: int, seed: int, size: int = MANY) -> list[Chunk]:
    """Chunks of so many resamples, a number of streams or an equal part of one. The size of a stream is part of the seed's
    contract: the resamples are the same however many go together."""
    children = np.random.SeedSequence(seed).spawn(-(-resamples // STREAM))
    return [
        Chunk(
            i,
            min(size, resamples - begin),
            tuple(children[begin // STREAM : -(-(begin + size) // STREAM)]),
            begin % STREAM,
        )
        for i, begin in enumerate(range(0, resamples, size))
    ]


def plan_jackknife(n: int, size: int = STREAM) -> list[Chunk]:
    """Chunks of so many cases, at most 128, each of which is left out once."""
    step = min(size, STREAM)
    return [Chunk(i, min(step, n - begin), (), begin) for i, begin in enumerate(range(0, n, step))]


def draw_counts(chunk: Chunk, n: int) -> Array:
    """How often each of n cases is drawn in each resample of the chunk (size, n); rows sum to n, or to n − 1 in the
    jackknife."""
    if not chunk.seeds:
        left = np.ones((chunk.size, n))
        left[np.arange(chunk.size), chunk.begin + np.arange(chunk.size)] = 0.0
        return left
    drawn = np.empty((chunk.begin + chunk.size, n), dtype=np.int64)
    for i, seed in enumerate(chunk.seeds):
        stream = drawn[i * STREAM : (i + 1) * STREAM]
        stream[:] = np.random.default_rng(seed).integers(0, n, size=stream.shape)
    drawn = drawn[chunk.begin :]
    drawn += n * np.arange(chunk.size)[:, None]
    counts = np.bincount(drawn.ravel(), minlength=chunk.size * n)
    return counts.reshape(chunk.size, n).astype(float)
