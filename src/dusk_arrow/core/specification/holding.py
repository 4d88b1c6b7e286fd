"""Holding, freeing and equating parameters of a specification."""

from __future__ import annotations

from dusk_arrow.core.parameter_key import ParameterKey
from dusk_arrow.core.specification.checking import target_exists
from dusk_arrow.core.specification.editing import appended, edited, refuse
from dusk_arrow.core.specification.model import canonical, read, target_of
from dusk_arrow.core.specification.statements import (
    Arrow,
    Begins,
    Covaries,
    Holds,
    Leads,
    Matches,
    Pair,
    Reference,
    Releases,
    Specification,
    Statement,
    Target,
)


def _known(specification: Specification, key: ParameterKey) -> Target:
    """What a sentence calls a parameter that the model has, or a covariance that it may have."""
    target = target_of(key)
    if not target_exists(read(specification), target):
        raise refuse("unknown_parameter", f"The model has no {key.words}.", key.source, key.target)
    return target


def _unsaid(specification: Specification, targets: set[Target], *kinds: type) -> Specification:
    """The specification without statements of some kinds on some parameters."""

    def edit(statement: Statement) -> list[Statement]:
        if isinstance(statement, Matches) and Matches in kinds:
            kept = tuple(m for m in statement.members if isinstance(m, Reference) or canonical(m) not in targets)
            return [statement] if kept == statement.members else [Matches(kept)] if len(kept) > 1 else []
        said = isinstance(statement, Holds | Releases | Begins) and type(statement) in kinds
        return [] if said and canonical(statement.target) in targets else [statement]  # type: ignore[union-attr]

    return edited(specification, edit)


def hold_at(specification: Specification, parameters: tuple[ParameterKey, ...], value: float) -> Specification:
    """Parameters held at a value, whatever was said of them before. Raises ProblemError for one that the model does not have."""
    targets = tuple(dict.fromkeys(_known(specification, key) for key in parameters))
    specification = _unsaid(specification, set(targets), Holds, Releases, Begins)
    return appended(specification, *(Holds(target, value) for target in targets))


def make_free(specification: Specification, parameters: tuple[ParameterKey, ...]) -> Specification:
    """Each parameter estimated again. Raises ProblemError for one that the model does not have."""
    for key in parameters:
        specification = _free(specification, key)
    return specification


def _free(specification: Specification, key: ParameterKey) -> Specification:
    """What holds or equates a parameter goes; where nothing is said, the default that fixes it is lifted."""
    target = _known(specification, key)
    without = _unsaid(specification, {target}, Holds, Matches)
    if isinstance(target, Arrow) and not target_exists(read(without), target):
        return appended(without, Leads((key.source,), (key.target,)))  # the hold was all that stated the path
    if isinstance(target, Pair) and without != specification and key.source in read(specification).owner:
        return appended(without, Covaries((target.first, target.second)))
    return without if without != specification else appended(specification, Releases(target))


def make_equal(specification: Specification, parameters: tuple[ParameterKey, ...]) -> Specification:
    """Parameters with one value between them. Raises ProblemError for fewer than two, or one that the model does not have."""
    targets = tuple(dict.fromkeys(_known(specification, key) for key in parameters))
    if len(targets) < 2:
        raise refuse("one_parameter", "Two or more parameters are needed to make them equal.")
    return appended(_unsaid(specification, set(targets), Releases), Matches(targets))
