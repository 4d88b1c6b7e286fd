"""Coordinates in which every resample's discrepancy is curved nearly alike, so that one metric serves all of them.

Variances go by their standard deviation, and loadings, paths and covariances are counted in standard deviations of what they
join: what is left of a scale no longer moves the curvature of the rest, and that of the likelihood by σ changes less from one
minimum to the next than by σ² or log σ² (descents are a twentieth to a tenth shorter than by the logarithm). With r = σ/σ₀ of the
free variances, θₖ = xₖ Π rⱼ^(2wₖⱼ), and v = v₀ r² with r = 1 + (x/v₀ − 1)/2: at the start x is θ. At r = 0 F would rest whether or
not it has a minimum there: r stops short of it, where it still slopes.
Weights of what makes up a node without a disturbance are taken together with a path b that leads on from it, as in a regression:
x = w b/b₀.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.compiled import Block, CompiledModel
from dusk_arrow.core.linear_algebra import Array, times

LARGEST = 60.0  # logarithm of a unit: what steps too far is infinite all the same
LEAST = 5e-3  # of a standard deviation at the start, below which it is as if it stayed there


class Coordinates(NamedTuple):
    """Which of the free values are `variances` (v,), their `start` (v,), and the powers (v, q) of the variances in the unit of every
    free value; that of a variance is itself. `shares` (c,) are taken together with the paths `onward` (c,), whose values at the
    start are `onward_start` (c,)."""

    variances: NDArray[np.intp]
    start: Array
    powers: Array
    shares: NDArray[np.intp]
    onward: NDArray[np.intp]
    onward_start: Array

    def units(self, x: Array) -> Array:
        """The units (b, q) at coordinates (b, q), as ratios to those at the start."""
        ratio = x[:, self.variances]
        ratio /= 2.0 * self.start
        ratio += 0.5
        growth = 2.0 * np.log(np.maximum(ratio, LEAST))
        found: Array = np.exp(np.clip(times(growth, self.powers), -LARGEST, LARGEST))
        return found

    def theta(self, x: Array, units: Array) -> Array:
        """Free values θ (b, q) of coordinates (b, q) in their units."""
        found = x * units
        found[:, self.variances] = self.start * units[:, self.variances]
        if self.shares.size:
            found[:, self.shares] *= self._ratio(found)
        return found

    def _ratio(self, theta: Array) -> Array:
        path = theta[:, self.onward]
        ratio: Array = self.onward_start / np.where(np.abs(path) > 1e-100, path, 1e-100)
        return ratio

    def gradient(self, theta: Array, units: Array, gradient: Array) -> Array:
        """Derivatives by the coordinates (b, q) from those by θ."""
        if self.shares.size:
            own, ratio = gradient[:, self.shares], self._ratio(theta)
            moved = own * theta[:, self.shares] * ratio / self.onward_start
            gradient, theta = gradient.copy(order="K"), theta.copy(order="K")
            gradient[:, self.shares] = own * ratio
            theta[:, self.shares] /= ratio
            for path in dict.fromkeys(self.onward.tolist()):
                gradient[:, path] -= moved[:, self.onward == path].sum(axis=1)
        found = gradient * units
        ratio = np.sqrt(units[:, self.variances])
        found[:, self.variances] = times(gradient * theta, self.powers.T) / (self.start * ratio)
        return found

    def slopes(self, theta: Array) -> Array:
        """∂θ/∂x (q, q) at the start, where x is θ (q,)."""
        found = np.eye(theta.size)
        found[:, self.variances] = theta[:, None] * self.powers.T / self.start
        found[self.shares] -= (theta[self.shares] / self.onward_start)[:, None] * found[self.onward]
        return found


def coordinates_at(model: CompiledModel, theta: Array) -> Coordinates:
    """The coordinates of a model around its solution θ (q,). Variances that are not positive there stay as they are, and so does what
    several equal parameters share."""
    shared = np.bincount(np.concatenate([block.slots for block in model.blocks]), minlength=model.n_free) > 1
    known = [_variances(block, theta) for block in model.blocks]
    variances = np.array(sorted({slot for own in known for of in own for slot in of.values()}), dtype=np.intp)
    at = {slot: i for i, slot in enumerate(variances.tolist())}
    powers = np.zeros((model.n_free, variances.size))
    for block, (node_of, residual_of) in zip(model.blocks, known, strict=True):
        _add_powers(block, node_of, residual_of, shared, at, powers)
    powers[variances, np.arange(variances.size)] = 1.0
    pairs = [_shares(block, theta, shared) for block in model.blocks]
    shares, onward = (np.concatenate(own) for own in zip(*pairs, strict=True))
    return Coordinates(variances, theta[variances], np.ascontiguousarray(powers.T), shares, onward, theta[onward])


Slots = dict[int, int]


def _variances(block: Block, theta: Array) -> tuple[Slots, Slots]:
    """The slots of the free variances that are positive, by their rows: of nodes, and of residuals."""
    node_of: Slots = {}
    residual_of: Slots = {}
    for p in block.table.parameters:
        if p.index is not None and p.row == p.column and theta[p.index] > 0:
            if p.matrix == "node":
                node_of[p.row] = p.index
            elif p.matrix == "residual":
                residual_of[p.row] = p.index
    return node_of, residual_of


def _add_powers(
    block: Block, node_of: Slots, residual_of: Slots, shared: NDArray[np.bool_], at: Slots, powers: Array
) -> None:
    """Writes a block's powers (q, v) of the variances in the units of its free values."""
    for p in block.table.parameters:
        if p.index is None or p.index in at or shared[p.index]:
            continue
        units: list[tuple[int | None, float]] = []
        if p.matrix == "loading":
            units = [(node_of.get(p.column), -0.5)]
        elif p.matrix == "effect":
            units = [(node_of.get(p.row), 0.5), (node_of.get(p.column), -0.5)]
        elif p.matrix in ("node", "residual"):
            known = node_of if p.matrix == "node" else residual_of
            units = [(known.get(p.row), 0.5), (known.get(p.column), 0.5)]
        for slot, power in units:
            if slot is not None:
                powers[p.index, at[slot]] += power


def _shares(block: Block, theta: Array, shared: NDArray[np.bool_]) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """The free weights of nodes without a disturbance, and for each the free path onward that says most."""
    table = block.table
    effects = [p for p in table.parameters if p.matrix == "effect"]
    disturbed = {p.row for p in table.parameters if p.matrix == "node" and p.row == p.column and p.value != 0.0}
    shares, onward = [], []
    for node in {p.row for p in effects} - disturbed:
        ways = [p.index for p in effects if p.column == node and p.index is not None and not shared[p.index]]
        if not ways:
            continue
        strongest = max(ways, key=lambda slot: abs(theta[slot]))
        own = [p.index for p in effects if p.row == node and p.index is not None and not shared[p.index]]
        if abs(theta[strongest]) > 1e-6:
            shares += own
            onward += [strongest] * len(own)
    return np.array(shares, dtype=np.intp), np.array(onward, dtype=np.intp)
