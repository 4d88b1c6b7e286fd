"""The one function that changes a specification, and what it needs."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from functools import singledispatch

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


def _block_edited(
    specification: Specification, construct: str, edit: Callable[[Shows | MadeOf], Sequence[Statement]]
) -> Specification:
    """The specification with a construct's own statement replaced by what `edit` makes of it."""
    return edited(
        specification,
        lambda s: list(edit(s)) if isinstance(s, Shows | MadeOf) and s.construct == construct else [s],
    )


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


@singledispatch
def _applied(change: Change, specification: Specification) -> Specification:
    raise TypeError(f"no change: {change!r}")


@_applied.register
def _(change: Hold, specification: Specification) -> Specification:
    return hold_at(specification, change.parameters, change.value)


@_applied.register
def _(change: Free, specification: Specification) -> Specification:
    return make_free(specification, change.parameters)


@_applied.register
def _(change: MakeEqual, specification: Specification) -> Specification:
    return make_equal(specification, change.parameters)


@_applied.register
def _(change: OrderIndicators, specification: Specification) -> Specification:
    name, owner = change.construct, _construct(specification, change.construct)
    if set(change.indicators) - set(owner.everything):
        raise refuse("not_an_indicator", f"Only indicators of {name} can be put in order.", name)
    return _ordered(specification, name, tuple(dict.fromkeys([*change.indicators, *owner.everything])))


@_applied.register
def _(change: Keep, specification: Specification) -> Specification:
    _member(specification, change.construct, change.indicator)
    specification = _not_kept(specification, change.construct, change.indicator)
    if not change.essential:
        return specification
    return appended(specification, Keeps((change.indicator,), change.construct, change.reason or None))


@_applied.register
def _(change: DuplicateConstruct, specification: Specification) -> Specification:
    name, to, owner = change.name, change.to, _construct(specification, change.name)
    model = read(specification)
    paths = [path for path in model.paths if name in path and path not in model.controls]
    copied = [AddPath(to if a == name else a, to if b == name else b) for a, b in paths]
    return apply_all(specification, [AddConstruct(to, (), owner.mode), *copied])


@_applied.register
def _(change: AddConstruct, specification: Specification) -> Specification:
    _check_new_name(specification, change.name)
    _check_free(specification, change.indicators)
    kind = Shows if change.mode == "reflective" else MadeOf
    return appended(specification, kind(change.name, change.indicators))


@_applied.register
def _(change: RemoveConstruct, specification: Specification) -> Specification:
    name, owner = change.name, _construct(specification, change.name)
    others = {n for c in read(specification).constructs if c.name != name for n in c.everything}
    for indicator in owner.everything:
        if indicator not in others:
            specification = forgotten(specification, indicator)
    return _block_edited(forgotten(specification, name), name, lambda block: [])


@_applied.register
def _(change: MergeConstructs, specification: Specification) -> Specification:
    return _merge(specification, change.name, change.into)


@_applied.register
def _(change: Rename, specification: Specification) -> Specification:
    name, to = change.name, change.to
    _construct(specification, name)
    if name == to:
        return specification
    _check_new_name(specification, to)
    return edited(specification, lambda s: [map_names(s, lambda n: to if n == name else n)])


@_applied.register
def _(change: SetMode, specification: Specification) -> Specification:
    name = change.name
    _construct(specification, name)
    kind = Shows if change.mode == "reflective" else MadeOf
    specification = _block_edited(specification, name, lambda block: [kind(name, block.indicators)])
    own = set(_construct(specification, name).everything)
    return without_targets(
        specification,
        lambda t: isinstance(t, Arrow) and name in vars(t).values() and bool({t.source, t.target} & own),
    )


@_applied.register
def _(change: AddIndicators, specification: Specification) -> Specification:
    _check_free(specification, change.indicators, _construct(specification, change.construct))
    return _block_edited(
        specification,
        change.construct,
        lambda block: [replace(block, indicators=block.indicators + change.indicators)],
    )


@_applied.register
def _(change: RemoveIndicator, specification: Specification) -> Specification:
    _member(specification, change.construct, change.indicator)
    return unlisted(forgotten(specification, change.indicator), change.construct, change.indicator)


@_applied.register
def _(change: ReplaceIndicators, specification: Specification) -> Specification:
    return _replaced(specification, change.construct, change.indicators, change.by)


@_applied.register
def _(change: MoveIndicator, specification: Specification) -> Specification:
    _construct(specification, change.to)
    gone = RemoveIndicator(change.construct, change.indicator)
    return apply_all(specification, [gone, AddIndicators(change.to, (change.indicator,))])


@_applied.register
def _(change: MakeMarker, specification: Specification) -> Specification:
    indicator, owner = change.indicator, _member(specification, change.construct, change.indicator)
    order = (indicator, *(n for n in owner.everything if n != indicator))
    specification = without_targets(specification, lambda t: isinstance(t, Arrow) and t.target == indicator)
    return _ordered(specification, change.construct, order)


@_applied.register
def _(change: SetAside, specification: Specification) -> Specification:
    indicator = change.indicator
    if indicator not in _member(specification, change.construct, indicator).indicators:
        raise refuse("already_aside", f"{indicator} is already set aside.", indicator)
    return appended(specification, SetsAside((indicator,), change.construct, change.reason or None))


@_applied.register
def _(change: TakeBack, specification: Specification) -> Specification:
    indicator = change.indicator
    if indicator in _member(specification, change.construct, indicator).indicators:
        raise refuse("not_aside", f"{indicator} is not set aside.", indicator)
    return taken_back(specification, change.construct, indicator)


@_applied.register
def _(change: AddPath, specification: Specification) -> Specification:
    source, target = change.source, change.target
    if source == target:
        raise refuse("path_to_itself", f"A path from {source} to itself makes no sense.", source)
    if (source, target) in read(specification).paths:
        raise refuse("path_exists", f"There is already a path from {source} to {target}.", source, target)
    return appended(specification, Leads((source,), (target,)))


@_applied.register
def _(change: SetControls, specification: Specification) -> Specification:
    return _with_controls(specification, tuple(dict.fromkeys(change.names)))


@_applied.register
def _(change: RemovePath, specification: Specification) -> Specification:
    arrow = Arrow(change.source, change.target)
    specification = without_targets(specification, lambda t: t == arrow)
    return without_path(specification, change.source, change.target)


@_applied.register
def _(change: RemoveObserved, specification: Specification) -> Specification:
    return forgotten(specification, change.name)


@_applied.register
def _(change: SetCovariance, specification: Specification) -> Specification:
    pair = (change.first, change.second)
    specification = without_pair(specification, *pair)
    return specification if change.free is None else appended(specification, Covaries(pair, change.free))


@_applied.register
def _(change: FixPath, specification: Specification) -> Specification:
    arrow = Arrow(change.source, change.target)
    specification = edited(specification, lambda s: [] if isinstance(s, Holds) and s.target == arrow else [s])
    if change.value is not None:
        return appended(specification, Holds(arrow, change.value))
    if arrow not in {Arrow(*path) for path in read(specification).paths}:
        return appended(specification, Leads((change.source,), (change.target,)))
    return specification


@_applied.register
def _(change: AddSentence, specification: Specification) -> Specification:
    return Specification((*specification.lines, parse_line(change.sentence)))


@_applied.register
def _(change: ReplaceText, specification: Specification) -> Specification:
    return parse(change.text)


def apply(specification: Specification, change: Change) -> Specification:
    """The specification after a change. Raises ProblemError where the change makes no sense there."""
    return _applied(change, specification)


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
