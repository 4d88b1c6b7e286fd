"""Projects and their data: the start page and the Data station."""

from __future__ import annotations

from typing import Literal

from flask import Response
from flask_openapi3 import APIBlueprint, FileStorage, Tag
from pydantic import BaseModel, ConfigDict
from sqlalchemy.orm import Session

from dusk_arrow.core.observations.data import Level
from dusk_arrow.core.observations.screening import ColumnSummary, summarise
from dusk_arrow.core.observations.stems import group_by_stem
from dusk_arrow.exchange.reading import read_file
from dusk_arrow.records import store
from dusk_arrow.records.tables import DataSetRow, ProjectRow, now
from dusk_arrow.results.convert import problem_part
from dusk_arrow.results.document import ProblemPart
from dusk_arrow.results.screening import CheckDocument, check_document
from dusk_arrow.server.context import context, keep, reply
from dusk_arrow.server.problems import ProblemDocument, refuse

api = APIBlueprint(
    "projects", __name__, url_prefix="/api/projects", abp_tags=[Tag(name="projects")],
    abp_responses={422: ProblemDocument, 404: ProblemDocument},
)  # fmt: skip


class ProjectPath(BaseModel):
    """The project of an address."""

    project_id: int


class ProjectLine(BaseModel):
    """A project on the start page."""

    id: int
    name: str
    data_name: str
    n_cases: int
    n_columns: int
    words: str
    changed: str
    demo: bool


class ProjectList(BaseModel):
    """The start page."""

    projects: list[ProjectLine]


class UploadForm(BaseModel):
    """A file, and the name of the project made from it."""

    model_config = ConfigDict(arbitrary_types_allowed=True)

    file: FileStorage
    name: str | None = None


class ProjectEdit(BaseModel):
    """What of a project can be changed."""

    name: str | None = None
    removed: bool | None = None


class ColumnPart(BaseModel):
    """A column with its summary; figures are null for text."""

    name: str
    label: str | None
    level: Level
    numeric: bool
    value_labels: dict[str, str]
    n: int
    missing: int
    mean: float | None
    sd: float | None
    min: float | None
    max: float | None
    skewness: float | None
    kurtosis: float | None
    distinct: int


class BlockPart(BaseModel):
    """Columns that share a stem; a single column has none."""

    stem: str | None
    columns: list[str]


class ModelLine(BaseModel):
    """A model of a project."""

    id: int
    name: str


class ProjectPart(BaseModel):
    """A project with its data set."""

    id: int
    name: str
    demo: bool
    data_name: str
    n_cases: int
    columns: list[ColumnPart]
    blocks: list[BlockPart]
    problems: list[ProblemPart]
    models: list[ModelLine]


class Created(BaseModel):
    """A new project and its first model."""

    project_id: int
    model_id: int
    problems: list[ProblemPart]


class Done(BaseModel):
    """The answer to a change that has nothing to say."""

    state: Literal["done"] = "done"


def find_project(session: Session, project_id: int) -> ProjectRow:
    """The project of an address, or the answer that there is none."""
    found = session.get(ProjectRow, project_id)
    if found is None:
        raise refuse(404, "unknown_project", "There is no such project.")
    return found


def _columns(data_set_id: int) -> tuple[ColumnPart, ...]:
    with context().sessions() as session:
        data = store.load_data(session.get_one(DataSetRow, data_set_id))
    parts = []
    for column in data.columns:
        if column.numbers is not None:
            summary = summarise(column.numbers)
            distinct = len(set(column.numbers[column.numbers == column.numbers].tolist()))
        else:
            present = [text for text in (column.texts if column.texts is not None else []) if text is not None]
            summary = ColumnSummary(len(present), data.n - len(present), None, None, None, None, None, None)
            distinct = len(set(present))
        parts.append(
            ColumnPart(
                name=column.name,
                label=column.label,
                level=column.level,
                numeric=column.numeric,
                value_labels=column.value_labels,
                distinct=distinct,
                **vars(summary),
            )
        )
    return tuple(parts)


@api.get("", operation_id="listProjects", responses={200: ProjectList})
def list_projects() -> Response:
    """Every project, the newest first."""
    with context().sessions() as session:
        lines = []
        for project in store.list_projects(session):
            data = store.data_sets_of(session, project.id)[-1]
            model = store.models_of(session, project.id)[0]
            head = store.head_of(session, model)
            lines.append(
                ProjectLine(
                    id=project.id,
                    name=project.name,
                    data_name=data.name,
                    n_cases=data.n_cases,
                    n_columns=len(data.columns),
                    words=head.words,
                    changed=head.created.isoformat(),
                    demo=project.demo is not None,
                )
            )
    return reply(ProjectList(projects=lines))


@api.post("", operation_id="createProject", responses={201: Created})
def create_project(form: UploadForm) -> Response:
    """A project from a data file. Nothing is stored when the file cannot be used."""
    file_name = form.file.filename or "data"
    stem = file_name.rsplit("/", 1)[-1].rsplit(".", 1)[0] or "data"
    reading = read_file(form.file.read(), file_name)
    problems = [problem_part(problem) for problem in reading.problems]
    with context().sessions.begin() as session:
        project, model = store.create_project(
            session, form.name or stem.replace("_", " "), reading.data, [p.model_dump(mode="json") for p in problems]
        )
        created = Created(project_id=project.id, model_id=model.id, problems=problems)
    return reply(created, 201)


@api.get("/<int:project_id>", operation_id="getProject", responses={200: ProjectPart})
def get_project(path: ProjectPath) -> Response:
    """One project with its columns and models."""
    with context().sessions() as session:
        project = find_project(session, path.project_id)
        data = store.data_sets_of(session, project.id)[-1]
        columns = list(keep("columns", data.id, lambda: _columns(data.id)))
        part = ProjectPart(
            id=project.id,
            name=project.name,
            demo=project.demo is not None,
            data_name=data.name,
            n_cases=data.n_cases,
            columns=columns,
            blocks=[
                BlockPart(stem=block.stem, columns=list(block.columns))
                for block in group_by_stem([c.name for c in columns])
            ],
            problems=[ProblemPart.model_validate(problem) for problem in data.problems],
            models=[ModelLine(id=m.id, name=m.name) for m in store.models_of(session, project.id)],
        )
    return reply(part)


def _screening(data_set_id: int) -> CheckDocument:
    with context().sessions() as session:
        data = store.load_data(session.get_one(DataSetRow, data_set_id))
    return check_document(data, [])


@api.get("/<int:project_id>/screening", operation_id="getScreening", responses={200: CheckDocument})
def get_screening(path: ProjectPath) -> Response:
    """What screening finds in a project's data: the same document as `./dusk check` writes."""
    with context().sessions() as session:
        project = find_project(session, path.project_id)
        data = store.data_sets_of(session, project.id)[-1]
    return reply(keep("screening", data.id, lambda: _screening(data.id)))


@api.patch("/<int:project_id>", operation_id="editProject", responses={200: Done})
def edit_project(path: ProjectPath, body: ProjectEdit) -> Response:
    """Renames a project, removes it from the start page, or brings it back."""
    with context().sessions.begin() as session:
        project = find_project(session, path.project_id)
        if body.name is not None:
            if not body.name.strip():
                raise refuse(422, "name_empty", "A project needs a name.")
            project.name = body.name.strip()
        if body.removed is not None:
            project.removed = now() if body.removed else None
    return reply(Done())
