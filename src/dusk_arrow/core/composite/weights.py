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
BACK, AHEAD = -0.5, 8.0  # how far an iteration may be hastened: what runs away from its end is never drawn there
SPARE = 0.15  # of a batch that may have converged before it is worth to part from them


class Weights(NamedTuple):
    """Weights of standardized columns (b, m, p), zero outside a block; iterations (b,), and which converged (b,)."""

    values: Array
    iterations: NDArray[np.intp]
    converged: NDArray[np.bool_]


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


def _within_inverses(blueprint: Blueprint, correlation: Array) -> list[tuple[slice, Array]]:
    """For every block of mode B its places among the memberships, and the inverse of their correlations (b, k, k)."""
    found = []
    rows, columns = blueprint.memberships
    for row, block in enumerate(blueprint.blocks):
        if block.mode != "B" or block.single:
            continue
        own = slice(*np.searchsorted(rows, (row, row + 1)).tolist())
        within = correlation[:, columns[own, None], columns[own]]
        good = positive_definite(within)
        safe = np.where(good[..., None, None], within, np.eye(len(block.columns)))
        found.append((own, np.where(good[..., None, None], np.linalg.inv(safe), np.nan)))
    return found


class _Scores:
    """Scores of weights (b, k) in the order of the memberships, which need not give variance 1: their covariances with the columns
    (b, m, p), their standard deviations (b, m), nan where there is none, and which way they run (b, m)."""

    def __init__(self, blueprint: Blueprint, weights: Array, correlation: Array) -> None:
        rows, columns = blueprint.memberships
        self.spread = np.zeros((weights.shape[0], *blueprint.member.shape))
        self.spread[:, rows, columns] = weights
        self.along = self.spread @ correlation
        own = self.along[:, rows, columns]
        variance = np.add.reduceat(own * weights, blueprint.begins, axis=1)
        with np.errstate(invalid="ignore"):
            self.sd = np.sqrt(np.where(variance > 0, variance, np.nan))
        self.unit = weights / self.sd[:, rows]
        self.runs = np.add.reduceat(own, blueprint.begins, axis=1)

    def members(self, rows: NDArray[np.intp]) -> None:
        """Parts from all others of the batch."""
        for name, value in vars(self).items():
            setattr(self, name, value[rows])

    def drawn(self, blueprint: Blueprint) -> Array:
        """What each construct draws from its neighbours at its own columns (b, k)."""
        rows, columns = blueprint.memberships
        between = (self.along @ np.swapaxes(self.spread, -1, -2)) / (self.sd[:, :, None] * self.sd[:, None, :])
        result: Array = ((inner_weights(blueprint, between) / self.sd[:, None, :]) @ self.along)[:, rows, columns]
        return result


def hastened(made: Array, apart: Array, before: tuple[Array, Array] | None) -> Array:
    """Where two iterations point to (b, k): what they made and how far that is from what they were made of. As far on as would be
    right if every further iteration lessened the distance as the last did (Anderson 1965, of depth 1), where it did lessen it."""
    if before is None:
        return made
    bent = apart - before[1]
    with np.errstate(invalid="ignore", divide="ignore"):
        on = -np.vecdot(apart, bent) / np.vecdot(bent, bent)
    on = np.where((on > BACK) & (on < AHEAD), on, 0.0)
    return np.asarray(made + on[:, None] * (made - before[0]))


def find_weights(blueprint: Blueprint, correlation: Array, start: Array | None = None) -> Weights:
    """Weights from correlations (b, p, p) of the columns, from equal ones or those (m, p) of a sample nearby at the `start`, each
    construct turned so that the sum of its loadings is positive. A member whose largest change of a weight stays below 1e-9 has
    converged and is left as it is; one with an impossible value on the way has not. From a start nearby iterations are hastened,
    on weights whose length is 1, and 1e-8 is enough."""
    b, (rows, columns) = correlation.shape[0], blueprint.memberships
    tolerance = TOLERANCE if start is None else NEARBY
    begin = np.ones(rows.size) if start is None else start[rows, columns]
    now = _Scores(blueprint, np.broadcast_to(begin, (b, rows.size)), correlation)
    values = now.unit.copy()
    iterations, converged = np.zeros(b, dtype=np.intp), np.zeros(b, dtype=bool)
    active = np.flatnonzero(np.isfinite(values).all(axis=1))
    now.members(active)
    sample, weights = (correlation, now.unit) if active.size == b else (correlation[active], now.unit)
    within = _within_inverses(blueprint, sample)
    done = np.zeros(active.size, dtype=bool)
    before: tuple[Array, Array] | None = None
    for iteration in range(1, MOST_ITERATIONS + 1):
        if active.size == 0:
            break
        made = now.drawn(blueprint)
        for own, inverse in within:
            made[:, own] = (inverse @ made[:, own, None])[..., 0]
        if start is None:
            now = _Scores(blueprint, made, sample)
            made = now.unit
        else:
            made /= np.sqrt(np.vecdot(made, made))[:, None]
        apart = made - weights
        change = np.abs(apart).max(axis=1)
        ended = ~done & ~((change >= tolerance) & (iteration < MOST_ITERATIONS))
        at = active[ended]
        values[at], iterations[at], converged[at] = made[ended], iteration, change[ended] < tolerance
        done |= ended
        weights = made if start is None else hastened(made, apart, before)
        before = made, apart
        if done.sum() > SPARE * done.size:
            going = np.flatnonzero(~done)
            active, sample, done, weights = active[going], sample[going], done[going], weights[going]
            before = made[going], apart[going]
            within = [(own, inverse[going]) for own, inverse in within]
            now.members(going)
        if start is not None:
            now = _Scores(blueprint, weights, sample)
    whole = _Scores(blueprint, values, correlation)
    whole.spread[:, rows, columns] = whole.unit * np.where(whole.runs < 0, -1.0, 1.0)[:, rows]
    return Weights(whole.spread, iterations, converged)


def oriented(weights: Array, correlation: Array, like: Array) -> Array:
    """The weights with each construct turned so that it runs with the weights of another sample (m, p)."""
    agreement = (weights @ correlation * like).sum(axis=-1)
    result: Array = weights * np.where(agreement < 0, -1.0, 1.0)[..., None]
    return result
