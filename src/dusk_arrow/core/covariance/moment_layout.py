"""Which moments of the observed variables a model speaks of, and in which order they stand in a vector."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.compiled import Block
from dusk_arrow.core.covariance.implied import (
    Factors,
    derivative_factors,
    implied,
    implied_means,
    matrices,
    mean_derivatives,
    sum_slots,
)
from dusk_arrow.core.linear_algebra import Array

MomentKind = Literal["variance", "covariance", "mean"]


@dataclass(frozen=True)
class MomentLayout:
    """The moments of p variables: variances and covariances, the lower triangle row by row, then the means if any."""

    variables: int
    means: bool

    @cached_property
    def rows(self) -> NDArray[np.intp]:
        """The first variable of every variance and covariance."""
        return np.tril_indices(self.variables)[0]

    @cached_property
    def columns(self) -> NDArray[np.intp]:
        """The second variable of every variance and covariance."""
        return np.tril_indices(self.variables)[1]

    @property
    def second_order(self) -> int:
        """How many variances and covariances there are; they stand first."""
        return self.variables * (self.variables + 1) // 2

    @property
    def pairs(self) -> int:
        """How many covariances there are, each of two variables."""
        return self.variables * (self.variables - 1) // 2

    @property
    def size(self) -> int:
        """How many moments there are."""
        return self.second_order + (self.variables if self.means else 0)

    @cached_property
    def kinds(self) -> tuple[MomentKind, ...]:
        """What each moment is."""
        found: list[MomentKind] = [
            "variance" if i == j else "covariance" for i, j in zip(self.rows, self.columns, strict=True)
        ]
        if self.means:
            found += ["mean" for _ in range(self.variables)]
        return tuple(found)

    @cached_property
    def left_free(self) -> NDArray[np.bool_]:
        """The moments (k,) on which uncorrelated variables put no restriction."""
        return np.array([kind != "covariance" for kind in self.kinds])

    def vector(self, covariances: Array, means: Array | None) -> Array:
        """The moments (…, k) of covariances (…, p, p) and means (…, p)."""
        found: Array = covariances[..., self.rows, self.columns]
        if not self.means:
            return found
        assert means is not None
        return np.concatenate([found, means], axis=-1)

    def matrix(self, vector: Array) -> Array:
        """The symmetric matrix (…, p, p) whose lower triangle is in front of a vector (…, k)."""
        result = np.zeros((*vector.shape[:-1], self.variables, self.variables), dtype=vector.dtype)
        result[..., self.rows, self.columns] = vector[..., : self.second_order]
        result[..., self.columns, self.rows] = vector[..., : self.second_order]
        return result

    def covariance_of_moments(self, values: Array) -> Array:
        """Γ̂ (k, k): the covariance, with divisor n, of each case's products of deviations, and of the values themselves."""
        centred = values - values.mean(axis=0)
        cases = centred[:, self.rows] * centred[:, self.columns]
        if self.means:
            cases = np.concatenate([cases, centred], axis=1)
        cases = cases - cases.mean(axis=0)
        result: Array = cases.T @ cases / values.shape[0]
        return result


def layout_of(model: Block) -> MomentLayout:
    """The moments that a model speaks of."""
    return MomentLayout(len(model.table.observed), model.means)


def moment_vector(model: Block, theta: Array) -> Array:
    """σ(θ) (…, k)."""
    parts = matrices(model, theta)
    found = implied(parts)
    return layout_of(model).vector(found.covariance, implied_means(parts, found)[0] if model.means else None)


def jacobian(model: Block, theta: Array) -> Array:
    """Δ = ∂σ/∂θ (…, k, q)."""
    parts = matrices(model, theta)
    found = implied(parts)
    means = mean_derivatives(model, parts, found) if model.means else None
    return slopes_of(model, derivative_factors(model, parts, found), means)


def slopes_of(model: Block, factors: Factors, mean_slopes: Array | None) -> Array:
    """The same (…, k, q) from the derivatives of Σ and μ that are known already."""
    layout, (u, v) = layout_of(model), factors
    slopes = u[..., layout.rows, :] * v[..., layout.columns, :] + v[..., layout.rows, :] * u[..., layout.columns, :]
    if mean_slopes is not None:
        slopes = np.concatenate([slopes, mean_slopes], axis=-2)
    return sum_slots(model, slopes, model.slots)
