"""Capsules of models, and whole projects as files: saved here, opened anywhere."""

from __future__ import annotations

import re
from typing import Any

from flask import Response
from flask_openapi3 import APIBlueprint, FileStorage, Tag
from pydantic import BaseModel, ConfigDict
from sqlalchemy.orm import Session

from dusk_arrow.capsules.capsule import Capsule, read, without_cases, write
from dusk_arrow.capsules.packing import kind_of
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.records import store
from dusk_arrow.records.project_files import open_project, save_project
from dusk_arrow.records.tables import DataSetRow, ModelRow, ProjectRow, RevisionRow
from dusk_arrow.server.context import attachment, context, reply
from dusk_arrow.server.criteria import cut_offs
from dusk_arrow.server.documents import core_settings, document_of
from dusk_arrow.server.imports import Created
from dusk_arrow.server.model_state import ViewPart, find_model
from dusk_arrow.server.models import ModelPath
from dusk_arrow.server.problems import ProblemDocument, refuse
from dusk_arrow.server.projects import ProjectPath, find_project

api = APIBlueprint(
    "capsules", __name__, url_prefix="/api", abp_tags=[Tag(name="capsules")],
    abp_responses={404: ProblemDocument, 422: ProblemDocument},
)  # fmt: skip
ZIP = "application/zip"


class CapsuleQuery(BaseModel):
    """Whether the cases go along, or only the moments that were analysed."""

    data: bool = True


def _trail(session: Session, model: ModelRow, head: RevisionRow) -> list[dict[str, Any]]:
    by_id = {row.id: row for row in store.revisions_of(session, model.id)}
    return [
        {
            "words": row.words, "reason": row.reason, "name": row.name, "note": row.note, "prompted": row.prompted,
            "created": row.created.isoformat(), "model": row.specification, "settings": row.settings,
        }
        for row in store.way_of(head, by_id)
    ]  # fmt: skip


@api.get("/models/<int:model_id>/capsule.zip", operation_id="getCapsule", responses={200: None})
def get_capsule(path: ModelPath, query: CapsuleQuery) -> Response:
    """Everything that is needed to repeat the analysis of a model at its head."""
    with context().sessions() as session:
        model = find_model(session, path.model_id)
        head = store.head_of(session, model)
        results = document_of(session, head).results
        if not results.converged:
            raise refuse(422, "nothing_to_repeat", "The model is not estimated yet, so there is nothing to repeat.")
        version = store.version_of(session, head)
        data_set = session.get_one(DataSetRow, version.data_set_id)
        imported = store.load_import(data_set)
        steps, origin = store.steps_of(version), store.origin_of(data_set)
        view = ViewPart.model_validate(model.view)
        trail, criteria, name = _trail(session, model, head), cut_offs(session, model), data_set.name
    report = view.report
    capsule = Capsule(results.model, results.settings, imported, steps, results, criteria, trail, report, origin)
    return attachment(write(capsule if query.data else without_cases(capsule)), f"{_named(name)}_capsule.zip", ZIP)


@api.get("/projects/<int:project_id>/project.zip", operation_id="getProjectFile", responses={200: None})
def get_project_file(path: ProjectPath) -> Response:
    """A whole project as a file: data, models, revisions, finished runs."""
    with context().sessions() as session:
        project = find_project(session, path.project_id)
        return attachment(save_project(session, project), f"{_named(project.name)}_project.zip", ZIP)


def _named(name: str) -> str:
    return re.sub(r"[^\w.-]+", "_", name).strip("_").lower() or "model"


class BundleForm(BaseModel):
    """A capsule, or the file of a project."""

    model_config = ConfigDict(arbitrary_types_allowed=True)

    file: FileStorage


@api.post("/bundles", operation_id="openBundle", responses={201: Created})
def open_bundle(form: BundleForm) -> Response:
    """A new project from a capsule or from the file of a project. Nothing is stored where it cannot be used."""
    content = form.file.read()
    kind = kind_of(content)
    if kind not in ("capsule", "project"):
        raise refuse(422, "capsule_unreadable", "This .zip is neither a capsule nor a project that was saved here.")
    with context().sessions.begin() as session:
        project, model = open_project(session, content) if kind == "project" else _from_capsule(session, read(content))
        created = Created(project_id=project.id, model_id=model.id, problems=[])
    return reply(created, 201)


def _from_capsule(session: Session, capsule: Capsule) -> tuple[ProjectRow, ModelRow]:
    """A project with the data of a capsule and its model, as it was settled."""
    parse(capsule.model)
    name = capsule.source.name.replace("_", " ")
    project, model = store.create_project(
        session, f"{name} (from a capsule)", capsule.source, [], steps=list(capsule.steps), origin=capsule.origin
    )
    project.criteria = {
        "preset": capsule.criteria.preset,
        "own": {key: list(value) for key, value in capsule.criteria.own.items()},
    }
    settings = core_settings(capsule.settings)
    for at, turn in enumerate(capsule.trail):
        if at and turn["model"] != capsule.model:
            row = store.add_revision(session, model, turn["model"], [], turn["words"], turn["reason"], settings)
            row.name, row.note, row.prompted = turn["name"], turn["note"], turn["prompted"]
    store.add_revision(session, model, capsule.model, [], "opened from a capsule", None, settings)
    model.view = ViewPart(report=capsule.report).model_dump(mode="json")
    return project, model
