"""What further fits add to the results document: changes that were tried, and the half of the cases that was held out."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from dusk_arrow.core.specification.changes import AddIndicators, SetAside, SetCovariance
from dusk_arrow.results.document.basics import Part
from dusk_arrow.results.document.fit import FitPart


class WhatIfPart(Part):
    """A change and what would come of it by refitting: cases, figures of fit and of quality as they would be, and which of
    them would cross a cut-off. Without an estimation the figures are empty and the message says why."""

    change: Annotated[SetAside | SetCovariance | AddIndicators, Field(discriminator="type")]
    words: str
    n: int | None
    message: str | None
    fit: dict[str, float | None]
    quality: dict[str, float | None]
    crosses: list[str]


class HalfPath(Part):
    """A standardized path."""

    from_: str = Field(alias="from")
    to: str
    standardized: float | None


class HalfPart(Part):
    """The model fitted freely to one half of the cases."""

    n: int
    fit: FitPart | None
    paths: list[HalfPath]
    message: str | None


class HoldoutPart(Part):
    """Both halves, and how far the second is from what the first one says of it: F(S₂, Σ̂₁) of the estimator, beside
    F(S₁, Σ̂₁) (Cudeck & Browne 1983); among composites d_ULS of the correlations."""

    seed: int
    measure: str
    first: HalfPart
    second: HalfPart
    discrepancy: float | None
    own_discrepancy: float | None
