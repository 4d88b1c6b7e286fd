"""A report as Markdown, its figures inside as pictures."""

from __future__ import annotations

import base64
import re

from dusk_arrow.figure.formats.svg import svg
from dusk_arrow.report.assembly import Figure, Report, Words
from dusk_arrow.report.cells import Style, Table
from dusk_arrow.report.typesetting import runs


def escaped(text: str) -> str:
    """Text in which no character means anything to Markdown."""
    return re.sub(r"([\\`*_{}\[\]<>#|~$])", r"\\\1", text).replace("&", "&amp;")


def said(text: str) -> str:
    """A text with its symbols in italics."""
    return "".join(f"*{piece}*" if symbol else escaped(piece) for piece, symbol in runs(text))


def table(one: Table, style: Style) -> str:
    """A table with pipes; headings in bold."""
    lines = [f"| {' | '.join(escaped(column.words) for column in one.columns)} |"]
    lines.append(f"|{'|'.join(':--' if column.holds == 'text' else '--:' for column in one.columns)}|")
    for row in one.rows:
        cells = [style.printed(cell) for cell in row.cells]
        inset = len(cells[0]) - len(cells[0].lstrip())
        shown = [escaped(cell.strip()) for cell in cells]
        shown[0] = "&nbsp;" * inset + (f"**{shown[0]}**" if row.heading else shown[0])
        lines.append(f"| {' | '.join(shown)} |")
    return "\n".join(lines)


def write(report: Report) -> bytes:
    """Headings, paragraphs, tables and figures."""
    parts = [f"# {escaped(report.title)}"] if report.title else []
    for block in report.blocks:
        if isinstance(block, Words):
            parts += [f"## {escaped(block.title)}", *(said(text) for text in block.paragraphs)]
        elif isinstance(block, Figure):
            data = base64.b64encode(svg(block.drawing).encode()).decode()
            parts += [f"![{escaped(block.drawing.title)}](data:image/svg+xml;base64,{data})"]
            parts += [f"**Figure {block.number}.** {escaped(block.title)}"]
            parts += [escaped(block.note)] if block.note else []
        else:
            parts += [f"**Table {block.number}.** {escaped(block.table.title)}", table(block.table, report.style)]
            parts += [f"*Note.* {escaped(' '.join(block.table.notes))}"] if block.table.notes else []
    if report.references:
        parts += ["## References", *(escaped(one.text) for one in report.references)]
    return ("\n\n".join(parts) + "\n").encode()
