"""Projects and their models: the start page, and what a project holds."""

from __future__ import annotations

from typing import Literal

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from dusk_arrow.core.observations.stems import group_by_stem
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.statements import Specification
from dusk_arrow.exchange.texts import Line
from dusk_arrow.records import store
from dusk_arrow.records.tables import DataSetRow, ModelRow, ProjectRow, now
from dusk_arrow.results.columns import ColumnPart, column_parts
from dusk_arrow.results.document import ProblemPart
from dusk_arrow.results.proposals import ConstructProposal, proposed_constructs
from dusk_arrow.server.computing import computes
from dusk_arrow.server.context import context, keep, reply, version_data
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


class ProjectEdit(BaseModel):
    """What of a project can be changed."""

    name: Line | None = Field(default=None, max_length=200)
    removed: bool | None = None


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
    data_kind: Literal["cases", "matrix"]
    data_version_id: int
    n_cases: int
    n_imported: int
    columns: list[ColumnPart]
    blocks: list[BlockPart]
    problems: list[ProblemPart]
    models: list[ModelLine]


class Done(BaseModel):
    """The answer to a change that has nothing to say."""

    state: Literal["done"] = "done"


def find_project(session: Session, project_id: int) -> ProjectRow:
    """The project of an address, or the answer that there is none."""
    found = store.find(session, ProjectRow, project_id)
    if found is None:
        raise refuse(404, "unknown_project", "There is no such project.")
    return found


@api.get("", operation_id="listProjects", responses={200: ProjectList})
def list_projects() -> Response:
    """Every project, the newest first."""
    with context().sessions() as session:
        lines = [
            ProjectLine(
                id=project.id,
                name=project.name,
                data_name=data_name,
                n_cases=version.n_cases,
                n_columns=version.n_columns,
                words=words,
                changed=created.isoformat(),
                demo=project.demo is not None,
            )
            for project, version, data_name, words, created in store.list_projects(session)
        ]
    return reply(ProjectList(projects=lines))


@api.get("/<int:project_id>", operation_id="getProject", responses={200: ProjectPart})
def get_project(path: ProjectPath) -> Response:
    """One project with its columns and models."""
    with context().sessions() as session:
        project = find_project(session, path.project_id)
        version = store.current_version(session, project)
        data = session.get_one(DataSetRow, version.data_set_id)
        columns = keep("columns", version.id, lambda: column_parts(version_data(version.id)))
        part = ProjectPart(
            id=project.id,
            name=project.name,
            demo=project.demo is not None,
            data_name=data.name,
            data_kind="matrix" if data.kind == "matrix" else "cases",
            data_version_id=version.id,
            n_cases=version.n_cases,
            n_imported=data.n_cases,
            columns=columns,
            blocks=[
                BlockPart(stem=block.stem, columns=list(block.columns))
                for block in group_by_stem([c.name for c in columns])
            ],
            problems=[ProblemPart.model_validate(problem) for problem in data.problems],
            models=[ModelLine(id=m.id, name=m.name) for m in store.models_of(session, project.id)],
        )
    return reply(part)


class ConstructProposals(BaseModel):
    """Constructs that the names of the columns suggest."""

    proposals: list[ConstructProposal]


@api.get("/<int:project_id>/proposals", operation_id="proposeConstructs", responses={200: ConstructProposals})
@computes
def propose_constructs(path: ProjectPath) -> Response:
    """A construct for every stem of the columns' names, with the correlations of its items as evidence."""
    with context().sessions() as session:
        version = store.current_version(session, find_project(session, path.project_id))
    data = version_data(version.id)
    blocks = group_by_stem(list(data.names))
    return reply(keep("proposals", version.id, lambda: ConstructProposals(proposals=proposed_constructs(data, blocks))))


@api.patch("/<int:project_id>", operation_id="editProject", responses={200: Done})
def edit_project(path: ProjectPath, body: ProjectEdit) -> Response:
    """Renames a project, removes it from the start page, or brings it back."""
    with context().sessions.begin() as session:
        project = find_project(session, path.project_id)
        if body.name is not None:
            if not body.name:
                raise refuse(422, "name_empty", "A project needs a name.")
            project.name = body.name
        if body.removed is not None:
            project.removed = now() if body.removed else None
    return reply(Done())


class NewModel(BaseModel):
    """A further model of a project, empty or begun as a copy of another at its head."""

    name: Line = Field(min_length=1, max_length=120)
    copy_of: int | None = None


class ModelCreated(BaseModel):
    """The number of a new model."""

    model_id: int


@api.post("/<int:project_id>/models", operation_id="createModel", responses={201: ModelCreated})
def create_model(path: ProjectPath, body: NewModel) -> Response:
    """Begins a further model on the project's current data."""
    with context().sessions.begin() as session:
        project = find_project(session, path.project_id)
        if not body.name:
            raise refuse(422, "name_empty", "A model needs a name.")
        names = {model.name for model in store.models_of(session, project.id)}
        if body.name in names:
            raise refuse(422, "name_taken", f"There is a model called {body.name} already.")
        specification, settings = Specification(), {}
        version_id = store.current_version(session, project).id
        if body.copy_of is not None:
            other = store.find(session, ModelRow, body.copy_of)
            if other is None or other.project_id != project.id:
                raise refuse(404, "unknown_model", "There is no such model in this project.")
            head = store.head_of(session, other)
            specification, settings = parse(head.specification), head.settings
        model = store.add_model(session, project.id, body.name, specification, version_id, settings)
        created = ModelCreated(model_id=model.id)
    return reply(created, 201)
