"""Bootstrap chunks on the workers of a Dask cluster, wherever they are. `distributed` is an optional package."""

from __future__ import annotations

import logging
import pickle
from collections.abc import Iterator
from typing import Any
from uuid import uuid4

from dusk_arrow.core.family import Task
from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.core.resampling.draws import Chunk, ChunkResult
from dusk_arrow.runs.chunks import in_order, run_sent, sent

log = logging.getLogger(__name__)
PATIENCE = 5


class ClusterPool:
    """The workers behind a scheduler. Chunks of a worker that died go to the others; one that joins takes its share.

    Raises ProblemError where there is none."""

    def __init__(self, address: str) -> None:
        self.address = address
        self._client: Any = self._connect()

    def _connect(self) -> Any:
        try:
            from distributed import Client
        except ImportError:
            message = (
                "DUSK_SCHEDULER is set, but the packages of a cluster are not installed "
                "(pip install --require-hashes -r requirements-cluster.lock)."
            )
            raise ProblemError([Problem("no_cluster", "error", message)]) from None
        try:
            return Client(self.address, timeout=PATIENCE, set_as_default=False)  # type: ignore[no-untyped-call]
        except (OSError, ValueError) as error:
            message = f"No scheduler answers at {self.address}; start it, or leave DUSK_SCHEDULER out ({error})."
            raise ProblemError([Problem("no_cluster", "error", message)]) from None

    @property
    def workers(self) -> int:
        """How many chunks can be worked off at once, by now."""
        return max(int(sum(self._client.nthreads().values())), 1)

    def warm(self) -> None:
        """The cluster's workers are there already."""

    def __call__(self, task: Task, chunks: list[Chunk]) -> Iterator[ChunkResult | None]:
        """Works off the chunks and yields their results in order. Each worker fetches the task once, from another one or, when none
        of those who had it is left, from the scheduler. Raises ProblemError where the cluster cannot."""
        if self._client.status != "running":  # the scheduler has ended, and may be there again
            self._client = self._connect()
        mark = uuid4().hex
        try:
            executor = self._client.get_executor(pure=False)
            self._client.wait_for_workers(1, timeout=PATIENCE)
            # A result is made again where the workers that had it died; what is only scattered is lost with them.
            packed = self._client.submit(sent, pickle.dumps(task), pure=False)
            yield from in_order(
                lambda chunk: executor.submit(run_sent, mark, packed, chunk), lambda: None, chunks, self.workers
            )
        except Exception as error:
            log.warning("the cluster failed", exc_info=error)
            said = (str(error) or repr(error)).splitlines()[0]
            message = (
                f"The cluster at {self.address} could not work it off ({said}). It needs a worker at least, and all of it the same "
                "version of the program on its path."
            )
            raise ProblemError([Problem("cluster_failed", "error", message)]) from error

    def close(self) -> None:
        """Lets go of the scheduler, which goes on by itself."""
        self._client.close()
