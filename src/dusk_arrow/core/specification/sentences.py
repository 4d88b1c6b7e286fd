"""Reading and writing the text form of a model. The grammar is in docs/methods/sentences.md."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Literal, cast

from dusk_arrow.core.problems import Place, Problem, ProblemError
from dusk_arrow.core.specification.limits import check_text
from dusk_arrow.core.specification.scanning import NUMBER, Mismatch, Scanner, either
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
    Sign,
    Specification,
    Statement,
    Target,
    Tracks,
    VarianceOf,
)
from dusk_arrow.core.texts import plain_marks

TRAILING_NUMBER = re.compile(r"(?<!\d)\d{1,9}$")
LONGEST_RANGE = 500
MOST_PROBLEMS = 100
DEEPEST = 40


def _item(scanner: Scanner) -> list[str]:
    scanner.blank()
    start = scanner.position
    first = scanner.name()
    if not scanner.take(".."):
        return [first]
    last = scanner.name("the last name of the range")
    low, high = TRAILING_NUMBER.search(first), TRAILING_NUMBER.search(last)
    if not low or not high or first[: low.start()] != last[: high.start()]:
        scanner.position = start
        scanner.fail("a range", f"the ends of the range {first}..{last} must differ only in their trailing number")
    begin, end = int(low.group()), int(high.group())
    if abs(end - begin) >= LONGEST_RANGE:
        scanner.position = start
        scanner.fail("a shorter range", f"the range {first}..{last} would name {abs(end - begin) + 1} columns")
    width = len(low.group()) if low.group().startswith("0") or len(low.group()) == len(high.group()) else 0
    step = 1 if end >= begin else -1
    return [f"{first[: low.start()]}{number:0{width}d}" for number in range(begin, end + step, step)]


def _list(scanner: Scanner) -> tuple[str, ...]:
    names = _item(scanner)
    while True:
        before = scanner.position
        comma = scanner.take(",")
        after_comma = scanner.position
        if scanner.keyword("and"):
            try:
                names += _item(scanner)
                continue
            except Mismatch:
                if not comma:
                    raise
                scanner.position = after_comma
        if not comma:
            scanner.position = before
            return tuple(names)
        names += _item(scanner)


def _list_or_none(scanner: Scanner) -> tuple[str, ...]:
    """The indicators of a construct, which may still be missing."""
    scanner.blank()
    return () if scanner.position == len(scanner.text) else _list(scanner)


def _arrow(scanner: Scanner) -> Arrow:
    source = scanner.name()
    scanner.need(">")
    return Arrow(source, scanner.name())


def _pair(scanner: Scanner) -> Pair:
    first = scanner.name()
    scanner.need("&")
    return Pair(first, scanner.name())


def _variance(scanner: Scanner) -> VarianceOf:
    scanner.need_keyword("variance")
    scanner.need_keyword("of")
    return VarianceOf(scanner.name())


def _intercept(scanner: Scanner) -> InterceptOf:
    scanner.need_keyword("intercept")
    scanner.need_keyword("of")
    return InterceptOf(scanner.name())


def _target(scanner: Scanner) -> Target:
    readers: tuple[Callable[[Scanner], Target], ...] = (_arrow, _pair, _variance, _intercept)
    return either(scanner, *readers)


def _route(scanner: Scanner) -> tuple[str, ...]:
    names = [scanner.name()]
    scanner.need(">")
    names.append(scanner.name())
    while scanner.take(">"):
        names.append(scanner.name())
    return tuple(names)


def _factor(scanner: Scanner) -> Expression:
    scanner.depth += 1
    try:
        if scanner.depth > DEEPEST:
            scanner.fail("fewer parentheses", f"an expression may be nested {DEEPEST} deep")
        if scanner.take("-"):
            return Negative(_factor(scanner))
        if scanner.take("("):
            inner = _expression(scanner)
            scanner.need(")")
            return inner
    finally:
        scanner.depth -= 1
    scanner.blank()
    if NUMBER.match(scanner.text, scanner.position):
        return Number(scanner.number())
    return Reference(scanner.name("a number or a name"))


def _joined(scanner: Scanner, part: Callable[[Scanner], Expression], *operators: str) -> Expression:
    result = part(scanner)
    while True:
        operator = next((mark for mark in operators if scanner.take(mark)), None)
        if operator is None:
            return result
        result = Binary(cast(Literal["+", "-", "*", "/"], operator), result, part(scanner))


def _expression(scanner: Scanner) -> Expression:
    return _joined(scanner, lambda inner: _joined(inner, _factor, "*", "/"), "+", "-")


def _member(scanner: Scanner) -> Target | Reference:
    return either(
        scanner,
        _target,
        lambda inner: Reference(inner.name("a parameter such as A > B, or its name")),
    )


def _because(scanner: Scanner) -> str | None:
    if not scanner.keyword("because"):
        return None
    reason = scanner.quoted()
    if reason is None:
        scanner.fail("a reason in quotation marks")
    return reason


def _shows(scanner: Scanner) -> Statement:
    construct = scanner.name()
    scanner.need_keyword("shows", "show")
    scanner.need_keyword("in")
    return Shows(construct, _list_or_none(scanner))


def _made_of(scanner: Scanner) -> Statement:
    construct = scanner.name()
    scanner.need_keyword("is", "are")
    scanner.need_keyword("made")
    scanner.need_keyword("of")
    return MadeOf(construct, _list_or_none(scanner))


def _leads(scanner: Scanner) -> Statement:
    sources = _list(scanner)
    scanner.need_keyword("lead", "leads")
    scanner.need_keyword("to")
    return Leads(sources, _list(scanner))


def _controls(scanner: Scanner) -> Statement:
    scanner.need_keyword("control")
    names = _list(scanner)
    return Controls(names, _list(scanner) if scanner.keyword("for") else ())


def _covaries(scanner: Scanner) -> Statement:
    names = _list(scanner)
    if scanner.keyword("covary"):
        return Covaries(names)
    scanner.need_keyword("do", "covary")
    scanner.need_keyword("not")
    scanner.need_keyword("covary")
    return Covaries(names, free=False)


def _moderates(scanner: Scanner) -> Statement:
    moderator = scanner.name()
    scanner.need_keyword("moderates", "moderate")
    return Moderates(moderator, _arrow(scanner))


def _holds(scanner: Scanner) -> Statement:
    scanner.need_keyword("hold")
    target = _target(scanner)
    scanner.need_keyword("at")
    return Holds(target, scanner.number())


def _releases(scanner: Scanner) -> Statement:
    scanner.need_keyword("release")
    return Releases(_target(scanner))


def _begins(scanner: Scanner) -> Statement:
    scanner.need_keyword("begin")
    target = _target(scanner)
    scanner.need_keyword("at")
    return Begins(target, scanner.number())


def _calls(scanner: Scanner) -> Statement:
    scanner.need_keyword("call")
    return Calls(_target(scanner), scanner.name())


def _matches(scanner: Scanner) -> Statement:
    scanner.need_keyword("match")
    members = [_member(scanner)]
    while True:
        comma, conjunction = scanner.take(","), scanner.keyword("and")
        if not comma and not conjunction:
            break
        members.append(_member(scanner))
    if len(members) < 2:
        scanner.fail("“,” or “and” and another parameter")
    return Matches(tuple(members))


def _tracks(scanner: Scanner) -> Statement:
    scanner.need_keyword("track")
    name = scanner.name()
    scanner.need("=")

    def route(inner: Scanner) -> tuple[str, ...] | Expression:
        found = _route(inner)
        inner.end()
        return found

    def expression(inner: Scanner) -> tuple[str, ...] | Expression:
        found = _expression(inner)
        inner.end()
        return found

    return Tracks(name, either(scanner, route, expression))


def _expects(scanner: Scanner) -> Statement:
    scanner.need_keyword("expect")
    route = _route(scanner)
    sign: Sign
    if scanner.keyword("positive"):
        sign = "positive"
    elif scanner.keyword("negative"):
        sign = "negative"
    else:
        scanner.need_keyword("nonzero", "positive", "negative")
        sign = "nonzero"
    return Expects(route, sign, scanner.name() if scanner.keyword("as") else None)


def _sets_aside(scanner: Scanner) -> Statement:
    scanner.need_keyword("set")
    scanner.need_keyword("aside")
    names = _list(scanner)
    scanner.need_keyword("from")
    return SetsAside(names, scanner.name(), _because(scanner))


def _keeps(scanner: Scanner) -> Statement:
    scanner.need_keyword("keep")
    names = _list(scanner)
    scanner.need_keyword("in")
    return Keeps(names, scanner.name(), _because(scanner))


READERS = (
    _shows,
    _made_of,
    _leads,
    _controls,
    _covaries,
    _moderates,
    _holds,
    _releases,
    _begins,
    _calls,
    _matches,
    _tracks,
    _expects,
    _sets_aside,
    _keeps,
)


EXAMPLES = {
    "control": "control age, tenure for Persistence",
    "hold": "hold Training > Efficacy at 0",
    "release": "release intercept of Level",
    "begin": "begin Training > Efficacy at 0.4",
    "call": "call Training > Efficacy a",
    "match": "match Training > tr1, Training > tr2",
    "track": "track serial = Training > Efficacy > Stewardship",
    "expect": "expect Training > Efficacy positive as H1",
    "set": 'set aside tr4 from Training because "cross-loads on Support"',
    "keep": 'keep tr4 in Training because "only item on safety"',
}  # by the word that only such statements begin with


def _whole(reader: Callable[[Scanner], Statement]) -> Callable[[Scanner], Statement]:
    def read(scanner: Scanner) -> Statement:
        statement = reader(scanner)
        scanner.end()
        return statement

    return read


def _comment_start(text: str) -> int:
    inside = False
    for position, letter in enumerate(text):
        if letter == '"':
            inside = not inside
        elif letter == "#" and not inside:
            return position
    return len(text)


def parse_line(text: str) -> Line:
    """One line as a value. Raises ProblemError with the column and what was expected there."""
    text = plain_marks(text)
    cut = _comment_start(text)
    comment = text[cut + 1 :].strip() if cut < len(text) else None
    said = text[:cut].rstrip()
    if not said.strip() or said.strip() == ".":
        return Line(None, comment)
    try:
        return Line(either(Scanner(said), *map(_whole, READERS)), comment)
    except Mismatch as mismatch:
        found = said[mismatch.position : mismatch.position + 24].strip()
        detail = mismatch.message or (
            f"expected {mismatch.expected} but found “{found}”" if found else f"expected {mismatch.expected} here"
        )
        example = EXAMPLES.get(said.split()[0].lower())
        if example and not mismatch.message:
            detail += f"; such a sentence reads “{example}”"
        raise ProblemError(
            [Problem("sentence_not_understood", "error", detail, place=Place(1, mismatch.position + 1))]
        ) from None


def parse(text: str) -> Specification:
    """A whole text as a specification. Raises ProblemError with every line that is not understood."""
    rows = re.split(r"\r\n|\r|\n", text)
    check_text(len(rows), len(text))
    lines: list[Line] = []
    problems: list[Problem] = []
    for number, row in enumerate(rows, start=1):
        try:
            lines.append(parse_line(row))
        except ProblemError as error:
            for problem in error.problems:
                column = problem.place.column if problem.place else 1
                message = f"Line {number}, column {column}: {problem.message}."
                problems.append(Problem(problem.code, "error", message, place=Place(number, column)))
    if problems:
        raise ProblemError(problems[:MOST_PROBLEMS])
    while lines and lines[-1] == Line():
        lines.pop()
    return Specification(tuple(lines))
