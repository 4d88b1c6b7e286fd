"""The settings of all families of estimation, without anything that computes."""

from __future__ import annotations

from dusk_arrow.core.composite.options import OPTIONS as COMPOSITE
from dusk_arrow.core.covariance.options import OPTIONS as COVARIANCE
from dusk_arrow.core.options import FamilyOptions, Option

FAMILY_OPTIONS: tuple[FamilyOptions, ...] = (COVARIANCE, COMPOSITE)


def options_by_name() -> dict[str, Option]:
    """Every setting that some family has, with the values of all that have it."""
    found: dict[str, Option] = {}
    for family in FAMILY_OPTIONS:
        for option in family.options:
            known = found.get(option.name)
            choices = (
                (*known.choices, *(c for c in option.choices if c not in known.choices)) if known else option.choices
            )
            found[option.name] = Option(option.name, option.label, choices, option.hint)
    return found
