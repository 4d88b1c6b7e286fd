"""How far a model is from a sample: what every discrepancy answers, and what they have in common.

Each is a value with a batch of samples in it and answers the same questions: F with its gradient, its expected
curvature, and its exact second derivatives.
"""

from __future__ import annotations

from typing import Any, NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.compiled import Block
from dusk_arrow.core.covariance.implied import (
    derivative_factors,
    implied,
    matrices,
    mean_derivatives,
    quadratic_diagonal,
    quadratic_form,
)
from dusk_arrow.core.linear_algebra import Array

Index = NDArray[np.intp]
Whole = Any  # the model: a block for the discrepancy of one, joined blocks for a joined discrepancy
ONLY = np.zeros(1, dtype=np.intp)


class Discrepancy(Protocol):
    """A batch of b samples and how far a model is from each; the values of θ are those of members `at` (k, q)."""

    @property
    def size(self) -> int:
        """The number of samples."""

    def evaluate(self, model: Whole, theta: Array, at: Index) -> tuple[Array, Array]:
        """F (k,) and its gradient (k, q); F is infinite where Σ is not positive definite."""

    def evaluate_alike(self, model: Whole, theta: Array) -> tuple[Array, Array]:
        """F (b,) of all samples at the same θ (q,), and its gradients (b, q)."""
        return self.evaluate(model, np.tile(theta, (self.size, 1)), np.arange(self.size))

    def curvature(self, model: Whole, theta: Array, at: Index) -> Array:
        """Expected second derivatives (k, q, q) of F."""

    def exact(self, model: Whole, theta: Array, at: int) -> Array:
        """Second derivatives (q, q) of F at θ (q,) for one sample."""

    @property
    def slow(self) -> bool:
        """Whether an evaluation takes so long that few starts must do."""
        return False

    def take(self, at: Index) -> Discrepancy:
        """Some of the samples."""

    def direct(self, model: Whole) -> tuple[Array, Array, NDArray[np.bool_]] | None:
        """The minima θ (b, q), F (b,) there and where they are found (b,), for models that need no search; None for others."""
        return None

    def score_curvature(self, model: Whole, theta: Array) -> Array:
        """Second derivatives (q, q) of F at θ (q,) as score tests take them: expected ones."""
        result: Array = self.curvature(model, theta[None], ONLY)[0]
        return result

    def nearby_curvature(self, model: Whole, theta: Array) -> Array:
        """Second derivatives (q, q) of F at the minimum θ (q,) of one sample, on which its resamples are solved: expected ones."""
        result: Array = self.curvature(model, theta[None], ONLY)[0]
        return result

    def extension(self, extended: Whole, base: Whole, theta: Array) -> Extension:
        """Those of a model with further free values at θ (q + e,)."""


class Extension(NamedTuple):
    """Second derivatives: of the model's own values (q, q), of these by the further ones (q, e), of each further one by
    itself (e,)."""

    own: Array
    between: Array
    alone: Array


def weighted_extension(model: Block, theta: Array, weight: Array | None, q: int) -> Extension:
    """Expected second derivatives from a weight (p, p), the inverse of the implied covariances unless given, with the
    values from `q` on taken as further ones."""
    parts = matrices(model, theta)
    found = implied(parts)
    if weight is None:
        weight = np.linalg.inv(found.covariance)
    factors = derivative_factors(model, parts, found)
    old = np.flatnonzero(model.slots < q)
    new = np.flatnonzero(model.slots >= q)
    new = new[np.argsort(model.slots[new])]
    first = (factors[0][:, old], factors[1][:, old])
    second = (factors[0][:, new], factors[1][:, new])
    cross = quadratic_form(first, (np.hstack([first[0], second[0]]), np.hstack([first[1], second[1]])), weight)
    own = quadratic_diagonal(second, weight)
    if model.means:
        slopes = mean_derivatives(model, parts, found)
        everything = np.hstack([slopes[:, old], slopes[:, new]])
        cross = cross + slopes[:, old].T @ weight @ everything
        own = own + (slopes[:, new] * (weight @ slopes[:, new])).sum(axis=0)
    slots = model.slots[old]
    inner, between = np.zeros((q, q)), np.zeros((q, new.size))
    np.add.at(inner, (slots[:, None], slots[None, :]), cross[:, : old.size])
    np.add.at(between, slots, cross[:, old.size :])
    return Extension(2 * inner, 2 * between, 2 * own)
