"""Constructs proposed from the names of columns, with the correlations of their items as evidence."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from pydantic import BaseModel

from dusk_arrow.core.assessment.reliability import cronbach_alpha
from dusk_arrow.core.linear_algebra import Array, correlation_from
from dusk_arrow.core.observations.data import Moments, Source
from dusk_arrow.core.observations.moments import covariance
from dusk_arrow.core.observations.stems import Block

LEAST_CASES = 10


class ConstructProposal(BaseModel):
    """Columns of one stem as a construct: how much they correlate on average and at the ends, Cronbach's alpha, and the item
    that hangs together least with the others (its mean correlation with them). Null where there are too few cases."""

    stem: str
    columns: list[str]
    n: int
    mean_correlation: float | None
    lowest_correlation: float | None
    highest_correlation: float | None
    alpha: float | None
    weakest: str | None
    weakest_correlation: float | None
    against: list[str]


def _moments(source: Source, names: Sequence[str]) -> tuple[Array, int] | None:
    """The covariances of columns with the cases they rest on; None where there is nothing to correlate."""
    if isinstance(source, Moments):
        at = [source.names.index(name) for name in names]
        return source.covariance[np.ix_(at, at)], source.n
    values = source.matrix(tuple(names))
    whole = values[~np.isnan(values).any(axis=1)]
    if len(whole) < LEAST_CASES or (np.ptp(whole, axis=0) == 0).any():
        return None
    return covariance(whole), len(whole)


def _numeric(source: Source, names: Sequence[str]) -> list[str]:
    if isinstance(source, Moments):
        return list(names)
    return [
        n for n in names if (c := source.column(n)).numbers is not None and c.level not in ("identifier", "category")
    ]


def proposed_constructs(source: Source, blocks: Sequence[Block]) -> list[ConstructProposal]:
    """A construct for every stem with two or more columns of numbers, by complete cases of the block."""
    found = []
    for block in blocks:
        names = _numeric(source, block.columns)
        if block.stem is None or len(names) < 2:
            continue
        known = _moments(source, names)
        if known is None:
            found.append(_proposal(block.stem, names, 0, None))
        else:
            found.append(_proposal(block.stem, names, known[1], known[0]))
    return found


def _proposal(stem: str, names: list[str], n: int, moments: Array | None) -> ConstructProposal:
    if moments is None:
        return ConstructProposal(
            stem=stem, columns=names, n=n, mean_correlation=None, lowest_correlation=None, highest_correlation=None,
            alpha=None, weakest=None, weakest_correlation=None, against=[],
        )  # fmt: skip
    correlation = correlation_from(moments)
    off = ~np.eye(len(names), dtype=bool)
    own = np.where(off, correlation, 0).sum(axis=1) / (len(names) - 1)
    weakest = int(np.argmin(own))
    return ConstructProposal(
        stem=stem,
        columns=names,
        n=n,
        mean_correlation=float(correlation[off].mean()),
        lowest_correlation=float(correlation[off].min()),
        highest_correlation=float(correlation[off].max()),
        alpha=float(cronbach_alpha(moments)),
        weakest=names[weakest] if len(names) > 2 else None,
        weakest_correlation=float(own[weakest]) if len(names) > 2 else None,
        against=[name for name, value in zip(names, own, strict=True) if value < 0],
    )
