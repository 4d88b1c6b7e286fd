"""Runs: bootstraps in the background, followed by polling."""

from __future__ import annotations

from typing import Literal

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.core.options import Choose
from dusk_arrow.core.problems import Problem
from dusk_arrow.records import store
from dusk_arrow.records.tables import ModelRow, RunRow, now
from dusk_arrow.results.cache import result_key
from dusk_arrow.results.settings import DEFAULT_SEED, FamilyName, Settings, with_choices
from dusk_arrow.server.context import context, reply, version_data
from dusk_arrow.server.documents import fit_revision, stored_results, with_settings
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


def run_key(model: ModelRow, fingerprint: str, specification: str, settings: Settings) -> str:
    """What makes two runs the same: model record, data, specification, settings and seed."""
    return f"{model.id}:{result_key(fingerprint, specification, settings)}"


class NewRun(BaseModel):
    """A bootstrap to run on a model's head, as it is or as another family estimates it."""

    family: FamilyName | None = None
    resamples: int = Field(default=5000, ge=100, le=100_000)
    seed: int = Field(default=DEFAULT_SEED, ge=0, le=2**53)
    level: float = Field(default=0.95, ge=0.5, lt=1)
    interval: Literal["percentile", "bias-corrected", "bca"] = "percentile"
    bollen_stine: bool = False


class RunPart(BaseModel):
    """How far a run is."""

    id: int
    model_id: int
    revision_id: int
    state: Literal["running", "finished", "stopped", "failed"]
    done: int
    requested: int
    seconds_left: float | None
    message: str | None


def _part(row: RunRow) -> RunPart:
    live = context().runs.live(row.id)
    return RunPart(
        id=row.id,
        model_id=row.model_id,
        revision_id=row.revision_id,
        state=row.state,
        done=live.done if live else row.done,
        requested=row.requested,
        seconds_left=live.seconds_left() if live else None,
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
        data, specification = version_data(version.id), head.specification
        if not isinstance(data, DataSet):
            raise refuse(422, "bootstrap_needs_cases", "The bootstrap works on single cases, and a matrix has none.")
        key = run_key(model, version.fingerprint, head.specification, settings)
        known = store.finished_run(session, key)
        if known is not None and stored_results(known) is not None:
            known.created = now()
            return reply(_part(known))
        row = RunRow(
            model_id=model.id,
            revision_id=head.id,
            key=key,
            settings=settings.model_dump(mode="json"),
            state="running",
            done=0,
            requested=body.resamples,
        )
        session.add(row)
        session.flush()
    context().runs.start(row.id, specification, data, settings)
    return reply(_part(row), 201)


def _find(run_id: int) -> RunRow:
    with context().sessions() as session:
        row = store.find(session, RunRow, run_id)
    if row is None:
        raise refuse(404, "unknown_run", "There is no such run.")
    return row


@api.get("/runs/<int:run_id>", operation_id="getRun", responses={200: RunPart})
def get_run(path: RunPath) -> Response:
    """How far a run is."""
    return reply(_part(_find(path.run_id)))


class Stop(BaseModel):
    """Whether the resamples so far are kept."""

    keep: bool = False


@api.post("/runs/<int:run_id>/stop", operation_id="stopRun", responses={200: RunPart})
def stop_run(path: RunPath, query: Stop) -> Response:
    """Asks a run to stop, and to keep what it has drawn so far or nothing."""
    row = _find(path.run_id)
    context().runs.stop(row.id, query.keep)
    return reply(_part(row))
