"""Scores of cases from the weights of a results document, so that new cases are scored exactly as the sample was."""

from __future__ import annotations

import io
from typing import Literal

import numpy as np

from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.core.problems import Problem, ProblemError, listed
from dusk_arrow.core.scores import ScoreWeights, score
from dusk_arrow.exchange.writing import harmless
from dusk_arrow.results.document import Results

Method = Literal["regression", "bartlett"]


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


def scores_csv(results: Results, cases: DataSet, method: Method = "regression") -> str:
    """The scores as comma-separated text with the number of the case in front; empty where there is none."""
    import pandas as pd  # loaded late: it takes long, and a start does not need it

    names, values = construct_scores(results, cases, method)
    table = pd.DataFrame(values, columns=[harmless(name) for name in names])
    table.insert(0, "case", np.arange(1, len(table) + 1))
    buffer = io.StringIO()
    table.to_csv(buffer, index=False)
    return buffer.getvalue()
