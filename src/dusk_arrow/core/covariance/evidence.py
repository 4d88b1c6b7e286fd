"""What a model is fitted to: moments of complete, filled or incomplete cases, or a matrix; and resamples of them."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.covariance.discrepancies import (
    Discrepancy,
    DistributionFree,
    PatternLikelihood,
    WeightedSquares,
    normal_likelihood,
)
from dusk_arrow.core.linear_algebra import Array, guarded_cholesky, log_determinant
from dusk_arrow.core.observations.data import DataSet, Moments
from dusk_arrow.core.observations.missing import (
    Pattern,
    PatternMoments,
    em_batch,
    em_moments,
    likelihood_terms,
    pattern_moments,
    patterns,
)
from dusk_arrow.core.observations.moments import (
    Products,
    complete_cases,
    covariance,
    fill_with_means,
    prepare_filled_products,
    prepare_products,
    resample_covariances,
    resample_filled,
    resample_means,
)


class SingularMomentsError(np.linalg.LinAlgError):
    """The sample's covariances, or the covariances of its moments, are singular; `what` says which."""

    def __init__(self, what: Literal["sample", "moments"]) -> None:
        super().__init__(f"singular {what}")
        self.what = what


Estimator = Literal["ml", "gls", "uls", "adf"]
Missing = Literal["listwise", "full-information", "mean"]
Divisor = Literal["n", "n-1"]


@dataclass(frozen=True)
class Evidence:
    """Covariances S (p, p) and means (p,) in the model's order from n of n_total cases, and how they are analysed.

    `values` (n, p) are the cases, None for a matrix: complete ones (listwise), filled ones (`there` says which answers
    were given), or with nan where an answer is missing (full information; S and means are then the EM moments).
    `multiplier` is what F is multiplied with for χ² and for the errors.
    """

    covariance: Array
    means: Array | None
    n: int
    n_total: int
    values: Array | None
    estimator: Estimator = "ml"
    divisor: Divisor = "n"
    with_means: bool = False
    there: NDArray[np.bool_] | None = None
    groups: tuple[Pattern, ...] | None = None
    em_converged: bool = True

    @property
    def multiplier(self) -> float:
        """N or N−1."""
        return float(self.n if self.divisor == "n" or self.groups is not None else self.n - 1)

    def identity(self, names: tuple[str, ...]) -> str:
        """A hash of what is analysed: the columns by name, in any order, and the answers of the cases used, or the matrix
        with its n."""
        order = sorted(range(len(names)), key=lambda i: names[i])
        digest = hashlib.sha256("\0".join(names[i] for i in order).encode())
        if self.values is None:
            digest.update(self.covariance[np.ix_(order, order)].astype("<f8").tobytes())
        else:
            answers = self.values[:, order] + 0.0
            gaps = np.isnan(answers) if self.there is None else ~self.there[:, order]
            digest.update(np.where(gaps, np.nan, answers).astype("<f8").tobytes())
        digest.update(str(self.n).encode())
        return digest.hexdigest()

    @property
    def complete(self) -> bool:
        """Whether there are cases, all without a gap and none filled."""
        return self.values is not None and self.groups is None and self.there is None


def gather(
    source: DataSet | Moments,
    names: tuple[str, ...],
    estimator: Estimator = "ml",
    missing: Missing = "listwise",
    divisor: Divisor = "n",
    with_means: bool = False,
) -> Evidence:
    """The evidence that a data set or matrix holds on the columns in use."""
    if isinstance(source, Moments):
        order = [source.names.index(name) for name in names]
        wanted = source.n if divisor == "n" else source.n - 1
        matrix = source.covariance[np.ix_(order, order)] * (source.n - source.divisor_offset) / wanted
        means = None if source.means is None else source.means[order]
        return Evidence(matrix, means, source.n, source.n, None, estimator, divisor, with_means)
    values = source.matrix(names)
    n_total = int(values.shape[0])
    answered = values[~np.isnan(values).all(axis=1)]
    if missing == "full-information" and np.isnan(answered).any():
        return _incomplete(answered, n_total)
    there = None
    if missing == "mean":
        there = ~np.isnan(answered)
        kept = fill_with_means(answered)
        there = None if there.all() else there
    else:
        kept = complete_cases(values)
    n = int(kept.shape[0])
    if n < 2:
        return Evidence(np.full((len(names), len(names)), np.nan), None, n, n_total, kept, estimator, divisor)
    matrix = covariance(kept, n if divisor == "n" else n - 1)
    return Evidence(matrix, kept.mean(axis=0), n, n_total, kept, estimator, divisor, with_means, there)


def _incomplete(values: Array, n_total: int) -> Evidence:
    p = values.shape[1]
    if values.shape[0] < 2 or np.isnan(values).all(axis=0).any():
        return Evidence(np.full((p, p), np.nan), None, values.shape[0], n_total, values)
    found, groups = em_moments(values), tuple(patterns(values))
    return Evidence(
        found.covariance, found.mean, values.shape[0], n_total, values, "ml", "n", True, None, groups, found.converged
    )


def pattern_likelihood(moments: PatternMoments, means: Array, covariances: Array) -> PatternLikelihood:
    """The discrepancy whose zero is at saturated moments (b, p) and (b, p, p)."""
    return PatternLikelihood(moments, likelihood_terms(moments, covariances, means).value)


def _one_pattern(means: Array, covariances: Array) -> PatternMoments:
    b, p = means.shape
    return PatternMoments(np.ones((1, p), dtype=bool), np.ones((b, 1)), means[:, None], covariances[:, None])


def moment_covariance(values: Array, with_means: bool) -> Array:
    """Γ̂ (k, k): the covariance, with divisor n, of each case's products of deviations, and of the values themselves."""
    centred = values - values.mean(axis=0)
    rows, columns = np.tril_indices(values.shape[1])
    cases = centred[:, rows] * centred[:, columns]
    if with_means:
        cases = np.concatenate([cases, centred], axis=1)
    cases = cases - cases.mean(axis=0)
    result: Array = cases.T @ cases / values.shape[0]
    return result


def discrepancy_of(evidence: Evidence) -> Discrepancy:
    """The discrepancy of the evidence as a batch of one. Raises SingularMomentsError where S or ADF's weights are singular."""
    if evidence.groups is not None:
        assert evidence.values is not None
        assert evidence.means is not None
        moments = pattern_moments(evidence.values, list(evidence.groups))
        return pattern_likelihood(moments, evidence.means[None], evidence.covariance[None])
    values = None if evidence.values is None or evidence.estimator != "adf" else evidence.values[None]
    means = None if evidence.means is None else evidence.means[None]
    discrepancy, usable = batch_discrepancy(evidence, evidence.covariance[None], means, values)
    if not usable.all():
        raise SingularMomentsError("moments" if evidence.estimator == "adf" else "sample")
    return discrepancy


def batch_discrepancy(
    evidence: Evidence, samples: Array, means: Array | None, values: Array | None
) -> tuple[Discrepancy, NDArray[np.bool_]]:
    """The discrepancy of complete samples (b, p, p) with means (b, p), and which can be used; ADF needs their cases."""
    kept = means if evidence.with_means else None
    if evidence.estimator == "ml":
        likelihood, good = normal_likelihood(samples)
        if kept is None:
            return likelihood, good
        return pattern_likelihood(_one_pattern(kept, likelihood.samples), kept, likelihood.samples), good
    _, safe, good = guarded_cholesky(samples)
    if evidence.estimator == "gls":
        return WeightedSquares(safe, np.linalg.inv(safe), kept), good
    if evidence.estimator == "uls":
        size = 1.0 if kept is not None else np.trace(evidence.covariance) / evidence.covariance.shape[0]
        weight = np.broadcast_to(np.eye(samples.shape[-1]) / size, samples.shape)  # F without the data's own unit
        return WeightedSquares(samples, weight, kept), good
    assert values is not None
    rows, columns = np.tril_indices(samples.shape[-1])
    moments = samples[:, rows, columns]
    if kept is not None:
        moments = np.concatenate([moments, kept], axis=1)
    gamma = np.stack([moment_covariance(one, evidence.with_means) for one in values])
    _, gamma, invertible = guarded_cholesky(gamma)
    return DistributionFree(moments, np.linalg.inv(gamma)), good & invertible


class Draw(NamedTuple):
    """Resamples: covariances (b, p, p), means (b, p), their discrepancy, and which of them can be used (b,)."""

    samples: Array
    means: Array
    discrepancy: Discrepancy
    usable: NDArray[np.bool_]


@dataclass(frozen=True)
class Resampling:
    """Evidence with what is computed once for all its resamples."""

    evidence: Evidence
    products: Products | None

    def draw(self, counts: Array) -> Draw:
        """The resamples of given counts per case (b, n); their size is each row's sum."""
        evidence, values = self.evidence, self.evidence.values
        assert values is not None
        if evidence.groups is not None:
            return self._incomplete(counts)
        assert self.products is not None
        offset = 0 if evidence.divisor == "n" else 1
        if evidence.there is not None:
            samples, means = resample_filled(self.products, counts, offset)
        else:
            samples = resample_covariances(self.products, counts, offset)
            means = resample_means(self.products, counts)
        cases = None
        if evidence.estimator == "adf":
            repeated = counts.astype(int)
            cases = np.stack([np.repeat(values, row, axis=0) for row in repeated])
        discrepancy, usable = batch_discrepancy(evidence, samples, means, cases)
        return Draw(samples, means, discrepancy, usable)

    def _incomplete(self, counts: Array) -> Draw:
        evidence = self.evidence
        assert evidence.values is not None
        assert evidence.groups is not None
        assert evidence.means is not None
        moments = pattern_moments(evidence.values, list(evidence.groups), counts)
        b = counts.shape[0]
        mean = np.broadcast_to(evidence.means, (b, *evidence.means.shape))
        spread = np.broadcast_to(evidence.covariance, (b, *evidence.covariance.shape))
        found = em_batch(moments, mean, spread, 1e-6, 300)
        _, safe, good = guarded_cholesky(found.covariance)
        likelihood = pattern_likelihood(moments, found.mean, safe)
        return Draw(found.covariance, found.mean, likelihood, good & found.converged)


def prepare_resampling(evidence: Evidence) -> Resampling:
    """Column products of the cases."""
    assert evidence.values is not None
    if evidence.groups is not None:
        return Resampling(evidence, None)
    if evidence.there is not None:
        return Resampling(evidence, prepare_filled_products(evidence.values, evidence.there))
    return Resampling(evidence, prepare_products(evidence.values))


def log_likelihoods(evidence: Evidence, discrepancy: float) -> tuple[float, float] | None:
    """logL of a model with this discrepancy and of the saturated model; None for estimators without a likelihood."""
    if evidence.estimator != "ml":
        return None
    p = evidence.covariance.shape[0]
    if evidence.groups is not None:
        assert evidence.values is not None
        assert evidence.means is not None
        moments = pattern_moments(evidence.values, list(evidence.groups))
        value = float(likelihood_terms(moments, evidence.covariance[None], evidence.means[None]).value[0])
        answers = float((~np.isnan(evidence.values)).sum()) * np.log(2 * np.pi)
        saturated = -(evidence.n * value + answers) / 2
    else:
        factors, _, _ = guarded_cholesky(evidence.covariance)
        saturated = -evidence.n / 2 * (p * np.log(2 * np.pi) + float(log_determinant(factors)) + p)
    return saturated - evidence.n / 2 * discrepancy, saturated
