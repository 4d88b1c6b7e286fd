"""Writes what others build on: the API's OpenAPI document and the JSON Schema of the results document.

Run after a change of either: `python tools/write_schemas.py`, then `npm run api` in the front end.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from sqlalchemy import create_engine

from dusk_arrow.records.database import sessions
from dusk_arrow.results.document import Results
from dusk_arrow.results.screening import CheckDocument
from dusk_arrow.server.app import create_app

DOCS = Path(__file__).resolve().parents[1] / "docs"


def documents() -> dict[str, dict[str, Any]]:
    """Each document by its file name in docs/."""
    app = create_app(sessions(create_engine("postgresql+psycopg://nobody@127.0.0.1/none")))
    api = app.test_client().get("/api/openapi.json").get_json()
    return {
        "openapi.json": api,
        "results.schema.json": Results.model_json_schema(mode="serialization"),
        "check.schema.json": CheckDocument.model_json_schema(mode="serialization"),
    }


if __name__ == "__main__":
    for name, document in documents().items():
        (DOCS / name).write_text(json.dumps(document, indent=1, sort_keys=True) + "\n")
