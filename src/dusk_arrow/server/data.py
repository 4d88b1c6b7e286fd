"""The data of a project: recorded steps, cases, screening, the next file, and downloads."""

from __future__ import annotations

from typing import Annotated, Any, Literal, NamedTuple

import numpy as np
from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import AfterValidator, BaseModel, Field
from sqlalchemy.orm import Session

from dusk_arrow.core.observations.data import DataSet, Moments
from dusk_arrow.core.observations.steps import HoldOut, HoldOutHalf, Step, current_names, held_out, words
from dusk_arrow.core.observations.taking_steps import apply_steps
from dusk_arrow.core.problems import ProblemError
from dusk_arrow.core.specification.applying import rename_column
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.exchange.file_formats import Use, written
from dusk_arrow.exchange.origins import Origin
from dusk_arrow.exchange.recorded_steps import AnyStep, write_steps
from dusk_arrow.exchange.writing import write_data, write_tables
from dusk_arrow.records import store
from dusk_arrow.records.tables import DataSetRow, DataVersionRow, ModelRow, ProjectRow, RevisionRow
from dusk_arrow.results.convert import problem_part
from dusk_arrow.results.document import ProblemPart
from dusk_arrow.results.holdout import half_step
from dusk_arrow.results.next_file import NextFileReport, compare_files
from dusk_arrow.results.screening import CheckDocument, check_document, screening_tables
from dusk_arrow.server.computing import computes
from dusk_arrow.server.context import attachment, context, keep, reply, version_data
from dusk_arrow.server.imports import FileForm, read_form
from dusk_arrow.server.problems import HttpProblem, ProblemDocument, refuse
from dusk_arrow.server.projects import Done, ProjectPath, find_project

api = APIBlueprint(
    "data", __name__, url_prefix="/api/projects", abp_tags=[Tag(name="data")],
    abp_responses={404: ProblemDocument, 409: ProblemDocument, 422: ProblemDocument},
)  # fmt: skip
LISTED_DISTANCES = 2000


class StepLine(BaseModel):
    """A recorded step with the words that stand for it."""

    words: str
    step: AnyStep


class VersionLine(BaseModel):
    """An earlier or the present state of the data."""

    id: int
    words: str
    n_cases: int
    created: str


class StepsPart(BaseModel):
    """The recorded steps of a project's data, what is wrong with them, and the versions so far."""

    data_version_id: int
    n_imported: int
    n_cases: int
    steps: list[StepLine]
    problems: list[ProblemPart]
    versions: list[VersionLine]
    held_out: dict[int, str | None]
    models_changed: list[str]


class NewSteps(BaseModel):
    """The whole list of steps as it should be, and the version that was being looked at."""

    parent: int
    steps: list[AnyStep]


def _steps_part(session: Session, project: ProjectRow, changed: list[str]) -> StepsPart:
    version = store.current_version(session, project)
    imported = session.get_one(DataSetRow, version.data_set_id)
    steps = store.steps_of(version)
    found = store.load_import(imported) if steps else None
    faults = apply_steps(found, steps)[1] if isinstance(found, DataSet) else []
    return StepsPart(
        data_version_id=version.id,
        n_imported=imported.n_cases,
        n_cases=version.n_cases,
        steps=[StepLine(words=words(step), step=step) for step in steps],
        problems=[problem_part(fault) for fault in faults],
        versions=[
            VersionLine(id=v.id, words=v.words, n_cases=v.n_cases, created=v.created.isoformat())
            for v in store.versions_of(session, project.id)[:30]
        ],
        held_out=held_out(steps),
        models_changed=changed,
    )


@api.get("/<int:project_id>/steps", operation_id="getSteps", responses={200: StepsPart})
def get_steps(path: ProjectPath) -> Response:
    """The recorded steps, in order."""
    with context().sessions() as session:
        return reply(_steps_part(session, find_project(session, path.project_id), []))


def _said(before: list[Step], after: list[Step]) -> str:
    """What changed between two lists of steps, as the trail says it."""
    old, new = ([s for s in steps if s.on] for steps in (before, after))
    added = [words(s) for s in new if s not in old]
    gone = [words(s) for s in old if s not in new]
    said = added + [f"no longer {text}" for text in gone]
    return "; ".join(said) if said else "steps in another order"


def _renamed(before: list[Step], after: list[Step]) -> dict[str, str]:
    """Columns whose name differs between two lists of steps, old name to new."""
    was, is_ = current_names(before), current_names(after)
    renamed = {was.get(name, name): new for name, new in is_.items() if was.get(name, name) != new}
    return renamed | {old: name for name, old in was.items() if name not in is_}


def _move_model(session: Session, model: ModelRow, version: DataVersionRow, said: str) -> None:
    """A revision of the model on a version of the data; columns renamed meanwhile are renamed in it."""
    head = store.head_of(session, model)
    specification = parse(head.specification)
    for old, new in _renamed(store.steps_of(store.version_of(session, head)), store.steps_of(version)).items():
        specification = rename_column(specification, old, new)
    store.add_revision(session, model, specification, [], f"data: {said}", None, None, version.id)


def _move_models(
    session: Session, project: ProjectRow, version: DataVersionRow, said: str, but: int | None = None
) -> list[str]:
    """Every model of the project (but one, by its number) on a version of the data; the names of the models."""
    models = [
        m
        for m in store.models_of(session, project.id)
        if m.id != but and store.reads(session, store.head_of(session, m))
    ]
    for model in models:
        _move_model(session, model, version, said)
    return [model.name for model in models]


def _record(
    session: Session, project: ProjectRow, steps: list[Step], but: int | None = None
) -> tuple[DataVersionRow, list[str]]:
    """A version of the project's data after these steps, which all models (but one) move to; the names of these models.
    Answers 422 where there are no cases, a step cannot be taken, or what was seen is to be hidden again."""
    version = store.current_version(session, project)
    imported_row = session.get_one(DataSetRow, version.data_set_id)
    imported = store.load_import(imported_row)
    if isinstance(imported, Moments):
        raise refuse(422, "steps_need_cases", "Steps work on cases, and a matrix has none.")
    before = store.steps_of(version)
    seen, now = half_step(before), half_step(steps)
    if seen is not None and seen.opened and now is not None and not now.opened:
        raise refuse(422, "already_opened", "The half that was held out was opened; what was seen stays seen.")
    data, faults = apply_steps(imported, steps)
    if faults:
        raise HttpProblem(422, faults)
    said = _said(before, steps)
    row = store.add_data_version(session, imported_row, steps, said, data)
    project.data_version_id = row.id
    return row, _move_models(session, project, row, said, but)


def add_steps(session: Session, model: ModelRow, added: list[Step]) -> DataVersionRow:
    """A version of the data with steps more, made by a gesture on a model; the other models of its project move to it.
    Answers 409 where the model stands at earlier data."""
    project = session.get_one(ProjectRow, model.project_id)
    version = store.current_version(session, project)
    if store.head_of(session, model).data_version_id != version.id:
        raise refuse(409, "earlier_data", "This revision uses earlier data. Bring the model to the present data first.")
    return _record(session, project, [*store.steps_of(version), *added], model.id)[0]


def follow_data(session: Session, model: ModelRow, left: RevisionRow, gesture: RevisionRow) -> None:
    """Data that a gesture on a model brought go and come with it: where a step back or forth leads over the gesture and the
    project stands at the data that were `left`, project and other models follow."""
    project, now = session.get_one(ProjectRow, model.project_id), store.head_of(session, model).data_version_id
    if not gesture.changes or now == left.data_version_id or project.data_version_id != left.data_version_id:
        return
    project.data_version_id = now
    back = gesture is left
    for other in store.models_of(session, project.id):
        head = store.head_of(session, other)
        if other.id == model.id or head.data_version_id != left.data_version_id or not store.reads(session, head):
            continue
        if back and not head.changes:
            store.undo(session, other)
        elif not back:
            store.redo(other)


@api.put("/<int:project_id>/steps", operation_id="setSteps", responses={200: StepsPart})
@computes
def set_steps(path: ProjectPath, body: NewSteps) -> Response:
    """Records steps: the list becomes this one, and every model is estimated on what comes of it."""
    with context().sessions.begin() as session:
        project = find_project(session, path.project_id)
        version = store.current_version(session, project)
        if version.id != body.parent:
            raise refuse(
                409, "not_the_head", "The data were changed elsewhere meanwhile; they are shown as they are now."
            )
        steps = list(body.steps)
        changed = [] if steps == store.steps_of(version) else _record(session, project, steps)[1]
        return reply(_steps_part(session, project, changed))


class FollowPath(ProjectPath):
    """A model of a project."""

    model_id: int


@api.post("/<int:project_id>/models/<int:model_id>/present-data", operation_id="usePresentData", responses={200: Done})
def use_present_data(path: FollowPath) -> Response:
    """Estimates a model that stands at a revision with earlier data on the data as they are now."""
    with context().sessions.begin() as session:
        project = find_project(session, path.project_id)
        model = store.find(session, ModelRow, path.model_id, lock=True)
        if model is None or model.project_id != project.id:
            raise refuse(404, "unknown_model", "There is no such model in this project.")
        version = store.current_version(session, project)
        if store.head_of(session, model).data_version_id != version.id:
            _move_model(session, model, version, "as they are now")
    return reply(Done())


class Replaced(BaseModel):
    """What came of the next file: what differs, problems of the file and of the steps, and the models moved to it."""

    report: NextFileReport
    problems: list[ProblemPart]
    models_changed: list[str]


class _NextFile(NamedTuple):
    """A new file in the place of the data: what it holds, what differs, and the steps that are taken again."""

    project: ProjectRow
    data: DataSet
    found: Replaced
    steps: list[Step]
    origin: Origin


def _next_file(session: Session, path: ProjectPath, form: FileForm) -> _NextFile:
    project = find_project(session, path.project_id)
    version = store.current_version(session, project)
    before = version_data(version.id)
    data, noticed, _, origin = read_form(form)
    if isinstance(data, Moments) or isinstance(before, Moments):
        raise refuse(422, "next_file_needs_cases", "Only cases can be replaced by the next file.")
    steps: list[Step] = [step for step in store.steps_of(version) if not isinstance(step, HoldOut | HoldOutHalf)]
    after, faults = apply_steps(data, steps)
    problems = [problem_part(problem) for problem in [*noticed, *faults]]
    found = Replaced(report=compare_files(before, after), problems=problems, models_changed=[])
    return _NextFile(project, data, found, steps, origin)


@api.post("/<int:project_id>/next-file-previews", operation_id="previewNextFile", responses={200: Replaced})
@computes
def preview_next_file(path: ProjectPath, form: FileForm) -> Response:
    """What would differ if a new file took the place of the data; nothing is stored."""
    with context().sessions() as session:
        return reply(_next_file(session, path, form).found)


@api.post("/<int:project_id>/next-files", operation_id="replaceData", responses={201: Replaced})
@computes
def replace_data(path: ProjectPath, form: FileForm) -> Response:
    """Puts a new file in the place of the data: recorded steps stay (cases held out do not), models move to it."""
    with context().sessions.begin() as session:
        project, data, found, steps, origin = _next_file(session, path, form)
        row = store.add_data_set(session, project, data, [p.model_dump(mode="json") for p in found.problems], origin)
        after, _ = apply_steps(data, steps)
        said = f"next file {data.name}, {after.n} cases"
        version = store.add_data_version(session, row, steps, said, after)
        project.data_version_id = version.id
        changed = _move_models(session, project, version, said)
        return reply(found.model_copy(update={"models_changed": changed}), 201)


@api.get("/<int:project_id>/screening", operation_id="getScreening", responses={200: CheckDocument})
@computes
def get_screening(path: ProjectPath) -> Response:
    """What screening finds in a project's data: the document that `./dusk check` writes, of many distances the largest."""
    version, data = _current(path)
    if isinstance(data, Moments):
        raise refuse(422, "screening_needs_cases", "Screening looks at cases, and a matrix has none.")
    return reply(keep("screening", version, lambda: check_document(data, [], LISTED_DISTANCES)))


def _current(path: ProjectPath) -> tuple[int, DataSet | Moments]:
    with context().sessions() as session:
        version = store.current_version(session, find_project(session, path.project_id))
    return version.id, version_data(version.id)


class CasesQuery(BaseModel):
    """Which cases, in which order; cases held out can be shown among the others."""

    offset: Annotated[int, Field(ge=0)] = 0
    limit: Annotated[int, Field(ge=1, le=500)] = 100
    sort: str | None = None
    descending: bool = False
    with_held_out: bool = True


class CaseLine(BaseModel):
    """One case: its row in the file, its values in the order of the columns, and why it is held out, if it is."""

    case: int
    values: list[float | str | None]
    held_out: bool
    reason: str | None


class CasesPart(BaseModel):
    """Some of the cases."""

    total: int
    columns: list[str]
    cases: list[CaseLine]


def _with_held_out(version_id: int) -> tuple[DataSet, dict[int, str | None]]:
    """The data with the cases back that steps hold out, and which those are."""
    with context().sessions() as session:
        version = session.get_one(DataVersionRow, version_id)
        steps = store.steps_of(version)
        imported = store.load_import(session.get_one(DataSetRow, version.data_set_id))
    assert isinstance(imported, DataSet)
    data, _ = apply_steps(imported, [step for step in steps if not isinstance(step, HoldOut)])
    return data, held_out(steps)


def _order(data: DataSet, query: CasesQuery) -> list[int]:
    if query.sort is None or query.sort not in data.names:
        rows = list(range(data.n))
        return rows[::-1] if query.descending else rows
    column = data.column(query.sort)
    if column.numbers is not None:
        keys: Any = np.where(np.isnan(column.numbers), np.inf, -column.numbers if query.descending else column.numbers)
        return [int(i) for i in np.argsort(keys, kind="stable")]
    texts: Any = column.texts if column.texts is not None else []
    there = sorted((i for i, t in enumerate(texts) if t is not None), key=lambda i: texts[i], reverse=query.descending)
    return there + [i for i, t in enumerate(texts) if t is None]


@api.get("/<int:project_id>/cases", operation_id="getCases", responses={200: CasesPart})
def get_cases(path: ProjectPath, query: CasesQuery) -> Response:
    """A window of the table of cases."""
    version, data = _current(path)
    if isinstance(data, Moments):
        raise refuse(422, "cases_missing", "A matrix has no cases.")
    out: dict[int, str | None] = {}
    if query.with_held_out:
        data, out = keep("cases", version, lambda: _with_held_out(version))
    numbers = data.case_numbers
    shown = data
    order = keep(f"order {query.sort} {query.descending} {query.with_held_out}", version, lambda: _order(shown, query))
    lines = []
    for i in order[query.offset : query.offset + query.limit]:
        values: list[float | str | None] = []
        for column in data.columns:
            if column.numbers is not None:
                value = float(column.numbers[i])
                values.append(None if value != value else value)
            else:
                values.append(None if column.texts is None else column.texts[i])
        case = numbers[i]
        lines.append(CaseLine(case=case, values=values, held_out=case in out, reason=out.get(case)))
    return reply(CasesPart(total=data.n, columns=list(data.names), cases=lines))


def _one_of(use: Use) -> AfterValidator:
    """Only an ending in which something can be saved, as the table of formats has it."""
    known = list(written(use))

    def check(value: str) -> str:
        if value not in known:
            raise ValueError(f"it has to be one of {', '.join(known)}")
        return value

    return AfterValidator(check)


DataEnding = Annotated[str, _one_of("data"), Field(json_schema_extra={"enum": list(written("data"))})]
TableEnding = Annotated[str, _one_of("table"), Field(json_schema_extra={"enum": list(written("table"))})]


class ExportPath(ProjectPath):
    """The project of an address, and the format of a download."""

    ending: DataEnding


@api.get("/<int:project_id>/data.<ending>", operation_id="exportData", responses={200: None})
@computes
def export_data(path: ExportPath) -> Response:
    """The data as they are used, after all steps."""
    _, data = _current(path)
    if isinstance(data, Moments):
        raise refuse(422, "cases_missing", "A matrix has no cases to be exported.")
    mimetype = written("data")[path.ending].mimetype
    return attachment(write_data(data, path.ending), f"{data.name}.{path.ending}", mimetype)


@api.get("/<int:project_id>/steps.json", operation_id="exportSteps", responses={200: None})
def export_steps(path: ProjectPath) -> Response:
    """The recorded steps as the file that `./dusk fit --steps` takes."""
    with context().sessions() as session:
        version = store.current_version(session, find_project(session, path.project_id))
        steps = store.steps_of(version)
    return attachment(write_steps(steps).encode(), "steps.json", "application/json")


class TablePath(ProjectPath):
    """The project of an address, and which table in which format."""

    table: Literal["screening", "correlations", "covariances"]
    ending: TableEnding


@api.get("/<int:project_id>/tables/<table>.<ending>", operation_id="exportTable", responses={200: None})
@computes
def export_table(path: TablePath) -> Response:
    """Screening tables or a matrix of all numeric columns, for a spreadsheet; as .csv the first table alone."""
    _, data = _current(path)
    try:
        tables = screening_tables(data, path.table)
    except ProblemError as error:
        raise HttpProblem(422, error.problems) from None
    mimetype = written("table")[path.ending].mimetype
    return attachment(write_tables(tables, path.ending), f"{data.name}_{path.table}.{path.ending}", mimetype)
