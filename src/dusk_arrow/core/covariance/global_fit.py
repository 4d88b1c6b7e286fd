"""The test of a whole model: its baseline, its goodness of fit in the discrepancy's own weight, its fit figures."""

from __future__ import annotations

import numpy as np

from dusk_arrow.core.assessment.fit import Fit, assess_fit, srmr, srmr_with_means
from dusk_arrow.core.covariance.discrepancies import DistributionFree
from dusk_arrow.core.covariance.estimation import Estimation
from dusk_arrow.core.covariance.evidence import Evidence, log_likelihoods, moment_covariance
from dusk_arrow.core.linear_algebra import Array


def _likelihood_baseline(evidence: Evidence) -> float:
    """T of uncorrelated variables by maximum likelihood, in closed form."""
    if evidence.groups is None:
        sd = np.sqrt(np.diag(evidence.covariance))
        _, log_det = np.linalg.slogdet(evidence.covariance / np.outer(sd, sd))
        return float(-evidence.multiplier * log_det)
    assert evidence.values is not None
    found = log_likelihoods(evidence, 0.0)
    assert found is not None
    there = (~np.isnan(evidence.values)).sum(axis=0)
    own = -there / 2 * (np.log(2 * np.pi * np.nanvar(evidence.values, axis=0)) + 1)
    return float(2 * (found[1] - own.sum()))


def _quadratic_minimum(moments: Array, weight: Array, free: Array) -> float:
    """Minimum of rᵀWr over the moments that are free, the others' model values being 0."""
    inner = weight[np.ix_(free, free)]
    cross = weight[free] @ moments
    return float(moments @ weight @ moments - cross @ np.linalg.solve(inner, cross))


def baseline_statistic(estimation: Estimation, evidence: Evidence, normal_theory: bool = True) -> float:
    """T of the model of uncorrelated variables with their own variances and means, by the model's own estimator."""
    sample = evidence.covariance
    if evidence.estimator == "ml":
        return _likelihood_baseline(evidence)
    if evidence.estimator == "gls":
        weight = np.linalg.inv(sample)
        diagonal = np.linalg.solve(weight**2, np.diag(weight))
        product = np.eye(len(sample)) - weight * diagonal
        return evidence.multiplier * float((product * product.T).sum()) / 2
    rows, columns = np.tril_indices(len(sample))
    if evidence.estimator == "adf":
        assert isinstance(estimation.discrepancy, DistributionFree)
        moments, weight = estimation.discrepancy.moments[0], estimation.discrepancy.weights[0]
        free = np.concatenate([rows == columns, np.ones(moments.size - rows.size, dtype=bool)])
        return evidence.multiplier * _quadratic_minimum(moments, weight, free)
    if normal_theory or evidence.values is None:
        correlation = sample[rows, columns] / np.sqrt(sample[rows, rows] * sample[columns, columns])
        return evidence.multiplier * float((correlation[rows != columns] ** 2).sum())
    weight = np.linalg.inv(moment_covariance(evidence.values, False))
    return evidence.multiplier * _quadratic_minimum(sample[rows, columns], weight, rows == columns)


def goodness_of_fit(estimation: Estimation, evidence: Evidence) -> float:
    """GFI: 1 less the weighted squares of the residuals over those of the moments (Tanaka & Huba 1985)."""
    sample, implied = evidence.covariance, estimation.implied
    if isinstance(estimation.discrepancy, DistributionFree):
        moments, weight = estimation.discrepancy.moments[0], estimation.discrepancy.weights[0]
        rows, columns = np.tril_indices(len(sample))
        own = (slice(0, rows.size), slice(0, rows.size))
        gap = (sample - implied)[rows, columns]
        whole = moments[: rows.size]
        return float(1 - gap @ weight[own] @ gap / (whole @ weight[own] @ whole))
    if evidence.estimator == "uls":
        return float(1 - ((sample - implied) ** 2).sum() / (sample**2).sum())
    weighted = np.linalg.inv(implied if evidence.estimator == "ml" else sample) @ np.stack([sample - implied, sample])
    squares = (weighted * np.swapaxes(weighted, -1, -2)).sum(axis=(-2, -1))
    return float(1 - squares[0] / squares[1])


def assess_model(estimation: Estimation, evidence: Evidence, normal_theory: bool = True) -> Fit:
    """All fit figures of an estimated model."""
    table = estimation.model.table
    p = len(table.observed)
    if estimation.implied_means is not None and evidence.means is not None:
        residual = srmr_with_means(evidence.covariance, estimation.implied, evidence.means, estimation.implied_means)
    else:
        residual = float(srmr(evidence.covariance, estimation.implied))
    return assess_fit(
        estimation.statistic,
        table.n_moments - table.n_free,
        baseline_statistic(estimation, evidence, normal_theory),
        p * (p - 1) // 2,
        n_parameters=table.n_free,
        n=evidence.n,
        multiplier=evidence.multiplier,
        srmr=residual,
        gfi=goodness_of_fit(estimation, evidence),
        n_moments=table.n_moments,
        likelihoods=log_likelihoods(evidence, estimation.solution.discrepancy),
    )
