"""The criteria sheet, as the screens read it."""

from __future__ import annotations

from dataclasses import asdict
from typing import Literal

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field, FiniteFloat
from sqlalchemy.orm import Session

from dusk_arrow.core.assessment.criteria import (
    SAME_AS,
    USUAL,
    About,
    Form,
    Listing,
    Page,
    Preset,
    Sheet,
    sheet,
    wrong_bounds,
)
from dusk_arrow.records.tables import ModelRow, ProjectRow
from dusk_arrow.server.context import context, reply
from dusk_arrow.server.problems import ProblemDocument, refuse
from dusk_arrow.server.projects import ProjectPath, find_project

api = APIBlueprint("criteria", __name__, url_prefix="/api/criteria", abp_tags=[Tag(name="criteria")])
of_project = APIBlueprint(
    "project_criteria", __name__, url_prefix="/api/projects/<int:project_id>/criteria", abp_tags=[Tag(name="criteria")],
    abp_responses={404: ProblemDocument, 422: ProblemDocument},
)  # fmt: skip


PAGES: dict[Page, str] = {
    "fit": "fit",
    "further fit": "fit",
    "quality": "quality",
    "composites": "composites",
    "estimates": "effects",
}


class CriterionPart(BaseModel):
    """A figure with its definition, cut-offs and source; `follows` is the figure whose cut-offs it always has,
    `if_reliable` the composite reliability above which alone what is tolerable counts. It is written in `form` (a share has no leading
    zero) with so many `decimals`, and may stand in `lists`."""

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
    if_reliable: float | None
    follows: str | None
    form: Form
    decimals: int
    lists: list[Listing]
    about: About


class CriteriaSheet(BaseModel):
    """Every figure that has a criterion, and whose cut-offs these are; `own` names the figures with cut-offs of one's own."""

    preset: Preset
    words: str
    own: dict[str, tuple[float, float | None]]
    criteria: list[CriterionPart]


class NewCriteria(BaseModel):
    """Other cut-offs for a project: a preset, and one's own for some figures (good, tolerable) in its place."""

    preset: Preset = "usual"
    own: dict[str, tuple[FiniteFloat, FiniteFloat | None]] = Field(default={}, max_length=100)


def criteria_of(project: ProjectRow) -> Sheet:
    """The cut-offs that a project follows."""
    kept = NewCriteria.model_validate(project.criteria)
    return sheet(kept.preset, kept.own)


def cut_offs(session: Session, model: ModelRow) -> Sheet:
    """The cut-offs that a model's project follows."""
    return criteria_of(session.get_one(ProjectRow, model.project_id))


def _part(found: Sheet) -> CriteriaSheet:
    lines = [
        asdict(criterion)
        | {"page": PAGES[criterion.page], "follows": SAME_AS.get(criterion.key), "lists": sorted(criterion.lists)}
        for criterion in found.by_key.values()
    ]
    return CriteriaSheet(
        preset=found.preset,
        words=found.words,
        own=dict(found.own),
        criteria=[CriterionPart.model_validate(line) for line in lines],
    )


@api.get("", operation_id="getCriteria", responses={200: CriteriaSheet})
def get_criteria() -> Response:
    """The usual cut-offs, each with its source."""
    return reply(_part(USUAL))


@of_project.get("", operation_id="getProjectCriteria", responses={200: CriteriaSheet})
def get_project_criteria(path: ProjectPath) -> Response:
    """The cut-offs that a project follows, each with its source."""
    with context().sessions() as session:
        found = criteria_of(find_project(session, path.project_id))
    return reply(_part(found))


@of_project.put("", operation_id="setProjectCriteria", responses={200: CriteriaSheet})
def set_project_criteria(path: ProjectPath, body: NewCriteria) -> Response:
    """Other cut-offs; every verdict of the project follows them."""
    for key, (good, tolerable) in body.own.items():
        if key not in USUAL.by_key:
            raise refuse(422, "unknown_figure", f"There is no figure {key}.")
        wrong = wrong_bounds(USUAL.by_key[key], good, tolerable)
        if wrong is not None:
            raise refuse(422, "wrong_bounds", wrong)
    with context().sessions.begin() as session:
        project = find_project(session, path.project_id)
        project.criteria = body.model_dump(mode="json")
        found = criteria_of(project)
    return reply(_part(found))
