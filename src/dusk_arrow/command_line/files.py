"""What the subcommands share: options of a data file, files read and written, problems reported."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Iterable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Literal

from dusk_arrow.core.observations.data import DataSet, Moments
from dusk_arrow.core.observations.steps import Step
from dusk_arrow.core.observations.taking_steps import apply_steps
from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.exchange.csv_files import decode
from dusk_arrow.exchange.origins import Origin
from dusk_arrow.exchange.reading_options import ReadingOptions
from dusk_arrow.exchange.recorded_steps import read_steps
from dusk_arrow.results.document import ProblemPart

ESTIMATED, WRONG, NOT_ESTIMATED = 0, 2, 3


def problem(code: str, message: str) -> ProblemError:
    """One error to raise."""
    return ProblemError([Problem(code, "error", message)])


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
    write_bytes(path, content.encode())


def write_bytes(path: str, content: bytes) -> None:
    """Writes a file. Raises ProblemError."""
    try:
        Path(path).write_bytes(content)
    except OSError as error:
        raise problem("file_unwritable", f"{path} cannot be written: {error.strerror}.") from None


def _reading_options(options: argparse.Namespace, kind: Literal["cases", "matrix"] | None) -> ReadingOptions:
    return ReadingOptions(
        delimiter="\t" if options.delimiter == "tab" else options.delimiter,
        decimal=options.decimal,
        encoding=options.encoding,
        header=not options.no_header,
        missing_codes=_parts(options.missing_codes),
        sheet=options.sheet,
        cells=options.cells,
        skip=options.skip,
        turned_marks=_parts(options.turned_marks),
        kind=kind,
        sds=_numbers(options, "matrix_sds"),
        means=_numbers(options, "matrix_means"),
    )


def _numbers(options: argparse.Namespace, name: str) -> tuple[float, ...]:
    """The numbers of an option. Raises ProblemError where there is text among them."""
    try:
        return tuple(float(part) for part in _parts(getattr(options, name, "")))
    except ValueError:
        message = f"--{name.replace('_', '-')}: give numbers, separated by commas."
        raise problem("option_invalid", message) from None


def _parts(text: str) -> tuple[str, ...]:
    return tuple(part.strip() for part in text.split(",") if part.strip())


def read_imported(
    path: str, options: argparse.Namespace, kind: Literal["cases", "matrix"] | None = None
) -> tuple[DataSet | Moments, tuple[Problem, ...], Origin]:
    """The cases or the matrix of a file before any recorded step, with what was noticed, and the file. Raises ProblemError."""
    n, offset = getattr(options, "n", None), 1 if getattr(options, "moments_divisor", "n-1") == "n-1" else 0
    how = _reading_options(options, "cases" if options.cases else kind)
    names = decode(read_bytes(options.names))[0] if options.names else ""
    origin = Origin(Path(path).name, read_bytes(path), how, names, n, offset)
    try:
        data, noticed = origin.read()
    except ProblemError as error:
        raise ProblemError([_with_option(found) for found in error.problems]) from None
    return data, tuple(_with_option(found) for found in noticed), origin


def steps_of(options: argparse.Namespace) -> list[Step]:
    """The recorded steps that are to be taken. Raises ProblemError."""
    return read_steps(read_bytes(options.steps)) if options.steps else []


def stepped(data: DataSet, steps: Sequence[Step]) -> DataSet:
    """The cases after recorded steps. Raises ProblemError where one cannot be taken."""
    data, faults = apply_steps(data, steps)
    if faults:
        raise ProblemError(faults)
    return data


def read_source(
    path: str, options: argparse.Namespace, kind: Literal["cases", "matrix"] | None = None
) -> tuple[DataSet | Moments, tuple[Problem, ...]]:
    """The cases or the matrix of a file, as the options say, with what was noticed. Raises ProblemError."""
    data, noticed, _ = read_imported(path, options, kind)
    return (data if isinstance(data, Moments) else stepped(data, steps_of(options))), noticed


OPTIONS = {
    "n_missing": "Give it with --n.",
    "read_as_matrix": "--cases reads them as cases.",
    "marks_in_doubt": "--turned-marks with the column's name reads it the other way.",
    "no_header": "--no-header numbers the columns.",
    "missing_code_suspected": "--missing-codes says so of all columns, a recorded step of some.",
}


def _with_option(found: Problem) -> Problem:
    """A problem of reading with the option that puts it right, where there is a button in the browser."""
    words = OPTIONS.get(found.code)
    return found if words is None else replace(found, message=f"{found.message} {words}")


def read_data(path: str, options: argparse.Namespace) -> tuple[DataSet, tuple[Problem, ...]]:
    """The cases of a file. Raises ProblemError where it holds a matrix."""
    data, noticed = read_source(path, options)
    if isinstance(data, Moments):
        raise ProblemError(
            [Problem("cases_missing", "error", f"{path} holds a matrix, and cases are needed."), *noticed]
        )
    return data, noticed


def report(problems: Iterable[Problem | ProblemPart]) -> None:
    """Problems on standard error, one a line."""
    for found in problems:
        print(f"{found.severity}: {found.message}", file=sys.stderr)
