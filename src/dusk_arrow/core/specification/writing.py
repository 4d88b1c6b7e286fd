"""Writing a specification as text, so that parsing the text gives the same specification again."""

from __future__ import annotations

from collections.abc import Iterable

from dusk_arrow.core.specification.scanning import NUMBER, WORD
from dusk_arrow.core.specification.statements import (
    Arrow,
    Begins,
    Binary,
    Calls,
    Controls,
    Covaries,
    Expects,
    Expression,
    Holds,
    InterceptOf,
    Keeps,
    Leads,
    Line,
    MadeOf,
    Matches,
    Moderates,
    Negative,
    Number,
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

KEYWORDS = frozenset(
    [
        "shows",
        "show",
        "in",
        "is",
        "are",
        "made",
        "of",
        "lead",
        "leads",
        "to",
        "and",
        "do",
        "not",
        "control",
        "for",
        "covary",
        "moderates",
        "moderate",
        "hold",
        "release",
        "begin",
        "at",
        "call",
        "match",
        "track",
        "expect",
        "positive",
        "negative",
        "nonzero",
        "as",
        "set",
        "aside",
        "from",
        "keep",
        "because",
        "variance",
        "intercept",
    ]
)


def name_text(name: str) -> str:
    """A name as it stands in a sentence: quoted unless it is a plain word and no keyword or number."""
    if WORD.fullmatch(name) and name.casefold() not in KEYWORDS and not NUMBER.fullmatch(name):
        return name
    return '"' + name.replace('"', '""') + '"'


def number_text(value: float) -> str:
    """The shortest digits that read back as the same number."""
    return str(int(value)) if value == int(value) and abs(value) < 1e15 else repr(value)


def _listed(names: Iterable[str]) -> str:
    return ", ".join(map(name_text, names))


def _joined(names: tuple[str, ...]) -> str:
    if len(names) < 2:
        return _listed(names)
    return f"{_listed(names[:-1])} and {name_text(names[-1])}"


def target_text(target: Target | Reference) -> str:
    """A parameter as it is named in a sentence."""
    match target:
        case Arrow(source, end):
            return f"{name_text(source)} > {name_text(end)}"
        case Pair(first, second):
            return f"{name_text(first)} & {name_text(second)}"
        case VarianceOf(name):
            return f"variance of {name_text(name)}"
        case InterceptOf(name):
            return f"intercept of {name_text(name)}"
        case Reference(name):
            return name_text(name)


def _route(names: tuple[str, ...]) -> str:
    return " > ".join(map(name_text, names))


RANK = {"+": 1, "-": 1, "*": 2, "/": 2}


def expression_text(expression: Expression, outer: int = 0) -> str:
    """An expression with as few parentheses as keep its meaning."""
    match expression:
        case Number(value):
            return number_text(value) if value >= 0 else f"({number_text(value)})"
        case Reference(name):
            return name_text(name)
        case Negative(operand):
            return f"-{expression_text(operand, 3)}"
        case Binary(operator, left, right):
            rank = RANK[operator]
            text = f"{expression_text(left, rank)} {operator} {expression_text(right, rank + 1)}"
            return f"({text})" if rank < outer else text


def _because(reason: str | None) -> str:
    if reason is None:
        return ""
    doubled = reason.replace('"', '""')
    return f' because "{doubled}"'


def statement_text(statement: Statement) -> str:
    """One statement as a sentence."""
    match statement:
        case Shows(construct, indicators):
            return f"{name_text(construct)} shows in {_listed(indicators)}".rstrip()
        case MadeOf(construct, indicators):
            return f"{name_text(construct)} is made of {_listed(indicators)}".rstrip()
        case Leads(sources, targets):
            verb = "leads" if len(sources) == 1 else "lead"
            return f"{_joined(sources)} {verb} to {_listed(targets)}"
        case Controls(names, targets):
            return f"control {_listed(names)}" + (f" for {_listed(targets)}" if targets else "")
        case Covaries(names, free):
            return f"{_joined(names)} {'covary' if free else 'do not covary'}"
        case Moderates(moderator, path):
            return f"{name_text(moderator)} moderates {target_text(path)}"
        case Holds(target, value):
            return f"hold {target_text(target)} at {number_text(value)}"
        case Begins(target, value):
            return f"begin {target_text(target)} at {number_text(value)}"
        case Releases(target):
            return f"release {target_text(target)}"
        case Calls(target, name):
            return f"call {target_text(target)} {name_text(name)}"
        case Matches(members):
            return f"match {', '.join(map(target_text, members))}"
        case Tracks(name, quantity):
            text = _route(quantity) if isinstance(quantity, tuple) else expression_text(quantity)
            return f"track {name_text(name)} = {text}"
        case Expects(route, sign, label):
            return f"expect {_route(route)} {sign}" + (f" as {name_text(label)}" if label else "")
        case SetsAside(indicators, construct, reason):
            return f"set aside {_listed(indicators)} from {name_text(construct)}{_because(reason)}"
        case Keeps(indicators, construct, reason):
            return f"keep {_listed(indicators)} in {name_text(construct)}{_because(reason)}"


def line_text(line: Line) -> str:
    """One line of the text form."""
    said = statement_text(line.statement) if line.statement is not None else ""
    if line.comment is None:
        return said
    return f"{said}  # {line.comment}" if said else f"# {line.comment}"


def write(specification: Specification) -> str:
    """The whole specification as text, one statement a line."""
    return "".join(f"{line_text(line)}\n" for line in specification.lines)
