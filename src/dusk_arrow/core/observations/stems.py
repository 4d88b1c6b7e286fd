"""Columns grouped by the stem of their names: `sv1 sv2 sv3` are one block of a questionnaire."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

ENDING = re.compile(r"(?<!\d)\d+[a-zA-Z]?$")


@dataclass(frozen=True)
class Block:
    """Columns that share a stem, in file order; single columns have no stem."""

    stem: str | None
    columns: tuple[str, ...]


def _stem(name: str) -> str | None:
    found = ENDING.search(name)
    return name[: found.start()].rstrip("_.- ") or None if found else None


def group_by_stem(names: Sequence[str]) -> list[Block]:
    """Blocks of at least two columns with one stem and a trailing number, then the single columns."""
    groups: dict[str, list[str]] = {}
    for name in names:
        stem = _stem(name)
        if stem is not None:
            groups.setdefault(stem, []).append(name)
    blocks = [Block(stem, tuple(columns)) for stem, columns in groups.items() if len(columns) > 1]
    taken = {name for block in blocks for name in block.columns}
    return blocks + [Block(None, (name,)) for name in names if name not in taken]
