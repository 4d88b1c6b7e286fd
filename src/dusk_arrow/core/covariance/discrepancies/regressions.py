"""Path models of observed variables alone, whose maximum likelihood estimates are regressions: nothing has to be searched for."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.compiled import Block
from dusk_arrow.core.linear_algebra import Array, swept


class Regression(NamedTuple):
    """One outcome: its row among the observed variables, those of its predictors, and the slots of the coefficients and of the
    disturbance's variance among the free values."""

    outcome: int
    predictors: list[int]
    slots: list[int]
    variance: int


class Regressions(NamedTuple):
    """A model as regressions: what covaries freely (rows, columns and slots of S), the rows of all exogenous variables, and the
    outcomes."""

    rows: list[int]
    columns: list[int]
    slots: list[int]
    exogenous: list[int]
    outcomes: list[Regression]


def regressions_of(model: Block) -> Regressions | None:
    """The regressions that a model is made of; None where it is more than that: constructs, circles, covarying disturbances, fixed or
    equal parameters, exogenous variables that do not covary freely."""
    table, split = model.table, model.split
    if split is None or split.y.size or model.tied or model.steps is None or len(table.nodes) != len(table.observed):
        return None
    at = {name: i for i, name in enumerate(table.observed)}
    place = [at[name] for name in table.nodes]
    variances: dict[int, int] = {}
    covariances: dict[tuple[int, int], int] = {}
    predictors: dict[int, list[tuple[int, int]]] = {}
    for p in table.parameters:
        if p.matrix == "loading" or (p.matrix == "residual" and p.index is None):
            continue
        if p.index is None or p.matrix not in ("effect", "node"):
            return None
        row, column = place[p.row], place[p.column]
        if p.matrix == "effect":
            predictors.setdefault(row, []).append((column, p.index))
        elif row == column:
            variances[row] = p.index
        else:
            covariances[min(row, column), max(row, column)] = p.index
    exogenous = [row for row in range(len(place)) if row not in predictors]
    pairs = {(a, b) for a in exogenous for b in exogenous if a < b}
    if set(covariances) != pairs or set(variances) != set(range(len(place))):
        return None
    cells = [((row, row), variances[row]) for row in exogenous] + list(covariances.items())
    outcomes = [
        Regression(row, [c for c, _ in own], [slot for _, slot in own], variances[row])
        for row, own in predictors.items()
    ]
    return Regressions(
        [a for (a, _), _ in cells], [b for (_, b), _ in cells], [slot for _, slot in cells], exogenous, outcomes
    )


def regress(model: Block, plan: Regressions, samples: Array) -> tuple[Array, Array, NDArray[np.bool_]]:
    """Free values (b, q), ln|Σ| + tr(SΣ⁻¹) (b,) there, and where they hold (b,), of sample covariances (b, p, p)."""
    theta = np.empty((samples.shape[0], model.n_free))
    theta[:, plan.slots] = samples[:, plan.rows, plan.columns]
    value = np.full(samples.shape[0], float(samples.shape[-1]))
    good = np.ones(samples.shape[0], dtype=bool)

    def inverted(rows: list[int]) -> tuple[Array, Array]:
        inverse, pivots = swept(samples[:, np.array(rows)[:, None], rows])
        np.logical_and(good, (pivots > 0).all(axis=0), out=good)
        return inverse, pivots

    for one in plan.outcomes:
        across = samples[:, one.predictors, one.outcome]
        inverse, _ = inverted(one.predictors)
        coefficients = np.einsum("bkl,bl->bk", inverse, across)
        left = samples[:, one.outcome, one.outcome] - np.einsum("bk,bk->b", coefficients, across)
        theta[:, one.slots], theta[:, one.variance] = coefficients, left
        np.logical_and(good, left > 0, out=good)
        value += np.log(np.where(left > 0, left, 1.0))
    _, pivots = inverted(plan.exogenous)
    value += np.log(np.where(pivots > 0, pivots, 1.0)).sum(axis=0)
    return theta, value, good
