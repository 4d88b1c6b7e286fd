"""Containers damaged in every way that somebody could think of: values of their records exchanged, with the hashes put right again."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Iterator
from typing import Any

import numpy as np

from dusk_arrow.capsules.packing import kind_of, pack, unpack

ODD: list[Any] = [
    None, True, 0, -1, 1.5, 2**31, 2**63, 1e300, "", "x", "a\nb", "\ud800", "\x00", "2026-13-45", [], {}, [None], {"x": 1}, [[[[]]]], "9" * 5000,
]  # fmt: skip


def places(value: Any, way: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Where something stands in a JSON value."""
    found = [way] if way else []
    if isinstance(value, dict):
        found += [place for key, one in value.items() for place in places(one, (*way, key))]
    elif isinstance(value, list):
        found += [place for at, one in enumerate(value[:3]) for place in places(one, (*way, at))]
    return found


def exchanged(value: Any, way: tuple[Any, ...], odd: Any, gone: bool) -> Any:
    """The value with something else at a place, or nothing."""
    changed = json.loads(json.dumps(value))
    at = changed
    for step in way[:-1]:
        at = at[step]
    if gone and isinstance(at, dict):
        del at[way[-1]]
    else:
        at[way[-1]] = odd
    return changed


def damaged(content: bytes, count: int, seed: int = 1) -> Iterator[tuple[str, bytes]]:
    """A container in `count` damaged forms, each with what was done to it."""
    rng = np.random.default_rng(seed)
    kind = kind_of(content)
    assert kind is not None
    files = unpack(content, kind)
    texts = [name for name in files if name.endswith(".json") and name != "schema.json"]
    for number in range(count):
        how = number % 8
        name = texts[int(rng.integers(len(texts)))]
        if how < 5:
            value = json.loads(files[name])
            ways = places(value)
            if not ways:
                continue
            ways.sort(key=len)
            way = ways[int(rng.beta(1, 2) * len(ways))]
            odd = ODD[int(rng.integers(len(ODD)))]
            gone = how == 4
            text = json.dumps(exchanged(value, way, odd, gone))
            yield f"{name} {way} {'gone' if gone else repr(odd)[:30]}", pack(kind, {**files, name: text})
        elif how == 5:
            any_file = list(files)[int(rng.integers(len(files)))]
            bad = bytearray(files[any_file] or b"\0")
            for _ in range(4):
                bad[int(rng.integers(len(bad)))] = int(rng.integers(256))
            yield f"{any_file} bytes", pack(kind, {**files, any_file: bytes(bad)})
        elif how == 6:
            any_file = list(files)[int(rng.integers(len(files)))]
            yield f"{any_file} gone", pack(kind, {key: one for key, one in files.items() if key != any_file})
        else:
            bad = bytearray(content)
            for _ in range(3):
                bad[int(rng.integers(len(bad)))] = int(rng.integers(256))
            yield "raw bytes", bytes(bad[: int(rng.integers(1, len(bad)))])


def bomb() -> bytes:
    """A small container that unpacks to a gigabyte."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as bundle:
        bundle.writestr("manifest.json", json.dumps({"kind": "project", "version": 1, "sha256": {}}))
        with bundle.open("project.json", "w", force_zip64=True) as target:
            for _ in range(1000):
                target.write(b" " * 1_000_000)
    return buffer.getvalue()
