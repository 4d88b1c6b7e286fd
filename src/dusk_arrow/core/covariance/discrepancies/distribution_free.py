"""Squares of the residuals of moments weighted by the moments' own covariances (ADF)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dusk_arrow.core.covariance.compiled import Block
from dusk_arrow.core.covariance.discrepancies.discrepancy import Discrepancy, Extension, Index
from dusk_arrow.core.covariance.implied import gradient_of, implied, matrices, second_derivatives
from dusk_arrow.core.covariance.moment_layout import jacobian, layout_of, moment_vector
from dusk_arrow.core.linear_algebra import Array


@dataclass(frozen=True)
class DistributionFree(Discrepancy):
    """F = (s−σ)ᵀΓ⁻¹(s−σ) over the lower triangle, then the means if any (Browne 1984).

    `moments` (b, k) and `weights` (b, k, k) with k = p(p+1)/2, p more with means.
    """

    moments: Array
    weights: Array

    @property
    def size(self) -> int:
        """The number of samples."""
        return int(self.moments.shape[0])

    def take(self, at: Index) -> DistributionFree:
        """Some of the samples."""
        return DistributionFree(self.moments[at], self.weights[at])

    def _gradient_parts(self, model: Block, theta: Array, at: Index) -> tuple[Array, Array, Array | None]:
        layout = layout_of(model)
        rows, columns, p = layout.rows, layout.columns, layout.variables
        gap = self.moments[at] - moment_vector(model, theta)
        scaled = (self.weights[at] @ gap[..., None])[..., 0]
        omega = np.zeros((*gap.shape[:-1], p, p))
        omega[..., rows, columns] -= scaled[..., : rows.size]
        omega[..., columns, rows] -= scaled[..., : rows.size]
        shift = -2 * scaled[..., rows.size :] if model.means else None
        return (gap * scaled).sum(axis=-1), omega, shift

    def evaluate(self, model: Block, theta: Array, at: Index) -> tuple[Array, Array]:
        """F and its gradient."""
        parts = matrices(model, theta)
        value, omega, shift = self._gradient_parts(model, theta, at)
        return value, gradient_of(model, parts, implied(parts), omega, shift)

    def curvature(self, model: Block, theta: Array, at: Index) -> Array:
        """Expected second derivatives: residuals of zero."""
        slopes = jacobian(model, theta)
        result: Array = 2.0 * np.swapaxes(slopes, -1, -2) @ self.weights[at] @ slopes
        return result

    def exact(self, model: Block, theta: Array, at: int) -> Array:
        """Second derivatives."""
        only = np.array([at])
        _, omega, shift = self._gradient_parts(model, theta[None], only)
        bend = second_derivatives(model, theta, omega[0], None if shift is None else shift[0])
        result: Array = self.curvature(model, theta[None], only)[0] + bend
        return result

    def extension(self, extended: Block, base: Block, theta: Array) -> Extension:
        """Expected."""
        q = base.n_free
        full = self.score_curvature(extended, theta)
        further = np.unique(extended.slots[extended.slots >= q])
        return Extension(full[:q, :q], full[:q, further], np.diag(full)[further])
