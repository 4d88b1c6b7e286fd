"""A short bootstrap that follows a gesture by itself: superseded by the next, neither stored nor queued, and given up where it
would take more than a second.
"""

from __future__ import annotations

from threading import Lock
from time import monotonic

from cachetools import LRUCache

from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.bootstrapping import Onward, StoppedError
from dusk_arrow.results.document import Results
from dusk_arrow.results.settings import Settings
from dusk_arrow.runs.pool import WorkerPool

RESAMPLES = 1000
SECONDS = 1.0
KEPT = 8


def short(settings: Settings) -> Settings:
    """The settings of a short bootstrap."""
    return settings.model_copy(update={"bootstrap": RESAMPLES, "interval": "percentile", "bollen_stine": False})


class TransientBootstraps:
    """The latest ones, by the identity of their analysis, as long as they are remembered; worked off by a process of their own."""

    def __init__(self, seconds: float = SECONDS) -> None:
        self._seconds = seconds
        self._pool = WorkerPool(1)
        self._kept: LRUCache[str, Results] = LRUCache(KEPT)
        self._latest: dict[int, str] = {}
        self._lock = Lock()

    def of(self, key: str) -> Results | None:
        """The document of an analysis with a short bootstrap, where there is one."""
        with self._lock:
            return self._kept.get(key)

    def draw(self, model_id: int, key: str, specification: str, data: DataSet, settings: Settings) -> bool:
        """Draws for one state of a model by its `short` settings, and says whether that came to its end: it does not where
        another gesture follows, or where it would take too long."""
        with self._lock:
            if key in self._kept:
                return True
            self._latest[model_id] = key
        self._pool.warm()  # its start is none of the second that it may take
        begun = monotonic()

        def progress(done: int, requested: int) -> Onward:
            if self._latest[model_id] != key:
                return "stop"
            spent = monotonic() - begun
            late = spent > self._seconds if done == 0 else spent / done * requested > self._seconds
            return "stop" if late else "on"

        try:
            found = analyse(parse(specification), data, settings, self._pool, progress)
        except StoppedError:
            return False
        if found.bootstrap is None:
            return False
        with self._lock:
            self._kept[key] = assemble(found)
        return True

    def close(self) -> None:
        """Ends their process."""
        self._pool.close()
