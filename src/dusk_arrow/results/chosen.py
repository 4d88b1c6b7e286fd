"""Settings that are chosen among the options of families.

Made of the options of the families by tools/write_settings.py, so that they are declared once.
"""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

FamilyName = Literal["covariance", "composite"]
EstimatorName = Literal["ml", "gls", "adf", "uls", "plsc", "pls"]
IntervalName = Literal["percentile", "bias-corrected", "bca"]
OF_RUN = ["bollen_stine", "bootstrap", "seed", "interval", "level"]


class Chosen(BaseModel):
    """The family and what is chosen of every option; defaults are those of the first family."""

    family: FamilyName = "covariance"
    part: Literal["whole", "measurement"] = "whole"
    estimator: Literal["ml", "gls", "adf", "uls", "plsc", "pls"] = "ml"
    missing: Literal["listwise", "full-information", "mean", "pairwise"] = "listwise"
    errors: Literal["expected", "observed", "sandwich", "satorra-bentler", "bootstrap"] = "expected"
    scaling: Literal["marker", "unit-variance"] = "marker"
    divisor: Literal["n", "n-1"] = "n"
    means: bool = False
    bollen_stine: bool = False
    scheme: Literal["path", "factorial", "centroid"] = "path"
    second_order: Literal["two-stage", "repeated"] = "two-stage"
    signs: Literal["loadings", "full-sample"] = "loadings"
    bootstrap: int = Field(default=0, ge=0, le=100000)
    seed: int = Field(default=20261, ge=0)
    interval: Literal["percentile", "bias-corrected", "bca"] = "percentile"
    level: float = Field(default=0.95, gt=0.5, lt=1)
