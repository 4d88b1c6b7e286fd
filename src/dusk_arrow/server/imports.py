"""Files in: previews of which nothing is stored, new projects, and next files of a study."""

from __future__ import annotations

import json
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated, Any, Literal

from flask import Response
from flask_openapi3 import APIBlueprint, FileStorage, Tag
from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

from dusk_arrow.core.observations.data import DataSet, Moments
from dusk_arrow.core.observations.steps import Step
from dusk_arrow.core.observations.taking_steps import apply_steps
from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.core.texts import one_line
from dusk_arrow.exchange.origins import Origin
from dusk_arrow.exchange.previews import named, preview
from dusk_arrow.exchange.reading import read_any
from dusk_arrow.exchange.reading_options import ReadingOptions
from dusk_arrow.exchange.recorded_steps import AnyStep
from dusk_arrow.records import store
from dusk_arrow.results.columns import ColumnPart, column_parts
from dusk_arrow.results.convert import problem_part
from dusk_arrow.results.document import ProblemPart
from dusk_arrow.server import projects
from dusk_arrow.server.computing import computes
from dusk_arrow.server.context import context, reply
from dusk_arrow.server.problems import ProblemDocument

api = APIBlueprint(
    "imports", __name__, url_prefix="/api", abp_tags=[Tag(name="imports")], abp_responses={422: ProblemDocument}
)


PREVIEWED = 300  # columns that a preview describes; there may be more


class ImportOptions(BaseModel):
    """How a file is to be read; what is null is found out. `n`, `moments_divisor`, `sds` and `means` are for a matrix."""

    model_config = ConfigDict(extra="forbid")

    delimiter: str | None = Field(default=None, max_length=1)
    decimal: Literal[".", ","] | None = None
    encoding: str | None = Field(default=None, max_length=40)
    header: bool = True
    missing_codes: list[str] = Field(default=[], max_length=100)
    sheet: str | None = None
    cells: str | None = None
    skip: int = Field(default=0, ge=0, le=10_000)
    number_names: bool = False
    turned_marks: list[str] = []
    kind: Literal["cases", "matrix"] | None = None
    n: int | None = Field(default=None, ge=2, le=1_000_000_000)
    moments_divisor: Literal["n", "n-1"] = "n-1"
    sds: list[float] = Field(default=[], max_length=1000)
    means: list[float] = Field(default=[], max_length=1000)

    def reading(self) -> ReadingOptions:
        """The options of the readers."""
        return ReadingOptions(
            delimiter=self.delimiter or None,
            decimal=self.decimal,
            encoding=self.encoding or None,
            header=self.header,
            missing_codes=tuple(code.strip() for code in self.missing_codes if code.strip()),
            sheet=self.sheet or None,
            cells=self.cells or None,
            skip=self.skip,
            number_names=self.number_names,
            turned_marks=tuple(self.turned_marks),
            kind=self.kind,
            sds=tuple(self.sds),
            means=tuple(self.means),
        )


def _as_text(value: Any) -> Any:
    """Form fields that look like JSON arrive parsed; a text of digits is a text all the same."""
    return value if isinstance(value, str) or value is None else json.dumps(value)


Text = Annotated[str, BeforeValidator(_as_text)]


class FileForm(BaseModel):
    """A file with options, names and labels as text, recorded steps, and the name of the project; options and
    each step are sent as JSON."""

    model_config = ConfigDict(arbitrary_types_allowed=True)

    file: FileStorage
    options: ImportOptions = ImportOptions()
    names: Text = ""
    steps: list[AnyStep] = Field(default=[], max_length=500)
    name: Text | None = Field(default=None, max_length=200)


class PreviewPart(BaseModel):
    """What a file looks like; `usable` is false while a problem forbids to import it."""

    kind: Literal["cases", "matrix"]
    usable: bool
    options: ImportOptions
    delimiter: str | None
    decimal: str | None
    encoding: str | None
    sheets: list[str]
    rows: list[list[str]]
    columns: list[ColumnPart]
    n_columns: int
    n_cases: int | None
    lines: int | None
    n: int | None
    problems: list[ProblemPart]


class Created(BaseModel):
    """A new project and its first model."""

    project_id: int
    model_id: int
    problems: list[ProblemPart]


@contextmanager
def kept(file: FileStorage) -> Iterator[str]:
    """An upload as a file that a reader can open, for as long as it reads."""
    with tempfile.NamedTemporaryFile(prefix="upload-") as target:
        file.save(target)
        target.flush()
        yield target.name


def _file_name(file: FileStorage) -> str:
    """What a file is called, without the folders it lay in."""
    return one_line((file.filename or "").rsplit("/", 1)[-1])[-200:] or "data"


def read_form(form: FileForm) -> tuple[DataSet | Moments, list[Problem], list[Step], Origin]:
    """The data of a form, what was noticed, the steps to be recorded, and the file itself. Raises ProblemError."""
    options = form.options
    file_name = _file_name(form.file)
    offset = 1 if options.moments_divisor == "n-1" else 0
    with kept(form.file) as path:
        data, noticed = context().readers.read(read_any, path, file_name, options.reading(), options.n, offset)
        content = Path(path).read_bytes()
    origin = Origin(file_name, content, options.reading(), form.names, options.n, offset)
    steps: list[Step] = list(form.steps)
    if form.names.strip():
        data = named(data, form.names)
    if isinstance(data, Moments):
        return data, list(noticed), [], origin
    _, faults = apply_steps(data, steps)
    if faults:
        raise ProblemError(faults)
    return data, list(noticed), steps, origin


@api.post("/previews", operation_id="previewFile", responses={200: PreviewPart})
@computes
def preview_file(form: FileForm) -> Response:
    """How a file would be read with these options; nothing is stored."""
    options = form.options
    file_name = _file_name(form.file)
    with kept(form.file) as path:
        found = context().readers.read(preview, path, file_name, options.reading(), options.n)
    data, problems = found.data, list(found.problems)
    if data is not None:
        try:
            data = named(data, form.names) if form.names.strip() else data
            if isinstance(data, DataSet):
                data, faults = apply_steps(data, form.steps)
                problems += faults
        except ProblemError as error:
            problems += error.problems
    blocked = data is None or any(problem.severity == "error" for problem in problems)
    cases = None if found.lines is None or data is None else found.lines - (1 if options.header else 0)
    part = PreviewPart(
        kind=found.kind,
        usable=not blocked,
        options=options,
        delimiter=found.delimiter,
        decimal=found.decimal,
        encoding=found.encoding,
        sheets=list(found.sheets),
        rows=[list(row) for row in found.rows],
        columns=[] if data is None else column_parts(data, PREVIEWED),
        n_columns=0 if data is None else len(data.names),
        n_cases=cases if cases is not None else data.n if data is not None else None,
        lines=found.lines,
        n=data.n if isinstance(data, Moments) else None,
        problems=[problem_part(problem) for problem in problems],
    )
    return reply(part)


@projects.api.post("", operation_id="createProject", responses={201: Created})
@computes
def create_project(form: FileForm) -> Response:
    """A project from a data file or matrix. Nothing is stored when the file cannot be used."""
    data, noticed, steps, origin = read_form(form)
    problems = [problem_part(problem) for problem in noticed]
    name = one_line(form.name or "") or data.name.replace("_", " ")
    with context().sessions.begin() as session:
        project, model = store.create_project(
            session, name, data, [p.model_dump(mode="json") for p in problems], steps=steps, origin=origin
        )
        created = Created(project_id=project.id, model_id=model.id, problems=problems)
    return reply(created, 201)
