"""A report as a page that stands on its own and prints well."""

from __future__ import annotations

from functools import cache

from jinja2 import Environment, PackageLoader, StrictUndefined
from markupsafe import Markup

from dusk_arrow.figure.formats.svg import font_face, svg
from dusk_arrow.report.assembly import Figure, Numbered, Report, Words
from dusk_arrow.report.typesetting import runs


@cache
def _templates() -> Environment:
    loader = PackageLoader("dusk_arrow.report.formats")
    return Environment(loader=loader, autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True)


def said(text: str) -> Markup:
    """A text with its symbols in italics."""
    return Markup().join(Markup("<i>{}</i>").format(piece) if symbol else piece for piece, symbol in runs(text))


def write(report: Report) -> bytes:
    """The page."""
    kinds = {Figure: "figure", Numbered: "table", Words: "words"}
    page = _templates().get_template("report.html.j2")
    text = page.render(
        report=report,
        blocks=[(kinds[type(block)], block) for block in report.blocks],
        printed=report.style.printed,
        said=said,
        picture=lambda drawing: Markup(svg(drawing, font=False)),  # what is drawn was escaped when it became SVG
        font=Markup(
            "".join(font_face(one) for one in dict.fromkeys(("source", *(f.drawing.typeface for f in report.figures))))
        ),
    )
    return text.encode()
