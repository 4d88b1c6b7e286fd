"""The gate to the records: nothing is stored that does not read back equal."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from pydantic import ValidationError

from dusk_arrow.core.observations.data import Moments, Source
from dusk_arrow.core.observations.steps import Step
from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.core.specification.limits import check_names
from dusk_arrow.core.specification.names import names_of
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.statements import Line, Specification
from dusk_arrow.core.specification.writing import write
from dusk_arrow.exchange.parquet import column_notes, from_parquet, moments_from_json, moments_to_json, to_parquet
from dusk_arrow.exchange.recorded_steps import step_list
from dusk_arrow.results.settings import Settings


def _not_kept(what: str) -> ProblemError:
    message = f"{what} could not be read again the way it was written, so it was not kept. Nothing else was changed."
    return ProblemError([Problem("not_readable_again", "error", message)])


def specification_text(specification: Specification) -> str:
    """A specification as the text that is stored. Raises ProblemError where reading it again gives another one."""
    check_names(names_of(specification))
    lines = list(specification.lines)
    while lines and lines[-1] == Line():
        lines.pop()
    text = write(Specification(tuple(lines)))
    try:
        again = parse(text)
    except ProblemError as error:
        raise ProblemError([*_not_kept("The model").problems, *error.problems]) from None
    if again.lines != tuple(lines):
        raise _not_kept("The model")
    return text


def settings_json(settings: dict[str, Any]) -> dict[str, Any]:
    """Settings as they are stored. Raises ProblemError where they are none."""
    try:
        Settings.model_validate(settings)
    except ValidationError:
        raise _not_kept("The way of estimating") from None
    return settings


def steps_json(steps: Sequence[Step]) -> list[Any]:
    """Recorded steps as they are stored. Raises ProblemError where reading them again gives others."""
    kept: list[Any] = step_list().dump_python(list(steps), mode="json")
    if step_list().validate_python(kept) != list(steps):
        raise _not_kept("A recorded step")
    return kept


def data_bytes(data: Source) -> tuple[bytes, list[Any]]:
    """Data as they are stored, and what is known of their columns. Raises ProblemError where reading them again gives others."""
    if isinstance(data, Moments):
        content, notes = moments_to_json(data), [{"name": name} for name in data.names]
        again: Source = moments_from_json(content)
    else:
        content, notes = to_parquet(data), column_notes(data)
        again = from_parquet(content, data.name, notes)
    if again.fingerprint() != data.fingerprint():
        raise _not_kept("The data")
    return content, notes
