"""What a report holds and how it looks: a resource of its own, of which single choices are changed. Makes no revision."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, ValidationError

from dusk_arrow.exchange.texts import what_is_wrong
from dusk_arrow.report.options import ReportOptions
from dusk_arrow.report.patching import ReportPatch, patched
from dusk_arrow.server.context import context, reply
from dusk_arrow.server.model_state import find_model, report_of
from dusk_arrow.server.models import ModelPath
from dusk_arrow.server.problems import ProblemDocument, refuse

api = APIBlueprint(
    "report choices", __name__, url_prefix="/api/models", abp_tags=[Tag(name="reports")],
    abp_responses={404: ProblemDocument, 422: ProblemDocument},
)  # fmt: skip


class KeptChoices(BaseModel):
    """The choices as they are now, how often they have changed, and the parts whose words somebody else had changed meanwhile: those
    that were sent stand beside them."""

    version: int
    report: ReportOptions
    aside: list[str]


@api.patch("/<int:model_id>/report-choices", operation_id="changeReport", responses={200: KeptChoices})
def change_report(path: ModelPath, body: ReportPatch) -> Response:
    """Changes what is given and nothing else; words that were changed elsewhere meanwhile are never written over."""
    with context().sessions.begin() as session:
        model = find_model(session, path.model_id, lock=True)
        try:
            options, aside = patched(report_of(model), body)
        except ValidationError as error:
            raise refuse(422, "request_invalid", what_is_wrong(error, "report")) from None
        model.report = options.model_dump(mode="json")
        model.report_version += 1
        kept = KeptChoices(version=model.report_version, report=options, aside=aside)
    return reply(kept)
