"""Settings that are chosen among the options of families.

Made of the options of the families by tools/write_settings.py, so that they are declared once.
"""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

FamilyName = Literal["covariance", "composite"]
EstimatorName = Literal["ml", "gls", "adf", "uls", "plsc", "pls"]


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
