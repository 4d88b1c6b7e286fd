"""Values of the core as parts of the document: problems, changes, matrices, numbers that may be missing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Annotated, Any

import numpy as np
from pydantic import Field, TypeAdapter

from dusk_arrow.core.observations.steps import Step
from dusk_arrow.core.problems import Problem
from dusk_arrow.core.resampling.intervals import BootstrapSummary
from dusk_arrow.core.specification.changes import Change
from dusk_arrow.exchange.reading_options import ReadAgain
from dusk_arrow.results.document import (
    Bootstrap,
    Headline,
    Interval,
    Matrix,
    PlacePart,
    ProblemPart,
    RepairPart,
    headline_of,
)

CHANGE: TypeAdapter[Change] = TypeAdapter(Annotated[Change, Field(discriminator="type")])
REPAIR: TypeAdapter[Change | Step | ReadAgain] = TypeAdapter(
    Annotated[Change | Step | ReadAgain, Field(discriminator="type")]
)


def number(value: Any) -> float | None:
    """A float, or None for nan and infinity: a figure that does not apply is null."""
    return float(value) if value is not None and np.isfinite(value) else None


def problem_part(problem: Problem) -> ProblemPart:
    """A problem as it stands in the document and in HTTP errors."""
    return ProblemPart(
        code=problem.code,
        severity=problem.severity,
        message=problem.message,
        about=list(problem.about),
        repairs=[
            RepairPart(words=r.words, change=None if r.change is None else REPAIR.dump_python(r.change, mode="json"))
            for r in problem.repairs
        ],
        place=PlacePart(line=problem.place.line, column=problem.place.column) if problem.place else None,
    )


def matrix_part(rows: Sequence[str], columns: Sequence[str], values: Any) -> Matrix:
    """A named matrix; nan becomes null."""
    array = np.asarray(values, dtype=float)
    cells = array.tolist() if np.isfinite(array).all() else [[number(v) for v in row] for row in array]
    return Matrix(rows=list(rows), columns=list(columns), values=cells)


def bootstrap_part(summary: BootstrapSummary | None, asked: Headline) -> Bootstrap | None:
    """A bootstrap summary as a part of the document, with the interval that decides."""
    if summary is None:
        return None
    bounds: dict[Headline, Interval | None] = {
        "percentile": summary.percentile, "bias-corrected": summary.bias_corrected, "bca": summary.bca,
    }  # fmt: skip
    return Bootstrap(**asdict(summary), headline=headline_of(bounds, asked))
