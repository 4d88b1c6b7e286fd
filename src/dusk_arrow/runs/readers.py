"""Reading files in processes of their own, which can be stopped: a file that takes too long, too much memory, or brings
down its reader does no harm to anything else."""

from __future__ import annotations

import os
import resource
from collections.abc import Callable
from concurrent.futures import TimeoutError as TooLongError
from multiprocessing import get_context
from pathlib import Path
from threading import Lock
from typing import TypeVar

from pebble import ProcessExpired, ProcessPool

from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.runs.interrupts import interrupts_kept_away
from dusk_arrow.runs.processes import as_worker

T = TypeVar("T")
READERS = 2
SECONDS = 60
MOST_MEMORY = 6 * 2**30
FILES_EACH = 25  # then a reader gives way to a fresh one, which returns its memory


def _limit(parent: int) -> None:
    as_worker(parent)
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    import pandas  # noqa: F401  what every reader needs, loaded before the first file arrives


def _ready() -> None:
    """Nothing: whoever can answer has been started."""


def _read(read: Callable[..., T], path: str, arguments: tuple[object, ...]) -> T:
    return read(Path(path).read_bytes(), *arguments)


class Readers:
    """Processes that read files; started when first needed."""

    def __init__(self, seconds: float = SECONDS) -> None:
        self._seconds = seconds
        self._pool: ProcessPool | None = None
        self._lock = Lock()

    def _started(self) -> ProcessPool:
        with self._lock:
            if self._pool is None:
                self._pool = ProcessPool(
                    READERS, FILES_EACH, initializer=_limit, initargs=(os.getpid(),), context=get_context("spawn")
                )
            return self._pool

    def read(self, read: Callable[..., T], path: str, *arguments: object) -> T:
        """What `read(content, *arguments)` makes of a file. Raises ProblemError, also where it had to be stopped."""
        with interrupts_kept_away():
            future = self._started().schedule(_read, args=(read, path, arguments), timeout=self._seconds)
        try:
            found: T = future.result()
            return found
        except TooLongError:
            message = (
                f"Reading the file took longer than {self._seconds:.0f} seconds and was stopped. Save the table as .csv, "
                "or only the columns and rows that are needed."
            )
            raise ProblemError([Problem("reading_too_long", "error", message)]) from None
        except MemoryError:
            message = (
                "The file unpacks to more than can be held. Save only the columns and rows that are needed, as .csv."
            )
            raise ProblemError([Problem("file_too_large", "error", message)]) from None
        except ProcessExpired:
            message = "The file is damaged in a way that stopped its reader. Save it again, or as .csv."
            raise ProblemError([Problem("file_broken", "error", message)]) from None

    def warm(self) -> None:
        """Starts the readers, so that the first file need not wait for them."""
        with interrupts_kept_away():
            self._started().schedule(_ready)

    def close(self) -> None:
        """Ends the readers."""
        with self._lock:
            if self._pool is not None:
                self._pool.stop()  # type: ignore[no-untyped-call]
                self._pool.join(timeout=5)
                self._pool = None
