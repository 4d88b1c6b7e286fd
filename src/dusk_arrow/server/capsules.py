"""Capsules of models, and whole projects as files: saved here, opened anywhere."""

from __future__ import annotations

import logging
import re
from dataclasses import replace
from datetime import datetime
from typing import Any

from flask import Response
from flask_openapi3 import APIBlueprint, FileStorage, Tag
from pydantic import BaseModel, ConfigDict, ValidationError
from sqlalchemy.exc import DataError
from sqlalchemy.orm import Session

from dusk_arrow.capsules.capsule import Capsule, without_cases, write
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.records import store
from dusk_arrow.records.file_schema import ProjectFile
from dusk_arrow.records.project_files import read_bundle, rebuilt, record_of, save_project
from dusk_arrow.records.tables import DataSetRow, ModelRow, ProjectRow, RevisionRow
from dusk_arrow.results.settings import Settings
from dusk_arrow.server.computing import computes
from dusk_arrow.server.context import attachment, context, reply
from dusk_arrow.server.criteria import cut_offs
from dusk_arrow.server.documents import core_settings, document_of
from dusk_arrow.server.imports import Created, kept
from dusk_arrow.server.model_state import find_model, readable, report_of
from dusk_arrow.server.models import ModelPath
from dusk_arrow.server.problems import ProblemDocument, refuse
from dusk_arrow.server.projects import ProjectPath, find_project

api = APIBlueprint(
    "capsules", __name__, url_prefix="/api", abp_tags=[Tag(name="capsules")],
    abp_responses={404: ProblemDocument, 422: ProblemDocument},
)  # fmt: skip
ZIP = "application/zip"
UNSTORABLE = "This file cannot be opened: what it holds cannot be stored."
log = logging.getLogger(__name__)


class CapsuleQuery(BaseModel):
    """Whether the cases go along, or only the moments that were analysed."""

    data: bool = True


def _trail(session: Session, model: ModelRow) -> list[dict[str, Any]]:
    """Every revision as it was, branches too: its parent by its place in the list, what was said and why, how it was estimated, and the
    figures that were seen then."""
    rows = store.revisions_of(session, model.id)
    place = {row.id: at for at, row in enumerate(rows)}
    return [
        {
            "words": row.words, "reason": row.reason, "name": row.name, "note": row.note, "prompted": row.prompted,
            "created": row.created.isoformat(), "model": row.specification, "settings": row.settings,
            "parent": None if row.parent_id is None else place[row.parent_id], "head": row.id == model.head_id, "figures": row.figures,
        }
        for row in rows
    ]  # fmt: skip


@api.get("/models/<int:model_id>/capsule.zip", operation_id="getCapsule", responses={200: None})
@computes
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
        trail, criteria, name = _trail(session, model), cut_offs(session, model), data_set.name
        capsule = Capsule(
            results.model, results.settings, imported, steps, results, criteria, trail, report_of(model), origin
        )
        capsule = _with_record(session, capsule, model, data_set) if query.data else without_cases(capsule)
    return attachment(write(capsule), f"{_named(name)}_capsule.zip", ZIP)


def _with_record(session: Session, capsule: Capsule, model: ModelRow, data_set: DataSetRow) -> Capsule:
    """A capsule with the model as it is on record, but for the data that it holds already, under names that people look for."""
    record, contents = record_of(session, session.get_one(ProjectRow, model.project_id), model)
    own = {f"data/{data_set.id}", f"data/{data_set.id}-original"}
    left = {key: value for key, value in contents.items() if key not in own}
    return replace(capsule, record={**record, "data_set": data_set.id}, contents=left)


@api.get("/projects/<int:project_id>/project.zip", operation_id="getProjectFile", responses={200: None})
@computes
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
@computes
def open_bundle(form: BundleForm) -> Response:
    """A new project from a capsule or from the file of a project. Nothing is stored where it cannot be used."""
    with kept(form.file) as path:
        found = context().readers.read(read_bundle, path)
    try:
        with context().sessions.begin() as session:
            made = rebuilt(session, found) if isinstance(found, ProjectFile) else _from_capsule(session, found)
            if not all(readable(session, model) for model in store.models_of(session, made[0].id)):
                raise refuse(422, "capsule_unreadable", UNSTORABLE)
            created = Created(project_id=made[0].id, model_id=made[1].id, problems=[])
    except (DataError, ValidationError) as error:
        log.warning("a file could not be stored: %s", error)
        raise refuse(422, "capsule_unreadable", UNSTORABLE) from None
    return reply(created, 201)


def _from_capsule(session: Session, capsule: Capsule) -> tuple[ProjectRow, ModelRow]:
    """A project with the data of a capsule and its model, with the whole trail as it was."""
    project, model = store.create_project(
        session, capsule.title, capsule.source, [], steps=list(capsule.steps), origin=capsule.origin
    )
    project.criteria = {
        "preset": capsule.criteria.preset,
        "own": {key: list(value) for key, value in capsule.criteria.own.items()},
    }
    made: list[RevisionRow] = [store.head_of(session, model)]
    for at, turn in enumerate(capsule.trail):
        if at == 0 and turn["model"] == made[0].specification:
            row = made[0]
        else:
            row = store.add_revision(
                session,
                model,
                parse(turn["model"]),
                [],
                turn["words"],
                turn["reason"],
                dict(turn["settings"]),
                made[0].data_version_id,
            )
            parent = turn.get("parent", at - 1)
            row.parent_id = made[1 + parent].id if parent is not None and parent >= 0 else None
        row.name, row.note, row.prompted = turn["name"], turn["note"], turn["prompted"]
        row.created, row.settings = datetime.fromisoformat(turn["created"]), dict(turn["settings"])
        if turn.get("figures") is not None:
            row.figures = {**turn["figures"], "kept": True}  # of the cases, which stayed behind
        made.append(row)
    last = next((made[1 + at] for at, turn in enumerate(capsule.trail) if turn.get("head")), made[-1])
    model.head_id, model.onward = last.id, {}
    settings = core_settings(capsule.settings)
    if last.specification != capsule.model or core_settings(Settings.model_validate(last.settings)) != settings:
        said = "opened from a capsule without cases" if capsule.trail else "opened from a capsule"
        store.add_revision(session, model, parse(capsule.model), [], said, None, settings)
    model.report = capsule.report.model_dump(mode="json")
    return project, model
