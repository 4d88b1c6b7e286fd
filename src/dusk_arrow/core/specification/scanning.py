"""Reading one line by position: what a word means depends on where it stands, never on its spelling."""

from __future__ import annotations

import re
from collections.abc import Callable
from math import isfinite
from typing import NoReturn, TypeVar

T = TypeVar("T")
WORD = re.compile(r"\w+(?:\.\w+)*")
NUMBER = re.compile(r"-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?(?![\w])")


class Mismatch(Exception):
    """What was expected at a position; `message` where more can be said."""

    def __init__(self, position: int, expected: str, message: str | None = None) -> None:
        super().__init__(expected)
        self.position = position
        self.expected = expected
        self.message = message


class Scanner:
    """Reads one line by position: what a word means depends on where it stands, never on its spelling."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.position = 0
        self.depth = 0

    def fail(self, expected: str, message: str | None = None) -> NoReturn:
        """Gives up at the next word."""
        self.blank()
        raise Mismatch(self.position, expected, message)

    def blank(self) -> None:
        """Passes over white space."""
        while self.position < len(self.text) and self.text[self.position].isspace():
            self.position += 1

    def take(self, mark: str) -> bool:
        """Takes a mark if it comes next."""
        self.blank()
        if self.text.startswith(mark, self.position):
            self.position += len(mark)
            return True
        return False

    def need(self, mark: str) -> None:
        """Takes a mark that must come next."""
        if not self.take(mark):
            self.fail(f"“{mark}”")

    def keyword(self, *words: str) -> bool:
        """Takes one of some words if it comes next, in any case."""
        self.blank()
        found = WORD.match(self.text, self.position)
        if found and found.group().casefold() in words:
            self.position = found.end()
            return True
        return False

    def need_keyword(self, *words: str) -> None:
        """Takes one of some words that must come next."""
        if not self.keyword(*words):
            self.fail(" or ".join(f"“{word}”" for word in words))

    def quoted(self) -> str | None:
        """Takes a text in quotation marks if one comes next."""
        self.blank()
        if not self.text.startswith('"', self.position):
            return None
        at = self.position + 1
        letters = []
        while at < len(self.text):
            if self.text.startswith('""', at):
                letters.append('"')
                at += 2
            elif self.text[at] == '"':
                self.position = at + 1
                return "".join(letters)
            else:
                letters.append(self.text[at])
                at += 1
        self.fail("a closing quotation mark", "a quotation mark is opened here and never closed")
        return None

    def name(self, what: str = "a name") -> str:
        """Takes a name, quoted or a plain word."""
        quoted = self.quoted()
        if quoted is not None:
            if not quoted.strip():
                self.fail(what, "a name cannot be empty")
            return quoted.strip()
        found = WORD.match(self.text, self.position)
        if not found:
            self.fail(what)
        self.position = found.end()
        return found.group()

    def number(self) -> float:
        """Takes a number."""
        self.blank()
        found = NUMBER.match(self.text, self.position)
        if not found:
            self.fail("a number")
        value = float(found.group())
        if not isfinite(value):
            self.fail("a smaller number")
        self.position = found.end()
        return value

    def end(self) -> None:
        """Makes sure that nothing follows but a full stop."""
        self.take(".")
        self.blank()
        if self.position < len(self.text):
            self.fail("the end of the sentence")


def either(scanner: Scanner, *readers: Callable[[Scanner], T]) -> T:
    """The first reader that fits; otherwise the complaint of the one that got furthest."""
    start = scanner.position
    furthest: list[Mismatch] = []
    for reader in readers:
        scanner.position = start
        try:
            return reader(scanner)
        except Mismatch as mismatch:
            if not furthest or mismatch.position > furthest[0].position:
                furthest = [mismatch]
            elif mismatch.position == furthest[0].position:
                furthest.append(mismatch)
    expected = list(dict.fromkeys(mismatch.expected for mismatch in furthest))
    message = next((mismatch.message for mismatch in furthest if mismatch.message), None)
    raise Mismatch(furthest[0].position, " or ".join(expected), message)
