"""The bootstrap of a covariance-based model, one chunk of draws at a time."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from dusk_arrow.core.covariance.admissibility import admissible
from dusk_arrow.core.covariance.compiled import CompiledModel
from dusk_arrow.core.covariance.estimation import Estimation
from dusk_arrow.core.covariance.point import shares_of
from dusk_arrow.core.covariance.scales import align_signs
from dusk_arrow.core.covariance.solver import Metric, metric_at, solve_batch
from dusk_arrow.core.covariance.statistics import Inquiry, statistics
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.memory import keep_freed_memory
from dusk_arrow.core.observations.evidence import Samples, counted_still
from dusk_arrow.core.resampling.draws import Chunk, ChunkResult, Draw, Draws
from dusk_arrow.core.resampling.transforming import transformation_to


@dataclass(frozen=True)
class BootstrapTask:
    """What every chunk needs: what is asked of every block, the full-sample estimation, what is drawn, and whether the fit is to
    be tested on data transformed to the model."""

    inquiries: tuple[Inquiry, ...]
    estimation: Estimation
    draws: Draws
    transformed: bool = False

    @property
    def model(self) -> CompiledModel:
        """The model."""
        return self.estimation.model

    @property
    def theta(self) -> Array:
        """The full-sample estimates (q,)."""
        return self.estimation.point.theta

    @property
    def shares(self) -> tuple[float, ...]:
        """By how much each block counts."""
        return shares_of(self.estimation.evidence)


class PreparedTask(NamedTuple):
    """A task with what is computed once for all chunks."""

    task: BootstrapTask
    draw: Draw
    metric: Metric
    transforms: tuple[Array, ...] | None


def prepare(task: BootstrapTask) -> PreparedTask:
    """What the draws need, the metric at the full-sample estimate, and the transformation of the data to the model."""
    keep_freed_memory()
    metric = metric_at(task.model, task.estimation.discrepancy, task.theta)
    transforms = None
    if task.transformed:
        points = task.estimation.point.blocks
        transforms = tuple(transformation_to(block.covariance, block.evidence.covariance) for block in points)
    return PreparedTask(task, task.draws.prepared(), metric, transforms)


def run_samples(prepared: PreparedTask, samples: tuple[Samples, ...]) -> ChunkResult:
    """All statistics of a batch of samples of every block."""
    task, model = prepared.task, prepared.task.model
    estimator = task.estimation.estimator
    discrepancy, usable = estimator.joined(samples, model, task.shares)
    theta, _, converged = solve_batch(model, discrepancy, usable, task.theta, prepared.metric)
    theta, converged = estimator.settle_batch(model, samples, task.shares, theta, converged, task.theta)
    converged = converged & usable
    kept = align_signs(model, theta[converged])
    still = np.concatenate([counted_still(own) for own in samples])
    transformed = np.zeros(0) if prepared.transforms is None else _transformed(prepared, samples)
    if kept.shape[0] == 0:
        width = sum(len(asked.keys) for asked in task.inquiries)
        return ChunkResult(np.zeros((0, width)), np.zeros(0, dtype=bool), converged.size, transformed, still)
    found = statistics(task.inquiries, kept, [own.covariances[converged] for own in samples])
    return ChunkResult(found.values, admissible(model, kept), int((~converged).sum()), transformed, still)


def run_chunk(prepared: PreparedTask, chunk: Chunk) -> ChunkResult:
    """All statistics for one chunk of draws."""
    return run_samples(prepared, prepared.draw(chunk))


def _transformed(prepared: PreparedTask, samples: tuple[Samples, ...]) -> Array:
    """T of the same resamples of the transformed data; their moments are the resamples' own, transformed."""
    task, model, point = prepared.task, prepared.task.model, prepared.task.estimation.point
    assert prepared.transforms is not None
    turned = []
    for block, own, transform in zip(point.blocks, samples, prepared.transforms, strict=True):
        means = own.means
        assert means is not None
        if block.means is not None:
            means = block.means + (means - block.evidence.means) @ transform.T
        turned.append(replace(own, covariances=transform @ own.covariances @ transform.T, means=means, cases=None))
    discrepancy, usable = task.estimation.estimator.joined(turned, model, task.shares)
    _, value, converged = solve_batch(model, discrepancy, usable, task.theta, prepared.metric)
    result: Array = point.multiplier * np.maximum(value[converged], 0.0)
    return result
