"""The bootstrap of composites, one chunk of resamples at a time."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from dusk_arrow.core.composite.distances import distances
from dusk_arrow.core.composite.figures import FigurePlan, figures
from dusk_arrow.core.composite.program import estimate, implied_measurement, implied_whole
from dusk_arrow.core.linear_algebra import Array, correlation_from, positive_definite
from dusk_arrow.core.memory import keep_freed_memory
from dusk_arrow.core.observations.evidence import Cases, Draw, counted_still
from dusk_arrow.core.resampling.plans import Chunk, ChunkResult, draw_counts
from dusk_arrow.core.resampling.transforming import transformation_to


@dataclass(frozen=True)
class BootstrapTask:
    """What every chunk needs: the plan of figures, the cases, and how data are transformed to the model: matrices M (p, p) on
    standardized columns with M S Mᵀ = Σ̂, of the whole model and of its measurement part (None where Σ̂ is none), and the sample's
    weights (m, p), at which every resample starts."""

    plan: FigurePlan
    cases: Cases
    whole: Array | None
    measurement: Array | None
    start: Array | None = None


class PreparedTask(NamedTuple):
    """A task with its resampling, made ready once."""

    task: BootstrapTask
    draw: Draw


def prepare(task: BootstrapTask) -> PreparedTask:
    """Column products."""
    keep_freed_memory()
    return PreparedTask(task, task.cases.resampling())


def transformation(sample: Array, implied: Array | None) -> Array | None:
    """Σ̂^½ S^(−½) (p, p); None where either is not positive definite, or of other columns."""
    if (
        implied is None
        or implied.shape != sample.shape
        or not (positive_definite(sample) and positive_definite(implied))
    ):
        return None
    return transformation_to(implied, sample)


def run_counts(prepared: PreparedTask, counts: Array) -> ChunkResult:
    """All figures for resamples given as counts per case (b, n)."""
    task = prepared.task
    samples = prepared.draw(counts)
    usable, still = samples.usable, counted_still(samples)
    covariances = samples.covariances if usable.all() else samples.covariances[usable]
    correlations = correlation_from(covariances)
    outcome = estimate(task.plan.program, correlations, task.start)
    fine = outcome.converged & np.asarray(np.isfinite(outcome.structure.between).all(axis=(1, 2)))
    fine &= np.asarray(np.isfinite(outcome.structure.paths).all(axis=1))
    statistics = _transformed(task, covariances)
    failed = counts.shape[0] - int(fine.sum())
    if not fine.any():
        return ChunkResult(np.zeros((0, len(task.plan.keys))), np.zeros(0, dtype=bool), failed, statistics, still)
    if not fine.all():
        outcome, covariances, correlations = (
            outcome.members(np.flatnonzero(fine)),
            covariances[fine],
            correlations[fine],
        )
    found = figures(task.plan, outcome, covariances, correlations)
    return ChunkResult(found.values, outcome.admissible, failed, statistics, still)


def _transformed(task: BootstrapTask, covariances: Array) -> Array:
    """Distances (b, 6) of resamples of the data transformed to the model: of the whole from data that fit the whole, of the
    measurement part from data that fit that."""
    b, sd = covariances.shape[0], np.sqrt(np.diag(task.cases.covariance))
    found = np.full((b, 6), np.nan)
    asked = [
        (transform / sd, columns, compare)
        for transform, columns, compare in (
            (task.whole, slice(0, 3), implied_whole),
            (task.measurement, slice(3, 6), implied_measurement),
        )
        if transform is not None
    ]
    if not asked or not b:
        return found
    program = replace(task.plan.program, like=None)
    turned = correlation_from(np.concatenate([by @ covariances @ by.T for by, _, _ in asked]))
    outcome = estimate(program, turned, task.start)
    for number, (_, columns, compare) in enumerate(asked):
        rows = number * b + np.flatnonzero(outcome.converged[number * b : (number + 1) * b])
        compared = compare(program, outcome.members(rows), turned[rows])
        if compared is not None:
            found[rows - number * b, columns] = np.stack(distances(*compared), axis=-1)
    return found


def run_chunk(prepared: PreparedTask, chunk: Chunk) -> ChunkResult:
    """All figures for one chunk of resamples."""
    return run_counts(prepared, draw_counts(chunk, prepared.task.cases.n))
