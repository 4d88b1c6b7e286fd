"""Runs: bootstraps in the background, followed by server-sent events."""

from __future__ import annotations

from typing import Literal

from flask import Flask, Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.core.options import Choose
from dusk_arrow.core.problems import Problem
from dusk_arrow.core.run_options import DEFAULT_SEED, LEVELS, RESAMPLES, SEEDS, USUAL_RESAMPLES
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.records import runs, store
from dusk_arrow.records.tables import RunRow, now
from dusk_arrow.results.chosen import FamilyName, IntervalName
from dusk_arrow.results.pace import seconds_per_resample, takes_long
from dusk_arrow.results.settings import Settings, with_choices
from dusk_arrow.server.computing import computes
from dusk_arrow.server.context import context, keep, reply, version_data
from dusk_arrow.server.documents import fit_revision, identity, stored_results, with_settings
from dusk_arrow.server.model_state import find_model
from dusk_arrow.server.models import ModelPath
from dusk_arrow.server.problems import HttpProblem, ProblemDocument, refuse

api = APIBlueprint(
    "runs", __name__, url_prefix="/api", abp_tags=[Tag(name="runs")],
    abp_responses={404: ProblemDocument, 422: ProblemDocument},
)  # fmt: skip


class RunPath(BaseModel):
    """The run of an address."""

    run_id: int


class NewRun(BaseModel):
    """A bootstrap to run on a model's head, as it is or as another family estimates it."""

    family: FamilyName | None = None
    resamples: int = Field(default=USUAL_RESAMPLES, ge=100, le=RESAMPLES.most)
    seed: int = Field(default=DEFAULT_SEED, ge=SEEDS.least, le=2**53)
    level: float = Field(default=LEVELS.default, gt=LEVELS.least, lt=LEVELS.most)
    interval: IntervalName = "percentile"
    bollen_stine: bool = False


class RunPart(BaseModel):
    """How far a run is: how many resamples are done, on how many of them the results so far rest, how many seconds of work
    are left once that is known, and how many other runs come before it while it waits."""

    id: int
    model_id: int
    revision_id: int
    state: Literal["waiting", "running", "finished", "stopped", "failed"]
    done: int
    requested: int
    so_far: int
    before: int
    seconds_left: float | None
    message: str | None


def run_part(session: Session, row: RunRow) -> RunPart:
    """How far a run on record is."""
    before = [run.id for run in runs.open_runs(session)].index(row.id) if row.state == "waiting" else 0
    return RunPart(
        id=row.id,
        model_id=row.model_id,
        revision_id=row.revision_id,
        state=row.state,
        done=row.done,
        requested=row.requested,
        so_far=row.so_far,
        before=before,
        seconds_left=row.seconds_left,
        message=row.message,
    )


@api.post("/models/<int:model_id>/runs", operation_id="startRun", responses={201: RunPart, 200: RunPart})
def start_run(path: ModelPath, body: NewRun) -> Response:
    """Starts a bootstrap of the model's head; an identical one that has finished is answered from the record."""
    with context().sessions.begin() as session:
        model = find_model(session, path.model_id)
        head = store.head_of(session, model)
        own = Settings.model_validate(head.settings)
        if body.family is not None and body.family != own.family:
            own = with_choices(own, [Choose("family", body.family)])
        results = fit_revision(session, with_settings(head, own))
        if not results.converged:
            message = "The model has to be estimated before it can be bootstrapped."
            raise HttpProblem(422, [Problem("not_estimated", "error", message)])
        settings = own.model_copy(
            update={
                "bootstrap": body.resamples,
                "seed": body.seed,
                "level": body.level,
                "interval": body.interval,
                "bollen_stine": body.bollen_stine,
            }
        )
        version = store.version_of(session, head)
        if not isinstance(version_data(version.id), DataSet):
            raise refuse(422, "bootstrap_needs_cases", "The bootstrap works on single cases, and a matrix has none.")
        key = store.identity(session, version, head.specification, settings)
        known = runs.answering_run(session, model.id, key)
        if known is not None and (known.state in runs.OPEN or stored_results(known) is not None):
            known.created = now()
            return reply(run_part(session, known))
        row = RunRow(
            model_id=model.id,
            revision_id=head.id,
            key=key,
            estimation=store.identity(session, version, head.specification, settings.of_estimation()),
            settings=settings.model_dump(mode="json"),
            state="waiting",
            done=0,
            requested=body.resamples,
        )
        session.add(row)
        session.flush()
        part = run_part(session, row)
    context().runs.start(row.id)
    return reply(part, 201)


class PacePart(BaseModel):
    """How long a bootstrap of a model's head takes on this machine; null where it is a matter of seconds."""

    seconds_per_resample: float | None


@api.get("/models/<int:model_id>/pace", operation_id="getPace", responses={200: PacePart})
@computes
def get_pace(path: ModelPath) -> Response:
    """Measured by drawing a few, where each takes long: of incomplete cases by full information, or with weights of their own."""
    with context().sessions() as session:
        head = store.head_of(session, find_model(session, path.model_id))
        settings, number = Settings.model_validate(head.settings), head.data_version_id
        key = identity(session, head)
    if not takes_long(settings):
        return reply(PacePart(seconds_per_resample=None))

    def measured() -> PacePart:
        data = version_data(number)
        found = seconds_per_resample(parse(head.specification), data, settings) if isinstance(data, DataSet) else None
        return PacePart(seconds_per_resample=None if found is None else found / context().runs.workers)

    return reply(keep("pace", key, measured))


def _find(session: Session, run_id: int, lock: bool = False) -> RunRow:
    row = store.find(session, RunRow, run_id, lock)
    if row is None:
        raise refuse(404, "unknown_run", "There is no such run.")
    return row


def _how_far(run_id: int) -> RunPart:
    with context().sessions() as session:
        return run_part(session, _find(session, run_id))


@api.get("/runs/<int:run_id>", operation_id="getRun", responses={200: RunPart})
def get_run(path: RunPath) -> Response:
    """How far a run is."""
    return reply(_how_far(path.run_id))


def how_far(app: Flask, run_id: int) -> tuple[str, bool]:
    """How far a run is, as JSON, and whether it is open."""
    with app.app_context():
        part = _how_far(run_id)
    return part.model_dump_json(), part.state in runs.OPEN


@api.get("/runs/<int:run_id>/events", operation_id="followRun", responses={200: None})
def follow_run(path: RunPath) -> Response:
    """How far a run is, told by server-sent events whenever that changes, until it has ended. Here is the first; whoever listens keeps
    the stream open and tells the others."""
    event = f"data: {_how_far(path.run_id).model_dump_json()}\n\n"
    return Response(event, mimetype="text/event-stream", headers={"Cache-Control": "no-store"})


class Stop(BaseModel):
    """Whether the resamples so far are kept."""

    keep: bool = False


@api.post("/runs/<int:run_id>/stop", operation_id="stopRun", responses={200: RunPart})
def stop_run(path: RunPath, query: Stop) -> Response:
    """Asks a run to stop, and to keep what it has drawn so far or nothing."""
    with context().sessions.begin() as session:
        row = _find(session, path.run_id, lock=True)
        if row.state == "waiting" and not (query.keep and row.done):
            runs.end(session, row, "stopped", runs.STOPPED)
        elif row.state in runs.OPEN:
            runs.update(session, row, asked="keep" if query.keep else "stop")
        part = run_part(session, row)
    return reply(part)
