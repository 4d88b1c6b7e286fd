"""Conditions on cases in words, such as `years >= 2 and catchment = upland`: read once, then asked of a data set."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.observations.data import Column, DataSet
from dusk_arrow.core.problems import Problem, ProblemError, nearest

TOKEN = re.compile(r'\s*(?:(>=|<=|!=|≥|≤|≠|=|<|>|\(|\)|,)|"((?:[^"]|"")*)"|([^\s()<>=!≥≤≠,"]+))')
SIGNS = {"≥": ">=", "≤": "<=", "≠": "!="}
LONGEST, DEEPEST = 4000, 40
COMPARISONS = ("=", "!=", "<", "<=", ">", ">=")
Truth = NDArray[np.bool_]


def _fail(message: str, *about: str) -> ProblemError:
    return ProblemError([Problem("condition_unreadable", "error", message, about)])


def _tokens(text: str) -> list[tuple[str, bool]]:
    """Words and marks, each with whether it was quoted."""
    found, position = [], 0
    text = text.rstrip()
    if len(text) > LONGEST:
        raise _fail(f"The condition has {len(text):,} characters; {LONGEST:,} are the most.")
    while position < len(text):
        match = TOKEN.match(text, position)
        if match is None:
            raise _fail(f"“{text[position : position + 12]}” cannot be read in the condition.")
        mark, quoted, word = match.groups()
        found.append(
            (quoted.replace('""', '"'), True) if quoted is not None else (SIGNS.get(mark, mark) or word, False)
        )
        position = match.end()
    return found


class _Reader:
    """Recursive descent over the words of one condition: or, and, not, parentheses, comparisons."""

    def __init__(self, text: str, data: DataSet) -> None:
        self.words = _tokens(text)
        self.at = self.depth = 0
        self.data = data

    def next_is(self, *words: str) -> bool:
        if self.at < len(self.words):
            word, quoted = self.words[self.at]
            if not quoted and word.casefold() in words:
                self.at += 1
                return True
        return False

    def take(self, what: str) -> str:
        if self.at >= len(self.words):
            raise _fail(f"The condition ends where {what} should follow.")
        self.at += 1
        return self.words[self.at - 1][0]

    def whole(self) -> Truth:
        found = self.either()
        if self.at < len(self.words):
            raise _fail(f"“{self.words[self.at][0]}” is not expected in the condition; join comparisons with and, or.")
        return found

    def either(self) -> Truth:
        found = self.both()
        while self.next_is("or"):
            found = found | self.both()
        return found

    def both(self) -> Truth:
        found = self.single()
        while self.next_is("and"):
            found = found & self.single()
        return found

    def single(self) -> Truth:
        if self.next_is("not"):
            return ~self.deeper(self.single)
        if self.next_is("("):
            found = self.deeper(self.either)
            if not self.next_is(")"):
                raise _fail("A closing parenthesis is missing in the condition.")
            return found
        return self.comparison()

    def deeper(self, read: Callable[[], Truth]) -> Truth:
        self.depth += 1
        if self.depth > DEEPEST:
            raise _fail(f"The condition is nested more than {DEEPEST} deep.")
        found = read()
        self.depth -= 1
        return found

    def comparison(self) -> Truth:
        column = self.column(self.take("the name of a column"))
        if self.next_is("is"):
            negative = self.next_is("not")
            if not self.next_is("missing"):
                raise _fail(f"After “{column.name} is” only “missing” or “not missing” can follow.", column.name)
            gone = _missing(column)
            return ~gone if negative else gone
        if self.next_is("in"):
            if not self.next_is("("):
                raise _fail("After “in” a list in parentheses is needed.")
            found = _compare(column, "=", self.take("a value"))
            while self.next_is(","):
                found = found | _compare(column, "=", self.take("a value"))
            if not self.next_is(")"):
                raise _fail("A closing parenthesis is missing in the condition.")
            return found
        for sign in COMPARISONS:
            if self.next_is(sign):
                return _compare(column, sign, self.take("a value"))
        raise _fail(f"After {column.name} a comparison is needed: =, !=, <, <=, >, >=, in or is missing.", column.name)

    def column(self, name: str) -> Column:
        if name in self.data.names:
            return self.data.column(name)
        guess = nearest(name, self.data.names)
        raise _fail(f"There is no column {name}." + (f" Did you mean {guess}?" if guess else ""), name)


def _missing(column: Column) -> Truth:
    if column.numbers is not None:
        return np.isnan(column.numbers)
    texts: Any = column.texts if column.texts is not None else []
    return np.array([text is None for text in texts], dtype=bool)


def _compare(column: Column, sign: str, value: str) -> Truth:
    """Missing values are neither equal nor unequal to anything. Value labels may stand for their values."""
    tests: dict[str, Callable[[NDArray[np.float64], float], Truth]] = {
        "=": np.equal,
        "!=": np.not_equal,
        "<": np.less,
        "<=": np.less_equal,
        ">": np.greater,
        ">=": np.greater_equal,
    }
    by_label = {label.casefold(): key for key, label in column.value_labels.items()}
    if column.numbers is None:
        if sign not in ("=", "!="):
            raise _fail(f"{column.name} holds text, which can only be compared with = and !=.", column.name)
        wanted = {value, by_label.get(value.casefold(), value)}
        texts: Any = column.texts if column.texts is not None else []
        return np.array([t is not None and (t in wanted) == (sign == "=") for t in texts], dtype=bool)
    try:
        number = float(by_label.get(value.casefold(), value))
    except ValueError:
        raise _fail(
            f"{column.name} holds numbers, and “{value}” is neither a number nor one of its labels.", column.name
        ) from None
    with np.errstate(invalid="ignore"):
        return tests[sign](column.numbers, number) & ~np.isnan(column.numbers)


def fulfilled(data: DataSet, condition: str) -> Truth:
    """Which cases (n,) of a data set fulfil a condition. Raises ProblemError where it cannot be read."""
    return _Reader(condition, data).whole()
