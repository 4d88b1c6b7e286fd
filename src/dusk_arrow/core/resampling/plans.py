"""Seeded plans of resampling: which cases each resample draws, the same for any number of workers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dusk_arrow.core.linear_algebra import Array

CHUNK = 128


@dataclass(frozen=True)
class Chunk:
    """A run of resamples that are drawn together; its generator is seeded by its own child of the seed."""

    number: int
    size: int
    seed: np.random.SeedSequence


def plan_chunks(resamples: int, seed: int) -> list[Chunk]:
    """Chunks of 128 resamples with child seeds. The chunk size is part of the seed's contract."""
    count = -(-resamples // CHUNK)
    children = np.random.SeedSequence(seed).spawn(count)
    return [Chunk(i, min(CHUNK, resamples - i * CHUNK), child) for i, child in enumerate(children)]


def draw_counts(chunk: Chunk, n: int) -> Array:
    """How often each of n cases is drawn in each resample of the chunk (size, n); rows sum to n."""
    rng = np.random.default_rng(chunk.seed)
    drawn = rng.integers(0, n, size=(chunk.size, n))
    drawn += n * np.arange(chunk.size)[:, None]
    counts = np.bincount(drawn.ravel(), minlength=chunk.size * n)
    return counts.reshape(chunk.size, n).astype(float)
