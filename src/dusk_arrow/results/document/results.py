"""The whole results document."""

from __future__ import annotations

from dusk_arrow.results.chosen import EstimatorName, FamilyName
from dusk_arrow.results.document.basics import VERSION, Bootstrap, DataPart, MomentsPart, Part, ProblemPart
from dusk_arrow.results.document.estimates import (
    BootstrapSummaryPart,
    EffectPart,
    EstimatesPart,
    FSquaredPart,
    HypothesisPart,
    MediationPart,
    MonteCarloPart,
    ParameterPart,
    RouteDifferencePart,
    TrackedPart,
)
from dusk_arrow.results.document.fit import CommonMethodPart, FitPart, ModificationPart, ResidualsPart
from dusk_arrow.results.document.measurement import QualityPart, ScoresPart
from dusk_arrow.results.document.prediction import ImportancePart, PredictionPart
from dusk_arrow.results.document.trying import HoldoutPart, WhatIfPart
from dusk_arrow.results.settings import Settings


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
    hypotheses: list[HypothesisPart] = []
    differences: list[RouteDifferencePart] = []
    quality: QualityPart | None = None
    modification: list[ModificationPart] = []
    bootstrap_summary: BootstrapSummaryPart | None = None
    monte_carlo: MonteCarloPart | None = None
    bootstrap_figures: dict[str, Bootstrap | None] = {}
    scores: ScoresPart | None = None
    estimates: EstimatesPart | None = None
    groups: None = None
    comparison: None = None
    prediction: PredictionPart | None = None
    importance: list[ImportancePart] = []
    common_method: CommonMethodPart | None = None
    what_ifs: list[WhatIfPart] | None = None
    holdout: HoldoutPart | None = None
    screening: None = None
