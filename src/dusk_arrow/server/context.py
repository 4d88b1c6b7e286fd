"""What the views share: sessions, runs and cached results."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from threading import RLock
from typing import Any, TypeVar, cast

from cachetools import LRUCache
from flask import Response, current_app
from pydantic import BaseModel

from dusk_arrow.core.observations.data import DataSet, Moments
from dusk_arrow.core.observations.taking_steps import Removal, removals
from dusk_arrow.figure.drawing import Drawing
from dusk_arrow.records import store
from dusk_arrow.records.database import Sessions
from dusk_arrow.records.tables import DataSetRow, DataVersionRow
from dusk_arrow.results.cache import ResultsCache
from dusk_arrow.runs.readers import Readers
from dusk_arrow.runs.service import Runs
from dusk_arrow.runs.transient import TransientBootstraps

T = TypeVar("T")


MEGABYTE = 1024 * 1024
MOST_KEPT = 24 * MEGABYTE
MOST_DATA = 64 * MEGABYTE
ITEM = 2_000  # bytes of something that is drawn
TEXT = 80  # bytes of a short text with what the interpreter adds


def size_of(value: Any) -> int:
    """Roughly how many bytes something takes that was made of data."""
    if isinstance(value, DataSet):
        numbers = sum(c.numbers.nbytes for c in value.columns if c.numbers is not None)
        return numbers + sum(TEXT * len(c.texts) for c in value.columns if c.texts is not None) + 2000
    if isinstance(value, Drawing):
        return ITEM * len(value.items)
    if isinstance(value, BaseModel):
        return 4 * len(value.model_dump_json())
    if isinstance(value, list | tuple):
        first = value[:1]
        return len(value) * (size_of(first[0]) if first else 0) + 64
    return TEXT


@dataclass(frozen=True)
class Context:
    """The application's own things; `kept` holds what was made of a version of data or a revision, which never change, by its number,
    and `recent` the data themselves, both up to a size; `large` is the one thing last used that is larger than that."""

    sessions: Sessions
    runs: Runs
    readers: Readers
    transient: TransientBootstraps
    cache: ResultsCache
    kept: LRUCache[tuple[str, int | str], Any] = field(default_factory=lambda: LRUCache(MOST_KEPT, size_of))
    recent: LRUCache[tuple[str, int], DataSet | Moments] = field(default_factory=lambda: LRUCache(MOST_DATA, size_of))
    large: dict[Any, Any] = field(default_factory=dict)
    making: dict[Any, RLock] = field(default_factory=dict)
    lock: RLock = field(default_factory=RLock)

    def close(self) -> None:
        """Ends runs, readers and short bootstraps."""
        self.runs.close()
        self.readers.close()
        self.transient.close()


def _once(cache: LRUCache[Any, Any], key: Any, make: Callable[[], T]) -> T:
    """What is kept under a key, or makes it now; what was used longest ago is forgotten. Of several who ask at once one makes it."""
    own = context()
    with own.lock:
        turn = own.making.setdefault(key, RLock())
    with turn:
        with own.lock:
            for place in (cache, own.large):
                if key in place:
                    found: T = place[key]
                    own.making.pop(key, None)
                    return found
        try:
            made = make()
        finally:
            with own.lock:
                own.making.pop(key, None)
        with own.lock:
            try:
                cache[key] = made
            except ValueError:  # larger than all that may be kept: the last such thing is kept alone
                own.large.clear()
                own.large[key] = made
    return made


def keep(what: str, of: int | str, make: Callable[[], T]) -> T:
    """What was made before of something that never changes (a version of data by its number, an analysis by its identity), or
    makes it now."""
    return _once(context().kept, (what, of), make)


def version_data(version_id: int) -> DataSet | Moments:
    """The data of a version after its steps, kept for a while, since every gesture needs them."""

    def load() -> DataSet | Moments:
        with context().sessions() as session:
            return store.load_version(session, session.get_one(DataVersionRow, version_id))

    return _once(context().recent, ("data", version_id), load)


def imported_data(data_set_id: int) -> DataSet | Moments:
    """What was imported, without any steps, kept for a while."""

    def load() -> DataSet | Moments:
        with context().sessions() as session:
            return store.load_import(session.get_one(DataSetRow, data_set_id))

    return _once(context().recent, ("import", data_set_id), load)


def removed_by_steps(version: DataVersionRow) -> list[Removal]:
    """The cases and columns that the steps of a version left out, kept while it lasts; none of a matrix."""
    imported, steps = imported_data(version.data_set_id), store.steps_of(version)
    if not isinstance(imported, DataSet):
        return []
    return keep("removals", version.id, lambda: removals(imported, steps))


def context() -> Context:
    """The context of the application that answers this request."""
    return cast(Context, current_app.extensions["dusk_arrow"])


def attachment(content: bytes | str, name: str, mimetype: str) -> Response:
    """A file to be saved under a name."""
    response = Response(content, mimetype=mimetype)
    response.headers.set("Content-Disposition", "attachment", filename=name)
    return response


def reply(part: BaseModel, status: int = 200) -> Response:
    """A part of the API's vocabulary as a JSON response."""
    return Response(part.model_dump_json(), status=status, mimetype="application/json")
