"""The results documents of revisions, and their parts: by revision and run, immutable, fetched by the screen that shows
them.
"""

from __future__ import annotations

import hashlib
import logging
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from flask import Response, request
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field, ValidationError
from sqlalchemy.orm import Session

from dusk_arrow import __version__
from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.records import runs, store
from dusk_arrow.records.tables import DataSetRow, RevisionRow, RunRow
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.convert import sample_correlations
from dusk_arrow.results.document import (
    Bootstrap,
    CommonMethodPart,
    EffectPart,
    FitPart,
    FSquaredPart,
    HoldoutPart,
    HypothesisPart,
    ImportancePart,
    Matrix,
    MediationPart,
    ModificationPart,
    ParameterPart,
    Part,
    PredictionPart,
    QualityPart,
    ResidualsPart,
    Results,
    RouteDifferencePart,
    ScoreDescriptivesPart,
    TrackedPart,
)
from dusk_arrow.results.holdout import half_step, opened
from dusk_arrow.results.hypotheses import answering, same_but_expectations
from dusk_arrow.results.scoring import ScorePair, described_scores, score_pair
from dusk_arrow.results.settings import Settings
from dusk_arrow.server.context import context, keep, reply, version_data
from dusk_arrow.server.problems import ProblemDocument, refuse

api = APIBlueprint(
    "documents", __name__, url_prefix="/api/models/<int:model_id>/revisions/<int:revision_id>",
    abp_tags=[Tag(name="documents")], abp_responses={404: ProblemDocument, 422: ProblemDocument},
)  # fmt: skip
log = logging.getLogger(__name__)


@dataclass(frozen=True)
class Document:
    """A results document with what it is the document of: a revision, estimated as it is or by a run, which may still be
    under way and then has resamples `so_far`, or with the short bootstrap that follows a gesture (`transient`)."""

    revision_id: int
    run_id: int | None
    results: Results
    so_far: int = 0
    transient: bool = False


def stored_results(run: RunRow) -> Results | None:
    """The document of a run, read and checked once; None where there is none, or it was stored by another version and no
    longer fits."""

    def load() -> Results | None:
        if run.results is None:
            return None
        try:
            return Results.model_validate(run.results)
        except ValidationError:
            log.warning("run %s was stored by another version and is passed over", run.id)
            return None

    return context().cache.stored(f"run {run.id} {run.so_far}", load)


def core_settings(settings: Settings) -> dict[str, object]:
    """The settings without those of the bootstrap."""
    kept = settings.model_dump(mode="json", exclude={"bootstrap", "seed", "level", "interval", "bollen_stine"})
    if not kept["global_items"]:
        del kept["global_items"]  # runs that were stored before there were any say nothing of them
    return kept


def with_settings(revision: RevisionRow, settings: Settings) -> RevisionRow:
    """A revision as it would be with other settings; it is never stored."""
    return RevisionRow(
        id=revision.id,
        model_id=revision.model_id,
        specification=revision.specification,
        words=revision.words,
        settings=core_settings(settings),
        data_version_id=revision.data_version_id,
    )


def estimated_results(session: Session, revision: RevisionRow, text: str | None = None) -> Results:
    """The document of a revision by plain estimation, without any run; another text can be tried in its place."""
    version = store.version_of(session, revision)
    settings = Settings.model_validate(revision.settings)
    return context().cache.document(
        revision.specification if text is None else text,
        version.fingerprint,
        settings,
        lambda: version_data(version.id),
    )


def _alike(session: Session, revision: RevisionRow, text: str) -> list[str]:
    """The text and those of the revisions right before it that estimate the same, since only expectations were stated."""
    found, stated, at = [text], parse(text), revision
    while at.parent_id is not None:
        before = session.get(RevisionRow, at.parent_id)
        if before is None or not before.specification or not same_but_expectations(parse(before.specification), stated):
            break
        found.append(before.specification)
        at = before
    return found


def document_of(
    session: Session, revision: RevisionRow, specification: str | None = None, unfinished: bool = False
) -> Document:
    """The document of a revision: with its bootstrap where one was run, else the plain fit. Another specification can
    be tried on the revision's data with its settings; a bootstrap that is under way, or was too short to be kept, counts where
    `unfinished` is said."""
    text = revision.specification if specification is None else specification
    version = store.version_of(session, revision)
    settings = Settings.model_validate(revision.settings)
    own = core_settings(settings)
    for said in _alike(session, revision, text):
        run = runs.latest_run(session, revision.model_id, said, version.fingerprint, own, unfinished)
        kept = None if run is None else stored_results(run)
        if run is not None and kept is not None:
            return Document(revision.id, run.id, kept if said == text else answering(kept, text), run.so_far)
    short = context().transient.of(revision.id) if unfinished else None
    if short is not None:
        return Document(revision.id, None, short, transient=True)
    return Document(revision.id, None, estimated_results(session, revision, text))


def fit_revision(session: Session, revision: RevisionRow, specification: str | None = None) -> Results:
    """The results alone."""
    return document_of(session, revision, specification).results


class RevisionPath(BaseModel):
    """The revision of an address."""

    model_id: int
    revision_id: int


class OfRun(BaseModel):
    """The run whose document is wanted, and how many resamples it has so far where it is under way; else the plain
    estimation, or the one with the short bootstrap that follows a gesture."""

    run: int | None = None
    so_far: int = 0
    transient: bool = False


class EstimatesDocument(Part):
    """Parameters, effects, hypotheses and what is explained; empty where nothing was estimated."""

    parameters: list[ParameterPart]
    effects: list[EffectPart]
    mediation: list[MediationPart]
    tracked: list[TrackedPart]
    r_squared: dict[str, float | None]
    f_squared: list[FSquaredPart]
    hypotheses: list[HypothesisPart]
    differences: list[RouteDifferencePart]


class QualityDocument(Part):
    """Measurement quality, with the bootstraps of its figures."""

    quality: QualityPart | None
    bootstrap_figures: dict[str, Bootstrap | None]


class FitDocument(Part):
    """Global fit."""

    fit: FitPart | None
    r_squared: dict[str, float | None]


class ResidualsDocument(Part):
    """Residuals of the covariances."""

    residuals: ResidualsPart | None


class SampleDocument(Part):
    """Correlations of what was analysed."""

    correlations: Matrix | None


class ThoroughDocument(Part):
    """What takes longer than a gesture may: prediction out of sample, importance and performance (of composites), and one
    factor behind all items beside the measurement model."""

    prediction: PredictionPart | None
    importance: list[ImportancePart]
    common_method: CommonMethodPart | None
    holdout: HoldoutPart | None


class ModificationDocument(Part):
    """What freeing further parameters would do."""

    modification: list[ModificationPart]


def _document(session: Session, path: RevisionPath, run_id: int | None) -> Results:
    revision = store.find(session, RevisionRow, path.revision_id)
    if revision is None or revision.model_id != path.model_id:
        raise refuse(404, "unknown_revision", "There is no such revision of this model.")
    if run_id is None:
        return estimated_results(session, revision, revision.specification)
    run = store.find(session, RunRow, run_id)
    kept = None if run is None or run.model_id != path.model_id else stored_results(run)
    if kept is None:
        raise refuse(404, "unknown_run", "There is no such run of this model, or nothing of it yet.")
    if kept.model != revision.specification and same_but_expectations(parse(kept.model), parse(revision.specification)):
        return answering(kept, revision.specification)
    return kept


def _part(path: RevisionPath, query: OfRun, make: Callable[[Results], BaseModel], which: str = "") -> Response:
    """A part of a document. It never changes while the program stays the same, and is not computed for whoever has it."""
    asked = hashlib.sha256(which.encode()).hexdigest()[:12] if which else ""
    tag = f"{__version__}-{request.endpoint}-{path.revision_id}-{query.run}{asked}"
    if query.so_far or query.transient:  # the next that is asked may know more
        with context().sessions() as session:
            short = context().transient.of(path.revision_id) if query.transient else None
            answer = reply(make(short or _document(session, path, query.run)))
        answer.headers["Cache-Control"] = "no-store"
        return answer
    if request.if_none_match.contains_weak(tag):
        answer = Response(status=304)
    else:
        with context().sessions() as session:
            answer = reply(make(_document(session, path, query.run)))
    answer.set_etag(tag, weak=True)
    answer.headers["Cache-Control"] = "private, no-cache"  # kept, but asked for: another version may know better
    return answer


@api.get("/estimates", operation_id="getEstimatesPart", responses={200: EstimatesDocument})
def get_estimates(path: RevisionPath, query: OfRun) -> Response:
    """Parameters, effects, mediation, tracked quantities, R² and f²."""
    return _part(
        path,
        query,
        lambda r: EstimatesDocument(
            parameters=r.parameters,
            effects=r.effects,
            mediation=r.mediation,
            tracked=r.tracked,
            r_squared=r.r_squared,
            f_squared=r.f_squared,
            hypotheses=r.hypotheses,
            differences=r.differences,
        ),
    )


@api.get("/quality", operation_id="getQualityPart", responses={200: QualityDocument})
def get_quality(path: RevisionPath, query: OfRun) -> Response:
    """Loadings, reliability, validity, collinearity."""
    return _part(path, query, lambda r: QualityDocument(quality=r.quality, bootstrap_figures=r.bootstrap_figures))


@api.get("/fit", operation_id="getFitPart", responses={200: FitDocument})
def get_fit(path: RevisionPath, query: OfRun) -> Response:
    """Every figure of global fit."""
    return _part(path, query, lambda r: FitDocument(fit=r.fit, r_squared=r.r_squared))


@api.get("/residuals", operation_id="getResidualsPart", responses={200: ResidualsDocument})
def get_residuals(path: RevisionPath, query: OfRun) -> Response:
    """Residuals of the covariances: raw, in correlations, and standardized."""
    return _part(path, query, lambda r: ResidualsDocument(residuals=r.residuals))


@api.get("/sample", operation_id="getSamplePart", responses={200: SampleDocument})
def get_sample(path: RevisionPath, query: OfRun) -> Response:
    """Correlations of the observed variables that were analysed."""
    return _part(path, query, lambda r: SampleDocument(correlations=sample_correlations(r)))


@api.get("/modification", operation_id="getModificationPart", responses={200: ModificationDocument})
def get_modification(path: RevisionPath, query: OfRun) -> Response:
    """Modification indices."""
    return _part(path, query, lambda r: ModificationDocument(modification=r.modification))


@api.get("/thorough", operation_id="getThoroughPart", responses={200: ThoroughDocument})
def get_thorough(path: RevisionPath, query: OfRun) -> Response:
    """Prediction, importance and performance, and the question of common method; computed when first asked."""

    def make(results: Results) -> ThoroughDocument:
        known = results.prediction is not None or results.common_method is not None
        found = results if known else _thorough(path.revision_id, results)
        return ThoroughDocument(
            prediction=found.prediction,
            importance=found.importance,
            common_method=found.common_method,
            holdout=keep("holdout", path.revision_id, lambda: _holdout(path.revision_id, results)),
        )

    return _part(path, query, make)


class OfScores(OfRun):
    """Which scores, and of which two constructs."""

    method: Literal["regression", "bartlett"] = "regression"
    first: str | None = Field(default=None, max_length=200)
    second: str | None = Field(default=None, max_length=200)


class ScoresDocument(Part):
    """Scores of the cases: whether there are Bartlett's, what they are like, and two constructs against each other (the first
    two unless named; null where there is but one)."""

    bartlett: bool
    descriptives: list[ScoreDescriptivesPart]
    pair: ScorePair | None


@api.get("/scores", operation_id="getScoresPart", responses={200: ScoresDocument})
def get_scores(path: RevisionPath, query: OfScores) -> Response:
    """Scores of the cases of a revision's data."""

    def make(results: Results) -> ScoresDocument:
        with context().sessions() as session:
            data = version_data(session.get_one(RevisionRow, path.revision_id).data_version_id)
        if not isinstance(data, DataSet):
            raise refuse(422, "scores_need_cases", "Scores are of single cases, and a matrix has none.")
        described = described_scores(results, data, query.method)
        names = [one.construct_ for one in described]
        first = query.first or names[0]
        second = query.second or next((name for name in names if name != first), None)
        return ScoresDocument(
            bartlett=results.scores is not None and results.scores.bartlett is not None,
            descriptives=described,
            pair=None if second is None else score_pair(results, data, first, second, query.method),
        )

    return _part(path, query, make, f"{query.method}-{query.first}-{query.second}")


def _holdout(revision_id: int, results: Results) -> HoldoutPart | None:
    """Both halves, where a half was held out of the revision's data and opened."""
    with context().sessions() as session:
        version = store.version_of(session, session.get_one(RevisionRow, revision_id))
        steps = store.steps_of(version)
        if half_step(steps) is None:
            return None
        imported = store.load_import(session.get_one(DataSetRow, version.data_set_id))
    return opened(results, imported, steps) if isinstance(imported, DataSet) else None


def with_importance(revision_id: int, results: Results) -> Results:
    """A document with importance and performance, which take longer than a gesture may."""
    if results.importance:
        return results
    return results.model_copy(update={"importance": _thorough(revision_id, results).importance})


def _thorough(revision_id: int, results: Results) -> Results:
    """The document of a revision with what takes longer than a gesture may."""
    if not results.converged:
        return results
    with context().sessions() as session:
        revision = session.get_one(RevisionRow, revision_id)
        text, version = revision.specification, revision.data_version_id
        settings = Settings.model_validate(revision.settings)
    plain = settings.without_bootstrap()

    def estimate() -> Results:
        return assemble(analyse(parse(text), version_data(version), plain, depth="thorough"))

    return keep("thorough", revision_id, estimate)
