"""A report as LaTeX: words and tables; figures are taken from files beside it where they were saved."""

from __future__ import annotations

import re
from functools import cache

from jinja2 import Environment, PackageLoader, StrictUndefined

from dusk_arrow.report.assembly import Figure, Numbered, Report, Words
from dusk_arrow.report.cells import Table

LONG = 28

SPECIAL = {
    "\\": r"\textbackslash{}", "{": r"\{", "}": r"\}", "&": r"\&", "%": r"\%", "$": r"\$", "#": r"\#", "_": r"\_", "~": r"\textasciitilde{}",
    "^": r"\textasciicircum{}", "<": r"\textless{}", ">": r"\textgreater{}", "|": r"\textbar{}", '"': r"\textquotedbl{}",
    "−": r"$-$", "–": "--", "→": r"$\rightarrow$", "≥": r"$\geq$", "≤": r"$\leq$", "√": r"$\surd$", "·": r"$\cdot$", "β": r"$\beta$",
    "χ": r"$\chi$", "²": r"\textsuperscript{2}", "Δ": r"$\Delta$", "λ": r"$\lambda$", "θ": r"$\theta$", "Γ": r"$\Gamma$", "›": r"$>$", "’": "'",
}  # fmt: skip


def escaped(text: str) -> str:
    """Text in which no character means anything to LaTeX."""
    shown = "".join(SPECIAL.get(letter, letter) for letter in text)
    return re.sub(r"^(\s*)\[", r"\1{[}", shown)  # a bracket after the end of a row would be read as its space


def _columns(table: Table) -> str:
    """How columns are set: numbers to the right, words to the left, long ones in a paragraph."""
    found = ""
    for at, column in enumerate(table.columns):
        longest = max((len(str(row.cells[at])) for row in table.rows), default=0)
        found += "r" if column.holds != "text" else "l" if longest <= LONG else r"p{0.24\textwidth}"
    return found


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
        aligned=_columns,
    )
    return text.encode()
