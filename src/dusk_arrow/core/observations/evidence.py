"""What the data hold on the columns in use: complete cases, filled ones, incomplete ones, or a matrix from elsewhere.

Each is a value of its own; a model of several groups has a tuple of them. All answer alike: covariances S (p, p), means
(p,), n, the multiplier N or N−1 of the discrepancy, what identifies them, themselves as a batch of one sample, and
(where there are cases) any number of resamples.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.identity import digest_of
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.derived import (
    Deriving,
    Formed,
    moments_of,
    pairwise_moments_of,
    pattern_moments_of,
)
from dusk_arrow.core.observations.missing import (
    Pattern,
    PatternMoments,
    em_batch,
    pattern_moments,
)
from dusk_arrow.core.observations.moments import (
    answers_do_not_vary,
    does_not_vary,
    prepare_filled_products,
    prepare_pairs,
    prepare_products,
    resample_covariances,
    resample_filled,
    resample_means,
    resample_pairs,
)

Missing = Literal["listwise", "full-information", "mean", "pairwise"]
Divisor = Literal["n", "n-1"]


@dataclass(frozen=True)
class Samples:
    """A batch of b samples: covariances (b, p, p), means (b, p) or None, and which of them can be used (b,).

    `patterns` holds the moments by pattern where answers are missing; `cases` gives the rows of one member, None where
    there are none or where they are incomplete. `reference` (p, p) are the covariances of the sample that all come from. In
    resamples `still` (b, p) says which columns do not vary; such a resample cannot be used.
    """

    covariances: Array
    means: Array | None
    usable: NDArray[np.bool_]
    reference: Array
    patterns: PatternMoments | None = None
    cases: Callable[[int], Array] | None = None
    still: NDArray[np.bool_] | None = None


Resample = Callable[[Array], Samples]
"""Samples from how often each case is drawn (b, n)."""


def counted_still(samples: Samples) -> Array:
    """In how many of the resamples each column (p,) does not vary."""
    return np.zeros(samples.covariances.shape[-1]) if samples.still is None else samples.still.sum(axis=0)


@dataclass(frozen=True)
class MatrixEvidence:
    """A covariance matrix (p, p) from elsewhere, in the divisor asked for, with means (p,) if it came with any."""

    covariance: Array
    means: Array | None
    n: int
    divisor: Divisor = "n"

    @property
    def n_total(self) -> int:
        """The number of cases behind the matrix."""
        return self.n

    @property
    def multiplier(self) -> float:
        """N or N−1."""
        return _multiplier(self.n, self.divisor)

    @property
    def answers(self) -> Array:
        """What is analysed (p, p): the covariances themselves."""
        return self.covariance

    def samples(self) -> Samples:
        """The matrix as a batch of one."""
        means = None if self.means is None else self.means[None]
        return Samples(self.covariance[None], means, np.ones(1, dtype=bool), self.covariance)


class _Rows:
    """Cases (n, p) that are weighed by N or N−1."""

    values: Array
    divisor: Divisor

    @property
    def n(self) -> int:
        """The number of cases, those with any answer where some are missing."""
        return int(self.values.shape[0])

    @property
    def multiplier(self) -> float:
        """N or N−1."""
        return _multiplier(self.n, self.divisor)


@dataclass(frozen=True)
class CompleteCases(_Rows):
    """Cases (n, p) without a gap, those of `n_total` that have every answer."""

    values: Array
    covariance: Array
    means: Array
    n_total: int
    divisor: Divisor = "n"
    deriving: Deriving | None = None

    @property
    def answers(self) -> Array:
        """What is analysed (n, p)."""
        return self.values

    def samples(self) -> Samples:
        """The sample as a batch of one."""
        one = np.ones(1, dtype=bool)
        return Samples(self.covariance[None], self.means[None], one, self.covariance, None, lambda _: self.values)

    def resampling(self) -> Resample:
        """Resamples from counts per case (b, n), from one matrix product where no column is derived."""
        if self.deriving is not None:
            return _forming_anew(self, self.deriving, moments_of)
        products, offset = prepare_products(self.values), offset_of(self.divisor)

        def draw(counts: Array) -> Samples:
            covariances, means = resample_covariances(products, counts, offset), resample_means(products, counts)
            still = does_not_vary(covariances, means - self.means)
            usable = np.logical_not(still.any(axis=1))
            return Samples(covariances, means, usable, self.covariance, None, _repeated(self.values, counts), still)

        return draw


@dataclass(frozen=True)
class FilledCases(_Rows):
    """Cases (n, p) whose gaps were filled with their column's mean; `there` says which answers were given."""

    values: Array
    there: NDArray[np.bool_]
    covariance: Array
    means: Array
    n_total: int
    divisor: Divisor = "n"
    deriving: Deriving | None = None

    @property
    def answers(self) -> Array:
        """What is analysed (n, p), nan where an answer was missing."""
        return np.where(self.there, self.values, np.nan)

    def samples(self) -> Samples:
        """The sample as a batch of one."""
        one = np.ones(1, dtype=bool)
        return Samples(self.covariance[None], self.means[None], one, self.covariance, None, lambda _: self.values)

    def resampling(self) -> Resample:
        """Resamples whose gaps are filled with each resample's own means."""
        if self.deriving is not None:
            return _forming_anew(self, self.deriving, moments_of)
        products, offset = prepare_filled_products(self.values, self.there), offset_of(self.divisor)

        def draw(counts: Array) -> Samples:
            covariances, means = resample_filled(products, counts, offset)
            still = does_not_vary(covariances, means - self.means)
            usable = np.logical_not(still.any(axis=1))

            def cases(at: int) -> Array:
                return np.repeat(np.where(self.there, self.values, means[at]), counts[at].astype(int), axis=0)

            return Samples(covariances, means, usable, self.covariance, None, cases, still)

        return draw


@dataclass(frozen=True)
class IncompleteCases:
    """Cases (n, p) with nan where an answer is missing; S and means are the saturated (EM) ones, `converged` says whether
    those were found. They are analysed by likelihood, so the multiplier is N."""

    values: Array
    patterns: tuple[Pattern, ...]
    covariance: Array
    means: Array
    n_total: int
    converged: bool
    moments: PatternMoments = field(repr=False)
    deriving: Deriving | None = None

    @property
    def n(self) -> int:
        """The number of cases."""
        return int(self.values.shape[0])

    @cached_property
    def never_together(self) -> tuple[tuple[int, int], ...]:
        """Pairs of columns that no case has both answers of: the answers say nothing of their covariance."""
        masks = self.moments.masks.astype(int)
        rows, columns = np.nonzero(np.tril(masks.T @ masks == 0))
        return tuple(zip(columns.tolist(), rows.tolist(), strict=True))

    @property
    def multiplier(self) -> float:
        """N."""
        return float(self.n)

    @property
    def answers(self) -> Array:
        """What is analysed (n, p), nan where an answer is missing."""
        return self.values

    def samples(self) -> Samples:
        """The sample as a batch of one."""
        return Samples(self.covariance[None], self.means[None], np.ones(1, dtype=bool), self.covariance, self.moments)

    def resampling(self) -> Resample:
        """Resamples with saturated moments of their own; one whose moments are not found cannot be used."""

        def draw(counts: Array) -> Samples:
            b = counts.shape[0]
            means = np.broadcast_to(self.means, (b, *self.means.shape)).copy()
            spreads = np.broadcast_to(self.covariance, (b, *self.covariance.shape)).copy()
            moments, still = self._patterns_of(counts)
            usable = np.logical_not(still.any(axis=1))
            own = np.flatnonzero(usable)  # the others have no moments to be found
            found = em_batch(moments.take(own), means[own], spreads[own], 1e-6, 300)
            means[own], spreads[own], usable[own] = found.mean, found.covariance, found.converged
            return Samples(spreads, means, usable, self.covariance, moments, still=still)

        return draw

    def _patterns_of(self, counts: Array) -> tuple[PatternMoments, NDArray[np.bool_]]:
        """Moments by pattern of resamples (b, n), and which columns (b, p) do not vary in them."""
        groups = list(self.patterns)
        if self.deriving is None:
            moments = pattern_moments(self.values, groups, counts)
            return moments, answers_do_not_vary(self.values - self.means, counts)
        parts = [
            (pattern_moments_of(formed, groups), _still_of(formed, self.means))
            for _, formed in self.deriving.in_slices(counts)
        ]
        found = [part for part, _ in parts]
        return PatternMoments(
            found[0].masks,
            np.concatenate([part.shares for part in found]),
            np.concatenate([part.means for part in found]),
            np.concatenate([part.covariances for part in found]),
        ), np.concatenate([still for _, still in parts])


@dataclass(frozen=True)
class PairwiseCases(_Rows):
    """Cases (n, p) with nan where an answer is missing; every correlation is of the cases that have both answers, every
    standard deviation and mean of those that have the one."""

    values: Array
    covariance: Array
    means: Array
    n_total: int
    divisor: Divisor = "n"
    deriving: Deriving | None = None

    @property
    def answers(self) -> Array:
        """What is analysed (n, p), nan where an answer is missing."""
        return self.values

    def samples(self) -> Samples:
        """The sample as a batch of one."""
        return Samples(self.covariance[None], self.means[None], np.ones(1, dtype=bool), self.covariance)

    def resampling(self) -> Resample:
        """Resamples with pairwise moments of their own; one in which some pair has no case cannot be used."""
        if self.deriving is not None:
            return _forming_anew(self, self.deriving, pairwise_moments_of)
        products, offset = prepare_pairs(self.values), offset_of(self.divisor)

        def draw(counts: Array) -> Samples:
            covariances, means = resample_pairs(products, counts, offset)
            still = answers_do_not_vary(self.values - self.means, counts)
            usable = np.asarray(np.isfinite(covariances).all(axis=(1, 2))) & ~still.any(axis=1)
            return Samples(covariances, means, usable, self.covariance, still=still)

        return draw


def _still_of(formed: Formed, means: Array) -> NDArray[np.bool_]:
    """Which columns (b, p) do not vary in samples whose derived columns are their own, from the whole sample's means (p,)."""
    covariances, own = moments_of(formed)
    return does_not_vary(covariances, own - means)


def _forming_anew(
    whole: CompleteCases | FilledCases | PairwiseCases,
    deriving: Deriving,
    moments: Callable[[Formed, int], tuple[Array, Array]],
) -> Resample:
    """Resamples whose derived columns are their own; one in which a column does not vary, or some pair has no case, cannot be
    used."""
    offset = offset_of(whole.divisor)

    def draw(counts: Array) -> Samples:
        b, p = counts.shape[0], whole.means.size
        covariances, means, still = np.zeros((b, p, p)), np.zeros((b, p)), np.zeros((b, p), dtype=bool)
        for some, formed in deriving.in_slices(counts):
            covariances[some], means[some] = moments(formed, offset)
            still[some] = _still_of(formed, whole.means)
        usable = np.asarray(np.isfinite(covariances).all(axis=(1, 2))) & ~still.any(axis=1)

        def cases(at: int) -> Array:
            values = deriving.formed(counts[at : at + 1])[0]
            return np.repeat(np.where(np.isnan(values), means[at], values), counts[at].astype(int), axis=0)

        return Samples(covariances, means, usable, whole.covariance, cases=cases, still=still)

    return draw


Cases = CompleteCases | FilledCases | IncompleteCases | PairwiseCases
Evidence = Cases | MatrixEvidence


def _multiplier(n: int, divisor: Divisor) -> float:
    return float(n - offset_of(divisor))


def offset_of(divisor: Divisor) -> int:
    """What a divisor takes off the number of cases."""
    return 0 if divisor == "n" else 1


def _repeated(values: Array, counts: Array) -> Callable[[int], Array]:
    """The rows of one resample, made when asked for: only distribution-free weights need them."""
    return lambda at: np.repeat(values, counts[at].astype(int), axis=0)


def never_together(evidence: Evidence) -> tuple[tuple[int, int], ...]:
    """Pairs of columns whose covariance the evidence says nothing of."""
    return evidence.never_together if isinstance(evidence, IncompleteCases) else ()


def identity_of(evidence: Sequence[Evidence], names: Sequence[tuple[str, ...]]) -> str:
    """A hash of what is analysed, whatever the order of the columns; of one group that of its evidence."""
    each = [identity(own, columns) for own, columns in zip(evidence, names, strict=True)]
    return each[0] if len(each) == 1 else digest_of(*each)


def identity(evidence: Evidence, names: tuple[str, ...]) -> str:
    """A hash of what is analysed: the columns by name, in any order, and the answers of the cases used, or the matrix with
    its means and its n."""
    order = sorted(range(len(names)), key=lambda i: names[i])
    ordered = [names[i] for i in order]
    if isinstance(evidence, MatrixEvidence):
        means = None if evidence.means is None else evidence.means[order]
        return digest_of(ordered, evidence.covariance[np.ix_(order, order)], means, evidence.n)
    return digest_of(ordered, evidence.answers[:, order], evidence.n)
