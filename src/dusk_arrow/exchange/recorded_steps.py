"""Recorded steps as JSON: in the records, in the API, and as a file for the command line."""

from __future__ import annotations

import json
from functools import cache
from typing import Annotated, Any

from pydantic import AfterValidator, Field, TypeAdapter, ValidationError

from dusk_arrow.core.observations.steps import Step
from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.core.specification.cleaning import cleaned

AnyStep = Annotated[Step, Field(discriminator="type"), AfterValidator(cleaned)]
VERSION = 1


@cache
def step_list() -> TypeAdapter[list[Step]]:
    """Steps to and from JSON; made when first needed, since making it takes long."""
    return TypeAdapter(list[AnyStep])


def write_steps(steps: list[Step]) -> str:
    """The file of recorded steps."""
    return json.dumps(
        {"version": VERSION, "steps": step_list().dump_python(steps, mode="json")}, ensure_ascii=False, indent=1
    )


def read_steps(content: bytes) -> list[Step]:
    """The steps of a file, or of a bare list. Raises ProblemError."""
    try:
        found: Any = json.loads(content)
        return step_list().validate_python(found["steps"] if isinstance(found, dict) else found)
    except ValidationError as error:
        first = error.errors()[0]
        place = " ".join(str(part) for part in first["loc"])
        message = f"The recorded steps cannot be read: {place}: {first['msg']}."
        raise ProblemError([Problem("steps_unreadable", "error", message)]) from None
    except (ValueError, KeyError):
        message = "The file holds no recorded steps; export them from the Data station."
        raise ProblemError([Problem("steps_unreadable", "error", message)]) from None
