"""Cut-offs as they are kept and travel in files."""

from __future__ import annotations

from pydantic import BaseModel, Field, FiniteFloat, field_validator

from dusk_arrow.core.assessment.criteria import USUAL, Preset, Sheet, sheet, wrong_bounds


class CutOffs(BaseModel):
    """A preset, and one's own for some figures (good, tolerable) in its place."""

    preset: Preset = "usual"
    own: dict[str, tuple[FiniteFloat, FiniteFloat | None]] = Field(default={}, max_length=100)

    @field_validator("own")
    @classmethod
    def _of_figures(cls, given: dict[str, tuple[float, float | None]]) -> dict[str, tuple[float, float | None]]:
        """Of figures that have some, in an order that makes sense."""
        for key, (good, tolerable) in given.items():
            if key not in USUAL.by_key:
                raise ValueError(f"there is no figure {key}")
            wrong = wrong_bounds(USUAL.by_key[key], good, tolerable)
            if wrong is not None:
                raise ValueError(wrong)
        return given

    @property
    def sheet(self) -> Sheet:
        """The criteria in force."""
        return sheet(self.preset, self.own)
