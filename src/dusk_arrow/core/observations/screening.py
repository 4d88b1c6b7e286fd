"""What a column looks like, and what is wrong with a set of columns before it can be analysed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from dusk_arrow.core.linear_algebra import Array, correlation_from, positive_definite
from dusk_arrow.core.problems import Problem, listed

SINGULAR = 1e-7  # smallest eigenvalue of the correlations: below it minima cannot be told from rounding


@dataclass(frozen=True)
class ColumnSummary:
    """One column: n valid, missing, mean, SD (divisor n−1), range, sample-corrected skewness and excess kurtosis."""

    n: int
    missing: int
    mean: float | None
    sd: float | None
    min: float | None
    max: float | None
    skewness: float | None
    kurtosis: float | None


def summarise(values: Array) -> ColumnSummary:
    """Summary of one column (n,) with nan where missing; figures that need more or varying cases are None."""
    valid = values[~np.isnan(values)]
    n, missing = int(valid.size), int(values.size - valid.size)
    if n == 0:
        return ColumnSummary(0, missing, None, None, None, None, None, None)
    varies = n > 1 and bool(np.ptp(valid) > 0)
    return ColumnSummary(
        n=n,
        missing=missing,
        mean=float(valid.mean()),
        sd=float(valid.std(ddof=1)) if n > 1 else None,
        min=float(valid.min()),
        max=float(valid.max()),
        skewness=_skewness(valid) if varies and n > 2 else None,
        kurtosis=_kurtosis(valid) if varies and n > 3 else None,
    )


def _moment_ratio(values: Array, power: int) -> float:
    """mᵣ / m₂^(r/2), in units of the largest deviation so that nothing overflows."""
    gaps = values - values.mean()
    gaps = gaps / np.abs(gaps).max()
    return float((gaps**power).mean() / (gaps**2).mean() ** (power / 2))


def _skewness(values: Array) -> float:
    """G₁, corrected for the sample (Joanes & Gill 1998)."""
    n = values.size
    return _moment_ratio(values, 3) * float(np.sqrt(n * (n - 1))) / (n - 2)


def _kurtosis(values: Array) -> float:
    """G₂, excess and corrected for the sample (Joanes & Gill 1998)."""
    n = values.size
    return (n - 1) / ((n - 2) * (n - 3)) * ((n + 1) * (_moment_ratio(values, 4) - 3) + 6)


def shape_errors(n: int) -> tuple[float | None, float | None]:
    """Standard errors of sample-corrected skewness and excess kurtosis in normal data; None for too few cases."""
    if n < 4:
        return None, None
    skewness = float(np.sqrt(6 * n * (n - 1) / ((n - 2) * (n + 1) * (n + 3))))
    return skewness, float(2 * skewness * np.sqrt((n * n - 1) / ((n - 3) * (n + 5))))


def shapiro_wilk(values: Array, most: int = 200) -> float | None:
    """The p-value of Shapiro & Wilk's (1965) test of normality for 3 to `most` cases, None otherwise."""
    from scipy.stats import shapiro  # loaded late: it takes long, and a start does not need it

    valid = values[~np.isnan(values)]
    return float(shapiro(valid).pvalue) if 3 <= valid.size <= most else None


def _determined(names: Sequence[str], covariance: Array) -> tuple[str, tuple[str, ...]]:
    """The exact relation behind a singular covariance matrix in words, and the columns involved, the last named first."""
    correlation = correlation_from(covariance)
    p = len(names)
    for i in range(p):
        for j in range(i):
            if abs(correlation[i, j]) > 1 - 1e-10:
                return f"{names[j]} and {names[i]} are the same up to scale", (names[i], names[j])
            if abs(correlation[i, j]) > 1 - SINGULAR:
                same = f"{names[j]} and {names[i]} are the same but for less than one part in a thousand"
                return same, (names[i], names[j])
    values, vectors = np.linalg.eigh(correlation)
    if values[0] < -1e-8:
        words = "no set of answers could give these covariances; check the numbers and the order of the columns"
        return words, tuple(names)
    involved = [name for name, share in zip(names, np.abs(vectors[:, 0]), strict=True) if share > 1e-6]
    words = f"{listed(involved)} depend exactly on each other, as when one column is the sum of others"
    return words, tuple(reversed(involved))


def exact_relation(names: Sequence[str], correlation: Array) -> tuple[str, tuple[str, ...]] | None:
    """The exact relation among columns with these correlations (p, p), in words, and the columns involved; None where there is none."""
    if len(names) < 2 or positive_definite(correlation - SINGULAR * np.eye(len(names))):
        return None
    return _determined(names, correlation)


def check_covariance(names: Sequence[str], covariance: Array, n: int, given: bool = False) -> list[Problem]:
    """Problems that make a covariance matrix (p, p) unusable: too few cases, no variance, not positive definite. One that is
    `given` from elsewhere, with an n that somebody wrote down, need not be singular where that n is small."""
    p = len(names)
    variances = np.diag(covariance)
    constant = [name for name, variance in zip(names, variances, strict=True) if not variance > 0]
    if n < 2:
        message = f"Only {n} complete {'case is' if n == 1 else 'cases are'} left for the columns in use."
        return [Problem("no_cases", "error", message, tuple(names))]
    if constant:
        message = (
            f"{listed(constant)} {'does' if len(constant) == 1 else 'do'} not vary, so nothing can covary with it."
        )
        return [Problem("zero_variance", "error", message, tuple(constant))]
    if n <= p and not given:
        message = (
            f"{n} complete cases are too few for {p} columns: the covariance matrix is singular. Use fewer columns."
        )
        return [Problem("too_few_cases", "error", message, tuple(names))]
    relation = exact_relation(names, correlation_from(covariance))
    if relation is not None:
        words, involved = relation
        message = f"The covariance matrix is not positive definite: {words}."
        return [Problem("not_positive_definite", "error", message, involved)]
    if n <= p:
        message = (
            f"{n} cases cannot be behind this matrix: with no more cases than its {p} variables it could not be inverted, and it can "
            "be. Say how many cases there were."
        )
        return [Problem("too_few_cases", "error", message, tuple(names))]
    return []
