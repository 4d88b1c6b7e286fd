"""The bootstrap of a covariance-based model, one chunk of resamples at a time."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.assessment.reliability import cronbach_alpha
from dusk_arrow.core.covariance.admissibility import admissible
from dusk_arrow.core.covariance.figures import FigurePlan, figures
from dusk_arrow.core.covariance.signs import align_signs
from dusk_arrow.core.covariance.solver import curvature_at, solve_batch
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.moments import Products, prepare_products, resample_covariances
from dusk_arrow.core.resampling.plans import Chunk, draw_counts


@dataclass(frozen=True)
class BootstrapTask:
    """What every chunk needs: the plan of figures, the complete cases (n, p) in the order of the model's observed
    variables, the full-sample estimate, and the blocks whose alpha is wanted."""

    plan: FigurePlan
    values: Array
    theta: Array
    divisor_offset: int
    blocks: tuple[tuple[int, ...], ...]


class ChunkResult(NamedTuple):
    """Figures of the converged resamples (k, f), alpha of blocks (k, c), admissibility (k,), and how many failed."""

    figures: Array
    alpha: Array
    admissible: NDArray[np.bool_]
    failed: int


class PreparedTask(NamedTuple):
    """A task with what is computed once for all chunks."""

    task: BootstrapTask
    products: Products
    metric: Array
    scale: Array


def prepare(task: BootstrapTask) -> PreparedTask:
    """Column products, and the inverse curvature at the full-sample estimate as the solver's fixed metric."""
    here = curvature_at(task.plan.model, task.theta[None])
    return PreparedTask(task, prepare_products(task.values), here.metric()[0], here.scale[0])


def run_chunk(prepared: PreparedTask, chunk: Chunk) -> ChunkResult:
    """All figures for one chunk of resamples."""
    task = prepared.task
    counts = draw_counts(chunk, task.values.shape[0])
    samples = resample_covariances(prepared.products, counts, task.divisor_offset)
    theta, _, converged = solve_batch(task.plan.model, samples, task.theta, prepared.metric, prepared.scale)
    kept, samples = align_signs(task.plan.model, theta[converged]), samples[converged]
    alpha = np.zeros((kept.shape[0], len(task.blocks)))
    for at, block in enumerate(task.blocks):
        rows = list(block)
        alpha[:, at] = cronbach_alpha(samples[:, rows][:, :, rows])
    if kept.shape[0] == 0:
        width = figures(task.plan, task.theta).flat().shape[-1]
        return ChunkResult(np.zeros((0, width)), alpha, np.zeros(0, dtype=bool), chunk.size)
    found = figures(task.plan, kept).flat()
    return ChunkResult(found, alpha, admissible(task.plan.model, kept), int((~converged).sum()))
