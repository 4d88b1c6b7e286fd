"""Edits of a specification, statement by statement: what changes are made of."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable
from dataclasses import replace

from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.core.specification.model import canonical, read
from dusk_arrow.core.specification.names import map_names
from dusk_arrow.core.specification.statements import (
    Arrow,
    Begins,
    Calls,
    Controls,
    Covaries,
    Expects,
    Holds,
    Keeps,
    Leads,
    Line,
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
    references,
)


def refuse(code: str, message: str, *about: str) -> ProblemError:
    """A change that makes no sense here, to be raised."""
    return ProblemError([Problem(code, "error", message, about)])


def edited(specification: Specification, edit: Callable[[Statement], Iterable[Statement]]) -> Specification:
    """Each statement replaced by none, one or several; comments stay with what is left, or on their own."""
    lines: list[Line] = []
    for line in specification.lines:
        if line.statement is None:
            lines.append(line)
            continue
        kept = list(edit(line.statement))
        if not kept and line.comment is not None:
            lines.append(Line(None, line.comment))
        for index, statement in enumerate(kept):
            lines.append(Line(statement, line.comment if index == 0 else None))
    return Specification(tuple(lines))


def appended(specification: Specification, *statements: Statement) -> Specification:
    """The specification with statements more at its end."""
    return Specification(specification.lines + tuple(Line(statement) for statement in statements))


def _mentions(statement: Statement, name: str) -> bool:
    found = False

    def look(mentioned: str) -> str:
        nonlocal found
        found = found or mentioned == name
        return mentioned

    map_names(statement, look)
    return found


def _drop_labels(specification: Specification, gone: set[str]) -> Specification:
    """What refers to parameter names that no longer exist goes with them, however long the chain."""
    while gone:
        lost: set[str] = set()

        def edit(statement: Statement, gone: set[str] = gone, lost: set[str] = lost) -> list[Statement]:
            if isinstance(statement, Matches):
                kept = tuple(m for m in statement.members if not (isinstance(m, Reference) and m.name in gone))
                return [Matches(kept)] if len(kept) > 1 else []
            if (
                isinstance(statement, Tracks)
                and not isinstance(statement.quantity, tuple)
                and not gone.isdisjoint(references(statement.quantity))
            ):
                lost.add(statement.name)
                return []
            return [statement]

        specification, gone = edited(specification, edit), lost
    return specification


def without_targets(specification: Specification, drop: Callable[[Target], bool]) -> Specification:
    """Holds, starts, names, equalities and routes that speak of the dropped parameters go."""
    gone: set[str] = set()

    def broken(route: tuple[str, ...]) -> bool:
        return any(drop(Arrow(a, b)) for a, b in itertools.pairwise(route))

    def edit(statement: Statement) -> list[Statement]:
        match statement:
            case Holds(target) | Begins(target) | Releases(target):
                return [] if drop(canonical(target)) else [statement]
            case Calls(target, name):
                if drop(canonical(target)):
                    gone.add(name)
                    return []
            case Moderates(_, path):
                return [] if drop(path) else [statement]
            case Matches(members):
                kept = tuple(m for m in members if isinstance(m, Reference) or not drop(canonical(m)))
                return [Matches(kept)] if len(kept) > 1 else []
            case Tracks(name, quantity) if isinstance(quantity, tuple) and broken(quantity):
                gone.add(name)
                return []
            case Expects(route) if broken(route):
                return []
        return [statement]

    return _drop_labels(edited(specification, edit), gone)


def _of(target: Target, name: str) -> bool:
    return name in vars(target).values()


def forgotten(specification: Specification, name: str) -> Specification:
    """Everything that is said of a name goes, except that an owner still lists it."""
    specification = without_targets(specification, lambda target: _of(target, name))

    def edit(statement: Statement) -> list[Statement]:
        match statement:
            case Leads(sources, targets):
                left = tuple(n for n in sources if n != name), tuple(n for n in targets if n != name)
                return [Leads(*left)] if all(left) else []
            case Controls(names, targets):
                kept, ends = tuple(n for n in names if n != name), tuple(n for n in targets if n != name)
                return [Controls(kept, ends)] if kept and bool(ends) == bool(targets) else []
            case Covaries(names, free):
                kept = tuple(n for n in names if n != name)
                return [Covaries(kept, free)] if len(kept) > 1 else []
            case Moderates() | Tracks() | Expects():
                return [] if _mentions(statement, name) else [statement]
            case SetsAside() | Keeps():
                kept = tuple(n for n in statement.indicators if n != name)
                return [replace(statement, indicators=kept)] if kept and statement.construct != name else []
        return [statement]

    return edited(specification, edit)


def unlisted(specification: Specification, construct: str, indicator: str) -> Specification:
    """The specification without an indicator in the list of its construct."""

    def edit(statement: Statement) -> list[Statement]:
        if isinstance(statement, Shows | MadeOf) and statement.construct == construct:
            return [replace(statement, indicators=tuple(n for n in statement.indicators if n != indicator))]
        return [statement]

    return edited(specification, edit)


def taken_back(specification: Specification, construct: str, indicator: str) -> Specification:
    """The specification with an indicator no longer set aside."""

    def edit(statement: Statement) -> list[Statement]:
        if isinstance(statement, SetsAside) and statement.construct == construct:
            kept = tuple(n for n in statement.indicators if n != indicator)
            return [replace(statement, indicators=kept)] if kept else []
        return [statement]

    return edited(specification, edit)


def without_path(specification: Specification, source: str, target: str) -> Specification:
    """The specification without one path; the others of its sentence stay."""
    model = read(specification)

    def edit(statement: Statement) -> list[Statement]:
        if isinstance(statement, Controls) and source in statement.names:
            targets = statement.targets or tuple(end for name, end in model.controls if name == source)
            if target not in targets:
                return [statement]
            rest = tuple(n for n in statement.names if n != source)
            left = tuple(n for n in targets if n != target)
            pieces: list[Statement] = [Controls(rest, statement.targets)] if rest else []
            return [*pieces, Controls((source,), left)] if left else pieces
        if not isinstance(statement, Leads) or source not in statement.sources or target not in statement.targets:
            return [statement]
        rest = tuple(n for n in statement.sources if n != source)
        others = tuple(n for n in statement.targets if n != target)
        parts: list[Statement] = [Leads(rest, statement.targets)] if rest else []
        return [*parts, Leads((source,), others)] if others else parts

    return edited(specification, edit)


def without_pair(specification: Specification, first: str, second: str) -> Specification:
    """The specification in which nothing is said of the covariance of two names."""

    def edit(statement: Statement) -> list[Statement]:
        if not isinstance(statement, Covaries) or not {first, second} <= set(statement.names):
            return [statement]
        pieces = [tuple(n for n in statement.names if n != first), tuple(n for n in statement.names if n != second)]
        return [Covaries(names, statement.free) for names in pieces if len(names) > 1]

    specification = without_targets(
        specification, lambda t: isinstance(t, Pair) and {t.first, t.second} == {first, second}
    )
    return edited(specification, edit)
