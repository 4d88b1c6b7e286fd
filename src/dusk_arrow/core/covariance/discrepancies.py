"""Discrepancies between sample and model: maximum likelihood (complete and incomplete cases), GLS, ULS and ADF.

Each is a value with a batch of samples in it and answers the same three questions: F with its gradient, its expected
curvature, and its exact second derivatives. N·F is a χ² for all but ULS.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.implied import (
    CompiledModel,
    Matrices,
    derivative_factors,
    gradient_of,
    gradient_through,
    implied,
    implied_means,
    information,
    matrices,
    mean_derivatives,
    quadratic_diagonal,
    quadratic_form,
    second_derivatives,
    sum_slots,
    to_slots,
)
from dusk_arrow.core.linear_algebra import Array, guarded_cholesky, inverse_from_cholesky, log_determinant
from dusk_arrow.core.observations.missing import PatternMoments, likelihood_terms, pattern_inverses

Index = NDArray[np.intp]
PATTERNS_AT_ONCE = 16


class Discrepancy(Protocol):
    """A batch of b samples and how far a model is from each; the values of θ are those of members `at` (k, q)."""

    @property
    def size(self) -> int:
        """The number of samples."""

    def evaluate(self, model: CompiledModel, theta: Array, at: Index) -> tuple[Array, Array]:
        """F (k,) and its gradient (k, q); F is infinite where Σ is not positive definite."""

    def curvature(self, model: CompiledModel, theta: Array, at: Index) -> Array:
        """Expected second derivatives (k, q, q) of F."""

    def exact(self, model: CompiledModel, theta: Array, at: int) -> Array:
        """Second derivatives (q, q) of F at θ (q,) for one sample."""

    def take(self, at: Index) -> Discrepancy:
        """Some of the samples."""


@dataclass(frozen=True)
class NormalLikelihood:
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


@dataclass(frozen=True)
class PatternLikelihood:
    """Maximum likelihood with means, from every case's own answers: −2 (logL − logL of the saturated model) / N.

    `saturated` (b,) is the value at the saturated moments. Complete cases are one pattern.
    """

    moments: PatternMoments
    saturated: Array

    @property
    def size(self) -> int:
        """The number of samples."""
        return int(self.saturated.size)

    def take(self, at: Index) -> PatternLikelihood:
        """Some of the samples."""
        return PatternLikelihood(self.moments.take(at), self.saturated[at])

    def evaluate(self, model: CompiledModel, theta: Array, at: Index) -> tuple[Array, Array]:
        """F and its gradient."""
        parts = matrices(model, theta)
        found = implied(parts)
        _, covariance, good = guarded_cholesky(found.covariance)
        mean, _ = implied_means(parts, found)
        moments = self.moments if at.size == self.size else self.moments.take(at)
        terms = likelihood_terms(moments, covariance, mean)
        gradient = gradient_of(model, parts, found, terms.omega, terms.omega_mean)
        return np.where(good, terms.value - self.saturated[at], np.inf), gradient

    def curvature(self, model: CompiledModel, theta: Array, at: Index) -> Array:
        """Expected second derivatives, each pattern weighted by its share."""
        return np.stack([self._curvature(model, one, int(i), True) for one, i in zip(theta, at, strict=True)])

    def exact(self, model: CompiledModel, theta: Array, at: int) -> Array:
        """Second derivatives."""
        return self._curvature(model, theta, at, False)

    def _curvature(self, model: CompiledModel, theta: Array, at: int, expected: bool) -> Array:
        everything = np.arange(model.free.size)
        total, _ = self._forms(model, theta, at, everything, everything, expected)
        result = to_slots(model, total)
        return result if expected else result + self.bend(model, theta, at)

    def bend(self, model: CompiledModel, theta: Array, at: int) -> Array:
        """The part of the second derivatives that comes from those of Σ and μ."""
        parts = matrices(model, theta)
        found = implied(parts)
        mean, _ = implied_means(parts, found)
        terms = likelihood_terms(self.moments.take(np.array([at])), found.covariance[None], mean[None])
        return second_derivatives(model, theta, terms.omega[0], terms.omega_mean[0])

    def _forms(
        self, model: CompiledModel, theta: Array, at: int, left: Index, right: Index, expected: bool
    ) -> tuple[Array, Array]:
        """Second derivatives, less the `bend`, of the free parameters `left` by `right` (l, r) and of each of `right` by
        itself (r,)."""
        parts = matrices(model, theta)
        found = implied(parts)
        mean, _ = implied_means(parts, found)
        u, v = derivative_factors(model, parts, found)
        slopes = mean_derivatives(model, parts, found)
        first, second = (u[:, left], v[:, left]), (u[:, right], v[:, right])
        cross, own = np.zeros((left.size, right.size)), np.zeros(right.size)
        total_weight = np.zeros((u.shape[0], u.shape[0]))
        for begin in range(0, len(self.moments.masks), PATTERNS_AT_ONCE):
            some = slice(begin, begin + PATTERNS_AT_ONCE)
            masks, shares = self.moments.masks[some], self.moments.shares[at, some]
            weight = pattern_inverses(masks, found.covariance[None])[0][0]
            total_weight += np.tensordot(shares, weight, 1)
            if expected:
                cross += 2 * np.tensordot(shares, quadratic_form(first, second, weight), 1)
                own += 2 * shares @ quadratic_diagonal(second, weight)
                continue
            gap = np.where(masks, self.moments.means[at, some] - mean, 0.0)
            e = (weight @ gap[..., None])[..., 0]
            middle = weight @ self.moments.covariances[at, some] @ weight + e[:, :, None] * e[:, None, :]
            twice = 4 * middle - 2 * weight
            cross += np.tensordot(shares, quadratic_form(first, second, weight, twice), 1)
            own += shares @ quadratic_diagonal(second, weight, twice)
            by_left, by_right = slopes[:, left].T @ weight, slopes[:, right].T @ weight
            mixed = (by_left @ second[0]) * (e @ second[1])[:, None] + (by_left @ second[1]) * (e @ second[0])[:, None]
            back = (by_right @ first[0]) * (e @ first[1])[:, None] + (by_right @ first[1]) * (e @ first[0])[:, None]
            cross += 2 * np.tensordot(shares, mixed + np.swapaxes(back, -1, -2), 1)
            alone = (by_right * np.swapaxes(second[0], 0, 1)).sum(-1) * (e @ second[1])
            alone += (by_right * np.swapaxes(second[1], 0, 1)).sum(-1) * (e @ second[0])
            own += 4 * shares @ alone
        cross += 2 * slopes[:, left].T @ total_weight @ slopes[:, right]
        own += 2 * (slopes[:, right] * (total_weight @ slopes[:, right])).sum(axis=0)
        return cross, own

    def blocks(self, model: CompiledModel, theta: Array, n_old: int) -> tuple[Array, Array]:
        """Observed second derivatives of the first `n_old` free values by the others (o, e), and of each of the others
        by itself (e,); each of these is one parameter."""
        old = np.flatnonzero(model.slots < n_old)
        new = np.flatnonzero(model.slots >= n_old)
        new = new[np.argsort(model.slots[new])]
        cross, own = self._forms(model, theta, 0, old, new, False)
        total = np.zeros((n_old, new.size))
        np.add.at(total, model.slots[old], cross)
        bend = self.bend(model, theta, 0)
        return total + bend[:n_old, n_old:], own + np.diag(bend)[n_old:]


@dataclass(frozen=True)
class WeightedSquares:
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

    def _residuals(self, model: CompiledModel, theta: Array, at: Index) -> tuple[Array, Array, Array | None, Array]:
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

    def evaluate(self, model: CompiledModel, theta: Array, at: Index) -> tuple[Array, Array]:
        """F and its gradient."""
        value, _, _, gradient = self._residuals(model, theta, at)
        return value, gradient

    def curvature(self, model: CompiledModel, theta: Array, at: Index) -> Array:
        """Expected second derivatives: residuals of zero."""
        return 2.0 * information(model, theta, self.weights[at])

    def exact(self, model: CompiledModel, theta: Array, at: int) -> Array:
        """Second derivatives."""
        only = np.array([at])
        _, omega, shift, _ = self._residuals(model, theta[None], only)
        bend = second_derivatives(model, theta, omega[0], None if shift is None else shift[0])
        result: Array = self.curvature(model, theta[None], only)[0] + bend
        return result


@dataclass(frozen=True)
class DistributionFree:
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

    def _gradient_parts(self, model: CompiledModel, theta: Array, at: Index) -> tuple[Array, Array, Array | None]:
        p = len(model.table.observed)
        gap = self.moments[at] - moment_vector(model, theta)
        scaled = (self.weights[at] @ gap[..., None])[..., 0]
        rows, columns = np.tril_indices(p)
        omega = np.zeros((*gap.shape[:-1], p, p))
        omega[..., rows, columns] -= scaled[..., : rows.size]
        omega[..., columns, rows] -= scaled[..., : rows.size]
        shift = -2 * scaled[..., rows.size :] if model.means else None
        return (gap * scaled).sum(axis=-1), omega, shift

    def evaluate(self, model: CompiledModel, theta: Array, at: Index) -> tuple[Array, Array]:
        """F and its gradient."""
        parts = matrices(model, theta)
        value, omega, shift = self._gradient_parts(model, theta, at)
        return value, gradient_of(model, parts, implied(parts), omega, shift)

    def curvature(self, model: CompiledModel, theta: Array, at: Index) -> Array:
        """Expected second derivatives: residuals of zero."""
        slopes = jacobian(model, theta)
        result: Array = 2.0 * np.swapaxes(slopes, -1, -2) @ self.weights[at] @ slopes
        return result

    def exact(self, model: CompiledModel, theta: Array, at: int) -> Array:
        """Second derivatives."""
        only = np.array([at])
        _, omega, shift = self._gradient_parts(model, theta[None], only)
        bend = second_derivatives(model, theta, omega[0], None if shift is None else shift[0])
        result: Array = self.curvature(model, theta[None], only)[0] + bend
        return result


def moment_vector(model: CompiledModel, theta: Array) -> Array:
    """σ(θ) (…, k): the lower triangle of Σ row by row, then μ where means are modelled."""
    parts = matrices(model, theta)
    found = implied(parts)
    rows, columns = np.tril_indices(len(model.table.observed))
    moments = found.covariance[..., rows, columns]
    if not model.means:
        return moments
    return np.concatenate([moments, implied_means(parts, found)[0]], axis=-1)


def jacobian(model: CompiledModel, theta: Array) -> Array:
    """Δ = ∂σ/∂θ (…, k, q), rows in the order of `moment_vector`."""
    parts = matrices(model, theta)
    found = implied(parts)
    u, v = derivative_factors(model, parts, found)
    rows, columns = np.tril_indices(len(model.table.observed))
    slopes = u[..., rows, :] * v[..., columns, :] + v[..., rows, :] * u[..., columns, :]
    if model.means:
        slopes = np.concatenate([slopes, mean_derivatives(model, parts, found)], axis=-2)
    return sum_slots(model, slopes, model.slots)
