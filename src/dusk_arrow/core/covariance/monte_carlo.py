"""Effects at values of the parameters that could have been estimated as well: what answers where no cases can be resampled."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dusk_arrow.core.covariance.implied import all_values, spread
from dusk_arrow.core.covariance.statistics import Inquiry, path_matrix, standardize
from dusk_arrow.core.effects.values import effect_values
from dusk_arrow.core.linear_algebra import Array, slices


def effect_draws(
    inquiries: Sequence[Inquiry], theta: Array, covariance: Array, draws: int, seed: int
) -> tuple[Array, Array] | None:
    """Effects (d, e) and standardized effects (d, e), block after block, at values drawn from the normal distribution that the estimates θ (q,) and
    their covariance matrix (q, q) describe (MacKinnon, Lockwood & Williams 2004); nan where a drawn variance is none. None where
    the covariance matrix is not known."""
    if np.isnan(covariance).any():
        return None
    size, directions = np.linalg.eigh(covariance)
    root = directions * np.sqrt(np.maximum(size, 0.0))
    values = theta + np.random.default_rng(seed).standard_normal((draws, theta.size)) @ root.T
    found = [_effects(asked, values) for asked in inquiries]
    plain, standardized = (np.concatenate(own, axis=1) for own in zip(*found, strict=True))
    return plain, standardized


def _effects(asked: Inquiry, values: Array) -> tuple[Array, Array]:
    p = len(asked.model.table.observed)
    plain, standardized = [], []
    with np.errstate(invalid="ignore", divide="ignore"):
        for begin, end in slices(len(values), p * p):
            every = all_values(asked.model, values[begin:end])
            found = standardize(asked.model, every, spread(asked.model, values[begin:end]))
            plain.append(effect_values(asked.walks, path_matrix(asked, every)))
            standardized.append(effect_values(asked.walks, path_matrix(asked, found)))
    return np.concatenate(plain), np.concatenate(standardized)
