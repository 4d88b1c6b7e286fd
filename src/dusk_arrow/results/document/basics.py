"""What every part of the results document is made of: problems, matrices, moments, and what a bootstrap says of a figure."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from dusk_arrow.core.observations.steps import Step
from dusk_arrow.core.options import Choose
from dusk_arrow.core.specification.changes import Change
from dusk_arrow.exchange.reading_options import ReadAgain

Interval = tuple[float, float]
VERSION = 1


class Part(BaseModel):
    """A part of the document; `from` is a keyword in Python, so it is `from_` there."""

    model_config = ConfigDict(populate_by_name=True, serialize_by_alias=True)


class RepairPart(Part):
    """A repair: words for a button, and the change that it makes (null: advice only)."""

    words: str
    change: Annotated[Change | Step | ReadAgain | Choose, Field(discriminator="type")] | None


class PlacePart(Part):
    """A position in a text, counted from 1."""

    line: int
    column: int


class ProblemPart(Part):
    """What is wrong, where, and what can be done."""

    code: str
    severity: Literal["error", "warning", "note"]
    message: str
    about: list[str]
    repairs: list[RepairPart]
    place: PlacePart | None = None


class Matrix(Part):
    """A matrix with the names of its rows and columns."""

    rows: list[str]
    columns: list[str]
    values: list[list[float | None]]


class MomentsPart(Part):
    """Covariances and means of variables."""

    variables: list[str]
    covariance: list[list[float]]
    means: list[float] | None


class DataPart(Part):
    """Which data were analysed, with the labels of the columns in use that have one."""

    name: str
    fingerprint: str
    n_used: int
    n_total: int
    missing: int
    labels: dict[str, str] = {}
    analysed: str | None = None  # hash of the columns and cases used, whatever else the data hold


class Bootstrap(Part):
    """What the bootstrap says of one figure."""

    mean: float
    bias: float
    se: float
    percentile: Interval
    bias_corrected: Interval
    bca: Interval | None
    headline: Interval
    p_value: float | None
    n_used: int

    @model_validator(mode="before")
    @classmethod
    def _of_earlier_runs(cls, given: Any) -> Any:
        """Runs that were stored without a headline had the percentile interval unless BCa was asked for."""
        if isinstance(given, dict) and "headline" not in given:
            return {**given, "headline": given.get("bca") or given["percentile"]}
        return given


Headline = Literal["percentile", "bias-corrected", "bca"]


def headline_of(bounds: Mapping[Headline, Interval | None], asked: Headline) -> Interval:
    """The interval that decides, of those there are: the one asked for, percentile where it could not be had."""
    found = bounds[asked] or bounds["percentile"]
    assert found is not None
    return found
