"""Composite estimation as a family: its stages one after another, each of them a value."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, Literal, NamedTuple

import numpy as np

from dusk_arrow.core.assessment.comparing import Comparison, ParameterTest, PathTest
from dusk_arrow.core.assessment.fit import DistanceFit
from dusk_arrow.core.assessment.reliability import standardized_alpha
from dusk_arrow.core.composite.bootstrapping import (
    BlockTask,
    BootstrapTask,
    PreparedTask,
    prepare,
    run_chunk,
    transformation,
)
from dusk_arrow.core.composite.distances import distances, squared_euclidean
from dusk_arrow.core.composite.explaining import explain
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
from dusk_arrow.core.composite.statistics import Inquiry, statistics
from dusk_arrow.core.effects.routes import Effect, list_effects
from dusk_arrow.core.family import (
    Depth,
    EstimationSettings,
    Fitted,
    FittedBlock,
    Importance,
    Minima,
    NotFitted,
    Observed,
    Parameter,
    Prediction,
    Quality,
    Residuals,
    SetUp,
    Task,
)
from dusk_arrow.core.linear_algebra import Array, correlation_from
from dusk_arrow.core.observations.data import DataSet, Source
from dusk_arrow.core.observations.evidence import (
    CompleteCases,
    FilledCases,
    MatrixEvidence,
    PairwiseCases,
    identity_of,
)
from dusk_arrow.core.options import FamilyOptions
from dusk_arrow.core.parameter_key import ParameterKey
from dusk_arrow.core.problems import Problem
from dusk_arrow.core.resampling.draws import Chunk, ChunkResult, FromCases, at_once
from dusk_arrow.core.scores import ScoreWeights
from dusk_arrow.core.specification.measurement import left_out, measurement_only
from dusk_arrow.core.specification.model import Model
from dusk_arrow.core.specification.statements import Arrow, Specification
from dusk_arrow.core.statistics import Statistics, side_by_side

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

    @property
    def statistics_of_fit(self) -> tuple[str, ...]:
        """Distances."""
        return ("srmr", "d_uls", "d_g")

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
        program = ready.program
        at = {name: i for i, name in enumerate(program.columns)}
        blocks = [c for c in model.constructs if all(name in at for name in c.indicators)]
        formative, reflective = (
            [(c.name, [at[name] for name in c.indicators]) for c in blocks if c.mode == mode]
            for mode in ("formative", "reflective")
        )
        problems = [
            problem
            for block in ready.blocks
            for problem in sample_problems(
                program.columns,
                block.evidence.covariance,
                block.evidence.n,
                formative,
                reflective,
                isinstance(block.evidence, PairwiseCases),
            )
        ]
        return SetUp(ready.blocks, 0, ready), problems

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
        solved = []
        for block in ready.blocks:
            correlation = correlation_from(block.evidence.covariance)
            outcome = estimate(ready.program, correlation[None])
            unsolved = _not_solved(outcome)
            if unsolved is not None:
                return unsolved
            solved.append(_solved(ready, block, correlation, outcome))
        names = ready.program.structure.names
        effects, all_routes = ([], True) if depth == "brief" else list_effects(ready.paths, names)
        inquiries = [_inquiry(model, ready, settings, tuple(effects), one.observed) for one in solved]
        parts = [
            statistics(asked, one.outcome, one.observed.evidence.covariance[None], one.correlation[None])
            for asked, one in zip(inquiries, solved, strict=True)
        ]
        batch = side_by_side(parts)
        found = Statistics(batch.keys, batch.values[0])
        observed = [one.observed for one in solved]
        return Fitted(
            set_up=set_up,
            blocks=tuple(_fitted_block(*pair, found) for pair in zip(inquiries, solved, strict=True)),
            identity=identity_of([block.evidence for block in observed], [block.names for block in observed]),
            iterations=max(int(one.outcome.iterations[0]) for one in solved),
            admissible=all(bool(one.outcome.admissible[0]) for one in solved),
            minima=Minima((), False, False),
            fit=_fit(ready, solved),
            tests=(),
            parameters=tuple(
                Parameter(key, None, _label(model, key), True, None) for asked in inquiries for key in asked.parameters
            ),
            effects=tuple(effects),
            all_routes=all_routes,
            statistics=found,
            errors=Statistics((), np.zeros(0)),
            free=(),
            covariance=np.zeros((0, 0)),
            modifications=(),
            task=_task(inquiries, solved, settings),
            own=tuple(zip(inquiries, (one.outcome for one in solved), strict=True)),
            analytic=False,
            prediction=_prediction(ready, settings) if depth == "thorough" else None,
            importance=_importance(ready, source) if depth == "thorough" else (),
        )

    def explain(self, fitted: Fitted) -> list[Problem]:
        """Impossible values, weak or reversed indicators, constructs alike."""
        return [problem for asked, outcome in fitted.own for problem in explain(asked, outcome)]

    def effect_draws(self, fitted: Fitted, draws: int, seed: int) -> None:
        """Composites have no errors without a bootstrap."""

    def prepare(self, task: Task) -> PreparedTask:
        """Column products."""
        return prepare(task.own)

    def run_chunk(self, prepared: PreparedTask, chunk: Chunk) -> ChunkResult:
        """All statistics for one chunk of draws."""
        with np.errstate(invalid="ignore", divide="ignore"):
            return run_chunk(prepared, chunk)

    def apart(self, fitted: Fitted, sample: SetUp) -> float:
        """d_ULS of the sample's correlations from the implied ones."""
        pairs = [
            (correlation_from(other.evidence.covariance), correlation_from(block.implied))
            for other, block in zip(sample.blocks, fitted.blocks, strict=True)
        ]
        return float(sum(float(squared_euclidean(observed, implied)) for observed, implied in pairs))

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


class _Solved(NamedTuple):
    """A block with its correlations (p, p), what was found of it, and what that implies of the whole and of the measurement
    part."""

    observed: Observed
    correlation: Array
    outcome: Outcome
    whole: Compared | None
    measured: Compared


def _solved(ready: Ready, observed: Observed, correlation: Array, outcome: Outcome) -> _Solved:
    whole = implied_whole(ready.program, outcome, correlation[None])
    measured = implied_measurement(ready.program, outcome, correlation[None])
    return _Solved(observed, correlation, outcome, whole, measured)


def _inquiry(
    model: Model, ready: Ready, settings: EstimationSettings, effects: tuple[Effect, ...], observed: Observed
) -> Inquiry:
    named = tuple((name, _key_of(model, target)) for name, target in model.names.items() if isinstance(target, Arrow))
    tracked = () if settings.part == "measurement" else tuple(model.tracked.items())
    n = observed.evidence.n
    return Inquiry(ready.program, model.constructs, ready.paths, effects, tracked, named, n, observed.group)


def _fitted_block(asked: Inquiry, solved: _Solved, found: Statistics) -> FittedBlock:
    evidence, program = solved.observed.evidence, asked.program
    sd = np.sqrt(np.diag(evidence.covariance))
    columns = (solved.measured if solved.whole is None or program.second else solved.whole)[1][0]
    return FittedBlock(
        solved.observed,
        columns * np.outer(sd, sd),
        None,
        _residuals(evidence.covariance, columns, sd),
        _quality(asked, solved.outcome, found, evidence.covariance),
        _scores(program.names, program.columns, solved.outcome, evidence.covariance, evidence.means),
    )


def _task(inquiries: list[Inquiry], solved: list[_Solved], settings: EstimationSettings) -> Task | None:
    cases = tuple(one.observed.evidence for one in solved if not isinstance(one.observed.evidence, MatrixEvidence))
    if not settings.bootstrap or len(cases) < len(solved):
        return None
    draws = FromCases(cases)
    own = BootstrapTask(
        tuple(_block_task(asked, one, settings) for asked, one in zip(inquiries, solved, strict=True)), draws
    )
    columns = sum(len(one.correlation) for one in solved)
    return Task(OPTIONS.key, draws, own, at_once(draws.n, columns))


def _block_task(asked: Inquiry, solved: _Solved, settings: EstimationSettings) -> BlockTask:
    program, outcome, whole = asked.program, solved.outcome, solved.whole
    like = outcome.weights[0] if settings.signs == "full-sample" else None
    return BlockTask(
        replace(asked, program=replace(program, like=like)),
        np.sqrt(np.diag(solved.observed.evidence.covariance)),
        None if whole is None or program.second is not None else transformation(solved.correlation, whole[1][0]),
        transformation(solved.correlation, solved.measured[1][0]),
        outcome.weights[0],
    )


def _prediction(ready: Ready, settings: EstimationSettings) -> Prediction | None:
    """Of all cases; of groups nothing is predicted."""
    evidence = ready.blocks[0].evidence if len(ready.blocks) == 1 else None
    if not isinstance(evidence, CompleteCases | FilledCases) or ready.program.repeated:
        return None
    return predict(ready.program, evidence, settings.seed)


def _importance(ready: Ready, source: Source) -> tuple[Importance, ...]:
    evidence = ready.blocks[0].evidence if len(ready.blocks) == 1 else None
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


def _fit(ready: Ready, solved: list[_Solved]) -> DistanceFit:
    """Distances of all blocks: SRMR weighted by their cases, d_ULS and d_G added up."""
    n = np.array([one.observed.evidence.n for one in solved])

    def apart(compared: list[Compared]) -> tuple[float, float, float]:
        found = [distances(*own) for own in compared]
        residual = sum(float(share * own.srmr[0]) for share, own in zip(n / n.sum(), found, strict=True))
        return residual, sum(float(own.d_uls[0]) for own in found), sum(float(own.d_g[0]) for own in found)

    within: Literal["common factor", "composite"] = "common factor" if ready.consistent else "composite"
    wholes = [one.whole for one in solved if one.whole is not None]
    whole = apart(wholes) if len(wholes) == len(solved) else None
    return DistanceFit(whole, apart([one.measured for one in solved]), within)


def _residuals(covariance: Array, implied: Array, sd: Array) -> Residuals:
    apart = correlation_from(covariance) - implied
    return Residuals(apart * np.outer(sd, sd), apart, None)


def _quality(asked: Inquiry, outcome: Outcome, found: Statistics, covariance: Array) -> Quality:
    at = {name: i for i, name in enumerate(asked.program.columns)}
    place = [asked.program.place[c.name] for c in asked.constructs]
    indicators = tuple(dict.fromkeys(name for c in asked.constructs for name in c.indicators if name in at))
    alphas = {}
    inflation: dict[tuple[str, str], float] = {}
    for name, block in asked.blocks.items():
        if len(block) > 1:
            alphas[name] = float(standardized_alpha(covariance[np.ix_(block, block)]))
    for key, column in found.place.items():
        if key.statistic == "vif_indicators" and key.group == asked.group:
            inflation[key.about] = float(found.values[column])  # type: ignore[index]
    return Quality(
        asked.constructs,
        indicators,
        outcome.across[0][np.ix_([at[name] for name in indicators], place)],
        outcome.between[0][np.ix_(place, place)],
        alphas,
        inflation,
        {c.name: 1 for c in asked.constructs},
    )


def _scores(
    names: tuple[str, ...], columns: tuple[str, ...], outcome: Outcome, covariance: Array, means: Array | None
) -> ScoreWeights:
    """Scores of standardized columns, with mean 0 and variance 1."""
    weights = outcome.weights[0] / np.sqrt(np.diag(covariance))
    centre = np.zeros(len(columns)) if means is None else means
    return ScoreWeights(names, columns, centre, np.zeros(len(names)), weights, None)
