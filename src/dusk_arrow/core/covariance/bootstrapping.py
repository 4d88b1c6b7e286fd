"""The bootstrap of a covariance-based model, one chunk of resamples at a time."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.assessment.reliability import cronbach_alpha
from dusk_arrow.core.assessment.validity import htmt
from dusk_arrow.core.covariance.admissibility import admissible
from dusk_arrow.core.covariance.evidence import (
    Draw,
    Evidence,
    Resampling,
    batch_discrepancy,
    discrepancy_of,
    prepare_resampling,
)
from dusk_arrow.core.covariance.figures import FigurePlan, figures
from dusk_arrow.core.covariance.implied import implied, implied_means, matrices
from dusk_arrow.core.covariance.least_squares import Moments, settle, uneven
from dusk_arrow.core.covariance.scales import align_signs
from dusk_arrow.core.covariance.solver import Metric, metric_at, solve_batch
from dusk_arrow.core.linear_algebra import Array, correlation_from
from dusk_arrow.core.resampling.plans import Chunk, draw_counts


@dataclass(frozen=True)
class BootstrapTask:
    """What every chunk needs: the plan of figures, the cases, the full-sample estimate, the blocks (of columns) whose
    alpha and HTMT are wanted, and whether the fit is to be tested on data transformed to the model."""

    plan: FigurePlan
    evidence: Evidence
    theta: Array
    blocks: tuple[tuple[int, ...], ...]
    bollen_stine: bool = False


class ChunkResult(NamedTuple):
    """Figures of the converged resamples (k, f), alpha of blocks (k, c), HTMT of pairs of blocks (k, h), admissibility
    (k,), how many failed, and the statistics T (j,) of the transformed data that converged."""

    figures: Array
    alpha: Array
    htmt: Array
    admissible: NDArray[np.bool_]
    failed: int
    statistics: Array


class PreparedTask(NamedTuple):
    """A task with what is computed once for all chunks."""

    task: BootstrapTask
    resampling: Resampling
    metric: Metric
    transform: Array | None


def prepare(task: BootstrapTask) -> PreparedTask:
    """Column products, the metric at the full-sample estimate, and the transformation of the data to the model."""
    model = task.plan.model
    metric = metric_at(model, discrepancy_of(task.evidence), task.theta)
    transform = _transformation(task) if task.bollen_stine else None
    return PreparedTask(task, prepare_resampling(task.evidence), metric, transform)


def _root(matrix: Array) -> Array:
    values, vectors = np.linalg.eigh(matrix)
    result: Array = (vectors * np.sqrt(np.maximum(values, 0.0))) @ vectors.T
    return result


def _transformation(task: BootstrapTask) -> Array:
    """M (p, p) with M S Mᵀ = Σ̂: the data multiplied by it fit the model exactly (Bollen & Stine 1992)."""
    covariance = implied(matrices(task.plan.model, task.theta)).covariance
    result: Array = _root(covariance) @ np.linalg.inv(_root(task.evidence.covariance))
    return result


def block_figures(samples: Array, blocks: tuple[tuple[int, ...], ...]) -> tuple[Array, Array]:
    """Alpha of each block of two columns or more (b, c), nan otherwise, and HTMT of each pair of blocks (b, h)."""
    alpha = np.full((samples.shape[0], len(blocks)), np.nan)
    for at, block in enumerate(blocks):
        rows = list(block)
        if len(rows) > 1:
            alpha[:, at] = cronbach_alpha(samples[:, rows][:, :, rows])
    correlation = correlation_from(samples)
    pairs = [(a, b) for a in range(len(blocks)) for b in range(a + 1, len(blocks))]
    ratios = np.full((samples.shape[0], len(pairs)), np.nan)
    for at, (a, b) in enumerate(pairs):
        ratios[:, at] = htmt(correlation, list(blocks[a]), list(blocks[b]))
    return alpha, ratios


def run_counts(prepared: PreparedTask, counts: Array) -> ChunkResult:
    """All figures for resamples given as counts per case (b, n)."""
    task = prepared.task
    model = task.plan.model
    draw = prepared.resampling.draw(counts)
    theta, _, converged = solve_batch(model, draw.discrepancy, draw.usable, task.theta, prepared.metric)
    if task.evidence.estimator == "uls" and uneven(task.evidence.covariance):
        moments = Moments(draw.samples, draw.means if model.means else None)
        theta, converged, _ = settle(model, moments, np.where(converged[:, None], theta, task.theta))
        converged = converged & draw.usable
    kept = align_signs(model, theta[converged])
    alpha, ratios = block_figures(draw.samples[converged], task.blocks)
    statistics = np.zeros(0)
    if prepared.transform is not None:
        statistics = _transformed_statistics(prepared, draw)
    failed = int((~converged).sum())
    if kept.shape[0] == 0:
        width = figures(task.plan, task.theta).flat().shape[-1]
        return ChunkResult(np.zeros((0, width)), alpha, ratios, np.zeros(0, dtype=bool), failed, statistics)
    found = figures(task.plan, kept).flat()
    return ChunkResult(found, alpha, ratios, admissible(model, kept), failed, statistics)


def run_chunk(prepared: PreparedTask, chunk: Chunk) -> ChunkResult:
    """All figures for one chunk of resamples."""
    evidence = prepared.task.evidence
    assert evidence.values is not None
    return run_counts(prepared, draw_counts(chunk, evidence.values.shape[0]))


def _transformed_statistics(prepared: PreparedTask, draw: Draw) -> Array:
    """T of the same resamples of the transformed data; their moments are the resamples' own, transformed."""
    task, transform, evidence = prepared.task, prepared.transform, prepared.task.evidence
    assert transform is not None
    assert evidence.means is not None
    model = task.plan.model
    means = draw.means
    if model.means:
        parts = matrices(model, task.theta)
        means = implied_means(parts, implied(parts))[0] + (means - evidence.means) @ transform.T
    discrepancy, usable = batch_discrepancy(evidence, transform @ draw.samples @ transform.T, means, None)
    _, value, converged = solve_batch(model, discrepancy, usable, task.theta, prepared.metric)
    result: Array = evidence.multiplier * np.maximum(value[converged], 0.0)
    return result


def can_transform(evidence: Evidence) -> bool:
    """Whether the data can be transformed to the model: complete cases whose N·F is a χ² of covariances."""
    return evidence.complete and evidence.estimator in ("ml", "gls")
