"""A family of estimation, as everything outside of it knows it: results, runs, command line, server and screens.

A family is a package in core; `families.py` lists them. It answers what it cannot do (`check`, `set_up`), estimates
(`fit`), says what is wrong with a solution (`explain`), and works off resamples (`prepare`, `run_chunk`).
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal, Protocol

from dusk_arrow.core.assessment.comparing import Comparison, ParameterTest, PathTest
from dusk_arrow.core.assessment.fit import DistanceFit, Fit, FitTest
from dusk_arrow.core.chosen_settings import ChosenSettings
from dusk_arrow.core.effects.routes import Effect
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.data import Source
from dusk_arrow.core.observations.evidence import Evidence
from dusk_arrow.core.options import FamilyOptions
from dusk_arrow.core.parameter_key import ParameterKey
from dusk_arrow.core.problems import Problem
from dusk_arrow.core.resampling.draws import Chunk, ChunkResult, Draws
from dusk_arrow.core.scores import ScoreWeights
from dusk_arrow.core.specification.model import Construct, Model
from dusk_arrow.core.specification.statements import Specification
from dusk_arrow.core.statistics import StatisticKey, Statistics

Role = Literal["residual", "disturbance", "exogenous"]


class EstimationSettings(ChosenSettings, Protocol):
    """What a family reads of the settings of an analysis: what is chosen of the options, and what goes with it."""

    @property
    def analytic_errors(self) -> Any:
        """Where errors come from that are not the bootstrap's."""

    @property
    def bootstrap(self) -> int:
        """How many resamples are asked for."""

    @property
    def seed(self) -> int:
        """What decides everything that is drawn."""


@dataclass(frozen=True)
class Parameter:
    """A parameter of a model as it is reported: what it is, its role where it is a variance, its name, and why it is fixed
    if it is."""

    key: ParameterKey
    role: Role | None
    label: str | None
    free: bool
    why_fixed: str | None


@dataclass(frozen=True)
class Observed:
    """The observed variables of one block of a model and the evidence on them; `group` is None where there are no groups."""

    names: tuple[str, ...]
    evidence: Evidence
    group: str | None = None


@dataclass(frozen=True)
class SetUp:
    """A model made ready to be estimated: what is observed of every block, how many parameters of the covariances it asks for,
    whatever its family needs, and how many parameters there are with means and intercepts."""

    blocks: tuple[Observed, ...]
    n_asked: int
    own: Any
    takes_incomplete: bool = False  # whether cases with missing answers could be used as they are
    n_free: int = 0

    @property
    def names(self) -> tuple[str, ...]:
        """The observed variables of all blocks, one block after the other."""
        return tuple(name for block in self.blocks for name in block.names)


@dataclass(frozen=True)
class Minima:
    """The different minima that were found, as χ² where they are one, and whether F fell below all without coming to rest."""

    values: tuple[float, ...]
    are_chi_square: bool
    falls_lower: bool


@dataclass(frozen=True)
class Residuals:
    """Sample minus implied (p, p): raw, in correlations, and divided by their error (None where that is not known)."""

    raw: Array
    correlation: Array
    standardized: Array | None


@dataclass(frozen=True)
class Quality:
    """Measurement quality beyond the statistics: correlations of indicators (p,) with constructs and of constructs (m,) with
    each other, standardized alphas and VIFs within each block, and each construct's direction (−1 where the one that
    carries the scale runs against most of its indicators)."""

    constructs: tuple[Construct, ...]
    indicators: tuple[str, ...]
    with_constructs: Array
    between: Array
    alpha_standardized: dict[str, float]
    block_vif: dict[tuple[str, str], float]
    directions: dict[str, Literal[1, -1]]


@dataclass(frozen=True)
class Modification:
    """One parameter that is not free, or is tied to others by an equality (`release`): by how much χ² would fall
    (`index`, about χ² with 1 df) and where the parameter would go from its value (`expected_change`;
    `standardized_change` in SDs implied by the model). `residual` marks covariances of residuals."""

    key: ParameterKey
    residual: bool
    release: bool
    index: float
    expected_change: float
    standardized_change: float


@dataclass(frozen=True)
class PredictionLine:
    """How well one indicator is predicted out of sample: Q²predict, and root mean squared and mean absolute errors of the
    model, of the training means, and of a linear benchmark (nan where there is none)."""

    indicator: str
    q2_predict: float
    rmse: float
    rmse_mean: float
    rmse_linear: float
    mae: float
    mae_mean: float
    mae_linear: float


@dataclass(frozen=True)
class Prediction:
    """Repeated cross-validation, by its folds, repeats and seed."""

    folds: int
    repeats: int
    seed: int
    indicators: tuple[PredictionLine, ...]


@dataclass(frozen=True)
class Importance:
    """What one construct does to an outcome: the total effect among scores of 0–100, and its own mean score; both None
    where an indicator (`against`) has a negative weight. `recorded` says whether the ends of all its scales were."""

    outcome: str
    construct: str
    importance: float | None
    performance: float | None
    against: str | None
    recorded: bool


Depth = Literal["brief", "usual", "thorough"]


@dataclass(frozen=True)
class Task:
    """Draws to be worked off: by which family, what is drawn of every block, what it needs for them, and how many go together."""

    family: str
    draws: Draws
    own: Any
    at_once: int


@dataclass(frozen=True)
class NotFitted:
    """Why there is no estimation: what was asked cannot be had of these data (`refused`), or no solution was found."""

    outcome: Literal["refused", "not_estimated"]
    problem: Problem


@dataclass(frozen=True)
class FittedBlock:
    """What is known about one block of an estimated model: what was observed, what the model implies of it (p, p) and (p,), what
    is left, the quality of measurement, and the weights of scores."""

    observed: Observed
    implied: Array
    implied_means: Array | None
    residuals: Residuals
    quality: Quality
    scores: ScoreWeights

    @property
    def group(self) -> str | None:
        """The group, None where there are no groups."""
        return self.observed.group

    @property
    def names(self) -> tuple[str, ...]:
        """The observed variables."""
        return self.observed.names

    @property
    def evidence(self) -> Evidence:
        """The evidence on them."""
        return self.observed.evidence


@dataclass(frozen=True)
class Fitted:
    """Everything known about one estimation. Statistics (f,) and their errors are found by key; `errors` has fewer keys, and
    none where errors are the bootstrap's alone (`analytic` False)."""

    set_up: SetUp
    blocks: tuple[FittedBlock, ...]
    identity: str
    iterations: int
    admissible: bool
    minima: Minima
    fit: Fit | DistanceFit
    tests: tuple[FitTest, ...]
    parameters: tuple[Parameter, ...]
    effects: tuple[Effect, ...]
    all_routes: bool
    statistics: Statistics
    errors: Statistics
    free: tuple[ParameterKey, ...]
    covariance: Array
    modifications: tuple[Modification, ...]
    task: Task | None
    own: Any = field(repr=False)
    analytic: bool = True  # whether there are errors without a bootstrap
    prediction: Prediction | None = None
    importance: tuple[Importance, ...] = ()

    @property
    def n(self) -> int:
        """How many cases of all blocks were used."""
        return sum(block.evidence.n for block in self.blocks)

    @property
    def constant(self) -> frozenset[StatisticKey]:
        """The estimates that are fixed, of which there is nothing to resample."""
        return frozenset(StatisticKey("estimate", p.key, p.key.group) for p in self.parameters if not p.free)


class Family(Protocol):
    """One family of estimation."""

    @property
    def options(self) -> FamilyOptions:
        """Its settings, with their values and words."""

    @property
    def readout(self) -> tuple[str, ...]:
        """The keys of the statistics that its readout shows."""

    @property
    def statistics_of_fit(self) -> tuple[str, ...]:
        """The keys of the statistics of a whole model that it has."""

    def estimated_part(self, specification: Specification, part: Literal["whole", "measurement"]) -> Specification:
        """What of a specification is estimated."""

    def left_out(self, specification: Specification) -> tuple[str, ...]:
        """What takes no part in the measurement model."""

    def check(self, model: Model, source: Source, settings: EstimationSettings) -> list[Problem]:
        """What this family cannot say or needs other data for."""

    def set_up(
        self, specification: Specification, model: Model, source: Source, settings: EstimationSettings
    ) -> tuple[SetUp, list[Problem]]:
        """A model made ready on the evidence, and what stands against its estimation."""

    def identify(self, set_up: SetUp) -> list[Problem]:
        """What no data could tell."""

    def fit(
        self, model: Model, set_up: SetUp, settings: EstimationSettings, source: Source, depth: Depth = "usual"
    ) -> Fitted | NotFitted:
        """The estimation with everything that follows from it, or why there is none."""

    def explain(self, fitted: Fitted) -> list[Problem]:
        """What is wrong with a solution, with repairs."""

    def effect_draws(self, fitted: Fitted, draws: int, seed: int) -> tuple[Array, Array] | None:
        """Effects (d, e), plain and standardized, at parameters drawn from what is known of the estimates' errors; None where
        nothing is."""

    def prepare(self, task: Task) -> Any:
        """What is computed once for all resamples."""

    def run_chunk(self, prepared: Any, chunk: Chunk) -> ChunkResult:
        """All statistics for one chunk of draws."""

    def apart(self, fitted: Fitted, sample: SetUp) -> float:
        """How far a sample of the same model is from what the fitted one says of it (Cudeck & Browne 1983)."""

    def apart_words(self, estimator: str) -> str:
        """What that is called."""

    def quick_fit(self, specification: Specification, source: Source, settings: EstimationSettings) -> Any:
        """A model estimated for comparisons alone; None where it cannot be."""

    def compare(self, first: Any, second: Any) -> Comparison:
        """Two such models, in either order: whether one is nested in the other, and the test if so."""

    def paths_at_zero(
        self, specification: Specification, source: Source, settings: EstimationSettings
    ) -> list[PathTest]:
        """Every free path fixed at zero in turn, beside its own test."""

    def joint_test(
        self, restricted: Specification, specification: Specification, source: Source, settings: EstimationSettings
    ) -> ParameterTest | None:
        """The hypothesis that makes one model the restricted one by fixing or equating free parameters."""
