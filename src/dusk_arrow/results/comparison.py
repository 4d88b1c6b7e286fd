"""Models beside each other, through their family: differences of χ², nested tests, and how likely each is the best."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from dusk_arrow.core.assessment.comparing import Comparison, Difference, ParameterTest, PathTest, difference_of
from dusk_arrow.core.families import FAMILIES
from dusk_arrow.core.observations.data import Source
from dusk_arrow.core.specification.statements import Specification
from dusk_arrow.results.document import Results
from dusk_arrow.results.readout import same_data
from dusk_arrow.results.settings import Settings


def difference(first: Results, second: Results) -> Difference | None:
    """Δχ², Δdf and p of two models on the same variables and cases; None where they are not on the same data.

    The caller knows that one is nested in the other: it was made by fixing or freeing parameters.
    """
    if first.fit is None or second.fit is None or not same_data(first, second):
        return None
    more, fewer = (second.fit.chi_square, second.fit.df), (first.fit.chi_square, first.fit.df)
    if more[0] is None or more[1] is None or fewer[0] is None or fewer[1] is None:
        return None
    return difference_of(more[0] - fewer[0], more[1] - fewer[1])


def quick_fit(specification: Specification, source: Source, settings: Settings) -> Any:
    """A model estimated for comparisons alone; None where it cannot be."""
    family = FAMILIES[settings.family]
    return family.quick_fit(family.estimated_part(specification, settings.part), source, settings)


def compare(first: Any, second: Any, settings: Settings) -> Comparison:
    """Two models estimated by `quick_fit`, in either order."""
    return FAMILIES[settings.family].compare(first, second)


def paths_at_zero(specification: Specification, source: Source, settings: Settings) -> list[PathTest]:
    """Every free path fixed at zero in turn, beside its z-test; empty where the model cannot be estimated."""
    family = FAMILIES[settings.family]
    return family.paths_at_zero(family.estimated_part(specification, settings.part), source, settings)


def joint_test(
    restricted: Specification, specification: Specification, source: Source, settings: Settings
) -> ParameterTest | None:
    """The hypothesis that makes `specification` the `restricted` one by fixing or equating free parameters."""
    family = FAMILIES[settings.family]
    restricted, specification = (family.estimated_part(one, settings.part) for one in (restricted, specification))
    return family.joint_test(restricted, specification, source, settings)


def information_weights(values: Sequence[float | None]) -> list[float | None]:
    """Akaike weights: how likely each model is the best of them, from AIC (or Schwarz's, from BIC)."""
    known = [v for v in values if v is not None]
    if not known:
        return [None] * len(values)
    relative = [None if v is None else float(np.exp(-(v - min(known)) / 2)) for v in values]
    total = sum(r for r in relative if r is not None)
    return [None if r is None else r / total for r in relative]
