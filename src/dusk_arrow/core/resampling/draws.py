"""Seeded draws: which samples are drawn and how, the same for any number of workers."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.evidence import Cases, Samples
from dusk_arrow.core.resampling.transforming import root_of

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
    """Statistics of the draws that converged (k, f), whether each solution is admissible (k,), how many failed, the tests (j,)
    of data transformed to the model, where those were asked for, and of the failed ones in how many each
    column (p,) did not vary."""

    statistics: Array
    admissible: NDArray[np.bool_]
    failed: int
    transformed: Array
    still: Array = np.zeros(0)


def at_once(n: int, columns: int, slow: bool = False) -> int:
    """How many resamples of n cases go together: many where they are small, which saves much; a stream where memory bounds it;
    few where each takes long, so that progress is told and a run can be stopped within about a second."""
    if slow or columns > 120:
        return SOME
    return MANY if n <= FEW_CASES and columns <= 60 else STREAM


def chunks_of(resamples: int, seed: int, size: int = MANY) -> list[Chunk]:
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


def chunks_leaving_one_out(n: int, size: int = STREAM) -> list[Chunk]:
    """Chunks of so many cases, at most 128, each of which is left out once."""
    step = min(size, STREAM)
    return [Chunk(i, min(step, n - begin), (), begin) for i, begin in enumerate(range(0, n, step))]


def counts_with_replacement(chunk: Chunk, sizes: Sequence[int]) -> tuple[Array, ...]:
    """How often each of n cases is drawn in each resample of the chunk (size, n), for each of some blocks; rows sum to the n of the
    block."""
    drawn = [np.empty((chunk.begin + chunk.size, n), dtype=np.int64) for n in sizes]
    for i, seed in enumerate(chunk.seeds):
        for block, (own, n) in enumerate(zip(drawn, sizes, strict=True)):
            stream = own[i * STREAM : (i + 1) * STREAM]
            stream[:] = _generator(seed, block).integers(0, n, size=stream.shape)
    return tuple(_counted(own[chunk.begin :], n) for own, n in zip(drawn, sizes, strict=True))


def _generator(seed: np.random.SeedSequence, block: int) -> np.random.Generator:
    """What draws one block's part of a stream: the stream's own for the first block, so that there it is as without groups."""
    if block == 0:
        return np.random.default_rng(seed)
    return np.random.default_rng(np.random.SeedSequence(seed.entropy, spawn_key=(*seed.spawn_key, block)))


def _counted(drawn: NDArray[np.int64], n: int) -> Array:
    size = drawn.shape[0]
    drawn += n * np.arange(size)[:, None]
    return np.bincount(drawn.ravel(), minlength=size * n).reshape(size, n).astype(float)


def counts_leaving_one_out(chunk: Chunk, sizes: Sequence[int]) -> tuple[Array, ...]:
    """The same in the jackknife: every case of all blocks is left out in one resample."""
    left = np.ones((chunk.size, sum(sizes)))
    left[np.arange(chunk.size), chunk.begin + np.arange(chunk.size)] = 0.0
    return tuple(np.split(left, np.cumsum(sizes)[:-1], axis=1))


def counts_of_permuted(chunk: Chunk, sizes: Sequence[int]) -> tuple[Array, ...]:
    """Which of all cases together are in each block (size, N), 0 or 1, when their membership is dealt out anew; the blocks keep their
    sizes."""
    total, ends = sum(sizes), np.cumsum(sizes)
    order = np.empty((chunk.begin + chunk.size, total), dtype=np.intp)
    for i, seed in enumerate(chunk.seeds):
        stream = order[i * STREAM : (i + 1) * STREAM]
        stream[:] = np.random.default_rng(seed).permuted(np.tile(np.arange(total), (stream.shape[0], 1)), axis=1)
    counts = []
    for begin, end in zip([0, *ends[:-1]], ends, strict=True):
        own = np.zeros((chunk.size, total))
        np.put_along_axis(own, order[chunk.begin :, begin:end], 1.0, axis=1)
        counts.append(own)
    return tuple(counts)


Draw = Callable[[Chunk], tuple[Samples, ...]]
"""The samples of every block in a chunk."""


class Draws(Protocol):
    """What is drawn, and from what. One engine works all of them off."""

    @property
    def n(self) -> int:
        """The number of cases of all blocks."""

    def prepared(self) -> Draw:
        """What is computed once, so that chunks can be drawn."""


@dataclass(frozen=True)
class FromCases:
    """Cases with replacement within every block, or one case left out at a time in chunks without seeds."""

    evidence: tuple[Cases, ...]

    @property
    def n(self) -> int:
        """The number of cases of all blocks."""
        return sum(own.n for own in self.evidence)

    def prepared(self) -> Draw:
        """Column products of every block."""
        sizes, ways = [own.n for own in self.evidence], [own.resampling() for own in self.evidence]

        def draw(chunk: Chunk) -> tuple[Samples, ...]:
            counts = counts_with_replacement(chunk, sizes) if chunk.seeds else counts_leaving_one_out(chunk, sizes)
            return tuple(way(own) for way, own in zip(ways, counts, strict=True))

        return draw


@dataclass(frozen=True)
class MembershipPermuted:
    """All cases together, dealt out anew to blocks of their `sizes`: what would be if the groups did not differ."""

    pooled: Cases
    sizes: tuple[int, ...]

    @property
    def n(self) -> int:
        """The number of cases of all blocks."""
        return sum(self.sizes)

    def prepared(self) -> Draw:
        """Column products of all cases."""
        way = self.pooled.resampling()

        def draw(chunk: Chunk) -> tuple[Samples, ...]:
            return tuple(way(own) for own in counts_of_permuted(chunk, self.sizes))

        return draw


@dataclass(frozen=True)
class FromModel:
    """Normal cases of what a model implies for every block: covariances (p, p), means (p,), and how many cases there are
    (parametric bootstrap: Efron & Tibshirani 1993); `divisor_offset` is 1 where covariances have divisor n − 1."""

    covariances: tuple[Array, ...]
    means: tuple[Array, ...]
    sizes: tuple[int, ...]
    divisor_offset: int = 0

    @property
    def n(self) -> int:
        """The number of cases of all blocks."""
        return sum(self.sizes)

    def prepared(self) -> Draw:
        """Roots of the covariances."""
        roots = [root_of(own) for own in self.covariances]

        def draw(chunk: Chunk) -> tuple[Samples, ...]:
            each = zip(roots, self.covariances, self.means, self.sizes, strict=True)
            return tuple(self._drawn(chunk, block, *own) for block, own in enumerate(each))

        return draw

    def _drawn(self, chunk: Chunk, block: int, root: Array, covariance: Array, mean: Array, n: int) -> Samples:
        upto, p = chunk.begin + chunk.size, mean.size
        streams = [
            _generator(seed, block).standard_normal((min(STREAM, upto - i * STREAM), n, p))
            for i, seed in enumerate(chunk.seeds)
        ]
        values = np.concatenate(streams)[chunk.begin :] @ root + mean
        centre = values.mean(axis=1)
        apart = values - centre[:, None]
        found = np.swapaxes(apart, 1, 2) @ apart / (n - self.divisor_offset)
        return Samples(found, centre, np.ones(chunk.size, dtype=bool), covariance, cases=lambda at: values[at])
