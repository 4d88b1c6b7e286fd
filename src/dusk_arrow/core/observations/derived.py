"""Columns that are made of others and formed anew in every sample, because what they are made with (means, weights, scores)
is the sample's own. They stand between the observed columns and the moments.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from dusk_arrow.core.linear_algebra import Array, slices


class Derived(Protocol):
    """A column formed from columns (n, k) in b samples given as counts per case (b, n)."""

    def form(self, values: Array, counts: Array) -> Array:
        """Its values (b, n) for every case, as each sample has them."""


@dataclass(frozen=True)
class Product:
    """The product of some columns, each less its mean in the sample (Kenny & Judd 1984; centring: Aiken & West 1991)."""

    columns: tuple[int, ...]

    def form(self, values: Array, counts: Array) -> Array:
        """Products of deviations from each sample's own means."""
        chosen = values[:, self.columns]
        centres = counts @ chosen / counts.sum(axis=1, keepdims=True)
        result: Array = np.prod(chosen[None] - centres[:, None], axis=-1)
        return result


def derived_moments(
    values: Array, derived: Sequence[Derived], counts: Array, divisor_offset: int = 0
) -> tuple[Array, Array]:
    """Covariances (b, p + d, p + d) and means (b, p + d) of columns (n, p) with d derived ones after them, in samples given
    as counts per case (b, n); the divisor is the sample's size, less `divisor_offset`."""
    n, width = values.shape[0], values.shape[1] + len(derived)
    covariances, means = np.zeros((counts.shape[0], width, width)), np.zeros((counts.shape[0], width))
    for begin, end in slices(counts.shape[0], n * width):
        some = counts[begin:end]
        made = [column.form(values, some)[..., None] for column in derived]
        whole = np.concatenate([np.broadcast_to(values, (some.shape[0], *values.shape)), *made], axis=-1)
        size = some.sum(axis=1)
        centre = (some[:, None] @ whole)[:, 0] / size[:, None]
        apart = whole - centre[:, None]
        means[begin:end] = centre
        spread = np.swapaxes(apart * some[..., None], -1, -2) @ apart
        covariances[begin:end] = spread / (size - divisor_offset)[:, None, None]
    return covariances, means
