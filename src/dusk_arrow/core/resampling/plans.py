"""Seeded plans of resampling: which cases each resample draws, the same for any number of workers."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.linear_algebra import Array

CHUNK = 128


@dataclass(frozen=True)
class Chunk:
    """A run of resamples that are drawn together; its generator is seeded by its own child of the seed.

    Without a seed it is a run of the jackknife, whose resamples leave out one case each, from case number × 128 on.
    """

    number: int
    size: int
    seed: np.random.SeedSequence | None


class ChunkResult(NamedTuple):
    """Figures of the resamples that converged (k, f), whether each solution is admissible (k,), how many failed, and the
    statistics T (j,) of data transformed to the model, where those were asked for."""

    figures: Array
    admissible: NDArray[np.bool_]
    failed: int
    statistics: Array


def plan_chunks(resamples: int, seed: int) -> list[Chunk]:
    """Chunks of 128 resamples with child seeds. The chunk size is part of the seed's contract."""
    count = -(-resamples // CHUNK)
    children = np.random.SeedSequence(seed).spawn(count)
    return [Chunk(i, min(CHUNK, resamples - i * CHUNK), child) for i, child in enumerate(children)]


def plan_jackknife(n: int) -> list[Chunk]:
    """Chunks of 128 cases, each of which is left out once."""
    return [Chunk(i, min(CHUNK, n - i * CHUNK), None) for i in range(-(-n // CHUNK))]


def draw_counts(chunk: Chunk, n: int) -> Array:
    """How often each of n cases is drawn in each resample of the chunk (size, n); rows sum to n, or to n − 1 in the
    jackknife."""
    if chunk.seed is None:
        left = np.ones((chunk.size, n))
        left[np.arange(chunk.size), chunk.number * CHUNK + np.arange(chunk.size)] = 0.0
        return left
    rng = np.random.default_rng(chunk.seed)
    drawn = rng.integers(0, n, size=(chunk.size, n))
    drawn += n * np.arange(chunk.size)[:, None]
    counts = np.bincount(drawn.ravel(), minlength=chunk.size * n)
    return counts.reshape(chunk.size, n).astype(float)
