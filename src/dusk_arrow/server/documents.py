"""The results documents of revisions, and their parts: by revision and run, immutable, fetched by the screen that shows
them.
"""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from flask import Response, request
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field, ValidationError
from sqlalchemy.orm import Session

from dusk_arrow import __version__
from dusk_arrow.core.identity import digest_of
from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.records import runs, store
from dusk_arrow.records.tables import RevisionRow, RunRow
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.chosen import OF_RUN
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
    MonteCarloPart,
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
from dusk_arrow.runs.transient import short
from dusk_arrow.server.computing import computes
from dusk_arrow.server.context import context, imported_data, keep, reply, version_data
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
    return settings.model_dump(mode="json", exclude=set(OF_RUN))


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


def identity(session: Session, revision: RevisionRow, text: str | None = None) -> str:
    """What identifies the plain estimation of a revision; of another text in its place."""
    said = revision.specification if text is None else text
    return store.identity(
        session, store.version_of(session, revision), said, Settings.model_validate(revision.settings)
    )


def estimation_of(session: Session, revision: RevisionRow, text: str) -> str:
    """What identifies the estimation that resamples of a revision are of."""
    settings = Settings.model_validate(revision.settings).of_estimation()
    return store.identity(session, store.version_of(session, revision), text, settings)


def short_settings(session: Session, revision: RevisionRow) -> Settings | None:
    """The settings of the short bootstrap that follows a gesture, with the seed and level of the model's last run; None before
    there was one."""
    last = runs.last_finished(session, revision.model_id)
    if last is None:
        return None
    kept = {name: last.settings[name] for name in ("seed", "level")}
    return short(Settings.model_validate({**revision.settings, **kept}))


def short_bootstrap(session: Session, revision: RevisionRow) -> Results | None:
    """The document of a revision with the short bootstrap that followed its gesture, where there is one."""
    settings = short_settings(session, revision)
    if settings is None:
        return None
    version = store.version_of(session, revision)
    return context().transient.of(store.identity(session, version, revision.specification, settings))


def estimated_results(session: Session, revision: RevisionRow, text: str | None = None) -> Results:
    """The document of a revision by plain estimation, without any run; another text can be tried in its place."""
    said = revision.specification if text is None else text
    settings, number = Settings.model_validate(revision.settings), revision.data_version_id
    return context().cache.document(identity(session, revision, said), said, settings, lambda: version_data(number))


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
    for said in _alike(session, revision, text):
        run = runs.latest_run(session, revision.model_id, estimation_of(session, revision, said), unfinished)
        kept = None if run is None else stored_results(run)
        if run is not None and kept is not None:
            return Document(revision.id, run.id, kept if said == text else answering(kept, text), run.so_far)
    followed = short_bootstrap(session, revision) if unfinished else None
    if followed is not None:
        return Document(revision.id, None, followed, transient=True)
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
    monte_carlo: MonteCarloPart | None


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


def _revision(session: Session, path: RevisionPath) -> RevisionRow:
    revision = store.find(session, RevisionRow, path.revision_id)
    if revision is None or revision.model_id != path.model_id:
        raise refuse(404, "unknown_revision", "There is no such revision of this model.")
    return revision


def _run(session: Session, path: RevisionPath, run_id: int) -> RunRow:
    run = store.find(session, RunRow, run_id)
    if run is None or run.model_id != path.model_id:
        raise refuse(404, "unknown_run", "There is no such run of this model.")
    return run


def _document(session: Session, path: RevisionPath, run_id: int | None) -> Results:
    revision = _revision(session, path)
    if run_id is None:
        return estimated_results(session, revision, revision.specification)
    kept = stored_results(_run(session, path, run_id))
    if kept is None:
        raise refuse(404, "unknown_run", "There is nothing of this run yet.")
    if kept.model != revision.specification and same_but_expectations(parse(kept.model), parse(revision.specification)):
        return answering(kept, revision.specification)
    return kept


def _part(path: RevisionPath, query: OfRun, make: Callable[[Results], BaseModel]) -> Response:
    """A part of a document. It never changes while the analysis and the program stay the same, and is not computed for whoever
    has it."""
    if query.so_far or query.transient:  # the next that is asked may know more
        with context().sessions() as session:
            followed = short_bootstrap(session, _revision(session, path)) if query.transient else None
            answer = reply(make(followed or _document(session, path, query.run)))
        answer.headers["Cache-Control"] = "no-store"
        return answer
    with context().sessions() as session:
        run = None if query.run is None else _run(session, path, query.run).key
        what = identity(session, _revision(session, path))
        tag = digest_of(__version__, request.endpoint, what, run, query.model_dump())
        if request.if_none_match.contains_weak(tag):
            answer = Response(status=304)
        else:
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
            monte_carlo=r.monte_carlo,
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
@computes
def get_modification(path: RevisionPath, query: OfRun) -> Response:
    """Modification indices."""
    return _part(path, query, lambda r: ModificationDocument(modification=r.modification))


@api.get("/thorough", operation_id="getThoroughPart", responses={200: ThoroughDocument})
@computes
def get_thorough(path: RevisionPath, query: OfRun) -> Response:
    """Prediction, importance and performance, and the question of common method; computed when first asked."""

    def make(results: Results) -> ThoroughDocument:
        known = results.prediction is not None or results.common_method is not None
        found = results if known else _thorough(path.revision_id, results)
        return ThoroughDocument(
            prediction=found.prediction,
            importance=found.importance,
            common_method=found.common_method,
            holdout=halves_of(path.revision_id, results),
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
@computes
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

    return _part(path, query, make)


def halves_of(revision_id: int, results: Results) -> HoldoutPart | None:
    """Both halves, where a half was held out of the revision's data and opened."""
    with context().sessions() as session:
        revision = session.get_one(RevisionRow, revision_id)
        version = store.version_of(session, revision)
        steps, data_set_id = store.steps_of(version), version.data_set_id
        key = f"{identity(session, revision)} {version.id}"  # a half may be opened on the same data
    if half_step(steps) is None:
        return None
    imported = imported_data(data_set_id)
    return keep("holdout", key, lambda: opened(results, imported, steps) if isinstance(imported, DataSet) else None)


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
        text, version, key = revision.specification, revision.data_version_id, identity(session, revision)
        settings = Settings.model_validate(revision.settings)
    plain = settings.without_bootstrap()

    def estimate() -> Results:
        return assemble(analyse(parse(text), version_data(version), plain, depth="thorough"))

    return keep("thorough", key, estimate)
