"""Measurement quality and scores in the results document."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from dusk_arrow.results.document.basics import Bootstrap, Matrix, Part


class ConstructPart(Part):
    """Measurement quality of one construct; `direction` is −1 where most of its indicators load negatively, because the
    one that carries the scale runs against them."""

    name: str
    mode: Literal["reflective", "formative"]
    alpha: float | None
    alpha_standardized: float | None
    rho_a: float | None = None
    composite_reliability: float | None
    ave: float | None
    vif_full: float | None = None
    htmt_highest: float | None = None
    direction: Literal[1, -1] = 1


class LoadingPart(Part):
    """One indicator in use: standardized loading, standardized weight (formative), VIF within its block."""

    construct_: str = Field(alias="construct")
    indicator: str
    loading: float | None
    weight: float | None
    vif: float | None


class HtmtPart(Part):
    """HTMT of a pair of constructs."""

    a: str
    b: str
    value: float | None
    signed: float | None = None
    bootstrap: Bootstrap | None = None


class AntecedentVif(Part):
    """Collinearity of one antecedent among all antecedents of an outcome."""

    outcome: str
    antecedent: str
    vif: float | None


class RedundancyPart(Part):
    """A formative construct and the item that sums it up: their correlation over the `n` cases that answered both; null
    where it could not be had."""

    construct_: str = Field(alias="construct")
    item: str
    correlation: float | None
    n: int


class QualityPart(Part):
    """Measurement quality and collinearity."""

    constructs: list[ConstructPart]
    loadings: list[LoadingPart]
    cross_loadings: Matrix
    construct_correlations: Matrix
    fornell_larcker: Matrix
    htmt: list[HtmtPart]
    htmt2: list[HtmtPart] | None = None
    vif_antecedents: list[AntecedentVif]
    redundancy: list[RedundancyPart] = []


class ScoreDescriptivesPart(Part):
    """The scores of one construct over the cases that have every answer: their number, mean, SD (divisor n−1), ends,
    skewness and excess kurtosis."""

    construct_: str = Field(alias="construct")
    n: int
    mean: float | None
    sd: float | None
    min: float | None
    max: float | None
    skewness: float | None
    kurtosis: float | None


class ScoresPart(Part):
    """Weights of the deviations of the observed variables from `means`, one row a construct, and the scores' origin;
    Bartlett's are null where no observed variable shows a construct directly."""

    regression: Matrix
    bartlett: Matrix | None
    means: list[float] | None
    origin: list[float]
    descriptives: list[ScoreDescriptivesPart] | None = None
