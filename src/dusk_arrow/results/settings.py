"""The settings of one analysis, as they are stored with its results."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

DEFAULT_SEED = 20261


class Settings(BaseModel):
    """Every option that changes a number. `workers` changes none and is not part of it."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    family: Literal["covariance"] = "covariance"
    estimator: Literal["ml"] = "ml"
    scaling: Literal["marker", "unit-variance"] = "marker"
    divisor: Literal["n", "n-1"] = "n"
    errors: Literal["expected", "observed", "sandwich", "satorra-bentler"] = "expected"
    missing: Literal["listwise"] = "listwise"
    bootstrap: int = Field(default=0, ge=0, le=100_000)
    seed: int = Field(default=DEFAULT_SEED, ge=0)
    interval: Literal["percentile", "bias-corrected"] = "percentile"
    level: float = Field(default=0.95, gt=0.5, lt=1)
