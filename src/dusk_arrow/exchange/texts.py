"""Texts as requests and files bring them, put right while they are read."""

from __future__ import annotations

from typing import Annotated

from pydantic import AfterValidator

from dusk_arrow.core.texts import one_line, paragraphs

Line = Annotated[str, AfterValidator(one_line)]
"""On one line, without what cannot be seen, without blanks at its ends."""

Text = Annotated[str, AfterValidator(paragraphs)]
"""The same with line breaks between paragraphs."""
