"""Multivariate normality and cases far from the centre."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.special import chdtrc, chdtri, ndtr

from dusk_arrow.core.linear_algebra import Array, correlation_from, positive_definite

BLOCK = 2000


@dataclass(frozen=True)
class MultivariateNormality:
    """Mardia's (1970) coefficients with their tests; the covariance matrix has divisor n."""

    skewness: float
    skewness_chi_square: float
    skewness_df: int
    skewness_p: float
    kurtosis: float
    kurtosis_z: float
    kurtosis_p: float


@dataclass(frozen=True)
class Distances:
    """Squared Mahalanobis distances (n,) with their p-values (n,), the covariance matrix with divisor n−1."""

    d2: Array
    p_value: Array

    def cut_off(self, columns: int, alpha: float = 0.001) -> float:
        """The d² beyond which a case counts as far out: the χ² quantile with as many df as columns."""
        return float(chdtri(columns, alpha))


def _whitened(values: Array, divisor: float) -> Array:
    """Rows (n, p) with mean zero and covariance matrix I. Raises LinAlgError where the columns are dependent."""
    centred = values - values.mean(axis=0)
    covariance = centred.T @ centred / divisor
    if not positive_definite(correlation_from(covariance) - 1e-10 * np.eye(len(covariance))):
        raise np.linalg.LinAlgError("dependent columns")
    factor = np.linalg.cholesky(covariance)
    result: Array = np.linalg.solve(factor, centred.T).T
    return result


def _mean_cube(rows: Array) -> float:
    """The mean cube of all scalar products of rows (n, p): over pairs of cases, or where there are many cases as the
    sum of squares of all third moments, which is the same number."""
    n, p = rows.shape
    if n <= p * p:
        total = 0.0
        for begin in range(0, n, BLOCK):
            total += float(((rows[begin : begin + BLOCK] @ rows.T) ** 3).sum())
        return float(total / n**2)
    return float(sum((((rows * rows[:, i : i + 1]).T @ rows / n) ** 2).sum() for i in range(p)))


def mardia(values: Array) -> MultivariateNormality:
    """Multivariate skewness and kurtosis of complete rows (n, p). Raises LinAlgError where columns are dependent.

    Skewness is the mean cube of all scalar products of whitened rows, tested by n·b/6 with p(p+1)(p+2)/6 df;
    kurtosis the mean fourth power of their lengths, tested against p(p+2) with error √(8p(p+2)/n).
    """
    n, p = values.shape
    rows = _whitened(values, n)
    skewness = _mean_cube(rows)
    kurtosis = float(((rows**2).sum(axis=1) ** 2).mean())
    df = p * (p + 1) * (p + 2) // 6
    chi_square = n * skewness / 6
    z = (kurtosis - p * (p + 2)) / np.sqrt(8 * p * (p + 2) / n)
    return MultivariateNormality(
        skewness, chi_square, df, float(chdtrc(df, chi_square)), kurtosis, float(z), float(2 * ndtr(-abs(z)))
    )


def mahalanobis(values: Array) -> Distances:
    """Squared distances of complete rows (n, p) from their mean. Raises LinAlgError where columns are dependent."""
    n, p = values.shape
    d2 = (_whitened(values, n - 1) ** 2).sum(axis=1)
    return Distances(d2, chdtrc(p, d2))
