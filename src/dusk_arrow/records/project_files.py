"""A whole project in one file: its data with every version, its models with every revision, and finished runs; to be opened
on another machine."""

from __future__ import annotations

import json
from collections.abc import Callable
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, undefer

from dusk_arrow.capsules.packing import damaged, pack, unpack
from dusk_arrow.records import store
from dusk_arrow.records.tables import Base, DataSetRow, DataVersionRow, ModelRow, ProjectRow, RevisionRow, RunRow

KIND = "project"
PARTS: tuple[tuple[str, type[Base]], ...] = (
    ("data_sets", DataSetRow), ("data_versions", DataVersionRow), ("models", ModelRow), ("revisions", RevisionRow), ("runs", RunRow),
)  # fmt: skip
OWN = {"content", "original"}  # kept as files of their own


def _line(row: Base) -> dict[str, Any]:
    found = {column.key: getattr(row, column.key) for column in row.__table__.columns if column.key not in OWN}
    return {key: value.isoformat() if isinstance(value, datetime) else value for key, value in found.items()}


def save_project(session: Session, project: ProjectRow) -> bytes:
    """The file of a project; models that were put away and runs that are not finished stay behind."""
    found, contents = record_of(session, project)
    return pack(KIND, {"project.json": json.dumps(found, ensure_ascii=False), **contents})


def record_of(
    session: Session, project: ProjectRow, only: ModelRow | None = None
) -> tuple[dict[str, Any], dict[str, bytes]]:
    """A project as it is on record, or as much of it as one model needs, and the contents of its data by name."""
    sets = list(
        session.scalars(
            select(DataSetRow)
            .where(DataSetRow.project_id == project.id)
            .options(undefer(DataSetRow.content), undefer(DataSetRow.original))
        )
    )
    versions = list(
        session.scalars(select(DataVersionRow).where(DataVersionRow.data_set_id.in_([one.id for one in sets])))
    )
    kept = select(ModelRow).where(ModelRow.project_id == project.id, ModelRow.removed.is_(None)).order_by(ModelRow.id)
    models = [only] if only is not None else list(session.scalars(kept))
    ids = [one.id for one in models]
    revisions = list(session.scalars(select(RevisionRow).where(RevisionRow.model_id.in_(ids)).order_by(RevisionRow.id)))
    finished = (
        select(RunRow).where(RunRow.model_id.in_(ids), RunRow.state == "finished").options(undefer(RunRow.results))
    )
    rows: dict[str, list[Any]] = {
        "data_sets": sets, "data_versions": versions, "models": models, "revisions": revisions, "runs": list(session.scalars(finished)),
    }  # fmt: skip
    parts = {name: [_line(row) for row in rows[name]] for name, _ in PARTS}
    contents = {f"data/{row.id}": row.content for row in sets}
    contents |= {f"data/{row.id}-original": row.original for row in sets if row.original is not None}
    return {"project": _line(project), **parts}, contents


def open_project(session: Session, content: bytes) -> tuple[ProjectRow, ModelRow]:
    """A new project from a file, with its first model. Raises ProblemError where the file cannot be used."""
    files = unpack(content, KIND)
    try:
        found = json.loads(files["project.json"])
        return rebuilt(session, found, files)
    except (KeyError, ValueError, TypeError, AttributeError) as error:
        raise damaged(f"This project cannot be opened: {type(error).__name__} in its file.") from None


def _made(kind: type[Base], line: dict[str, Any], **changed: Any) -> Any:
    """A row of another database as a new one of this: without its number, with others in the place of those it refers to."""
    values = {
        column.key: line[column.key] for column in kind.__table__.columns if column.key in line and column.key != "id"
    }
    for column in kind.__table__.columns:
        value = values.get(column.key)
        if isinstance(value, str) and column.type.python_type is datetime:
            values[column.key] = datetime.fromisoformat(value)
    return kind(**(values | changed))


def rebuilt(session: Session, found: dict[str, Any], files: dict[str, bytes]) -> tuple[ProjectRow, ModelRow]:
    """A record made anew, as another project. Raises KeyError, ValueError, TypeError or AttributeError where it does not hold together."""
    project = _made(ProjectRow, found["project"], data_version_id=None, demo=None, removed=None)
    session.add(project)
    session.flush()

    def add(name: str, kind: type[Base], changed: Callable[[dict[str, Any]], dict[str, Any]]) -> dict[int, Any]:
        made = {}
        for line in sorted(found[name], key=lambda one: one["id"]):
            row = _made(kind, line, **changed(line))
            session.add(row)
            session.flush()
            made[int(line["id"])] = row
        return made

    def data(line: dict[str, Any]) -> dict[str, Any]:
        at = f"data/{line['id']}"
        return {"project_id": project.id, "content": files[at], "original": files.get(f"{at}-original")}

    sets = add("data_sets", DataSetRow, data)
    versions = add(
        "data_versions", DataVersionRow, lambda line: {"data_set_id": sets[line["data_set_id"]].id, "fingerprint": ""}
    )
    store.fill_fingerprints(session)
    models = add(
        "models", ModelRow, lambda line: {"project_id": project.id, "head_id": None, "onward": {}, "removed": None}
    )
    revisions: dict[int, Any] = {}
    for line in sorted(found["revisions"], key=lambda one: one["id"]):
        parent = None if line["parent_id"] is None else revisions[line["parent_id"]].id
        own = {
            "model_id": models[line["model_id"]].id,
            "parent_id": parent,
            "data_version_id": versions[line["data_version_id"]].id,
        }
        row = _made(RevisionRow, line, **own)
        session.add(row)
        session.flush()
        revisions[int(line["id"])] = row
    for line in found["models"]:
        model = models[line["id"]]
        model.head_id = revisions[line["head_id"]].id
        onward = {int(old): new for old, new in line["onward"].items() if int(old) in revisions and new in revisions}
        model.onward = {str(revisions[old].id): revisions[new].id for old, new in onward.items()}
    add(
        "runs",
        RunRow,
        lambda line: {"model_id": models[line["model_id"]].id, "revision_id": revisions[line["revision_id"]].id},
    )
    project.data_version_id = versions[found["project"]["data_version_id"]].id
    session.flush()
    return project, next(iter(models.values()))
