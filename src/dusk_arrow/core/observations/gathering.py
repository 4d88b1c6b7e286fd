"""Gathering the evidence that a data set or matrix holds on the columns in use, and on those that are derived from some."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.data import DataSet, Moments
from dusk_arrow.core.observations.derived import Derived, Deriving
from dusk_arrow.core.observations.evidence import (
    CompleteCases,
    Divisor,
    Evidence,
    FilledCases,
    IncompleteCases,
    MatrixEvidence,
    Missing,
    PairwiseCases,
    offset_of,
)
from dusk_arrow.core.observations.missing import em_moments, pattern_moments, patterns
from dusk_arrow.core.observations.moments import (
    answers_do_not_vary,
    complete_cases,
    covariance,
    fill_with_means,
    prepare_pairs,
    resample_pairs,
)


def gather(
    source: DataSet | Moments,
    names: tuple[str, ...],
    missing: Missing = "listwise",
    divisor: Divisor = "n",
    derived: Sequence[Derived] = (),
) -> Evidence:
    """The evidence that a data set or matrix holds on the columns in use, observed ones and then those that are `derived`. Raises
    ValueError where columns are to be derived of a matrix, which has no cases."""
    if isinstance(source, Moments):
        if derived:
            raise ValueError("a matrix has no cases of which columns could be derived")
        order = [source.names.index(name) for name in names]
        wanted = source.n if divisor == "n" else source.n - 1
        by = 1.0 if source.correlations else (source.n - source.divisor_offset) / wanted
        matrix = source.covariance[np.ix_(order, order)] * by
        return MatrixEvidence(matrix, None if source.means is None else source.means[order], source.n, divisor)
    values, deriving = source.matrix(names), None
    n_total = int(values.shape[0])
    if derived:
        values, deriving = _with_derived(source, values, tuple(derived), missing)
    p = values.shape[1]
    answered = values[~np.isnan(values).all(axis=1)]
    if missing == "full-information" and np.isnan(answered).any():
        return _incomplete(answered, n_total, deriving)
    if missing == "pairwise" and np.isnan(answered).any():
        offset = offset_of(divisor)
        spread, centre = resample_pairs(prepare_pairs(answered), np.ones((1, answered.shape[0])), offset)
        return PairwiseCases(answered, spread[0], centre[0], n_total, divisor, deriving)
    there = None
    if missing == "mean":
        there = ~np.isnan(answered)
        kept = fill_with_means(answered)
    else:
        kept = complete_cases(values)
    n = int(kept.shape[0])
    unknown = np.full((p, p), np.nan), np.full(p, np.nan)
    matrix, means = (covariance(kept, n - offset_of(divisor)), kept.mean(axis=0)) if n > 1 else unknown
    if n > 1 and there is not None and not there.all():
        return FilledCases(kept, there, matrix, means, n_total, divisor, deriving)
    return CompleteCases(kept, matrix, means, n_total, divisor, deriving)


def _with_derived(source: DataSet, own: Array, rules: tuple[Derived, ...], missing: Missing) -> tuple[Array, Deriving]:
    """All columns (n, p + d) of the cases that take part, derived ones as the sample has them, and what they are formed of: of the
    cases with every answer (listwise), or with any in the columns in use."""
    names = tuple(dict.fromkeys(name for rule in rules for name in rule.parts))
    parts = source.matrix(names)
    rows = ~np.isnan(np.column_stack([own, parts])).any(axis=1)
    if missing != "listwise":
        rows = ~np.isnan(own).all(axis=1)
    deriving = Deriving(own[rows], dict(zip(names, parts[rows].T, strict=True)), rules)
    return deriving.formed(np.ones((1, int(rows.sum()))))[0], deriving


def _incomplete(values: Array, n_total: int, deriving: Deriving | None) -> Evidence:
    n, p = values.shape
    if n < 2 or np.isnan(values).all(axis=0).any():
        return CompleteCases(values, np.full((p, p), np.nan), np.full(p, np.nan), n_total)
    still = answers_do_not_vary(values - np.nanmean(values, axis=0), np.ones((1, n)))[0]
    if still.any():
        return CompleteCases(values, np.diag(np.where(still, 0.0, 1.0)), np.full(p, np.nan), n_total)
    found, groups = em_moments(values), patterns(values)
    return IncompleteCases(
        values,
        tuple(groups),
        found.covariance,
        found.mean,
        n_total,
        found.converged,
        pattern_moments(values, groups),
        deriving,
    )
