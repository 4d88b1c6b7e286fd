"""Two constructs that the data hardly tell apart, said alike in every family."""

from __future__ import annotations

from dusk_arrow.core.problems import Problem, Repair
from dusk_arrow.core.specification.changes import MergeConstructs
from dusk_arrow.core.wording import coefficient

ALIKE = 0.95


def constructs_alike(first: str, second: str, correlation: float, same_mode: bool) -> Problem | None:
    """The warning about two constructs that correlate above .95, with their merging as a repair where both are of one mode;
    None below it, or where there is no correlation."""
    if not abs(correlation) > ALIKE:
        return None
    beyond = abs(correlation) > 1
    said = (
        "which no correlation can be: the data do not tell them apart" if beyond else "the data hardly tell them apart"
    )
    message = (
        f"{first} and {second} correlate at {coefficient(correlation)}{', ' if beyond else ': '}{said}. "
        "Consider merging them, or dropping one."
    )
    merge = (Repair(f"Merge {second} into {first}", MergeConstructs(second, first)),)
    return Problem("constructs_alike", "warning", message, (first, second), merge if same_mode else ())
