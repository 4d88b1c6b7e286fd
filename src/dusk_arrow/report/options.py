"""What goes into a report, as it is kept with a model or in a file."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from dusk_arrow.figure.options import FigureOptions

MOST_WORDS = 12_000
MOST_BESIDE = 20


class PartChoice(BaseModel):
    """A part of the report: whether it is shown, and a title in the place of its own."""

    model_config = ConfigDict(extra="forbid")

    key: str = Field(max_length=500)
    shown: bool = True
    title: str | None = Field(default=None, max_length=300)


class Edit(BaseModel):
    """Words as someone wrote them, a paragraph a line (null: as they are computed), and the mark of what had been computed when they
    did; `beside` are words that were written in another window meanwhile, until somebody decides."""

    model_config = ConfigDict(extra="forbid")

    text: str | None = Field(max_length=MOST_WORDS)
    computed: str = Field(max_length=64)
    beside: list[Annotated[str, Field(max_length=MOST_WORDS)]] = Field(default=[], max_length=MOST_BESIDE)


class NamedFigure(BaseModel):
    """A figure of the report: of the whole model, of one mediation by its source and outcome, or importance and performance for
    an outcome; and how it is drawn."""

    model_config = ConfigDict(extra="forbid")

    key: str = Field(default="figure", max_length=500)
    kind: Literal["model", "mediation", "importance"] = "model"
    source: str | None = Field(default=None, max_length=200)
    outcome: str | None = Field(default=None, max_length=200)
    options: FigureOptions = FigureOptions()

    @property
    def words(self) -> str:
        """What it is called."""
        if self.kind == "mediation":
            return f"What {self.source} does to {self.outcome}"
        return f"Importance and performance for {self.outcome}" if self.kind == "importance" else "Path diagram"


class ReportOptions(BaseModel):
    """The parts of a report in their order (those that are not named follow in theirs), its figures, how its numbers are
    written, and words that were edited, by the key of their part."""

    model_config = ConfigDict(extra="forbid")

    title: str | None = Field(default=None, max_length=300)
    parts: list[PartChoice] = Field(default=[], max_length=200)
    figures: list[NamedFigure] = Field(default=[NamedFigure()], max_length=40)
    decimals: Literal[2, 3] = 2
    leading_zero: bool = False
    n_in_chi_square: bool = True
    edits: dict[str, Edit] = Field(default={}, max_length=40)
