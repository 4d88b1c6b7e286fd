"""Fit in the results document: global, local, and of one factor behind all items."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from dusk_arrow.core.assessment.fit import TestKind
from dusk_arrow.core.parameter_key import ParameterKind
from dusk_arrow.results.document.basics import Interval, Matrix, Part


class BaselinePart(Part):
    """The model in which all observed variables are uncorrelated."""

    chi_square: float
    df: int


class ScaledPart(Part):
    """The mean-scaled test and what follows from it; robust figures after Brosseau-Liard, Savalei & Li (2012) and Brosseau-Liard & Savalei (2014)."""

    chi_square: float
    scaling_factor: float
    p_value: float
    cfi: float | None
    tli: float | None
    rmsea: float
    robust_cfi: float | None
    robust_tli: float | None
    robust_rmsea: float


class FitTestPart(Part):
    """One test of the model: T / `scaling_factor` + `shift` on `df`, which need not be whole, and what follows from it and from the
    baseline that is adjusted in the same way. `kind`: the estimator's own is *plain* or *residual-based*."""

    kind: TestKind
    chi_square: float
    df: float
    p_value: float | None
    scaling_factor: float
    shift: float
    cfi: float | None
    tli: float | None
    rmsea: float | None


class BollenStinePart(Part):
    """The fit tested on resamples of data transformed to the model: p = (exceeded + 1) / (used + 1)."""

    p_value: float
    exceeded: int
    requested: int
    used: int
    distribution: list[float]


DISTANCES = ("srmr", "d_uls", "d_g")


class DistancesPart(Part):
    """How far implied correlations are from the sample's."""

    srmr: float | None
    d_uls: float | None
    d_g: float | None


class Quantiles(Part):
    """What a figure would be by chance, were the model true: 95 and 99 of 100 resamples of data transformed to it are below."""

    q95: float
    q99: float


class ReferencePart(Part):
    """Reference quantiles of distances; null where the data could not be transformed to the model."""

    srmr: Quantiles | None
    d_uls: Quantiles | None
    d_g: Quantiles | None


class MeasurementFitPart(DistancesPart):
    """The measurement part alone, its constructs correlating as they do."""

    reference: ReferencePart | None = None


class FitPart(Part):
    """Global fit. Composites have no χ² and what follows from it; they have distances, of the whole model and of its
    measurement part, with reference quantiles from a bootstrap."""

    chi_square: float | None
    df: int | None
    p_value: float | None
    chi_square_per_df: float | None
    cfi: float | None
    tli: float | None
    nfi: float | None
    rfi: float | None
    ifi: float | None
    gfi: float | None
    agfi: float | None
    rmsea: float | None
    rmsea_interval: Interval | None
    close_fit_p: float | None
    srmr: float | None
    log_likelihood: float | None
    log_likelihood_saturated: float | None
    aic: float | None
    bic: float | None
    sabic: float | None
    ecvi: float | None
    n_parameters: int | None
    critical_n_05: float | None
    critical_n_01: float | None
    critical_n: float | None = None
    baseline: BaselinePart | None
    scaled: ScaledPart | None = None
    tests: list[FitTestPart] = []
    bollen_stine: BollenStinePart | None = None
    d_uls: float | None = None
    d_g: float | None = None
    reference: ReferencePart | None = None
    measurement_part: MeasurementFitPart | None = None
    implied_within: Literal["common factor", "composite"] | None = None


class ResidualsPart(Part):
    """Sample minus implied: raw, in correlations, and divided by their error."""

    raw: Matrix
    correlation: Matrix
    standardized: Matrix | None = None


class ModificationPart(Part):
    """What freeing one more parameter (or letting one leave an equality: `release`) would do: the fall of χ² and the
    change of the parameter, both expected."""

    kind: ParameterKind
    from_: str = Field(alias="from")
    to: str
    release: bool = False
    index: float
    expected_change: float
    standardized_change: float | None


class CommonMethodPart(Part):
    """One factor behind all `items` (reflective, of first-order constructs), and the measurement model of the same items on
    the same cases; composites are asked by maximum likelihood. There is no verdict on their difference."""

    items: int
    single_factor: FitPart
    measurement: FitPart
