"""Models beside each other, every path at zero, and tests of several parameters at once."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any, Literal, NamedTuple

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field, model_validator
from sqlalchemy.orm import Session

from dusk_arrow.core.assessment.comparing import Comparison
from dusk_arrow.core.family_options import FAMILY_OPTIONS, traits_of
from dusk_arrow.core.options import Choose
from dusk_arrow.core.parameter_key import ParameterKind
from dusk_arrow.core.problems import listed
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.statements import Arrow, InterceptOf, Pair, Target, VarianceOf
from dusk_arrow.core.specification.writing import target_text, write
from dusk_arrow.records import store
from dusk_arrow.records.tables import ModelRow, RevisionRow
from dusk_arrow.results.chosen import FamilyName
from dusk_arrow.results.comparison import (
    compare,
    information_weights,
    joint_test,
    paths_at_zero,
    quick_fit,
)
from dusk_arrow.results.differences import what_differs
from dusk_arrow.results.document import ConstructPart, FitPart, Interval, LoadingPart, Part, standardized_headline
from dusk_arrow.results.readout import same_data
from dusk_arrow.results.settings import Settings, with_choices
from dusk_arrow.server.computing import computes
from dusk_arrow.server.context import context, keep, reply, version_data
from dusk_arrow.server.documents import fit_revision, identity, with_settings
from dusk_arrow.server.model_state import find_model
from dusk_arrow.server.models import ModelPath
from dusk_arrow.server.problems import ProblemDocument, refuse
from dusk_arrow.server.projects import ProjectPath, find_project

api = APIBlueprint(
    "comparisons", __name__, url_prefix="/api", abp_tags=[Tag(name="comparisons")],
    abp_responses={404: ProblemDocument, 422: ProblemDocument},
)  # fmt: skip


NO_TEST = "Composites have no χ², so there is no test; set their paths, loadings and R² side by side."


class DifferencePart(BaseModel):
    """The χ² difference, scaled too where errors are robust."""

    chi_square: float
    df: int
    p_value: float | None
    scaled: float | None
    scaled_p: float | None


class PathTestPart(Part):
    """A path fixed at zero, beside its z-test."""

    from_: str = Field(alias="from")
    to: str
    estimate: float
    z: float | None
    z_p: float | None
    difference: DifferencePart | None


class PathTests(BaseModel):
    """Every free path of a model at zero in turn."""

    tests: list[PathTestPart]


class PathFigure(Part):
    """A path in one model: standardized, with its p-value; null where the model does not have it."""

    from_: str = Field(alias="from")
    to: str
    standardized: list[float | None]
    interval: list[Interval | None]
    p_value: list[float | None]


class ModelColumn(BaseModel):
    """One model of a comparison, by the revision it stands at; `differs` says in words what differs from the first."""

    id: int
    model: int
    name: str
    words: str
    family: str
    estimator: str
    n_used: int | None
    estimated: bool
    fit: FitPart | None
    aic_weight: float | None
    bic_weight: float | None
    r_squared: dict[str, float | None]
    constructs: list[ConstructPart]
    loadings: list[LoadingPart]
    intervals: bool
    message: str | None
    differs: list[str]


class PairLine(BaseModel):
    """Two models of a comparison, by their columns from 0: nested or not, and the test."""

    first: int
    second: int
    nested: bool
    reason: str
    difference: DifferencePart | None


class Compared(BaseModel):
    """Models side by side."""

    models: list[ModelColumn]
    pairs: list[PairLine]
    paths: list[PathFigure]


class Also(BaseModel):
    """A model as another family estimates it, with the first estimator of that family; nothing is stored."""

    model: int
    family: FamilyName


class Chosen(BaseModel):
    """Which models (at their heads), which single revisions, and which models in another family stand side by side."""

    models: list[int] = Field(default=[], max_length=8)
    revisions: list[int] = Field(default=[], max_length=8)
    also: list[Also] = Field(default=[], max_length=8)

    @model_validator(mode="after")
    def _something(self) -> Chosen:
        if not 1 <= len(self.models) + len(self.revisions) + len(self.also) <= 8:
            raise ValueError("one to eight models or revisions are compared")
        return self


class TargetLine(Part):
    """A parameter of a model."""

    kind: ParameterKind
    from_: str = Field(alias="from")
    to: str


class Hypothesis(BaseModel):
    """Parameters that are zero together, or equal to each other."""

    parameters: list[TargetLine] = Field(min_length=1, max_length=40)
    hypothesis: Literal["zero", "equal"]


class JointTest(BaseModel):
    """The hypothesis by Wald's test, the score test, and the difference of χ²; `sentences` would state it."""

    df: int
    wald: float | None
    wald_p: float | None
    score: float | None
    score_p: float | None
    difference: DifferencePart | None
    sentences: str


def quick(head: RevisionRow) -> Any:
    """A revision estimated for comparisons alone; None where it cannot be."""
    data = version_data(head.data_version_id)
    return quick_fit(parse(head.specification), data, Settings.model_validate(head.settings))


def against(one: Any, other: Any, first: RevisionRow, second: RevisionRow) -> Comparison | None:
    """Whether one of two revisions is nested in the other, and the test, from their quick fits; None where their family knows none, or
    one cannot be estimated."""
    settings = Settings.model_validate(first.settings)
    if one is None or other is None or settings.family != Settings.model_validate(second.settings).family:
        return None
    return compare(one, other, settings)


def difference_part(found: Comparison) -> DifferencePart | None:
    """The test of two models' difference; None where there is none."""
    return None if found.difference is None else DifferencePart(**asdict(found.difference))


@api.get("/models/<int:model_id>/paths-at-zero", operation_id="pathsAtZero", responses={200: PathTests})
@computes
def get_paths_at_zero(path: ModelPath) -> Response:
    """What fixing each path at zero would do to χ²."""
    with context().sessions() as session:
        head = store.head_of(session, find_model(session, path.model_id))
        key = identity(session, head)
    return reply(keep("paths at zero", key, lambda: _paths_at_zero(head)))


def _paths_at_zero(head: RevisionRow) -> PathTests:
    settings = Settings.model_validate(head.settings)
    tests = paths_at_zero(parse(head.specification), version_data(head.data_version_id), settings)
    return PathTests(
        tests=[
            PathTestPart(
                from_=t.source,
                to=t.target,
                estimate=t.estimate,
                z=t.z,
                z_p=t.z_p,
                difference=None if t.difference is None else DifferencePart(**asdict(t.difference)),
            )
            for t in tests
        ]
    )


class _Column(NamedTuple):
    """What is estimated for one column: a model, the revision it stands at (with other settings, perhaps), its name."""

    model: ModelRow
    head: RevisionRow
    name: str


def _columns(session: Session, project_id: int, body: Chosen) -> list[_Column]:
    def model_of(number: int) -> ModelRow:
        model = find_model(session, number)
        if model.project_id != project_id:
            raise refuse(404, "unknown_model", "There is no such model in this project.")
        return model

    columns = []
    for number in body.models:
        model = model_of(number)
        columns.append(_Column(model, store.head_of(session, model), model.name))
    for number in body.revisions:
        revision = store.find(session, RevisionRow, number)
        owner = session.get(ModelRow, revision.model_id) if revision is not None else None
        if revision is None or owner is None or owner.project_id != project_id:
            raise refuse(404, "unknown_revision", "There is no such revision in this project.")
        columns.append(_Column(owner, revision, f"{owner.name}: {revision.name or revision.words}"))
    words = {family.key: family.words for family in FAMILY_OPTIONS}
    for other in body.also:
        model = model_of(other.model)
        head = store.head_of(session, model)
        settings = with_choices(Settings.model_validate(head.settings), [Choose("family", other.family)])
        columns.append(_Column(model, with_settings(head, settings), f"{model.name} as {words[other.family]}"))
    return columns


@api.post("/projects/<int:project_id>/comparisons", operation_id="compareModels", responses={200: Compared})
@computes
def compare_models(path: ProjectPath, body: Chosen) -> Response:
    """Models of a project side by side: figures, nested tests where they are nested, information criteria, paths."""
    with context().sessions() as session:
        project = find_project(session, path.project_id)
        columns = _columns(session, project.id, body)
        documents = [fit_revision(session, column.head) for column in columns]
    fits = [quick(column.head) for column in columns]
    estimated = [d for d in documents if d.data is not None and d.data.analysed is not None]
    comparable = bool(estimated) and all(same_data(d, estimated[0]) for d in estimated)
    aic = information_weights([d.fit.aic if d.fit and comparable else None for d in documents])
    bic = information_weights([d.fit.bic if d.fit and comparable else None for d in documents])
    stated = [parse(column.head.specification) for column in columns]
    lines = [
        ModelColumn(
            id=column.head.id,
            model=column.model.id,
            name=column.name,
            words=column.head.words,
            family=document.family,
            estimator=document.estimator,
            n_used=document.data.n_used if document.data else None,
            estimated=document.converged,
            fit=document.fit,
            aic_weight=a,
            bic_weight=b,
            r_squared=document.r_squared,
            constructs=document.quality.constructs if document.quality else [],
            loadings=document.quality.loadings if document.quality else [],
            intervals=traits_of(document.family).errors or document.bootstrap_summary is not None,
            message=next((p.message for p in document.problems if p.severity == "error"), None),
            differs=what_differs(stated[0], own, documents[0], document) if at > 0 else [],
        )
        for at, (column, own, document, a, b) in enumerate(zip(columns, stated, documents, aic, bic, strict=True))
    ]
    pairs = []
    for i in range(len(columns)):
        for j in range(i + 1, len(columns)):
            first, second = fits[i], fits[j]
            if first is None or second is None:
                if not all(traits_of(documents[k].family).tests for k in (i, j)):
                    pairs.append(PairLine(first=i, second=j, nested=False, reason=NO_TEST, difference=None))
                continue
            found = compare(first, second, documents[i].settings)
            pairs.append(
                PairLine(
                    first=i,
                    second=j,
                    nested=found.nested,
                    reason=found.reason,
                    difference=difference_part(found),
                )
            )
    known: dict[tuple[str, str], list[tuple[float | None, Interval | None, float | None]]] = {}
    for at, document in enumerate(documents):
        for p in document.parameters:
            if p.kind == "path":
                entry = known.setdefault((p.from_, p.to), [(None, None, None)] * len(documents))
                entry[at] = (p.standardized, standardized_headline(p), p.p_value)
    paths = [
        PathFigure(
            from_=a,
            to=b,
            standardized=[v[0] for v in values],
            interval=[v[1] for v in values],
            p_value=[v[2] for v in values],
        )
        for (a, b), values in known.items()
    ]
    return reply(Compared(models=lines, pairs=pairs, paths=paths))


def _target(line: TargetLine) -> Target:
    if line.kind == "variance":
        return VarianceOf(line.from_)
    if line.kind in ("intercept", "mean"):
        return InterceptOf(line.from_)
    return Pair(line.from_, line.to) if line.kind == "covariance" else Arrow(line.from_, line.to)


@api.post("/models/<int:model_id>/joint-tests", operation_id="jointTest", responses={200: JointTest})
@computes
def test_jointly(path: ModelPath, body: Hypothesis) -> Response:
    """Tests a hypothesis on several parameters of a model at once; nothing is stored."""
    targets = [target_text(_target(line)) for line in body.parameters]
    if body.hypothesis == "equal" and len(targets) < 2:
        raise refuse(422, "too_few_parameters", "Equality takes at least two parameters.")
    lines = [f"hold {t} at 0" for t in targets] if body.hypothesis == "zero" else [f"match {', '.join(targets)}"]
    with context().sessions() as session:
        head = store.head_of(session, find_model(session, path.model_id))
        free = {(p.kind, p.from_, p.to) for p in fit_revision(session, head).parameters if p.free}
    fixed = [
        t for t, line in zip(targets, body.parameters, strict=True) if (line.kind, line.from_, line.to) not in free
    ]
    if fixed:
        raise refuse(422, "not_free", f"{listed(fixed)} cannot be tested: only free parameters can.")
    specification = parse(head.specification)
    restricted = parse("\n".join([write(specification), *lines]))
    settings = Settings.model_validate(head.settings)
    found = joint_test(restricted, specification, version_data(head.data_version_id), settings)
    if found is None:
        message = (
            "This cannot be tested: one of the parameters is fixed already, or the restricted model has no solution."
        )
        raise refuse(422, "not_testable", message)
    values = asdict(found)
    difference = values.pop("difference")
    part = DifferencePart(**difference) if difference else None
    return reply(JointTest(**values, difference=part, sentences="\n".join(lines)))
