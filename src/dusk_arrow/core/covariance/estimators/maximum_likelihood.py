"""Maximum likelihood: from covariances, from covariances and means, or from every case's own answers."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.discrepancies.discrepancy import Discrepancy
from dusk_arrow.core.covariance.discrepancies.likelihood import normal_likelihood
from dusk_arrow.core.covariance.discrepancies.patterns import PatternLikelihood
from dusk_arrow.core.covariance.estimators.estimator import (
    Estimator,
    normal_variances,
    second_order_slopes,
    weighted_squares,
)
from dusk_arrow.core.covariance.moment_layout import MomentLayout
from dusk_arrow.core.covariance.point import BlockPoint, Point
from dusk_arrow.core.covariance.robust import (
    Errors,
    Traces,
    baseline_trace,
    fourth_moment_trace,
    incomplete_traces,
)
from dusk_arrow.core.linear_algebra import Array, guarded_cholesky, log_determinant
from dusk_arrow.core.observations.evidence import Evidence, IncompleteCases, MatrixEvidence, Samples
from dusk_arrow.core.observations.missing import PatternMoments, likelihood_terms
from dusk_arrow.core.problems import Problem


class MaximumLikelihood(Estimator):
    """Wishart or normal likelihood (Jöreskog 1967); with missing answers full information (Arbuckle 1996)."""

    words = "maximum likelihood"
    transforms = True
    takes_incomplete = True

    def discrepancy(self, samples: Samples, layout: MomentLayout) -> tuple[Discrepancy, NDArray[np.bool_]]:
        """The likelihood ratio against the saturated model."""
        if samples.patterns is None and not layout.means:
            likelihood, good = normal_likelihood(samples.covariances)
            return likelihood, good & samples.usable
        assert samples.means is not None
        _, safe, good = guarded_cholesky(samples.covariances)
        moments = samples.patterns or _one_pattern(samples.means, safe)
        saturated = likelihood_terms(moments, safe, samples.means).value
        return PatternLikelihood(moments, saturated), good & samples.usable

    def refusals(self, evidence: Evidence, layout: MomentLayout, errors: Errors) -> list[Problem]:
        """Satorra–Bentler's errors are made for complete cases."""
        if isinstance(evidence, IncompleteCases) and errors == "satorra-bentler":
            message = (
                "Satorra–Bentler errors need complete cases. With missing answers use the sandwich (Yuan–Bentler)."
            )
            return [Problem("errors_need_complete_cases", "error", message)]
        return []

    def block_baseline(self, point: BlockPoint, errors: Errors) -> float:
        """In closed form."""
        evidence = point.evidence
        if isinstance(evidence, IncompleteCases):
            there = (~np.isnan(evidence.values)).sum(axis=0)
            own = -there / 2 * (np.log(2 * np.pi * np.nanvar(evidence.values, axis=0)) + 1)
            return float(2 * (_saturated(evidence) - own.sum()))
        sd = np.sqrt(np.diag(evidence.covariance))
        _, log_det = np.linalg.slogdet(evidence.covariance / np.outer(sd, sd))
        return float(-evidence.multiplier * log_det)

    def squares(self, point: BlockPoint) -> tuple[float, float]:
        """In the weight Σ⁻¹."""
        return weighted_squares(point.inverse, point.evidence.covariance, point.covariance)

    def residual_variances(self, point: Point, block: BlockPoint, bread: Array) -> tuple[Array, Array]:
        """Normal data at the implied covariances (Jöreskog 1981)."""
        whole, slopes = normal_variances(block), second_order_slopes(block)
        return whole - block.share * ((slopes @ bread) * slopes).sum(axis=1), whole

    def log_likelihoods(self, point: Point) -> tuple[float, float] | None:
        """Both, the model's from the ratio."""
        saturated = sum(_saturated(own) for own in point.evidence)
        return saturated - sum(block.evidence.n / 2 * block.value for block in point.blocks), saturated

    def traces(self, point: BlockPoint, errors: Errors) -> Traces | None:
        """Satorra & Bentler (1994), or Yuan & Bentler (2000) with sandwich errors."""
        evidence = point.evidence
        assert not isinstance(evidence, MatrixEvidence)
        if isinstance(evidence, IncompleteCases):
            return incomplete_traces(point, evidence)
        values, p = evidence.values, point.layout.variables
        sample = evidence.covariance * (evidence.multiplier / evidence.n)
        if errors == "satorra-bentler":
            whole = fourth_moment_trace(values, point.inverse, sample)
            whole += float(np.trace(point.inverse @ sample)) if point.model.means else 0.0
            return Traces(whole, baseline_trace(values, sample, None, None))
        saturated = np.linalg.inv(sample)
        whole = fourth_moment_trace(values, saturated, sample)
        whole += p if point.model.means else p - float(np.trace(point.inverse @ sample))
        return Traces(whole, baseline_trace(values, sample, None, saturated))

    def normal_weights(self, point: BlockPoint) -> tuple[Array, Array]:
        """Σ⁻¹, and that of uncorrelated variables."""
        evidence = point.evidence
        variances = np.diag(evidence.covariance) * (evidence.multiplier / evidence.n)
        return point.inverse, np.diag(1 / variances)

    def _bread(self, point: Point, errors: Errors) -> Array:
        """Observed around the sandwich (Huber 1967; White 1982), expected for Satorra & Bentler (1994)."""
        return point.exact if errors in ("observed", "sandwich") else point.curvature

    def _score_weight(self, point: BlockPoint, errors: Errors) -> Array | None:
        return point.inverse if errors == "satorra-bentler" and point.model.means else None


def _one_pattern(means: Array, covariances: Array) -> PatternMoments:
    b, p = means.shape
    return PatternMoments(np.ones((1, p), dtype=bool), np.ones((b, 1)), means[:, None], covariances[:, None])


def _saturated(evidence: Evidence) -> float:
    """logL of the saturated model."""
    p = evidence.covariance.shape[0]
    if isinstance(evidence, IncompleteCases):
        terms = likelihood_terms(evidence.moments, evidence.covariance[None], evidence.means[None])
        answers = float((~np.isnan(evidence.values)).sum()) * np.log(2 * np.pi)
        return float(-(evidence.n * float(terms.value[0]) + answers) / 2)
    factors, _, _ = guarded_cholesky(evidence.covariance)
    return float(-evidence.n / 2 * (p * np.log(2 * np.pi) + float(log_determinant(factors)) + p))


ESTIMATOR = MaximumLikelihood()
