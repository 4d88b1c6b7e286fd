"""What composites cannot express, named where it is seen; what they leave aside, listed."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dusk_arrow.core.family import EstimationSettings
from dusk_arrow.core.linear_algebra import Array, positive_definite
from dusk_arrow.core.observations.data import DataSet, Source
from dusk_arrow.core.observations.screening import exact_relation
from dusk_arrow.core.problems import Problem, Repair, listed
from dusk_arrow.core.specification.changes import RemoveConstruct, RemovePath, SetAside
from dusk_arrow.core.specification.model import Model
from dusk_arrow.core.specification.statements import Arrow, Reference, Target
from dusk_arrow.core.specification.writing import target_text

DEPENDENT = 1e-10
OF_FACTORS = {
    "full-information": "Full information is a likelihood, which composites do not have; leave cases out, fill with the mean, "
    "or work pairwise.",
}


def parts_of(model: Model) -> dict[str, tuple[str, ...]]:
    """For every construct of constructs its parts."""
    by_name = model.by_name
    return {c.name: c.indicators for c in model.constructs if any(name in by_name for name in c.indicators)}


def left_out_paths(model: Model) -> frozenset[tuple[str, str]]:
    """Paths that are held at 0, which is to leave them out."""
    return frozenset(
        (t.source, t.target) for t, v in model.fixed.items() if isinstance(t, Arrow) and v == 0 and _is_path(model, t)
    )


def _is_path(model: Model, target: Target) -> bool:
    return isinstance(target, Arrow) and (target.source, target.target) in model.paths


def cannot_say(model: Model) -> list[Problem]:
    """Sentences that this family refuses, and those that it leaves aside."""
    found: list[Problem] = []
    for target, value in model.fixed.items():
        if not (value == 0 and _is_path(model, target)):
            message = (
                f"{target_text(target)} is held at {value:g}. Composites are found by regressions, one construct at a time, "
                "which cannot hold a value; only a path can be left out (held at 0). Release it, or estimate common factors."
            )
            found.append(Problem("held_value", "error", message, tuple(dict.fromkeys(vars(target).values()))))
    for members in model.matches:
        names = [member.name if isinstance(member, Reference) else target_text(member) for member in members]
        message = (
            f"{listed(names)} are said to be equal. Composites are found one construct at a time, which cannot hold parameters "
            "equal. Take the sentence out, or estimate common factors."
        )
        found.append(Problem("held_equal", "error", message, tuple(names)))
    for target in model.released:
        if not isinstance(target, Arrow):
            message = f"{target_text(target)} is released: composites have no such parameter."
            found.append(Problem("no_such_parameter", "error", message, tuple(dict.fromkeys(vars(target).values()))))
    ignored = [f"{a} and {b} covary" for a, b in model.covariances]
    ignored += [f"{a} and {b} do not covary" for a, b in model.no_covariances]
    if ignored:
        message = (
            f"Left aside, because composites have no covariances of residuals or disturbances: {listed(ignored)}. "
            "Constructs that nothing leads to covary in any case."
        )
        pairs = tuple(dict.fromkeys(name for pair in (*model.covariances, *model.no_covariances) for name in pair))
        found.append(Problem("covariances_left_aside", "warning", message, pairs))
    if model.starts:
        said = listed([target_text(target) for target in model.starts])
        message = f"Left aside, because weights always begin at 1: the starting values of {said}."
        found.append(Problem("starts_left_aside", "note", message))
    named = {target for target in model.names.values() if not isinstance(target, Arrow)}
    for target in named:
        message = f"{target_text(target)} has a name, but composites have no such parameter."
        found.append(Problem("no_such_parameter", "error", message, tuple(dict.fromkeys(vars(target).values()))))
    return found


def structure_problems(model: Model, paths: Sequence[tuple[str, str]], measurement: bool) -> list[Problem]:
    """What stands alone, goes round in a circle, or belongs to two."""
    found: list[Problem] = []
    parts = parts_of(model)
    part_of = {part: whole for whole, members in parts.items() for part in members}
    linked = {name for path in paths for name in path}
    for construct in model.constructs:
        name = construct.name
        if name in part_of and name in linked:
            whole = part_of[name]
            message = (
                f"{name} is a part of {whole} and has paths of its own. In two stages its scores are an indicator of {whole}; "
                f"draw the paths from {whole}, or take {name} out of it."
            )
            found.append(Problem("part_with_paths", "error", message, (name, whole)))
        if not measurement and name not in linked and name not in part_of:
            message = (
                f"{name} is linked to nothing. Composites are weighed by what they lead to and what leads to them, so each "
                "needs a path at least. The measurement part links all of them."
            )
            remove = (Repair(f"Take {name} out of the model", RemoveConstruct(name)),)
            found.append(Problem("linked_to_nothing", "error", message, (name,), remove))
    if measurement and len(model.constructs) + len(model.observed) < 2:
        message = "One construct alone has nothing to be weighed by. Composites need two at least."
        found.append(Problem("linked_to_nothing", "error", message))
    circle = _circle(paths)
    if circle:
        way = " → ".join((*circle, circle[0]))
        message = (
            f"The paths go round in a circle: {way}. Composites are found by regressions of outcomes on causes, which a circle "
            "biases. Remove one of its paths, or estimate common factors."
        )
        last = (circle[-1], circle[0])
        repairs = (Repair(f"Remove the path {last[0]} → {last[1]}", RemovePath(*last)),)
        found.append(Problem("paths_in_circle", "error", message, circle, repairs))
    owners: dict[str, list[str]] = {}
    for construct in model.constructs:
        for name in construct.indicators:
            owners.setdefault(name, []).append(construct.name)
    for name, owned in owners.items():
        if len(owned) > 1:
            message = (
                f"{name} belongs to {listed(owned)}. A composite's indicators are its own; take {name} out of all but one, "
                "or estimate common factors."
            )
            found.append(Problem("shared_indicator", "error", message, (name, *owned)))
    deep = [whole for whole, members in parts.items() if any(member in parts for member in members)]
    for whole in deep:
        message = f"{whole} is made of constructs of constructs; composites go to the second order."
        found.append(Problem("third_order", "error", message, (whole,)))
    mixed = [whole for whole, members in parts.items() if not all(member in model.by_name for member in members)]
    for whole in mixed:
        message = f"{whole} has both constructs and columns for indicators. Make a construct of the columns first."
        found.append(Problem("mixed_indicators", "error", message, (whole,)))
    return found


def _circle(paths: Sequence[tuple[str, str]]) -> tuple[str, ...]:
    """The stations of some circle of paths, empty where there is none."""
    onward: dict[str, list[str]] = {}
    for source, target in paths:
        onward.setdefault(source, []).append(target)
    done: set[str] = set()
    for start in onward:
        trail: list[tuple[str, int]] = [(start, 0)]
        while trail:
            name, at = trail[-1]
            ends = onward.get(name, [])
            if name in done or at == len(ends):
                done.add(name)
                trail.pop()
                continue
            trail[-1] = (name, at + 1)
            names = [station for station, _ in trail]
            if ends[at] in names:
                return tuple(names[names.index(ends[at]) :])
            trail.append((ends[at], 0))
    return ()


def settings_problems(source: Source, settings: EstimationSettings) -> list[Problem]:
    """Settings of another family, and what needs single cases."""
    found: list[Problem] = []
    if settings.missing in OF_FACTORS:
        found.append(Problem("missing_not_available", "error", OF_FACTORS[settings.missing]))
    if settings.bollen_stine:
        message = (
            "The Bollen–Stine test is of a χ², which composites do not have; a bootstrap gives their distances "
            "reference quantiles from data transformed to the model."
        )
        found.append(Problem("bollen_stine_not_available", "error", message))
    if settings.analytic_errors != "expected":
        message = "Composites have no information matrix: their errors and intervals are those of the bootstrap."
        found.append(Problem("errors_not_available", "error", message))
    if settings.means:
        message = "Composites are of standardized columns, which have no means to be modelled."
        found.append(Problem("means_not_available", "error", message))
    if settings.bootstrap and not isinstance(source, DataSet):
        message = "The bootstrap works on single cases, so it needs the raw data; a matrix has none."
        found.append(Problem("bootstrap_needs_cases", "error", message))
    return found


Blocks = Sequence[tuple[str, Sequence[int]]]


def sample_problems(
    names: Sequence[str], covariance: Array, n: int, formative: Blocks, reflective: Blocks, pairwise: bool
) -> list[Problem]:
    """Columns (p,) that do not vary, blocks that are dependent, correlations that could be none."""
    if n < 3:
        message = f"Only {n} complete {'case is' if n == 1 else 'cases are'} left for the columns in use."
        return [Problem("no_cases", "error", message, tuple(names))]
    constant = [name for name, variance in zip(names, np.diag(covariance), strict=True) if not variance > 0]
    if constant:
        what = "does" if len(constant) == 1 else "do"
        message = f"{listed(constant)} {what} not vary, so nothing can be told from it."
        return [Problem("zero_variance", "error", message, tuple(constant))]
    if not np.isfinite(covariance).all():
        message = (
            "Some pair of columns has no case with both answers, so it has no correlation. Leave cases out instead."
        )
        return [Problem("no_common_cases", "error", message, tuple(names))]
    sd = np.sqrt(np.diag(covariance))
    correlation = covariance / np.outer(sd, sd)
    found = []
    if pairwise and not positive_definite(correlation - DEPENDENT * np.eye(len(names))):
        message = (
            "The pairwise correlations are not positive definite: no data could have all of them at once. "
            "Leave cases out instead, or fill with the mean."
        )
        found.append(Problem("not_positive_definite", "error", message, tuple(names)))
    for name, rows in formative:
        block = correlation[np.ix_(rows, rows)]
        if len(rows) > 1 and not positive_definite(block - DEPENDENT * np.eye(len(rows))):
            involved = tuple(names[i] for i in rows)
            message = (
                f"The indicators of {name} depend on each other exactly ({listed(involved)}), so none has a weight of its own. "
                "Set one of them aside."
            )
            found.append(Problem("formative_dependent", "error", message, (name, *involved)))
    for name, rows in reflective:
        relation = exact_relation([names[i] for i in rows], correlation[np.ix_(rows, rows)])
        if relation is not None:
            words, involved = relation
            message = (
                f"{words} among the indicators of {name}: what is said twice makes loadings and reliability too high. "
                f"Set {involved[0]} aside."
            )
            repairs = (Repair(f"Set {involved[0]} aside", SetAside(name, involved[0])),)
            found.append(Problem("reflective_dependent", "warning", message, (*involved, name), repairs))
    return found
