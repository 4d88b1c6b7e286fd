"""A model at its head as the screens have it all the time: what it says, its board and its readout, without the tables."""

from __future__ import annotations

from pydantic import BaseModel
from sqlalchemy.orm import Session

from dusk_arrow.core.assessment.criteria import Sheet
from dusk_arrow.core.families import FAMILIES
from dusk_arrow.core.family_options import options_by_name, traits_of
from dusk_arrow.core.run_options import INTERVAL
from dusk_arrow.core.specification.model import Mode, read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.figure.board import View, board
from dusk_arrow.figure.scene import Board
from dusk_arrow.records import runs, store
from dusk_arrow.records.tables import ModelRow, RevisionRow
from dusk_arrow.records.view import ViewPart
from dusk_arrow.report.options import ReportOptions
from dusk_arrow.results.document import BootstrapSummaryPart, ProblemPart, Results
from dusk_arrow.results.readout import ReadoutFigure, readout
from dusk_arrow.results.settings import Settings
from dusk_arrow.results.verdicts import judged_by
from dusk_arrow.server.choices import TraitsPart, traits_part
from dusk_arrow.server.criteria import cut_offs
from dusk_arrow.server.documents import Document, document_of, fit_revision
from dusk_arrow.server.problems import refuse

FAR_BACK = 12


class ConstructLine(BaseModel):
    """A construct as the shelf and the cards need it."""

    name: str
    mode: Mode
    indicators: list[str]
    aside: list[AsideLine]
    kept: list[str]


class AsideLine(BaseModel):
    """An indicator set aside, with the reason."""

    indicator: str
    reason: str | None


class PathLine(BaseModel):
    """A path of the model."""

    source: str
    target: str
    fixed: float | None
    control: bool = False


class RevisionLine(BaseModel):
    """The revision a model stands at."""

    id: int
    words: str
    reason: str | None
    created: str
    data_version_id: int


def errors_words(settings: Settings) -> str:
    """Where standard errors come from."""
    return options_by_name()["errors"].words(settings.errors if traits_of(settings.family).errors else "bootstrap")


class Shown(BaseModel):
    """The document whose numbers are shown, by revision and run: the head's own or, while the head cannot be estimated, the
    last good one; with what is said of it everywhere: the kind of interval and where errors come from, in words. A run that is under way has resamples `so_far`; a `transient` bootstrap followed the last
    gesture by itself and is not kept."""

    revision: int
    traits: TraitsPart
    run: int | None
    so_far: int
    transient: bool
    settings: Settings
    interval_words: str
    errors_words: str
    n_used: int
    n_total: int
    df: int | None
    n_parameters: int | None
    aic: float | None
    bic: float | None
    bootstrap: BootstrapSummaryPart | None


class ModelState(BaseModel):
    """A model at its head. While it cannot be `estimated`, board and readout hold the numbers that were good last. One that
    was bootstrapped before but not as it is now `wants_bootstrap`: a short one that follows the gesture."""

    id: int
    project_id: int
    name: str
    revision: RevisionLine
    sentences: str
    settings: Settings
    traits: TraitsPart
    constructs: list[ConstructLine]
    observed: list[str]
    controls: list[str]
    paths: list[PathLine]
    estimated: bool
    problems: list[ProblemPart]
    shown: Shown | None
    open_run: int | None
    wants_bootstrap: bool
    readout: list[ReadoutFigure]
    board: Board
    view: ViewPart
    view_version: int
    report: ReportOptions
    report_version: int
    can_undo: bool
    can_redo: bool


ConstructLine.model_rebuild()


def find_model(session: Session, model_id: int, lock: bool = False) -> ModelRow:
    """The model of an address, or the answer that there is none."""
    found = store.find(session, ModelRow, model_id, lock)
    if found is None:
        raise refuse(404, "unknown_model", "There is no such model.")
    return found


def report_of(model: ModelRow) -> ReportOptions:
    """What the report of a model holds."""
    return ReportOptions.model_validate(model.report)


def readable(session: Session, model: ModelRow) -> bool:
    """Whether a model can be looked at, as far as that takes no estimation. Raises pydantic's ValidationError where its view, its report
    or the cut-offs are none."""
    ViewPart.model_validate(model.view)
    report_of(model)
    _pins(model)
    cut_offs(session, model)
    return store.reads(session, store.head_of(session, model))


def _last_good(session: Session, head: RevisionRow) -> Document | None:
    revision: RevisionRow | None = head
    for _ in range(FAR_BACK):
        if revision is None or revision.parent_id is None:
            return None
        revision = session.get(RevisionRow, revision.parent_id)
        if revision is not None and revision.specification:
            found = document_of(session, revision)
            if found.results.converged:
                return found
    return None


def _shown(document: Document | None) -> Shown | None:
    if document is None or document.results.fit is None or document.results.data is None:
        return None
    results, fit, data = document.results, document.results.fit, document.results.data
    return Shown(
        revision=document.revision_id,
        run=document.run_id,
        so_far=document.so_far,
        transient=document.transient,
        settings=results.settings,
        traits=traits_part(results.settings.family),
        interval_words=INTERVAL.words(results.settings.interval),
        errors_words=errors_words(results.settings),
        n_used=data.n_used,
        n_total=data.n_total,
        df=fit.df,
        n_parameters=fit.n_parameters,
        aic=fit.aic,
        bic=fit.bic,
        bootstrap=results.bootstrap_summary,
    )


def _pins(model: ModelRow) -> dict[str, tuple[float, float]]:
    return {name: (pin["x"], pin["y"]) for name, pin in model.pins.items()}


def _good(session: Session, head: RevisionRow) -> tuple[Document, Document | None]:
    """The head's document, and the one whose numbers are shown."""
    own = document_of(session, head, unfinished=True)
    return own, own if own.results.converged else _last_good(session, head)


def _board(model: ModelRow, head: RevisionRow, results: Results | None, criteria: Sheet) -> Board:
    settings = Settings.model_validate(head.settings)
    said = read(FAMILIES[settings.family].estimated_part(parse(head.specification), settings.part))
    kept = ViewPart.model_validate(model.view)
    view = View(kept.room, frozenset(kept.folded), frozenset(kept.opened), kept.arcs, kept.controls, criteria)
    return board(said, results, _pins(model), view)


def board_of(session: Session, model: ModelRow) -> Board:
    """The board of a model at its head."""
    head = store.head_of(session, model)
    _, shown = _good(session, head)
    return _board(model, head, None if shown is None else shown.results, cut_offs(session, model))


def _wants_bootstrap(session: Session, model: ModelRow, results: Results, under_way: list[int]) -> bool:
    """Whether a short bootstrap is to follow: of an estimated head without one, where the model has had one before."""
    if not results.converged or results.bootstrap_summary is not None or model.head_id in under_way:
        return False
    return runs.last_finished(session, model.id) is not None


def state_of(session: Session, model: ModelRow) -> ModelState:
    """The state of a model at its head."""
    criteria = cut_offs(session, model)
    head = store.head_of(session, model)
    said = read(parse(head.specification))
    own, shown = _good(session, head)
    results = own.results
    seen, chosen = shown.results if shown else results, ViewPart.model_validate(model.view).figures
    under_way = runs.open_runs(session, model.id)
    previous = None
    if head.parent_id is not None and results.converged:
        parent = session.get_one(RevisionRow, head.parent_id)
        previous = fit_revision(session, parent) if parent.specification else None
    return ModelState(
        id=model.id,
        project_id=model.project_id,
        name=model.name,
        revision=RevisionLine(
            id=head.id, words=head.words, reason=head.reason, created=head.created.isoformat(),
            data_version_id=head.data_version_id,
        ),
        sentences=head.specification,
        settings=(kept := Settings.model_validate(head.settings)),
        traits=traits_part(kept.family),
        constructs=[
            ConstructLine(
                name=c.name,
                mode=c.mode,
                indicators=list(c.indicators),
                aside=[AsideLine(indicator=name, reason=reason) for name, reason in c.aside],
                kept=list(c.kept),
            )
            for c in said.constructs
        ],
        observed=list(said.observed),
        controls=list(said.control_names),
        paths=[
            PathLine(
                source=a, target=b, control=(a, b) in said.controls, fixed=next((p.estimate for p in results.parameters
                if p.kind == "path" and (p.from_, p.to) == (a, b) and not p.free), None),
            )
            for a, b in said.paths
        ],
        estimated=results.converged,
        problems=judged_by(results, criteria),
        shown=_shown(shown),
        open_run=max((run.id for run in under_way), default=None),
        wants_bootstrap=_wants_bootstrap(session, model, results, [run.revision_id for run in under_way]),
        readout=readout(seen, previous, criteria, chosen.get(seen.family)),
        board=_board(model, head, shown.results if shown else None, criteria),
        view=ViewPart.model_validate(model.view),
        view_version=model.view_version,
        report=report_of(model),
        report_version=model.report_version,
        can_undo=head.parent_id is not None,
        can_redo=str(head.id) in model.onward,
    )  # fmt: skip
