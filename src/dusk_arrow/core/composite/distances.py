"""How far implied correlations are from the sample's: SRMR, d_ULS, d_G (Dijkstra & Henseler 2015), batched."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from dusk_arrow.core.assessment.fit import srmr
from dusk_arrow.core.linear_algebra import Array, guarded_cholesky, inverse_of_lower, positive_definite


class Distances(NamedTuple):
    """Each (…); the geodesic one is nan where a matrix is not positive definite."""

    srmr: Array
    d_uls: Array
    d_g: Array


def squared_euclidean(sample: Array, implied: Array) -> Array:
    """½·Σ(s−σ)² over the full matrix."""
    result: Array = 0.5 * ((sample - implied) ** 2).sum(axis=(-2, -1))
    return result


def geodesic(sample: Array, implied: Array) -> Array:
    """½·Σ(ln φ)² with φ the eigenvalues of S⁻¹Σ."""
    good = positive_definite(implied)
    second = implied if good.all() else np.where(good[..., None, None], implied, np.eye(sample.shape[-1]))
    factors, _, fine = guarded_cholesky(sample)
    lower = inverse_of_lower(factors)
    roots = np.linalg.eigvalsh(lower @ second @ np.swapaxes(lower, -1, -2))
    distance = 0.5 * (np.log(np.maximum(roots, 1e-300)) ** 2).sum(axis=-1)
    result: Array = np.where(good & fine, distance, np.nan)
    return result


def distances(sample: Array, implied: Array) -> Distances:
    """All three of correlations (…, p, p)."""
    return Distances(srmr(sample, implied), squared_euclidean(sample, implied), geodesic(sample, implied))
