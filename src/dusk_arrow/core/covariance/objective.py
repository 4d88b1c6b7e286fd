"""What is minimised: a discrepancy of a batch of samples by the free values of a model, or by other coordinates, and its curvature."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.compiled import CompiledModel
from dusk_arrow.core.covariance.coordinates import Coordinates
from dusk_arrow.core.covariance.discrepancies.discrepancy import Discrepancy
from dusk_arrow.core.linear_algebra import Array

RESTING = 1e-3  # of a value: a step that is left at a minimum is far smaller, one on the way to infinity far larger


class Objective(NamedTuple):
    """What is minimised: a model and a discrepancy with a batch of samples in it."""

    model: CompiledModel
    discrepancy: Discrepancy

    def evaluate(self, theta: Array, at: NDArray[np.intp]) -> tuple[Array, Array]:
        """F and gradient of some members of the batch; F is infinite outside the domain."""
        try:
            return self.discrepancy.evaluate(self.model, theta, at)
        except np.linalg.LinAlgError:
            return np.full(at.size, np.inf), np.zeros_like(theta)

    def evaluate_alike(self, theta: Array) -> tuple[Array, Array]:
        """F and gradient of all of the batch at the same θ (q,); F is infinite outside the domain."""
        try:
            return self.discrepancy.evaluate_alike(self.model, theta)
        except np.linalg.LinAlgError:
            return np.full(self.discrepancy.size, np.inf), np.zeros((self.discrepancy.size, theta.size))

    def take(self, at: NDArray[np.intp]) -> Objective:
        """Some members of the batch."""
        return self._replace(discrepancy=self.discrepancy.take(at))

    def curvature(self, theta: Array, at: NDArray[np.intp]) -> Curvature:
        """Expected second derivatives at θ (b, q), decomposed; units of the parameters do not matter."""
        found = self.discrepancy.curvature(self.model, theta, at)
        found = np.where(np.isfinite(found), found, 0.0)
        return decompose(found, scale_of(found))

    def exact_curvature(self, theta: Array, at: NDArray[np.intp]) -> Curvature:
        """The second derivatives themselves at θ (b, q), in the scale of the expected ones."""
        scale = scale_of(self.discrepancy.curvature(self.model, theta, at))
        exact = [self.discrepancy.exact(self.model, one, int(i)) for one, i in zip(theta, at, strict=True)]
        found = np.stack(exact)
        return decompose(np.where(np.isfinite(found), found, 0.0), scale)

    def at_rest(self, theta: Array, at: NDArray[np.intp]) -> NDArray[np.bool_]:
        """Where the step that second derivatives point to is but a small part of every value (or of its unit of curvature) at θ (b, q).
        A gradient can also be small because F levels off on its way to values without end; that step is then half of them."""
        here = self.exact_curvature(theta, at)
        _, gradient = self.evaluate(theta, at)
        step = here.back(here.along(gradient) / np.maximum(np.abs(here.values), 1e-300))
        return np.asarray((np.abs(step) <= RESTING * np.maximum(np.abs(theta), 1 / here.scale)).all(axis=1))


class TurnedObjective(NamedTuple):
    """The same in other coordinates."""

    model: CompiledModel
    discrepancy: Discrepancy
    coordinates: Coordinates

    def evaluate(self, x: Array, at: NDArray[np.intp]) -> tuple[Array, Array]:
        """F and its gradient by the coordinates x (b, q)."""
        units = self.coordinates.units(x)
        theta = self.coordinates.theta(x, units)
        value, gradient = Objective(self.model, self.discrepancy).evaluate(theta, at)
        return value, self.coordinates.gradient(theta, units, gradient)

    def evaluate_alike(self, x: Array) -> tuple[Array, Array]:
        """F of all of the batch at the same coordinates x (q,), and its gradients by them."""
        units = self.coordinates.units(x[None])
        theta = self.coordinates.theta(x[None], units)
        value, gradient = Objective(self.model, self.discrepancy).evaluate_alike(theta[0])
        return value, self.coordinates.gradient(theta, units, gradient)

    def take(self, at: NDArray[np.intp]) -> TurnedObjective:
        """Some members of the batch."""
        return self._replace(discrepancy=self.discrepancy.take(at))


class Curvature(NamedTuple):
    """Expected second derivatives scaled to a unit diagonal: eigenvalues (b, q), vectors (b, q, q), scale (b, q)."""

    values: Array
    vectors: Array
    scale: Array

    def members(self, at: NDArray[Any]) -> Curvature:
        """Some of the batch."""
        return Curvature(*(part[at] for part in self))

    def along(self, gradient: Array) -> Array:
        """A gradient (b, q) along the eigenvectors, in the scale."""
        result: Array = np.einsum("bkq,bk->bq", self.vectors, gradient / self.scale)
        return result

    def back(self, along: Array) -> Array:
        """A step (b, q) of the values from one along the eigenvectors."""
        result: Array = np.einsum("bkq,bq->bk", self.vectors, along) / self.scale
        return result

    def metric(self) -> Array:
        """The inverse curvature (b, q, q), kept positive definite."""
        floor = 1e-8 * self.values[:, -1:]
        scaled = (self.vectors / np.maximum(self.values, floor)[:, None, :]) @ np.swapaxes(self.vectors, 1, 2)
        result: Array = scaled / (self.scale[:, :, None] * self.scale[:, None, :])
        return result


def scale_of(curvature: Array) -> Array:
    """Square roots (b, q) of the diagonals of second derivatives (b, q, q)."""
    result: Array = np.sqrt(np.maximum(np.diagonal(curvature, axis1=1, axis2=2), 1e-300))
    return result


def decompose(matrix: Array, scale: Array) -> Curvature:
    """Second derivatives (b, q, q) in a scale (b, q), by their eigenvalues."""
    values, vectors = np.linalg.eigh(matrix / (scale[:, :, None] * scale[:, None, :]))
    return Curvature(values, vectors, scale)
