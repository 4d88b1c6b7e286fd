"""Reading and writing records. Functions take an open session; callers commit."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.exchange.parquet import column_notes, from_parquet, to_parquet
from dusk_arrow.records.tables import DataSetRow, ModelRow, ProjectRow, RevisionRow, RunRow, now


def list_projects(session: Session) -> Sequence[ProjectRow]:
    """Projects that were not removed, the newest first."""
    return session.scalars(select(ProjectRow).where(ProjectRow.removed.is_(None)).order_by(ProjectRow.id.desc())).all()


def create_project(
    session: Session, name: str, data: DataSet, problems: list[dict[str, Any]], demo: str | None = None
) -> tuple[ProjectRow, ModelRow]:
    """A project with its data set and an empty first model."""
    project = ProjectRow(name=name, demo=demo)
    session.add(project)
    session.flush()
    data_set = DataSetRow(
        project_id=project.id,
        name=data.name,
        content=to_parquet(data),
        columns=column_notes(data),
        problems=problems,
        n_cases=data.n,
        fingerprint=data.fingerprint(),
    )
    session.add(data_set)
    session.flush()
    model = ModelRow(project_id=project.id, data_set_id=data_set.id, name="Model 1", settings={}, pins={}, onward={})
    session.add(model)
    session.flush()
    add_revision(session, model, "", [], "empty model", None)
    return project, model


def load_data(row: DataSetRow) -> DataSet:
    """The data set of a record."""
    return from_parquet(row.content, row.name, row.columns)


def data_set_of(session: Session, model: ModelRow) -> DataSetRow:
    """The data set a model uses."""
    return session.get_one(DataSetRow, model.data_set_id)


def models_of(session: Session, project_id: int) -> Sequence[ModelRow]:
    """The models of a project in order of creation."""
    return session.scalars(select(ModelRow).where(ModelRow.project_id == project_id).order_by(ModelRow.id)).all()


def data_sets_of(session: Session, project_id: int) -> Sequence[DataSetRow]:
    """The data sets of a project in order of import."""
    found = select(DataSetRow).where(DataSetRow.project_id == project_id).order_by(DataSetRow.id)
    return session.scalars(found).all()


def lock_model(session: Session, model_id: int) -> ModelRow | None:
    """A model whose head nobody else can move until the session ends."""
    return session.get(ModelRow, model_id, with_for_update=True)


def head_of(session: Session, model: ModelRow) -> RevisionRow:
    """The revision a model stands at."""
    return session.get_one(RevisionRow, model.head_id)


def add_revision(
    session: Session, model: ModelRow, specification: str, changes: list[Any], words: str, reason: str | None
) -> RevisionRow:
    """A new revision after the head, which moves to it."""
    revision = RevisionRow(
        model_id=model.id,
        parent_id=model.head_id,
        specification=specification,
        changes=changes,
        words=words,
        reason=reason,
    )
    session.add(revision)
    session.flush()
    if model.head_id is not None:
        model.onward = {**model.onward, str(model.head_id): revision.id}
    model.head_id = revision.id
    return revision


def undo(session: Session, model: ModelRow) -> bool:
    """Moves the head to its parent; says whether there was one."""
    head = head_of(session, model)
    if head.parent_id is None:
        return False
    model.onward = {**model.onward, str(head.parent_id): head.id}
    model.head_id = head.parent_id
    return True


def redo(model: ModelRow) -> bool:
    """Moves the head to the child it last came from; says whether there was one."""
    onward = model.onward.get(str(model.head_id))
    if onward is None:
        return False
    model.head_id = onward
    return True


def finished_run(session: Session, key: str) -> RunRow | None:
    """A finished run of the same data, model, settings and seed."""
    found = select(RunRow).where(RunRow.key == key, RunRow.state == "finished").order_by(RunRow.id.desc()).limit(1)
    return session.scalars(found).first()


def latest_run(session: Session, model_id: int, specification: str, fingerprint: str) -> RunRow | None:
    """The newest finished run whose revision says the same as `specification` on the same data."""
    found = (
        select(RunRow)
        .join(RevisionRow, RevisionRow.id == RunRow.revision_id)
        .where(
            RunRow.model_id == model_id,
            RunRow.state == "finished",
            RevisionRow.specification == specification,
            RunRow.results["data"]["fingerprint"].astext == fingerprint,
        )
        .order_by(RunRow.id.desc())
        .limit(1)
    )
    return session.scalars(found).first()


def close_open_runs(session: Session) -> None:
    """Runs that an earlier server left unfinished are marked so."""
    for run in session.scalars(select(RunRow).where(RunRow.state.in_(["waiting", "running"]))):
        run.state, run.message, run.finished = "failed", "The server was stopped before the run had finished.", now()
