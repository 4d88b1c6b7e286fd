"""The bootstrap of composites, one chunk of resamples at a time."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal, NamedTuple

import numpy as np

from dusk_arrow.core.composite.distances import distances
from dusk_arrow.core.composite.figures import FigurePlan, figures
from dusk_arrow.core.composite.program import Implied, estimate, implied_by
from dusk_arrow.core.linear_algebra import Array, correlation_from, positive_definite
from dusk_arrow.core.memory import keep_freed_memory
from dusk_arrow.core.observations.evidence import Cases, Draw, Samples
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


Part = Literal["whole", "measurement"]


def of_distances(found: Implied, part: Part) -> Array:
    """SRMR, d_ULS and d_G (b, 3) of the whole model or of its measurement part; nan where there is none."""
    if part == "measurement":
        return np.stack(distances(found.measured, found.measurement), axis=-1)
    if found.whole is None:
        return np.full((found.sample.shape[0], 3), np.nan)
    return np.stack(distances(found.sample, found.whole), axis=-1)


def run_counts(prepared: PreparedTask, counts: Array) -> ChunkResult:
    """All figures for resamples given as counts per case (b, n)."""
    task = prepared.task
    samples = prepared.draw(counts)
    covariances = samples.covariances[_usable(samples)]
    outcome = estimate(task.plan.program, correlation_from(covariances), task.start)
    fine = outcome.converged & np.asarray(np.isfinite(outcome.structure.between).all(axis=(1, 2)))
    good = np.flatnonzero(fine)
    statistics = _transformed(task, covariances)
    failed = counts.shape[0] - good.size
    if good.size == 0:
        return ChunkResult(np.zeros((0, len(task.plan.keys))), np.zeros(0, dtype=bool), failed, statistics)
    part = outcome.members(good)
    found = figures(task.plan, part, covariances[good])
    return ChunkResult(found.values, part.admissible, failed, statistics)


def _usable(samples: Samples) -> Array:
    """The resamples (k,) in which every column varies."""
    varies = np.asarray((np.diagonal(samples.covariances, axis1=-2, axis2=-1) > 0).all(axis=-1))
    return np.flatnonzero(samples.usable & varies)


def _transformed(task: BootstrapTask, covariances: Array) -> Array:
    """Distances (b, 6) of resamples of the data transformed to the model: of the whole from data that fit the whole, of the
    measurement part from data that fit that."""
    sd = np.sqrt(np.diag(task.cases.covariance))
    scaled = covariances / (sd[:, None] * sd)
    found = np.full((covariances.shape[0], 6), np.nan)
    program = replace(task.plan.program, like=None)
    asked: tuple[tuple[Array | None, slice, Part], ...] = (
        (task.whole, slice(0, 3), "whole"),
        (task.measurement, slice(3, 6), "measurement"),
    )
    for transform, columns, which in asked:
        if transform is None:
            continue
        turned = correlation_from(transform @ scaled @ transform.T)
        outcome = estimate(program, turned, task.start)
        rows = np.flatnonzero(outcome.converged)
        part = outcome.members(rows)
        found[rows, columns] = of_distances(implied_by(program, part, turned[rows]), which)
    return found


def run_chunk(prepared: PreparedTask, chunk: Chunk) -> ChunkResult:
    """All figures for one chunk of resamples."""
    return run_counts(prepared, draw_counts(chunk, prepared.task.cases.n))
