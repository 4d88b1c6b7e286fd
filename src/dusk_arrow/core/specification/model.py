"""A specification read as a whole: names resolved, statements gathered by what they speak of."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from itertools import combinations
from typing import Literal

from dusk_arrow.core.parameter_key import ParameterKey
from dusk_arrow.core.specification.statements import (
    Arrow,
    Begins,
    Calls,
    Controls,
    Covaries,
    Expects,
    Expression,
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

Mode = Literal["reflective", "formative"]


@dataclass(frozen=True)
class Construct:
    """A construct with the indicators in use, and those set aside with the reason."""

    name: str
    mode: Mode
    indicators: tuple[str, ...]
    aside: tuple[tuple[str, str | None], ...] = ()
    kept: tuple[str, ...] = ()

    @property
    def everything(self) -> tuple[str, ...]:
        """Indicators in use and set aside."""
        return self.indicators + tuple(name for name, _ in self.aside)

    def all_held(self, fixed: Mapping[Target, float]) -> bool:
        """Whether every loading is held, as those of the level and slope of growth are: the items say when, not how well."""
        return len(self.indicators) > 1 and all(Arrow(self.name, name) in fixed for name in self.indicators)


@dataclass(frozen=True)
class Model:
    """What a specification says. Nothing here depends on data or on a way of estimating."""

    constructs: tuple[Construct, ...] = ()
    paths: tuple[tuple[str, str], ...] = ()
    covariances: tuple[tuple[str, str], ...] = ()
    no_covariances: tuple[tuple[str, str], ...] = ()
    moderations: tuple[Moderates, ...] = ()
    fixed: dict[Target, float] = field(default_factory=dict)
    starts: dict[Target, float] = field(default_factory=dict)
    released: frozenset[Target] = frozenset()
    names: dict[str, Target] = field(default_factory=dict)
    matches: tuple[tuple[Target | Reference, ...], ...] = ()
    tracked: dict[str, tuple[str, ...] | Expression] = field(default_factory=dict)
    expectations: tuple[Expects, ...] = ()
    controls: tuple[tuple[str, str], ...] = ()  # those of the paths whose source has that role

    @property
    def control_names(self) -> tuple[str, ...]:
        """What is controlled for, in order of mention."""
        return tuple(dict.fromkeys(name for name, _ in self.controls))

    def without_controls(self) -> Model:
        """The model as it is looked at without its controls: their paths are left out, and they where nothing else is said of
        them."""
        paths = tuple(path for path in self.paths if path not in self.controls)
        gone = set(self.control_names) - {name for path in paths for name in path}
        return replace(
            self,
            paths=paths,
            controls=(),
            covariances=tuple(pair for pair in self.covariances if not gone & set(pair)),
            no_covariances=tuple(pair for pair in self.no_covariances if not gone & set(pair)),
        )

    @property
    def by_name(self) -> dict[str, Construct]:
        """The constructs by name."""
        return {construct.name: construct for construct in self.constructs}

    @property
    def observed(self) -> tuple[str, ...]:
        """Columns that stand in paths (or in a covariance) as variables of their own, in order of mention."""
        inside = {name for construct in self.constructs for name in (construct.name, *construct.everything)}
        mentioned = [name for path in self.paths for name in path]
        mentioned += [name for pair in (*self.covariances, *self.no_covariances) for name in pair]
        return tuple(dict.fromkeys(name for name in mentioned if name not in inside))

    @property
    def owner(self) -> dict[str, Construct]:
        """For each indicator in use, its construct."""
        return {name: construct for construct in self.constructs for name in construct.indicators}

    @property
    def columns(self) -> tuple[str, ...]:
        """The data columns the estimation uses: indicators by construct, then observed variables."""
        constructs = self.by_name
        indicators = [name for construct in self.constructs for name in construct.indicators if name not in constructs]
        return tuple(dict.fromkeys([*indicators, *self.observed]))

    @property
    def structure_nodes(self) -> tuple[str, ...]:
        """Constructs, then observed variables: what paths connect."""
        return tuple(construct.name for construct in self.constructs) + self.observed


def canonical(target: Target) -> Target:
    """One value for a parameter however it is written: covariance pairs in sorted order."""
    if isinstance(target, Pair) and target.first > target.second:
        return Pair(target.second, target.first)
    return target


def target_of(key: ParameterKey) -> Target:
    """A parameter as a sentence names it."""
    if key.kind == "variance":
        return VarianceOf(key.source)
    if key.kind in ("intercept", "mean"):
        return InterceptOf(key.source)
    if key.kind == "covariance":
        return canonical(Pair(key.source, key.target))
    return Arrow(key.source, key.target)


def _pairs(statement: Covaries) -> list[tuple[str, str]]:
    names = dict.fromkeys(statement.names)
    return [(a, b) if a <= b else (b, a) for a, b in combinations(names, 2)]


def _controlled(statements: list[Controls], paths: tuple[tuple[str, str], ...]) -> tuple[tuple[str, str], ...]:
    """The paths of controls; without targets they lead to everything that something else leads to."""
    names = {name for statement in statements for name in statement.names}
    outcomes = dict.fromkeys(target for source, target in paths if target not in names and source not in names)
    outcomes |= dict.fromkeys(target for statement in statements for target in statement.targets)
    return tuple(
        dict.fromkeys(
            (name, target) for s in statements for name in s.names for target in (s.targets or tuple(outcomes))
        )
    )


def touches(target: Target, names: set[str]) -> bool:
    """Whether a parameter involves any of some names."""
    return not names.isdisjoint(vars(target).values())


def _awake(values: dict[Target, float], aside: set[str]) -> dict[Target, float]:
    return {target: value for target, value in values.items() if not touches(target, aside)}


@dataclass
class _Said:
    """What the statements say, one after the other; later ones win over earlier ones of the same thing."""

    constructs: dict[str, Construct] = field(default_factory=dict)
    paths: dict[tuple[str, str], None] = field(default_factory=dict)
    free: dict[tuple[str, str], None] = field(default_factory=dict)
    closed: dict[tuple[str, str], None] = field(default_factory=dict)
    moderations: list[Moderates] = field(default_factory=list)
    fixed: dict[Target, float] = field(default_factory=dict)
    starts: dict[Target, float] = field(default_factory=dict)
    released: set[Target] = field(default_factory=set)
    names: dict[str, Target] = field(default_factory=dict)
    matches: list[tuple[Target | Reference, ...]] = field(default_factory=list)
    tracked: dict[str, tuple[str, ...] | Expression] = field(default_factory=dict)
    expectations: list[Expects] = field(default_factory=list)
    controls: list[Controls] = field(default_factory=list)

    def hear(self, statement: Statement) -> None:
        """Takes in one statement; what sets aside and keeps is taken in when all constructs are known."""
        match statement:
            case Shows(name, indicators):
                self.constructs.setdefault(name, Construct(name, "reflective", tuple(dict.fromkeys(indicators))))
            case MadeOf(name, indicators):
                self.constructs.setdefault(name, Construct(name, "formative", tuple(dict.fromkeys(indicators))))
            case Leads(sources, targets):
                self.paths.update({(source, end): None for source in sources for end in targets})
            case Controls():
                self.controls.append(statement)
            case Covaries(_, True):
                self.free.update(dict.fromkeys(_pairs(statement)))
            case Covaries(_, False):
                self.closed.update(dict.fromkeys(_pairs(statement)))
            case Moderates():
                self.moderations.append(statement)
            case Holds(target, value):
                self.fixed[canonical(target)] = value
            case Releases(target):
                self.released.add(canonical(target))
            case Begins(target, value):
                self.starts[canonical(target)] = value
            case Calls(target, name):
                self.names[name] = canonical(target)
            case Matches(members):
                self.matches.append(tuple(m if isinstance(m, Reference) else canonical(m) for m in members))
            case Tracks(name, quantity):
                self.tracked[name] = quantity
            case Expects():
                self.expectations.append(statement)
            case SetsAside() | Keeps():
                pass

    def sort_out(self, statement: SetsAside | Keeps) -> None:
        """Sets indicators of a construct aside, or marks them as kept."""
        owner = self.constructs.get(statement.construct)
        if owner is None:
            return
        if isinstance(statement, Keeps):
            self.constructs[owner.name] = replace(owner, kept=owner.kept + statement.indicators)
            return
        leaving = [name for name in statement.indicators if name in owner.indicators]
        self.constructs[owner.name] = replace(
            owner,
            indicators=tuple(name for name in owner.indicators if name not in leaving),
            aside=owner.aside + tuple((name, statement.reason) for name in leaving),
        )

    def sleep(self) -> None:
        """What is said of an indicator that is set aside sleeps until it is taken back."""
        in_use = {name for construct in self.constructs.values() for name in construct.indicators}
        aside = {name for construct in self.constructs.values() for name, _ in construct.aside} - in_use
        self.fixed, self.starts = _awake(self.fixed, aside), _awake(self.starts, aside)
        self.names = {name: target for name, target in self.names.items() if not touches(target, aside)}
        self.matches = [
            kept
            for members in self.matches
            if len(kept := tuple(m for m in members if isinstance(m, Reference) or not touches(m, aside))) > 1
        ]
        self.free = {pair: None for pair in self.free if not aside & set(pair)}
        self.closed = {pair: None for pair in self.closed if not aside & set(pair)}
        self.released = {target for target in self.released if not touches(target, aside)}

    def draw_what_is_held(self) -> None:
        """A path that is held at a value is one; a covariance that is held at one is not left out."""
        owned = [(c, name) for c in self.constructs.values() for name in c.everything]
        measured = {(c.name, name) if c.mode == "reflective" else (name, c.name) for c, name in owned}
        for target in self.fixed:
            if isinstance(target, Arrow) and (target.source, target.target) not in measured:
                self.paths.setdefault((target.source, target.target))
            elif isinstance(target, Pair) and (target.first, target.second) not in self.free:
                self.closed.pop((target.first, target.second), None)


def read(specification: Specification) -> Model:
    """The model that a specification describes; later statements win over earlier ones of the same thing.

    What is said of an indicator that is set aside sleeps until it is taken back.

    Never fails: contradictions are found by `checking.check`, which sees the statements themselves.
    """
    said = _Said()
    for statement in specification.statements:
        said.hear(statement)
    for statement in specification.statements:
        if isinstance(statement, SetsAside | Keeps):
            said.sort_out(statement)
    said.sleep()
    said.draw_what_is_held()
    controlled = _controlled(said.controls, tuple(said.paths))
    return Model(
        tuple(said.constructs.values()),
        tuple(dict.fromkeys((*said.paths, *controlled))),
        tuple(said.free),
        tuple(said.closed),
        tuple(said.moderations),
        said.fixed,
        said.starts,
        frozenset(said.released),
        said.names,
        tuple(said.matches),
        said.tracked,
        tuple(said.expectations),
        controlled,
    )
