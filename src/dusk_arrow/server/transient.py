"""The short bootstrap that follows a gesture by itself, where a model has been bootstrapped before."""

from __future__ import annotations

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel

from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.records import store
from dusk_arrow.server.computing import computes
from dusk_arrow.server.context import context, reply, version_data
from dusk_arrow.server.documents import short_settings
from dusk_arrow.server.model_state import find_model
from dusk_arrow.server.models import ModelPath
from dusk_arrow.server.problems import ProblemDocument

api = APIBlueprint(
    "transient", __name__, url_prefix="/api/models", abp_tags=[Tag(name="runs")],
    abp_responses={404: ProblemDocument, 422: ProblemDocument},
)  # fmt: skip


class Follow(BaseModel):
    """The revision that is to be followed, if it is still the head."""

    revision: int


class Followed(BaseModel):
    """Whether the short bootstrap came to its end: the model now shows it."""

    done: bool


@api.post("/<int:model_id>/transient", operation_id="followGesture", responses={200: Followed})
@computes
def follow_gesture(path: ModelPath, body: Follow) -> Response:
    """Draws a short bootstrap of the head, with the seed and level of the model's last run; answers when that is done,
    superseded or given up."""
    with context().sessions() as session:
        model = find_model(session, path.model_id)
        head = store.head_of(session, model)
        settings, version_id = short_settings(session, head), head.data_version_id
        if head.id != body.revision or settings is None:
            return reply(Followed(done=False))
        key = store.identity(session, store.version_of(session, head), head.specification, settings)
    data = version_data(version_id)
    if not isinstance(data, DataSet):
        return reply(Followed(done=False))
    done = context().transient.draw(model.id, key, head.specification, data, settings)
    return reply(Followed(done=done))
