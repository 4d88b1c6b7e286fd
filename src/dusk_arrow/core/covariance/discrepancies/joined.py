"""Several groups at once: the weighted sum of a discrepancy for each block, over the same free values."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.compiled import Joined
from dusk_arrow.core.covariance.discrepancies.discrepancy import Discrepancy, Extension, Index
from dusk_arrow.core.linear_algebra import Array


@dataclass(frozen=True)
class JoinedDiscrepancy(Discrepancy):
    """F = Σ wₘ Fₘ over blocks m, with wₘ (b,) the share of the block's multiplier in all (Jöreskog 1971b)."""

    parts: tuple[Discrepancy, ...]
    shares: tuple[float, ...]

    @property
    def size(self) -> int:
        """The number of samples, each of them one of every block."""
        return self.parts[0].size

    @property
    def slow(self) -> bool:
        """Where one of its parts is."""
        return any(part.slow for part in self.parts)

    def take(self, at: Index) -> JoinedDiscrepancy:
        """Some of the samples."""
        return JoinedDiscrepancy(tuple(part.take(at) for part in self.parts), self.shares)

    def _sum(self, found: Sequence[Array]) -> Array:
        total: Array = sum(share * one for share, one in zip(self.shares, found, strict=True))  # type: ignore[assignment]
        return total

    def evaluate(self, model: Joined, theta: Array, at: Index) -> tuple[Array, Array]:
        """F and its gradient."""
        found = [part.evaluate(block, theta, at) for part, block in zip(self.parts, model.blocks, strict=True)]
        return self._sum([value for value, _ in found]), self._sum([slope for _, slope in found])

    def evaluate_alike(self, model: Joined, theta: Array) -> tuple[Array, Array]:
        """The same of all samples at one θ."""
        found = [part.evaluate_alike(block, theta) for part, block in zip(self.parts, model.blocks, strict=True)]
        return self._sum([value for value, _ in found]), self._sum([slope for _, slope in found])

    def curvature(self, model: Joined, theta: Array, at: Index) -> Array:
        """Expected second derivatives."""
        found = [part.curvature(block, theta, at) for part, block in zip(self.parts, model.blocks, strict=True)]
        return self._sum(found)

    def exact(self, model: Joined, theta: Array, at: int) -> Array:
        """Second derivatives."""
        return self._sum([part.exact(block, theta, at) for part, block in zip(self.parts, model.blocks, strict=True)])

    def score_curvature(self, model: Joined, theta: Array) -> Array:
        """Of each block as its own discrepancy takes them."""
        found = [part.score_curvature(block, theta) for part, block in zip(self.parts, model.blocks, strict=True)]
        return self._sum(found)

    def nearby_curvature(self, model: Joined, theta: Array) -> Array:
        """Exact where those are curved upwards in all directions, else expected."""
        found = self.exact(model, theta, 0)
        positive = bool(np.isfinite(found).all()) and np.linalg.eigvalsh(found)[0] > 0
        return found if positive else self.curvature(model, theta[None], np.zeros(1, dtype=np.intp))[0]

    def extension(self, extended: Joined, base: Joined, theta: Array) -> Extension:
        """Those of each block by the further values that are its own."""
        q = base.n_free
        own, between, alone = np.zeros((q, q)), np.zeros((q, theta.size - q)), np.zeros(theta.size - q)
        for part, share, wide, block in zip(self.parts, self.shares, extended.blocks, base.blocks, strict=True):
            found = part.extension(wide, block, theta)
            further = _further(wide.slots, q)
            own += share * found.own
            between[:, further] += share * found.between
            alone[further] += share * found.alone
        return Extension(own, between, alone)


def _further(slots: NDArray[np.intp], q: int) -> NDArray[np.intp]:
    """Which of the further values, counted from the first of them, stand in a block with these slots."""
    found: NDArray[np.intp] = np.unique(slots[slots >= q]) - q
    return found
