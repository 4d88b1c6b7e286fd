"""A model at some values, with what is often asked of it computed once."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from dusk_arrow.core.covariance.compiled import Block, CompiledModel
from dusk_arrow.core.covariance.discrepancies.discrepancy import Discrepancy
from dusk_arrow.core.covariance.discrepancies.joined import JoinedDiscrepancy
from dusk_arrow.core.covariance.implied import (
    Factors,
    Implied,
    Matrices,
    derivative_factors,
    implied,
    implied_means,
    matrices,
    mean_derivatives,
)
from dusk_arrow.core.covariance.moment_layout import MomentLayout, layout_of, slopes_of
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.evidence import Evidence


@dataclass(frozen=True)
class BlockPoint:
    """One block at free values θ (q,), the evidence it is held against, their discrepancy (a batch of one), and its share of the
    multiplier of all blocks."""

    model: Block
    theta: Array
    evidence: Evidence
    discrepancy: Discrepancy
    share: float = 1.0

    @cached_property
    def layout(self) -> MomentLayout:
        """The moments that the block speaks of."""
        return layout_of(self.model)

    @cached_property
    def parts(self) -> Matrices:
        """The block's matrices."""
        return matrices(self.model, self.theta)

    @cached_property
    def found(self) -> Implied:
        """Σ and what it is made of."""
        return implied(self.parts)

    @property
    def covariance(self) -> Array:
        """Σ (p, p)."""
        return self.found.covariance

    @cached_property
    def means(self) -> Array | None:
        """μ (p,) where means are modelled."""
        return implied_means(self.parts, self.found)[0] if self.model.means else None

    @cached_property
    def inverse(self) -> Array:
        """Σ⁻¹ (p, p)."""
        found: Array = np.linalg.inv(self.covariance)
        return found

    @cached_property
    def factors(self) -> Factors:
        """Derivatives of Σ as U and V (p, r)."""
        return derivative_factors(self.model, self.parts, self.found)

    @cached_property
    def mean_slopes(self) -> Array | None:
        """Derivatives of μ (p, r) where means are modelled."""
        return mean_derivatives(self.model, self.parts, self.found) if self.model.means else None

    @cached_property
    def slopes(self) -> Array:
        """Δ = ∂σ/∂θ (k, q)."""
        return slopes_of(self.model, self.factors, self.mean_slopes)

    @cached_property
    def value(self) -> float:
        """F of the block."""
        return float(self.discrepancy.evaluate(self.model, self.theta[None], np.zeros(1, dtype=np.intp))[0][0])

    @cached_property
    def exact(self) -> Array:
        """Second derivatives (q, q) of F of the block."""
        return self.discrepancy.exact(self.model, self.theta, 0)


@dataclass(frozen=True)
class Point:
    """A model at free values θ (q,), the evidence on each of its blocks, and their discrepancy (a batch of one)."""

    model: CompiledModel
    theta: Array
    evidence: tuple[Evidence, ...]
    discrepancy: Discrepancy

    def at(self, theta: Array) -> Point:
        """The same model at other values."""
        return replace(self, theta=theta)

    @property
    def n(self) -> int:
        """The number of cases of all blocks."""
        return sum(own.n for own in self.evidence)

    @property
    def multiplier(self) -> float:
        """What F is multiplied by to be a χ²."""
        return multiplier_of(self.evidence)

    @cached_property
    def blocks(self) -> tuple[BlockPoint, ...]:
        """Each block at these values."""
        parts = self.discrepancy.parts if isinstance(self.discrepancy, JoinedDiscrepancy) else (self.discrepancy,)
        each = zip(self.model.blocks, self.evidence, parts, shares_of(self.evidence), strict=True)
        return tuple(BlockPoint(block, self.theta, own, part, share) for block, own, part, share in each)

    @cached_property
    def curvature(self) -> Array:
        """Expected second derivatives (q, q) of F."""
        found: Array = self.discrepancy.curvature(self.model, self.theta[None], np.zeros(1, dtype=np.intp))[0]
        return found

    @cached_property
    def exact(self) -> Array:
        """Second derivatives (q, q) of F."""
        return self.discrepancy.exact(self.model, self.theta, 0)


def multiplier_of(evidence: Iterable[Evidence]) -> float:
    """The multiplier of all blocks: the sum of their own."""
    return sum(own.multiplier for own in evidence)


def shares_of(evidence: Iterable[Evidence]) -> tuple[float, ...]:
    """The share of every block's multiplier in all, by which its F counts."""
    own = [one.multiplier for one in evidence]
    return tuple(one / sum(own) for one in own)
