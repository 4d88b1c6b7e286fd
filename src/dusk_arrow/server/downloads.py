"""Files of a model: the results document, scores of the cases, covariances of the estimates."""

from __future__ import annotations

from typing import Literal

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel

from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.exchange.writing import write_rows
from dusk_arrow.records import store
from dusk_arrow.records.tables import DataSetRow
from dusk_arrow.report.scores import scores_csv
from dusk_arrow.results.document import Results
from dusk_arrow.server.computing import computes
from dusk_arrow.server.context import attachment, context, version_data
from dusk_arrow.server.documents import fit_revision
from dusk_arrow.server.model_state import find_model
from dusk_arrow.server.models import ModelPath
from dusk_arrow.server.problems import ProblemDocument, refuse

api = APIBlueprint(
    "downloads", __name__, url_prefix="/api/models", abp_tags=[Tag(name="downloads")],
    abp_responses={404: ProblemDocument, 422: ProblemDocument},
)  # fmt: skip


def estimated(model_id: int) -> tuple[Results, str]:
    """The document of a model at its head, and the name of its data."""
    with context().sessions() as session:
        model = find_model(session, model_id)
        head = store.head_of(session, model)
        version = store.version_of(session, head)
        return fit_revision(session, head), session.get_one(DataSetRow, version.data_set_id).name


class ScoresQuery(BaseModel):
    """Which scores."""

    method: Literal["regression", "bartlett"] = "regression"


@api.get("/<int:model_id>/scores.csv", operation_id="getScores", responses={200: None})
@computes
def get_scores(path: ModelPath, query: ScoresQuery) -> Response:
    """Scores of the cases on the constructs as comma-separated text."""
    results, name = estimated(path.model_id)
    with context().sessions() as session:
        data = version_data(store.head_of(session, find_model(session, path.model_id)).data_version_id)
    if not isinstance(data, DataSet):
        raise refuse(422, "scores_need_cases", "Scores are of single cases, and a matrix has none.")
    return attachment(scores_csv(results, data, query.method), f"{name}_scores.csv", "text/csv")


@api.get("/<int:model_id>/estimates.csv", operation_id="getEstimates", responses={200: None})
@computes
def get_estimates(path: ModelPath) -> Response:
    """The covariances of the estimates of the free parameters, then their correlations, as comma-separated text."""
    results, name = estimated(path.model_id)
    part = results.estimates
    if part is None:
        raise refuse(422, "no_errors", "The data do not determine every parameter, so there are no such covariances.")
    rows: list[list[object]] = []
    for title, matrix in (("covariances", part.covariance), ("correlations", part.correlation)):
        rows.append([title, *matrix.columns])
        rows.extend([word, *line] for word, line in zip(matrix.rows, matrix.values, strict=True))
    return attachment(write_rows(rows), f"{name}_estimates.csv", "text/csv")


@api.get("/<int:model_id>/results.json", operation_id="getResults", responses={200: Results})
@computes
def get_results(path: ModelPath) -> Response:
    """The results document."""
    results, name = estimated(path.model_id)
    return attachment(results.model_dump_json(indent=1), f"{name}.json", "application/json")
