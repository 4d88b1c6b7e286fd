"""Bootstrap chunks on the workers of a Dask cluster, wherever they are. `distributed` is an optional package."""

from __future__ import annotations

import pickle
from collections.abc import Iterator
from typing import Any
from uuid import uuid4

from dusk_arrow.core.family import Task
from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.core.resampling.plans import Chunk, ChunkResult
from dusk_arrow.runs.chunks import in_order, run_sent

PATIENCE = 5


class ClusterPool:
    """The workers behind a scheduler. Chunks of a worker that died go to the others; one that joins takes its share.

    Raises ProblemError where there is none."""

    def __init__(self, address: str) -> None:
        try:
            from distributed import Client
        except ImportError:
            message = (
                "DUSK_SCHEDULER is set, but the packages of a cluster are not installed "
                "(pip install --require-hashes -r requirements-cluster.lock)."
            )
            raise ProblemError([Problem("no_cluster", "error", message)]) from None
        try:
            self._client: Any = Client(address, timeout=PATIENCE, set_as_default=False)  # type: ignore[no-untyped-call]
        except (OSError, ValueError) as error:
            message = f"No scheduler answers at {address}; start it, or leave DUSK_SCHEDULER out ({error})."
            raise ProblemError([Problem("no_cluster", "error", message)]) from None
        self.address = address

    @property
    def workers(self) -> int:
        """How many chunks can be worked off at once, by now."""
        return max(int(sum(self._client.nthreads().values())), 1)

    def warm(self) -> None:
        """The cluster's workers are there already."""

    def __call__(self, task: Task, chunks: list[Chunk]) -> Iterator[ChunkResult | None]:
        """Works off the chunks and yields their results in order. The task is sent to each worker once."""
        mark = uuid4().hex
        packed = self._client.scatter(pickle.dumps(task), broadcast=True, hash=False)
        executor = self._client.get_executor(pure=False)
        yield from in_order(
            lambda chunk: executor.submit(run_sent, mark, packed, chunk), lambda: None, chunks, self.workers
        )

    def close(self) -> None:
        """Lets go of the scheduler, which goes on by itself."""
        self._client.close()
