"""The tables of a report as the sheets of a workbook: numbers are numbers, rounded only by how they are shown."""

from __future__ import annotations

import io
import re

import xlsxwriter

from dusk_arrow.report.assembly import Report, Words
from dusk_arrow.report.cells import Column, Number, Range, Row, Style, spread

WIDEST = 60


def _format(cell: Number | Range, style: Style) -> str:
    """How a spreadsheet shows a number."""
    if cell.kind == "count":
        return "#,##0"
    decimals = 3 if cell.kind == "p" else style.decimals if cell.decimals is None else cell.decimals
    places = "0" * decimals
    if cell.kind == "plain" or style.leading_zero:
        return f"0.{places}" if places else "0"
    return f"[<=-1]0.{places};[>=1]0.{places};.{places}" if places else "0"


def _formats(row: Row, columns: tuple[Column, ...], style: Style) -> list[str | None]:
    """The number format of every cell of a row after its intervals are spread."""
    found: list[str | None] = []
    for column, cell in zip(columns, row.cells, strict=True):
        one = None if isinstance(cell, str) else _format(cell, style)
        found += [one, one] if column.holds == "range" else [one]
    return found


def write(report: Report) -> bytes:
    """A sheet a table, and one with the words."""
    buffer = io.BytesIO()
    book = xlsxwriter.Workbook(
        buffer, {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False, "nan_inf_to_errors": True}
    )
    bold, note = book.add_format({"bold": True, "bottom": 1}), book.add_format({"italic": True, "text_wrap": False})
    strong = book.add_format({"bold": True})
    formats: dict[tuple[str, bool], xlsxwriter.workbook.Format] = {}
    for one in report.tables:
        sheet = book.add_worksheet(_name(one.number, one.table.title))
        sheet.write_string(0, 0, f"Table {one.number}. {one.table.title}", strong)
        heads, rows = spread(one.table)
        widths = [len(head) for head in heads]
        for at, head in enumerate(heads):
            sheet.write_string(2, at, head, bold)
        for down, (row, cells) in enumerate(zip(one.table.rows, rows, strict=True), 3):
            for at, (cell, shown) in enumerate(zip(cells, _formats(row, one.table.columns, report.style), strict=True)):
                if isinstance(cell, str):
                    sheet.write_string(down, at, cell, strong if row.heading else None)
                    widths[at] = max(widths[at], len(cell))
                elif cell is not None:
                    key = (shown or "General", row.heading)
                    if key not in formats:
                        formats[key] = book.add_format({"num_format": key[0], "bold": row.heading})
                    sheet.write_number(down, at, cell, formats[key])
        for at, width in enumerate(widths):
            sheet.set_column(at, at, min(width + 2, WIDEST))
        sheet.freeze_panes(3, 1)
        for at, text in enumerate(one.table.notes):
            sheet.write_string(len(rows) + 4 + at, 0, text, note)
    said = [block for block in report.blocks if isinstance(block, Words)]
    if said:
        sheet = book.add_worksheet("Words")
        sheet.set_column(0, 0, 28)
        sheet.set_column(1, 1, 120, book.add_format({"text_wrap": True}))
        lines = [(block.title if not at else "", text) for block in said for at, text in enumerate(block.paragraphs)]
        for down, (title, text) in enumerate(lines):
            sheet.write_string(down, 0, title, strong)
            sheet.write_string(down, 1, text)
    if not report.tables and not said:
        book.add_worksheet("Empty")
    book.close()
    return buffer.getvalue()


def _name(number: int, title: str) -> str:
    """A name that a sheet can have; its number makes it the only one."""
    plain = re.sub(r"[\[\]:*?/\\]", " ", title)
    return f"{number} {plain}"[:31].strip(" '")
