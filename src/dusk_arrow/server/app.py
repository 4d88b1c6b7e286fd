"""The application: API and built front end on one address."""

from __future__ import annotations

import re
from pathlib import Path

from flask import Response, send_from_directory
from flask_compress import Compress
from flask_openapi3 import Info, OpenAPI

from dusk_arrow import __version__
from dusk_arrow.records.database import Sessions
from dusk_arrow.results.cache import ResultsCache
from dusk_arrow.runs.readers import Readers
from dusk_arrow.runs.service import Runs
from dusk_arrow.runs.transient import TransientBootstraps
from dusk_arrow.server import (
    bounds,
    capsules,
    choices,
    comparisons,
    criteria,
    data,
    documents,
    downloads,
    explanations,
    imports,
    models,
    problems,
    projects,
    publishing,
    reconciliations,
    report_choices,
    reports,
    runs,
    security,
    sentences,
    timing,
    trail,
    transient,
    view,
    what_ifs,
)
from dusk_arrow.server.context import Context
from dusk_arrow.server.problems import refuse, validation_response

SCRIPT = re.compile(r'<script[^>]*src="/?([^"]+)"')
COMPRESSED = [
    "application/json",
    "application/problem+json",
    "text/html",
    "text/css",
    "text/csv",
    "text/javascript",
    "image/svg+xml",
]


def create_app(
    sessions: Sessions, front_end: Path | None = None, workers: int = 2, scheduler: str | None = None
) -> OpenAPI:
    """The WSGI application. `front_end` is the folder with the built pages, None to serve the API alone; `scheduler` the address
    of the cluster whose workers are used instead of this machine's."""
    app = OpenAPI(
        "dusk_arrow",
        info=Info(title="Dusk Arrow", version="1"),
        security_schemes={},
        doc_ui=False,
        static_folder=None,
        validation_error_status=422,
        validation_error_model=problems.ProblemDocument,
        validation_error_callback=validation_response,
    )
    app.config.update(
        SESSION_COOKIE_SAMESITE="Strict",
        SESSION_COOKIE_HTTPONLY=True,
        COMPRESS_ALGORITHM=["br", "gzip"],
        COMPRESS_BR_LEVEL=4,
        COMPRESS_MIMETYPES=COMPRESSED,
    )
    Compress(app)
    app.extensions["dusk_arrow"] = Context(
        sessions, Runs(sessions, workers, scheduler), Readers(), TransientBootstraps(), ResultsCache()
    )
    timing.install(app)
    security.install(app)
    bounds.install(app)
    problems.install(app)
    for module in (
        projects,
        imports,
        data,
        models,
        view,
        report_choices,
        downloads,
        capsules,
        reports,
        publishing,
        documents,
        trail,
        sentences,
        what_ifs,
        comparisons,
        reconciliations,
        runs,
        transient,
        criteria,
        choices,
    ):
        app.register_api(module.api)

    app.register_api(criteria.of_project)
    app.register_blueprint(explanations.pages)
    app.register_blueprint(publishing.pages)

    @app.route("/api/openapi.json", endpoint="openapi_document")
    def openapi_document() -> dict[str, object]:
        return app.api_doc

    @app.route("/api/alive", endpoint="alive")
    def alive() -> dict[str, str | None]:
        """That the server answers, by which version, and the script that its pages begin with: a page that began with another is
        of an earlier version."""
        page = front_end / "index.html" if front_end is not None else None
        found = SCRIPT.search(page.read_text()) if page is not None and page.exists() else None
        return {"version": __version__, "page": found.group(1) if found else None}

    @app.route("/", defaults={"name": ""})
    @app.route("/<path:name>")
    def pages(name: str) -> Response:
        """The front end: its files by name, and its one page for every address it knows how to show."""
        if name.startswith("api/"):
            raise refuse(404, "http_404", "There is nothing at this address.")
        if front_end is None or not (front_end / "index.html").exists():
            raise refuse(404, "front_end_missing", "The front end is not built; run ./dusk start.")
        if name and (front_end / name).is_file():
            response = send_from_directory(front_end, name)
            if name.startswith("assets/"):
                response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
            return response
        response = send_from_directory(front_end, "index.html")
        response.headers["Cache-Control"] = "no-cache"
        return response

    return app
