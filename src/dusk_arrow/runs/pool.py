"""Bootstrap chunks on worker processes. Results do not depend on how many there are."""

from __future__ import annotations

import os
import pickle
import tempfile
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from functools import lru_cache
from multiprocessing import get_context
from pathlib import Path
from threading import Lock, Thread
from time import sleep
from typing import Any

from dusk_arrow.core.families import FAMILIES
from dusk_arrow.core.family import Family, Task
from dusk_arrow.core.resampling.plans import Chunk, ChunkResult
from dusk_arrow.runs.interrupts import interrupts_kept_away


@lru_cache(maxsize=1)
def _prepared(path: str) -> tuple[Family, Any]:
    task: Task = pickle.loads(Path(path).read_bytes())
    family = FAMILIES[task.family]
    return family, family.prepare(task)


def _run(path: str, chunk: Chunk) -> ChunkResult:
    family, prepared = _prepared(path)
    return family.run_chunk(prepared, chunk)


def _end_with_parent(parent: int) -> None:
    """Lets a worker end when the process that started it is gone, however that one ended."""

    def watch() -> None:
        while os.getppid() == parent:
            sleep(1.0)
        os._exit(1)

    Thread(target=watch, daemon=True).start()


def _ready() -> bool:
    return True


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
                    self.workers, get_context("spawn"), initializer=_end_with_parent, initargs=(os.getpid(),)
                )
            return self._pool

    def warm(self) -> None:
        """Starts the workers, so that the first run need not wait for them."""
        with interrupts_kept_away():
            futures = [self._executor().submit(_ready) for _ in range(self.workers)]
        for future in futures:
            future.result()

    def __call__(self, task: Task, chunks: list[Chunk]) -> Iterator[ChunkResult]:
        """Works off the chunks on all workers and yields their results in order.

        The task goes to the workers through a file, once, however large its data are. A pool with a dead worker is
        thrown away and the run fails with BrokenProcessPool; the next one starts a new pool.
        """
        with tempfile.TemporaryDirectory(prefix="dusk-arrow-") as folder:
            path = Path(folder) / "task"
            path.write_bytes(pickle.dumps(task))
            executor = self._executor()
            with interrupts_kept_away():
                futures = [executor.submit(_run, str(path), chunk) for chunk in chunks]
            try:
                for future in futures:
                    yield future.result()
            except BrokenProcessPool:
                with self._lock:
                    self._pool = None
                raise
            finally:
                for future in futures:
                    future.cancel()

    def close(self) -> None:
        """Ends the workers."""
        with self._lock:
            if self._pool is not None:
                self._pool.shutdown(wait=False, cancel_futures=True)
                self._pool = None
