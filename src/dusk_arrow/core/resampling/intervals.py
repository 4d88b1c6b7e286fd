"""What a bootstrap distribution says: mean, bias, standard error, intervals and a p-value."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.special import ndtr, ndtri

from dusk_arrow.core.linear_algebra import Array


@dataclass(frozen=True)
class BootstrapSummary:
    """One figure's bootstrap; `p_value` belongs to the percentile interval, None where zero is no hypothesis."""

    mean: float
    bias: float
    se: float
    percentile: tuple[float, float]
    bias_corrected: tuple[float, float]
    bca: tuple[float, float] | None
    p_value: float | None
    n_used: int


def bias_correction(draws: Array, estimate: Array) -> Array:
    """z₀ (f,) of draws (b, f): ties count half, and it is bounded at half a draw (Efron 1982)."""
    count = draws.shape[0]
    below = (draws < estimate).sum(axis=0) + 0.5 * (draws == estimate).sum(axis=0)
    share = np.clip(below / count, 0.5 / count, 1 - 0.5 / count)
    result: Array = ndtri(share)
    return result


def accelerations(left_out: Array) -> Array:
    """The acceleration (f,) of figures from their jackknife values (n, f), one case left out each (Efron 1987)."""
    finite = np.isfinite(left_out)
    known = np.where(finite, left_out, 0.0)
    gaps = np.where(finite, known.sum(axis=0) / np.maximum(finite.sum(axis=0), 1) - known, 0.0)
    third, second = (gaps**3).sum(axis=0), (gaps**2).sum(axis=0)
    with np.errstate(divide="ignore", invalid="ignore"):
        result: Array = third / (6 * second**1.5)
    return np.where(np.isfinite(result), result, 0.0)


def summarise(
    draws: Array, estimates: Array, level: float, against_zero: Array, acceleration: Array | None = None
) -> list[BootstrapSummary | None]:
    """Summaries of draws (b, f) around estimates (f,); None where a figure has fewer than two finite draws.

    Quantiles interpolate linearly, the standard error has divisor b−1. `against_zero` (f,) is true where zero is
    a hypothesis. With `acceleration` (f,) there are BCa intervals too. Sources: Efron (1982) for
    the bias-corrected interval, Efron (1987) for BCa, Efron & Tibshirani (1993).
    """
    result: list[BootstrapSummary | None] = []
    tail = (1 - level) / 2
    finite = np.isfinite(draws)
    for column, estimate in enumerate(estimates):
        used = draws[finite[:, column], column]
        if used.size < 2 or not np.isfinite(estimate):
            result.append(None)
            continue
        z0 = bias_correction(used[:, None], np.array([estimate]))[0]
        normal = ndtri(np.array([tail, 1 - tail]))
        bounds = np.quantile(used, [tail, 1 - tail, *ndtr(2 * z0 + normal)])
        bca = None
        if acceleration is not None:
            reach = z0 + normal
            shifted = ndtr(z0 + reach / (1 - acceleration[column] * reach))
            low, high = np.quantile(used, shifted)
            bca = (float(low), float(high))
        p_value = None
        if against_zero[column]:
            fewer = min(int((used <= 0).sum()), int((used >= 0).sum()))
            p_value = min(1.0, 2 * (fewer + 1) / (used.size + 1))
        mean = float(used.mean())
        result.append(
            BootstrapSummary(
                mean=mean,
                bias=mean - float(estimate),
                se=float(used.std(ddof=1)),
                percentile=(float(bounds[0]), float(bounds[1])),
                bias_corrected=(float(bounds[2]), float(bounds[3])),
                bca=bca,
                p_value=p_value,
                n_used=int(used.size),
            )
        )
    return result
