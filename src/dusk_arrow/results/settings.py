"""The settings of one analysis, as they are stored with its results."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from dusk_arrow.core.options import Choose
from dusk_arrow.core.problems import Problem, ProblemError

DEFAULT_SEED = 20261
RESAMPLES = 5000
EstimatorName = Literal["ml", "gls", "uls", "adf"]


class Settings(BaseModel):
    """Every option that changes a number. `workers` changes none and is not part of it."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    family: Literal["covariance"] = "covariance"
    part: Literal["whole", "measurement"] = "whole"
    estimator: EstimatorName = "ml"
    scaling: Literal["marker", "unit-variance"] = "marker"
    divisor: Literal["n", "n-1"] = "n"
    errors: Literal["expected", "observed", "sandwich", "satorra-bentler", "bootstrap"] = "expected"
    missing: Literal["listwise", "full-information", "mean"] = "listwise"
    means: bool = False
    bootstrap: int = Field(default=0, ge=0, le=100_000)
    seed: int = Field(default=DEFAULT_SEED, ge=0)
    interval: Literal["percentile", "bias-corrected", "bca"] = "percentile"
    bollen_stine: bool = False
    level: float = Field(default=0.95, gt=0.5, lt=1)

    @model_validator(mode="before")
    @classmethod
    def _observed_for_incomplete(cls, given: Any) -> Any:
        """Incomplete cases have observed information unless another is asked for (Kenward & Molenberghs 1998); errors by
        bootstrap need one."""
        if isinstance(given, dict) and given.get("missing") == "full-information" and given.get("errors") is None:
            return {**given, "errors": "observed"}
        if isinstance(given, dict) and given.get("errors") == "bootstrap" and not given.get("bootstrap"):
            return {**given, "bootstrap": RESAMPLES}
        return given

    @property
    def analytic_errors(self) -> Literal["expected", "observed", "sandwich", "satorra-bentler"]:
        """Where errors come from that are not the bootstrap's."""
        if self.errors == "bootstrap":
            return "observed" if self.missing == "full-information" else "expected"
        return self.errors


def with_choices(settings: Settings, chosen: Iterable[Choose]) -> Settings:
    """The settings with other values. Raises ProblemError for a value that a setting does not have."""
    values = settings.model_dump() | {choice.setting: choice.value for choice in chosen}
    if values["missing"] == "full-information" and values["errors"] == "expected":
        values["errors"] = None  # incomplete cases have their own default
    try:
        return Settings.model_validate(values)
    except ValidationError as error:
        raise ProblemError(
            [Problem("no_such_setting", "error", f"There is no such setting: {error.errors()[0]['msg']}.")]
        ) from None
