"""What the views share: sessions, runs and cached results."""

from __future__ import annotations

from dataclasses import dataclass
from typing import cast

from flask import Response, current_app
from pydantic import BaseModel

from dusk_arrow.records.database import Sessions
from dusk_arrow.results.cache import ResultsCache
from dusk_arrow.runs.manager import RunManager


@dataclass(frozen=True)
class Context:
    """The application's own things."""

    sessions: Sessions
    runs: RunManager
    cache: ResultsCache


def context() -> Context:
    """The context of the application that answers this request."""
    return cast(Context, current_app.extensions["dusk_arrow"])


def reply(part: BaseModel, status: int = 200) -> Response:
    """A part of the API's vocabulary as a JSON response."""
    return Response(part.model_dump_json(), status=status, mimetype="application/json")
