"""The trail: the revisions of a model with what each did, going back to one, and what was set aside and why."""

from __future__ import annotations

from time import monotonic
from typing import Literal

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from dusk_arrow import __version__
from dusk_arrow.core.assessment.criteria import BY_KEY
from dusk_arrow.core.specification.model import Construct, read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.statements import Keeps
from dusk_arrow.exchange.texts import Line, Text
from dusk_arrow.records import store
from dusk_arrow.records.tables import ModelRow, RevisionRow
from dusk_arrow.results.comparison import compare, quick_fit
from dusk_arrow.results.document import Part, Results
from dusk_arrow.results.holdout import half_step
from dusk_arrow.results.key_figures import LINES, KeyFigures, key_figures
from dusk_arrow.results.left_out import without_answers
from dusk_arrow.results.readout import ReadoutFigure, readout
from dusk_arrow.results.settings import Settings
from dusk_arrow.server.comparisons import DifferencePart, difference_part
from dusk_arrow.server.computing import computes
from dusk_arrow.server.context import context, removed_by_steps, reply, version_data
from dusk_arrow.server.criteria import cut_offs
from dusk_arrow.server.documents import RevisionPath, estimated_results, fit_revision
from dusk_arrow.server.model_state import ModelState, find_model, state_of
from dusk_arrow.server.models import ModelPath, at_head
from dusk_arrow.server.problems import ProblemDocument, refuse

api = APIBlueprint(
    "trail", __name__, url_prefix="/api/models", abp_tags=[Tag(name="trail")],
    abp_responses={404: ProblemDocument, 409: ProblemDocument, 422: ProblemDocument},
)  # fmt: skip
PATIENCE = 1.2  # seconds of estimating before what is known is shown
Prompt = Literal["own", "data"]


class TrailRevision(BaseModel):
    """A revision on the trail: where it came from, what it said and why, and its key figures; null until they are computed.
    `other_data` where it rests on other cases or variables than the one before; `settings` where it estimates another way."""

    id: int
    parent: int | None
    words: str
    reason: str | None
    name: str | None
    note: str | None
    prompted: Prompt
    created: str
    figures: KeyFigures | None
    other_data: bool


class IndexPart(BaseModel):
    """An index that can be drawn as the trail's line."""

    key: str
    label: str
    decimals: int


class AsideEntry(Part):
    """An indicator that is set aside now: since which revision, why, and the figures at that moment."""

    indicator: str
    construct_: str = Field(alias="construct")
    reason: str | None
    revision: int | None
    loading_then: float | None
    ave_before: float | None
    ave_after: float | None


class RemovedEntry(Part):
    """What was left out of the data before the model was estimated: in words, how many cases, and why; no cases where
    columns were left out."""

    words: str
    cases: int
    reason: str | None


class KeptEntry(Part):
    """An indicator that is marked as essential, and why."""

    indicator: str
    construct_: str = Field(alias="construct")
    reason: str | None


class HalfState(BaseModel):
    """The half of the cases that is held out of the data of the head: by which seed, whether it was opened, and how many
    changes came from these data before it was held out and since it was opened."""

    seed: int
    opened: bool
    before: int
    since_opened: int


class Trail(BaseModel):
    """Every revision of a model, the oldest first; `way` are those from the root to the head, `complete` is true once the
    figures of all are known."""

    head: int
    way: list[int]
    half: HalfState | None
    revisions: list[TrailRevision]
    indices: list[IndexPart]
    aside: list[AsideEntry]
    removed: list[RemovedEntry]
    kept: list[KeptEntry]
    complete: bool


class RevisionEdit(BaseModel):
    """What of a revision can be edited later: name, note, reason, and whether these data prompted it. An empty text takes
    it away; what is left out stays."""

    name: Line | None = Field(default=None, max_length=120)
    note: Text | None = Field(default=None, max_length=4000)
    reason: Line | None = Field(default=None, max_length=2000)
    prompted: Prompt | None = None


class GoBack(BaseModel):
    """The revision to go to, from the one that was being looked at."""

    parent: int
    revision: int


class RevisionEffect(BaseModel):
    """What a revision did: its key figures beside those of the one before, and the test where one is nested in the other."""

    readout: list[ReadoutFigure]
    difference: DifferencePart | None
    nested: bool
    message: str | None


def _remember(session: Session, rows: list[RevisionRow]) -> bool:
    """Computes the key figures of revisions that have none by this version, for a while; whether all have them."""
    begun = monotonic()
    for row in reversed(rows):
        if _stayed_behind(row) or (row.figures is not None and row.figures.get("version") == __version__):
            continue
        if monotonic() - begun > PATIENCE:
            return False
        there = row.specification and store.reads(session, row)
        known = key_figures(estimated_results(session, row)) if there else KeyFigures(estimated=False)
        row.figures = known.model_dump()
    return True


def _figures(row: RevisionRow) -> KeyFigures | None:
    return None if row.figures is None else KeyFigures.model_validate(row.figures)


def _line(row: RevisionRow, by_id: dict[int, RevisionRow]) -> TrailRevision:
    own, before = _figures(row), by_id.get(row.parent_id or 0)
    earlier = _figures(before) if before is not None else None
    known = own is not None and earlier is not None and own.estimated and earlier.estimated
    return TrailRevision(
        id=row.id, parent=row.parent_id, words=row.words, reason=row.reason, name=row.name, note=row.note,
        prompted="data" if row.prompted == "data" else "own", created=row.created.isoformat(), figures=own,
        other_data=known and own.analysed != earlier.analysed,  # type: ignore[union-attr]
    )  # fmt: skip


def _said(row: RevisionRow) -> dict[str, Construct]:
    return read(parse(row.specification)).by_name


def _ave(results: Results | None, construct: str) -> float | None:
    found = results.quality.constructs if results is not None and results.quality else []
    return next((c.ave for c in found if c.name == construct), None)


def _aside(session: Session, head: RevisionRow, by_id: dict[int, RevisionRow]) -> list[AsideEntry]:
    """For every indicator set aside now the revision since which it has been so, and the figures around it."""
    entries = []
    for construct in _said(head).values():
        for indicator, reason in construct.aside:
            at, before = head, by_id.get(head.parent_id or 0)
            while before is not None:
                owner = _said(before).get(construct.name) if store.reads(session, before) else None
                if owner is None or indicator not in [name for name, _ in owner.aside]:
                    break
                at, before = before, by_id.get(before.parent_id or 0)
            stayed = _stayed_behind(at)
            known = before is not None and before.specification and not stayed
            then = fit_revision(session, before) if before is not None and known else None
            loadings = then.quality.loadings if then is not None and then.quality else []
            entries.append(
                AsideEntry(
                    indicator=indicator,
                    construct_=construct.name,
                    reason=reason or at.reason,
                    revision=at.id,
                    loading_then=next(
                        (p.loading for p in loadings if (p.indicator, p.construct_) == (indicator, construct.name)),
                        None,
                    ),
                    ave_before=_ave(then, construct.name),
                    ave_after=None if stayed else _ave(fit_revision(session, at), construct.name),
                )
            )
    return entries


def _stayed_behind(row: RevisionRow) -> bool:
    """Whether the cases of a revision were left where it comes from: its figures are those of then, and nothing of it can be
    had again."""
    return bool(row.figures and row.figures.get("kept"))


def _removed(session: Session, head: RevisionRow) -> list[RemovedEntry]:
    by_steps = removed_by_steps(store.version_of(session, head))
    made = [RemovedEntry(words=one.words, cases=one.cases, reason=one.reason) for one in by_steps]
    rest = (
        without_answers(fit_revision(session, head)) if head.specification else []
    )  # nobody's reason, but the settings'
    return made + [RemovedEntry(words=f"{one.words} ({one.reason})", cases=one.cases, reason=None) for one in rest]


def _kept(head: RevisionRow) -> list[KeptEntry]:
    return [
        KeptEntry(indicator=name, construct_=statement.construct, reason=statement.reason)
        for statement in parse(head.specification).statements
        if isinstance(statement, Keeps)
        for name in statement.indicators
    ]


def _half(session: Session, way: list[RevisionRow]) -> HalfState | None:
    found = {row.data_version_id: half_step(store.steps_of(store.version_of(session, row))) for row in way}
    now = found[way[-1].data_version_id]
    if now is None:
        return None
    from_data = [(found[row.data_version_id], row) for row in way if row.prompted == "data"]
    return HalfState(
        seed=now.seed,
        opened=now.opened,
        before=sum(half is None for half, _ in from_data),
        since_opened=sum(half is not None and half.opened for half, _ in from_data),
    )


def _trail(session: Session, model: ModelRow) -> Trail:
    rows = list(store.revisions_of(session, model.id))
    complete = _remember(session, rows)
    by_id = {row.id: row for row in rows}
    head = by_id[model.head_id or 0]
    way = store.way_of(head, by_id)
    return Trail(
        head=head.id,
        way=[row.id for row in way],
        half=_half(session, way),
        revisions=[_line(row, by_id) for row in rows],
        indices=[IndexPart(key=k, label=BY_KEY[k].label, decimals=BY_KEY[k].decimals) for k in LINES],
        aside=_aside(session, head, by_id),
        removed=_removed(session, head),
        kept=_kept(head),
        complete=complete,
    )


@api.get("/<int:model_id>/trail", operation_id="getTrail", responses={200: Trail})
@computes
def get_trail(path: ModelPath) -> Response:
    """Every revision of a model with its key figures, branches and all; figures not known yet are computed, for a while."""
    with context().sessions.begin() as session:
        return reply(_trail(session, find_model(session, path.model_id)))


@api.post("/<int:model_id>/back", operation_id="goBack", responses={200: ModelState})
def go_back(path: ModelPath, body: GoBack) -> Response:
    """The model stands at another of its revisions; what came after stays, and the next change begins a branch."""
    with context().sessions.begin() as session:
        model = at_head(session, path.model_id, body.parent)
        store.go_to(session, model, _revision(session, path.model_id, body.revision))
    with context().sessions() as session:
        return reply(state_of(session, find_model(session, path.model_id)))


def _revision(session: Session, model_id: int, number: int) -> RevisionRow:
    revision = store.find(session, RevisionRow, number)
    if revision is None or revision.model_id != model_id:
        raise refuse(404, "unknown_revision", "There is no such revision of this model.")
    return revision


@api.patch("/<int:model_id>/revisions/<int:revision_id>", operation_id="editRevision", responses={200: Trail})
def edit_revision(path: RevisionPath, body: RevisionEdit) -> Response:
    """Name, note, reason and origin of a revision; what it says never changes."""
    with context().sessions.begin() as session:
        model = find_model(session, path.model_id)
        revision = _revision(session, path.model_id, path.revision_id)
        for key in ("name", "note", "reason"):
            text = getattr(body, key)
            if text is not None:
                setattr(revision, key, text or None)
        revision.prompted = body.prompted or revision.prompted
        session.flush()
        return reply(_trail(session, model))


@api.get(
    "/<int:model_id>/revisions/<int:revision_id>/effect", operation_id="getEffect", responses={200: RevisionEffect}
)
@computes
def get_effect(path: RevisionPath) -> Response:
    """What a revision did to the key figures, with the test of the difference where it can be tested."""
    with context().sessions() as session:
        revision = _revision(session, path.model_id, path.revision_id)
        if _stayed_behind(revision):
            message = (
                "Its cases stayed behind. The line has its figures as they were; what it did cannot be computed anew."
            )
            return reply(RevisionEffect(readout=[], difference=None, nested=False, message=message))
        now = estimated_results(session, revision)
        parent = session.get(RevisionRow, revision.parent_id) if revision.parent_id is not None else None
        if parent is not None and _stayed_behind(parent):
            parent = None
        before = estimated_results(session, parent) if parent is not None and parent.specification else None
        criteria = cut_offs(session, find_model(session, path.model_id))
    if not now.converged:
        message = next((p.message for p in now.problems if p.severity == "error"), "It could not be estimated.")
        return reply(RevisionEffect(readout=[], difference=None, nested=False, message=message))
    pair = [
        quick_fit(parse(row.specification), version_data(row.data_version_id), Settings.model_validate(row.settings))
        for row in (revision, parent)
        if row is not None and row.specification
    ]
    found = compare(pair[0], pair[1], now.settings) if len(pair) == 2 and None not in pair else None
    return reply(
        RevisionEffect(
            readout=readout(now, before if before is not None and before.converged else None, criteria),
            difference=difference_part(found) if found is not None else None,
            nested=found is not None and found.nested,
            message=None if found is None or found.nested else found.reason,
        )
    )
