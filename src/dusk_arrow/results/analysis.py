"""One analysis from specification and data to the results document; the only place that knows the whole order."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from dusk_arrow.core.assessment.reliability import cronbach_alpha
from dusk_arrow.core.covariance.admissibility import admissible, explain
from dusk_arrow.core.covariance.bootstrapping import BootstrapTask
from dusk_arrow.core.covariance.estimation import Estimation, estimate, identification
from dusk_arrow.core.covariance.figures import FigurePlan, Figures, delta_errors, figures, make_plan
from dusk_arrow.core.covariance.modification import Modification, modification_indices
from dusk_arrow.core.covariance.parameters import ParameterTable, compile_model
from dusk_arrow.core.covariance.robust import NEED_CASES
from dusk_arrow.core.effects.routes import list_effects
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.data import DataSet, Moments
from dusk_arrow.core.observations.moments import Sample, complete_cases, covariance
from dusk_arrow.core.observations.screening import check_covariance
from dusk_arrow.core.problems import Problem, Repair, has_error
from dusk_arrow.core.specification.changes import SetCovariance
from dusk_arrow.core.specification.checking import check
from dusk_arrow.core.specification.model import Model, read
from dusk_arrow.core.specification.statements import Specification
from dusk_arrow.results.bootstrapping import BootstrapOutcome, ChunkRunner, Progress, bootstrap, run_here
from dusk_arrow.results.settings import Settings

Source = DataSet | Moments
NO_CASES = "{} works on single cases, so it needs the raw data; a matrix has none."
Outcome = Literal["estimated", "refused", "not_estimated"]


@dataclass(frozen=True)
class Evidence:
    """The moments that are analysed: covariance (p, p) in the model's order, means, n, and complete cases if any."""

    covariance: Array
    means: Array | None
    n: int
    n_total: int
    sample: Sample | None


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
    alpha: Array
    blocks: tuple[tuple[int, ...], ...]
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


def gather(source: Source, names: tuple[str, ...], settings: Settings) -> Evidence:
    """The moments of the columns in use, with the divisor of the analysis, after listwise deletion."""
    if isinstance(source, Moments):
        order = [source.names.index(name) for name in names]
        given = source.n - source.divisor_offset
        wanted = source.n if settings.divisor == "n" else source.n - 1
        matrix = source.covariance[np.ix_(order, order)] * given / wanted
        means = None if source.means is None else source.means[order]
        return Evidence(matrix, means, source.n, source.n, None)
    sample = complete_cases(names, source.matrix(names))
    if sample.n < 2:
        return Evidence(np.full((len(names), len(names)), np.nan), None, sample.n, sample.n_total, sample)
    divisor = sample.n if settings.divisor == "n" else sample.n - 1
    return Evidence(covariance(sample.values, divisor), sample.values.mean(axis=0), sample.n, sample.n_total, sample)


def _sample_notes(evidence: Evidence, table: ParameterTable) -> list[Problem]:
    notes = []
    lost = evidence.n_total - evidence.n
    if lost:
        message = f"{lost} of {evidence.n_total} cases lack an answer in a column in use and are left out (listwise)."
        notes.append(Problem("cases_left_out", "note", message))
    if table.n_free and evidence.n < 5 * table.n_free:
        message = (
            f"{evidence.n} cases for {table.n_free} parameters are {evidence.n / table.n_free:.1f} to 1; "
            "5 to 1 is the least usually asked for (Bentler & Chou 1987)."
        )
        notes.append(Problem("few_cases_per_parameter", "warning", message))
    return notes


def _blocks(table: ParameterTable) -> tuple[tuple[int, ...], ...]:
    """For every construct the positions of its observed indicators, for alpha; empty where alpha does not apply."""
    at = {name: i for i, name in enumerate(table.observed)}
    return tuple(
        tuple(at[n] for n in c.indicators if n in at) if c.mode == "reflective" and len(c.indicators) > 1 else ()
        for c in table.constructs
    )


def _shared_residuals(table: ParameterTable, modifications: Sequence[Modification]) -> list[Problem]:
    """Notes on pairs of items of one construct that share more than it explains (p < .001), at most three."""
    owner = {name: c.name for c in table.constructs for name in c.indicators}
    notes = []
    for m in modifications:
        first, second = m.parameter.source, m.parameter.target
        if m.parameter.matrix != "residual" or m.index < 10.83 or owner[first] != owner[second]:
            continue
        message = (
            f"{first} and {second} share more than {owner[first]} explains: with covarying residuals χ² would fall by about "
            f"{m.index:.1f}. Allow it only for a reason that could be stated in a paper, such as nearly the same wording."
        )
        repair = Repair("Let their residuals covary", SetCovariance(first, second, True))
        notes.append(Problem("residuals_share", "note", message, (first, second), (repair,)))
    return notes[:3]


def _needs_cases(source: Source, settings: Settings) -> list[Problem]:
    """What the settings ask for and a matrix cannot give."""
    if isinstance(source, DataSet):
        return []
    found = []
    if settings.bootstrap:
        found.append(Problem("bootstrap_needs_cases", "error", NO_CASES.format("The bootstrap")))
    if settings.errors in NEED_CASES:
        message = NO_CASES.format(f"The choice of {settings.errors} errors")
        found.append(Problem("errors_need_cases", "error", message))
    return found


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
    problems = check(specification, source.names)
    model = read(specification)
    if not has_error(problems):
        problems += _not_numbers(source, model.columns)
    problems += _needs_cases(source, settings)
    if has_error(problems):
        return Analysis("refused", specification, settings, source, tuple(problems))
    table = compile_model(model, settings.scaling)
    evidence = gather(source, table.observed, settings)
    problems += check_covariance(table.observed, evidence.covariance, evidence.n)
    if has_error(problems):
        return Analysis("refused", specification, settings, source, tuple(problems))
    problems += identification(table)
    if has_error(problems):
        return Analysis("not_estimated", specification, settings, source, tuple(problems))
    problems += _sample_notes(evidence, table)
    multiplier = evidence.n if settings.divisor == "n" else evidence.n - 1
    cases = evidence.sample.values if evidence.sample is not None else None
    estimation = estimate(table, evidence.covariance, multiplier, settings.errors, cases)
    if not estimation.solution.converged:
        message = (
            f"No solution was found: after {estimation.solution.iterations} iterations and several starts the best "
            "values still move. Usual reasons: a construct with weakly related or wrongly placed indicators, an item "
            "that runs against its block, too few cases, or two constructs that are one."
        )
        problems.append(Problem("not_converged", "error", message))
        return Analysis("not_estimated", specification, settings, source, tuple(problems))
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
    problems += explain(estimation.model, theta, found)
    modifications = modification_indices(table, theta, evidence.covariance, multiplier)
    problems += _shared_residuals(table, modifications)
    blocks = _blocks(table)
    alpha = np.array([cronbach_alpha(evidence.covariance[np.ix_(b, b)]) if b else np.nan for b in blocks])
    outcome = None
    if settings.bootstrap and evidence.sample is not None:
        used = tuple(b for b in blocks if b)
        task = BootstrapTask(plan, evidence.sample.values, theta, 0 if settings.divisor == "n" else 1, used)
        free = np.array([p.free for p in table.parameters])
        outcome = bootstrap(task, found, alpha[[bool(b) for b in blocks]], free, settings, runner, progress)
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
        alpha,
        blocks,
        bool(admissible(estimation.model, theta)),
        outcome,
        tuple(modifications),
    )
    return Analysis("estimated", specification, settings, source, tuple(problems), fitted)
