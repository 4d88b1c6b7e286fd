"""What has to be said of a solution with composites, with repairs."""

from __future__ import annotations

from itertools import combinations

from dusk_arrow.core.assessment.alike import constructs_alike
from dusk_arrow.core.composite.program import Outcome
from dusk_arrow.core.composite.statistics import Inquiry
from dusk_arrow.core.linear_algebra import positive_definite
from dusk_arrow.core.problems import Problem, Repair
from dusk_arrow.core.specification.changes import SetAside
from dusk_arrow.core.wording import coefficient


def explain(plan: Inquiry, outcome: Outcome) -> list[Problem]:
    """Impossible corrected values, constructs alike, and indicators that run against their block."""
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
        problems += _reversed(construct.name, construct.mode, construct.indicators, loadings.tolist())
    problems += _alike(plan, outcome)
    rows = list(plan.program.structure.standing)
    if not positive_definite(outcome.structure.between[:, rows, :][..., rows])[0]:
        message = (
            "The corrected correlations of the constructs could be none (not positive definite), so paths and R² of them mean "
            "nothing. Usual reasons: constructs that the data do not tell apart, or too few cases."
        )
        problems.append(Problem("not_positive_definite_constructs", "warning", message))
    return problems


def _reversed(construct: str, mode: str, indicators: tuple[str, ...], loadings: list[float]) -> list[Problem]:
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
    return found


def _alike(plan: Inquiry, outcome: Outcome) -> list[Problem]:
    place, parts = plan.program.place, {name for c in plan.constructs for name in c.indicators}
    found = []
    for one, other in combinations(plan.constructs, 2):
        if not {one.name, other.name} & parts:  # a part belongs to its whole
            correlation = float(outcome.between[0, place[one.name], place[other.name]])
            found.append(constructs_alike(one.name, other.name, correlation, one.mode == other.mode))
    return [problem for problem in found if problem is not None]
