"""Values of the core as parts of the document: problems, changes, matrices, numbers that may be missing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

import numpy as np

from dusk_arrow.core.linear_algebra import correlation_from
from dusk_arrow.core.observations.screening import ColumnSummary
from dusk_arrow.core.problems import Problem
from dusk_arrow.core.resampling.intervals import BootstrapSummary
from dusk_arrow.results.document import (
    Bootstrap,
    Headline,
    Interval,
    Matrix,
    PlacePart,
    ProblemPart,
    RepairPart,
    Results,
    ScoreDescriptivesPart,
    headline_of,
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
        repairs=[RepairPart(words=r.words, change=r.change) for r in problem.repairs],
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


def descriptives_part(construct: str, summary: ColumnSummary) -> ScoreDescriptivesPart:
    """What the scores of a construct are like."""
    return ScoreDescriptivesPart(
        construct_=construct, **{key: value for key, value in asdict(summary).items() if key != "missing"}
    )


def sample_correlations(results: Results) -> Matrix | None:
    """The correlations of the observed variables; None where nothing was estimated."""
    sample = results.sample
    if sample is None:
        return None
    return matrix_part(sample.variables, sample.variables, correlation_from(np.array(sample.covariance)))
