"""What the subcommands share: options of a data file, files read and written, problems reported."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Iterable
from pathlib import Path

from dusk_arrow.core.observations.steps import apply_steps
from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.exchange.csv_files import Reading, ReadingOptions, decode
from dusk_arrow.exchange.previews import with_names
from dusk_arrow.exchange.reading import read_file
from dusk_arrow.exchange.recorded_steps import read_steps

ESTIMATED, WRONG, NOT_ESTIMATED = 0, 2, 3


def problem(code: str, message: str) -> ProblemError:
    """One error to raise."""
    return ProblemError([Problem(code, "error", message)])


def add_reading_options(parser: argparse._ArgumentGroup | argparse.ArgumentParser) -> None:
    """The options that say how a data file is to be read."""
    parser.add_argument("--sheet", metavar="NAME", help="the sheet of a workbook; the first unless given")
    parser.add_argument("--delimiter", help="of a text file; found out unless given; “tab” for a tab")
    parser.add_argument("--decimal", choices=[".", ","], help="found out unless given")
    parser.add_argument("--encoding", help="found out unless given")
    parser.add_argument("--no-header", action="store_true", help="the first line holds data; columns are v1, v2, …")
    parser.add_argument("--cells", metavar="B3:H40", help="the range of a sheet; all of it unless given")
    parser.add_argument("--skip", type=int, default=0, metavar="ROWS", help="rows above the names to be passed over")
    parser.add_argument("--names", metavar="FILE", help="names and labels of the columns, one a line or as a table")
    parser.add_argument("--steps", metavar="STEPS.json", help="recorded steps, as exported by the Data station")
    parser.add_argument("--missing-codes", default="", metavar="-9,99", help="codes that mean missing")


def read_bytes(path: str) -> bytes:
    """The contents of a file. Raises ProblemError."""
    try:
        return Path(path).read_bytes()
    except OSError as error:
        raise problem("file_unreadable", f"{path} cannot be read: {error.strerror}.") from None


def write_text(path: str, content: str) -> None:
    """Writes a file, or standard output for `-`. Raises ProblemError."""
    if path == "-":
        sys.stdout.write(content)
        return
    try:
        Path(path).write_text(content)
    except OSError as error:
        raise problem("file_unwritable", f"{path} cannot be written: {error.strerror}.") from None


def read_data(path: str, options: argparse.Namespace) -> Reading:
    """The data set of a file, as the options say. Raises ProblemError."""
    delimiter = "\t" if options.delimiter == "tab" else options.delimiter
    codes = tuple(code.strip() for code in options.missing_codes.split(",") if code.strip())
    how = ReadingOptions(
        delimiter, options.decimal, options.encoding, not options.no_header, codes, options.sheet, options.cells,
        options.skip,
    )  # fmt: skip
    reading = read_file(read_bytes(path), Path(path).name, how)
    data = reading.data
    if options.names:
        data = with_names(data, decode(read_bytes(options.names))[0])
    if options.steps:
        data, faults = apply_steps(data, read_steps(read_bytes(options.steps)))
        if faults:
            raise ProblemError(faults)
    return Reading(data, reading.problems)


def report(problems: Iterable[Problem]) -> None:
    """Problems on standard error, one a line."""
    for found in problems:
        print(f"{found.severity}: {found.message}", file=sys.stderr)
