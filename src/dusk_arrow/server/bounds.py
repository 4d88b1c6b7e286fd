"""What a request may bring: how large, how deep, and no text or number that cannot be stored or computed with."""

from __future__ import annotations

import re

from flask import Flask, Response, request

from dusk_arrow.core.problems import Problem
from dusk_arrow.exchange.json_values import NO_JSON, UNSTORABLE, fault, fault_of_text
from dusk_arrow.server.problems import problem_response

MEGABYTE = 1024 * 1024
MOST_FILE = 201 * MEGABYTE
MOST_JSON = 2 * MEGABYTE
MOST_FORM_TEXT = 4 * MEGABYTE
FILES = re.compile(r"/api/(previews|bundles|projects|projects/\d+/(next-files|next-file-previews))")


def _refuse(status: int, code: str, message: str) -> Response:
    return problem_response(status, [Problem(code, "error", message)])


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
        if any(UNSTORABLE.search(text) for text in asked):
            return _refuse(422, "request_invalid", "The address holds a character that cannot be stored.")
        if takes_files:
            sent = [*request.form.values(), *(file.filename or "" for file in request.files.values())]
            faults = [found for text in sent if (found := fault(text) or _embedded(text)) is not None]
            return _refuse(422, "request_invalid", faults[0]) if faults else None
        if request.is_json and request.content_length:
            wrong = fault_of_text(request.get_data(cache=True))
            return None if wrong is None else _refuse(422, "request_invalid", wrong)
        return None


def _embedded(text: str) -> str | None:
    """What is wrong with JSON that comes as the field of a form; a text that is none is no fault."""
    found = fault_of_text(text) if text.startswith(("{", "[")) else None
    return None if found == NO_JSON else found
