"""The iteration that finds the weights: partial least squares path modelling on correlations, batched.

Sources: Wold (1982); Lohmöller (1989). All blocks are updated at once; every construct has variance 1 throughout.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.composite.blueprint import Blueprint, Neighbours
from dusk_arrow.core.linear_algebra import SMALL, Array, positive_definite, slices, swept

TOLERANCE, NEARBY = 1e-9, 1e-8  # of a sample, and of what starts at the weights of one nearby
MOST_ITERATIONS = 2000
FASTEST = 0.95  # the largest rate by which iterations are hastened: what runs away from an end is never drawn there
ALIKE = 1e-6  # of their product: the changes of two iterations that point the same way are one
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


def _within_inverses(near: Neighbours, blueprint: Blueprint, pieces: Array) -> list[tuple[slice, Array]]:
    """For every block of mode B its places among the weights, and the inverse of its columns' correlations (k, k, b)."""
    found, widest = [], near.places.shape[1]
    for row, block in enumerate(blueprint.blocks):
        if block.mode != "B" or block.single:
            continue
        k = len(block.columns)
        within = np.moveaxis(pieces[row, :k, :k], -1, 0)
        good = positive_definite(within)
        safe = np.where(good[:, None, None], within, np.eye(k))
        inverse = np.where(good[:, None, None], np.linalg.inv(safe), np.nan)
        found.append((slice(row * widest, row * widest + k), np.ascontiguousarray(np.moveaxis(inverse, 0, -1))))
    return found


def hastened(made: Array, apart: Array, before: Sequence[tuple[Array, Array]]) -> Array:
    """Where iterations point to (k, b): what the last one made and how far that is from what it was made of, and the same of up to two
    `before`, the later first. As far on as would be right if further iterations lessened the distance as these did (Anderson 1965),
    where they did lessen it: where the rates that they imply are less than 1."""
    if not before:
        return made
    bent = [apart - other for _, other in before]
    inner = [np.einsum("kb,kb->b", one, one) for one in bent]
    along = [np.einsum("kb,kb->b", one, apart) for one in bent]
    with np.errstate(invalid="ignore", divide="ignore"):
        on = along[0] / inner[0]
        rate = -on / (1 - on)
        first, second = np.where(np.abs(rate) < FASTEST, on, 0.0), np.zeros_like(on)
        if len(before) > 1:
            mixed = np.einsum("kb,kb->b", *bent)
            whole = inner[0] * inner[1] - mixed**2
            one = (along[0] * inner[1] - along[1] * mixed) / whole
            other = (along[1] * inner[0] - along[0] * mixed) / whole
            rest = 1 - one - other
            middle, last = one / rest, other / rest  # of a quadratic whose roots are the rates
            both = (np.abs(last) < FASTEST) & (np.abs(middle) < FASTEST + last) & (whole > ALIKE * inner[0] * inner[1])
            first, second = np.where(both, one, first), np.where(both, other, 0.0)
    found = made - first * (made - before[0][0])
    if len(before) > 1:
        found -= second * (made - before[1][0])
    return np.asarray(found)


class _Sample:
    """Correlations (b, p, p) cut into the pieces that iterations need, a batch's members last: (l, k, k, b)."""

    def __init__(self, blueprint: Blueprint, correlation: Array) -> None:
        self.blueprint, self.near = blueprint, blueprint.neighbours
        near = self.near
        rows, columns = near.places[near.into], near.places[near.out_of]
        self.pieces = np.ascontiguousarray(np.moveaxis(correlation[:, rows[:, :, None], columns[:, None]], 0, -1))
        if not near.filled.all():
            self.pieces *= (near.filled[near.into][:, :, None] & near.filled[near.out_of][:, None])[..., None]
        self.within = _within_inverses(near, blueprint, self.pieces)

    def take(self, at: NDArray[np.intp]) -> None:
        """Parts from all other members."""
        self.pieces = self.pieces[..., at]
        self.within = [(own, inverse[..., at]) for own, inverse in self.within]

    def along(self, weights: Array, count: int | None = None) -> Array:
        """Covariances (l, k, b) of the columns of one block of every pair (or of the first so many) with the scores of the other."""
        spread = weights.reshape(*self.near.places.shape, -1)
        result: Array = np.einsum("ljkb,lkb->ljb", self.pieces[:count], spread[self.near.out_of[:count]])
        return result

    def deviations(self, weights: Array, along: Array) -> Array:
        """Standard deviations (m, b) of the scores, nan where there is none."""
        own = weights.reshape(*self.near.places.shape, -1)
        variance = np.einsum("mjb,mjb->mb", along[: len(own)], own)
        with np.errstate(invalid="ignore"):
            result: Array = np.sqrt(np.where(variance > 0, variance, np.nan))
        return result

    def unit(self, weights: Array) -> Array:
        """The weights of scores with variance 1."""
        sd = self.deviations(weights, self.along(weights, len(self.near.places)))
        result: Array = weights / np.repeat(sd, self.near.places.shape[1], axis=0)
        return result

    def drawn(self, weights: Array) -> Array:
        """What an iteration makes of weights (k, b), in a length that says nothing."""
        near, m = self.near, len(self.near.places)
        along = self.along(weights)
        sd = self.deviations(weights, along)
        into, out_of = near.into[m:], near.out_of[m:]
        own = weights.reshape(*near.places.shape, -1)
        between = np.zeros((weights.shape[-1], m, m))
        between[:, np.arange(m), np.arange(m)] = 1.0
        scores = np.einsum("ljb,ljb->lb", along[m:], own[into])
        between[:, into, out_of] = (scores / (sd[into] * sd[out_of])).T
        links = near.links
        inner = inner_weights(self.blueprint, between)[:, into[:links], out_of[:links]].T / sd[out_of[:links]]
        made = np.zeros_like(own)
        made[near.heads] = np.add.reduceat(along[m : m + links] * inner[:, None], near.begins, axis=0)
        found = made.reshape(weights.shape)
        for rows, inverse in self.within:
            found[rows] = np.einsum("jkb,kb->jb", inverse, found[rows])
        return found


def _iterate(blueprint: Blueprint, correlation: Array, start: Array | None) -> tuple[Array, Array, Array]:
    """Weights (k, b) of all places, turned so that loadings have a positive sum, the iterations, and which converged."""
    near, b = blueprint.neighbours, correlation.shape[0]
    sample = _Sample(blueprint, correlation)
    begin = near.filled.astype(float) if start is None else near.filled * np.take_along_axis(start, near.places, axis=1)
    values = sample.unit(np.repeat(begin.reshape(-1, 1), b, axis=1))
    iterations, converged = np.zeros(b, dtype=np.intp), np.zeros(b, dtype=bool)
    active = np.flatnonzero(np.isfinite(values).all(axis=0))
    weights, whole = values, sample.pieces[: len(near.places)]
    if active.size < b:
        sample.take(active)
        weights = values[:, active]
    tolerance = TOLERANCE if start is None else NEARBY
    done = np.zeros(active.size, dtype=bool)
    before: list[tuple[Array, Array]] = []
    for iteration in range(1, MOST_ITERATIONS + 1):
        if active.size == 0:
            break
        made = sample.drawn(weights)
        made = sample.unit(made) if start is None else made / np.sqrt(np.einsum("kb,kb->b", made, made))
        apart = made - weights
        change = np.abs(apart).max(axis=0)
        ended = ~done & ~((change >= tolerance) & (iteration < MOST_ITERATIONS))
        at = active[ended]
        values[:, at], iterations[at], converged[at] = made[:, ended], iteration, change[ended] < tolerance
        done |= ended
        weights = made if start is None else hastened(made, apart, before)
        before = [(made, apart), *before][:2]
        if done.sum() > SPARE * done.size:
            going = np.flatnonzero(~done)
            active, done, weights = active[going], done[going], weights[:, going]
            before = [(one[:, going], other[:, going]) for one, other in before]
            sample.take(going)
    sample.pieces = whole
    along = sample.along(values, len(near.places))
    sd = sample.deviations(values, along)
    turn = np.where(along.sum(axis=1) < 0, -1.0, 1.0) / sd
    return values * np.repeat(turn, near.places.shape[1], axis=0), iterations, converged


def find_weights(blueprint: Blueprint, correlation: Array, start: Array | None = None) -> Weights:
    """Weights from correlations (b, p, p) of the columns, from equal ones or those (m, p) of a sample nearby at the `start`, each
    construct turned so that the sum of its loadings is positive. A member whose largest change of a weight stays below 1e-9 has
    converged and is left as it is; one with an impossible value on the way has not. From a start nearby iterations are hastened,
    on weights whose length is 1, and 1e-8 is enough."""
    near, b = blueprint.neighbours, correlation.shape[0]
    rows, places = np.nonzero(near.filled)
    found = np.zeros((b, *blueprint.member.shape))
    iterations, converged = np.zeros(b, dtype=np.intp), np.zeros(b, dtype=bool)
    for begin, end in slices(b, near.into.size * near.places.shape[1] ** 2):
        part = slice(begin, end)
        values, iterations[part], converged[part] = _iterate(blueprint, correlation[part], start)
        found[part, rows, near.places[rows, places]] = values[near.filled.ravel()].T
    return Weights(found, iterations, converged)


def oriented(weights: Array, correlation: Array, like: Array) -> Array:
    """The weights with each construct turned so that it runs with the weights of another sample (m, p)."""
    agreement = (weights @ correlation * like).sum(axis=-1)
    result: Array = weights * np.where(agreement < 0, -1.0, 1.0)[..., None]
    return result
