"""Coordinates in which every resample's discrepancy is curved nearly alike, so that one metric serves all of them.

Variances go by their logarithm, and loadings, paths and covariances are counted in standard deviations of what they join: the
curvature of a Gaussian likelihood by log σ² is the same at every minimum, and what is left of a scale no longer moves the
curvature of the rest. With z = ln(v/v₀) of the free variances, θₖ = xₖ exp(wₖᵀz), and v = v₀ exp(x/v₀ − 1): at the start x is θ.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.implied import CompiledModel
from dusk_arrow.core.linear_algebra import Array

LARGEST = 60.0  # logarithm of a unit: what steps too far is infinite all the same


class Coordinates(NamedTuple):
    """Which of the free values are `variances` (v,), their `start` (v,), and the powers (v, q) of the variances in the unit of every
    free value; that of a variance is itself."""

    variances: NDArray[np.intp]
    start: Array
    powers: Array

    def units(self, x: Array) -> Array:
        """The units (b, q) at coordinates (b, q), as ratios to those at the start."""
        growth = x[:, self.variances]
        growth /= self.start
        growth -= 1.0
        found: Array = np.exp(np.clip(growth @ self.powers, -LARGEST, LARGEST))
        return found

    def theta(self, x: Array, units: Array) -> Array:
        """Free values θ (b, q) of coordinates (b, q) in their units."""
        found = x * units
        found[:, self.variances] = self.start * units[:, self.variances]
        return found

    def gradient(self, theta: Array, units: Array, gradient: Array) -> Array:
        """Derivatives by the coordinates (b, q) from those by θ."""
        found = gradient * units
        found[:, self.variances] = ((gradient * theta) @ self.powers.T) / self.start
        return found

    def slopes(self, theta: Array) -> Array:
        """∂θ/∂x (q, q) at the start, where x is θ (q,)."""
        found = np.eye(theta.size)
        found[:, self.variances] = theta[:, None] * self.powers.T / self.start
        return found


def coordinates_at(model: CompiledModel, theta: Array) -> Coordinates:
    """The coordinates of a model around its solution θ (q,). Variances that are not positive there stay as they are, and so does what
    several equal parameters share."""
    table = model.table
    shared = np.bincount(model.slots, minlength=model.n_free) > 1
    node_of: dict[int, int] = {}
    residual_of: dict[int, int] = {}
    for p in table.parameters:
        if p.index is not None and p.row == p.column and theta[p.index] > 0:
            if p.matrix == "node":
                node_of[p.row] = p.index
            elif p.matrix == "residual":
                residual_of[p.row] = p.index
    variances = np.array(sorted({*node_of.values(), *residual_of.values()}), dtype=np.intp)
    at = {slot: i for i, slot in enumerate(variances.tolist())}
    powers = np.zeros((model.n_free, variances.size))
    for p in table.parameters:
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
    powers[variances, np.arange(variances.size)] = 1.0
    return Coordinates(variances, theta[variances], np.ascontiguousarray(powers.T))
