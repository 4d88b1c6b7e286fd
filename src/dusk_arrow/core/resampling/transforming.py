"""Data transformed to a model, so that they fit it exactly: the ground of tests by resampling."""

from __future__ import annotations

import numpy as np

from dusk_arrow.core.linear_algebra import Array


def root_of(matrix: Array) -> Array:
    """The symmetric root (p, p) of a covariance matrix, negative eigenvalues taken as 0."""
    values, vectors = np.linalg.eigh(matrix)
    result: Array = (vectors * np.sqrt(np.maximum(values, 0.0))) @ vectors.T
    return result


def transformation_to(implied: Array, sample: Array) -> Array:
    """M (p, p) with M S Mᵀ = Σ̂: data multiplied by it fit the model exactly (Beran & Srivastava 1985; Bollen & Stine 1992)."""
    result: Array = root_of(implied) @ np.linalg.inv(root_of(sample))
    return result
