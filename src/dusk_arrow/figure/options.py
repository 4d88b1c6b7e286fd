"""How a figure is drawn: what is shown of the model, and how its numbers are written."""

from __future__ import annotations

import re
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field, WithJsonSchema

from dusk_arrow.core.assessment.criteria import listed_in
from dusk_arrow.core.wording import coefficient, plain, telling
from dusk_arrow.figure.typefaces import TYPEFACES, Typeface
from dusk_arrow.results.document import EffectPart, ParameterPart, Reading, reading

NOTED = listed_in("note")
USUAL_FIT: tuple[str, ...] = ("chi_square", "cfi", "tli", "rmsea", "srmr")
NARROWEST, WIDEST = 40.0, 400.0  # mm
Place = Annotated[float, Field(ge=-20_000, le=20_000)]


def _chosen_fit(given: object) -> object:
    """Choices kept by an earlier version say yes or no."""
    return (list(USUAL_FIT) if given else []) if isinstance(given, bool) else given


def _noted(key: str) -> str:
    if key not in NOTED:
        raise ValueError(f"a note has no {key}; there are {', '.join(NOTED)}")
    return key


FitStatistic = Annotated[str, AfterValidator(_noted), WithJsonSchema({"type": "string", "enum": list(NOTED)})]


class FigureOptions(BaseModel):
    """Choices for the figure of a paper, as they are kept with a project or in a file. `covariances` null: only where a model
    has no paths; `controls`: whether they are drawn, or named in the note; `width` in millimetres, null: as large as it comes; `parts` null: without items where there are very many; `places` are where
    somebody put constructs by hand, `label_places` where they put what stands at lines, from the middle of each."""

    model_config = ConfigDict(extra="forbid")

    notation: Literal["literature", "cards"] = "literature"
    parts: Literal["both", "structure", "measurement"] | None = None
    direction: Literal["across", "down"] = "across"
    arrows: Literal["curved", "straight", "angled"] = "curved"
    standardized: bool = True
    decimals: Literal[1, 2, 3] = 2
    leading_zero: bool = False
    beside: Literal["interval", "stars", "p", "se", "nothing"] = "interval"
    labels: bool = False
    loadings: bool = True
    r_squared: bool = True
    residuals: bool = False
    covariances: bool | None = None
    controls: bool = False
    uncertain: Literal["dashed", "grey", "hidden", "plain"] = "dashed"
    thickness: bool = False
    typeface: Typeface = "source"
    ink: Literal["black", "colour", "greys"] = "black"
    width: float | None = Field(default=None, ge=NARROWEST, le=WIDEST)
    fit: Annotated[list[FitStatistic], BeforeValidator(_chosen_fit)] = []
    note: bool = True
    places: dict[str, tuple[Place, Place]] = Field(default={}, max_length=200)
    label_places: dict[str, tuple[Place, Place]] = Field(default={}, max_length=1000)

    def width_of(self, text: str, size: float, bold: bool = False) -> float:
        """How wide a text is in the typeface that was chosen."""
        return TYPEFACES[self.typeface].width_of(text, size, bold)

    def number(self, value: float | None, decimals: int | None = None) -> str:
        """An estimate as it is written: without its leading zero where it is standardized and that is the tradition."""
        places = self.decimals if decimals is None else decimals
        if self.standardized and not self.leading_zero:
            return coefficient(value, places)
        return plain(value, places)

    def reading(self, part: ParameterPart | EffectPart) -> Reading:
        """A parameter or an effect, standardized or in its units."""
        return reading(part, self.standardized)

    def share(self, value: float | None) -> str:
        """R² and other figures that cannot exceed 1."""
        return plain(value, self.decimals) if self.leading_zero else coefficient(value, self.decimals)

    def p(self, words: str) -> str:
        """Words about p in the tradition that was chosen: `p < .001` or `p < 0.001`."""
        return re.sub(r"(?<= )\.(?=\d)", "0.", words) if self.leading_zero else words

    def range(self, bounds: tuple[float, float] | None) -> str:
        """An interval, empty where there is none; with more decimals where a bound would look like zero."""
        if bounds is None:
            return ""
        places = telling(bounds, self.decimals)
        return f"[{self.number(bounds[0], places)}, {self.number(bounds[1], places)}]"
