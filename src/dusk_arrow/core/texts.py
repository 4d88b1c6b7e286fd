"""Texts that people give: one form for what looks alike, and nothing in them that cannot be seen, stored or written down."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import fields, is_dataclass, replace
from typing import Any, TypeVar, cast

T = TypeVar("T")

# Marks that are not seen: the byte order mark, blanks without width, and those that turn the direction of what follows.
UNSEEN = "\ufeff\u200b\u2060\u2061\u2062\u2063\u2064\u180e\u202a-\u202e\u2066-\u2069\u206a-\u206f\ufff9-\ufffb"
BREAKS = "\t\n\v\f\r\x1c-\x1f\x85\u2028\u2029"
BREAK = re.compile(f"[{BREAKS}]")
UNUSABLE = re.compile(f"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\ud800-\udfff\ufdd0-\ufdef\ufffe\uffff{UNSEEN}]")
QUOTES = dict.fromkeys(map(ord, "“”„‟«»"), '"')


def usable(text: str) -> str:
    """A text without characters that cannot be seen, stored or written to a file; its lines stay."""
    return UNUSABLE.sub("", text)


def printable(text: str) -> str:
    """A text as it can be printed on one line, in whatever format; blanks at its ends stay."""
    return text if text.isprintable() else usable(BREAK.sub(" ", text))


def all_printable(value: T) -> T:
    """A value with every text in it as it can be printed: dataclasses, tuples, lists and dicts are gone through."""
    found: Any = value
    if isinstance(value, str):
        found = printable(value)
    elif isinstance(value, tuple) and type(value) is tuple:
        found = tuple(map(all_printable, value))
    elif isinstance(value, list):
        found = [all_printable(one) for one in value]
    elif isinstance(value, dict):
        found = {all_printable(key): all_printable(one) for key, one in value.items()}
    elif is_dataclass(value) and not isinstance(value, type):
        own = {field.name: getattr(value, field.name) for field in fields(value) if field.init}
        changed = {name: put for name, one in own.items() if (put := all_printable(one)) is not one and put != one}
        found = replace(value, **changed) if changed else value
    return cast(T, found)


def one_line(text: str) -> str:
    """A label or a reason: on one line, without unusable characters and without blanks at its ends."""
    return unicodedata.normalize("NFC", printable(text)).strip()


def paragraphs(text: str) -> str:
    """A text of several lines: line breaks of one kind, each line without unusable characters and blanks at its end."""
    lines = re.split(r"\r\n|[\n\r\v\f\x85\u2028\u2029]", text)
    return "\n".join(one_line(line) if line.strip() else "" for line in lines).strip("\n")


def plain_marks(text: str) -> str:
    """A text with one form of quotation marks and blanks, so that what looks alike is alike; its ends stay."""
    return unicodedata.normalize("NFC", printable(text)).replace("\u00a0", " ").translate(QUOTES)


def plain_name(text: str) -> str:
    """A name as it is kept: on one line, with plain marks, without blanks at its ends."""
    return plain_marks(text).strip()
