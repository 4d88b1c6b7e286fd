"""A report as LaTeX: words and tables; figures are taken from files beside it where they were saved."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import cache

from jinja2 import Environment, PackageLoader, StrictUndefined

from dusk_arrow.core.texts import printable
from dusk_arrow.report.assembly import Figure, Numbered, Report, Words
from dusk_arrow.report.cells import Cell, Range, Row, Table
from dusk_arrow.report.formats.widths import BESIDE, column_widths
from dusk_arrow.report.typesetting import runs

LONG = 28
SMALL, ACROSS = 10.0, 170 * 72 / 25.4  # points: the type of tables, and the width between the margins
WIDER = 1.14  # the face of LaTeX against the one that widths are known of

SPECIAL = {
    "\\": r"\textbackslash{}", "{": r"\{", "}": r"\}", "&": r"\&", "%": r"\%", "$": r"\$", "#": r"\#", "_": r"\_", "~": r"\textasciitilde{}",
    "^": r"\textasciicircum{}", "<": r"\textless{}", ">": r"\textgreater{}", "|": r"\textbar{}", '"': r"\textquotedbl{}",
    "−": r"$-$", "–": "--", "→": r"$\rightarrow$", "≥": r"$\geq$", "≤": r"$\leq$", "√": r"$\surd$", "·": r"$\cdot$", "β": r"$\beta$",
    "χ": r"$\chi$", "\u00a0": "~", "²": r"\textsuperscript{2}", "Δ": r"$\Delta$", "λ": r"$\lambda$", "θ": r"$\theta$", "Γ": r"$\Gamma$", "›": r"$>$", "’": "'",
}  # fmt: skip


def escaped(text: str) -> str:
    """Text in which no character means anything to LaTeX."""
    shown = "".join(SPECIAL.get(letter, letter) for letter in printable(text))
    return re.sub(r"^(\s*)\[", r"\1{[}", shown)  # a bracket after the end of a row would be read as its space


def said(text: str) -> str:
    """A text with its symbols in italics."""
    return "".join(rf"\textit{{{escaped(piece)}}}" if symbol else escaped(piece) for piece, symbol in runs(text))


def _alone(row: Row) -> bool:
    """Whether a heading has its line to itself."""
    return row.heading and not any(cell for cell in row.cells[1:] if cell != Range(None))


def _layout(table: Table, printed: Callable[[Cell], str]) -> tuple[str, str]:
    """The size of type in which a table is no wider than the page, and how its columns are set: numbers to the right, words to the
    left, long ones in a paragraph."""
    texts = [[printed(cell) for cell in row.cells] for row in table.rows if not _alone(row)]
    widths, narrow = column_widths(table, texts, SMALL, ACROSS / WIDER)
    columns = ""
    for at, column in enumerate(table.columns):
        longest = max((len(row[at]) for row in texts), default=0)
        columns += (
            "r" if column.holds != "text" else "l" if longest <= LONG else f"P{{{(widths[at] - BESIDE) * WIDER:.0f}pt}}"
        )
    if narrow >= 1:
        return r"\small", columns
    size = SMALL * narrow
    spaces = rf"\setlength{{\tabcolsep}}{{{BESIDE / 2 * narrow:.1f}pt}}"
    return rf"\fontsize{{{size:.1f}}}{{{1.2 * size:.1f}}}\selectfont{spaces}", columns


@cache
def _templates() -> Environment:
    return Environment(
        loader=PackageLoader("dusk_arrow.report.formats"), undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True,
        block_start_string="<%", block_end_string="%>", variable_start_string="<<", variable_end_string=">>",
        comment_start_string="<#", comment_end_string="#>", autoescape=False,
    )  # fmt: skip


def write(report: Report) -> bytes:
    """A document that compiles with any engine for Latin letters, and with XeLaTeX or LuaLaTeX for others."""
    kinds = {Figure: "figure", Numbered: "table", Words: "words"}
    page = _templates().get_template("report.tex.j2")
    text = page.render(
        report=report,
        blocks=[(kinds[type(block)], block) for block in report.blocks],
        printed=lambda cell: escaped(report.style.printed(cell)),
        tex=escaped,
        said=said,
        alone=_alone,
        layout=lambda table: _layout(table, report.style.printed),
    )
    return text.encode()
