"""Maximum likelihood from the covariances of complete cases, without a mean structure."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.discrepancies.discrepancy import Blocks, Discrepancy, Index, weighted_blocks
from dusk_arrow.core.covariance.implied import (
    CompiledModel,
    derivative_factors,
    gradient_of,
    gradient_through,
    implied,
    information,
    matrices,
    matrix,
    quadratic_form,
    residual_variances,
    resolvent,
    second_derivatives,
    to_slots,
)
from dusk_arrow.core.linear_algebra import (
    Array,
    guarded_cholesky,
    inverse_and_log_determinant,
    inverse_from_cholesky,
    log_determinant,
)


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

    @cached_property
    def variances(self) -> Array:
        """The diagonals (b, p) of the samples."""
        return np.ascontiguousarray(np.diagonal(self.samples, axis1=-2, axis2=-1))

    def take(self, at: Index) -> NormalLikelihood:
        """Some of the samples."""
        return NormalLikelihood(self.samples[at], self.log_det[at])

    def evaluate(self, model: CompiledModel, theta: Array, at: Index) -> tuple[Array, Array]:
        """F and its gradient; through the constructs where residuals are uncorrelated, else through Σ⁻¹."""
        if not (model.uncorrelated and model.n_free):
            return self._evaluate(model, theta, at)
        whole = at.size == self.size
        own = self.variances if whole else self.variances[at]
        value, gradient, good = through_constructs(model, theta, self.samples if whole else self.samples[at], own)
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


def through_constructs(
    model: CompiledModel, theta: Array, sample: Array, own: Array
) -> tuple[Array, Array, NDArray[np.bool_]]:
    """F + ln|S| (b,) at θ (b, q), its gradient (b, q) and where they hold (b,), for uncorrelated residuals and samples S with
    the diagonals `own` (b, p).

    With L = Θ⁻¹Λ, K = ΛᵀL, C = GGᵀ and E = (C⁻¹ + K)⁻¹ = G(I + GᵀKG)⁻¹Gᵀ only matrices of the constructs' size are inverted
    (Woodbury 1950): Σ⁻¹ΛC = LE and Σ⁻¹Λ = L − LEK. It holds where Θ and C are positive definite.
    """
    loading, residual = matrix(model, "loading", theta), residual_variances(model, theta)
    inverse = resolvent(model, matrix(model, "effect", theta))
    root, nodes, good = guarded_cholesky(inverse @ matrix(model, "node", theta) @ np.swapaxes(inverse, -1, -2))
    share = own / residual
    good = good & ((share < 1e10) & (residual > 0)).all(axis=-1)
    if not good.all():
        residual = np.where(good[:, None], residual, 1.0)
        share = own / residual
    precision = 1 / residual
    scaled = loading * precision[..., None]
    turned = np.swapaxes(loading, -1, -2)
    inner = turned @ scaled
    at = np.arange(inner.shape[-1])
    outer = np.swapaxes(root, -1, -2) @ inner @ root
    outer[:, at, at] += 1.0
    swept, log_det = inverse_and_log_determinant(outer)
    left = root @ swept @ np.swapaxes(root, -1, -2)
    spread = scaled @ left
    crossed = sample @ scaled
    square = np.swapaxes(scaled, -1, -2) @ crossed
    value = np.log(residual).sum(axis=-1) + log_det + share.sum(axis=-1) - np.einsum("bpm,bpm->b", spread, crossed)
    value = value - sample.shape[-1]
    lowered = crossed * precision[..., None]
    rest = spread @ square
    rest += scaled
    rest -= lowered
    diagonal = (1 - share) * precision - np.einsum("bpm,bpm->bp", spread, rest - lowered)
    weighted = rest - (rest @ left) @ inner
    gradient = gradient_through(model, nodes, inverse, weighted, turned @ weighted, diagonal)
    return np.where(good, value, np.inf), gradient, good


def normal_likelihood(samples: Array) -> tuple[NormalLikelihood, NDArray[np.bool_]]:
    """The discrepancy of sample covariances (b, p, p), and which of them are positive definite."""
    factors, safe, good = guarded_cholesky(samples)
    return NormalLikelihood(safe, log_determinant(factors)), good
