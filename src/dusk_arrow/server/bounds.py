"""What a request may bring: how large, how deep, and no text or number that cannot be stored or computed with."""

from __future__ import annotations

import json
import math
import re
from typing import Any

from flask import Flask, Response, request

from dusk_arrow.core.problems import Problem
from dusk_arrow.server.problems import problem_response

MEGABYTE = 1024 * 1024
MOST_FILE = 201 * MEGABYTE
MOST_JSON = 2 * MEGABYTE
MOST_FORM_TEXT = 4 * MEGABYTE
MOST_DEPTH = 40
MOST_TEXT = 400_000
MOST_NUMBER = 1e100
UNUSABLE = re.compile(r"[\x00\ud800-\udfff]")
FILES = re.compile(r"/api/(previews|bundles|projects|projects/\d+/(waves|wave-previews))")


def _refuse(status: int, code: str, message: str) -> Response:
    return problem_response(status, [Problem(code, "error", message)])


def _fault(value: Any, depth: int = 0) -> str | None:
    """What is wrong with a JSON value, in words; None where nothing is."""
    if depth > MOST_DEPTH:
        return f"The request is nested more than {MOST_DEPTH} deep."
    if isinstance(value, str):
        if len(value) > MOST_TEXT:
            return f"A text has {len(value):,} characters; {MOST_TEXT:,} is the most."
        return "A text holds a character that cannot be stored." if UNUSABLE.search(value) else None
    if isinstance(value, bool) or value is None:
        return None
    if isinstance(value, int | float):
        small = not math.isnan(value) and abs(value) <= MOST_NUMBER
        return None if small else "A number is missing or too large to compute with."
    parts = [*value.keys(), *value.values()] if isinstance(value, dict) else value
    return next((fault for part in parts if (fault := _fault(part, depth + 1)) is not None), None)


def _body_fault() -> str | None:
    try:
        return _fault(json.loads(request.get_data(cache=True)))
    except RecursionError:
        return f"The request is nested more than {MOST_DEPTH} deep."
    except ValueError:
        return "The request is no JSON."


def install(app: Flask) -> None:
    """Looks at every request before anything works on it."""
    app.config.update(MAX_CONTENT_LENGTH=MOST_FILE, MAX_FORM_MEMORY_SIZE=MOST_FORM_TEXT)

    @app.before_request
    def bound() -> Response | None:
        takes_files = request.method == "POST" and FILES.fullmatch(request.path) is not None
        if not takes_files and (request.content_length or 0) > MOST_JSON:
            message = f"The request has {(request.content_length or 0) / MEGABYTE:.1f} MB; 2 MB is the most here."
            return _refuse(413, "request_too_large", message)
        asked = [request.path, *request.args.keys(), *request.args.values()]
        if any(UNUSABLE.search(text) for text in asked):
            return _refuse(422, "request_invalid", "The address holds a character that cannot be stored.")
        if takes_files:
            sent = [*request.form.values(), *(file.filename or "" for file in request.files.values())]
            faults = [fault for text in sent if (fault := _fault(text) or _embedded(text)) is not None]
            return _refuse(422, "request_invalid", faults[0]) if faults else None
        if request.is_json and request.content_length:
            fault = _body_fault()
            return None if fault is None else _refuse(422, "request_invalid", fault)
        return None


def _embedded(text: str) -> str | None:
    """What is wrong with JSON that comes as the field of a form; a text that is none is no fault."""
    if not text.startswith(("{", "[")):
        return None
    try:
        return _fault(json.loads(text))
    except RecursionError:
        return f"The request is nested more than {MOST_DEPTH} deep."
    except ValueError:
        return None
