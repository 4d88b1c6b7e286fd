"""What is wrong with a model before anything is estimated, in words, with repairs where there are any."""

from __future__ import annotations

import itertools
from collections import Counter
from collections.abc import Sequence

from dusk_arrow.core.problems import Problem, Repair, listed, nearest
from dusk_arrow.core.specification.changes import (
    RemoveConstruct,
    RemoveIndicator,
    RemoveObserved,
    RemovePath,
    SetCovariance,
    SetMode,
    TakeBack,
)
from dusk_arrow.core.specification.limits import too_large
from dusk_arrow.core.specification.model import Construct, Model, canonical, read, touches
from dusk_arrow.core.specification.statements import (
    Arrow,
    Begins,
    Calls,
    Controls,
    Covaries,
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
    Target,
    Tracks,
    VarianceOf,
    references,
)
from dusk_arrow.core.specification.writing import target_text


def _unknown(name: str, known: Sequence[str], what: str) -> Problem:
    guess = nearest(name, known)
    hint = f" Did you mean {guess}?" if guess else ""
    repairs = (Repair(f"Remove {name}", RemoveObserved(name)),) if what == "column" else ()
    message = f"There is no {what} {name}.{hint}"
    return Problem(f"unknown_{what.replace(' ', '_')}", "error", message, (name,), repairs)


def _constructs(specification: Specification, model: Model, columns: Sequence[str] | None) -> list[Problem]:
    found: list[Problem] = []
    defined = Counter(s.construct for s in specification.statements if isinstance(s, Shows | MadeOf))
    for name, times in defined.items():
        if times > 1:
            message = f"{name} is defined {times} times; put all its indicators into one sentence."
            found.append(Problem("construct_defined_twice", "error", message, (name,)))
    by_name = model.by_name
    owners: dict[str, Construct] = {}
    for construct in model.constructs:
        if not construct.indicators:
            repairs = [Repair(f"Take {n} back", TakeBack(construct.name, n)) for n, _ in construct.aside[:1]]
            repairs.append(Repair(f"Remove {construct.name}", RemoveConstruct(construct.name)))
            message = f"{construct.name} has no indicator in use, so there is nothing to measure it by."
            found.append(Problem("no_indicators", "error", message, (construct.name,), tuple(repairs)))
        if construct.name in model.columns:
            message = f"{construct.name} is both a construct and a column in use; rename the construct."
            found.append(Problem("construct_named_like_column", "error", message, (construct.name,)))
        for name in construct.everything:
            other = owners.get(name, construct)
            if other.name != construct.name and "formative" in (other.mode, construct.mode):
                message = f"{name} belongs to both {other.name} and {construct.name}; only reflective constructs can share an indicator."
                repairs = [
                    Repair(f"Remove it from {o}", RemoveIndicator(o, name)) for o in (other.name, construct.name)
                ]
                found.append(
                    Problem("indicator_of_two", "error", message, (name, other.name, construct.name), tuple(repairs))
                )
            owners[name] = construct
            if name == construct.name:
                found.append(Problem("own_indicator", "error", f"{name} cannot show in itself.", (name,)))
            elif name not in by_name and columns is not None and name not in columns:
                problem = _unknown(name, [*columns, *by_name], "column")
                repair = Repair(f"Remove {name} from {construct.name}", RemoveIndicator(construct.name, name))
                found.append(Problem("unknown_column", "error", problem.message, (name, construct.name), (repair,)))
    for statement in specification.statements:
        if isinstance(statement, Shows | MadeOf):
            for name, times in Counter(statement.indicators).items():
                if times > 1:
                    message = f"{name} is named {times} times for {statement.construct}; it counts once."
                    found.append(Problem("named_twice", "note", message, (name, statement.construct)))
        elif isinstance(statement, SetsAside | Keeps):
            if statement.construct not in by_name:
                found.append(_unknown(statement.construct, list(by_name), "construct"))
                continue
            for name in statement.indicators:
                if name not in by_name[statement.construct].everything:
                    message = f"{name} is no indicator of {statement.construct}."
                    found.append(Problem("not_an_indicator", "error", message, (name, statement.construct)))
    return found


def _second_order(model: Model) -> list[Problem]:
    below = {c.name: [n for n in c.indicators if n in model.by_name] for c in model.constructs}

    def circular(name: str, seen: tuple[str, ...]) -> bool:
        return name in seen or any(circular(n, (*seen, name)) for n in below.get(name, []))

    return [
        Problem("circular_constructs", "error", f"{name} ends up measuring itself through its own indicators.", (name,))
        for name in below
        if circular(name, ())
    ]


def _relations(specification: Specification, model: Model, columns: Sequence[str] | None) -> list[Problem]:
    found: list[Problem] = []
    by_name = model.by_name
    owned = {name: c for c in model.constructs for name in c.everything}
    known = [*by_name, *(columns or ())]
    if columns is not None:
        found += [_unknown(n, known, "column") for n in model.observed if n not in columns]
    for source, target in model.paths:
        if source == target:
            repair = Repair("Remove this path", RemovePath(source, target))
            found.append(Problem("path_to_itself", "error", f"{source} cannot lead to itself.", (source,), (repair,)))
        for name in (source, target):
            if name in owned and name not in by_name:
                message = (
                    f"{name} is an indicator of {owned[name].name} and also stands in the path {source} → {target}. "
                    "A column is either one or the other: let the construct take part in the path, or take the column out of it."
                )
                repairs = (
                    Repair("Remove the path", RemovePath(source, target)),
                    Repair(f"Remove {name} from {owned[name].name}", RemoveIndicator(owned[name].name, name)),
                )
                found.append(Problem("indicator_in_path", "error", message, (name, owned[name].name), repairs))
    found += _controls(specification, model)
    for statement in specification.statements:
        if isinstance(statement, Leads):
            doubled = [
                n for names in (statement.sources, statement.targets) for n, k in Counter(names).items() if k > 1
            ]
            if doubled:
                found.append(
                    Problem(
                        "named_twice",
                        "note",
                        f"{listed(doubled)} is named twice in a sentence of paths.",
                        tuple(doubled),
                    )
                )
    both = set(model.covariances) & set(model.no_covariances)
    found += [
        Problem("contradictory_covariance", "error", f"{a} and {b} are said to covary and not to covary.", (a, b))
        for a, b in sorted(both)
    ]
    for pair in (*model.covariances, *model.no_covariances):
        kinds = {"indicator" if n in owned and n not in by_name else "node" for n in pair}
        if len(kinds) > 1:
            message = (
                f"{pair[0]} and {pair[1]} cannot covary: one is an indicator, the other is not. "
                "Residuals covary with residuals, constructs and observed variables with each other."
            )
            found.append(Problem("mixed_covariance", "error", message, pair))
        for name in pair:
            if name in owned and owned[name].mode == "formative":
                message = f"{name} makes up {owned[name].name}: formative indicators covary freely anyway."
                found.append(Problem("formative_covariance", "error", message, (name, owned[name].name)))
    for statement in specification.statements:
        if isinstance(statement, Covaries) and len(set(statement.names)) < 2:
            message = "A covariance needs two different names; a variance is named with “variance of”."
            found.append(Problem("covariance_with_itself", "error", message, tuple(statement.names)))
    return found


def _controls(specification: Specification, model: Model) -> list[Problem]:
    """Controls that are constructs, that something leads to, or that are not controls of anything yet."""
    found: list[Problem] = []
    stated = [name for s in specification.statements if isinstance(s, Controls) for name in s.names]
    outcomes = {target for _, target in model.paths}
    for name in dict.fromkeys(stated):
        if name in model.by_name:
            message = f"{name} is a construct, and a control is an observed variable. Say that it leads to what it leads to instead."
            found.append(Problem("control_is_construct", "error", message, (name,)))
        elif name in outcomes:
            message = (
                f"{name} is controlled for, but something leads to it; then it is a mediator rather than a control."
            )
            found.append(Problem("control_with_cause", "warning", message, (name,)))
        if name not in model.control_names:
            message = f"{name} controls nothing yet: no variable has an incoming path."
            found.append(Problem("controls_nothing", "note", message, (name,)))
    return found


def _growth(model: Model) -> list[Problem]:
    """Levels and slopes whose disturbances do not covary, because something leads to both and nobody said that they do."""
    explained = {target for _, target in model.paths}
    curves = [c for c in model.constructs if c.name in explained and c.all_held(model.fixed)]
    said = {*model.covariances, *model.no_covariances}
    found = []
    for one, other in itertools.combinations(curves, 2):
        pair = (min(one.name, other.name), max(one.name, other.name))
        joined = {(one.name, other.name), (other.name, one.name)} & set(model.paths)
        if joined or pair in said or not set(one.indicators) & set(other.indicators) or Pair(*pair) in model.fixed:
            continue
        message = (
            f"{one.name} and {other.name} covaried until something led to them; now their disturbances do not. What is left of a level and "
            "its change hardly ever is unrelated, so let them covary unless theory says otherwise."
        )
        repairs = (
            Repair(f"Let {one.name} and {other.name} covary", SetCovariance(one.name, other.name, True)),
            Repair("They do not covary", SetCovariance(one.name, other.name, False)),
        )
        found.append(Problem("growth_covariance_gone", "warning", message, (one.name, other.name), repairs))
    return found


def formative_of_factors(model: Model) -> list[Problem]:
    """What formative constructs cannot be among common factors."""
    found: list[Problem] = []
    for construct in model.constructs:
        if construct.mode != "formative" or not construct.indicators:
            continue
        name = construct.name
        reflective = Repair(f"Make {name} reflective", SetMode(name, "reflective"))
        if not any(source == name for source, _ in model.paths):
            message = (
                f"{name} is made of its indicators but leads nowhere. The weights of a formative construct "
                "are found from what it leads to, so it needs at least one outgoing path."
            )
            found.append(Problem("formative_without_path", "error", message, (name,), (reflective,)))
        for source, target in model.paths:
            if target == name:
                message = (
                    f"The path {source} → {name} cannot be estimated with common factors: {name} is exactly the sum of its weighted "
                    "indicators, so nothing is left of it to explain."
                )
                repairs = (Repair("Remove the path", RemovePath(source, target)), reflective)
                found.append(Problem("path_into_formative", "error", message, (source, name), repairs))
        inner = [n for n in construct.indicators if n in model.by_name]
        if inner:
            message = f"{name} is made of the construct {inner[0]}; among common factors a formative construct has columns alone."
            found.append(Problem("formative_of_constructs", "error", message, (name, *inner), (reflective,)))
    return found


def target_exists(model: Model, target: Target) -> bool:
    """Whether the model has the parameter that a sentence names."""
    owner = set(model.owner)
    nodes = set(model.structure_nodes)
    match target:
        case Arrow(source, end):
            loading = any(c.name == source and end in c.indicators for c in model.constructs if c.mode == "reflective")
            weight = any(c.name == end and source in c.indicators for c in model.constructs if c.mode == "formative")
            return loading or weight or (source, end) in model.paths
        case Pair(first, second):
            return first != second and ({first, second} <= nodes or {first, second} <= owner)
        case VarianceOf(name):
            return name in nodes or name in owner
        case InterceptOf(name):
            return name in nodes or name in owner


def _not_to_be_released(model: Model, target: Target) -> list[Problem]:
    """A target that is held as well, or that belongs to a construct made of its indicators without remainder."""
    about = tuple(vars(target).values())
    if target in model.fixed:
        message = f"{target_text(target)} is held and released; one of the two sentences has to go."
        return [Problem("held_and_released", "error", message, about)]
    composites = {c.name for c in model.constructs if c.mode == "formative"}
    if not isinstance(target, Arrow) and composites & set(about):
        message = f"{target_text(target)} cannot be released: a formative construct is made of its indicators without remainder."
        return [Problem("not_to_be_released", "error", message, about)]
    return []


def _targets(specification: Specification, model: Model) -> list[Problem]:
    found: list[Problem] = []
    fixed: set[Target] = set()
    aside = {name for construct in model.constructs for name, _ in construct.aside} - set(model.owner)
    for statement in specification.statements:
        targets: list[Target] = []
        if isinstance(statement, Holds | Begins | Releases | Calls):
            targets = [statement.target]
        elif isinstance(statement, Matches):
            targets = [m for m in statement.members if not isinstance(m, Reference)]
            for member in statement.members:
                if isinstance(member, Reference) and member.name not in model.names:
                    found.append(_unknown(member.name, list(model.names), "named parameter"))
        for target in targets:
            if touches(target, aside):
                continue
            if not target_exists(model, target):
                message = f"The model has no parameter {target_text(target)}."
                found.append(Problem("unknown_parameter", "error", message, tuple(vars(target).values())))
            elif isinstance(statement, Releases):
                found += _not_to_be_released(model, canonical(target))
            elif isinstance(statement, Holds):
                if canonical(target) in fixed:
                    message = f"{target_text(target)} is held twice."
                    found.append(Problem("fixed_twice", "error", message, tuple(vars(target).values())))
                fixed.add(canonical(target))
        if isinstance(statement, Moderates):
            path = target_text(statement.path)
            message = f"“{statement.moderator} moderates {path}”: moderation cannot be estimated yet."
            found.append(Problem("moderation_not_available", "error", message, (statement.moderator,)))
    called = Counter(s.name for s in specification.statements if isinstance(s, Calls))
    found += [
        Problem("name_called_twice", "error", f"Two parameters are called {n}; use “match” to make them equal.", (n,))
        for n, times in called.items()
        if times > 1
    ]
    return found


def _routes(specification: Specification, model: Model) -> list[Problem]:
    found: list[Problem] = []
    paths = set(model.paths)
    known = set(model.names)
    routes = [(f"The route of {name}", q) for name, q in model.tracked.items() if isinstance(q, tuple)]
    routes += [(f"The expectation {e.label or ' > '.join(e.route)}", e.route) for e in model.expectations]
    for what, route in routes:
        for source, target in itertools.pairwise(route):
            if (source, target) not in paths:
                message = f"{what} uses a path {source} → {target}, which the model does not have."
                found.append(Problem("route_without_path", "error", message, (source, target)))
    for statement in specification.statements:
        if isinstance(statement, Tracks):
            if statement.name in known:
                message = f"The name {statement.name} is already taken by a parameter or a tracked quantity."
                found.append(Problem("name_called_twice", "error", message, (statement.name,)))
            if not isinstance(statement.quantity, tuple):
                found += [
                    _unknown(name, sorted(known), "named parameter")
                    for name in references(statement.quantity)
                    if name not in known
                ]
            known.add(statement.name)
    return found


def _alike(model: Model) -> list[Problem]:
    folded: dict[str, list[str]] = {}
    for name in (*model.structure_nodes, *model.columns):
        group = folded.setdefault(name.casefold(), [])
        if name not in group:
            group.append(name)
    return [
        Problem(
            "names_differ_by_case", "warning", f"{listed(names)} differ only by upper and lower case.", tuple(names)
        )
        for names in folded.values()
        if len(names) > 1
    ]


def check(specification: Specification, columns: Sequence[str] | None = None) -> list[Problem]:
    """Every problem of a specification; `columns` are the columns of the data (None: not known yet)."""
    model = read(specification)
    if beyond := too_large(model):
        return beyond
    found = _constructs(specification, model, columns) + _second_order(model)
    found += _relations(specification, model, columns)
    found += _growth(model)
    found += _targets(specification, model) + _routes(specification, model) + _alike(model)
    if not model.columns:
        message = "The model is empty. Pick a block of columns and make a construct of it."
        found.append(Problem("empty_model", "error", message))
    return list(dict.fromkeys(found))
