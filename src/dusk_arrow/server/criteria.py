"""The criteria sheet, as the screens read it."""

from __future__ import annotations

from dataclasses import asdict
from typing import Literal

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel

from dusk_arrow.core.assessment.criteria import SHEET, Page
from dusk_arrow.server.context import reply

api = APIBlueprint("criteria", __name__, url_prefix="/api/criteria", abp_tags=[Tag(name="criteria")])


PAGES: dict[Page, str] = {
    "fit": "fit",
    "further fit": "fit",
    "quality": "quality",
    "composites": "composites",
    "estimates": "effects",
}


class CriterionPart(BaseModel):
    """A figure with its definition, cut-offs and source."""

    key: str
    label: str
    definition: str
    formula: str
    source: str
    page: Literal["fit", "quality", "composites", "effects"]
    better: Literal["higher", "lower", "none"]
    good: float | None
    tolerable: float | None
    cut_off_source: str
    strict: bool


class CriteriaSheet(BaseModel):
    """Every figure that has a criterion."""

    criteria: list[CriterionPart]


@api.get("", operation_id="getCriteria", responses={200: CriteriaSheet})
def get_criteria() -> Response:
    """The cut-offs in force, each with its source."""
    sheet = [asdict(criterion) | {"page": PAGES[criterion.page]} for criterion in SHEET]
    return reply(CriteriaSheet(criteria=[CriterionPart.model_validate(line) for line in sheet]))
