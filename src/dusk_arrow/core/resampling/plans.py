"""Seeded plans of resampling: which cases each resample draws, the same for any number of workers."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.linear_algebra import Array

STREAM = 128
TOGETHER = 4
FEW_CASES = 10_000


@dataclass(frozen=True)
class Chunk:
    """Resamples that are drawn and solved together: streams of 128, each from a child of the seed of its own.

    Without seeds it is a run of the jackknife, whose resamples leave out one case each, from case number × 128 on.
    """

    number: int
    size: int
    seeds: tuple[np.random.SeedSequence, ...]


class ChunkResult(NamedTuple):
    """Figures of the resamples that converged (k, f), whether each solution is admissible (k,), how many failed, and the
    statistics T (j,) of data transformed to the model, where those were asked for."""

    figures: Array
    admissible: NDArray[np.bool_]
    failed: int
    statistics: Array


def together(n: int) -> int:
    """How many streams are solved at once: more than one saves much where resamples are small; memory bounds it where
    there are very many cases."""
    return TOGETHER if n <= FEW_CASES else 1


def plan_chunks(resamples: int, seed: int, streams: int = TOGETHER) -> list[Chunk]:
    """Chunks of so many streams. The size of a stream is part of the seed's contract: the resamples are the same however
    many streams go together."""
    children = np.random.SeedSequence(seed).spawn(-(-resamples // STREAM))
    most = streams * STREAM
    return [
        Chunk(i, min(most, resamples - i * most), tuple(children[i * streams : (i + 1) * streams]))
        for i in range(-(-resamples // most))
    ]


def plan_jackknife(n: int) -> list[Chunk]:
    """Chunks of 128 cases, each of which is left out once."""
    return [Chunk(i, min(STREAM, n - i * STREAM), ()) for i in range(-(-n // STREAM))]


def draw_counts(chunk: Chunk, n: int) -> Array:
    """How often each of n cases is drawn in each resample of the chunk (size, n); rows sum to n, or to n − 1 in the
    jackknife."""
    if not chunk.seeds:
        left = np.ones((chunk.size, n))
        left[np.arange(chunk.size), chunk.number * STREAM + np.arange(chunk.size)] = 0.0
        return left
    drawn = np.empty((chunk.size, n), dtype=np.int64)
    for i, seed in enumerate(chunk.seeds):
        stream = drawn[i * STREAM : (i + 1) * STREAM]
        stream[:] = np.random.default_rng(seed).integers(0, n, size=stream.shape)
    drawn += n * np.arange(chunk.size)[:, None]
    counts = np.bincount(drawn.ravel(), minlength=chunk.size * n)
    return counts.reshape(chunk.size, n).astype(float)
