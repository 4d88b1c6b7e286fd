"""A capsule: sentences, settings and seed, data with the file they came from and their recorded steps (or, without them, the moments),
cut-offs, the trail with its reasons, and the results document, in one .zip that can be run again."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from importlib.resources import files as resources
from pathlib import Path
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from dusk_arrow.capsules.packing import damaged, in_words, pack, unpack
from dusk_arrow.core.assessment.criteria import Sheet
from dusk_arrow.core.family_options import traits_of
from dusk_arrow.core.observations.data import DataSet, Moments, Source
from dusk_arrow.core.observations.steps import Step
from dusk_arrow.core.specification.applying import apply
from dusk_arrow.core.specification.changes import RemoveIndicator
from dusk_arrow.core.specification.limits import MOST_CHARACTERS
from dusk_arrow.core.specification.model import read as read_model
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.statements import Line, Specification
from dusk_arrow.core.specification.writing import write as write_model
from dusk_arrow.core.texts import one_line
from dusk_arrow.exchange.json_values import fault
from dusk_arrow.exchange.origins import Origin, from_notes
from dusk_arrow.exchange.parquet import column_notes, from_parquet, moments_from_json, moments_to_json, to_parquet
from dusk_arrow.exchange.recorded_steps import read_steps, write_steps
from dusk_arrow.exchange.texts import Line as OneLine
from dusk_arrow.exchange.texts import Text
from dusk_arrow.report.options import ReportOptions
from dusk_arrow.results.cut_offs import CutOffs
from dusk_arrow.results.document import Results
from dusk_arrow.results.key_figures import FiguresAsKept
from dusk_arrow.results.settings import Settings, SettingsAsKept

KIND = "capsule"
ORIGINAL = "data/original/"
RECORD, OF_RECORD = "record.json", "record/"


@dataclass(frozen=True)
class Capsule:
    """An analysis: `source` are the cases as they were imported, before their `steps`, or the moments that were analysed;
    `origin` is the file they came from; `trail` are all revisions of the model with what led to each; `results` what came of it. Where
    the cases go along, `record` is the model as it is on record (settings, times, branches, resamples), with the `contents` of the files it
    speaks of."""

    model: str
    settings: Settings
    source: Source
    steps: Sequence[Step]
    results: Results
    criteria: Sheet
    trail: Sequence[dict[str, Any]] = ()
    report: ReportOptions = field(default_factory=ReportOptions)
    origin: Origin | None = None
    record: dict[str, Any] | None = None
    contents: dict[str, bytes] = field(default_factory=dict)

    @property
    def title(self) -> str:
        """What a project is called that is made of it."""
        return f"{self.source.name.replace('_', ' ')} (from a capsule)"


def without_cases(capsule: Capsule) -> Capsule:
    """The same with the moments that were analysed in the place of the cases. Items that are set aside are not among them, so they
    stand in a comment. Raises ProblemError where there are no moments."""
    results = capsule.results
    sample, data = results.sample, results.data
    if sample is None or data is None:
        raise damaged("There are no moments that could be kept in the place of the data.")
    means = None if sample.means is None else np.array(sample.means)
    offset = 1 if (traits_of(results.family).divisor or results.settings.divisor) == "n-1" else 0
    source = Moments(data.name, tuple(sample.variables), np.array(sample.covariance), data.n_used, offset, means)
    said, notes = parse(capsule.model), []
    for construct in read_model(said).constructs:
        for item, reason in construct.aside:
            if item not in sample.variables:
                said = apply(said, RemoveIndicator(construct.name, item))
                notes.append(
                    Line(comment=f"set aside from {construct.name}: {item}" + (f", because {reason}" if reason else ""))
                )
    model = write_model(Specification((*said.lines, *notes)))
    return replace(capsule, model=model, source=source, steps=[], origin=None, record=None, contents={})


def write(capsule: Capsule) -> bytes:
    """The file."""
    source = capsule.source
    files: dict[str, bytes | str] = {
        "model.txt": capsule.model,
        "settings.json": capsule.settings.model_dump_json(indent=1),
        "criteria.json": json.dumps({"preset": capsule.criteria.preset, "own": dict(capsule.criteria.own)}, indent=1),
        "trail.json": json.dumps(list(capsule.trail), ensure_ascii=False, indent=1),
        "report-options.json": capsule.report.model_dump_json(indent=1),
        "results.json": capsule.results.model_dump_json(indent=1),
        "schema.json": (resources("dusk_arrow.results") / "schemas" / "results.json").read_bytes(),
    }
    if isinstance(source, DataSet):
        files["data/data.parquet"] = to_parquet(source)
        files["data/columns.json"] = json.dumps(
            {"name": source.name, "columns": column_notes(source)}, ensure_ascii=False, indent=1
        )
        files["steps.json"] = write_steps(list(capsule.steps))
    else:
        files["data/moments.json"] = moments_to_json(source)
    if capsule.origin is not None:
        files["data/reading.json"] = json.dumps(capsule.origin.notes(), ensure_ascii=False, indent=1)
        files[ORIGINAL + Path(capsule.origin.file_name).name] = capsule.origin.content
    if capsule.record is not None:
        files[RECORD] = json.dumps(capsule.record, ensure_ascii=False)
        files |= {f"{OF_RECORD}{name}": content for name, content in capsule.contents.items()}
    return pack(KIND, files)


class Turn(BaseModel):
    """A revision of the trail, as a capsule tells it; `parent` is its place in the list, none for the first."""

    model_config = ConfigDict(extra="ignore")

    words: Annotated[OneLine, Field(max_length=100_000)]
    reason: Annotated[OneLine, Field(max_length=2000)] | None = None
    name: Annotated[OneLine, Field(max_length=2000)] | None = None
    note: Annotated[Text, Field(max_length=10_000)] | None = None
    prompted: Literal["own", "data"] = "own"
    created: datetime
    model: str = Field(max_length=MOST_CHARACTERS)
    settings: SettingsAsKept
    parent: int | None = Field(default=None, ge=0)
    head: bool = False
    figures: FiguresAsKept | None = None


def _turns(found: Any) -> list[dict[str, Any]]:
    """The trail, checked. Raises ValueError where it does not hold together."""
    wrong = fault(found)
    if wrong is not None:
        raise ValueError(wrong)
    turns = TypeAdapter(Annotated[list[Turn], Field(max_length=20_000)]).validate_python(found)
    for at, turn in enumerate(turns):
        parse(turn.model)
        if turn.parent is not None and turn.parent >= at:
            raise ValueError("a revision after one that comes later")
    return [
        {**turn.model_dump(exclude=set() if "parent" in given else {"parent"}), "created": turn.created.isoformat()}
        for turn, given in zip(turns, found, strict=True)
    ]


def read(content: bytes) -> Capsule:
    """The analysis of a file. Raises ProblemError where it is none, or cannot be used."""
    return in_words("capsule", lambda: _read(content))


def _read(content: bytes) -> Capsule:
    files = unpack(content, KIND)
    source: Source
    steps: list[Step] = []
    if "data/moments.json" in files:
        source = moments_from_json(files["data/moments.json"])
    else:
        notes = json.loads(files["data/columns.json"])
        source = from_parquet(files["data/data.parquet"], notes["name"], notes["columns"])
        steps = read_steps(files["steps.json"])
    source = replace(source, name=one_line(source.name)[:200] or "data")
    origin = None
    if "data/reading.json" in files:
        kept = next(value for name, value in files.items() if name.startswith(ORIGINAL))
        origin = from_notes(json.loads(files["data/reading.json"]), kept)
    model = files["model.txt"].decode()
    parse(model)
    return Capsule(
        model, Settings.model_validate_json(files["settings.json"]), source, steps, Results.model_validate_json(files["results.json"]),
        CutOffs.model_validate_json(files["criteria.json"]).sheet, _turns(json.loads(files["trail.json"])),
        ReportOptions.model_validate_json(files["report-options.json"]), origin, json.loads(files[RECORD]) if RECORD in files else None,
        {name.removeprefix(OF_RECORD): value for name, value in files.items() if name.startswith(OF_RECORD)},
    )  # fmt: skip
