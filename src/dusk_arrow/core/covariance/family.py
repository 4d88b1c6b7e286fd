"""Common-factor estimation as a family: its stages one after another, each of them a value."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from dusk_arrow.core.assessment.comparing import Comparison, ParameterTest, PathTest
from dusk_arrow.core.assessment.fit import OF_FIT
from dusk_arrow.core.covariance import comparison
from dusk_arrow.core.covariance.admissibility import admissible_at, explain
from dusk_arrow.core.covariance.bootstrapping import BootstrapTask, PreparedTask, prepare, run_chunk
from dusk_arrow.core.covariance.discrepancies.discrepancy import ONLY
from dusk_arrow.core.covariance.estimation import (
    Estimation,
    SingularMomentsError,
    discrepancy_of,
    estimate,
    identification,
)
from dusk_arrow.core.covariance.global_fit import assess_model, assess_tests
from dusk_arrow.core.covariance.local_fit import standardized_residuals
from dusk_arrow.core.covariance.modification import modification_indices
from dusk_arrow.core.covariance.monte_carlo import effect_draws
from dusk_arrow.core.covariance.options import OPTIONS
from dusk_arrow.core.covariance.parameters import count_free, free_keys
from dusk_arrow.core.covariance.point import BlockPoint
from dusk_arrow.core.covariance.quality import assess_quality
from dusk_arrow.core.covariance.scores import score_weights
from dusk_arrow.core.covariance.setting_up import Ready, make_ready, needs_cases, refusals
from dusk_arrow.core.covariance.statistics import Inquiry, delta_errors, statistics
from dusk_arrow.core.effects.routes import list_effects
from dusk_arrow.core.family import (
    Depth,
    EstimationSettings,
    Fitted,
    FittedBlock,
    Minima,
    NotFitted,
    Observed,
    Parameter,
    Residuals,
    SetUp,
    Task,
)
from dusk_arrow.core.linear_algebra import Array, correlation_from
from dusk_arrow.core.observations.data import Source
from dusk_arrow.core.observations.evidence import IncompleteCases, MatrixEvidence, identity_of, never_together
from dusk_arrow.core.options import FamilyOptions
from dusk_arrow.core.problems import Problem, has_error
from dusk_arrow.core.resampling.draws import Chunk, ChunkResult, FromCases, at_once
from dusk_arrow.core.specification.checking import formative_of_factors
from dusk_arrow.core.specification.measurement import left_out, measurement_only
from dusk_arrow.core.specification.model import Model
from dusk_arrow.core.specification.statements import Specification
from dusk_arrow.core.statistics import Statistics

SINGULAR = {
    "moments": "The covariances of the moments, by which the test weighs them, are singular: some answers depend exactly on "
    "each other. Use maximum likelihood with robust errors.",
    "sample": "The covariances of some resample or transformed sample are singular: some columns depend exactly on each other.",
}


def _antecedents(model: Model) -> tuple[tuple[str, tuple[str, ...]], ...]:
    found: dict[str, tuple[str, ...]] = {}
    for source, target in model.paths:
        found[target] = (*found.get(target, ()), source)
    return tuple(found.items())


def _not_solved(estimation: Estimation) -> NotFitted | None:
    if not estimation.solution.converged:
        message = (
            f"No solution was found: after {estimation.solution.iterations} iterations and several starts the best "
            "values still move. Usual reasons: a construct with weakly related or wrongly placed indicators, an item "
            "that runs against its block, too few cases, or two constructs that are one."
        )
        return NotFitted("not_estimated", Problem("not_converged", "error", message))
    if np.isnan(estimation.statistic):
        return NotFitted("refused", Problem("weights_singular", "error", SINGULAR["moments"]))
    return None


def _fitted_block(estimation: Estimation, block: BlockPoint, found: Statistics, brief: bool) -> FittedBlock:
    table, sample, implied = block.model.table, block.evidence.covariance, block.covariance
    apart = correlation_from(sample) - correlation_from(implied)
    return FittedBlock(
        Observed(table.observed, block.evidence, table.group),
        implied,
        block.means,
        Residuals(sample - implied, apart, None if brief else standardized_residuals(estimation, block)),
        assess_quality(block, found),
        score_weights(block),
    )


def _minima(estimation: Estimation) -> Minima:
    values = tuple(estimation.point.multiplier * value for value in estimation.minima)
    return Minima(values, estimation.estimator.is_chi_square, estimation.falls_lower)


def _structural(ready: Ready) -> tuple[str, ...]:
    """What stands in paths, in all groups."""
    return tuple(dict.fromkeys(name for table in ready.tables for name in table.structural))


def _task(
    inquiries: tuple[Inquiry, ...], estimation: Estimation, ready: Ready, settings: EstimationSettings
) -> Task | None:
    cases = tuple(own for own in ready.evidence if not isinstance(own, MatrixEvidence))
    if not settings.bootstrap or len(cases) < len(ready.evidence):
        return None
    draws = FromCases(cases)
    slow = ready.estimator.needs_cases or any(isinstance(own, IncompleteCases) for own in cases)
    columns = sum(len(table.observed) for table in ready.tables)
    own = BootstrapTask(inquiries, estimation, draws, settings.bollen_stine)
    return Task(OPTIONS.key, draws, own, at_once(draws.n, columns, slow))


class CovarianceFamily:
    """Models of common factors, fitted to covariances and means."""

    @property
    def options(self) -> FamilyOptions:
        """Estimators, errors, missing answers, scale, divisor, means."""
        return OPTIONS

    @property
    def readout(self) -> tuple[str, ...]:
        """Fit figures, and where measurement is weakest."""
        return ("chi_square", "chi_square_per_df", "cfi", "tli", "rmsea", "srmr", "lowest_ave")

    @property
    def statistics_of_fit(self) -> tuple[str, ...]:
        """Everything that follows from a χ²."""
        return (*OF_FIT, "critical_n")

    def estimated_part(self, specification: Specification, part: Literal["whole", "measurement"]) -> Specification:
        """Constructs and their indicators alone, all constructs covarying."""
        return measurement_only(specification) if part == "measurement" else specification

    def left_out(self, specification: Specification) -> tuple[str, ...]:
        """Formative constructs and observed variables."""
        return left_out(specification)

    def check(self, model: Model, source: Source, settings: EstimationSettings) -> list[Problem]:
        """Formative constructs that have nothing to be found by, and what the settings ask for and a matrix cannot give."""
        return [*formative_of_factors(model), *needs_cases(source, settings)]

    def set_up(
        self, specification: Specification, model: Model, source: Source, settings: EstimationSettings
    ) -> tuple[SetUp, list[Problem]]:
        """Parameters and evidence; problems of the covariances, and settings that do not go together on them."""
        ready = make_ready(specification, model, source, settings)
        problems = ready.covariance_problems()
        if not has_error(problems):
            problems += refusals(ready, settings)
        everything = [p for table in ready.tables for p in table.parameters]
        asked = {p.index for p in everything if p.index is not None and p.matrix not in ("intercept", "mean")}
        blocks = tuple(
            Observed(table.observed, own, table.group) for table, own in zip(ready.tables, ready.evidence, strict=True)
        )
        return SetUp(blocks, len(asked), ready, ready.estimator.takes_incomplete, count_free(ready.tables)), problems

    def identify(self, set_up: SetUp) -> list[Problem]:
        """Parameters that no data could tell apart."""
        ready: Ready = set_up.own
        return identification(ready.tables)

    @np.errstate(invalid="ignore", divide="ignore")  # impossible variances are named; what rests on them is nan
    def fit(
        self, model: Model, set_up: SetUp, settings: EstimationSettings, source: Source, depth: Depth = "usual"
    ) -> Fitted | NotFitted:
        """The estimation with everything that follows from it, or why there is none."""
        ready: Ready = set_up.own
        brief = depth == "brief"
        try:
            estimation = estimate(ready.tables, ready.evidence, ready.estimator, settings.analytic_errors)
        except SingularMomentsError as error:
            return NotFitted("refused", Problem("weights_singular", "error", SINGULAR[error.what]))
        unsolved = _not_solved(estimation)
        if unsolved is not None:
            return unsolved
        effects, all_routes = ([], True) if brief else list_effects(model.paths, _structural(ready))
        inquiries = tuple(
            Inquiry(
                block.model,
                tuple(effects),
                tuple(model.tracked.items()),
                _antecedents(model),
                never_together(block.evidence),
            )
            for block in estimation.point.blocks
        )
        theta = estimation.point.theta
        batch = statistics(inquiries, theta[None], [own.covariance[None] for own in ready.evidence])
        found = Statistics(batch.keys, batch.values[0])
        global_fit = assess_model(estimation)
        return Fitted(
            set_up=set_up,
            blocks=tuple(_fitted_block(estimation, block, found, brief) for block in estimation.point.blocks),
            identity=identity_of(ready.evidence, [table.observed for table in ready.tables]),
            iterations=estimation.solution.iterations,
            admissible=admissible_at(estimation.point),
            minima=_minima(estimation),
            fit=global_fit,
            tests=assess_tests(estimation, global_fit),
            parameters=tuple(
                Parameter(p.key, p.role, p.label, p.free, p.why_fixed)
                for table in ready.tables
                for p in table.parameters
            ),
            effects=tuple(effects),
            all_routes=all_routes,
            statistics=found,
            errors=Statistics((), np.zeros(0)) if brief else delta_errors(inquiries, theta, estimation.covariance),
            free=tuple(free_keys(ready.tables)),
            covariance=estimation.covariance,
            modifications=() if brief else tuple(modification_indices(estimation)),
            task=_task(inquiries, estimation, ready, settings),
            own=estimation,
            analytic=not brief,
        )

    def explain(self, fitted: Fitted) -> list[Problem]:
        """Impossible values, weak or reversed indicators, constructs alike."""
        estimation: Estimation = fitted.own
        return explain(estimation.point, fitted.statistics)

    def effect_draws(self, fitted: Fitted, draws: int, seed: int) -> tuple[Array, Array] | None:
        """From the joint normal distribution of the estimates."""
        estimation: Estimation = fitted.own
        inquiries = [Inquiry(block, fitted.effects) for block in estimation.model.blocks]
        return effect_draws(inquiries, estimation.point.theta, estimation.covariance, draws, seed)

    def prepare(self, task: Task) -> PreparedTask:
        """Column products and the metric at the full-sample estimate."""
        return prepare(task.own)

    def run_chunk(self, prepared: PreparedTask, chunk: Chunk) -> ChunkResult:
        """All statistics for one chunk of draws."""
        return run_chunk(prepared, chunk)

    def apart(self, fitted: Fitted, sample: SetUp) -> float:
        """F of the estimator at the fitted values, in the sample's moments; nan where those are singular."""
        estimation: Estimation = fitted.own
        try:
            discrepancy = discrepancy_of(estimation.model, sample.own.evidence, estimation.estimator)
        except SingularMomentsError:
            return float("nan")
        value = discrepancy.evaluate(estimation.model, estimation.point.theta[None], ONLY)[0][0]
        samples = [own.samples() for own in sample.own.evidence]
        return float(value * estimation.estimator.unit(samples, estimation.model))

    def apart_words(self, estimator: str) -> str:
        """The estimator's F."""
        return f"F ({estimator.upper()})"

    def quick_fit(
        self, specification: Specification, source: Source, settings: EstimationSettings
    ) -> comparison.Quick | None:
        """A model estimated for comparisons alone."""
        return comparison.quick_fit(specification, source, settings)

    def compare(self, first: Any, second: Any) -> Comparison:
        """Nested or not, and the test if so."""
        return comparison.compare(first, second)

    def paths_at_zero(
        self, specification: Specification, source: Source, settings: EstimationSettings
    ) -> list[PathTest]:
        """Every free path fixed at zero in turn, beside its z-test."""
        return comparison.paths_at_zero(specification, source, settings)

    def joint_test(
        self, restricted: Specification, specification: Specification, source: Source, settings: EstimationSettings
    ) -> ParameterTest | None:
        """By Wald's test, the score test, and the difference of χ²."""
        return comparison.joint_test(restricted, specification, source, settings)
