"""One analysis from specification and data to the results document; the only place that knows the whole order."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from dusk_arrow.core.covariance.admissibility import admissible, explain
from dusk_arrow.core.covariance.bootstrapping import BootstrapTask, block_figures, can_transform
from dusk_arrow.core.covariance.estimation import Estimation, estimate, identification
from dusk_arrow.core.covariance.evidence import Evidence, SingularMomentsError, gather
from dusk_arrow.core.covariance.figures import FigurePlan, Figures, delta_errors, figures, make_plan
from dusk_arrow.core.covariance.modification import Modification, modification_indices
from dusk_arrow.core.covariance.parameters import ParameterTable, compile_model
from dusk_arrow.core.covariance.robust import NEED_CASES
from dusk_arrow.core.effects.routes import list_effects
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.data import DataSet, Moments, Source
from dusk_arrow.core.observations.screening import check_covariance
from dusk_arrow.core.problems import Problem, has_error
from dusk_arrow.core.specification.checking import check
from dusk_arrow.core.specification.model import Model, read
from dusk_arrow.core.specification.statements import (
    Begins,
    Calls,
    Holds,
    InterceptOf,
    Matches,
    Reference,
    Releases,
    Specification,
)
from dusk_arrow.results.bootstrapping import BootstrapOutcome, ChunkRunner, Progress, bootstrap, run_here
from dusk_arrow.results.judgements import (
    coarse_items,
    dependent_estimates,
    minima_notes,
    sample_notes,
    shared_residuals,
    ways_out,
    weight_note,
    with_recoding,
)
from dusk_arrow.results.settings import Settings

log = logging.getLogger(__name__)
NO_CASES = "{} works on single cases, so it needs the raw data; a matrix has none."
Outcome = Literal["estimated", "refused", "not_estimated"]


@dataclass(frozen=True)
class Fitted:
    """Everything that was computed for a model that could be estimated."""

    model: Model
    table: ParameterTable
    evidence: Evidence
    estimation: Estimation
    plan: FigurePlan
    figures: Figures
    errors: dict[str, Array]
    measured: tuple[str, ...]
    alpha: Array
    htmt: Array
    admissible: bool
    bootstrap: BootstrapOutcome | None
    modifications: tuple[Modification, ...]


@dataclass(frozen=True)
class Analysis:
    """What came of one analysis: `refused` before estimation, `not_estimated` by it, or `estimated`."""

    outcome: Outcome
    specification: Specification
    settings: Settings
    source: Source
    problems: tuple[Problem, ...]
    fitted: Fitted | None = None


def _not_numbers(source: Source, names: Sequence[str]) -> list[Problem]:
    if isinstance(source, Moments):
        return []
    problems = []
    for name in names:
        column = source.column(name)
        if column.numbers is None:
            message = f"{name} holds text, not numbers, so it cannot be part of a covariance. Take it out of the model."
            problems.append(Problem("text_column", "error", message, (name,)))
        elif np.isnan(column.numbers).all():
            problems.append(Problem("all_missing", "error", f"{name} has no values at all.", (name,)))
    return problems


def measured_blocks(table: ParameterTable) -> dict[str, tuple[int, ...]]:
    """For every reflective construct with observed indicators their positions, for alpha and HTMT."""
    at = {name: i for i, name in enumerate(table.observed)}
    blocks = {c.name: tuple(at[n] for n in c.indicators if n in at) for c in table.constructs if c.mode == "reflective"}
    return {name: block for name, block in blocks.items() if block}


def _needs_cases(source: Source, settings: Settings) -> list[Problem]:
    """What the settings ask for and a matrix cannot give."""
    if isinstance(source, DataSet):
        return []
    found = []
    if settings.missing == "full-information":
        message = NO_CASES.format("Full information")
        found.append(Problem("full_information_needs_cases", "error", message))
    if settings.bootstrap or settings.bollen_stine:
        found.append(Problem("bootstrap_needs_cases", "error", NO_CASES.format("The bootstrap")))
    if settings.errors in NEED_CASES:
        message = NO_CASES.format(f"The choice of {settings.errors} errors")
        found.append(Problem("errors_need_cases", "error", message))
    if settings.estimator == "adf":
        found.append(Problem("estimator_needs_cases", "error", NO_CASES.format("ADF")))
    return found


def _conflicts(settings: Settings, evidence: Evidence) -> list[Problem]:
    """Settings that do not go together on this evidence, each with the way out."""
    found = []
    if settings.missing == "full-information" and settings.estimator != "ml":
        message = (
            f"Full information is maximum likelihood; {settings.estimator.upper()} works on complete cases (listwise)."
        )
        found.append(Problem("full_information_needs_ml", "error", message))
    if evidence.groups is not None and settings.errors == "satorra-bentler":
        message = "Satorra–Bentler errors need complete cases. With missing answers use the sandwich (Yuan–Bentler)."
        found.append(Problem("errors_need_complete_cases", "error", message))
    if settings.bollen_stine and not can_transform(evidence):
        message = (
            "The Bollen–Stine test transforms complete cases, with maximum likelihood or GLS. Use listwise deletion."
        )
        found.append(Problem("bollen_stine_needs_complete_cases", "error", message))
    if settings.estimator == "uls" and settings.errors == "satorra-bentler":
        message = "ULS has the residual-based test and sandwich errors; choose expected or sandwich errors."
        found.append(Problem("errors_not_available", "error", message))
    p = len(evidence.covariance)
    moments = p * (p + 1) // 2 + (p if evidence.with_means else 0)
    robust_uls = settings.estimator == "uls" and settings.errors == "sandwich"
    if (settings.estimator == "adf" or robust_uls) and evidence.n <= moments:
        what = "ADF" if settings.estimator == "adf" else "The robust test of ULS"
        message = (
            f"{what} weighs {moments} moments by their own covariances and needs more cases than that; there are "
            f"{evidence.n}. Use maximum likelihood with robust errors, or fewer columns."
        )
        found.append(Problem("too_few_cases", "error", message))
    if evidence.with_means and evidence.means is None:
        message = "Means are asked for, but the matrix comes without them. Add a row “mean”, or leave means out."
        found.append(Problem("means_missing", "error", message))
    return found


def _speaks_of_means(specification: Specification) -> bool:
    """Whether a sentence fixes, names, starts or matches an intercept."""
    for statement in specification.statements:
        targets = [statement.target] if isinstance(statement, Holds | Begins | Releases | Calls) else []
        if isinstance(statement, Matches):
            targets = [m for m in statement.members if not isinstance(m, Reference)]
        if any(isinstance(target, InterceptOf) for target in targets):
            return True
    return False


SINGULAR = {
    "moments": "The covariances of the moments, by which the test weighs them, are singular: some answers depend exactly on "
    "each other. Use maximum likelihood with robust errors.",
    "sample": "The covariances of some resample or transformed sample are singular: some columns depend exactly on each other.",
}


def set_up(
    specification: Specification, model: Model, source: Source, settings: Settings
) -> tuple[ParameterTable, Evidence]:
    """The parameters of a model that was checked, and the evidence on its columns; means where they are needed."""
    incomplete = settings.missing == "full-information" and isinstance(source, DataSet)
    with_means = settings.means or incomplete or _speaks_of_means(specification)
    table = compile_model(model, settings.scaling, with_means)
    how = (settings.estimator, settings.missing, settings.divisor, with_means)
    return table, gather(source, table.observed, *how)


def analyse(
    specification: Specification,
    source: Source,
    settings: Settings,
    runner: ChunkRunner = run_here,
    progress: Progress | None = None,
) -> Analysis:
    """Checks, estimates and assesses a model. Never raises for a model or data at fault: problems say what is wrong.

    Raises StoppedError where `progress` asks to stop.
    """
    try:
        return _analyse(specification, source, settings, runner, progress)
    except np.linalg.LinAlgError as error:
        log.warning("a computation broke off", exc_info=error)
        message = (
            "The computation broke off: a matrix that has to be inverted is singular at the values reached "
            f"({error}). Usual reasons: columns that nearly repeat each other, or a loop of paths that feeds itself."
        )
        return Analysis("not_estimated", specification, settings, source, (Problem("broke_off", "error", message),))


def _analyse(
    specification: Specification,
    source: Source,
    settings: Settings,
    runner: ChunkRunner,
    progress: Progress | None,
) -> Analysis:
    problems = check(specification, source.names)
    model = read(specification)
    if not has_error(problems):
        problems += _not_numbers(source, model.columns)
    problems += _needs_cases(source, settings)
    if has_error(problems):
        ways = tuple(p if p.repairs or p.severity != "error" else ways_out(p, model) for p in problems)
        return Analysis("refused", specification, settings, source, ways)
    table, evidence = set_up(specification, model, source, settings)
    problems += check_covariance(table.observed, evidence.covariance, evidence.n)
    if not has_error(problems):
        problems += _conflicts(settings, evidence)
    if has_error(problems):
        ways = tuple(ways_out(problem, model) for problem in problems)
        return Analysis("refused", specification, settings, source, ways)
    problems += [ways_out(problem, model) for problem in identification(table)]
    if has_error(problems):
        return Analysis("not_estimated", specification, settings, source, tuple(problems))
    problems += weight_note(source) + coarse_items(source, table.observed) + sample_notes(evidence, table)
    try:
        estimation = estimate(table, evidence, settings.analytic_errors)
    except SingularMomentsError as error:
        problems.append(Problem("weights_singular", "error", SINGULAR[error.what]))
        return Analysis("refused", specification, settings, source, tuple(problems))
    if np.isnan(estimation.statistic) and estimation.solution.converged:
        problems.append(Problem("weights_singular", "error", SINGULAR["moments"]))
        return Analysis("refused", specification, settings, source, tuple(problems))
    if not estimation.solution.converged:
        message = (
            f"No solution was found: after {estimation.solution.iterations} iterations and several starts the best "
            "values still move. Usual reasons: a construct with weakly related or wrongly placed indicators, an item "
            "that runs against its block, too few cases, or two constructs that are one."
        )
        problems.append(Problem("not_converged", "error", message))
        return Analysis("not_estimated", specification, settings, source, tuple(problems))
    problems += minima_notes(estimation, evidence)
    effects, complete = list_effects(model.paths, table.structural)
    if not complete:
        message = "There are more than 2,000 indirect routes; for some pairs only the totals are listed."
        problems.append(Problem("many_routes", "note", message))
    plan = make_plan(estimation.model, tuple(effects), model.tracked)
    theta = estimation.solution.theta
    found = figures(plan, theta[None, :])
    found = Figures(*(getattr(found, name)[0] for name in found.__dataclass_fields__))
    errors = found.split(delta_errors(plan, theta, estimation.covariance))
    if np.isnan(estimation.covariance).any():
        message = "The data do not determine every parameter (the information matrix is singular): no standard errors."
        problems.append(Problem("empirically_not_identified", "warning", message))
    problems += [with_recoding(problem, source, model) for problem in explain(estimation.model, theta, found)]
    problems += dependent_estimates(table, estimation.covariance)
    modifications = modification_indices(table, theta, estimation.discrepancy, evidence.multiplier)
    problems += shared_residuals(table, modifications)
    measured = measured_blocks(table)
    blocks = tuple(measured.values())
    quality = block_figures(evidence.covariance[None], blocks)
    alpha, ratios = quality[0][0], quality[1][0]
    outcome = None
    if settings.bootstrap and evidence.values is not None:
        task = BootstrapTask(plan, evidence, theta, blocks, settings.bollen_stine)
        free = np.array([p.free for p in table.parameters])
        outcome = bootstrap(task, found, (alpha, ratios), free, settings, runner, progress)
        lost = outcome.not_converged + outcome.inadmissible
        if lost > 0.05 * settings.bootstrap:
            message = (
                f"{lost} of {settings.bootstrap} resamples did not converge or gave impossible values; "
                "the intervals rest on shaky ground."
            )
            problems.append(Problem("many_bad_resamples", "warning", message))
    fitted = Fitted(
        model,
        table,
        evidence,
        estimation,
        plan,
        found,
        errors,
        tuple(measured),
        alpha,
        ratios,
        bool(admissible(estimation.model, theta)),
        outcome,
        tuple(modifications),
    )
    return Analysis("estimated", specification, settings, source, tuple(problems), fitted)
