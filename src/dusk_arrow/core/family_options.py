"""The settings of all families of estimation, without anything that computes."""

from __future__ import annotations

from dataclasses import replace

from dusk_arrow.core.composite.options import OPTIONS as COMPOSITE
from dusk_arrow.core.covariance.options import OPTIONS as COVARIANCE
from dusk_arrow.core.options import FamilyOptions, Option, Traits

FAMILY_OPTIONS: tuple[FamilyOptions, ...] = (COVARIANCE, COMPOSITE)
BY_KEY = {family.key: family for family in FAMILY_OPTIONS}
USUAL = FAMILY_OPTIONS[0].key


def options_by_name() -> dict[str, Option]:
    """Every setting that some family has, with the values of all that have it."""
    found: dict[str, Option] = {}
    for family in FAMILY_OPTIONS:
        for option in family.options:
            known = found.get(option.name)
            there = known.choices if known else ()
            fresh = tuple(c for c in option.choices if c.value not in {choice.value for choice in there})
            choices = (*there, *fresh)
            found[option.name] = replace(option, choices=choices)
    return found


def traits_of(family: str) -> Traits:
    """What a family can do."""
    return BY_KEY[family].traits
