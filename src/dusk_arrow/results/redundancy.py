"""Formative constructs against the items that sum them up, where such items are named."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dusk_arrow.core.assessment.validity import redundancy
from dusk_arrow.core.family import Fitted, FittedBlock
from dusk_arrow.core.observations.data import Moments, Source
from dusk_arrow.core.observations.gathering import gather
from dusk_arrow.core.problems import Problem
from dusk_arrow.core.specification.model import Model
from dusk_arrow.results.settings import Settings


@dataclass(frozen=True)
class Redundancy:
    """The correlation (nan where it could not be had) of a construct with a global item, over n cases."""

    construct: str
    item: str
    correlation: float
    n: int


def wrong_items(model: Model, source: Source, settings: Settings) -> list[Problem]:
    """Global items that name no formative construct, or no column of numbers."""
    formative = {c.name for c in model.constructs if c.mode == "formative"}
    found = []
    for construct, item in settings.global_items.items():
        why = None
        if construct not in formative:
            why = f"{construct} is no construct that is made of its items"
        elif item not in source.names or not (isinstance(source, Moments) or source.column(item).numeric):
            why = f"there is no column {item} of numbers"
        if why is not None:
            message = f"{item} is not held against {construct}: {why}."
            found.append(Problem("global_item_passed_over", "note", message, (construct, item)))
    return found


def redundancies(
    fitted: Fitted, block: FittedBlock, model: Model, source: Source, settings: Settings
) -> tuple[Redundancy, ...]:
    """One for each formative construct with a global item."""
    passed_over = {problem.about[0] for problem in wrong_items(model, source, settings)}
    weights = {
        (p.key.source, p.key.target): fitted.statistics.value("standardized", p.key)
        for p in fitted.parameters
        if p.key.kind == "weight" and p.key.group == block.group
    }
    sd = dict(zip(block.names, np.sqrt(np.diag(block.evidence.covariance)), strict=True))
    found = []
    for construct, item in settings.global_items.items():
        own = [name for name in model.by_name[construct].indicators if name in sd] if construct in model.by_name else []
        if construct in passed_over or not own:
            continue
        evidence = gather(source, (*own, item), divisor="n-1")  # the cases that have all of them
        weight = np.array([weights[name, construct] / sd[name] for name in own])
        correlation = float(redundancy(weight, evidence.covariance)) if evidence.n > 2 else np.nan
        found.append(Redundancy(construct, item, correlation, evidence.n))
    return tuple(found)
