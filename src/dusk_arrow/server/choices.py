"""What there is to choose from: the settings of every family of estimation, and the file formats."""

from __future__ import annotations

from dataclasses import asdict
from typing import Literal

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel

from dusk_arrow.core.families import FAMILIES
from dusk_arrow.core.family_options import FAMILY_OPTIONS
from dusk_arrow.exchange.file_formats import FORMATS
from dusk_arrow.results.readout import available
from dusk_arrow.server.context import reply

api = APIBlueprint("choices", __name__, url_prefix="/api/choices", abp_tags=[Tag(name="choices")])


class ChoicePart(BaseModel):
    """One value of a setting."""

    value: str
    words: str
    hint: str


class OptionPart(BaseModel):
    """A setting with its values, the default first; without values it is on or off."""

    name: str
    label: str
    choices: list[ChoicePart]
    hint: str


class FamilyPart(BaseModel):
    """The settings of a family of estimation, the figures that its readout can show, and those it shows unasked."""

    key: str
    words: str
    options: list[OptionPart]
    figures: list[str]
    readout: list[str]


class FormatPart(BaseModel):
    """A file format: its endings, all of which are read, and what can be saved in it."""

    key: str
    endings: list[str]
    words: str
    writes: list[Literal["data", "table"]]


class Choices(BaseModel):
    """Settings and formats."""

    families: list[FamilyPart]
    formats: list[FormatPart]


@api.get("", operation_id="getChoices", responses={200: Choices})
def get_choices() -> Response:
    """What there is to choose from; the same for as long as the server runs."""
    formats = [FormatPart(key=f.key, endings=list(f.endings), words=f.words, writes=list(f.writes)) for f in FORMATS]
    families = [
        FamilyPart.model_validate(
            asdict(f) | {"figures": list(available(f.key)), "readout": list(FAMILIES[f.key].readout)}
        )
        for f in FAMILY_OPTIONS
    ]
    return reply(Choices(families=families, formats=formats))
