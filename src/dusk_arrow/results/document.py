"""The results document: everything an analysis found, in one JSON value that screens, figures and reports are made from.

Keys that others build on; add, do not rename. A figure that does not apply is null.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from dusk_arrow.core.observations.steps import Step
from dusk_arrow.core.options import Choose
from dusk_arrow.core.parameter_key import ParameterKind
from dusk_arrow.core.specification.changes import Change
from dusk_arrow.exchange.reading_options import ReadAgain
from dusk_arrow.results.settings import EstimatorName, FamilyName, Settings

Interval = tuple[float, float]
VERSION = 1


class Part(BaseModel):
    """A part of the document; `from` is a keyword in Python, so it is `from_` there."""

    model_config = ConfigDict(populate_by_name=True, serialize_by_alias=True)


class RepairPart(Part):
    """A repair: words for a button, and the change that it makes (null: advice only)."""

    words: str
    change: Annotated[Change | Step | ReadAgain | Choose, Field(discriminator="type")] | None


class PlacePart(Part):
    """A position in a text, counted from 1."""

    line: int
    column: int


class ProblemPart(Part):
    """What is wrong, where, and what can be done."""

    code: str
    severity: Literal["error", "warning", "note"]
    message: str
    about: list[str]
    repairs: list[RepairPart]
    place: PlacePart | None = None


class Matrix(Part):
    """A matrix with the names of its rows and columns."""

    rows: list[str]
    columns: list[str]
    values: list[list[float | None]]


class MomentsPart(Part):
    """Covariances and means of variables."""

    variables: list[str]
    covariance: list[list[float]]
    means: list[float] | None


class DataPart(Part):
    """Which data were analysed."""

    name: str
    fingerprint: str
    n_used: int
    n_total: int
    missing: int
    analysed: str | None = None  # hash of the columns and cases used, whatever else the data hold


class Bootstrap(Part):
    """What the bootstrap says of one figure."""

    mean: float
    bias: float
    se: float
    percentile: Interval
    bias_corrected: Interval
    bca: Interval | None
    headline: Interval
    p_value: float | None
    n_used: int

    @model_validator(mode="before")
    @classmethod
    def _of_earlier_runs(cls, given: Any) -> Any:
        """Runs that were stored without a headline had the percentile interval unless BCa was asked for."""
        if isinstance(given, dict) and "headline" not in given:
            return {**given, "headline": given.get("bca") or given["percentile"]}
        return given


Headline = Literal["percentile", "bias-corrected", "bca"]


def headline_of(bounds: Mapping[Headline, Interval | None], asked: Headline) -> Interval:
    """The interval that decides, of those there are: the one asked for, percentile where it could not be had."""
    found = bounds[asked] or bounds["percentile"]
    assert found is not None
    return found


def standardized_headline(parameter: ParameterPart) -> Interval | None:
    """The interval beside a standardized estimate: the bootstrap's headline, from the standard error where none was run."""
    boot = parameter.standardized_bootstrap
    return boot.headline if boot is not None else parameter.standardized_interval


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


class BollenStinePart(Part):
    """The fit tested on resamples of data transformed to the model: p = (exceeded + 1) / (used + 1)."""

    p_value: float
    exceeded: int
    requested: int
    used: int
    distribution: list[float]


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
    baseline: BaselinePart | None
    scaled: ScaledPart | None = None
    bollen_stine: BollenStinePart | None = None
    d_uls: float | None = None
    d_g: float | None = None
    reference: ReferencePart | None = None
    measurement_part: MeasurementFitPart | None = None
    implied_within: Literal["common factor", "composite"] | None = None


class ParameterPart(Part):
    """One parameter; fixed ones have null se, z, p_value and interval and say why they are fixed."""

    kind: ParameterKind
    from_: str = Field(alias="from")
    to: str
    role: Literal["residual", "disturbance", "exogenous"] | None
    label: str | None
    group: str | None = None
    free: bool
    why_fixed: str | None
    estimate: float
    se: float | None
    z: float | None
    p_value: float | None
    interval: Interval | None
    standardized: float | None
    standardized_se: float | None
    standardized_interval: Interval | None
    bootstrap: Bootstrap | None = None
    standardized_bootstrap: Bootstrap | None = None


class EffectPart(Part):
    """A direct, specific indirect, total indirect or total effect."""

    from_: str = Field(alias="from")
    to: str
    kind: Literal["direct", "specific indirect", "total indirect", "total"]
    via: list[str] | None
    estimate: float
    se: float | None
    interval: Interval | None = None
    standardized: float | None
    standardized_se: float | None
    standardized_interval: Interval | None = None
    bootstrap: Bootstrap | None = None
    standardized_bootstrap: Bootstrap | None = None
    share_of_total: float | None


class MediationPart(Part):
    """What kind of mediation a pair shows; null until a bootstrap has decided."""

    from_: str = Field(alias="from")
    to: str
    kind: Literal["complementary", "competitive", "indirect-only", "direct-only", "none"] | None
    reason: str
    share_mediated: float | None


class TrackedPart(Part):
    """A tracked quantity."""

    name: str
    estimate: float | None
    se: float | None
    bootstrap: Bootstrap | None = None


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


class FSquaredPart(Part):
    """Cohen's f² of one antecedent, with his word for its size."""

    from_: str = Field(alias="from")
    to: str
    value: float | None
    words: str = ""


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


class ScoresPart(Part):
    """Weights of the deviations of the observed variables from `means`, one row a construct, and the scores' origin;
    Bartlett's are null where no observed variable shows a construct directly."""

    regression: Matrix
    bartlett: Matrix | None
    means: list[float] | None
    origin: list[float]


class EstimatesPart(Part):
    """Covariances and correlations of the estimates of the free parameters, in words."""

    covariance: Matrix
    correlation: Matrix


class BootstrapSummaryPart(Part):
    """How the bootstrap went."""

    requested: int
    used: int
    not_converged: int
    inadmissible: int
    seed: int
    level: float
    interval: Headline
    stopped: bool = False


class PredictedIndicator(Part):
    """How well an indicator is predicted in cases that the model has not seen."""

    indicator: str
    q2_predict: float | None
    rmse: float
    mae: float
    rmse_mean: float
    mae_mean: float
    rmse_linear: float | None
    mae_linear: float | None


class PredictionPart(Part):
    """Repeated cross-validation against the training means and a linear benchmark."""

    folds: int
    repeats: int
    seed: int
    indicators: list[PredictedIndicator]


class ImportancePart(Part):
    """Total effect on an outcome among scores of 0–100, and the mean score; null where `against` has a negative weight.
    `recorded_ends` says whether the ends of all scales were recorded with the data rather than observed."""

    outcome: str
    construct_: str = Field(alias="construct")
    importance: float | None
    performance: float | None
    against: str | None
    recorded_ends: bool


class CommonMethodPart(Part):
    """One factor behind all `items` (reflective, of first-order constructs), and the measurement model of the same items on
    the same cases; composites are asked by maximum likelihood. There is no verdict on their difference."""

    items: int
    single_factor: FitPart
    measurement: FitPart


class Results(Part):
    """The results document."""

    version: int = VERSION
    family: FamilyName = "covariance"
    estimator: EstimatorName = "ml"
    settings: Settings
    model: str
    data: DataPart | None
    converged: bool = False
    iterations: int | None = None
    admissible: bool | None = None
    problems: list[ProblemPart]
    sample: MomentsPart | None = None
    implied: MomentsPart | None = None
    residuals: ResidualsPart | None = None
    fit: FitPart | None = None
    parameters: list[ParameterPart] = []
    r_squared: dict[str, float | None] = {}
    r_squared_adjusted: dict[str, float | None] | None = None
    f_squared: list[FSquaredPart] = []
    effects: list[EffectPart] = []
    mediation: list[MediationPart] = []
    tracked: list[TrackedPart] = []
    quality: QualityPart | None = None
    modification: list[ModificationPart] = []
    bootstrap_summary: BootstrapSummaryPart | None = None
    bootstrap_figures: dict[str, Bootstrap | None] = {}
    scores: ScoresPart | None = None
    estimates: EstimatesPart | None = None
    groups: None = None
    comparison: None = None
    prediction: PredictionPart | None = None
    importance: list[ImportancePart] = []
    common_method: CommonMethodPart | None = None
    screening: None = None
