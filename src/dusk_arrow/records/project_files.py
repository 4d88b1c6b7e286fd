"""A whole project in one file: its data with every version, its models with every revision, and finished runs; to be opened
on another machine."""

from __future__ import annotations

import json
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, undefer

from dusk_arrow.capsules import capsule as capsules
from dusk_arrow.capsules.capsule import Capsule
from dusk_arrow.capsules.packing import damaged, in_words, kind_of, pack, unpack
from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.exchange.parquet import to_parquet
from dusk_arrow.records import gate, store
from dusk_arrow.records.file_schema import ProjectFile, RunLine, sound
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


def read_bundle(content: bytes) -> ProjectFile | Capsule:
    """What was saved here once, all of it checked: a project, also where a capsule has its model as it was on record, or else a capsule.
    To be called in a process of its own where the file may come from anybody. Raises ProblemError."""
    kind = kind_of(content)
    if kind == KIND:
        return in_words("project", lambda: _project(content))
    if kind == capsules.KIND:
        return in_words("capsule", lambda: _capsule(content))
    raise damaged("This .zip is neither a capsule nor a project that was saved here.")


def _project(content: bytes) -> ProjectFile:
    files = unpack(content, KIND)
    return sound(json.loads(files["project.json"]), files)


def _capsule(content: bytes) -> ProjectFile | Capsule:
    """A capsule; with the data of one that has its model as it was on record (settings, times, branches, names, resamples) a project."""
    found = capsules.read(content)
    if found.record is None or not isinstance(found.source, DataSet):
        return found
    at = f"data/{found.record['data_set']}"
    contents = {**found.contents, at: to_parquet(found.source)}
    if found.origin is not None:
        contents[f"{at}-original"] = found.origin.content
    return sound({**found.record, "project": {**found.record["project"], "name": found.title}}, contents)


def rebuilt(session: Session, found: ProjectFile) -> tuple[ProjectRow, ModelRow]:
    """The project of a file made anew, with its first model."""
    record = found.record
    project = ProjectRow(
        name=record.project.name or "Project", created=record.project.created,
        criteria=record.project.criteria.model_dump(mode="json"),
    )  # fmt: skip
    session.add(project)
    session.flush()
    sets, versions, models, revisions = (
        dict[int, int](),
        dict[int, int](),
        dict[int, ModelRow](),
        dict[int, RevisionRow](),
    )

    def added(row: Any) -> Any:
        session.add(row)
        session.flush()
        return row

    for line in sorted(record.data_sets, key=lambda one: one.id):
        data = found.data[line.id]
        problems = [problem.model_dump(mode="json") for problem in line.problems]
        sets[line.id] = added(DataSetRow(
            project_id=project.id, name=line.name, content=data.content, columns=data.columns, problems=problems, n_cases=data.n_cases,
            kind=line.kind, original=data.original, reading=line.reading if data.original is not None else None, created=line.created,
        )).id  # fmt: skip
    for version in sorted(record.data_versions, key=lambda one: one.id):
        outcome = found.versions[version.id]
        versions[version.id] = added(DataVersionRow(
            data_set_id=sets[version.data_set_id], steps=gate.steps_json(version.steps), words=version.words, created=version.created,
            n_cases=outcome.n_cases, n_columns=outcome.n_columns, fingerprint=outcome.fingerprint,
        )).id  # fmt: skip
    for model in sorted(record.models, key=lambda one: one.id):
        models[model.id] = added(ModelRow(
            project_id=project.id, name=model.name or "Model", pins={name: pin.model_dump() for name, pin in model.pins.items()},
            view=model.view.model_dump(mode="json"), view_version=model.view_version, report=model.report.model_dump(mode="json"),
            report_version=model.report_version, onward={},
        ))  # fmt: skip
    for row in sorted(record.revisions, key=lambda one: one.id):
        revisions[row.id] = added(RevisionRow(
            model_id=models[row.model_id].id, parent_id=None if row.parent_id is None else revisions[row.parent_id].id,
            specification=row.specification, changes=row.changes, words=row.words, reason=row.reason, name=row.name, note=row.note,
            prompted=row.prompted, figures=row.figures, settings=row.settings, data_version_id=versions[row.data_version_id],
            created=row.created,
        ))  # fmt: skip
    for model in record.models:
        made = models[model.id]
        made.head_id = revisions[model.head_id].id
        onward = {int(old): new for old, new in model.onward.items() if int(old) in revisions and new in revisions}
        made.onward = {str(revisions[old].id): revisions[new].id for old, new in onward.items()}
    for run in sorted(record.runs, key=lambda one: one.id):
        _add_run(session, run, models[run.model_id], revisions[run.revision_id])
    project.data_version_id = versions[record.project.data_version_id]
    session.flush()
    return project, next(iter(models.values()))


def _add_run(session: Session, run: RunLine, model: ModelRow, revision: RevisionRow) -> None:
    """A finished run of a file. It answers only for the analysis whose identity it has here too: numbers of another database mean
    nothing in this one."""
    version = store.version_of(session, revision)
    key = store.identity(session, version, revision.specification, run.settings)
    estimation = store.identity(session, version, revision.specification, run.settings.of_estimation())
    known = key == run.key
    row = RunRow(
        model_id=model.id, revision_id=revision.id, key=key if known else "", estimation=estimation if estimation == run.estimation else "",
        settings=run.settings.model_dump(mode="json"), state="finished", done=run.done, requested=run.requested, results=run.results,
        so_far=run.so_far, message=run.message, created=run.created, finished=run.finished or run.created,
    )  # fmt: skip
    session.add(row)
    session.flush()
    if not known:
        row.key = f"{row.id}: {run.message or 'from a file'}"
