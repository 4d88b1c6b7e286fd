"""Figures and reports that `./dusk fit` was asked for."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TypeVar

from pydantic import BaseModel, ValidationError

from dusk_arrow.command_line.files import problem, read_bytes, write_bytes
from dusk_arrow.core.assessment.criteria import Sheet
from dusk_arrow.core.observations.data import DataSet, Source
from dusk_arrow.core.observations.steps import Step
from dusk_arrow.core.observations.steps import words as step_words
from dusk_arrow.core.observations.taking_steps import removals
from dusk_arrow.core.problems import listed
from dusk_arrow.figure.formats.registry import FORMATS as FIGURES
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.report.formats.registry import FORMATS as REPORTS
from dusk_arrow.report.options import NamedFigure, ReportOptions
from dusk_arrow.results.document import Results

Options = TypeVar("Options", bound=BaseModel)


@dataclass(frozen=True)
class Asked:
    """Files that are wanted: a figure, and reports, by path and ending; and how they are made."""

    figure: tuple[str, str] | None
    reports: tuple[tuple[str, str], ...]
    drawn: FigureOptions
    report: ReportOptions


def _stored(path: str | None, kind: type[Options], code: str) -> Options | None:
    """Options from a file. Raises ProblemError."""
    if path is None:
        return None
    try:
        return kind.model_validate_json(read_bytes(path))
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"]) or "the file"
        raise problem(code, f"{path}: {where}: {first['msg']}.") from None


def asked_of(options: argparse.Namespace) -> Asked:
    """What the command line asks for. Raises ProblemError for a format that is not written, and for options that make no sense."""

    def ending(path: str, known: Sequence[str], code: str, what: str) -> tuple[str, str]:
        found = path.rsplit(".", 1)[-1].lower()
        if found not in known:
            raise problem(code, f"{what} can be saved as {listed([f'.{one}' for one in known], 12)}.")
        return path, found

    figure = ending(options.figure, list(FIGURES), "figure_format", "The figure") if options.figure else None
    reports = tuple(ending(path, list(REPORTS), "report_format", "A report") for path in options.report)
    drawn = _stored(options.figure_options, FigureOptions, "figure_options")
    report = _stored(options.report_options, ReportOptions, "report_options")
    if report is None:
        report = ReportOptions(figures=[NamedFigure(options=drawn or FigureOptions())])
    return Asked(figure, reports, drawn or FigureOptions(), report)


def write_files(
    asked: Asked, results: Results, source: Source, imported: Source, steps: Sequence[Step], criteria: Sheet
) -> None:
    """Writes the figure and the reports of an estimated model, from the data as they were analysed and as they were imported. Raises ProblemError where a file cannot be written."""
    if asked.figure is not None:
        from dusk_arrow.report.assembly import drawn  # loaded late, as below: it takes long

        path, ending = asked.figure
        figure = NamedFigure(options=asked.drawn)
        write_bytes(path, FIGURES[ending].render(drawn(figure, results, inside=True)))
    if asked.reports:
        from dusk_arrow.report.assembly import build
        from dusk_arrow.report.material import Cases, material

        cases = None
        halves = None
        if isinstance(imported, DataSet):
            cases, halves = Cases(imported.n, removals(imported, steps)), results.holdout
        said = [step_words(step) for step in steps if step.on]
        found = material(results, source, criteria, said, cases=cases, holdout=halves)
        report = build(found, asked.report, Path(results.data.name).stem if results.data else "")
        for path, ending in asked.reports:
            write_bytes(path, REPORTS[ending].write(report))
