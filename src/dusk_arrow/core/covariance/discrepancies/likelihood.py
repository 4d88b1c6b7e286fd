"""Maximum likelihood from the covariances of complete cases, without a mean structure."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.compiled import Block
from dusk_arrow.core.covariance.discrepancies.conditional import SplitSamples, split_samples, through_constructs
from dusk_arrow.core.covariance.discrepancies.discrepancy import ONLY, Discrepancy, Extension, Index, weighted_extension
from dusk_arrow.core.covariance.discrepancies.regressions import regress, regressions_of
from dusk_arrow.core.covariance.implied import (
    derivative_factors,
    gradient_of,
    implied,
    information,
    matrices,
    quadratic_form,
    second_derivatives,
    to_slots,
)
from dusk_arrow.core.covariance.splitting import Split
from dusk_arrow.core.linear_algebra import (
    Array,
    guarded_cholesky,
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
    known: dict[str, Any] = field(default_factory=dict, compare=False, repr=False)

    @property
    def size(self) -> int:
        """The number of samples."""
        return int(self.samples.shape[0])

    def take(self, at: Index) -> NormalLikelihood:
        """Some of the samples."""
        known = self.known
        if known and known["samples"].yy is not self.samples:
            known = {**known, "samples": known["samples"].take(at)}
        else:
            known = {}
        return NormalLikelihood(self.samples[at], self.log_det[at], known)

    def evaluate(self, model: Block, theta: Array, at: Index) -> tuple[Array, Array]:
        """F and its gradient; through the constructs where the model allows, else through Σ⁻¹."""
        split = model.split
        if split is None or not model.n_free:
            return self._evaluate(model, theta, at)
        samples = self._split(split)
        value, gradient, good = through_constructs(
            model, split, theta, samples if at.size == self.size else samples.take(at)
        )
        value -= self.log_det[at]
        if not good.all():
            value[~good], gradient[~good] = self._evaluate(model, theta[~good], at[~good])
        return value, gradient

    def evaluate_alike(self, model: Block, theta: Array) -> tuple[Array, Array]:
        """F and its gradients; what does not depend on the samples is computed once, where the model is split and all its nodes are
        constructs."""
        split = model.split
        if split is not None and model.n_free and not split.x.size:
            value, gradient, good = through_constructs(model, split, theta[None], self._split(split))
            if good.all():
                return value - self.log_det, gradient
        return super().evaluate_alike(model, theta)

    def direct(self, model: Block) -> tuple[Array, Array, NDArray[np.bool_]] | None:
        """By regressions, where the model is made of them."""
        plan = regressions_of(model)
        if plan is None:
            return None
        theta, value, good = regress(model, plan, self.samples)
        return theta, value - self.log_det - self.samples.shape[-1], good

    def _split(self, split: Split) -> SplitSamples:
        if self.known.get("split") is not split:
            self.known.update(split=split, samples=split_samples(self.samples, split))
        found: SplitSamples = self.known["samples"]
        return found

    def _evaluate(self, model: Block, theta: Array, at: Index) -> tuple[Array, Array]:
        sample = self.samples[at]
        parts = matrices(model, theta)
        found = implied(parts)
        factors, covariance, good = guarded_cholesky(found.covariance)
        inverse = inverse_from_cholesky(factors, covariance)
        product = inverse @ sample
        value = log_determinant(factors) + (inverse * sample).sum(axis=(-2, -1)) - self.log_det[at]
        gradient = gradient_of(model, parts, found, inverse - product @ inverse)
        return np.where(good, value - sample.shape[-1], np.inf), gradient

    def curvature(self, model: Block, theta: Array, at: Index) -> Array:
        """Twice the expected information."""
        return 2.0 * information(model, theta)

    def exact(self, model: Block, theta: Array, at: int) -> Array:
        """Second derivatives."""
        parts = matrices(model, theta)
        found = implied(parts)
        u, v = derivative_factors(model, parts, found)
        inverse = np.linalg.inv(found.covariance)
        middle = inverse @ self.samples[at] @ inverse
        both = (u, v), (u, v)
        first = 4 * quadratic_form(*both, inverse, middle) - 2 * quadratic_form(*both, inverse)
        return to_slots(model, first) + second_derivatives(model, theta, inverse - middle, None)

    def nearby_curvature(self, model: Block, theta: Array) -> Array:
        """The exact ones, where they are curved upwards in all directions: they are nearer to those of resamples."""
        found = self.exact(model, theta, 0)
        return found if np.linalg.eigvalsh(found)[0] > 0 else self.curvature(model, theta[None], ONLY)[0]

    def extension(self, extended: Block, base: Block, theta: Array) -> Extension:
        """Expected."""
        return weighted_extension(extended, theta, None, base.n_free)


def normal_likelihood(samples: Array) -> tuple[NormalLikelihood, NDArray[np.bool_]]:
    """The discrepancy of sample covariances (b, p, p), and which of them are positive definite."""
    factors, safe, good = guarded_cholesky(samples)
    return NormalLikelihood(safe, log_determinant(factors)), good
