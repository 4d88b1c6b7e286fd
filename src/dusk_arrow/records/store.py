"""Reading and writing records. Functions take an open session; callers commit."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any, TypeVar

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from dusk_arrow.core.observations.data import DataSet, Moments, Source
from dusk_arrow.core.observations.steps import Step
from dusk_arrow.core.observations.taking_steps import apply_steps
from dusk_arrow.core.problems import ProblemError
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.statements import Specification
from dusk_arrow.exchange.origins import Origin, from_notes
from dusk_arrow.exchange.parquet import from_parquet, moments_from_json
from dusk_arrow.exchange.recorded_steps import step_list
from dusk_arrow.records import gate
from dusk_arrow.records.tables import Base, DataSetRow, DataVersionRow, ModelRow, ProjectRow, RevisionRow
from dusk_arrow.results.identity import identity_of
from dusk_arrow.results.settings import Settings

LARGEST_NUMBER = 2**31 - 1
Row = TypeVar("Row", bound=Base)


def find(session: Session, kind: type[Row], number: int, lock: bool = False) -> Row | None:
    """A record by its number, whatever number is asked for; None where there is none."""
    if not 0 < number <= LARGEST_NUMBER:
        return None
    return session.get(kind, number, with_for_update=True if lock else None)


def list_projects(session: Session) -> Sequence[tuple[ProjectRow, DataVersionRow, str, str, datetime]]:
    """Projects that were not removed, the newest first: each with the version of its data, their name, and what was done last to its
    first model and when. One question, however many there are."""
    first = (
        select(ModelRow.project_id, func.min(ModelRow.id).label("id"))
        .where(ModelRow.removed.is_(None))
        .group_by(ModelRow.project_id)
        .subquery()
    )
    found = (
        select(ProjectRow, DataVersionRow, DataSetRow.name, RevisionRow.words, RevisionRow.created)
        .join(DataVersionRow, DataVersionRow.id == ProjectRow.data_version_id)
        .join(DataSetRow, DataSetRow.id == DataVersionRow.data_set_id)
        .join(first, first.c.project_id == ProjectRow.id)
        .join(ModelRow, ModelRow.id == first.c.id)
        .join(RevisionRow, RevisionRow.id == ModelRow.head_id)
        .where(ProjectRow.removed.is_(None))
        .order_by(ProjectRow.id.desc())
    )
    return [(one, version, name, words, created) for one, version, name, words, created in session.execute(found)]


def add_data_set(
    session: Session, project: ProjectRow, data: Source, problems: list[dict[str, Any]], origin: Origin | None
) -> DataSetRow:
    """Imported data, with the file they came from where there is one."""
    content, notes = gate.data_bytes(data)
    row = DataSetRow(
        project_id=project.id,
        name=data.name,
        content=content,
        columns=notes,
        problems=problems,
        n_cases=data.n,
        kind="matrix" if isinstance(data, Moments) else "cases",
        original=None if origin is None else origin.content,
        reading=None if origin is None else origin.notes(),
    )
    session.add(row)
    session.flush()
    return row


def add_data_version(
    session: Session, data_set: DataSetRow, steps: Sequence[Step], words: str, data: Source
) -> DataVersionRow:
    """A file with recorded steps; `data` is what comes of them."""
    row = DataVersionRow(
        data_set_id=data_set.id,
        steps=gate.steps_json(steps),
        words=words,
        n_cases=data.n,
        n_columns=len(data.names),
        fingerprint=data.fingerprint(),
    )
    session.add(row)
    session.flush()
    return row


def create_project(
    session: Session,
    name: str,
    data: Source,
    problems: list[dict[str, Any]],
    demo: str | None = None,
    steps: Sequence[Step] = (),
    origin: Origin | None = None,
) -> tuple[ProjectRow, ModelRow]:
    """A project with its data and an empty first model."""
    project = ProjectRow(name=name, demo=demo)
    session.add(project)
    session.flush()
    data_set = add_data_set(session, project, data, problems, origin)
    outcome = apply_steps(data, steps)[0] if isinstance(data, DataSet) else data
    version = add_data_version(session, data_set, steps, "as imported", outcome)
    project.data_version_id = version.id
    return project, add_model(session, project.id, "Model 1", Specification(), version.id, {})


def add_model(
    session: Session,
    project_id: int,
    name: str,
    specification: Specification,
    version_id: int,
    settings: dict[str, Any],
) -> ModelRow:
    """A model with its first revision."""
    model = ModelRow(project_id=project_id, name=name, pins={}, onward={})
    session.add(model)
    session.flush()
    said = "empty model" if not specification.lines else "begun as a copy"
    add_revision(session, model, specification, [], said, None, settings, version_id)
    return model


def load_import(row: DataSetRow) -> Source:
    """What was imported, without any steps."""
    if row.kind == "matrix":
        return moments_from_json(row.content)
    return from_parquet(row.content, row.name, row.columns)


def origin_of(row: DataSetRow) -> Origin | None:
    """The file that was imported; None where only what it held was kept."""
    return None if row.original is None or row.reading is None else from_notes(row.reading, row.original)


def steps_of(version: DataVersionRow) -> list[Step]:
    """The recorded steps of a version."""
    return step_list().validate_python(version.steps)


def load_version(session: Session, version: DataVersionRow) -> Source:
    """The data that are analysed: the import after its steps."""
    imported = load_import(session.get_one(DataSetRow, version.data_set_id))
    return apply_steps(imported, steps_of(version))[0] if isinstance(imported, DataSet) else imported


def current_version(session: Session, project: ProjectRow) -> DataVersionRow:
    """The version of a project's data that new models use."""
    return session.get_one(DataVersionRow, project.data_version_id)


def version_of(session: Session, revision: RevisionRow) -> DataVersionRow:
    """The version of the data that a revision was made on."""
    return session.get_one(DataVersionRow, revision.data_version_id)


def fill_fingerprints(session: Session) -> None:
    """Makes the fingerprints anew that an earlier version made otherwise."""
    for version in session.scalars(select(DataVersionRow).where(DataVersionRow.fingerprint == "")):
        version.fingerprint = load_version(session, version).fingerprint()


def identity(session: Session, version: DataVersionRow, specification: str, settings: Settings) -> str:
    """The identity of an analysis of a version of the data."""
    name = session.get_one(DataSetRow, version.data_set_id).name
    return identity_of(name, version.fingerprint, specification, settings)


def versions_of(session: Session, project_id: int) -> Sequence[DataVersionRow]:
    """All versions of a project's data, the newest first."""
    found = (
        select(DataVersionRow)
        .join(DataSetRow, DataSetRow.id == DataVersionRow.data_set_id)
        .where(DataSetRow.project_id == project_id)
        .order_by(DataVersionRow.id.desc())
    )
    return session.scalars(found).all()


def models_of(session: Session, project_id: int) -> Sequence[ModelRow]:
    """The models of a project that were not removed, in order of creation."""
    found = select(ModelRow).where(ModelRow.project_id == project_id, ModelRow.removed.is_(None))
    return session.scalars(found.order_by(ModelRow.id)).all()


def reads(session: Session, revision: RevisionRow) -> bool:
    """Whether what a revision says can be read; an earlier version kept some that cannot."""
    try:
        parse(revision.specification)
        gate.settings_json(revision.settings)
        steps_of(version_of(session, revision))
    except (ProblemError, ValueError):
        return False
    return True


def last_good(session: Session, model: ModelRow) -> RevisionRow | None:
    """The nearest revision before the head that can be read, or, where none of these can, the newest of all that can."""
    at: RevisionRow | None = head_of(session, model)
    while at is not None:
        at = session.get(RevisionRow, at.parent_id) if at.parent_id is not None else None
        if at is not None and reads(session, at):
            return at
    return next((row for row in reversed(revisions_of(session, model.id)) if reads(session, row)), None)


def head_of(session: Session, model: ModelRow) -> RevisionRow:
    """The revision a model stands at."""
    return session.get_one(RevisionRow, model.head_id)


def add_revision(
    session: Session,
    model: ModelRow,
    specification: Specification,
    changes: list[Any],
    words: str,
    reason: str | None,
    settings: dict[str, Any] | None = None,
    data_version_id: int | None = None,
    prompted: str = "own",
) -> RevisionRow:
    """A new revision after the head, which moves to it; settings and data are the head's unless given. Raises ProblemError where
    what is to be kept does not read back."""
    head = session.get(RevisionRow, model.head_id) if model.head_id is not None else None
    assert head is not None or (settings is not None and data_version_id is not None)
    revision = RevisionRow(
        model_id=model.id,
        parent_id=model.head_id,
        specification=gate.specification_text(specification),
        changes=changes,
        words=words,
        reason=reason,
        prompted=prompted,
        settings=gate.settings_json(settings if settings is not None else head.settings if head else {}),
        data_version_id=data_version_id or (head.data_version_id if head else 0),
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


def revisions_of(session: Session, model_id: int) -> Sequence[RevisionRow]:
    """Every revision of a model, the oldest first."""
    return session.scalars(select(RevisionRow).where(RevisionRow.model_id == model_id).order_by(RevisionRow.id)).all()


def go_to(session: Session, model: ModelRow, revision: RevisionRow) -> None:
    """Moves the head to any revision; redo from each of its ancestors leads back to it."""
    onward, at = dict(model.onward), revision
    while at.parent_id is not None:
        onward[str(at.parent_id)] = at.id
        at = session.get_one(RevisionRow, at.parent_id)
    model.onward, model.head_id = onward, revision.id


def way_of(head: RevisionRow, by_id: dict[int, RevisionRow]) -> list[RevisionRow]:
    """The revisions from the root to the head."""
    way, at = [head], by_id.get(head.parent_id or 0)
    while at is not None:
        way.append(at)
        at = by_id.get(at.parent_id or 0)
    return way[::-1]
