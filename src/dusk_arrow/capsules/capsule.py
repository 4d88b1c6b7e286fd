"""A capsule: sentences, settings and seed, data with the file they came from and their recorded steps (or, without them, the moments),
cut-offs, the trail with its reasons, and the results document, in one .zip that can be run again."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from importlib.resources import files as resources
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import ValidationError

from dusk_arrow.capsules.packing import damaged, pack, unpack
from dusk_arrow.core.assessment.criteria import Sheet, sheet
from dusk_arrow.core.observations.data import DataSet, Moments, Source
from dusk_arrow.core.observations.steps import Step
from dusk_arrow.core.specification.applying import apply
from dusk_arrow.core.specification.changes import RemoveIndicator
from dusk_arrow.core.specification.model import read as read_model
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.statements import Line, Specification
from dusk_arrow.core.specification.writing import write as write_model
from dusk_arrow.exchange.origins import Origin, from_notes
from dusk_arrow.exchange.parquet import column_notes, from_parquet, moments_from_json, moments_to_json, to_parquet
from dusk_arrow.exchange.recorded_steps import read_steps, write_steps
from dusk_arrow.report.options import ReportOptions
from dusk_arrow.results.document import Results
from dusk_arrow.results.settings import Settings

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


def without_cases(capsule: Capsule) -> Capsule:
    """The same with the moments that were analysed in the place of the cases. Items that are set aside are not among them, so they
    stand in a comment. Raises ProblemError where there are no moments."""
    results = capsule.results
    sample, data = results.sample, results.data
    if sample is None or data is None:
        raise damaged("There are no moments that could be kept in the place of the data.")
    means = None if sample.means is None else np.array(sample.means)
    offset = 1 if results.family == "composite" or results.settings.divisor == "n-1" else 0
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


def read(content: bytes) -> Capsule:
    """The analysis of a file. Raises ProblemError where it is none, or cannot be used."""
    files = unpack(content, KIND)
    try:
        criteria = json.loads(files["criteria.json"])
        source: Source
        if "data/moments.json" in files:
            source, steps = moments_from_json(files["data/moments.json"]), []
        else:
            notes = json.loads(files["data/columns.json"])
            source = from_parquet(files["data/data.parquet"], notes["name"], notes["columns"])
            steps = read_steps(files["steps.json"])
        origin = None
        if "data/reading.json" in files:
            kept = next(value for name, value in files.items() if name.startswith(ORIGINAL))
            origin = from_notes(json.loads(files["data/reading.json"]), kept)
        return Capsule(
            files["model.txt"].decode(), Settings.model_validate_json(files["settings.json"]), source, steps,
            Results.model_validate_json(files["results.json"]),
            sheet(criteria["preset"], {key: (bounds[0], bounds[1]) for key, bounds in criteria["own"].items()}),
            json.loads(files["trail.json"]), ReportOptions.model_validate_json(files["report-options.json"]), origin,
            json.loads(files[RECORD]) if RECORD in files else None,
            {name.removeprefix(OF_RECORD): value for name, value in files.items() if name.startswith(OF_RECORD)},
        )  # fmt: skip
    except (KeyError, ValueError, TypeError, IndexError, StopIteration, ValidationError) as error:
        raise damaged(f"This capsule cannot be read: {type(error).__name__} in one of its files.") from None
