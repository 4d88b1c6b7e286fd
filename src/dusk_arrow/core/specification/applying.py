"""The one function that changes a specification, and what it needs."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable
from dataclasses import replace

from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.core.specification.changes import (
    AddConstruct,
    AddIndicators,
    AddPath,
    AddSentence,
    Change,
    FixPath,
    MakeMarker,
    MergeConstructs,
    MoveIndicator,
    RemoveConstruct,
    RemoveIndicator,
    RemoveObserved,
    RemovePath,
    Rename,
    ReplaceText,
    SetAside,
    SetCovariance,
    SetMode,
    TakeBack,
)
from dusk_arrow.core.specification.limits import check_names, check_text
from dusk_arrow.core.specification.model import Construct, canonical, read
from dusk_arrow.core.specification.names import map_names, names_of
from dusk_arrow.core.specification.sentences import parse, parse_line
from dusk_arrow.core.specification.statements import (
    Arrow,
    Begins,
    Calls,
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


def _refuse(code: str, message: str, *about: str) -> ProblemError:
    return ProblemError([Problem(code, "error", message, about)])


def _edit(specification: Specification, edit: Callable[[Statement], Iterable[Statement]]) -> Specification:
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


def _append(specification: Specification, *statements: Statement) -> Specification:
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

        specification, gone = _edit(specification, edit), lost
    return specification


def _drop_targets(specification: Specification, drop: Callable[[Target], bool]) -> Specification:
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

    return _drop_labels(_edit(specification, edit), gone)


def _of(target: Target, name: str) -> bool:
    return name in vars(target).values()


def _forget(specification: Specification, name: str) -> Specification:
    """Everything that is said of a name goes, except that an owner still lists it."""
    specification = _drop_targets(specification, lambda target: _of(target, name))

    def edit(statement: Statement) -> list[Statement]:
        match statement:
            case Leads(sources, targets):
                left = tuple(n for n in sources if n != name), tuple(n for n in targets if n != name)
                return [Leads(*left)] if all(left) else []
            case Covaries(names, free):
                kept = tuple(n for n in names if n != name)
                return [Covaries(kept, free)] if len(kept) > 1 else []
            case Moderates() | Tracks() | Expects():
                return [] if _mentions(statement, name) else [statement]
            case SetsAside() | Keeps():
                kept = tuple(n for n in statement.indicators if n != name)
                return [replace(statement, indicators=kept)] if kept and statement.construct != name else []
        return [statement]

    return _edit(specification, edit)


def _unlist(specification: Specification, construct: str, indicator: str) -> Specification:
    def edit(statement: Statement) -> list[Statement]:
        if isinstance(statement, Shows | MadeOf) and statement.construct == construct:
            return [replace(statement, indicators=tuple(n for n in statement.indicators if n != indicator))]
        return [statement]

    return _edit(specification, edit)


def _take_back(specification: Specification, construct: str, indicator: str) -> Specification:
    def edit(statement: Statement) -> list[Statement]:
        if isinstance(statement, SetsAside) and statement.construct == construct:
            kept = tuple(n for n in statement.indicators if n != indicator)
            return [replace(statement, indicators=kept)] if kept else []
        return [statement]

    return _edit(specification, edit)


def _without_path(specification: Specification, source: str, target: str) -> Specification:
    def edit(statement: Statement) -> list[Statement]:
        if not isinstance(statement, Leads) or source not in statement.sources or target not in statement.targets:
            return [statement]
        rest = tuple(n for n in statement.sources if n != source)
        others = tuple(n for n in statement.targets if n != target)
        pieces = [Leads(rest, statement.targets)] if rest else []
        return [*pieces, Leads((source,), others)] if others else list(pieces)

    return _edit(specification, edit)


def _without_pair(specification: Specification, first: str, second: str) -> Specification:
    def edit(statement: Statement) -> list[Statement]:
        if not isinstance(statement, Covaries) or not {first, second} <= set(statement.names):
            return [statement]
        pieces = [tuple(n for n in statement.names if n != first), tuple(n for n in statement.names if n != second)]
        return [Covaries(names, statement.free) for names in pieces if len(names) > 1]

    specification = _drop_targets(
        specification, lambda t: isinstance(t, Pair) and {t.first, t.second} == {first, second}
    )
    return _edit(specification, edit)


def _construct(specification: Specification, name: str) -> Construct:
    found = read(specification).by_name.get(name)
    if found is None:
        raise _refuse("unknown_construct", f"There is no construct “{name}” in this model.", name)
    return found


def _member(specification: Specification, construct: str, indicator: str) -> Construct:
    owner = _construct(specification, construct)
    if indicator not in owner.everything:
        raise _refuse("not_an_indicator", f"{indicator} is no indicator of {construct}.", indicator, construct)
    return owner


def _check_new_name(specification: Specification, name: str) -> None:
    model = read(specification)
    if not name.strip():
        raise _refuse("name_empty", "A construct needs a name.")
    if name in model.by_name:
        raise _refuse("name_taken", f"There is already a construct called {name}.", name)
    if name in model.columns:
        raise _refuse("name_taken", f"{name} is the name of a column in use; a construct needs its own.", name)


def _check_free(specification: Specification, indicators: tuple[str, ...], joining: Construct | None = None) -> None:
    """An indicator may join a second reflective construct; nothing else may belong to two."""
    model = read(specification)
    for construct in model.constructs:
        for name in indicators:
            shared = joining is not None and joining.mode == construct.mode == "reflective" and joining != construct
            if name in construct.everything and not shared:
                raise _refuse("indicator_taken", f"{name} already belongs to {construct.name}.", name, construct.name)


def _merge(specification: Specification, name: str, into: str) -> Specification:
    """Indicators (set aside ones too) and paths of one construct go over to another of its kind."""
    own, other = _construct(specification, name), _construct(specification, into)
    if own == other or own.mode != other.mode:
        raise _refuse(
            "cannot_merge", f"{name} and {into} cannot be merged: they are not two constructs of one kind.", name
        )
    paths = read(specification).paths
    moved = [tuple(into if n == name else n for n in path) for path in paths if name in path]
    changes: list[Change] = [RemoveConstruct(name)]
    fresh = tuple(n for n in (*own.indicators, *(n for n, _ in own.aside)) if n not in other.everything)
    if fresh:
        changes.append(AddIndicators(into, fresh))
    changes += [SetAside(into, n, reason) for n, reason in own.aside if n in fresh]
    changes += [AddPath(a, b) for a, b in dict.fromkeys(moved) if a != b and (a, b) not in paths]
    return apply_all(specification, changes)


def apply(specification: Specification, change: Change) -> Specification:
    """The specification after a change. Raises ProblemError where the change makes no sense there."""
    match change:
        case AddConstruct(name, indicators, mode):
            _check_new_name(specification, name)
            _check_free(specification, indicators)
            kind = Shows if mode == "reflective" else MadeOf
            return _append(specification, kind(name, indicators))
        case RemoveConstruct(name):
            owner = _construct(specification, name)
            others = {n for c in read(specification).constructs if c.name != name for n in c.everything}
            for indicator in owner.everything:
                if indicator not in others:
                    specification = _forget(specification, indicator)
            specification = _forget(specification, name)
            return _edit(
                specification,
                lambda s: [] if isinstance(s, Shows | MadeOf) and s.construct == name else [s],
            )
        case MergeConstructs(name, into):
            return _merge(specification, name, into)
        case Rename(name, to):
            _construct(specification, name)
            if name == to:
                return specification
            _check_new_name(specification, to)
            return _edit(specification, lambda s: [map_names(s, lambda n: to if n == name else n)])
        case SetMode(name, mode):
            _construct(specification, name)
            kind = Shows if mode == "reflective" else MadeOf
            specification = _edit(
                specification,
                lambda s: [kind(name, s.indicators)] if isinstance(s, Shows | MadeOf) and s.construct == name else [s],
            )
            own = set(_construct(specification, name).everything)
            return _drop_targets(
                specification,
                lambda t: isinstance(t, Arrow) and name in vars(t).values() and bool({t.source, t.target} & own),
            )
        case AddIndicators(construct, indicators):
            _check_free(specification, indicators, _construct(specification, construct))
            return _edit(
                specification,
                lambda s: (
                    [replace(s, indicators=s.indicators + indicators)]
                    if isinstance(s, Shows | MadeOf) and s.construct == construct
                    else [s]
                ),
            )
        case RemoveIndicator(construct, indicator):
            _member(specification, construct, indicator)
            return _unlist(_forget(specification, indicator), construct, indicator)
        case MoveIndicator(indicator, construct, to):
            _construct(specification, to)
            specification = apply(specification, RemoveIndicator(construct, indicator))
            return apply(specification, AddIndicators(to, (indicator,)))
        case MakeMarker(construct, indicator):
            owner = _member(specification, construct, indicator)
            order = (indicator, *(n for n in owner.everything if n != indicator))
            specification = _drop_targets(specification, lambda t: isinstance(t, Arrow) and t.target == indicator)
            return _edit(
                specification,
                lambda s: (
                    [replace(s, indicators=tuple(sorted(s.indicators, key=order.index)))]
                    if isinstance(s, Shows | MadeOf) and s.construct == construct
                    else [s]
                ),
            )
        case SetAside(construct, indicator, reason):
            owner = _member(specification, construct, indicator)
            if indicator not in owner.indicators:
                raise _refuse("already_aside", f"{indicator} is already set aside.", indicator)
            return _append(specification, SetsAside((indicator,), construct, reason or None))
        case TakeBack(construct, indicator):
            owner = _member(specification, construct, indicator)
            if indicator in owner.indicators:
                raise _refuse("not_aside", f"{indicator} is not set aside.", indicator)
            return _take_back(specification, construct, indicator)
        case AddPath(source, target):
            if source == target:
                raise _refuse("path_to_itself", f"A path from {source} to itself makes no sense.", source)
            if (source, target) in read(specification).paths:
                raise _refuse("path_exists", f"There is already a path from {source} to {target}.", source, target)
            return _append(specification, Leads((source,), (target,)))
        case RemovePath(source, target):
            specification = _drop_targets(specification, lambda t: t == Arrow(source, target))
            return _without_path(specification, source, target)
        case RemoveObserved(name):
            return _forget(specification, name)
        case SetCovariance(first, second, free):
            specification = _without_pair(specification, first, second)
            return specification if free is None else _append(specification, Covaries((first, second), free))
        case FixPath(source, target, value):
            arrow = Arrow(source, target)
            specification = _edit(specification, lambda s: [] if isinstance(s, Holds) and s.target == arrow else [s])
            if value is not None:
                return _append(specification, Holds(arrow, value))
            if arrow not in {Arrow(*path) for path in read(specification).paths}:
                return _append(specification, Leads((source,), (target,)))
            return specification
        case AddSentence(sentence):
            return Specification((*specification.lines, parse_line(sentence)))
        case ReplaceText(text):
            return parse(text)


def rename_column(specification: Specification, old: str, new: str) -> Specification:
    """The specification with a column of the data under its new name, wherever it is mentioned."""
    return _edit(specification, lambda s: [map_names(s, lambda n: new if n == old else n)])


def apply_all(specification: Specification, changes: Iterable[Change]) -> Specification:
    """Several changes, one after the other; none of them if one is refused."""
    for change in changes:
        specification = apply(specification, change)
    check_names(names_of(specification))
    check_text(len(specification.lines), 0)
    return specification
