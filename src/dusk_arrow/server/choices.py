"""What there is to choose from: the settings of every family of estimation, and the file formats."""

from __future__ import annotations

from dataclasses import asdict
from typing import Literal

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel

from dusk_arrow.core.families import FAMILIES
from dusk_arrow.core.family_options import FAMILY_OPTIONS, traits_of
from dusk_arrow.core.run_options import RUN_OPTIONS
from dusk_arrow.exchange.file_formats import FORMATS
from dusk_arrow.results.readout import available
from dusk_arrow.server.context import reply

api = APIBlueprint("choices", __name__, url_prefix="/api/choices", abp_tags=[Tag(name="choices")])


class ChoicePart(BaseModel):
    """One value of a setting."""

    value: str
    words: str
    hint: str


class RangePart(BaseModel):
    """What a setting that is a number can be: its `default`, from `least` to `most`, what a menu offers, and what is `usual` where it is
    asked for without a value."""

    default: float
    least: float
    most: float | None
    inside: bool
    offered: list[float]
    usual: float | None


class OptionPart(BaseModel):
    """A setting with its values, the default first, or the numbers it can be; without either it is on or off. It has a say only where the settings `only_with`
    have one of the values named there; what is `of_run` is chosen with a bootstrap."""

    name: str
    label: str
    choices: list[ChoicePart]
    hint: str
    only_with: list[tuple[str, list[str]]]
    of_run: bool
    numbers: RangePart | None


class TraitsPart(BaseModel):
    """What a family can do: it has a χ² and tests (`tests`), standard errors without a bootstrap (`errors`), parameters that can be
    held (`holds`), common factors as constructs (`factors`), prediction out of sample (`predicts`); its page of methods."""

    tests: bool
    errors: bool
    holds: bool
    factors: bool
    predicts: bool
    page: str


def traits_part(family: str) -> TraitsPart:
    """What a family can do."""
    return TraitsPart.model_validate(asdict(traits_of(family)))


class FamilyPart(BaseModel):
    """The settings of a family of estimation, what it can do, the statistics that its readout can show, and those it shows unasked."""

    key: str
    words: str
    traits: TraitsPart
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
    """Settings of every family, those of a bootstrap, which all have, and formats."""

    families: list[FamilyPart]
    run: list[OptionPart]
    formats: list[FormatPart]


@api.get("", operation_id="getChoices", responses={200: Choices})
def get_choices() -> Response:
    """What there is to choose from; the same for as long as the server runs."""
    formats = [FormatPart(key=f.key, endings=list(f.endings), words=f.words, writes=list(f.writes)) for f in FORMATS]
    run = [OptionPart.model_validate(asdict(option)) for option in RUN_OPTIONS]
    families = [
        FamilyPart.model_validate(
            {
                "key": f.key,
                "words": f.words,
                "traits": traits_part(f.key),
                "options": [asdict(option) for option in f.options],
                "figures": list(available(f.key)),
                "readout": list(FAMILIES[f.key].readout),
            }
        )
        for f in FAMILY_OPTIONS
    ]
    return reply(Choices(families=families, run=run, formats=formats))
