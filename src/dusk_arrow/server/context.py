"""What the views share: sessions, runs and cached results."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, TypeVar, cast

from flask import Response, current_app
from pydantic import BaseModel

from dusk_arrow.core.observations.data import DataSet, Moments
from dusk_arrow.records import store
from dusk_arrow.records.database import Sessions
from dusk_arrow.records.tables import DataVersionRow
from dusk_arrow.results.cache import ResultsCache
from dusk_arrow.runs.manager import RunManager
from dusk_arrow.runs.readers import Readers

T = TypeVar("T")


@dataclass(frozen=True)
class Context:
    """The application's own things; `kept` holds what was made of a version of data, which never changes, by its number,
    and `recent` the data of the last few."""

    sessions: Sessions
    runs: RunManager
    readers: Readers
    cache: ResultsCache
    kept: dict[tuple[str, int], Any] = field(default_factory=dict)
    recent: dict[int, DataSet | Moments] = field(default_factory=dict)

    def close(self) -> None:
        """Ends runs and readers."""
        self.runs.close()
        self.readers.close()


MOST_KEPT = 32
MOST_DATA = 4


def keep(what: str, version_id: int, make: Callable[[], T]) -> T:
    """What was made of a version of data before, or makes it now; the oldest of many is forgotten."""
    kept = context().kept
    key = (what, version_id)
    if key not in kept:
        while len(kept) >= MOST_KEPT:
            kept.pop(next(iter(kept)), None)
        kept[key] = make()
    found: T = kept[key]
    return found


def version_data(version_id: int) -> DataSet | Moments:
    """The data of a version after its steps; the last few are kept, since every gesture needs them."""
    recent = context().recent
    found = recent.get(version_id)
    if found is None:
        with context().sessions() as session:
            found = store.load_version(session, session.get_one(DataVersionRow, version_id))
        while len(recent) >= MOST_DATA:
            recent.pop(next(iter(recent)), None)
        recent[version_id] = found
    return found


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
