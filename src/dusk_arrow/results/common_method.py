"""The usual question of reviewers about common-method variance: one factor behind all items, beside the measurement model."""

from __future__ import annotations

from dataclasses import dataclass

from dusk_arrow.core.assessment.fit import Fit
from dusk_arrow.core.families import FAMILIES
from dusk_arrow.core.family import NotFitted
from dusk_arrow.core.family_options import USUAL, traits_of
from dusk_arrow.core.observations.data import DataSet, Source
from dusk_arrow.core.options import Choose
from dusk_arrow.core.problems import has_error
from dusk_arrow.core.specification.model import Model, read
from dusk_arrow.core.specification.statements import Line, Shows, Specification
from dusk_arrow.results.settings import Settings, with_choices

LEAST_ITEMS = 3
FACTOR = "one factor"


@dataclass(frozen=True)
class CommonMethod:
    """Fit of one factor behind all reflective items of first-order constructs, and of the measurement model of these, on the
    same cases by the same estimator."""

    single_factor: Fit
    measurement: Fit
    items: int


def _blocks(model: Model) -> list[tuple[str, tuple[str, ...]]]:
    """The reflective constructs with their columns, each column once."""
    seen: set[str] = set()
    found = []
    for construct in model.constructs:
        own = tuple(n for n in construct.indicators if n not in model.by_name and n not in seen)
        if construct.mode == "reflective" and own:
            seen |= set(own)
            found.append((construct.name, own))
    return found


def _fit(specification: Specification, source: Source, settings: Settings) -> Fit | None:
    family = FAMILIES[settings.family]
    model = read(specification)
    set_up, problems = family.set_up(specification, model, source, settings)
    if has_error(problems) or has_error(family.identify(set_up)):
        return None
    fitted = family.fit(model, set_up, settings, source, "brief")
    return None if isinstance(fitted, NotFitted) or not isinstance(fitted.fit, Fit) else fitted.fit


def common_method(specification: Specification, source: Source, settings: Settings) -> CommonMethod | None:
    """Both fits; None where there are fewer than two constructs or three items, or one of the two cannot be had.

    Composites have no χ², so theirs is asked by maximum likelihood, as among common factors.
    """
    blocks = _blocks(read(specification))
    items = tuple(name for _, own in blocks for name in own)
    if len(blocks) < 2 or len(items) < LEAST_ITEMS:
        return None
    plain = settings if traits_of(settings.family).tests else with_choices(settings, [Choose("family", USUAL)])
    plain = plain.without_bootstrap().model_copy(update={"part": "whole"})
    if plain.missing == "full-information" and not isinstance(source, DataSet):
        return None
    name = FACTOR if FACTOR not in items else FACTOR + "_"
    single = _fit(Specification((Line(Shows(name, items)),)), source, plain)
    measured = _fit(Specification(tuple(Line(Shows(block, own)) for block, own in blocks)), source, plain)
    return None if single is None or measured is None else CommonMethod(single, measured, len(items))
