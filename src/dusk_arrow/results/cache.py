"""Documents of the models people are working on, kept by what they depend on."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from threading import Lock

from cachetools import LRUCache

from dusk_arrow.core.observations.data import Source
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.document import Results
from dusk_arrow.results.settings import Settings

MOST_BYTES = 64 * 1024 * 1024
NUMBER, PARAMETER = 32, 3000  # bytes of a number in a list, and of a parameter with its bootstrap


def size_of(results: Results) -> int:
    """Roughly how many bytes a document takes: its matrices of variables and of estimates, and its parameters."""
    p = len(results.sample.variables) if results.sample else 0
    q = len(results.estimates.covariance.rows) if results.estimates else 0
    return NUMBER * (7 * p * p + 2 * q * q) + PARAMETER * (len(results.parameters) + len(results.effects)) + 20_000


class ResultsCache:
    """The most recently used documents, up to a size; the data are only loaded where one has to be computed."""

    def __init__(self, most: int = MOST_BYTES) -> None:
        self._kept: LRUCache[str, Results] = LRUCache(most, size_of)
        self._lock = Lock()

    def stored(self, key: str, load: Callable[[], Results | None]) -> Results | None:
        """The document of a run, by what it never changes under; read now if need be."""
        with self._lock:
            if key in self._kept:
                return self._kept[key]
        found = load()
        if found is not None:
            with self._lock, suppress(ValueError):
                self._kept[key] = found
        return found

    def document(self, key: str, specification: str, settings: Settings, load: Callable[[], Source]) -> Results:
        """The document of a model on data, estimated now if need be, kept under the identity of the analysis."""
        with self._lock:
            if key in self._kept:
                return self._kept[key]
        results = assemble(analyse(parse(specification), load(), settings))
        with self._lock, suppress(ValueError):
            self._kept[key] = results
        return results
