"""Writes what others build on: the API's OpenAPI document, the JSON Schema of the results document, and how a figure is drawn as
unless something is chosen.

Run after a change of either: `python tools/write_schemas.py`, then `npm run api` in the front end.
"""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

from sqlalchemy import create_engine

from dusk_arrow.core.assessment.criteria import EXTREMES, SHEET, Criterion
from dusk_arrow.exchange.file_formats import FORMATS
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.records.database import sessions
from dusk_arrow.results.document import Results
from dusk_arrow.results.screening import CheckDocument
from dusk_arrow.server.app import create_app

DOCS = Path(__file__).resolve().parents[1] / "docs"


def documents() -> dict[str, dict[str, Any]]:
    """Each document by its path in the checkout."""
    app = create_app(sessions(create_engine("postgresql+psycopg://nobody@127.0.0.1/none")))
    api = app.test_client().get("/api/openapi.json").get_json()
    return {
        "docs/openapi.json": api,
        "frontend/src/client/usual_figure.json": FigureOptions().model_dump(mode="json"),
        "src/dusk_arrow/results/schemas/results.json": Results.model_json_schema(mode="serialization"),
        "src/dusk_arrow/results/schemas/check.json": CheckDocument.model_json_schema(mode="serialization"),
    }


def _bound(criterion: Criterion, bound: float | None) -> str:
    mark = "≥" if criterion.better == "higher" else "<" if criterion.strict else "≤"
    return "" if bound is None else f"{mark} {bound:.2f}".replace(" 0.", " .") if bound < 1 else f"{mark} {bound:g}"


def figure_table(page: str) -> str:
    """The figures of the registry that belong to a page, as a table."""
    lines = ["| figure | what it is | formula | source | ● | ◐ | cut-offs from |", "|---|---|---|---|---|---|---|"]
    for criterion in SHEET:
        if criterion.page == page and criterion.key not in EXTREMES:
            cells = (criterion.label, criterion.definition, criterion.formula, criterion.source,
                     _bound(criterion, criterion.good), _bound(criterion, criterion.tolerable),
                     criterion.cut_off_source)  # fmt: skip
            lines.append("| " + " | ".join(cell.replace("|", "\\|") for cell in cells) + " |")
    return "\n".join(lines)


def format_table() -> str:
    """The file formats of the table."""
    lines = ["| files | what they are | data saved | tables saved |", "|---|---|---|---|"]
    for found in FORMATS:
        saved = ["yes" if use in found.writes else "" for use in ("data", "table")]
        lines.append(f"| {', '.join(found.endings)} | {found.words} | {saved[0]} | {saved[1]} |")
    return "\n".join(lines)


FORMATS_MARKED = re.compile(r"<!-- formats -->\n.*?<!-- end of formats -->", re.DOTALL)
MARKED = re.compile(r"<!-- figures: (?P<page>[^>]+) -->\n.*?<!-- end of figures -->", re.DOTALL)


def method_page(text: str) -> str:
    """A page of docs/methods with its tables of figures and formats as the registries have them."""
    text = FORMATS_MARKED.sub(lambda _: f"<!-- formats -->\n{format_table()}\n<!-- end of formats -->", text)
    return MARKED.sub(
        lambda found: f"<!-- figures: {found['page']} -->\n{figure_table(found['page'])}\n<!-- end of figures -->", text
    )


if __name__ == "__main__":
    for page in (DOCS / "methods").glob("*.md"):
        page.write_text(method_page(page.read_text()))
    for name, document in documents().items():
        (DOCS.parent / name).write_text(json.dumps(document, indent=1, sort_keys=True) + "\n")
