"""Loopback only: foreign hosts and origins are refused, and pages may load nothing from elsewhere."""

from __future__ import annotations

from urllib.parse import urlsplit

from flask import Flask, Response, request

from dusk_arrow.core.problems import Problem
from dusk_arrow.server.problems import problem_response

LOOPBACK = frozenset({"127.0.0.1", "localhost", "::1"})
POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; "
    "font-src 'self' data:; connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; "
    "frame-ancestors 'none'"
)
READING = frozenset({"GET", "HEAD", "OPTIONS"})


def _is_loopback(netloc: str) -> bool:
    try:
        return urlsplit(f"//{netloc}").hostname in LOOPBACK
    except ValueError:
        return False


def install(app: Flask) -> None:
    """Guards every request and sets the headers of every response."""

    @app.before_request
    def guard() -> Response | None:
        if not _is_loopback(request.host):
            return problem_response(
                403, [Problem("foreign_host", "error", "Only requests to this machine's own address are answered.")]
            )
        origin = request.headers.get("Origin")
        if origin is not None:
            same = origin == f"{request.scheme}://{request.host}"
            if not same:
                return problem_response(
                    403, [Problem("foreign_origin", "error", "Requests from other sites are refused.")]
                )
        site = request.headers.get("Sec-Fetch-Site")
        working = request.method not in READING or request.path.startswith("/api/")  # reading computes, too
        if working and site not in (None, "same-origin", "none"):
            return problem_response(403, [Problem("foreign_origin", "error", "Requests from other sites are refused.")])
        return None

    @app.after_request
    def headers(response: Response) -> Response:
        response.headers.setdefault("Content-Security-Policy", POLICY)
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "no-referrer"
        response.headers["X-Frame-Options"] = "DENY"
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        return response
