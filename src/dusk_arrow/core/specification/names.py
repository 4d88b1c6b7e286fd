"""Names in a specification: every one that is mentioned, and passing them all through a function."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from dusk_arrow.core.specification.statements import (
    Arrow,
    Begins,
    Calls,
    Controls,
    Covaries,
    Expects,
    Holds,
    InterceptOf,
    Keeps,
    Leads,
    MadeOf,
    Matches,
    Moderates,
    Pair,
    Reference,
    Releases,
    SetsAside,
    Shows,
    Specification,
    Statement,
    Target,
    Tracks,
    VarianceOf,
)


def map_names(statement: Statement, rename: Callable[[str], str]) -> Statement:
    """The statement with every name of a construct or column passed through `rename`."""

    def many(names: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(map(rename, names))

    def target(value: Target) -> Target:
        match value:
            case Arrow(source, end):
                return Arrow(rename(source), rename(end))
            case Pair(first, second):
                return Pair(rename(first), rename(second))
            case VarianceOf(name):
                return VarianceOf(rename(name))
            case InterceptOf(name):
                return InterceptOf(rename(name))

    match statement:
        case Shows(name, indicators) | MadeOf(name, indicators):
            return replace(statement, construct=rename(name), indicators=many(indicators))
        case Leads(sources, targets):
            return Leads(many(sources), many(targets))
        case Controls(names, targets):
            return Controls(many(names), many(targets))
        case Covaries(names, free):
            return Covaries(many(names), free)
        case Moderates(moderator, path):
            return Moderates(rename(moderator), Arrow(rename(path.source), rename(path.target)))
        case Holds() | Begins() | Releases() | Calls():
            return replace(statement, target=target(statement.target))
        case Matches(members):
            return Matches(tuple(m if isinstance(m, Reference) else target(m) for m in members))
        case Tracks(name, quantity):
            return Tracks(name, many(quantity) if isinstance(quantity, tuple) else quantity)
        case Expects():
            return replace(statement, route=many(statement.route))
        case SetsAside() | Keeps():
            return replace(statement, construct=rename(statement.construct), indicators=many(statement.indicators))


def names_of(specification: Specification) -> list[str]:
    """Every name that a specification mentions."""
    found: list[str] = []

    def noted(name: str) -> str:
        found.append(name)
        return name

    for statement in specification.statements:
        map_names(statement, noted)
    return found
