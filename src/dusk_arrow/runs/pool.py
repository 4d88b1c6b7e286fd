"""Bootstrap chunks on worker processes. Results do not depend on how many there are."""

from __future__ import annotations

import os
import pickle
import tempfile
from collections.abc import Iterator
from concurrent.futures import Future, ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path
from threading import Lock

from dusk_arrow.core.family import Task
from dusk_arrow.core.resampling.draws import Chunk, ChunkResult
from dusk_arrow.runs.chunks import in_order, ready, run_from_file
from dusk_arrow.runs.interrupts import interrupts_kept_away
from dusk_arrow.runs.processes import as_worker


class WorkerPool:
    """Worker processes that are started when first needed, and anew when one of them has died."""

    def __init__(self, workers: int) -> None:
        self.workers = workers
        self._pool: ProcessPoolExecutor | None = None
        self._lock = Lock()

    def _executor(self) -> ProcessPoolExecutor:
        with self._lock:
            if self._pool is None:
                os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
                self._pool = ProcessPoolExecutor(
                    self.workers, get_context("spawn"), initializer=as_worker, initargs=(os.getpid(),)
                )
            return self._pool

    def warm(self) -> None:
        """Starts the workers, so that the first run need not wait for them."""
        with interrupts_kept_away():
            futures = [self._executor().submit(ready) for _ in range(self.workers)]
        for future in futures:
            future.result()

    def __call__(self, task: Task, chunks: list[Chunk]) -> Iterator[ChunkResult | None]:
        """Works off the chunks on all workers and yields their results in order.

        The task goes to the workers through a file, once, however large its data are. Raises BrokenExecutor where workers die
        again and again.
        """
        with tempfile.TemporaryDirectory(prefix="dusk-arrow-") as folder:
            path = Path(folder) / "task"
            path.write_bytes(pickle.dumps(task))

            def submit(chunk: Chunk) -> Future[ChunkResult]:
                with interrupts_kept_away():
                    return self._executor().submit(run_from_file, str(path), chunk)

            yield from in_order(submit, self.close, chunks, self.workers)

    def close(self) -> None:
        """Ends the workers."""
        with self._lock:
            if self._pool is not None:
                self._pool.shutdown(wait=False, cancel_futures=True)
                self._pool = None
