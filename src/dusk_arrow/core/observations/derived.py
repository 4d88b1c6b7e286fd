"""Columns that are made of others and formed anew in every sample, because what they are made with (means, weights, scores)
is the sample's own. They stand between the observed columns and the moments, whatever is done about missing answers: a
derived answer is missing where one of its parts is.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.linear_algebra import Array, slices
from dusk_arrow.core.observations.missing import Pattern, PatternMoments


class Derived(Protocol):
    """A column by its name, and the columns that it is made of."""

    @property
    def name(self) -> str:
        """What it is called among the columns."""

    @property
    def parts(self) -> tuple[str, ...]:
        """The observed columns that it is made of."""

    def form(self, values: Array, counts: Array) -> Array:
        """Its values (b, n) for every case, as each of b samples given as counts per case (b, n) has them, from its parts (n, k);
        nan where one of them is."""


@dataclass(frozen=True)
class Product:
    """The product of some columns, each less its mean in the sample (Kenny & Judd 1984; centring: Aiken & West 1991)."""

    name: str
    parts: tuple[str, ...]

    def form(self, values: Array, counts: Array) -> Array:
        """Products of deviations from each sample's own means."""
        result: Array = np.prod(values[None] - sample_means(values, counts)[:, None], axis=-1)
        return result


@dataclass(frozen=True)
class Mean:
    """The mean of some columns, of the same cases in every sample."""

    name: str
    parts: tuple[str, ...]

    def form(self, values: Array, counts: Array) -> Array:
        """The same values in every sample."""
        return np.broadcast_to(values.mean(axis=-1), counts.shape)


@dataclass(frozen=True)
class Score:
    """A weighted sum of columns that are standardized in each sample, by the `weights` (k,) of an earlier stage, or by what
    `weigh` makes of each sample's correlations (b, k, k)."""

    name: str
    parts: tuple[str, ...]
    weights: tuple[float, ...] = ()
    weigh: Callable[[Array], Array] | None = None

    def form(self, values: Array, counts: Array) -> Array:
        """Scores of each sample's own standardized columns."""
        apart = values[None] - sample_means(values, counts)[:, None]
        known = np.where(np.isnan(apart), 0.0, apart)
        size = counts @ ~np.isnan(values)
        sd = np.sqrt((counts[..., None] * known**2).sum(axis=1) / size)
        weights = np.asarray(self.weights)
        if self.weigh is not None:
            scaled = known / sd[:, None]
            weights = self.weigh(
                np.swapaxes(scaled * counts[..., None], 1, 2) @ scaled / counts.sum(axis=1)[:, None, None]
            )
        result: Array = ((apart / sd[:, None]) * np.atleast_2d(weights)[:, None]).sum(axis=-1)
        return result


def sample_means(values: Array, counts: Array) -> Array:
    """Means (b, k) of the answers there are, from columns (n, k) with nan where missing and counts per case (b, n)."""
    there = ~np.isnan(values)
    with np.errstate(invalid="ignore", divide="ignore"):
        result: Array = counts @ np.where(there, values, 0.0) / (counts @ there)
    return result


class Formed(NamedTuple):
    """Some samples with the derived columns as each has them: values (b, n, p) with nan where missing, and the counts (b, n)."""

    values: Array
    counts: Array


@dataclass(frozen=True)
class Deriving:
    """What derived columns are formed of, case by case: observed columns `own` (n, k) that stand before them in the evidence, and the
    `parts` (n, l) that they are made of, by name."""

    own: Array
    parts: dict[str, Array]
    rules: tuple[Derived, ...]

    def formed(self, counts: Array) -> Array:
        """All columns (b, n, k + d) as each sample has them."""
        made = [rule.form(np.column_stack([self.parts[name] for name in rule.parts]), counts) for rule in self.rules]
        own = np.broadcast_to(self.own, (counts.shape[0], *self.own.shape))
        return np.concatenate([own, *(column[..., None] for column in made)], axis=-1)

    def in_slices(self, counts: Array) -> list[tuple[slice, Formed]]:
        """The same a few samples at a time, as memory allows."""
        n, width = self.own.shape[0], self.own.shape[1] + len(self.rules)
        parts = []
        for begin, end in slices(counts.shape[0], n * width):
            parts.append((slice(begin, end), Formed(self.formed(counts[begin:end]), counts[begin:end])))
        return parts


def moments_of(formed: Formed, offset: int = 0) -> tuple[Array, Array]:
    """Covariances (b, p, p) and means (b, p) of samples whose gaps, if any, are filled with each sample's own means: a filled
    answer deviates by nothing."""
    values, counts = formed
    there = ~np.isnan(values)
    weight = counts[..., None] * there
    centre = np.where(there, values, 0.0)
    with np.errstate(invalid="ignore", divide="ignore"):  # a column without an answer has no mean
        mean = (weight * centre).sum(axis=1) / weight.sum(axis=1)
    apart = np.where(there, values - mean[:, None], 0.0)
    spread = np.swapaxes(apart * counts[..., None], 1, 2) @ apart
    return spread / (counts.sum(axis=1) - offset)[:, None, None], mean


def pairwise_moments_of(formed: Formed, offset: int = 0) -> tuple[Array, Array]:
    """Covariances (b, p, p) and means (b, p): correlations from the cases that have both answers, standard deviations and means
    from all that have the one."""
    values, counts = formed
    there = (~np.isnan(values)).astype(float)
    rough = np.nanmean(values, axis=1, keepdims=True)  # first, as large means cancel digits
    known = np.where(there > 0, values - rough, 0.0)
    weighted = np.swapaxes(there * counts[..., None], 1, 2)
    n = weighted @ there
    with np.errstate(invalid="ignore", divide="ignore"):
        left = np.swapaxes(known * counts[..., None], 1, 2) @ there  # of the row's answers where the column's is there
        squares = np.swapaxes(known**2 * counts[..., None], 1, 2) @ there
        products = np.swapaxes(known * counts[..., None], 1, 2) @ known
        right = np.swapaxes(left, 1, 2)
        spread = (squares - left**2 / n) * np.swapaxes(squares - left**2 / n, 1, 2)
        correlation = (products - left * right / n) / np.sqrt(spread)
        size, own = np.diagonal(n, axis1=1, axis2=2), np.diagonal(left, axis1=1, axis2=2)
        sd = np.sqrt((np.diagonal(squares, axis1=1, axis2=2) - own**2 / size) / (size - offset))
    at = np.arange(values.shape[-1])
    correlation[:, at, at] = 1.0
    return correlation * sd[:, :, None] * sd[:, None, :], rough[:, 0] + own / size


def pattern_moments_of(formed: Formed, groups: Sequence[Pattern]) -> PatternMoments:
    """Moments of each pattern of the cases in samples whose derived columns are their own."""
    values, counts = formed
    b, p = values.shape[0], values.shape[-1]
    shares = np.zeros((b, len(groups)))
    means, covariances = np.zeros((b, len(groups), p)), np.zeros((b, len(groups), p, p))
    for k, group in enumerate(groups):
        own = counts[:, group.rows]
        total = own.sum(axis=1)
        safe = np.where(total > 0, total, 1.0)
        known = np.where(group.present, values[:, group.rows], 0.0)
        mean = (own[..., None] * known).sum(axis=1) / safe[:, None]
        apart = np.where(group.present, known - mean[:, None], 0.0)
        shares[:, k], means[:, k] = total, mean
        covariances[:, k] = np.swapaxes(apart * own[..., None], 1, 2) @ apart / safe[:, None, None]
    masks: NDArray[np.bool_] = np.array([group.present for group in groups])
    return PatternMoments(masks, shares / shares.sum(axis=1, keepdims=True), means, covariances)
