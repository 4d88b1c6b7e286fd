"""What follows from the weights: loadings, reliabilities, correlations of constructs, paths, and what is implied."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.composite.blueprint import Blueprint
from dusk_arrow.core.composite.weights import regress
from dusk_arrow.core.linear_algebra import Array, positive_definite


class Solution(NamedTuple):
    """Of a batch of b samples: weights (b, m, p); correlations of scores (b, m, m), and of constructs, which are those
    corrected for unreliability where a block asks for it; loadings of each block's own columns (b, m, p), zero
    elsewhere; correlations of columns with scores (b, p, m); rho_A (b, m), nan where it does not apply; paths (b, k);
    R² (b, m), nan for what nothing leads to."""

    weights: Array
    scores: Array
    between: Array
    loadings: Array
    across: Array
    rho: Array
    paths: Array
    explained: Array

    def members(self, rows: NDArray[np.intp]) -> Solution:
        """Some of the batch."""
        return Solution(*(value[rows] for value in self))


def rho_a(weights: Array, within: Array, variance: Array) -> Array:
    """Reliability (…) of scores from their weights (…, k), the variances (…, k) of what is weighted, and those (…) of the scores
    (Dijkstra & Henseler 2015): (w′w)² w′(S − diag S)w / w′(ww′ − diag ww′)w."""
    squares = weights**2
    length = np.vecdot(weights, weights)
    with np.errstate(invalid="ignore", divide="ignore"):
        shared, alike = variance - np.vecdot(squares, within), length**2 - np.vecdot(squares, squares)
        result: Array = length**2 * shared / alike
    return result


def between_constructs(scores: Array, reliability: Array) -> Array:
    """Correlations of constructs (b, m, m) from those of their scores, corrected for unreliability; nan where it is not positive."""
    with np.errstate(invalid="ignore"):
        root = np.sqrt(np.where(reliability > 0, reliability, np.nan))
    between: Array = scores / (root[:, :, None] * root[:, None, :])
    at = np.arange(scores.shape[-1])
    between[:, at, at] = 1.0
    return between


def solve(blueprint: Blueprint, weights: Array, correlation: Array) -> Solution:
    """Everything that follows from weights (b, m, p) and correlations of the columns (b, p, p). Where a reliability is not
    positive nothing can be corrected by it, and what rests on it is nan."""
    b, m = weights.shape[:2]
    across = correlation @ np.swapaxes(weights, -1, -2)
    scores = weights @ across
    loadings = np.where(blueprint.member, np.swapaxes(across, -1, -2), 0.0)
    several = np.array([block.mode == "A" and not block.single for block in blueprint.blocks])
    variances = np.diagonal(correlation, axis1=-2, axis2=-1)[:, None]
    rho = np.where(several, rho_a(weights, variances, np.diagonal(scores, axis1=-2, axis2=-1)), np.nan)
    reliability = np.ones((b, m))
    for row in blueprint.corrected:
        reliability[:, row] = rho[:, row]
        with np.errstate(invalid="ignore"):
            scale = np.sqrt(rho[:, row]) / (weights[:, row] ** 2).sum(axis=-1)
        loadings[:, row] = np.where(blueprint.member[row], weights[:, row] * scale[:, None], 0.0)
    between = between_constructs(scores, reliability)
    paths = np.full((b, len(blueprint.paths)), np.nan)
    explained = np.full((b, m), np.nan)
    at = {pair: column for column, pair in enumerate(blueprint.paths)}
    for outcome, antecedents in blueprint.antecedents.items():
        found = regress(between, outcome, antecedents)
        paths[:, [at[source, outcome] for source in antecedents]] = found
        explained[:, outcome] = (found * between[:, list(antecedents), outcome]).sum(axis=-1)
    return Solution(weights, scores, between, loadings, across, rho, paths, explained)


def admissible(blueprint: Blueprint, solution: Solution) -> NDArray[np.bool_]:
    """Whether no corrected loading is beyond 1 and the corrected correlations of constructs could be some (b,)."""
    rows = list(blueprint.standing)
    fine: NDArray[np.bool_] = positive_definite(solution.between[:, rows, :][..., rows])
    for row in blueprint.corrected:
        largest = np.abs(solution.loadings[:, row]).max(axis=-1)
        fine = fine & (largest <= 1.0)
    return fine


def implied_between(blueprint: Blueprint, solution: Solution) -> Array:
    """Correlations of constructs (b, m, m) that the paths imply: those of what nothing leads to as they are, disturbances
    uncorrelated, every construct with variance 1. In the saturated part they are as they are."""
    if blueprint.saturated:
        return solution.between
    coefficients = blueprint.path_matrix(solution.paths)
    b, m = coefficients.shape[0], coefficients.shape[-1]
    found = np.broadcast_to(np.eye(m), (b, m, m)).copy()
    exogenous = list(blueprint.exogenous)
    found[:, np.ix_(exogenous, exogenous)[0], np.ix_(exogenous, exogenous)[1]] = solution.between[
        :, np.ix_(exogenous, exogenous)[0], np.ix_(exogenous, exogenous)[1]
    ]
    done = exogenous.copy()
    for outcome in blueprint.order:
        if outcome in blueprint.antecedents:
            row = (coefficients[:, outcome, None, :] @ found[:, :, done])[:, 0]
            found[:, outcome, done] = found[:, done, outcome] = row
            done.append(outcome)
    return found


def implied(blueprint: Blueprint, solution: Solution, correlation: Array, between: Array) -> Array:
    """Correlations of the columns (b, p, p) that loadings and correlations of constructs (b, m, m) imply.

    Within a corrected block the common factor's, λλ′ with 1 on the diagonal; within any other, which is a composite
    or a single column, the sample's own (Dijkstra & Henseler 2015; Schuberth, Henseler & Dijkstra 2018).
    """
    found = np.swapaxes(solution.loadings, -1, -2) @ between @ solution.loadings
    for row, block in enumerate(blueprint.blocks):
        if row in blueprint.corrected:
            continue
        rows = np.array(block.columns)
        found[:, rows[:, None], rows] = correlation[:, rows[:, None], rows]
    p = correlation.shape[-1]
    found[:, np.arange(p), np.arange(p)] = 1.0
    return found
