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


def enough(used: int, level: float) -> bool:
    """Whether so many resamples can decide anything: each end of the interval has two of them beyond it. Below that it hangs on the
    most extreme one."""
    return used * (1 - level) / 2 >= 2


def bias_correction(draws: Array, estimate: Array) -> Array:
    """z₀ (f,) of draws (b, f), nan where there is none: ties count half, and it is bounded at half a draw (Efron 1982)."""
    count = np.isfinite(draws).sum(axis=0)
    below = (draws < estimate).sum(axis=0) + 0.5 * (draws == estimate).sum(axis=0)
    result: Array = ndtri(np.clip(below / count, 0.5 / count, 1 - 0.5 / count))
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
    tail = (1 - level) / 2
    columns = np.where(np.isfinite(draws), draws, np.nan).T
    used = np.isfinite(columns).sum(axis=1)
    enough = (used > 1) & np.isfinite(estimates)
    columns, used, centre = np.sort(columns[enough], axis=1), used[enough], estimates[enough]
    low, high = (columns <= 0).sum(axis=1), (columns >= 0).sum(axis=1)
    z0 = bias_correction(columns.T, centre)
    normal = ndtri(np.array([tail, 1 - tail]))
    shares = [np.broadcast_to([tail, 1 - tail], (used.size, 2)), ndtr(2 * z0[:, None] + normal)]
    if acceleration is not None:
        reach = z0[:, None] + normal
        shares.append(ndtr(z0[:, None] + reach / (1 - acceleration[enough][:, None] * reach)))
    bounds = _quantiles(columns, used, np.concatenate(shares, axis=1))
    mean = np.nanmean(columns, axis=1) if used.size else centre
    se = np.nanstd(columns, axis=1, ddof=1) if used.size else centre
    p_value = np.minimum(1.0, 2 * (np.minimum(low, high) + 1) / (used + 1))
    result: list[BootstrapSummary | None] = [None] * estimates.size
    for row, column in enumerate(np.flatnonzero(enough).tolist()):
        ends = bounds[row].tolist()
        result[column] = BootstrapSummary(
            mean=float(mean[row]),
            bias=float(mean[row] - centre[row]),
            se=float(se[row]),
            percentile=(ends[0], ends[1]),
            bias_corrected=(ends[2], ends[3]),
            bca=(ends[4], ends[5]) if acceleration is not None else None,
            p_value=float(p_value[row]) if against_zero[column] else None,
            n_used=int(used[row]),
        )
    return result


def _quantiles(columns: Array, used: Array, shares: Array) -> Array:
    """Quantiles (f, k) at shares (f, k) of sorted rows (f, b), of which the first `used` (f,) count; linear interpolation."""
    position = shares * (used[:, None] - 1)
    lower = np.floor(position).astype(np.intp)
    upper = np.minimum(lower + 1, used[:, None] - 1)
    left, right = np.take_along_axis(columns, lower, axis=1), np.take_along_axis(columns, upper, axis=1)
    result: Array = left + (position - lower) * (right - left)
    return result
