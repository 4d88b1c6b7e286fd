"""Texts as requests and files bring them, put right while they are read."""

from __future__ import annotations

from typing import Annotated

from pydantic import AfterValidator, ValidationError

from dusk_arrow.core.texts import one_line, paragraphs

Line = Annotated[str, AfterValidator(one_line)]
"""On one line, without what cannot be seen, without blanks at its ends."""

Text = Annotated[str, AfterValidator(paragraphs)]
"""The same with line breaks between paragraphs."""


def what_is_wrong(error: ValidationError, what: str) -> str:
    """The first thing that does not fit, with its place in `what` was read, as a sentence."""
    first = error.errors()[0]
    place = " → ".join(str(part) for part in first["loc"]) or what
    return f"{place}: {first['msg'].removeprefix('Value error, ').rstrip('.')}."
