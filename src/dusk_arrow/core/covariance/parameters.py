"""The parameters of a covariance-based model: what is free, what is fixed, and where it stands.

The model is y = ν + Λη + ε, η = α + Bη + ζ with covariances Ψ of ζ and Θ of ε. Observed variables in paths,
and the indicators of formative constructs, are nodes of η with one loading of 1 and no residual; ν and α are there
only where means are modelled.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import combinations
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.family import Role
from dusk_arrow.core.parameter_key import HELD, ParameterKey, ParameterKind
from dusk_arrow.core.specification.model import Construct, Model, target_of
from dusk_arrow.core.specification.statements import Arrow, Pair, Reference, Target, VarianceOf

Matrix = Literal["loading", "effect", "node", "residual", "intercept", "mean"]
Scaling = Literal["marker", "unit-variance"]
EQUAL_TO_FIXED = "equal to a fixed parameter"


@dataclass(frozen=True)
class Parameter:
    """One cell of the model: `index` is its position among the free values, None when it is fixed at `value`."""

    kind: ParameterKind
    source: str
    target: str
    matrix: Matrix
    row: int
    column: int
    role: Role | None = None
    value: float | None = None
    why_fixed: str | None = None
    start: float | None = None
    label: str | None = None
    index: int | None = None
    group: str | None = None

    @property
    def free(self) -> bool:
        """Whether the value is estimated."""
        return self.value is None

    def freed(self, index: int) -> Parameter:
        """The same cell as a free value."""
        cell = (self.kind, self.source, self.target, self.matrix, self.row, self.column, self.role)
        return Parameter(*cell, start=self.start, label=self.label, index=index, group=self.group)

    @property
    def sentence_target(self) -> Target:
        """The parameter as a sentence names it."""
        return target_of(self.key)

    @property
    def key(self) -> ParameterKey:
        """What the parameter is, whatever model it stands in."""
        return ParameterKey(self.kind, self.source, self.target, self.group)

    @property
    def words(self) -> str:
        """The parameter as a reader would name it."""
        return self.key.words


@dataclass(frozen=True)
class ParameterTable:
    """All parameters of one group (None where there are no groups) with the names of the rows of Λ (observed) and of the nodes
    of η."""

    observed: tuple[str, ...]
    nodes: tuple[str, ...]
    structural: tuple[str, ...]
    parameters: tuple[Parameter, ...]
    constructs: tuple[Construct, ...]
    names: dict[str, int] = field(default_factory=dict)
    group: str | None = None

    @property
    def means(self) -> bool:
        """Whether means are modelled."""
        return any(p.matrix in ("intercept", "mean") for p in self.parameters)

    @property
    def n_free(self) -> int:
        """The number of free values, equal parameters counted once."""
        return count_free([self])

    def positions(self, matrix: Matrix) -> tuple[NDArray[np.intp], NDArray[np.intp], NDArray[np.intp]]:
        """For one matrix, fixed parameters included: positions in `parameters`, rows and columns."""
        chosen = [(i, p.row, p.column) for i, p in enumerate(self.parameters) if p.matrix == matrix]
        array = np.array(chosen, dtype=np.intp).reshape(-1, 3)
        return array[:, 0], array[:, 1], array[:, 2]


def count_free(tables: Sequence[ParameterTable]) -> int:
    """The number of free values of all groups, equal parameters counted once."""
    return len({p.index for table in tables for p in table.parameters if p.index is not None})


def free_keys(tables: Sequence[ParameterTable]) -> list[ParameterKey]:
    """For each free value of all groups its first parameter."""
    found: dict[int, ParameterKey] = {}
    for table in tables:
        for parameter in table.parameters:
            if parameter.index is not None:
                found.setdefault(parameter.index, parameter.key)
    return [found[index] for index in range(len(found))]


def over_one_theta(
    tables: Mapping[str, ParameterTable], alike: Callable[[Parameter], bool] = lambda _: False
) -> tuple[ParameterTable, ...]:
    """The tables of several groups, by the groups' names, with their free values numbered together. Parameters for which `alike`
    says so are equal in all groups that have them; one that is fixed in some group then fixes the others at its value."""
    everywhere = [(group, p) for group, table in tables.items() for p in table.parameters]
    held = {p.key: p.value for _, p in everywhere if p.value is not None and alike(p)}
    roots = _equal_in_all(tables, alike)
    fixed = {
        roots[group, p.index]: held[p.key]
        for group, p in everywhere
        if p.index is not None and alike(p) and p.key in held
    }
    numbers: dict[tuple[str, int], int] = {}

    def placed(group: str, p: Parameter) -> Parameter:
        if p.index is None:
            return replace(p, group=group)
        root = roots.get((group, p.index), (group, p.index))
        if root in fixed:
            return replace(p, group=group, index=None, value=fixed[root], why_fixed=EQUAL_TO_FIXED)
        return replace(p, group=group, index=numbers.setdefault(root, len(numbers)))

    return tuple(
        replace(table, parameters=tuple(placed(group, p) for p in table.parameters), group=group)
        for group, table in tables.items()
    )


def _equal_in_all(
    tables: Mapping[str, ParameterTable], alike: Callable[[Parameter], bool]
) -> dict[tuple[str, int], tuple[str, int]]:
    """For every value of a group that is equal to another's, the one that stands for all that are equal."""
    parent: dict[tuple[str, int], tuple[str, int]] = {}

    def root(at: tuple[str, int]) -> tuple[str, int]:
        while parent.get(at, at) != at:
            at = parent[at]
        return at

    first: dict[ParameterKey, tuple[str, int]] = {}
    for group, table in tables.items():
        for p in table.parameters:
            if p.index is not None and alike(p):
                own = root((group, p.index))
                parent[own] = root(first.setdefault(p.key, own))
    return {at: root(at) for at in parent}


class _Builder:
    def __init__(self, model: Model, scaling: Scaling) -> None:
        self.model = model
        self.scaling = scaling
        formative = [n for c in model.constructs if c.mode == "formative" for n in c.indicators]
        self.nodes = list(dict.fromkeys([c.name for c in model.constructs] + list(model.observed) + formative))
        self.observed = list(model.columns)
        self.node_at = {name: i for i, name in enumerate(self.nodes)}
        self.observed_at = {name: i for i, name in enumerate(self.observed)}
        self.parameters: list[Parameter] = []
        self.second_order = {n for c in model.constructs for n in c.indicators if n in model.by_name}
        into = {target for _, target in model.paths} | self.second_order
        composites = {c.name for c in model.constructs if c.mode == "formative"}
        self.composites = composites
        self.endogenous = into | composites

    def add(
        self, kind: ParameterKind, source: str, target: str, matrix: Matrix, row: int, column: int, **more: object
    ) -> None:
        parameter = Parameter(kind, source, target, matrix, row, column, **more)  # type: ignore[arg-type]
        asked = self.model.fixed.get(parameter.sentence_target)
        if asked is not None:
            parameter = replace(parameter, value=asked, why_fixed=HELD)
        elif parameter.sentence_target in self.model.released:
            parameter = replace(parameter, value=None, why_fixed=None)
        start = self.model.starts.get(parameter.sentence_target)
        label = next((n for n, t in self.model.names.items() if t == parameter.sentence_target), None)
        self.parameters.append(replace(parameter, start=start, label=label))

    def measurement(self, construct: Construct) -> None:
        fixed = self.model.fixed
        arrows = [Arrow(construct.name, name) for name in construct.indicators]
        scaled = any(fixed.get(arrow) for arrow in arrows) or bool(fixed.get(VarianceOf(construct.name)))
        marker = None
        if not scaled and self.scaling == "marker":
            marker = next((a.target for a in arrows if a not in fixed), None)  # released: nothing carries the scale
        for name in construct.indicators:
            column = self.node_at[construct.name]
            more: dict[str, object] = {}
            if name == marker:
                more = {"value": 1.0, "why_fixed": "carries the scale"}
            if name in self.node_at:
                self.add("loading", construct.name, name, "effect", self.node_at[name], column, **more)
            else:
                self.add("loading", construct.name, name, "loading", self.observed_at[name], column, **more)

    def weights(self, construct: Construct) -> None:
        arrows = [Arrow(name, construct.name) for name in construct.indicators]
        scaled = any(self.model.fixed.get(arrow) for arrow in arrows)
        marker = None if scaled else next((a.source for a in arrows if a not in self.model.fixed), None)
        row = self.node_at[construct.name]
        for name in construct.indicators:
            more: dict[str, object] = {"value": 1.0, "why_fixed": "carries the scale"} if name == marker else {}
            self.add("weight", name, construct.name, "effect", row, self.node_at[name], **more)

    def variances(self) -> None:
        single = {
            c.indicators[0]
            for c in self.model.constructs
            if c.mode == "reflective" and len(c.indicators) == 1 and c.indicators[0] not in self.node_at
            if sum(c.indicators[0] in other.indicators for other in self.model.constructs) == 1
        }
        for name in self.observed:
            if name not in self.node_at:
                at = self.observed_at[name]
                more: dict[str, object] = {"value": 0.0, "why_fixed": "the only indicator"} if name in single else {}
                self.add("variance", name, name, "residual", at, at, role="residual", **more)
        for name in self.nodes:
            at = self.node_at[name]
            role: Role = "disturbance" if name in self.endogenous else "exogenous"
            more = {}
            if name in self.composites:
                more = {"value": 0.0, "why_fixed": "made of its indicators without remainder"}
            elif self.scaling == "unit-variance" and self._needs_unit_variance(name):
                more = {"value": 1.0, "why_fixed": "unit variance carries the scale"}
            self.add("variance", name, name, "node", at, at, role=role, **more)

    def _needs_unit_variance(self, name: str) -> bool:
        construct = self.model.by_name.get(name)
        if construct is None:
            return False
        return not any(self.model.fixed.get(Arrow(name, indicator)) for indicator in construct.indicators)

    def covariances(self) -> None:
        stated = set(self.model.covariances) | {(t.first, t.second) for t in self.model.fixed if isinstance(t, Pair)}
        closed = set(self.model.no_covariances)
        exogenous = [name for name in self.nodes if name not in self.endogenous]
        pairs = dict.fromkeys(
            pair for pair in self.model.covariances if pair[0] in self.node_at or pair[0] in self.observed_at
        )
        pairs.update(dict.fromkeys((a, b) if a <= b else (b, a) for a, b in combinations(exogenous, 2)))
        pairs.update(dict.fromkeys(stated))
        for first, second in pairs:
            if (first, second) in closed and (first, second) not in stated:
                continue
            if first in self.node_at and second in self.node_at:
                row, column, matrix = self.node_at[first], self.node_at[second], "node"
            else:
                row, column, matrix = self.observed_at[first], self.observed_at[second], "residual"
            more: dict[str, object] = {}
            if {first, second} & self.composites:
                more = {"value": 0.0, "why_fixed": "made of its indicators without remainder"}
            self.add("covariance", first, second, matrix, max(row, column), min(row, column), **more)  # type: ignore[arg-type]

    def paths(self) -> None:
        for source, target in self.model.paths:
            self.add("path", source, target, "effect", self.node_at[target], self.node_at[source])

    def means(self) -> None:
        """Intercepts of indicators and of what is explained, means of what is not; constructs have their origin at 0."""
        for name in self.observed:
            if name not in self.node_at:
                self.add("intercept", name, name, "intercept", self.observed_at[name], 0)
        for name in self.nodes:
            more: dict[str, object] = {}
            if name in self.composites:
                more = {"value": 0.0, "why_fixed": "made of its indicators without remainder"}
            elif name in self.model.by_name:
                more = {"value": 0.0, "why_fixed": "sets the origin"}
            kind: ParameterKind = "intercept" if name in self.endogenous else "mean"
            self.add(kind, name, name, "mean", self.node_at[name], 0, **more)

    def ties(self) -> list[Parameter]:
        """Free positions numbered in order, equal parameters sharing one; a fixed member fixes the others."""
        place = {p.sentence_target: i for i, p in enumerate(self.parameters)}
        group = list(range(len(self.parameters)))

        def root(at: int) -> int:
            while group[at] != at:
                at = group[at]
            return at

        for members in self.model.matches:
            targets = [self.model.names.get(m.name) if isinstance(m, Reference) else m for m in members]
            found = [place[t] for t in targets if t in place]
            for other in found[1:]:
                group[root(other)] = root(found[0])
        fixed = {root(i): p.value for i, p in enumerate(self.parameters) if p.value is not None}
        numbers: dict[int, int] = {}
        result = []
        for i, parameter in enumerate(self.parameters):
            if parameter.value is None and root(i) in fixed:
                parameter = replace(parameter, value=fixed[root(i)], why_fixed=EQUAL_TO_FIXED)
            if parameter.value is None:
                parameter = replace(parameter, index=numbers.setdefault(root(i), len(numbers)))
            result.append(parameter)
        return result


def compile_model(model: Model, scaling: Scaling = "marker", means: bool = False) -> ParameterTable:
    """The parameter table of a model that `checking.check` found free of errors.

    Defaults: the first indicator in use carries the scale; exogenous nodes covary; disturbances and residuals
    do not; a formative construct is an exact composite whose first weight is 1; the residual variance of a
    construct's only indicator is 0. With `means` every observed variable has an intercept or mean of its own and the
    constructs' are 0, unless a sentence says otherwise.
    """
    builder = _Builder(model, scaling)
    for construct in model.constructs:
        if construct.mode == "reflective":
            builder.measurement(construct)
        else:
            builder.weights(construct)
    builder.paths()
    builder.covariances()
    builder.variances()
    if means:
        builder.means()
    parameters = builder.ties()
    place = {p.sentence_target: i for i, p in enumerate(parameters)}
    names = {name: place[target] for name, target in model.names.items() if target in place}
    return ParameterTable(
        tuple(builder.observed),
        tuple(builder.nodes),
        model.structure_nodes,
        tuple(parameters),
        model.constructs,
        names,
    )


def _unrestricted(names: tuple[str, ...], covary: bool) -> ParameterTable:
    """Observed variables with free variances and means, and with free covariances or none."""
    parameters: list[Parameter] = []
    for i, name in enumerate(names):
        for j in range(i + 1) if covary else (i,):
            kind: ParameterKind = "variance" if i == j else "covariance"
            parameters.append(Parameter(kind, names[j], name, "node", i, j, "exogenous", index=len(parameters)))
    for i, name in enumerate(names):
        parameters.append(Parameter("mean", name, name, "mean", i, 0, index=len(parameters)))
    return ParameterTable(names, names, names, tuple(parameters), ())


def saturated_table(names: tuple[str, ...]) -> ParameterTable:
    """The model that restricts nothing: every variance, covariance (lower triangle row by row) and mean is free."""
    return _unrestricted(names, True)


def independence_table(names: tuple[str, ...]) -> ParameterTable:
    """The baseline: variables that do not covary, with their variances and means free."""
    return _unrestricted(names, False)
