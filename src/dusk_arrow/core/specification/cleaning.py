"""Names and reasons of changes and recorded steps as they are kept, whatever was pasted into them."""

from __future__ import annotations

from dataclasses import fields, is_dataclass, replace
from typing import Any, TypeVar

from dusk_arrow.core.texts import one_line, plain_name

T = TypeVar("T")
# What is no name: words for people, values of cells as they stand there, and texts that are read line by line.
WORDS = frozenset({"reason", "label", "condition", "sentence"})
AS_THEY_ARE = frozenset({"category", "codes", "text"})


def cleaned(value: T) -> T:
    """A change or step with every name and reason in it as it is kept: on one line, without what cannot be seen."""
    if not is_dataclass(value) or isinstance(value, type):
        return value
    changed = {}
    for field in fields(value):
        if field.name not in AS_THEY_ARE:
            changed[field.name] = _each(getattr(value, field.name), one_line if field.name in WORDS else plain_name)
    return replace(value, **changed)


def _each(value: Any, clean: Any) -> Any:
    if isinstance(value, str):
        return clean(value)
    if isinstance(value, tuple):
        return tuple(_each(one, clean) for one in value)
    if isinstance(value, dict):
        return {key: one_line(text) for key, text in value.items()}
    return cleaned(value)
