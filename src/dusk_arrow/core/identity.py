"""What tells values apart: one hash over everything that they hold."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import fields, is_dataclass
from typing import Any

import numpy as np


def digest_of(*values: Any) -> str:
    """A hash (SHA-256, hexadecimal) of values and of all that they are made of: dataclasses by every field, mappings whatever
    the order of their keys, arrays by shape and numbers, where every nan is one and −0 is 0. Two different values never
    spell alike, since each part is preceded by its kind and length. Raises TypeError for a kind of value it does not know."""
    digest = hashlib.sha256()
    _feed(digest, values)
    return digest.hexdigest()


def _put(digest: Any, kind: str, content: bytes) -> None:
    digest.update(f"{kind}{len(content)}:".encode())
    digest.update(content)


def _feed(digest: Any, value: Any) -> None:
    if is_dataclass(value) and not isinstance(value, type):
        _put(digest, "d", type(value).__name__.encode())
        _feed(digest, {field.name: getattr(value, field.name) for field in fields(value)})
    elif isinstance(value, np.ndarray):
        _put(digest, "a", repr(value.shape).encode())
        if value.dtype == object:
            _feed(digest, value.ravel().tolist())
        else:
            numbers = value.astype("<f8") + 0.0
            _put(digest, "n", np.where(np.isnan(numbers), np.nan, numbers).tobytes())
    elif isinstance(value, Mapping):
        items = sorted(value.items())
        _put(digest, "m", str(len(items)).encode())
        for key, held in items:
            _feed(digest, key)
            _feed(digest, held)
    elif isinstance(value, tuple | list):
        _put(digest, "l", str(len(value)).encode())
        for held in value:
            _feed(digest, held)
    elif value is None or isinstance(value, bool):
        _put(digest, "c", repr(value).encode())
    elif isinstance(value, str):
        _put(digest, "s", value.encode("utf-8", "surrogatepass"))
    elif isinstance(value, int | float | np.integer | np.floating):
        _put(digest, "f", repr(float(value) + 0.0).encode())
    else:
        raise TypeError(f"no identity for {type(value).__name__}")
