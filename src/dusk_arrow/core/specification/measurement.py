"""The measurement model inside a model: constructs and their indicators, all constructs covarying."""

from __future__ import annotations

from dusk_arrow.core.specification.editing import edited, forgotten, without_targets
from dusk_arrow.core.specification.model import read
from dusk_arrow.core.specification.statements import (
    Arrow,
    Controls,
    Covaries,
    Expects,
    Leads,
    MadeOf,
    Moderates,
    Specification,
    Statement,
    Target,
)


def left_out(specification: Specification, composites: bool = False) -> tuple[str, ...]:
    """What takes no part in the measurement model: observed variables, and formative constructs unless `composites` says
    that they can be weighed by their correlations with all others."""
    model = read(specification)
    return (*(c.name for c in model.constructs if c.mode == "formative" and not composites), *model.observed)


def measurement_only(specification: Specification, composites: bool = False) -> Specification:
    """The specification without paths and what is said of them; constructs of one order covary by default.

    Formative constructs are measured by nothing but what they lead to, so they are left out with observed variables, unless
    `composites` says that they are weighed by their correlations with all others.
    """
    model = read(specification)
    paths = {Arrow(*path) for path in model.paths}
    constructs = set(model.by_name)

    def of_structure(target: Target) -> bool:
        return isinstance(target, Arrow) and target in paths

    def edit(statement: Statement) -> list[Statement]:
        match statement:
            case Leads() | Controls() | Moderates() | Expects():
                return []
            case Covaries(names, False) if constructs & set(names):
                return []
        return [statement]

    reduced = edited(without_targets(specification, of_structure), edit)
    formative = [c for c in model.constructs if c.mode == "formative" and not composites]
    for name in (*(n for c in formative for n in (c.name, *c.everything)), *model.observed):
        reduced = forgotten(reduced, name)
    return reduced if composites else edited(reduced, lambda s: [] if isinstance(s, MadeOf) else [s])
