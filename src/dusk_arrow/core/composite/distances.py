"""How far implied correlations are from the sample's: SRMR, d_ULS, d_G (Dijkstra & Henseler 2015a), batched."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from dusk_arrow.core.linear_algebra import Array, guarded_cholesky, inverse_of_lower

LEAST = 1e-13  # of the largest eigenvalue: what is less is none


class Distances(NamedTuple):
    """Each (…); the geodesic one is nan where a matrix is not positive definite."""

    srmr: Array
    d_uls: Array
    d_g: Array


def squared_euclidean(sample: Array, implied: Array) -> Array:
    """½·Σ(s−σ)² over the full matrix."""
    apart = (sample - implied).reshape(*sample.shape[:-2], -1)
    result: Array = 0.5 * np.vecdot(apart, apart)
    return result


def geodesic(sample: Array, implied: Array) -> Array:
    """½·Σ(ln φ)² with φ the eigenvalues of S⁻¹Σ."""
    factors, _, fine = guarded_cholesky(sample)
    fine = fine & np.isfinite(implied).all(axis=(-2, -1))
    second = implied if fine.all() else np.where(fine[..., None, None], implied, np.eye(sample.shape[-1]))
    lower = inverse_of_lower(factors)
    roots = np.linalg.eigvalsh(lower @ second @ np.swapaxes(lower, -1, -2))  # as many are positive as of Σ
    fine = fine & (roots[..., 0] > LEAST * roots[..., -1])
    distance = 0.5 * (np.log(np.where(fine[..., None], roots, 1.0)) ** 2).sum(axis=-1)
    result: Array = np.where(fine, distance, np.nan)
    return result


def distances(sample: Array, implied: Array) -> Distances:
    """All three of correlations (…, p, p), whose diagonals agree: SRMR is d_ULS over p(p + 1)/2 cells."""
    apart, p = squared_euclidean(sample, implied), sample.shape[-1]
    return Distances(np.sqrt(apart / (p * (p + 1) / 2)), apart, geodesic(sample, implied))
