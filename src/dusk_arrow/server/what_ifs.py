"""What changes would do, by refitting before they are made; nothing is stored."""

from __future__ import annotations

from typing import Annotated

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field

from dusk_arrow.core.assessment.criteria import Sheet
from dusk_arrow.core.observations.data import Moments
from dusk_arrow.core.observations.steps import Step
from dusk_arrow.core.observations.taking_steps import apply_steps
from dusk_arrow.core.options import Choose
from dusk_arrow.core.specification.applying import apply_all
from dusk_arrow.core.specification.changes import Change
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.writing import write
from dusk_arrow.exchange.recorded_steps import AnyStep
from dusk_arrow.records import store
from dusk_arrow.records.tables import RevisionRow
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.comparison import difference
from dusk_arrow.results.document import Part, Results
from dusk_arrow.results.readout import ReadoutFigure, readout
from dusk_arrow.results.settings import Settings, with_choices
from dusk_arrow.results.what_ifs import ItemWhatIf, LeftOutWhatIf, estimator_of, item_what_ifs, left_out_what_ifs
from dusk_arrow.server.computing import computes
from dusk_arrow.server.context import context, keep, reply, version_data
from dusk_arrow.server.criteria import cut_offs
from dusk_arrow.server.documents import fit_revision, with_settings
from dusk_arrow.server.model_state import find_model
from dusk_arrow.server.models import ModelPath
from dusk_arrow.server.problems import HttpProblem, ProblemDocument, refuse

api = APIBlueprint(
    "what_ifs", __name__, url_prefix="/api/models", abp_tags=[Tag(name="models")],
    abp_responses={404: ProblemDocument, 422: ProblemDocument},
)  # fmt: skip
AnyChange = Annotated[Change, Field(discriminator="type")]


class WhatIf(BaseModel):
    """Changes to try without making them, steps of the data and settings to estimate them with."""

    changes: list[AnyChange] = Field(default=[], max_length=500)
    steps: list[AnyStep] = Field(default=[], max_length=20)
    settings: list[Choose] = Field(default=[], max_length=20)


class WhatIfResult(BaseModel):
    """The readout as it would be, beside the one that is, and the quality of the constructs touched."""

    estimated: bool
    message: str | None
    readout: list[ReadoutFigure]
    n_used: int | None
    quality: list[QualityChange]
    chi_square_difference: float | None
    df_difference: int | None
    p_value: float | None


class QualityChange(Part):
    """A construct's AVE and composite reliability now and then."""

    construct_: str = Field(alias="construct")
    ave_now: float | None
    ave_then: float | None
    composite_reliability_now: float | None
    composite_reliability_then: float | None


WhatIfResult.model_rebuild()


@api.post("/<int:model_id>/what-ifs", operation_id="whatIf", responses={200: WhatIfResult})
@computes
def what_if(path: ModelPath, body: WhatIf) -> Response:
    """What changes would do, by refitting; nothing is stored."""
    with context().sessions() as session:
        model = find_model(session, path.model_id)
        head = store.head_of(session, model)
        now = fit_revision(session, head)
        text = write(apply_all(parse(head.specification), body.changes))
        tried = _estimated_with(head, body.settings)
        then = _on_other_data(tried, text, list(body.steps)) if body.steps else fit_revision(session, tried, text)
        criteria = cut_offs(session, model)
    return reply(_compare(now, then, criteria))


def _on_other_data(revision: RevisionRow, text: str, steps: list[Step]) -> Results:
    """A text estimated on the revision's data after further steps; nothing is stored."""
    data = version_data(revision.data_version_id)
    if isinstance(data, Moments):
        raise refuse(422, "steps_need_cases", "Steps work on cases, and a matrix has none.")
    stepped, faults = apply_steps(data, steps)
    if faults:
        raise HttpProblem(422, faults)
    return assemble(analyse(parse(text), stepped, Settings.model_validate(revision.settings)))


def _estimated_with(head: RevisionRow, chosen: list[Choose]) -> RevisionRow:
    """The revision as it would be with other settings; it is never stored."""
    if not chosen:
        return head
    return with_settings(head, with_choices(Settings.model_validate(head.settings), chosen))


def _compare(now: Results, then: Results, criteria: Sheet) -> WhatIfResult:
    message = next((p.message for p in then.problems if p.severity == "error"), None)
    nested = difference(now, then)
    before = {c.name: c for c in now.quality.constructs} if now.quality else {}
    after = {c.name: c for c in then.quality.constructs} if then.quality else {}
    quality = [
        QualityChange(
            construct_=name,
            ave_now=before[name].ave,
            ave_then=after[name].ave,
            composite_reliability_now=before[name].composite_reliability,
            composite_reliability_then=after[name].composite_reliability,
        )
        for name in before
        if name in after and _differ(before[name].ave, after[name].ave)
    ]
    return WhatIfResult(
        estimated=then.converged,
        message=message,
        readout=readout(then, now, criteria) if then.converged else [],
        n_used=then.data.n_used if then.data else None,
        quality=quality,
        chi_square_difference=nested.chi_square if nested else None,
        df_difference=nested.df if nested else None,
        p_value=nested.p_value if nested else None,
    )


def _differ(first: float | None, second: float | None) -> bool:
    """Whether two figures differ by something a reader would see."""
    return first is not None and second is not None and abs(first - second) >= 0.005


class LeftOutWhatIfs(BaseModel):
    """What the model leaves out, let in one at a time."""

    items: list[LeftOutWhatIf]


@api.get("/<int:model_id>/left-out-what-ifs", operation_id="leftOutWhatIfs", responses={200: LeftOutWhatIfs})
@computes
def get_left_out_what_ifs(path: ModelPath) -> Response:
    """What letting in a residual covariance or a cross-loading would do, by refitting; nothing is stored."""
    with context().sessions() as session:
        model = find_model(session, path.model_id)
        head = store.head_of(session, model)
        criteria, now = cut_offs(session, model), fit_revision(session, head)

    def tried() -> LeftOutWhatIfs:
        estimate = estimator_of(version_data(head.data_version_id), Settings.model_validate(head.settings))
        specification = parse(head.specification)
        return LeftOutWhatIfs(items=left_out_what_ifs(specification, now, estimate, criteria) if now.converged else [])

    return reply(keep(f"left out by {criteria.preset} {sorted(criteria.own.items())}", head.id, tried))


class ItemWhatIfs(BaseModel):
    """Every indicator set aside in turn."""

    items: list[ItemWhatIf]


@api.get("/<int:model_id>/item-what-ifs", operation_id="itemWhatIfs", responses={200: ItemWhatIfs})
@computes
def get_item_what_ifs(path: ModelPath) -> Response:
    """What setting each indicator aside would do, by refitting; nothing is stored."""
    with context().sessions() as session:
        model = find_model(session, path.model_id)
        head = store.head_of(session, model)
        version, criteria = store.version_of(session, head), cut_offs(session, model)
    what = f"item what-ifs by {criteria.preset} {sorted(criteria.own.items())}"
    return reply(keep(what, head.id, lambda: _item_what_ifs(head, version.id, criteria)))


def _item_what_ifs(head: RevisionRow, version_id: int, criteria: Sheet) -> ItemWhatIfs:
    settings = Settings.model_validate(head.settings)
    specification = parse(head.specification)
    estimate = estimator_of(version_data(version_id), settings)
    now = estimate(specification)
    return ItemWhatIfs(items=item_what_ifs(specification, now, estimate, criteria) if now.converged else [])
