"""The bootstrap of composites, one chunk of resamples at a time."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.composite.distances import distances
from dusk_arrow.core.composite.program import estimate, implied_measurement, implied_whole
from dusk_arrow.core.composite.statistics import Inquiry, statistics
from dusk_arrow.core.linear_algebra import Array, correlation_from, positive_definite
from dusk_arrow.core.memory import keep_freed_memory
from dusk_arrow.core.observations.evidence import Samples, counted_still
from dusk_arrow.core.resampling.draws import Chunk, ChunkResult, Draw, Draws
from dusk_arrow.core.resampling.transforming import transformation_to


@dataclass(frozen=True)
class BlockTask:
    """What is asked of one block, its columns' standard deviations (p,), and how data are transformed to the model: matrices M (p, p)
    on standardized columns with M S Mᵀ = Σ̂, of the whole model and of its measurement part (None where Σ̂ is none), and the sample's
    weights (m, p), at which every resample starts."""

    asked: Inquiry
    sd: Array
    whole: Array | None
    measurement: Array | None
    start: Array | None = None


@dataclass(frozen=True)
class BootstrapTask:
    """What every chunk needs: what is drawn, and of every block what it takes to estimate it."""

    blocks: tuple[BlockTask, ...]
    draws: Draws


class PreparedTask(NamedTuple):
    """A task with its resampling, made ready once."""

    task: BootstrapTask
    draw: Draw


def prepare(task: BootstrapTask) -> PreparedTask:
    """What the draws need."""
    keep_freed_memory()
    return PreparedTask(task, task.draws.prepared())


def transformation(sample: Array, implied: Array | None) -> Array | None:
    """Σ̂^½ S^(−½) (p, p); None where either is not positive definite, or of other columns."""
    if (
        implied is None
        or implied.shape != sample.shape
        or not (positive_definite(sample) and positive_definite(implied))
    ):
        return None
    return transformation_to(implied, sample)


def run_samples(prepared: PreparedTask, samples: tuple[Samples, ...]) -> ChunkResult:
    """All statistics of a batch of samples of every block; a sample counts where all its blocks are estimated."""
    parts = [_estimated(task, own) for task, own in zip(prepared.task.blocks, samples, strict=True)]
    fine = np.logical_and.reduce([part.fine for part in parts])
    chosen = [part.statistics if fine[part.fine].all() else part.statistics[fine[part.fine]] for part in parts]
    admissible = np.logical_and.reduce([part.admissible[fine[part.fine]] for part in parts])
    return ChunkResult(
        chosen[0] if len(chosen) == 1 else np.concatenate(chosen, axis=-1),
        admissible,
        int((~fine).sum()),
        np.concatenate([part.transformed for part in parts], axis=1),
        np.concatenate([counted_still(own) for own in samples]),
    )


class _Part(NamedTuple):
    """Which samples of a block were estimated (b,), their statistics (k, f), which of them are admissible (k,), and the distances
    (b, 6) of transformed data, nan where there are none."""

    fine: NDArray[np.bool_]
    statistics: Array
    admissible: NDArray[np.bool_]
    transformed: Array


def _estimated(task: BlockTask, samples: Samples) -> _Part:
    usable = samples.usable
    covariances = samples.covariances if usable.all() else samples.covariances[usable]
    correlations = correlation_from(covariances)
    outcome = estimate(task.asked.program, correlations, task.start)
    good = outcome.converged & np.asarray(np.isfinite(outcome.structure.between).all(axis=(1, 2)))
    good &= np.asarray(np.isfinite(outcome.structure.paths).all(axis=1))
    transformed = np.full((usable.size, 6), np.nan)
    transformed[usable] = _transformed(task, covariances)
    fine = usable.copy()
    fine[usable] = good
    if not good.any():
        return _Part(fine, np.zeros((0, len(task.asked.keys))), np.zeros(0, dtype=bool), transformed)
    if not good.all():
        outcome, covariances, correlations = (
            outcome.members(np.flatnonzero(good)),
            covariances[good],
            correlations[good],
        )
    found = statistics(task.asked, outcome, covariances, correlations)
    return _Part(fine, found.values, outcome.admissible, transformed)


def _transformed(task: BlockTask, covariances: Array) -> Array:
    """Distances (b, 6) of resamples of the data transformed to the model: of the whole from data that fit the whole, of the
    measurement part from data that fit that."""
    b = covariances.shape[0]
    found = np.full((b, 6), np.nan)
    asked = [
        (transform / task.sd, columns, compare)
        for transform, columns, compare in (
            (task.whole, slice(0, 3), implied_whole),
            (task.measurement, slice(3, 6), implied_measurement),
        )
        if transform is not None
    ]
    if not asked or not b:
        return found
    program = replace(task.asked.program, like=None)
    turned = correlation_from(np.concatenate([by @ covariances @ by.T for by, _, _ in asked]))
    outcome = estimate(program, turned, task.start)
    for number, (_, columns, compare) in enumerate(asked):
        rows = number * b + np.flatnonzero(outcome.converged[number * b : (number + 1) * b])
        compared = compare(program, outcome.members(rows), turned[rows])
        if compared is not None:
            found[rows - number * b, columns] = np.stack(distances(*compared), axis=-1)
    return found


def run_chunk(prepared: PreparedTask, chunk: Chunk) -> ChunkResult:
    """All statistics for one chunk of draws."""
    return run_samples(prepared, prepared.draw(chunk))
