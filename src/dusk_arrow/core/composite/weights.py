"""The iteration that finds the weights: partial least squares path modelling on correlations, batched.

Sources: Wold (1982); Lohmöller (1989). All blocks are updated at once; every construct has variance 1 throughout.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.composite.blueprint import Blueprint
from dusk_arrow.core.linear_algebra import SMALL, Array, positive_definite, slices, some, swept

TOLERANCE, NEARBY = 1e-9, 2e-8  # of a sample, and of what starts at the weights of one nearby
MOST_ITERATIONS = 2000
FASTEST = 0.95  # the largest rate by which iterations are hastened: what runs away from an end is never drawn there
ALIKE = 1e-6  # of their product: the changes of two iterations that point the same way are one
AT_REST = 100.0  # times the tolerance: an iteration that moves weights by more has not ended, wherever it points to
DEPENDENT = 1e-10  # the smallest eigenvalue by the largest: below it antecedents are each other's sums
SPARE = 0.3  # of a batch that may have converged before it is worth to part from them


class Weights(NamedTuple):
    """Weights of standardized columns (b, m, p), zero outside a block; iterations (b,), and which converged (b,)."""

    values: Array
    iterations: NDArray[np.intp]
    converged: NDArray[np.bool_]


def _coefficients(block: Array, cross: Array) -> Array:
    """Coefficients (…, k) of the regression on variables that correlate like `block` (…, k, k) with each other and like `cross`
    (…, k) with the outcome."""
    k = block.shape[-1]
    if k == 1:
        with np.errstate(invalid="ignore", divide="ignore"):
            alone: Array = np.where(block[..., 0] > 0, cross / block[..., 0], np.nan)
        return alone
    if block.ndim == 3 and block.shape[0] > SMALL >= k:
        inverse, pivots = swept(block)
        sound: NDArray[np.bool_] = np.asarray((pivots > 1e-14).all(axis=0))
        many: Array = np.einsum("bkl,bl->bk", inverse, cross)
        return np.where(sound[:, None], many, np.nan)
    good = positive_definite(block)
    safe = np.where(good[..., None, None], block, np.eye(k))
    found = np.linalg.solve(safe, cross[..., None])[..., 0]
    result: Array = np.where(good[..., None], found, np.nan)
    return result


def regress(correlation: Array, outcome: int, antecedents: tuple[int, ...]) -> Array:
    """Coefficients (…, k) of one variable on others, from their correlations (…, m, m); nan where those are dependent.
    Corrected correlations need not be those of anything (positive definite): the equations have their solution all the same."""
    rows = np.array(antecedents)
    block, cross = correlation[..., rows[:, None], rows], correlation[..., rows, outcome]
    found = _coefficients(block, cross)
    left = np.isnan(found).any(axis=-1) & np.isfinite(block).all(axis=(-2, -1)) & np.isfinite(cross).all(axis=-1)
    if left.any():
        sizes = np.abs(np.linalg.eigvalsh(block[left]))
        solved = np.full((int(left.sum()), rows.size), np.nan)
        sound = sizes.min(axis=-1) > DEPENDENT * sizes.max(axis=-1)
        solved[sound] = np.linalg.solve(block[left][sound], cross[left][sound][..., None])[..., 0]
        found[left] = solved
    return found


def inner_weights(blueprint: Blueprint, between: Array) -> Array:
    """How much the constructs draw on their neighbours, link by link (k, b), from the correlations (l, b) of all pairs of `neighbours`:
    centroid takes the sign, factorial the correlation, path the regression on antecedents and the correlation with outcomes."""
    near = blueprint.neighbours
    found = between[near.linked].copy()
    if blueprint.scheme == "centroid" and not blueprint.saturated:
        return np.sign(found)
    if blueprint.scheme == "path" and not blueprint.saturated:
        for own, among in near.regressions:
            block, cross = np.moveaxis(between[among], -1, 0), found[own].T
            found[own] = _coefficients(block, cross).T
    return found


def _within_inverses(blueprint: Blueprint, pieces: Array) -> list[tuple[int, Array]]:
    """For every block of mode B its row, and the inverse of its columns' correlations (k, k, b)."""
    found = []
    for row, block in enumerate(blueprint.blocks):
        if block.mode != "B" or block.single:
            continue
        k = len(block.columns)
        within = np.moveaxis(pieces[row, :k, :k], -1, 0)
        good = positive_definite(within)
        safe = np.where(good[:, None, None], within, np.eye(k))
        inverse = np.where(good[:, None, None], np.linalg.inv(safe), np.nan)
        found.append((row, np.ascontiguousarray(np.moveaxis(inverse, 0, -1))))
    return found


class Step(NamedTuple):
    """By how much what an iteration made and how far that was from what it was made of changed from one iteration to the next, each
    (m, k, b), and the square of the latter (b,)."""

    moved: Array
    bent: Array
    square: Array


def _product(one: Array, other: Array) -> Array:
    """The sum of products (b,) of numbers (m, k, b)."""
    result: Array = np.einsum("mkb,mkb->b", one, other)
    return result


def hastened(made: Array, apart: Array, steps: Sequence[Step]) -> Array:
    """Where iterations point to (m, k, b): what the last one made, how far that is from what it was made of, and up to two `steps` to
    it, the last one first. As far on as would be right if further iterations lessened the distance as these did (Anderson 1965),
    where they did lessen it: where the rates that they imply are less than 1."""
    if not steps:
        return made
    last = steps[0]
    along = _product(last.bent, apart)
    on = along / last.square
    on = np.where(np.abs(on) < FASTEST * np.abs(1 - on), on, 0.0)
    if len(steps) == 1:
        return np.asarray(made - on * last.moved)
    before = steps[1]
    mixed, along_before = _product(last.bent, before.bent), _product(before.bent, apart)
    product = last.square * before.square
    whole = product - mixed * mixed
    later = (along * before.square - along_before * mixed) / whole
    earlier = (along_before * last.square - along * mixed) / whole
    left = FASTEST * (1 - later)  # the rates are the roots of (1 − later)·z² + (later − earlier)·z + earlier
    both = (np.abs(earlier) < left) & (np.abs(later - earlier) < left + earlier) & (whole > ALIKE * product)
    found = np.where(both, later, on) * last.moved
    np.subtract(made, found, out=found)
    found -= np.where(both, earlier, 0.0) * before.moved
    return found


class Hastening:
    """The iterations so far, as far as they tell where further ones would lead: what the `last` one made and how far that was from what
    it was made of, each (m, k, b), and the `steps` to it, the last one first."""

    def __init__(self) -> None:
        self.last: tuple[Array, Array] | None = None
        self.steps: list[Step] = []

    def on(self, made: Array, apart: Array) -> Array:
        """The weights to go on with."""
        if self.last is not None:
            moved, bent = made - self.last[0], apart - self.last[1]
            self.steps = [Step(moved, bent, _product(bent, bent)), *self.steps[:1]]
        self.last = made, apart
        return hastened(made, apart, self.steps)

    def take(self, at: NDArray[np.intp]) -> None:
        """Parts from all other members."""
        if self.last is not None:
            made, apart = self.last
            self.last = some(made, at), some(apart, at)
        self.steps = [Step(*(some(part, at) for part in step)) for step in self.steps]


class _Sample:
    """Correlations (b, p, p) cut into the pieces that iterations need, a batch's members last: (l, k, k, b)."""

    def __init__(self, blueprint: Blueprint, correlation: Array) -> None:
        self.blueprint, self.near = blueprint, blueprint.neighbours
        near = self.near
        rows, columns = near.places[near.into], near.places[near.out_of]
        self.pieces = np.ascontiguousarray(np.moveaxis(correlation[:, rows[:, :, None], columns[:, None]], 0, -1))
        if not near.filled.all():
            self.pieces *= (near.filled[near.into][:, :, None] & near.filled[near.out_of][:, None])[..., None]
        self.within = _within_inverses(blueprint, self.pieces)

    def take(self, at: NDArray[np.intp]) -> None:
        """Parts from all other members."""
        self.pieces = some(self.pieces, at)
        self.within = [(row, some(inverse, at)) for row, inverse in self.within]

    def along(self, weights: Array) -> Array:
        """Covariances (l, k, b) of the columns of one block of every pair with the scores of the other."""
        result: Array = np.einsum("ljkb,lkb->ljb", self.pieces, weights[self.near.out_of])
        return result

    def along_own(self, weights: Array) -> Array:
        """Covariances (m, k, b) of the columns with the scores of their own block."""
        result: Array = np.einsum("ljkb,lkb->ljb", self.pieces[: len(weights)], weights)
        return result

    def unit(self, weights: Array) -> Array:
        """The weights of scores with variance 1, nan where they have none."""
        result: Array = weights / _deviations((self.along_own(weights) * weights).sum(axis=1))[:, None]
        return result

    def drawn(self, weights: Array) -> Array:
        """What an iteration makes of weights (m, k, b), in a length that says nothing."""
        near, m = self.near, len(weights)
        along = self.along(weights)
        moments = np.einsum("ljb,ljb->lb", along, weights[near.into])
        scale = 1 / np.sqrt(moments[:m])
        moments *= scale[near.into]
        moments *= scale[near.out_of]
        parts = along[near.linked]
        parts *= (inner_weights(self.blueprint, moments) * scale[near.out_of[near.linked]])[:, None]
        made = (near.heads @ parts.reshape(len(parts), -1)).reshape(weights.shape)
        for row, inverse in self.within:
            made[row, : len(inverse)] = np.einsum("jkb,kb->jb", inverse, made[row, : len(inverse)])
        return made


def _deviations(variance: Array) -> Array:
    """Standard deviations, nan where a variance is not positive."""
    result: Array = np.sqrt(np.where(variance > 0, variance, np.nan))
    return result


def _iterate(blueprint: Blueprint, correlation: Array, start: Array | None) -> tuple[Array, Array, Array]:
    """Weights (m, k, b) of all places, turned so that loadings have a positive sum, the iterations, and which converged."""
    near, b = blueprint.neighbours, correlation.shape[0]
    sample = _Sample(blueprint, correlation)
    begin = near.filled.astype(float) if start is None else near.filled * np.take_along_axis(start, near.places, axis=1)
    values = sample.unit(np.repeat(begin[..., None], b, axis=-1))
    iterations, converged = np.zeros(b, dtype=np.intp), np.zeros(b, dtype=bool)
    active = np.flatnonzero(np.isfinite(values).all(axis=(0, 1)))
    weights, whole = values, sample.pieces
    if active.size < b:
        sample.take(active)
        weights = some(values, active)
    tolerance = TOLERANCE if start is None else NEARBY
    done = np.zeros(active.size, dtype=bool)
    hastening = None if start is None else Hastening()
    for iteration in range(1, MOST_ITERATIONS + 1):
        if active.size == 0:
            break
        made = sample.drawn(weights)
        made = sample.unit(made) if hastening is None else made / np.sqrt(_product(made, made))
        apart = made - weights
        found = made if hastening is None else hastening.on(made, apart)
        change = np.abs(found - weights).max(axis=(0, 1))
        ended = np.flatnonzero(~(done | ((change >= tolerance) & (iteration < MOST_ITERATIONS))))
        if ended.size:
            at, still = active[ended], np.abs(apart[..., ended]).max(axis=(0, 1)) < AT_REST * tolerance
            values[..., at], iterations[at] = found[..., ended], iteration
            converged[at] = (change[ended] < tolerance) & still
            done[ended] = True
        weights = found
        if np.count_nonzero(done) > SPARE * done.size:
            going = np.flatnonzero(~done)
            active, done, weights = active[going], done[going], some(weights, going)
            sample.take(going)
            if hastening is not None:
                hastening.take(going)
    sample.pieces = whole
    along = sample.along_own(values)
    sd = _deviations((along * values).sum(axis=1))
    turn = np.where(along.sum(axis=1) < 0, -1.0, 1.0) / sd
    return values * turn[:, None], iterations, converged


def find_weights(blueprint: Blueprint, correlation: Array, start: Array | None = None) -> Weights:
    """Weights from correlations (b, p, p) of the columns, from equal ones or those (m, p) of a sample nearby at the `start`, each
    construct turned so that the sum of its loadings is positive. A member whose largest change of a weight stays below 1e-9 has
    converged and is left as it is; one with an impossible value on the way has not. From a start nearby iterations are hastened,
    on weights whose length is 1, and 2e-8 is enough: where they point to is nearer than what they made."""
    near, b = blueprint.neighbours, correlation.shape[0]
    rows, places = np.nonzero(near.filled)
    found = np.zeros((b, *blueprint.member.shape))
    iterations, converged = np.zeros(b, dtype=np.intp), np.zeros(b, dtype=bool)
    for begin, end in slices(b, near.into.size * near.places.shape[1] ** 2):
        part = slice(begin, end)
        with np.errstate(invalid="ignore", divide="ignore"):  # impossible values are told from their weights
            values, iterations[part], converged[part] = _iterate(blueprint, correlation[part], start)
        found[part, rows, near.places[rows, places]] = values[near.filled].T
    return Weights(found, iterations, converged)


def oriented(weights: Array, correlation: Array, like: Array) -> Array:
    """The weights with each construct turned so that it runs with the weights of another sample (m, p)."""
    agreement = (weights @ correlation * like).sum(axis=-1)
    result: Array = weights * np.where(agreement < 0, -1.0, 1.0)[..., None]
    return result
