"""One analysis from specification and data to everything that is known of it, stage by stage."""

from __future__ import annotations

import logging
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from dusk_arrow.core.families import FAMILIES
from dusk_arrow.core.family import Depth, Family, Fitted, NotFitted, SetUp
from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.data import DataSet, Moments, Source
from dusk_arrow.core.observations.screening import ColumnSummary, summarise
from dusk_arrow.core.problems import Problem, has_error
from dusk_arrow.core.scores import score
from dusk_arrow.core.specification.checking import check
from dusk_arrow.core.specification.model import Model, read
from dusk_arrow.core.specification.statements import Specification
from dusk_arrow.results.bootstrapping import BootstrapOutcome, ChunkRunner, Progress, bootstrap, run_here
from dusk_arrow.results.common_method import CommonMethod, common_method
from dusk_arrow.results.judgements import (
    coarse_items,
    dependent_estimates,
    minima_notes,
    part_note,
    sample_notes,
    shared_residuals,
    ways_out,
    weight_note,
    with_recoding,
)
from dusk_arrow.results.redundancy import Redundancy, redundancies, wrong_items
from dusk_arrow.results.settings import Settings

log = logging.getLogger(__name__)
Outcome = Literal["estimated", "refused", "not_estimated"]


@dataclass(frozen=True)
class Analysis:
    """What came of one analysis: `refused` before estimation, `not_estimated` by it, or `estimated`."""

    outcome: Outcome
    specification: Specification
    model: Model | None
    settings: Settings
    source: Source
    problems: tuple[Problem, ...]
    fitted: Fitted | None = None
    bootstrap: BootstrapOutcome | None = None
    common_method: CommonMethod | None = None
    redundancy: tuple[Redundancy, ...] = ()
    scored: tuple[tuple[str, ColumnSummary], ...] | None = None
    monte_carlo: MonteCarlo | None = None


DRAWS = 20_000


@dataclass(frozen=True)
class MonteCarlo:
    """Intervals (2, e) of the effects of a model without cases, plain and standardized, from draws of its estimates."""

    plain: Array
    standardized: Array


class _EndedError(Exception):
    """Raised by a stage that cannot be passed."""

    def __init__(self, outcome: Outcome, problems: Sequence[Problem]) -> None:
        super().__init__(outcome)
        self.outcome: Outcome = outcome
        self.problems = tuple(problems)


def analyse(
    specification: Specification,
    source: Source,
    settings: Settings,
    runner: ChunkRunner = run_here,
    progress: Progress | None = None,
    depth: Depth = "usual",
    show: Callable[[Analysis], None] | None = None,
) -> Analysis:
    """Checks, estimates and assesses a model. Never raises for a model or data at fault: problems say what is wrong. A
    brief one has the figures of fit, quality and paths alone, without errors, effects and modification indices; a thorough one
    predicts. `show` is given the analysis with the bootstrap so far, where `progress` asks for it.

    Raises StoppedError where `progress` asks to stop, PausedError where it asks to give way.
    """
    try:
        return _analyse(specification, source, settings, runner, progress, depth, show)
    except _EndedError as end:
        return Analysis(end.outcome, specification, None, settings, source, end.problems)
    except np.linalg.LinAlgError as error:
        log.warning("a computation broke off", exc_info=error)
        message = (
            "The computation broke off: a matrix that has to be inverted is singular at the values reached "
            f"({error}). Usual reasons: columns that nearly repeat each other, or a loop of paths that feeds itself."
        )
        problem = Problem("broke_off", "error", message)
        return Analysis("not_estimated", specification, None, settings, source, (problem,))


def _analyse(
    specification: Specification,
    source: Source,
    settings: Settings,
    runner: ChunkRunner,
    progress: Progress | None,
    depth: Depth,
    show: Callable[[Analysis], None] | None,
) -> Analysis:
    family = FAMILIES[settings.family]
    said = family.estimated_part(specification, settings.part)
    model, problems = _checked(family, said, source, settings)
    if settings.part == "measurement":
        problems += part_note(family.left_out(specification))
    set_up, found = _set_up(family, said, model, source, settings, problems)
    problems = [*found, *weight_note(source), *coarse_items(source, list(dict.fromkeys(set_up.names)), model)]
    problems += sample_notes(set_up, settings.missing)
    fitted = family.fit(model, set_up, settings, source, depth)
    if isinstance(fitted, NotFitted):
        raise _EndedError(fitted.outcome, [*problems, fitted.problem])
    problems += _judged(family, fitted, source, model)
    problems += wrong_items(model, source, settings)
    redundancy = tuple(one for block in fitted.blocks for one in redundancies(fitted, block, model, source, settings))
    analysis = Analysis(
        "estimated",
        specification,
        model,
        settings,
        source,
        tuple(problems),
        fitted,
        redundancy=redundancy,
        monte_carlo=_monte_carlo(family, fitted, source, settings),
    )

    def partly(outcome: BootstrapOutcome) -> None:
        if show is not None:
            show(_with_bootstrap(analysis, outcome))

    if fitted.task is not None:
        analysis = _with_bootstrap(analysis, bootstrap(fitted, fitted.task, settings, runner, progress, partly))
    if depth != "thorough":
        return analysis
    return replace(
        analysis,
        common_method=common_method(specification, source, settings),
        scored=described(fitted, source),
    )


def _monte_carlo(family: Family, fitted: Fitted, source: Source, settings: Settings) -> MonteCarlo | None:
    """Where there are no cases to resample and something leads through something else."""
    if not isinstance(source, Moments) or not any(effect.kind == "specific indirect" for effect in fitted.effects):
        return None
    drawn = family.effect_draws(fitted, DRAWS, settings.seed)
    if drawn is None:
        return None
    shares = (0.5 - settings.level / 2, 0.5 + settings.level / 2)
    plain, standardized = (np.nanquantile(values, shares, axis=0) for values in drawn)
    return MonteCarlo(plain, standardized)


def _with_bootstrap(analysis: Analysis, outcome: BootstrapOutcome) -> Analysis:
    return replace(analysis, bootstrap=outcome, problems=(*analysis.problems, *_shaky(outcome)))


def _checked(
    family: Family, specification: Specification, source: Source, settings: Settings
) -> tuple[Model, list[Problem]]:
    """The model that the sentences make, if it can be put to these data at all."""
    problems = check(specification, source.names)
    model = read(specification)
    if not has_error(problems):
        problems += _not_numbers(source, model.columns)
    problems += family.check(model, source, settings)
    if has_error(problems):
        ways = [p if p.repairs or p.severity != "error" else ways_out(p, model) for p in problems]
        raise _EndedError("refused", ways)
    return model, problems


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


def _set_up(
    family: Family,
    specification: Specification,
    model: Model,
    source: Source,
    settings: Settings,
    problems: list[Problem],
) -> tuple[SetUp, list[Problem]]:
    """The evidence on its columns, if it can bear the model."""
    set_up, found = family.set_up(specification, model, source, settings)
    problems = [*problems, *found]
    if has_error(problems):
        raise _EndedError("refused", [ways_out(problem, model) for problem in problems])
    problems += [ways_out(problem, model) for problem in family.identify(set_up)]
    if has_error(problems):
        raise _EndedError("not_estimated", problems)
    return set_up, problems


def _judged(family: Family, fitted: Fitted, source: Source, model: Model) -> list[Problem]:
    """What has to be said of a solution."""
    problems = minima_notes(fitted.minima)
    if not fitted.all_routes:
        message = "There are more than 2,000 indirect routes; for some pairs only the totals are listed."
        problems.append(Problem("many_routes", "note", message))
    if np.isnan(fitted.covariance).any():
        message = "The data do not determine every parameter (the information matrix is singular): no standard errors."
        problems.append(Problem("empirically_not_identified", "warning", message))
    problems += [with_recoding(problem, source, model) for problem in family.explain(fitted)]
    problems += dependent_estimates(fitted.free, fitted.covariance)
    constructs = [construct for block in fitted.blocks for construct in block.quality.constructs]
    return problems + shared_residuals(constructs, fitted.modifications)


def described(fitted: Fitted, source: Source) -> tuple[tuple[str, ColumnSummary], ...] | None:
    """The scores of every construct over the cases, described; None where there are no cases, or several groups."""
    if not isinstance(source, DataSet) or len(fitted.blocks) > 1:
        return None
    weights = fitted.blocks[0].scores
    values = score(weights, source.matrix(weights.observed))
    chosen = [i for i, name in enumerate(weights.nodes) if name not in weights.observed]
    return tuple((weights.nodes[i], summarise(values[:, i])) for i in chosen)


def _shaky(outcome: BootstrapOutcome) -> list[Problem]:
    drawn = outcome.used + outcome.not_converged
    lost = outcome.not_converged + outcome.inadmissible
    rare = [
        Problem(
            "no_variation",
            "warning",
            f"{count:,} of {drawn:,} resamples had no variation in {name}: too rare an answer. They have no estimates and are left out.",
            (name,),
        )
        for name, count in outcome.still.items()
    ]
    if lost <= 0.05 * drawn:
        return rare
    message = (
        f"{lost} of {drawn} resamples did not converge or gave impossible values; the intervals rest on shaky ground."
    )
    return [*rare, Problem("many_bad_resamples", "warning", message)]
