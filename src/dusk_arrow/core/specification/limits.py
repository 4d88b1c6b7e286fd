"""How large a model may be: what can be read, drawn and estimated while somebody waits."""

from __future__ import annotations

from collections.abc import Iterable

from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.core.specification.model import Model

MOST_LINES = 2000
MOST_CHARACTERS = 200_000
LONGEST_NAME = 200
SIZES = {"constructs": 60, "columns": 250, "paths": 400, "covariances": 1000}


def check_text(lines: int, characters: int) -> None:
    """Raises ProblemError for a text with more lines or characters than a model may have."""
    if lines > MOST_LINES or characters > MOST_CHARACTERS:
        message = (
            f"The text has {lines:,} lines and {characters:,} characters; {MOST_LINES:,} lines and "
            f"{MOST_CHARACTERS:,} characters are the most."
        )
        raise ProblemError([Problem("text_too_long", "error", message)])


def check_names(names: Iterable[str]) -> None:
    """Raises ProblemError for a name that is empty, or longer than names may be."""
    lengths = [len(name.strip()) for name in names]
    if 0 in lengths:
        raise ProblemError([Problem("name_empty", "error", "A name is empty; give everything in the model one.")])
    longest = max(lengths, default=0)
    if longest > LONGEST_NAME:
        message = f"A name has {longest} characters; {LONGEST_NAME} is the most."
        raise ProblemError([Problem("name_too_long", "error", message)])


def too_large(model: Model) -> list[Problem]:
    """What is said of a model with more parts than can be worked on."""
    found = {
        "constructs": len(model.constructs),
        "columns": len(model.columns),
        "paths": len(model.paths),
        "covariances": len(model.covariances) + len(model.no_covariances),
    }
    return [
        Problem("model_too_large", "error", f"The model has {found[what]:,} {what}; {most:,} is the most.")
        for what, most in SIZES.items()
        if found[what] > most
    ]
