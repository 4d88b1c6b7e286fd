"""The formats of a report. Adding one is adding a line here and a file beside this one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module

from dusk_arrow.report.assembly import Report


@dataclass(frozen=True)
class Format:
    """A document: what it is called, what kind of file it is, and the module that writes it (its `write`), loaded when it is
    wanted, since each takes long."""

    words: str
    mimetype: str
    module: str

    @property
    def write(self) -> Callable[[Report], bytes]:
        """The function that makes the file."""
        found: Callable[[Report], bytes] = import_module(f"dusk_arrow.report.formats.{self.module}").write
        return found


FORMATS = {
    "docx": Format("to write in", "application/vnd.openxmlformats-officedocument.wordprocessingml.document", "docx"),
    "pdf": Format("to read", "application/pdf", "pdf"),
    "html": Format("a page", "text/html", "html"),
    "tex": Format("LaTeX", "application/x-tex", "tex"),
    "md": Format("Markdown", "text/markdown", "markdown"),
    "xlsx": Format(
        "numbers, a sheet a table", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "workbook"
    ),
    "zip": Format("numbers, a .csv file a table", "application/zip", "csv_files"),
    "bib": Format("the literature", "application/x-bibtex", "bibtex"),
}
