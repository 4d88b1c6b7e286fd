"""What has to be said of a solution with composites, with repairs."""

from __future__ import annotations

import numpy as np

from dusk_arrow.core.composite.figures import FigurePlan
from dusk_arrow.core.composite.program import Outcome
from dusk_arrow.core.figures import Figures
from dusk_arrow.core.linear_algebra import positive_definite
from dusk_arrow.core.problems import Problem, Repair
from dusk_arrow.core.specification.changes import MergeConstructs, SetAside
from dusk_arrow.core.wording import coefficient

ALIKE = 0.95
WEAK = 0.4


def explain(plan: FigurePlan, outcome: Outcome, found: Figures) -> list[Problem]:
    """Impossible corrected values, constructs alike, and indicators that hardly belong or run against their block."""
    problems: list[Problem] = []
    corrected = {plan.program.first.names[i] for i in plan.program.first.corrected}
    corrected |= {plan.program.structure.names[i] for i in plan.program.structure.corrected}
    for construct in plan.constructs:
        loadings = outcome.own_loadings[construct.name][0]
        if construct.name in corrected:
            for name, value in zip(construct.indicators, loadings.tolist(), strict=True):
                if abs(value) > 1:
                    message = (
                        f"The corrected loading of {name} is {coefficient(value)}, beyond 1, which no loading can be. Usual reasons: "
                        "a small sample, or indicators that are no reflections of one construct."
                    )
                    problems.append(Problem("loading_beyond_one", "warning", message, (name, construct.name)))
        problems += _weak(construct.name, construct.mode, construct.indicators, loadings.tolist())
    problems += _alike(plan, outcome)
    rows = list(plan.program.structure.standing)
    if not positive_definite(outcome.structure.between[:, rows, :][..., rows])[0]:
        message = (
            "The corrected correlations of the constructs could be none (not positive definite), so paths and R² of them mean "
            "nothing. Usual reasons: constructs that the data do not tell apart, or too few cases."
        )
        problems.append(Problem("not_positive_definite_constructs", "warning", message))
    return problems


def _weak(construct: str, mode: str, indicators: tuple[str, ...], loadings: list[float]) -> list[Problem]:
    if mode == "formative" or len(indicators) < 2:
        return []
    found = []
    for name, value in zip(indicators, loadings, strict=True):
        repairs = (Repair(f"Set {name} aside", SetAside(construct, name)),) if len(indicators) > 2 else ()
        if value < -0.1:
            message = (
                f"{name} runs against the other indicators of {construct}: its loading is {coefficient(value)}. "
                "It is probably worded the other way round and has to be recoded before it is used."
            )
            found.append(Problem("runs_against_block", "warning", message, (name, construct), repairs))
        elif value < WEAK:
            message = (
                f"{name} hardly belongs to {construct}: its loading is {coefficient(value)}. Look at its wording before setting "
                "it aside."
            )
            found.append(Problem("weak_loading", "warning", message, (name, construct), repairs))
    return found


def _alike(plan: FigurePlan, outcome: Outcome) -> list[Problem]:
    names = [c.name for c in plan.constructs]
    modes = {c.name: c.mode for c in plan.constructs}
    inside = {name for c in plan.constructs for name in c.indicators}
    found = []
    for i, first in enumerate(names):
        for second in names[i + 1 :]:
            if {first, second} & inside:
                continue  # a part belongs to its whole
            value = float(outcome.between[0, plan.program.place[first], plan.program.place[second]])
            if not np.isfinite(value) or abs(value) <= ALIKE:
                continue
            beyond = abs(value) > 1
            said = (
                "which no correlation can be: the data do not tell them apart"
                if beyond
                else "the data hardly tell them apart"
            )
            message = (
                f"{first} and {second} correlate at {coefficient(value)}{', ' if beyond else ': '}{said}. "
                "Consider merging them, or dropping one."
            )
            merge = (Repair(f"Merge {second} into {first}", MergeConstructs(second, first)),)
            repairs = merge if modes[first] == modes[second] else ()
            found.append(Problem("constructs_alike", "warning", message, (first, second), repairs))
    return found
