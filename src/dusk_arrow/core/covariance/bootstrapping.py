"""The bootstrap of a covariance-based model, one chunk of resamples at a time."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from dusk_arrow.core.covariance.admissibility import admissible
from dusk_arrow.core.covariance.estimation import Estimation
from dusk_arrow.core.covariance.figures import FigurePlan, figures
from dusk_arrow.core.covariance.implied import CompiledModel
from dusk_arrow.core.covariance.moment_layout import layout_of
from dusk_arrow.core.covariance.scales import align_signs
from dusk_arrow.core.covariance.solver import Metric, metric_at, solve_batch
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.memory import keep_freed_memory
from dusk_arrow.core.observations.evidence import Cases, Draw, Samples, counted_still
from dusk_arrow.core.resampling.plans import Chunk, ChunkResult, draw_counts
from dusk_arrow.core.resampling.transforming import transformation_to


@dataclass(frozen=True)
class BootstrapTask:
    """What every chunk needs: the plan of figures, the full-sample estimation on `cases`, and whether the fit is to be
    tested on data transformed to the model."""

    plan: FigurePlan
    estimation: Estimation
    cases: Cases
    transformed: bool = False

    @property
    def model(self) -> CompiledModel:
        """The model."""
        return self.plan.model

    @property
    def theta(self) -> Array:
        """The full-sample estimates (q,)."""
        return self.estimation.point.theta


class PreparedTask(NamedTuple):
    """A task with what is computed once for all chunks."""

    task: BootstrapTask
    draw: Draw
    metric: Metric
    transform: Array | None


def prepare(task: BootstrapTask) -> PreparedTask:
    """Column products, the metric at the full-sample estimate, and the transformation of the data to the model."""
    keep_freed_memory()
    metric = metric_at(task.model, task.estimation.discrepancy, task.theta)
    transform = transformation_to(task.estimation.implied, task.cases.covariance) if task.transformed else None
    return PreparedTask(task, task.cases.resampling(), metric, transform)


def run_counts(prepared: PreparedTask, counts: Array) -> ChunkResult:
    """All figures for resamples given as counts per case (b, n)."""
    task, model = prepared.task, prepared.task.model
    samples = prepared.draw(counts)
    estimator = task.estimation.estimator
    discrepancy, usable = estimator.discrepancy(samples, layout_of(model))
    theta, _, converged = solve_batch(model, discrepancy, usable, task.theta, prepared.metric)
    theta, converged = estimator.settle_batch(model, samples, theta, converged, task.theta)
    converged = converged & usable
    kept = align_signs(model, theta[converged])
    still = counted_still(samples)
    statistics = np.zeros(0) if prepared.transform is None else _transformed_statistics(prepared, samples)
    if kept.shape[0] == 0:
        width = len(task.plan.model_keys) + len(task.plan.further_keys)
        return ChunkResult(np.zeros((0, width)), np.zeros(0, dtype=bool), converged.size, statistics, still)
    found = figures(task.plan, kept, samples.covariances[converged])
    return ChunkResult(found.values, admissible(model, kept), int((~converged).sum()), statistics, still)


def run_chunk(prepared: PreparedTask, chunk: Chunk) -> ChunkResult:
    """All figures for one chunk of resamples."""
    return run_counts(prepared, draw_counts(chunk, prepared.task.cases.n))


def _transformed_statistics(prepared: PreparedTask, samples: Samples) -> Array:
    """T of the same resamples of the transformed data; their moments are the resamples' own, transformed."""
    task, model, transform = prepared.task, prepared.task.model, prepared.transform
    assert transform is not None
    assert samples.means is not None
    means = samples.means
    if task.estimation.implied_means is not None:
        means = task.estimation.implied_means + (means - task.cases.means) @ transform.T
    turned = Samples(transform @ samples.covariances @ transform.T, means, samples.usable, samples.reference)
    discrepancy, usable = task.estimation.estimator.discrepancy(turned, layout_of(model))
    _, value, converged = solve_batch(model, discrepancy, usable, task.theta, prepared.metric)
    result: Array = task.cases.multiplier * np.maximum(value[converged], 0.0)
    return result
