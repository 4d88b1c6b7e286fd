"""What the file of a project may hold: one schema that everything passes before anything is stored. It is read in a process of its
own, so it knows no database."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field, ValidationError

from dusk_arrow.capsules.packing import damaged
from dusk_arrow.core.observations.data import DataSet, Source
from dusk_arrow.core.observations.steps import Step
from dusk_arrow.core.observations.taking_steps import apply_steps
from dusk_arrow.core.problems import ProblemError
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.exchange.json_values import fault
from dusk_arrow.exchange.origins import from_notes
from dusk_arrow.exchange.parquet import from_parquet, moments_from_json
from dusk_arrow.exchange.recorded_steps import AnyStep
from dusk_arrow.exchange.texts import Line, Text
from dusk_arrow.records import gate
from dusk_arrow.records.earlier import view_and_report
from dusk_arrow.records.view import Pinned, ViewPart
from dusk_arrow.report.options import ReportOptions
from dusk_arrow.results.cut_offs import CutOffs
from dusk_arrow.results.document import ProblemPart, Results
from dusk_arrow.results.key_figures import FiguresAsKept
from dusk_arrow.results.settings import Settings, SettingsAsKept

LARGEST = 2**31 - 1
MOST_TEXT = 2_000_000  # letters of a text in a results document


def _settled(text: str) -> str:
    """Sentences as they are kept. Raises ValueError where they do not read."""
    try:
        return gate.specification_text(parse(text))
    except ProblemError as error:
        raise ValueError(error.problems[0].message) from None


def _at_some_time(value: datetime) -> datetime:
    return value if value.tzinfo is not None else value.replace(tzinfo=UTC)


def _or_default(value: Any) -> Any:
    """What earlier versions left empty."""
    return {} if value is None else value


Number = Annotated[int, Field(ge=1, le=LARGEST)]
Count = Annotated[int, Field(ge=0, le=LARGEST)]
Sentences = Annotated[str, AfterValidator(_settled)]
Time = Annotated[datetime, AfterValidator(_at_some_time)]
Short = Annotated[Line, Field(max_length=2000)]
Prompt = Literal["own", "data"]


class _Line(BaseModel):
    model_config = ConfigDict(extra="ignore")


class ProjectLine(_Line):
    """The study."""

    name: Short
    created: Time
    data_version_id: Number
    criteria: Annotated[CutOffs, BeforeValidator(_or_default)] = CutOffs()


class DataSetLine(_Line):
    """An imported file."""

    id: Number
    name: Short
    kind: Literal["cases", "matrix"] = "cases"
    columns: list[dict[str, Any]] = Field(max_length=5000)
    problems: list[ProblemPart] = Field(default=[], max_length=2000)
    reading: dict[str, Any] | None = None
    created: Time


class DataVersionLine(_Line):
    """A file with recorded steps."""

    id: Number
    data_set_id: Number
    steps: list[AnyStep] = Field(max_length=2000)
    words: Annotated[Line, Field(max_length=100_000)]
    created: Time


class ModelLine(_Line):
    """A model."""

    id: Number
    name: Short
    pins: Annotated[Pinned, BeforeValidator(_or_default)] = {}
    view: ViewPart = ViewPart()
    view_version: Count = 0
    report: ReportOptions = ReportOptions()
    report_version: Count = 0
    onward: dict[Annotated[str, Field(pattern=r"^\d{1,10}$")], Number] = Field(default={}, max_length=100_000)
    head_id: Number


class RevisionLine(_Line):
    """One state of a model."""

    id: Number
    model_id: Number
    parent_id: Number | None
    specification: Sentences
    changes: list[Any] = Field(default=[], max_length=2000)
    words: Annotated[Line, Field(max_length=100_000)]
    reason: Short | None = None
    name: Short | None = None
    note: Annotated[Text, Field(max_length=10_000)] | None = None
    prompted: Prompt = "own"
    figures: FiguresAsKept | None = None
    settings: Annotated[SettingsAsKept, BeforeValidator(_or_default)]
    data_version_id: Number
    created: Time


class RunLine(_Line):
    """A finished run."""

    id: Number
    model_id: Number
    revision_id: Number
    key: Annotated[str, Field(max_length=4000)]
    estimation: Annotated[str, Field(max_length=4000)] = ""
    settings: Annotated[Settings, BeforeValidator(_or_default)]
    done: Count = 0
    requested: Count
    so_far: Count = 0
    results: dict[str, Any] | None
    message: Short | None = None
    created: Time
    finished: Time | None = None


class Record(_Line):
    """A project as it is on record, without the contents of its data."""

    project: ProjectLine
    data_sets: list[DataSetLine] = Field(min_length=1, max_length=500)
    data_versions: list[DataVersionLine] = Field(min_length=1, max_length=20_000)
    models: list[ModelLine] = Field(min_length=1, max_length=500)
    revisions: list[RevisionLine] = Field(min_length=1, max_length=100_000)
    runs: list[RunLine] = Field(default=[], max_length=5000)


@dataclass(frozen=True)
class KeptData:
    """The contents of a data set: as they are stored, what is known of the columns, how many cases there are, and the file they came
    from."""

    content: bytes
    columns: list[dict[str, Any]]
    n_cases: int
    original: bytes | None


@dataclass(frozen=True)
class KeptVersion:
    """What comes of a version's steps: cases, columns, fingerprint."""

    n_cases: int
    n_columns: int
    fingerprint: str


@dataclass(frozen=True)
class ProjectFile:
    """The file of a project, all of which was read and found sound: its record, contents of its data and outcomes of its versions by
    their numbers."""

    record: Record
    data: dict[int, KeptData]
    versions: dict[int, KeptVersion]


def _earlier(found: dict[str, Any]) -> dict[str, Any]:
    """The record in the form of this version."""
    models = []
    for model in found["models"]:
        view, report = view_and_report(model.get("view"))
        models.append({**model, "view": view, "report": model.get("report") or report})
    return {**found, "models": models}


def _joined(record: Record) -> None:
    """Raises ValueError where parts of the record name others that are not there, or that come later."""
    sets = {line.id for line in record.data_sets}
    versions = {line.id for line in record.data_versions}
    models = {line.id for line in record.models}
    of_model: dict[int, int] = {}
    for line in record.data_versions:
        if line.data_set_id not in sets:
            raise ValueError("a version of data that are not there")
    for row in sorted(record.revisions, key=lambda one: one.id):
        if row.model_id not in models or row.data_version_id not in versions:
            raise ValueError("a revision of a model or of data that are not there")
        if row.parent_id is not None and of_model.get(row.parent_id) != row.model_id:
            raise ValueError("a revision after one that is not there")
        of_model[row.id] = row.model_id
    if any(of_model.get(model.head_id) != model.id for model in record.models):
        raise ValueError("a model that stands at a revision of another")
    if any(of_model.get(run.revision_id) != run.model_id for run in record.runs):
        raise ValueError("a run of a revision that is not there")
    if record.project.data_version_id not in versions:
        raise ValueError("data that are not there")
    for numbers in (
        [one.id for one in lines] for lines in (record.data_sets, record.data_versions, record.models, record.revisions)
    ):
        if len(set(numbers)) < len(numbers):
            raise ValueError("a number that stands twice")


def _data(line: DataSetLine, files: Mapping[str, bytes]) -> tuple[Source, KeptData]:
    content, original = files[f"data/{line.id}"], files.get(f"data/{line.id}-original")
    cases = line.kind == "cases"
    source: Source = from_parquet(content, line.name, line.columns) if cases else moments_from_json(content)
    if not source.names or source.n < 1:
        raise ValueError("data without cases")
    if original is not None and line.reading is not None:
        from_notes(line.reading, original)
    kept, columns = gate.data_bytes(source)
    return source, KeptData(kept, columns, source.n, original if line.reading else None)


def _outcome(source: Source, steps: list[Step]) -> KeptVersion:
    after = apply_steps(source, steps)[0] if isinstance(source, DataSet) else source
    return KeptVersion(after.n, len(after.names), after.fingerprint())


def _sound_runs(record: Record) -> Record:
    """The record without runs of another version, whose results are no longer understood."""
    kept = []
    for run in record.runs:
        try:
            Results.model_validate(run.results)
        except ValidationError:
            continue
        kept.append(run)
    return record.model_copy(update={"runs": kept})


def sound(found: Any, files: Mapping[str, bytes]) -> ProjectFile:
    """The record of a file with the contents it speaks of, all of it checked. Raises ProblemError where it does not hold together."""
    wrong = fault(found, most_text=MOST_TEXT)
    if wrong is not None:
        raise damaged(f"This project cannot be opened. {wrong}")
    record = Record.model_validate(_earlier(found))
    _joined(record)
    sources, data = {}, {}
    for line in record.data_sets:
        sources[line.id], data[line.id] = _data(line, files)
    versions = {line.id: _outcome(sources[line.data_set_id], list(line.steps)) for line in record.data_versions}
    return ProjectFile(_sound_runs(record), data, versions)
