"""Maximum likelihood from the covariances of complete cases, without a mean structure."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.discrepancies.discrepancy import Blocks, Discrepancy, Index, weighted_blocks
from dusk_arrow.core.covariance.implied import (
    CompiledModel,
    Matrices,
    derivative_factors,
    gradient_of,
    gradient_through,
    implied,
    information,
    matrices,
    quadratic_form,
    second_derivatives,
    to_slots,
)
from dusk_arrow.core.linear_algebra import Array, guarded_cholesky, inverse_from_cholesky, log_determinant


@dataclass(frozen=True)
class NormalLikelihood(Discrepancy):
    """F = ln|Σ| + tr(SΣ⁻¹) − ln|S| − p for complete cases without a mean structure (Jöreskog 1967).

    `samples` (b, p, p) with log-determinants (b,).
    """

    samples: Array
    log_det: Array

    @property
    def size(self) -> int:
        """The number of samples."""
        return int(self.samples.shape[0])

    def take(self, at: Index) -> NormalLikelihood:
        """Some of the samples."""
        return NormalLikelihood(self.samples[at], self.log_det[at])

    def evaluate(self, model: CompiledModel, theta: Array, at: Index) -> tuple[Array, Array]:
        """F and its gradient; through the constructs where residuals are uncorrelated, else through Σ⁻¹."""
        if not (model.uncorrelated and model.n_free):
            return self._evaluate(model, theta, at)
        parts = matrices(model, theta)
        value, gradient, good = through_constructs(
            model, parts, self.samples if at.size == self.size else self.samples[at]
        )
        value -= self.log_det[at]
        if not good.all():
            value[~good], gradient[~good] = self._evaluate(model, theta[~good], at[~good])
        return value, gradient

    def _evaluate(self, model: CompiledModel, theta: Array, at: Index) -> tuple[Array, Array]:
        sample = self.samples[at]
        parts = matrices(model, theta)
        found = implied(parts)
        factors, covariance, good = guarded_cholesky(found.covariance)
        inverse = inverse_from_cholesky(factors, covariance)
        product = inverse @ sample
        value = log_determinant(factors) + (inverse * sample).sum(axis=(-2, -1)) - self.log_det[at]
        gradient = gradient_of(model, parts, found, inverse - product @ inverse)
        return np.where(good, value - sample.shape[-1], np.inf), gradient

    def curvature(self, model: CompiledModel, theta: Array, at: Index) -> Array:
        """Twice the expected information."""
        return 2.0 * information(model, theta)

    def exact(self, model: CompiledModel, theta: Array, at: int) -> Array:
        """Second derivatives."""
        parts = matrices(model, theta)
        found = implied(parts)
        u, v = derivative_factors(model, parts, found)
        inverse = np.linalg.inv(found.covariance)
        middle = inverse @ self.samples[at] @ inverse
        both = (u, v), (u, v)
        first = 4 * quadratic_form(*both, inverse, middle) - 2 * quadratic_form(*both, inverse)
        return to_slots(model, first) + second_derivatives(model, theta, inverse - middle, None)

    def blocks(self, extended: CompiledModel, base: CompiledModel, theta: Array) -> Blocks:
        """Expected."""
        return weighted_blocks(extended, theta, None, base.n_free)


def through_constructs(model: CompiledModel, parts: Matrices, sample: Array) -> tuple[Array, Array, NDArray[np.bool_]]:
    """F + ln|S| (b,), its gradient (b, q) and where they hold (b,), for uncorrelated residuals.

    With L = Θ⁻¹Λ and P = Σ⁻¹Λ = L(I + CΛᵀL)⁻¹ only matrices of the constructs' size are inverted (Woodbury 1950); it
    holds where Θ and C are positive definite.
    """
    p = sample.shape[-1]
    residual = np.diagonal(parts.residual, axis1=-2, axis2=-1)
    found = implied(parts, covariance=False)
    _factors, nodes, good = guarded_cholesky(found.nodes)
    good = good & (residual > 1e-10 * np.diagonal(sample, axis1=-2, axis2=-1)).all(axis=-1)
    residual = np.where(good[:, None], residual, 1.0)
    scaled = parts.loading / residual[..., None]
    turned = np.swapaxes(parts.loading, -1, -2)
    inner = np.eye(nodes.shape[-1]) + nodes @ (turned @ scaled)
    solved = np.linalg.inv(inner)
    _, log_det = np.linalg.slogdet(inner)
    reached = scaled @ solved
    spread = reached @ nodes
    crossed = sample @ scaled
    square = np.swapaxes(scaled, -1, -2) @ crossed
    own = np.diagonal(sample, axis1=-2, axis2=-1)
    value = np.log(residual).sum(axis=-1) + log_det + (own / residual).sum(axis=-1)
    value = value - (spread * crossed).sum(axis=(-2, -1)) - p
    lowered = crossed / residual[..., None]
    bent = spread @ square
    diagonal = (1 - own / residual) / residual - (spread * (scaled - 2 * lowered + bent)).sum(axis=-1)
    weighted = reached - (lowered - bent) @ solved
    gradient = gradient_through(model, parts, found, weighted, turned @ weighted, diagonal)
    return np.where(good, value, np.inf), gradient, good


def normal_likelihood(samples: Array) -> tuple[NormalLikelihood, NDArray[np.bool_]]:
    """The discrepancy of sample covariances (b, p, p), and which of them are positive definite."""
    factors, safe, good = guarded_cholesky(samples)
    return NormalLikelihood(safe, log_determinant(factors)), good
