"""What the views share: sessions, runs and cached results."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, TypeVar, cast

from flask import Response, current_app
from pydantic import BaseModel

from dusk_arrow.records.database import Sessions
from dusk_arrow.results.cache import ResultsCache
from dusk_arrow.runs.manager import RunManager

T = TypeVar("T")


@dataclass(frozen=True)
class Context:
    """The application's own things; `kept` holds what was made of a data set, which never changes, by its number."""

    sessions: Sessions
    runs: RunManager
    cache: ResultsCache
    kept: dict[tuple[str, int], Any] = field(default_factory=dict)


MOST_KEPT = 32


def keep(what: str, data_set_id: int, make: Callable[[], T]) -> T:
    """What was made of a data set before, or makes it now; the oldest of many is forgotten."""
    kept = context().kept
    key = (what, data_set_id)
    if key not in kept:
        while len(kept) >= MOST_KEPT:
            kept.pop(next(iter(kept)), None)
        kept[key] = make()
    found: T = kept[key]
    return found


def context() -> Context:
    """The context of the application that answers this request."""
    return cast(Context, current_app.extensions["dusk_arrow"])


def reply(part: BaseModel, status: int = 200) -> Response:
    """A part of the API's vocabulary as a JSON response."""
    return Response(part.model_dump_json(), status=status, mimetype="application/json")
