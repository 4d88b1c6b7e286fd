"""The iteration that finds the weights: partial least squares path modelling on correlations, batched.

Sources: Wold (1982); Lohmöller (1989). All blocks are updated at once; every construct has variance 1 throughout.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.composite.blueprint import Blueprint
from dusk_arrow.core.linear_algebra import SMALL, Array, positive_definite, swept

TOLERANCE, NEARBY = 1e-9, 1e-8  # of a sample, and of what starts at the weights of one nearby
MOST_ITERATIONS = 2000
SPARE = 0.15  # of a batch that may have converged before it is worth to part from them


class Weights(NamedTuple):
    """Weights of standardized columns (b, m, p), zero outside a block; iterations (b,), and which converged (b,)."""

    values: Array
    iterations: NDArray[np.intp]
    converged: NDArray[np.bool_]


def _unit(weights: Array, along: Array) -> tuple[Array, Array]:
    """The weights scaled so that every construct has variance 1, and their products `along` with the correlations alike; nan where
    it has none."""
    variance = np.einsum("bmp,bmp->bm", along, weights)
    with np.errstate(invalid="ignore", divide="ignore"):
        scale = 1.0 / np.sqrt(np.where(variance > 0, variance, np.nan))
    return weights * scale[..., None], along * scale[..., None]


def regress(correlation: Array, outcome: int, antecedents: tuple[int, ...]) -> Array:
    """Coefficients (…, k) of one variable on others, from their correlations (…, m, m); nan where those are dependent."""
    rows = list(antecedents)
    if len(rows) == 1:
        own = correlation[..., rows[0], rows[0]]
        with np.errstate(invalid="ignore", divide="ignore"):
            alone: Array = np.where(own > 0, correlation[..., rows[0], outcome] / own, np.nan)
        return alone[..., None]
    if correlation.ndim == 3 and correlation.shape[0] > SMALL >= len(rows):
        inverse, pivots = swept(correlation[:, np.array(rows)[:, None], rows])
        sound: NDArray[np.bool_] = np.asarray((pivots > 1e-14).all(axis=0))
        many: Array = np.einsum("bkl,bl->bk", inverse, correlation[:, rows, outcome])
        return np.where(sound[:, None], many, np.nan)
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
            if len(antecedents) > 1:  # on one alone it is the correlation
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


def find_weights(blueprint: Blueprint, correlation: Array, start: Array | None = None) -> Weights:
    """Weights from correlations (b, p, p) of the columns, from equal ones or those (m, p) of a sample nearby at the `start`. A member
    whose largest change of a weight stays below 1e-9 (1e-8 from a start nearby) has converged and is left as it is; one with an
    impossible value on the way has not."""
    b, member = correlation.shape[0], blueprint.member
    tolerance = TOLERANCE if start is None else NEARBY
    begin = np.broadcast_to(member.astype(float) if start is None else start, (b, *member.shape))
    values, along = _unit(begin, begin @ correlation)
    iterations, converged = np.zeros(b, dtype=np.intp), np.zeros(b, dtype=bool)
    active = np.flatnonzero(np.isfinite(values).all(axis=(1, 2)))
    now, along, sample = values[active], along[active], correlation[active]
    done = np.zeros(active.size, dtype=bool)
    for iteration in range(1, MOST_ITERATIONS + 1):
        if active.size == 0:
            break
        drawn = inner_weights(blueprint, along @ np.swapaxes(now, -1, -2)) @ along
        fresh = np.where(member, drawn, 0.0)
        for row, columns, inverse in _within_inverses(blueprint, sample):
            fresh[:, row, columns] = (inverse @ drawn[:, row, columns][..., None])[..., 0]
        fresh, along = _unit(fresh, fresh @ sample)
        change = np.abs(fresh - now).max(axis=(1, 2))
        going = active[~done]
        values[going], iterations[going] = fresh[~done], iteration
        converged[going] = change[~done] < tolerance
        done |= ~(np.isfinite(change) & (change >= tolerance))
        now = fresh
        if done.sum() > SPARE * done.size:
            at = np.flatnonzero(~done)
            active, now, along, sample, done = active[at], now[at], along[at], sample[at], done[at]
    return Weights(oriented(values, correlation), iterations, converged)


def oriented(weights: Array, correlation: Array, like: Array | None = None) -> Array:
    """The weights with each construct turned so that the sum of its loadings is positive, or so that it runs with the
    weights of another sample (m, p), where those are given."""
    own = np.where(weights != 0, weights @ correlation, 0.0)
    agreement = own.sum(axis=-1) if like is None else (weights @ correlation * like).sum(axis=-1)
    result: Array = weights * np.where(agreement < 0, -1.0, 1.0)[..., None]
    return result
