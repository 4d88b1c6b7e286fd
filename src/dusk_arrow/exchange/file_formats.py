"""The file formats there are, in one table: reading, command line, screens and docs are made from it.

A format is added by a line here and, if it is read and is no text, a module in `readers` with the function
`read(content, name, options)`. Nothing heavy is imported here, so that help is answered at once.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

Use = Literal["data", "table"]


@dataclass(frozen=True)
class FileFormat:
    """A format: its endings, what it is, and the module of `readers` that reads it (None: it is delimited text).

    `signatures` are bytes at an offset that give it away whatever it is called, `with_ending` first bytes that do so
    together with the ending. `writes` says what can be saved in it.
    """

    key: str
    endings: tuple[str, ...]
    words: str
    reader: str | None = None
    signatures: tuple[tuple[int, bytes], ...] = ()
    with_ending: tuple[bytes, ...] = ()
    writes: tuple[Use, ...] = ()
    mimetype: str = "application/octet-stream"

    def fits(self, content: bytes, ending: str) -> bool:
        """Whether a file's contents say that it is of this format."""
        if any(content[at : at + len(sign)] == sign for at, sign in self.signatures):
            return True
        return ending in self.endings and content[:1] in self.with_ending


DELIMITED = FileFormat(
    "csv",
    (".csv", ".tsv", ".txt", ".dat"),
    "delimited text: any delimiter, decimal mark and encoding",
    writes=("data", "table"),
    mimetype="text/csv",
)
WORKBOOK = FileFormat(
    "xlsx",
    (".xlsx",),
    "a workbook: one of its sheets, or a range of it",
    "workbook",
    ((0, b"PK\x03\x04"),),
    writes=("data", "table"),
    mimetype="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
)
FORMATS = (
    DELIMITED,
    WORKBOOK,
    FileFormat(
        "sav",
        (".sav", ".zsav"),
        "with labels, value labels and declared missing values",
        "labelled",
        ((0, b"$FL2"), (0, b"$FL3")),
        writes=("data",),
    ),
    FileFormat(
        "dta",
        (".dta",),
        "with labels, value labels and declared missing values",
        "labelled",
        ((6, b"_dta>"),),
        (b"\x69", b"\x6c", b"\x71", b"\x72", b"\x73"),
    ),
    FileFormat(
        "sas7bdat",
        (".sas7bdat",),
        "with labels",
        "labelled",
        ((12, bytes.fromhex("c2ea8160b31411cfbd92080009c7318c181f1011")),),
    ),
    FileFormat("parquet", (".parquet",), "columns of numbers and texts", "parquet", ((0, b"PAR1"),)),
)
NOT_READ = (".xls", ".ods")


def endings(formats: Iterable[FileFormat] = FORMATS) -> tuple[str, ...]:
    """All endings that are read, in the order of the table."""
    return tuple(ending for found in formats for ending in found.endings)


def written(use: Use) -> dict[str, FileFormat]:
    """The formats in which data, or a table, can be saved, by their key."""
    return {found.key: found for found in FORMATS if use in found.writes}


def format_of(content: bytes, ending: str) -> FileFormat | None:
    """The format that a file's contents show; None for text, or what is not known."""
    return next((found for found in FORMATS if found.fits(content, ending)), None)
