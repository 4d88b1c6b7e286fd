"""Who works off chunks: worker processes of this machine, or those behind a scheduler."""

from __future__ import annotations

from dusk_arrow.runs.cluster import ClusterPool
from dusk_arrow.runs.pool import WorkerPool

Workers = WorkerPool | ClusterPool


def workers_of(count: int, scheduler: str | None) -> Workers:
    """The cluster where a scheduler is named, else worker processes of this machine. Raises ProblemError."""
    return ClusterPool(scheduler) if scheduler else WorkerPool(count)
