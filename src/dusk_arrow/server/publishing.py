"""Finished reports at addresses of their own: pages to be read and printed, which never change."""

from __future__ import annotations

import secrets

from flask import Blueprint, Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from dusk_arrow.records.tables import ModelRow, PublishedReportRow
from dusk_arrow.report.formats.registry import FORMATS
from dusk_arrow.server.computing import computes
from dusk_arrow.server.context import context, reply
from dusk_arrow.server.model_state import find_model
from dusk_arrow.server.models import ModelPath
from dusk_arrow.server.problems import ProblemDocument, refuse
from dusk_arrow.server.reports import report_of

api = APIBlueprint(
    "publishing", __name__, url_prefix="/api/models", abp_tags=[Tag(name="reports")],
    abp_responses={404: ProblemDocument, 422: ProblemDocument},
)  # fmt: skip
pages = Blueprint("published", __name__, url_prefix="/reports")


class PublishedLine(BaseModel):
    """A finished report: where it is, and when it was finished."""

    id: int
    path: str
    title: str
    created: str


class PublishedReports(BaseModel):
    """The finished reports of a model, the newest first."""

    reports: list[PublishedLine]


class PublishedPath(ModelPath):
    """A finished report of a model."""

    report_id: int = Field(ge=1, le=2**31 - 1)


def _lines(session: Session, model: ModelRow) -> PublishedReports:
    wanted = (
        select(PublishedReportRow).where(PublishedReportRow.model_id == model.id).order_by(PublishedReportRow.id.desc())
    )
    return PublishedReports(
        reports=[
            PublishedLine(id=row.id, path=f"/reports/{row.address}", title=row.title, created=row.created.isoformat())
            for row in session.scalars(wanted)
        ]
    )


@api.get("/<int:model_id>/published", operation_id="getPublishedReports", responses={200: PublishedReports})
def get_published(path: ModelPath) -> Response:
    """The finished reports of a model."""
    with context().sessions() as session:
        return reply(_lines(session, find_model(session, path.model_id)))


@api.post("/<int:model_id>/published", operation_id="publishReport", responses={201: PublishedReports})
@computes
def publish(path: ModelPath) -> Response:
    """Finishes the report as it is now: a page at an address of its own, which stays as it is whatever the model becomes."""
    report, _ = report_of(path.model_id)
    page = FORMATS["html"].write(report)
    with context().sessions.begin() as session:
        model = find_model(session, path.model_id)
        address = secrets.token_urlsafe(9)
        session.add(PublishedReportRow(address=address, model_id=model.id, title=report.title, page=page))
        session.flush()
        found = _lines(session, model)
    return reply(found, 201)


@api.delete(
    "/<int:model_id>/published/<int:report_id>", operation_id="removePublishedReport", responses={200: PublishedReports}
)
def remove(path: PublishedPath) -> Response:
    """Takes a finished report away."""
    with context().sessions.begin() as session:
        row = session.get(PublishedReportRow, path.report_id)
        if row is None or row.model_id != path.model_id:
            raise refuse(404, "unknown_report", "There is no such report.")
        session.delete(row)
        session.flush()
        found = _lines(session, find_model(session, path.model_id))
    return reply(found)


@pages.get("/<address>")
def show(address: str) -> Response:
    """The page of a finished report."""
    with context().sessions() as session:
        row = session.scalar(select(PublishedReportRow).where(PublishedReportRow.address == address))
        if row is None:
            raise refuse(404, "unknown_report", "There is no report at this address; it may have been taken away.")
        return Response(row.page, mimetype="text/html")
