"""The colours of a figure on paper: each choice can be told apart in greys, since sign, dash and thickness say the same."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

PAPER = "#ffffff"


@dataclass(frozen=True)
class Ink:
    """Lines and words, quieter lines and words, lines of what could be zero, the ground of constructs, and paths by sign."""

    ink: str
    quiet: str
    pale: str
    ground: str
    positive: str
    negative: str


INKS: dict[Literal["black", "colour", "greys"], Ink] = {
    "black": Ink("#000000", "#4a4a4a", "#a6a6a6", PAPER, "#000000", "#000000"),
    "greys": Ink("#262626", "#595959", "#b3b3b3", "#ececec", "#262626", "#262626"),
    "colour": Ink("#232540", "#5c5e73", "#b3b4c0", "#fbeddc", "#2d3170", "#a2480a"),
}
