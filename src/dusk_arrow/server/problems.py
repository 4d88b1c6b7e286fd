"""Problems as HTTP errors: application/problem+json (RFC 9457), with the problems of the core in them."""

from __future__ import annotations

import logging
from collections.abc import Sequence

from flask import Flask, Response
from pydantic import BaseModel, ValidationError
from sqlalchemy.exc import OperationalError
from werkzeug.exceptions import HTTPException

from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.exchange.texts import what_is_wrong
from dusk_arrow.results.convert import problem_part
from dusk_arrow.results.document import ProblemPart

TOO_LARGE = "The file is larger than 200 MB, the most that is read."
log = logging.getLogger(__name__)


class ProblemDocument(BaseModel):
    """The body of every error."""

    type: str = "about:blank"
    title: str
    status: int
    problems: list[ProblemPart]


class HttpProblem(Exception):
    """Raised in a view to answer with a status and problems."""

    def __init__(self, status: int, problems: Sequence[Problem]) -> None:
        super().__init__(problems[0].message)
        self.status = status
        self.problems = problems


def refuse(status: int, code: str, message: str) -> HttpProblem:
    """An answer with one problem."""
    return HttpProblem(status, [Problem(code, "error", message)])


def problem_response(status: int, problems: Sequence[Problem]) -> Response:
    """The HTTP response for some problems."""
    document = ProblemDocument(
        title=problems[0].message, status=status, problems=[problem_part(problem) for problem in problems]
    )
    return Response(document.model_dump_json(), status=status, mimetype="application/problem+json")


def validation_response(error: ValidationError) -> Response:
    """A request whose body or parameters do not fit."""
    return problem_response(422, [Problem("request_invalid", "error", what_is_wrong(error, "request"))])


def install(app: Flask) -> None:
    """Makes every error of the application a problem document; nothing is swallowed, nothing leaks a trace."""

    @app.errorhandler(HttpProblem)
    def known(error: HttpProblem) -> Response:
        return problem_response(error.status, error.problems)

    @app.errorhandler(ProblemError)
    def from_core(error: ProblemError) -> Response:
        return problem_response(422, error.problems)

    @app.errorhandler(HTTPException)
    def http(error: HTTPException) -> Response:
        words = {
            404: "There is nothing at this address.",
            405: "This address does not do that.",
            413: TOO_LARGE,
        }
        status = error.code or 500
        message = words.get(status, error.description or error.name)
        return problem_response(status, [Problem(f"http_{status}", "error", message)])

    @app.errorhandler(OperationalError)
    def no_database(error: OperationalError) -> Response:
        log.warning("the database does not answer: %s", str(error.orig).strip())
        message = "The database is being started again. Try again in a moment; nothing was lost."
        response = problem_response(503, [Problem("database_away", "error", message)])
        response.headers["Retry-After"] = "2"
        return response

    @app.errorhandler(Exception)
    def unexpected(error: Exception) -> Response:
        log.exception("request failed", exc_info=error)
        message = "Something went wrong here, not with your work: nothing was lost. The server's log says more."
        return problem_response(500, [Problem("unexpected", "error", message)])
