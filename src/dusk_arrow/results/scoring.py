"""Scores of cases from the weights of a results document, so that new cases are scored exactly as the sample was."""

from __future__ import annotations

from typing import Literal

import numpy as np

from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.core.observations.screening import summarise
from dusk_arrow.core.problems import Problem, ProblemError, listed
from dusk_arrow.core.scores import ScoreWeights, pair, score
from dusk_arrow.results.convert import descriptives_part
from dusk_arrow.results.document import Part, Results, ScoreDescriptivesPart

Method = Literal["regression", "bartlett"]
FAR = 0.001  # p of the squared distance below which a case is called far
MOST_POINTS = 1500


class BandPoint(Part):
    """The line and the band it lies in at one value of the first construct."""

    at: float
    line: float
    low: float
    high: float


class ScoredCase(Part):
    """A case, by its row in the file: both scores, its squared distance from the middle with p, and whether that is far."""

    case: int
    first: float
    second: float
    d2: float
    p_value: float
    far: bool


class ScorePair(Part):
    """Scores of two constructs against each other over the `n` cases that have both: the line with its band (95 %), how many
    cases are far (p < .001), and the cases, all far ones and a seeded choice of the others where there are very many. The
    line is null where it cannot be drawn."""

    first: str
    second: str
    n: int
    slope: float | None
    intercept: float | None
    correlation: float | None
    band: list[BandPoint]
    far: int
    cases: list[ScoredCase]


def construct_scores(results: Results, cases: DataSet, method: Method = "regression") -> tuple[list[str], Array]:
    """Names of the constructs and scores (n, m) of every case; nan where a case lacks an answer.

    Raises ProblemError where the model was not estimated, or the cases lack a column.
    """
    part = results.scores
    if part is None:
        raise ProblemError([Problem("not_estimated", "error", "The model is not estimated, so there are no scores.")])
    if not part.regression.rows:
        message = "The model has no constructs, only observed variables, so there is nothing to be scored."
        raise ProblemError([Problem("nothing_to_score", "error", message)])
    names = tuple(part.regression.columns)
    absent = [name for name in names if name not in cases.names or not cases.column(name).numeric]
    if absent:
        message = f"The cases lack the numbers of {listed(absent)}, which the scores are made of."
        raise ProblemError([Problem("columns_missing", "error", message, tuple(absent))])
    values = cases.matrix(names)
    means = np.nanmean(values, axis=0) if part.means is None else np.array(part.means)
    weights = ScoreWeights(
        tuple(part.regression.rows),
        names,
        means,
        np.array(part.origin),
        np.array(part.regression.values, dtype=float),
        None if part.bartlett is None else np.array(part.bartlett.values, dtype=float),
    )
    return list(weights.nodes), score(weights, values, method)


def described_scores(results: Results, cases: DataSet, method: Method = "regression") -> list[ScoreDescriptivesPart]:
    """What the scores of every construct are like over the cases."""
    names, values = construct_scores(results, cases, method)
    return [descriptives_part(name, summarise(values[:, i])) for i, name in enumerate(names)]


def score_pair(results: Results, cases: DataSet, first: str, second: str, method: Method = "regression") -> ScorePair:
    """Scores of two constructs against each other. Raises ProblemError for a name that has no scores."""
    names, values = construct_scores(results, cases, method)
    for name in (first, second):
        if name not in names:
            raise ProblemError([Problem("unknown_construct", "error", f"{name} has no scores.", (name,))])
    both = values[:, [names.index(first), names.index(second)]]
    rows = np.flatnonzero(~np.isnan(both).any(axis=1))
    x, y = both[rows].T
    found = pair(x, y)
    if found is None:
        return ScorePair(
            first=first, second=second, n=rows.size, slope=None, intercept=None, correlation=None, band=[], far=0, cases=[]
        )  # fmt: skip
    far = found.p_value < FAR
    shown = np.arange(rows.size)
    if rows.size > MOST_POINTS:
        others = np.flatnonzero(~far)
        room = max(0, MOST_POINTS - int(far.sum()))
        chosen = np.random.default_rng(1).permutation(others)[:room]
        shown = np.sort(np.concatenate([np.flatnonzero(far), chosen]))
    numbers = cases.case_numbers
    return ScorePair(
        first=first,
        second=second,
        n=rows.size,
        slope=found.slope,
        intercept=found.intercept,
        correlation=found.correlation,
        band=[
            BandPoint(at=at, line=(low + high) / 2, low=low, high=high)
            for at, low, high in zip(found.at.tolist(), found.lower.tolist(), found.upper.tolist(), strict=True)
        ],
        far=int(far.sum()),
        cases=[
            ScoredCase(
                case=numbers[rows[i]],
                first=float(x[i]),
                second=float(y[i]),
                d2=float(found.d2[i]),
                p_value=float(found.p_value[i]),
                far=bool(far[i]),
            )
            for i in shown.tolist()
        ],
    )
