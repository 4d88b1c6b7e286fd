"""How wide a text is in the bundled fonts, from their advance widths."""

from __future__ import annotations

import json
from functools import cache
from importlib.resources import files

UNKNOWN = 0.6
WIDE = 1.0


@cache
def _widths() -> dict[str, dict[str, float]]:
    loaded: dict[str, dict[str, float]] = json.loads((files("dusk_arrow.figure") / "font_widths.json").read_text())
    return loaded


def text_width(text: str, size: float, face: str = "sans") -> float:
    """Width of a line of text in the units of `size`, in a face of the table; characters outside the fonts count as wide."""
    known = _widths()[face]
    return size * sum(known.get(letter, WIDE if ord(letter) > 0x2E80 else UNKNOWN) for letter in text)


def fit_text(text: str, size: float, width: float, face: str = "sans") -> str:
    """The text, shortened with an ellipsis where it would be wider than `width`."""
    if text_width(text, size, face) <= width:
        return text
    while text and text_width(text + "…", size, face) > width:
        text = text[:-1]
    return text.rstrip() + "…"
