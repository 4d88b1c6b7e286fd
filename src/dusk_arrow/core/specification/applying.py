"""The one function that changes a specification, and what it needs."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from dusk_arrow.core.specification.changes import (
    AddConstruct,
    AddIndicators,
    AddPath,
    AddSentence,
    Change,
    DuplicateConstruct,
    FixPath,
    Free,
    Hold,
    Keep,
    MakeEqual,
    MakeMarker,
    MergeConstructs,
    MoveIndicator,
    OrderIndicators,
    RemoveConstruct,
    RemoveIndicator,
    RemoveObserved,
    RemovePath,
    Rename,
    ReplaceIndicators,
    ReplaceText,
    SetAside,
    SetControls,
    SetCovariance,
    SetMode,
    TakeBack,
)
from dusk_arrow.core.specification.editing import (
    appended,
    edited,
    forgotten,
    refuse,
    taken_back,
    unlisted,
    without_pair,
    without_path,
    without_targets,
)
from dusk_arrow.core.specification.holding import hold_at, make_equal, make_free
from dusk_arrow.core.specification.limits import check_names, check_text
from dusk_arrow.core.specification.model import Construct, read
from dusk_arrow.core.specification.names import map_names, names_of
from dusk_arrow.core.specification.sentences import parse, parse_line
from dusk_arrow.core.specification.statements import (
    Arrow,
    Controls,
    Covaries,
    Holds,
    Keeps,
    Leads,
    MadeOf,
    SetsAside,
    Shows,
    Specification,
    Statement,
)


def _construct(specification: Specification, name: str) -> Construct:
    found = read(specification).by_name.get(name)
    if found is None:
        raise refuse("unknown_construct", f"There is no construct “{name}” in this model.", name)
    return found


def _member(specification: Specification, construct: str, indicator: str) -> Construct:
    owner = _construct(specification, construct)
    if indicator not in owner.everything:
        raise refuse("not_an_indicator", f"{indicator} is no indicator of {construct}.", indicator, construct)
    return owner


def _check_new_name(specification: Specification, name: str) -> None:
    model = read(specification)
    if not name.strip():
        raise refuse("name_empty", "A construct needs a name.")
    if name in model.by_name:
        raise refuse("name_taken", f"There is already a construct called {name}.", name)
    if name in model.columns:
        raise refuse("name_taken", f"{name} is the name of a column in use; a construct needs its own.", name)


def _check_free(specification: Specification, indicators: tuple[str, ...], joining: Construct | None = None) -> None:
    """An indicator may join a second reflective construct; nothing else may belong to two."""
    model = read(specification)
    for construct in model.constructs:
        for name in indicators:
            shared = joining is not None and joining.mode == construct.mode == "reflective" and joining != construct
            if name in construct.everything and not shared:
                raise refuse("indicator_taken", f"{name} already belongs to {construct.name}.", name, construct.name)


def _merge(specification: Specification, name: str, into: str) -> Specification:
    """Indicators (set aside ones too) and paths of one construct go over to another of its kind."""
    own, other = _construct(specification, name), _construct(specification, into)
    if own == other or own.mode != other.mode:
        raise refuse(
            "cannot_merge", f"{name} and {into} cannot be merged: they are not two constructs of one kind.", name
        )
    model = read(specification)
    paths = model.paths
    moved = [
        tuple(into if n == name else n for n in path) for path in paths if name in path and path not in model.controls
    ]
    changes: list[Change] = [RemoveConstruct(name)]
    fresh = tuple(n for n in (*own.indicators, *(n for n, _ in own.aside)) if n not in other.everything)
    if fresh:
        changes.append(AddIndicators(into, fresh))
    changes += [SetAside(into, n, reason) for n, reason in own.aside if n in fresh]
    changes += [AddPath(a, b) for a, b in dict.fromkeys(moved) if a != b and (a, b) not in paths]
    return apply_all(specification, changes)


def _replaced(specification: Specification, construct: str, gone: tuple[str, ...], by: str) -> Specification:
    """A column where the first of several indicators stood; what was said of these goes with them."""
    if not gone:
        raise refuse("nothing_to_replace", f"Which items of {construct} is {by} to take the place of?", construct)
    for name in gone:
        _member(specification, construct, name)
    _check_free(specification, (by,))
    first = next(name for name in _construct(specification, construct).everything if name in gone)

    def edit(statement: Statement) -> list[Statement]:
        if isinstance(statement, Shows | MadeOf) and statement.construct == construct:
            placed = tuple(by if name == first else name for name in statement.indicators)
            return [replace(statement, indicators=tuple(name for name in placed if name not in gone))]
        return [statement]

    for name in gone:
        specification = forgotten(specification, name)
    return edited(specification, edit)


def _ordered(specification: Specification, construct: str, order: tuple[str, ...]) -> Specification:
    return edited(
        specification,
        lambda s: (
            [replace(s, indicators=tuple(sorted(s.indicators, key=order.index)))]
            if isinstance(s, Shows | MadeOf) and s.construct == construct
            else [s]
        ),
    )


def _not_kept(specification: Specification, construct: str, indicator: str) -> Specification:
    def edit(statement: Statement) -> list[Statement]:
        if isinstance(statement, Keeps) and statement.construct == construct:
            kept = tuple(n for n in statement.indicators if n != indicator)
            return [replace(statement, indicators=kept)] if kept else []
        return [statement]

    return edited(specification, edit)


def _with_controls(specification: Specification, names: tuple[str, ...]) -> Specification:
    """Controls of everything explained; what was said of them as predictors before goes, as they have that role now."""
    model = read(specification)
    for name in names:
        if name in model.by_name or name in model.owner:
            what = "a construct" if name in model.by_name else f"an indicator of {model.owner[name].name}"
            raise refuse(
                "control_is_construct", f"{name} is {what}; a control is an observed variable of its own.", name
            )
    kept = edited(specification, lambda s: [] if isinstance(s, Controls) else [s])

    def edit(statement: Statement) -> list[Statement]:
        if not isinstance(statement, Leads):
            return [statement]
        left = tuple(n for n in statement.sources if n not in names)
        return [replace(statement, sources=left)] if left else []

    return appended(edited(kept, edit), Controls(names)) if names else kept


def apply(specification: Specification, change: Change) -> Specification:
    """The specification after a change. Raises ProblemError where the change makes no sense there."""
    match change:
        case Hold(parameters, value):
            return hold_at(specification, parameters, value)
        case Free(parameters):
            return make_free(specification, parameters)
        case MakeEqual(parameters):
            return make_equal(specification, parameters)
        case OrderIndicators(construct, indicators):
            owner = _construct(specification, construct)
            if set(indicators) - set(owner.everything):
                raise refuse("not_an_indicator", f"Only indicators of {construct} can be put in order.", construct)
            order = tuple(dict.fromkeys([*indicators, *owner.everything]))
            return _ordered(specification, construct, order)
        case Keep(construct, indicator, reason, essential):
            _member(specification, construct, indicator)
            specification = _not_kept(specification, construct, indicator)
            return (
                appended(specification, Keeps((indicator,), construct, reason or None)) if essential else specification
            )
        case DuplicateConstruct(name, to):
            owner = _construct(specification, name)
            model = read(specification)
            paths = [path for path in model.paths if name in path and path not in model.controls]
            copied = [AddPath(to if a == name else a, to if b == name else b) for a, b in paths]
            return apply_all(specification, [AddConstruct(to, (), owner.mode), *copied])
        case AddConstruct(name, indicators, mode):
            _check_new_name(specification, name)
            _check_free(specification, indicators)
            kind = Shows if mode == "reflective" else MadeOf
            return appended(specification, kind(name, indicators))
        case RemoveConstruct(name):
            owner = _construct(specification, name)
            others = {n for c in read(specification).constructs if c.name != name for n in c.everything}
            for indicator in owner.everything:
                if indicator not in others:
                    specification = forgotten(specification, indicator)
            specification = forgotten(specification, name)
            return edited(
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
            return edited(specification, lambda s: [map_names(s, lambda n: to if n == name else n)])
        case SetMode(name, mode):
            _construct(specification, name)
            kind = Shows if mode == "reflective" else MadeOf
            specification = edited(
                specification,
                lambda s: [kind(name, s.indicators)] if isinstance(s, Shows | MadeOf) and s.construct == name else [s],
            )
            own = set(_construct(specification, name).everything)
            return without_targets(
                specification,
                lambda t: isinstance(t, Arrow) and name in vars(t).values() and bool({t.source, t.target} & own),
            )
        case AddIndicators(construct, indicators):
            _check_free(specification, indicators, _construct(specification, construct))
            return edited(
                specification,
                lambda s: (
                    [replace(s, indicators=s.indicators + indicators)]
                    if isinstance(s, Shows | MadeOf) and s.construct == construct
                    else [s]
                ),
            )
        case RemoveIndicator(construct, indicator):
            _member(specification, construct, indicator)
            return unlisted(forgotten(specification, indicator), construct, indicator)
        case ReplaceIndicators(construct, indicators, by):
            return _replaced(specification, construct, indicators, by)
        case MoveIndicator(indicator, construct, to):
            _construct(specification, to)
            specification = apply(specification, RemoveIndicator(construct, indicator))
            return apply(specification, AddIndicators(to, (indicator,)))
        case MakeMarker(construct, indicator):
            owner = _member(specification, construct, indicator)
            order = (indicator, *(n for n in owner.everything if n != indicator))
            specification = without_targets(specification, lambda t: isinstance(t, Arrow) and t.target == indicator)
            return _ordered(specification, construct, order)
        case SetAside(construct, indicator, reason):
            owner = _member(specification, construct, indicator)
            if indicator not in owner.indicators:
                raise refuse("already_aside", f"{indicator} is already set aside.", indicator)
            return appended(specification, SetsAside((indicator,), construct, reason or None))
        case TakeBack(construct, indicator):
            owner = _member(specification, construct, indicator)
            if indicator in owner.indicators:
                raise refuse("not_aside", f"{indicator} is not set aside.", indicator)
            return taken_back(specification, construct, indicator)
        case AddPath(source, target):
            if source == target:
                raise refuse("path_to_itself", f"A path from {source} to itself makes no sense.", source)
            if (source, target) in read(specification).paths:
                raise refuse("path_exists", f"There is already a path from {source} to {target}.", source, target)
            return appended(specification, Leads((source,), (target,)))
        case SetControls(names):
            return _with_controls(specification, tuple(dict.fromkeys(names)))
        case RemovePath(source, target):
            specification = without_targets(specification, lambda t: t == Arrow(source, target))
            return without_path(specification, source, target)
        case RemoveObserved(name):
            return forgotten(specification, name)
        case SetCovariance(first, second, free):
            specification = without_pair(specification, first, second)
            return specification if free is None else appended(specification, Covaries((first, second), free))
        case FixPath(source, target, value):
            arrow = Arrow(source, target)
            specification = edited(specification, lambda s: [] if isinstance(s, Holds) and s.target == arrow else [s])
            if value is not None:
                return appended(specification, Holds(arrow, value))
            if arrow not in {Arrow(*path) for path in read(specification).paths}:
                return appended(specification, Leads((source,), (target,)))
            return specification
        case AddSentence(sentence):
            return Specification((*specification.lines, parse_line(sentence)))
        case ReplaceText(text):
            return parse(text)


def rename_column(specification: Specification, old: str, new: str) -> Specification:
    """The specification with a column of the data under its new name, wherever it is mentioned."""
    return edited(specification, lambda s: [map_names(s, lambda n: new if n == old else n)])


def apply_all(specification: Specification, changes: Iterable[Change]) -> Specification:
    """Several changes, one after the other; none of them if one is refused."""
    for change in changes:
        specification = apply(specification, change)
    check_names(names_of(specification))
    check_text(len(specification.lines), 0)
    return specification
