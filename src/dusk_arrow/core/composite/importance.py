"""Importance and performance: what a construct does to an outcome, and where it stands on its scale."""

from __future__ import annotations

import numpy as np

from dusk_arrow.core.composite.prediction import uncorrected
from dusk_arrow.core.composite.program import Outcome, Program, estimate
from dusk_arrow.core.family import Importance
from dusk_arrow.core.linear_algebra import Array, correlation_from
from dusk_arrow.core.observations.data import DataSet


def scale_ends(source: DataSet, names: tuple[str, ...], answers: Array) -> tuple[Array, list[bool]]:
    """The ends of each column's scale (p, 2): those recorded with it where two or more of its values have words, else the
    least and greatest answer; and which were recorded."""
    ends = np.stack([np.nanmin(answers, axis=0), np.nanmax(answers, axis=0)], axis=-1)
    known = []
    for i, name in enumerate(names):
        labels = []
        for text in source.column(name).value_labels:
            try:
                labels.append(float(text))
            except ValueError:
                continue
        recorded = len(labels) > 1 and min(labels) <= ends[i, 0] and max(labels) >= ends[i, 1]
        if recorded:
            ends[i] = min(labels), max(labels)
        known.append(recorded)
    return ends, known


def importance(
    program: Program, covariance: Array, answers: Array, ends: Array, recorded: list[bool]
) -> list[Importance]:
    """For every outcome and everything that leads to it in the end: the total effect among scores of 0–100, and the mean
    score. Indicators are put on 0–100 over their scale's ends, weights w/sd scaled to sum 1; an indicator with a
    negative weight leaves its construct without both, and is named."""
    plain = uncorrected(program)
    structure = plain.structure
    if structure.saturated or not structure.paths:
        return []
    outcome = estimate(plain, correlation_from(covariance[None]))
    width = ends[:, 1] - ends[:, 0]
    with np.errstate(divide="ignore", invalid="ignore"):
        points = 100 * (answers - ends[:, 0]) / width
        spread = np.sqrt(np.diag(covariance)) * 100 / width
    coefficients = structure.path_matrix(outcome.structure.paths)[0]
    total = np.linalg.inv(np.eye(len(structure.names)) - coefficients) - np.eye(len(structure.names))
    scale, performance, against = _scores(plain, outcome, points, spread)
    found = []
    for target in structure.antecedents:
        for source in range(len(structure.names)):
            if source == target or total[target, source] == 0:
                continue
            names = (structure.names[target], structure.names[source])
            negative = against[source] or against[target]
            value = total[target, source] * scale[target] / scale[source] if not negative else None
            columns = np.flatnonzero(outcome.weights[0, plain.place[names[1]]])
            found.append(
                Importance(
                    names[0],
                    names[1],
                    None if value is None else float(value),
                    None if against[source] else float(performance[source]),
                    negative,
                    all(recorded[i] for i in columns),
                )
            )
    return found


def _scores(program: Program, outcome: Outcome, points: Array, spread: Array) -> tuple[Array, Array, list[str | None]]:
    """Of every block of the structure the standard deviation of its score of 0–100, its mean, and the first column with a
    negative weight."""
    names = program.structure.names
    scale, performance = np.ones(len(names)), np.full(len(names), np.nan)
    against: list[str | None] = []
    for row, name in enumerate(names):
        weights = outcome.weights[0, program.place[name]]
        columns = np.flatnonzero(weights)
        raw = weights[columns] / spread[columns]
        negative = [program.columns[i] for i, value in zip(columns.tolist(), raw, strict=True) if value < 0]
        against.append(negative[0] if negative else None)
        if negative:
            continue
        scale[row] = 1 / raw.sum()
        performance[row] = np.nanmean(points[:, columns] @ (raw / raw.sum()))
    return scale, performance, against
