"""The pages that explain every figure and method, rendered from the texts in docs/methods."""

from __future__ import annotations

from functools import lru_cache
from html import escape
from pathlib import Path

from flask import Blueprint, Response
from markdown_it import MarkdownIt

from dusk_arrow.server.problems import refuse

FOLDER = Path(__file__).resolve().parents[3] / "docs" / "methods"
pages = Blueprint("explanations", __name__, url_prefix="/methods")
STYLE = """
body{margin:0;background:#faf6ef;color:#232540;font:16px/1.55 "Source Sans 3",system-ui,sans-serif}
main{max-width:54rem;margin:0 auto;padding:2.5rem 1.5rem 4rem}
h1,h2{font-family:Fraunces,Georgia,serif;line-height:1.2}h1{font-size:1.8rem}h2{font-size:1.25rem;margin-top:2.2rem}
a{color:#a84f13}table{border-collapse:collapse;width:100%;margin:1rem 0}
th{text-align:left;font-weight:400;color:#6a6577}td,th{padding:.4rem .9rem .4rem 0;border-bottom:1px solid #ddd0b8;vertical-align:top}
code{background:#efe6d6;border-radius:4px;padding:.05em .3em;font-size:.92em}nav{margin-bottom:1.5rem}
@media (prefers-color-scheme:dark){body{background:#1a1c33;color:#f0e9dc}a{color:#f08b45}th{color:#a9a4b8}
td,th{border-color:#3a3d62}code{background:#252847}}
"""


@lru_cache
def _page(name: str) -> str | None:
    path = FOLDER / f"{name}.md"
    if not name.replace("_", "").isalnum() or not path.is_file():
        return None
    text = path.read_text()
    title = next((line[2:] for line in text.splitlines() if line.startswith("# ")), name)
    body = MarkdownIt("commonmark").enable("table").render(text.replace(".md)", ")"))
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{escape(title)} · Dusk Arrow</title>'
        '<link rel="stylesheet" href="/methods/style.css"></head><body><main>'
        f'<nav><a href="/methods/README">All methods</a> · <a href="/">Projects</a></nav>{body}</main></body></html>'
    )


@pages.get("/style.css")
def style() -> Response:
    """How the pages look."""
    return Response(STYLE, mimetype="text/css")


@pages.get("/<name>")
def page(name: str) -> Response:
    """One page."""
    found = _page(name)
    if found is None:
        raise refuse(404, "unknown_page", "There is no such page.")
    return Response(found, mimetype="text/html")
