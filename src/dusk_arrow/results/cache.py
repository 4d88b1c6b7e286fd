"""Documents of the models people are working on, kept by what they depend on."""

from __future__ import annotations

import hashlib
from collections import OrderedDict
from collections.abc import Callable
from threading import Lock

from dusk_arrow.core.observations.data import DataSet, Moments
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.document import Results
from dusk_arrow.results.settings import Settings


def result_key(fingerprint: str, specification: str, settings: Settings) -> str:
    """A hash of everything that a document depends on: data, model, settings and seed."""
    said = "\n".join((fingerprint, specification, settings.model_dump_json()))
    return hashlib.sha256(said.encode()).hexdigest()


class ResultsCache:
    """The most recently used documents; the data are only loaded where one has to be computed."""

    def __init__(self, most: int = 256) -> None:
        self._kept: OrderedDict[str, Results] = OrderedDict()
        self._most = most
        self._lock = Lock()

    def document(
        self, specification: str, fingerprint: str, settings: Settings, load: Callable[[], DataSet | Moments]
    ) -> Results:
        """The document of a model on data, estimated now if need be."""
        key = result_key(fingerprint, specification, settings)
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        results = assemble(analyse(parse(specification), load(), settings))
        with self._lock:
            self._kept[key] = results
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return results
