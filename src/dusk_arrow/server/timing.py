"""How long the server worked for an answer, told with it, so that a page need not take the way there and back for computing."""

from __future__ import annotations

from time import perf_counter

from flask import Flask, Response, g


def install(app: Flask) -> None:
    """Sets `Server-Timing` on every response, in milliseconds."""

    @app.before_request
    def begin() -> None:
        g.begun = perf_counter()

    @app.after_request
    def tell(response: Response) -> Response:
        begun = g.get("begun")
        if begun is not None:
            response.headers["Server-Timing"] = f"work;dur={1000 * (perf_counter() - begun):.1f}"
        return response
