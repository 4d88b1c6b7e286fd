"""The iteration that finds the weights: partial least squares path modelling on correlations, batched.

Sources: Wold (1982); Lohmöller (1989). All blocks are updated at once; every construct has variance 1 throughout.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.composite.blueprint import Blueprint
from dusk_arrow.core.linear_algebra import Array, positive_definite

TOLERANCE = 1e-9
MOST_ITERATIONS = 2000


class Weights(NamedTuple):
    """Weights of standardized columns (b, m, p), zero outside a block; iterations (b,), and which converged (b,)."""

    values: Array
    iterations: NDArray[np.intp]
    converged: NDArray[np.bool_]


def _unit(weights: Array, correlation: Array) -> Array:
    """The weights scaled so that every construct has variance 1; nan where it has none."""
    variance = ((weights @ correlation) * weights).sum(axis=-1, keepdims=True)
    with np.errstate(invalid="ignore", divide="ignore"):
        result: Array = weights / np.sqrt(np.where(variance > 0, variance, np.nan))
    return result


def regress(correlation: Array, outcome: int, antecedents: tuple[int, ...]) -> Array:
    """Coefficients (…, k) of one variable on others, from their correlations (…, m, m); nan where those are dependent."""
    rows = list(antecedents)
    block = correlation[..., rows, :][..., rows]
    good = positive_definite(block)
    safe = np.where(good[..., None, None], block, np.eye(len(rows)))
    found = np.linalg.solve(safe, correlation[..., rows, outcome][..., None])[..., 0]
    result: Array = np.where(good[..., None], found, np.nan)
    return result


def inner_weights(blueprint: Blueprint, between: Array) -> Array:
    """How much each construct draws on its neighbours (…, m, m), from their correlations: centroid takes the sign,
    factorial the correlation, path the regression on antecedents and the correlation with outcomes."""
    linked = blueprint.linked
    if blueprint.scheme == "centroid" and not blueprint.saturated:
        return np.where(linked, np.sign(between), 0.0)
    found = np.where(linked, between, 0.0)
    if blueprint.scheme == "path" and not blueprint.saturated:
        for outcome, antecedents in blueprint.inner_antecedents.items():
            found[..., outcome, list(antecedents)] = regress(between, outcome, antecedents)
    return found


def _within_inverses(blueprint: Blueprint, correlation: Array) -> list[tuple[int, list[int], Array]]:
    """For every block of mode B its row, its columns, and the inverse of their correlations (b, k, k)."""
    found = []
    for row, block in enumerate(blueprint.blocks):
        if block.mode != "B" or block.single:
            continue
        columns = list(block.columns)
        within = correlation[..., columns, :][..., columns]
        good = positive_definite(within)
        safe = np.where(good[..., None, None], within, np.eye(len(columns)))
        found.append((row, columns, np.where(good[..., None, None], np.linalg.inv(safe), np.nan)))
    return found


def find_weights(blueprint: Blueprint, correlation: Array) -> Weights:
    """Weights from correlations (b, p, p) of the columns. A member whose largest change of a weight stays below 1e-9 has
    converged and is left as it is; one with an impossible value on the way has not."""
    b = correlation.shape[0]
    member = blueprint.member
    values = _unit(np.broadcast_to(member.astype(float), (b, *member.shape)), correlation)
    iterations, converged = np.zeros(b, dtype=np.intp), np.zeros(b, dtype=bool)
    active = np.flatnonzero(np.isfinite(values).all(axis=(1, 2)))
    for iteration in range(1, MOST_ITERATIONS + 1):
        if active.size == 0:
            break
        now, sample = values[active], correlation[active]
        along = now @ sample  # correlations of constructs with columns
        drawn = inner_weights(blueprint, along @ np.swapaxes(now, -1, -2)) @ along
        fresh = np.where(member, drawn, 0.0)
        for row, columns, inverse in _within_inverses(blueprint, sample):
            fresh[:, row, columns] = (inverse @ drawn[:, row, columns][..., None])[..., 0]
        fresh = _unit(fresh, sample)
        change = np.abs(fresh - now).max(axis=(1, 2))
        values[active], iterations[active] = fresh, iteration
        converged[active] = change < TOLERANCE
        active = active[np.isfinite(change) & (change >= TOLERANCE)]
    return Weights(oriented(values, correlation), iterations, converged)


def oriented(weights: Array, correlation: Array, like: Array | None = None) -> Array:
    """The weights with each construct turned so that the sum of its loadings is positive, or so that it runs with the
    weights of another sample (m, p), where those are given."""
    own = np.where(weights != 0, weights @ correlation, 0.0)
    agreement = own.sum(axis=-1) if like is None else (weights @ correlation * like).sum(axis=-1)
    result: Array = weights * np.where(agreement < 0, -1.0, 1.0)[..., None]
    return result
