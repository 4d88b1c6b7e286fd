"""Scores of cases on the constructs: weights, whichever family they come from, and scoring of any cases with them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dusk_arrow.core.linear_algebra import Array


@dataclass(frozen=True)
class ScoreWeights:
    """Weights (m, p) of deviations from `means` (p,) and the origin (m,) added to them: η̂ = origin + W(y − means).

    `bartlett` is None where residuals without variance leave it undefined.
    """

    nodes: tuple[str, ...]
    observed: tuple[str, ...]
    means: Array
    origin: Array
    regression: Array
    bartlett: Array | None


def score(weights: ScoreWeights, values: Array, method: str = "regression") -> Array:
    """Scores (n, m) of cases (n, p), those of the sample or new ones; nan where a case lacks an answer."""
    chosen = weights.regression if method == "regression" else weights.bartlett
    if chosen is None:
        return np.full((values.shape[0], len(weights.nodes)), np.nan)
    result: Array = weights.origin + (values - weights.means) @ chosen.T
    return result
