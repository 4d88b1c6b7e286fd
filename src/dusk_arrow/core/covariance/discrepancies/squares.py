"""Weighted squares of the residuals of covariances and means: by a weight on the variables (GLS, ULS)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dusk_arrow.core.covariance.compiled import Block
from dusk_arrow.core.covariance.discrepancies.discrepancy import Discrepancy, Extension, Index, weighted_extension
from dusk_arrow.core.covariance.implied import (
    gradient_of,
    implied,
    implied_means,
    information,
    matrices,
    second_derivatives,
)
from dusk_arrow.core.linear_algebra import Array


@dataclass(frozen=True)
class WeightedSquares(Discrepancy):
    """F = ½ tr[(W(S−Σ))²] + (m−μ)ᵀW(m−μ): GLS with W = S⁻¹ (Browne 1974), ULS with W = I.

    `samples` and `weights` (b, p, p), `means` (b, p) or None without a mean structure.
    """

    samples: Array
    weights: Array
    means: Array | None

    @property
    def size(self) -> int:
        """The number of samples."""
        return int(self.samples.shape[0])

    def take(self, at: Index) -> WeightedSquares:
        """Some of the samples."""
        return WeightedSquares(self.samples[at], self.weights[at], None if self.means is None else self.means[at])

    def _residuals(self, model: Block, theta: Array, at: Index) -> tuple[Array, Array, Array | None, Array]:
        parts = matrices(model, theta)
        found = implied(parts)
        weight = self.weights[at]
        product = weight @ (self.samples[at] - found.covariance)
        value = (product * np.swapaxes(product, -1, -2)).sum(axis=(-2, -1)) / 2
        shift = None
        if self.means is not None:
            gap = self.means[at] - implied_means(parts, found)[0]
            scaled = (weight @ gap[..., None])[..., 0]
            value = value + (gap * scaled).sum(axis=-1)
            shift = -2 * scaled
        omega = -product @ weight
        return value, omega, shift, gradient_of(model, parts, found, omega, shift)

    def evaluate(self, model: Block, theta: Array, at: Index) -> tuple[Array, Array]:
        """F and its gradient."""
        value, _, _, gradient = self._residuals(model, theta, at)
        return value, gradient

    def curvature(self, model: Block, theta: Array, at: Index) -> Array:
        """Expected second derivatives: residuals of zero."""
        return 2.0 * information(model, theta, self.weights[at])

    def exact(self, model: Block, theta: Array, at: int) -> Array:
        """Second derivatives."""
        only = np.array([at])
        _, omega, shift, _ = self._residuals(model, theta[None], only)
        bend = second_derivatives(model, theta, omega[0], None if shift is None else shift[0])
        result: Array = self.curvature(model, theta[None], only)[0] + bend
        return result

    def extension(self, extended: Block, base: Block, theta: Array) -> Extension:
        """Expected."""
        return weighted_extension(extended, theta, self.weights[0], base.n_free)
