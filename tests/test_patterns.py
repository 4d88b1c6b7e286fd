"""No pattern takes long on any text: one word of 12,000 letters in a report held a whole server for a minute."""

from __future__ import annotations

import ast
import importlib
import re
import re._parser as pattern_parser
import sys
from collections.abc import Callable
from pathlib import Path
from time import process_time
from typing import Any

import pytest

ROOT = Path(__file__).resolve().parents[1] / "src"
CALLS = {"compile", "sub", "match", "search", "fullmatch", "split", "findall", "finditer"}
LETTERS = ["a", "A", "1", " ", '"', "'", ".", ",", "-", "_", "=", "(", "é", "\n"]
LONG = (24, 1_000, 12_000)
MOST = 0.25  # seconds of work; what grows with the length takes a hundredth of it, what grows with its square ten times as much


def modules() -> list[str]:
    found = sorted(ROOT.rglob("*.py"))
    return [".".join(path.relative_to(ROOT).with_suffix("").parts) for path in found if "migrations" not in path.parts]


SOURCES = "\n".join(path.read_text() for path in sorted(ROOT.rglob("*.py")))


def used(name: str, own: str) -> str:
    """How a pattern of this name is asked: on a whole text, at its beginning, or anywhere."""
    use = rf"\b{name}\.(\w+)\("
    ways = set(re.findall(use, own) or re.findall(use, SOURCES))
    return "fullmatch" if ways == {"fullmatch"} else "match" if ways <= {"fullmatch", "match"} and ways else "finditer"


def patterns(module: str) -> list[tuple[str, str]]:
    """The patterns of a module and how they are asked: those that have a name, and those that stand where they are used."""
    path = ROOT.joinpath(*module.split(".")).with_suffix(".py")
    named = importlib.import_module(module)
    found = [
        (value.pattern, used(name, path.read_text()))
        for name, value in vars(named).items()
        if isinstance(value, re.Pattern)
    ]
    for node in ast.walk(ast.parse(path.read_text())):
        function = getattr(node, "func", None)
        if isinstance(function, ast.Attribute) and function.attr in CALLS and getattr(function.value, "id", "") == "re":
            first = node.args[0]  # type: ignore[attr-defined]
            if isinstance(first, ast.Constant) and first.value not in dict(found):
                found.append((first.value, function.attr if "match" in function.attr else "finditer"))
    return found


def letters_of(parsed: Any) -> list[str]:
    """The letters that a pattern speaks of."""
    found = []
    for what, about in parsed:
        if str(what) in ("LITERAL", "NOT_LITERAL"):
            found.append(chr(about))
        elif isinstance(about, tuple | list):
            inside = [one for one in about if isinstance(one, pattern_parser.SubPattern)]
            found += [letter for one in inside for letter in letters_of(one)]
            found += [
                letter
                for part in about
                if isinstance(part, list)
                for one in part
                for letter in letters_of([one] if isinstance(one, tuple) else one)
            ]
    return found


def hostile(pattern: str) -> list[str]:
    """What is repeated to make texts of."""
    own = list(dict.fromkeys([*letters_of(pattern_parser.parse(pattern)), *LETTERS]))[:24]
    return [
        *own,
        *(a + b for a in own[:14] for b in own[:14] if a != b),
        "A-'",
        "a b",
        '""',
        "A, ",
        "1.1",
        "((",
        "&amp;",
    ]


def taken(ask: Callable[[str], Any], text: str, way: str) -> float:
    begun = process_time()
    for _ in ask(text) if way == "finditer" else [ask(text)]:
        pass
    return process_time() - begun


def slowest(pattern: str, way: str = "finditer") -> tuple[float, str]:
    ask = getattr(re.compile(pattern), way)
    worst = (0.0, "")
    for unit in hostile(pattern):
        for long in LONG:
            text = (unit * (long // len(unit) + 1))[:long] + "\x01"
            spent = taken(ask, text, way)
            if spent > MOST:  # a busy machine is slow once; a pattern is slow again
                spent = min(spent, taken(ask, text, way))
            worst = max(worst, (spent, f"{unit!r} × {long}"))
            if spent > MOST:
                return worst
    return worst


@pytest.mark.parametrize("module", [name for name in modules() if patterns(name)])
def test_patterns_take_no_longer_than_their_texts(module: str) -> None:
    """Each on 12,000 letters of what it speaks of, again and again."""
    for pattern, way in patterns(module):
        spent, text = slowest(pattern, way)
        assert spent < MOST, f"{pattern} takes {spent:.1f} s on {text}"


def test_the_test_sees_what_grows_with_the_square() -> None:
    """Patterns as they were found once, and their like."""
    assert sys.version_info >= (3, 11)
    for bad in (r"^(.*?)(\d+)$", r"(?<!\w)(?:[A-Z][\w'-]+, ){0,8}[A-Z][\w'-]+ \d", r"(a+)+b", r"\s+$"):
        assert slowest(bad)[0] > MOST, bad
