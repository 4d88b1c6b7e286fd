"""What composites add to the results document: prediction out of sample, importance and performance."""

from __future__ import annotations

from pydantic import Field

from dusk_arrow.results.document.basics import Part


class PredictedIndicator(Part):
    """How well an indicator is predicted in cases that the model has not seen."""

    indicator: str
    q2_predict: float | None
    rmse: float
    mae: float
    rmse_mean: float
    mae_mean: float
    rmse_linear: float | None
    mae_linear: float | None


class PredictionPart(Part):
    """Repeated cross-validation against the training means and a linear benchmark."""

    folds: int
    repeats: int
    seed: int
    indicators: list[PredictedIndicator]


class ImportancePart(Part):
    """Total effect on an outcome among scores of 0–100, and the mean score; null where `against` has a negative weight.
    `recorded_ends` says whether the ends of all scales were recorded with the data rather than observed."""

    outcome: str
    construct_: str = Field(alias="construct")
    importance: float | None
    performance: float | None
    against: str | None
    recorded_ends: bool
