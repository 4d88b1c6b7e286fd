"""What goes into a report, as it is kept with a model or in a file."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

MOST_WORDS = 12_000


class PartChoice(BaseModel):
    """A part of the report: whether it is shown, and a title in the place of its own."""

    model_config = ConfigDict(extra="forbid")

    key: str = Field(max_length=500)
    shown: bool = True
    title: str | None = Field(default=None, max_length=300)


class Edit(BaseModel):
    """Words as someone wrote them, and what had been computed when they did: paragraphs, one a line."""

    model_config = ConfigDict(extra="forbid")

    text: str = Field(max_length=MOST_WORDS)
    computed: str = Field(max_length=4 * MOST_WORDS)


class ReportOptions(BaseModel):
    """The parts of a report in their order (those that are not named follow in theirs), how its numbers are written, and
    words that were edited, by the key of their part."""

    model_config = ConfigDict(extra="forbid")

    parts: list[PartChoice] = Field(default=[], max_length=200)
    decimals: Literal[2, 3] = 2
    leading_zero: bool = False
    edits: dict[str, Edit] = Field(default={}, max_length=40)
