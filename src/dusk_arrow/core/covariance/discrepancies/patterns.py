"""Maximum likelihood with means, from every case's own answers, pattern by pattern."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dusk_arrow.core.covariance.compiled import Block
from dusk_arrow.core.covariance.discrepancies.discrepancy import Discrepancy, Extension, Index, weighted_extension
from dusk_arrow.core.covariance.implied import (
    derivative_factors,
    gradient_of,
    implied,
    implied_means,
    matrices,
    mean_derivatives,
    quadratic_diagonal,
    quadratic_form,
    second_derivatives,
    to_slots,
)
from dusk_arrow.core.linear_algebra import Array, guarded_cholesky
from dusk_arrow.core.observations.missing import PatternMoments, likelihood_terms, pattern_inverses

PATTERNS_AT_ONCE = 16
MANY_PATTERNS = 20


@dataclass(frozen=True)
class PatternLikelihood(Discrepancy):
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

    def evaluate(self, model: Block, theta: Array, at: Index) -> tuple[Array, Array]:
        """F and its gradient."""
        parts = matrices(model, theta)
        found = implied(parts)
        _, covariance, good = guarded_cholesky(found.covariance)
        mean, _ = implied_means(parts, found)
        moments = self.moments if at.size == self.size else self.moments.take(at)
        terms = likelihood_terms(moments, covariance, mean)
        gradient = gradient_of(model, parts, found, terms.omega, terms.omega_mean)
        return np.where(good, terms.value - self.saturated[at], np.inf), gradient

    def curvature(self, model: Block, theta: Array, at: Index) -> Array:
        """Expected second derivatives, each pattern weighted by its share."""
        return np.stack([self._curvature(model, one, int(i), True) for one, i in zip(theta, at, strict=True)])

    def exact(self, model: Block, theta: Array, at: int) -> Array:
        """Second derivatives."""
        return self._curvature(model, theta, at, False)

    def _curvature(self, model: Block, theta: Array, at: int, expected: bool) -> Array:
        everything = np.arange(model.free.size)
        total, _ = self._forms(model, theta, at, everything, everything, expected)
        result = to_slots(model, total)
        return result if expected else result + self.bend(model, theta, at)

    def bend(self, model: Block, theta: Array, at: int) -> Array:
        """The part of the second derivatives that comes from those of Σ and μ."""
        parts = matrices(model, theta)
        found = implied(parts)
        mean, _ = implied_means(parts, found)
        terms = likelihood_terms(self.moments.take(np.array([at])), found.covariance[None], mean[None])
        return second_derivatives(model, theta, terms.omega[0], terms.omega_mean[0])

    def _forms(
        self, model: Block, theta: Array, at: int, left: Index, right: Index, expected: bool
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

    @property
    def slow(self) -> bool:
        """With many patterns."""
        return len(self.moments.masks) > MANY_PATTERNS

    @property
    def several(self) -> bool:
        """Whether answers are missing: with one pattern of complete cases observed and expected serve alike."""
        return len(self.moments.masks) > 1

    def score_curvature(self, model: Block, theta: Array) -> Array:
        """Observed where answers are missing (Kenward & Molenberghs 1998)."""
        result: Array = self.exact(model, theta, 0) if self.several else super().score_curvature(model, theta)
        return result

    def extension(self, extended: Block, base: Block, theta: Array) -> Extension:
        """Observed where answers are missing."""
        if not self.several:
            return weighted_extension(extended, theta, None, base.n_free)
        between, alone = self._observed_extension(extended, theta, base.n_free)
        return Extension(self.exact(base, theta[: base.n_free], 0), between, alone)

    def _observed_extension(self, model: Block, theta: Array, n_old: int) -> tuple[Array, Array]:
        """Observed second derivatives of the first `n_old` free values by the others (o, e), and of each of the others
        by itself (e,); each of these is one parameter."""
        old = np.flatnonzero(model.slots < n_old)
        new = np.flatnonzero(model.slots >= n_old)
        new = new[np.argsort(model.slots[new])]
        cross, own = self._forms(model, theta, 0, old, new, False)
        total = np.zeros((n_old, new.size))
        np.add.at(total, model.slots[old], cross)
        bend = self.bend(model, theta, 0)
        further = model.slots[new]
        return total + bend[:n_old, further], own + np.diag(bend)[further]
