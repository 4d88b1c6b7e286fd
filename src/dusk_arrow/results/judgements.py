"""The sentences that judge: few cases, coarse items, cases left out, minima that disagree, and ways out of problems."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from dusk_arrow.core.family import Minima, Modification, SetUp
from dusk_arrow.core.linear_algebra import Array, correlation_from
from dusk_arrow.core.observations.data import Moments, Source
from dusk_arrow.core.observations.evidence import Evidence, FilledCases, IncompleteCases, PairwiseCases
from dusk_arrow.core.observations.taking_steps import recoding
from dusk_arrow.core.options import Choose
from dusk_arrow.core.parameter_key import ParameterKey
from dusk_arrow.core.problems import Problem, Repair, listed
from dusk_arrow.core.specification.changes import RemovePath, SetAside, SetCovariance
from dusk_arrow.core.specification.model import Construct, Model

FEWEST_VALUES = 5


def _never_together(evidence: IncompleteCases, names: Sequence[str]) -> list[Problem]:
    """A warning where no case has the answers of two columns both."""
    pairs = [f"{names[i]} and {names[j]}" for i, j in evidence.never_together]
    if not pairs:
        return []
    message = (
        f"No case has both answers of {listed(pairs)}, so the data say nothing of how these covary. The model's estimates rest on "
        "what it says of them; degrees of freedom count only what the answers tell, and SRMR, GFI, AGFI, scaled tests and HTMT that "
        "would need these covariances are not given."
    )
    about = tuple(dict.fromkeys(names[i] for pair in evidence.never_together for i in pair))
    return [Problem("never_together", "warning", message, about)]


def _missing_notes(evidence: Evidence, names: Sequence[str], missing: str, takes_incomplete: bool) -> list[Problem]:
    """How many cases and answers are missing, and what was done about it."""
    lost = evidence.n_total - evidence.n
    notes = []
    empty = f"{lost} of {evidence.n_total} cases have no answer in any column in use and {'is' if lost == 1 else 'are'} left out."
    if isinstance(evidence, IncompleteCases):
        gaps = int(np.isnan(evidence.values).sum())
        message = (
            f"{gaps} missing answers in {len(evidence.patterns)} patterns: every case counts with the answers it has."
        )
        if lost:
            message += f" {empty}"
        notes.append(Problem("full_information", "note", message))
        notes += _never_together(evidence, names)
        if not evidence.converged:
            message = (
                "The saturated moments of the incomplete cases were not found exactly; some columns hardly overlap."
            )
            notes.append(Problem("em_not_converged", "warning", message))
    elif isinstance(evidence, FilledCases):
        message = (
            f"{int((~evidence.there).sum())} missing answers are filled with their column's mean, which makes variances and "
            "covariances too small."
        )
        if takes_incomplete:
            message += " Full information uses the answers as they are."
        if lost:
            message += f" {empty}"
        notes.append(Problem("filled_with_means", "warning", message))
    elif isinstance(evidence, PairwiseCases):
        gaps = int(np.isnan(evidence.values).sum())
        message = f"{gaps} answers are missing: every correlation is of the cases that have both answers (pairwise)."
        if lost:
            message += f" {empty}"
        notes.append(Problem("pairwise", "note", message))
    elif lost and missing != "listwise":
        notes.append(Problem("cases_without_answers", "note", empty))
    elif lost:
        message = f"{lost} of {evidence.n_total} cases lack an answer in a column in use and are left out (listwise)."
        ways = (Repair("Use every answer (full information)", Choose("missing", "full-information")),)
        notes.append(Problem("cases_left_out", "note", message, repairs=ways if takes_incomplete else ()))
    return notes


def weight_note(source: Source) -> list[Problem]:
    """Case weights are kept with the data; no estimator uses them yet, and that is said."""
    if isinstance(source, Moments) or source.weight is None:
        return []
    message = f"The case weights in {source.weight} are not used by this estimator: every case counts once."
    return [Problem("weights_not_used", "warning", message, (source.weight,))]


def coarse_items(source: Source, names: Sequence[str], model: Model) -> list[Problem]:
    """A note on outcomes (items of what shows in them, and what paths lead to) with fewer than five values, which are hardly
    continuous; what only leads to others may have any values."""
    if isinstance(source, Moments):
        return []
    items = {name for c in model.constructs if c.mode == "reflective" for name in c.indicators}
    outcomes = {target for _, target in model.paths}
    columns = [source.column(name) for name in names if name in items | outcomes]
    coarse = [
        c for c in columns if c.numbers is not None and len(np.unique(c.numbers[~np.isnan(c.numbers)])) < FEWEST_VALUES
    ]
    found = []
    for own, what in (
        ([c.name for c in coarse if c.name in items], "makes loadings too small"),
        ([c.name for c in coarse if c.name not in items], "distorts paths and errors"),
    ):
        if own:
            message = (
                f"{listed(own)} {'has' if len(own) == 1 else 'have'} fewer than five answer categories. Estimates treat "
                f"{'it' if len(own) == 1 else 'them'} as continuous, which {what} (Rhemtulla, Brosseau-Liard & Savalei 2012); use "
                "robust errors at least."
            )
            found.append(Problem("coarse_items", "note", message, tuple(own)))
    return found


def sample_notes(set_up: SetUp, missing: str = "listwise") -> list[Problem]:
    """What is missing, and whether there are too few cases: in all, or for each of the parameters asked for."""
    asked, n = set_up.n_asked, sum(block.evidence.n for block in set_up.blocks)
    notes = [
        note
        for block in set_up.blocks
        for note in _missing_notes(block.evidence, block.names, missing, set_up.takes_incomplete)
    ]
    if asked and n < 5 * asked:
        apart = set_up.n_free > asked
        of = f"{asked} of {set_up.n_free} parameters, means and intercepts apart," if apart else f"{asked} parameters"
        message = (
            f"{n} cases for {of} are {n / asked:.1f} to 1; 5 to 1 is the least usually asked for (Bentler & Chou 1987)."
        )
        notes.append(Problem("few_cases_per_parameter", "warning", message))
    elif n < 100:
        message = f"{n} cases are few for any model of constructs; 100 is the least usually asked for (Kline 2016)."
        notes.append(Problem("few_cases", "note", message))
    return notes


def with_recoding(problem: Problem, source: Source, model: Model) -> Problem:
    """An item that runs against its block can be recoded where there are cases; that comes before setting it aside."""
    if problem.code != "runs_against_block" or isinstance(source, Moments) or problem.about[0] not in source.names:
        return problem
    name = problem.about[0]
    block = model.by_name[problem.about[1]].indicators
    return replace(problem, repairs=(recoding(source, name, block), *problem.repairs))


def ways_out(problem: Problem, model: Model) -> Problem:
    """Repairs for what stands in the way of estimation: items set aside, paths and covariances taken out."""
    repairs: list[Repair] = []
    pairs = {tuple(sorted(pair)) for pair in model.covariances}
    for key in problem.parameters:
        if key.kind == "path" and (key.source, key.target) in model.paths:
            repairs.append(Repair(f"Remove the path {key.words}", RemovePath(key.source, key.target)))
        elif key.kind == "covariance" and tuple(sorted((key.source, key.target))) in pairs:
            change = SetCovariance(key.source, key.target, None)
            repairs.append(Repair(f"Let {key.source} and {key.target} not covary", change))
    if not problem.parameters:
        items = [name for name in problem.about if name in model.owner]
        repairs += [Repair(f"Set {name} aside", SetAside(model.owner[name].name, name)) for name in items]
    return replace(problem, repairs=(*problem.repairs, *repairs[:3]))


def shared_residuals(constructs: Sequence[Construct], modifications: Sequence[Modification]) -> list[Problem]:
    """Notes on pairs of items of one construct that share more than it explains (p < .001), at most three."""
    owner = {name: c.name for c in constructs for name in c.indicators}
    notes = []
    for m in modifications:
        first, second = m.key.source, m.key.target
        if not m.residual or m.index < 10.83 or owner[first] != owner[second]:
            continue
        message = (
            f"{first} and {second} share more than {owner[first]} explains: with covarying residuals χ² would fall by about "
            f"{m.index:.1f}. Allow it only for a reason that could be stated in a paper, such as nearly the same wording."
        )
        repair = Repair("Let their residuals covary", SetCovariance(first, second, True))
        notes.append(Problem("residuals_share", "note", message, (first, second), (repair,)))
    return notes[:3]


def part_note(left: Sequence[str]) -> list[Problem]:
    """What is not estimated while only the measurement model is."""
    without = f" {listed(left)} {'takes' if len(left) == 1 else 'take'} no part in it." if left else ""
    message = f"Only the measurement model is estimated: all constructs covary, and the paths wait.{without}"
    return [Problem("measurement_only", "note", message, tuple(left))]


def dependent_estimates(free: Sequence[ParameterKey], matrix: Array) -> list[Problem]:
    """A note on estimates that can hardly be told apart: correlated beyond .98."""
    if matrix.size == 0 or np.isnan(matrix).any():
        return []
    correlation = correlation_from(matrix)
    rows, columns = np.nonzero(np.tril(np.abs(correlation), -1) > 0.98)
    if rows.size == 0:
        return []
    pairs = [
        f"{free[j].words} and {free[i].words}" for i, j in zip(rows[:3].tolist(), columns[:3].tolist(), strict=True)
    ]
    message = f"The estimates of {listed(pairs)} depend on each other almost completely; look at what sets them apart."
    return [Problem("estimates_dependent", "note", message)]


def minima_notes(minima: Minima) -> list[Problem]:
    """What is said where starting values lead to different places, or lower without end."""
    found = []
    if len(minima.values) > 1:
        values = [f"{value:.2f}" for value in minima.values[:4]]
        which = f", with χ² {listed(values)}" if minima.are_chi_square else ""
        message = (
            f"From different starting values the estimation comes to rest at different points{which}; the "
            "lowest is shown. Data that leave this open determine the model badly: more cases, better indicators or a "
            "simpler model would."
        )
        found.append(Problem("several_minima", "warning", message))
    if minima.falls_lower:
        message = (
            "From some starting values the discrepancy falls below the one shown without coming to rest, with estimates that "
            "grow without end. The solution shown is a minimum, but the data hardly determine the model."
        )
        found.append(Problem("falls_lower", "warning", message))
    return found
