"""Composite estimation as a family: its stages one after another, each of them a value."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Literal

import numpy as np

from dusk_arrow.core.assessment.comparing import Comparison, ParameterTest, PathTest
from dusk_arrow.core.assessment.fit import DistanceFit
from dusk_arrow.core.assessment.reliability import standardized_alpha
from dusk_arrow.core.composite.bootstrapping import (
    BootstrapTask,
    PreparedTask,
    prepare,
    run_chunk,
    transformation,
)
from dusk_arrow.core.composite.distances import distances, squared_euclidean
from dusk_arrow.core.composite.explaining import explain
from dusk_arrow.core.composite.figures import FigurePlan, figures
from dusk_arrow.core.composite.importance import importance, scale_ends
from dusk_arrow.core.composite.options import OPTIONS
from dusk_arrow.core.composite.prediction import predict
from dusk_arrow.core.composite.program import Compared, Outcome, estimate, implied_measurement, implied_whole
from dusk_arrow.core.composite.refusals import (
    cannot_say,
    sample_problems,
    settings_problems,
    structure_problems,
)
from dusk_arrow.core.composite.setting_up import Ready, estimated_paths, make_ready
from dusk_arrow.core.effects.routes import list_effects
from dusk_arrow.core.family import (
    Depth,
    EstimationSettings,
    Fitted,
    Importance,
    Minima,
    NotFitted,
    Parameter,
    Prediction,
    Quality,
    Residuals,
    SetUp,
    Task,
)
from dusk_arrow.core.figures import Figures
from dusk_arrow.core.linear_algebra import Array, correlation_from
from dusk_arrow.core.observations.data import DataSet, Source
from dusk_arrow.core.observations.evidence import CompleteCases, FilledCases, MatrixEvidence, PairwiseCases, identity
from dusk_arrow.core.options import FamilyOptions
from dusk_arrow.core.parameter_key import ParameterKey
from dusk_arrow.core.problems import Problem
from dusk_arrow.core.resampling.plans import Chunk, ChunkResult, at_once
from dusk_arrow.core.scores import ScoreWeights
from dusk_arrow.core.specification.measurement import left_out, measurement_only
from dusk_arrow.core.specification.model import Model
from dusk_arrow.core.specification.statements import Arrow, Specification

NOT_COMPARED = "Composites have no likelihood and no χ², so models of them are not nested in each other."


class CompositeFamily:
    """Models of composites, found by partial least squares."""

    @property
    def options(self) -> FamilyOptions:
        """Estimators, inner weights, missing answers, second order, signs."""
        return OPTIONS

    @property
    def readout(self) -> tuple[str, ...]:
        """Distance, what is explained, and where measurement is weakest."""
        return ("srmr", "r_squared", "lowest_ave", "highest_htmt", "highest_vif")

    def estimated_part(self, specification: Specification, part: Literal["whole", "measurement"]) -> Specification:
        """Without paths every construct is linked with every other, formative ones too."""
        return measurement_only(specification, composites=True) if part == "measurement" else specification

    def left_out(self, specification: Specification) -> tuple[str, ...]:
        """Observed variables."""
        return left_out(specification, composites=True)

    def check(self, model: Model, source: Source, settings: EstimationSettings) -> list[Problem]:
        """What composites cannot say, what stands alone or goes round, and settings of another family."""
        found = [*settings_problems(source, settings), *cannot_say(model)]
        return found + structure_problems(model, estimated_paths(model), settings.part == "measurement")

    def set_up(
        self, specification: Specification, model: Model, source: Source, settings: EstimationSettings
    ) -> tuple[SetUp, list[Problem]]:
        """Program and evidence; problems of the columns."""
        ready = make_ready(model, source, settings)
        evidence, program = ready.evidence, ready.program
        at = {name: i for i, name in enumerate(program.columns)}
        blocks = [c for c in model.constructs if all(name in at for name in c.indicators)]
        formative, reflective = (
            [(c.name, [at[name] for name in c.indicators]) for c in blocks if c.mode == mode]
            for mode in ("formative", "reflective")
        )
        pairwise = isinstance(evidence, PairwiseCases)
        problems = sample_problems(program.columns, evidence.covariance, evidence.n, formative, reflective, pairwise)
        return SetUp(program.columns, (evidence,), 0, ready), problems

    def identify(self, set_up: SetUp) -> list[Problem]:
        """Nothing: regressions on what was checked have an answer."""
        return []

    @np.errstate(invalid="ignore", divide="ignore")  # impossible reliabilities are named; what rests on them is nan
    def fit(
        self, model: Model, set_up: SetUp, settings: EstimationSettings, source: Source, depth: Depth = "usual"
    ) -> Fitted | NotFitted:
        """The estimation with everything that follows from it, or why there is none. Prediction and importance take
        a thorough one, and cases."""
        ready: Ready = set_up.own
        evidence, program = ready.evidence, ready.program
        correlation = correlation_from(evidence.covariance)
        outcome = estimate(program, correlation[None])
        unsolved = _not_solved(outcome)
        if unsolved is not None:
            return unsolved
        effects, all_routes = ([], True) if depth == "brief" else list_effects(ready.paths, program.structure.names)
        named = tuple(
            (name, _key_of(model, target)) for name, target in model.names.items() if isinstance(target, Arrow)
        )
        tracked = () if settings.part == "measurement" else tuple(model.tracked.items())
        plan = FigurePlan(program, model.constructs, ready.paths, tuple(effects), tracked, named, evidence.n)
        batch = figures(plan, outcome, evidence.covariance[None], correlation[None])
        found = Figures(batch.keys, batch.values[0])
        whole = implied_whole(program, outcome, correlation[None])
        measured = implied_measurement(program, outcome, correlation[None])
        task = None
        if settings.bootstrap and not isinstance(evidence, MatrixEvidence):
            like = outcome.weights[0] if settings.signs == "full-sample" else None
            own = BootstrapTask(
                replace(plan, program=replace(program, like=like)),
                evidence,
                None if whole is None or program.second is not None else transformation(correlation, whole[1][0]),
                transformation(correlation, measured[1][0]),
                outcome.weights[0],
            )
            task = Task(OPTIONS.key, evidence.n, own, at_once(evidence.n, correlation.shape[-1]))
        sd = np.sqrt(np.diag(evidence.covariance))
        columns_implied = (measured if whole is None or program.second else whole)[1][0]
        return Fitted(
            set_up=set_up,
            identity=identity(evidence, program.columns),
            implied=columns_implied * np.outer(sd, sd),
            implied_means=None,
            iterations=int(outcome.iterations[0]),
            admissible=bool(outcome.admissible[0]),
            minima=Minima((), False, False),
            fit=_fit(ready, whole, measured),
            scaled=None,
            residuals=_residuals(evidence.covariance, columns_implied, sd),
            parameters=tuple(Parameter(key, None, _label(model, key), True, None) for key in plan.parameters),
            effects=plan.effects,
            all_routes=all_routes,
            figures=found,
            errors=Figures((), np.zeros(0)),
            free=(),
            covariance=np.zeros((0, 0)),
            quality=_quality(plan, outcome, found, evidence.covariance),
            modifications=(),
            scores=_scores(program.names, program.columns, outcome, evidence.covariance, evidence.means),
            task=task,
            own=(plan, outcome),
            analytic=False,
            prediction=_prediction(ready, settings) if depth == "thorough" else None,
            importance=_importance(ready, source) if depth == "thorough" else (),
        )

    def explain(self, fitted: Fitted) -> list[Problem]:
        """Impossible values, weak or reversed indicators, constructs alike."""
        plan, outcome = fitted.own
        return explain(plan, outcome)

    def effect_draws(self, fitted: Fitted, draws: int, seed: int) -> None:
        """Composites have no errors without a bootstrap."""

    def prepare(self, task: Task) -> PreparedTask:
        """Column products."""
        return prepare(task.own)

    def run_chunk(self, prepared: PreparedTask, chunk: Chunk) -> ChunkResult:
        """All figures for one chunk of resamples."""
        with np.errstate(invalid="ignore", divide="ignore"):
            return run_chunk(prepared, chunk)

    def apart(self, fitted: Fitted, sample: SetUp) -> float:
        """d_ULS of the sample's correlations from the implied ones."""
        observed, implied = (correlation_from(m) for m in (sample.evidence[0].covariance, fitted.implied))
        return float(squared_euclidean(observed, implied))

    def apart_words(self, estimator: str) -> str:
        """d_ULS, whichever the estimator."""
        return "d_ULS"

    def quick_fit(self, specification: Specification, source: Source, settings: EstimationSettings) -> None:
        """Composites have nothing to compare models by."""

    def compare(self, first: Any, second: Any) -> Comparison:
        """Never nested, since there is nothing to be nested by."""
        return Comparison(False, NOT_COMPARED, None)

    def paths_at_zero(
        self, specification: Specification, source: Source, settings: EstimationSettings
    ) -> list[PathTest]:
        """There is no χ² to test a path by; the bootstrap does."""
        return []

    def joint_test(
        self, restricted: Specification, specification: Specification, source: Source, settings: EstimationSettings
    ) -> ParameterTest | None:
        """There is no χ² to test hypotheses by."""
        return None


def _prediction(ready: Ready, settings: EstimationSettings) -> Prediction | None:
    if not isinstance(ready.evidence, CompleteCases | FilledCases) or ready.program.repeated:
        return None
    return predict(ready.program, ready.evidence, settings.seed)


def _importance(ready: Ready, source: Source) -> tuple[Importance, ...]:
    evidence = ready.evidence
    if not isinstance(evidence, CompleteCases | FilledCases) or not isinstance(source, DataSet):
        return ()
    ends, recorded = scale_ends(source, ready.program.columns, evidence.values)
    return tuple(importance(ready.program, evidence.covariance, evidence.values, ends, recorded))


def _not_solved(outcome: Outcome) -> NotFitted | None:
    if not outcome.converged[0]:
        message = (
            "The weights did not settle within 2,000 iterations. Usual reasons: a construct that is hardly related to its "
            "neighbours, or too few cases. Look at the items of constructs with low loadings, or try another scheme of inner weights."
        )
        return NotFitted("not_estimated", Problem("not_converged", "error", message))
    if not np.isfinite(outcome.structure.between).all():
        message = (
            "The reliability by which a construct would be corrected (rho_A) is not positive: its indicators do not measure one "
            "thing. Recode items that run against their block, or use plain PLS."
        )
        return NotFitted("not_estimated", Problem("reliability_not_positive", "error", message))
    if not np.isfinite(outcome.structure.paths).all():
        message = "Antecedents of one outcome depend exactly on each other, so their paths cannot be told apart. Take one of them out."
        return NotFitted("not_estimated", Problem("antecedents_dependent", "error", message))
    return None


def _key_of(model: Model, target: Arrow) -> ParameterKey:
    """The loading, weight or path that a sentence names."""
    for construct in model.constructs:
        if construct.name == target.source and target.target in construct.indicators:
            return ParameterKey("loading", target.source, target.target)
        if construct.name == target.target and target.source in construct.indicators:
            return ParameterKey("weight", target.source, target.target)
    return ParameterKey("path", target.source, target.target)


def _label(model: Model, key: ParameterKey) -> str | None:
    target = Arrow(key.source, key.target)
    return next((name for name, named in model.names.items() if named == target), None)


def _fit(ready: Ready, whole: Compared | None, measured: Compared) -> DistanceFit:
    def apart(compared: Compared) -> tuple[float, float, float]:
        found = distances(*compared)
        return float(found.srmr[0]), float(found.d_uls[0]), float(found.d_g[0])

    within: Literal["common factor", "composite"] = "common factor" if ready.consistent else "composite"
    return DistanceFit(None if whole is None else apart(whole), apart(measured), within)


def _residuals(covariance: Array, implied: Array, sd: Array) -> Residuals:
    apart = correlation_from(covariance) - implied
    return Residuals(apart * np.outer(sd, sd), apart, None)


def _quality(plan: FigurePlan, outcome: Outcome, found: Figures, covariance: Array) -> Quality:
    at = {name: i for i, name in enumerate(plan.program.columns)}
    place = [plan.program.place[c.name] for c in plan.constructs]
    indicators = tuple(dict.fromkeys(name for c in plan.constructs for name in c.indicators if name in at))
    alphas = {}
    inflation: dict[tuple[str, str], float] = {}
    for name, block in plan.blocks.items():
        if len(block) > 1:
            alphas[name] = float(standardized_alpha(covariance[np.ix_(block, block)]))
    for key, column in found.place.items():
        if key.figure == "vif_indicators":
            inflation[key.about] = float(found.values[column])  # type: ignore[index]
    return Quality(
        plan.constructs,
        indicators,
        outcome.across[0][np.ix_([at[name] for name in indicators], place)],
        outcome.between[0][np.ix_(place, place)],
        alphas,
        inflation,
        {c.name: 1 for c in plan.constructs},
    )


def _scores(
    names: tuple[str, ...], columns: tuple[str, ...], outcome: Outcome, covariance: Array, means: Array | None
) -> ScoreWeights:
    """Scores of standardized columns, with mean 0 and variance 1."""
    weights = outcome.weights[0] / np.sqrt(np.diag(covariance))
    centre = np.zeros(len(columns)) if means is None else means
    return ScoreWeights(names, columns, centre, np.zeros(len(names)), weights, None)
