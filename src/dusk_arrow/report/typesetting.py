"""How statistics are set: no-break spaces that keep a figure together, and which letters are symbols, set in italics."""

from __future__ import annotations

import re

NO_BREAK = "\u00a0"
STATISTIC = re.compile(r"(?<=[\w)²Δ]) ([=<>≤≥]) (?=[−\-\d.\[])")
PERCENT = re.compile(r"(?<=\d) %")
REFERENCE = re.compile(r"\b(Table|Figure) (?=\d)")
SYMBOL = re.compile(
    r"(?<![\w/.-])(?:p|z|b|n|N|SE|SD|df|f|R)(?=[ \u00a0][=<>≤≥][ \u00a0])"  # before its value
    r"|(?<![\w/.-])[fR](?=²)"
    r"|(?<![\w/.-])(?:p|z|b|SE|SD|n)$"  # the head of a column
    r"|^SE(?= of b$)"
)


def kept_together(text: str) -> str:
    """Text in which no line ends inside `β = .25`, `p < .001`, `95 %`, `Table 3`."""
    text = STATISTIC.sub(rf"{NO_BREAK}\1{NO_BREAK}", text)
    text = PERCENT.sub(f"{NO_BREAK}%", text)
    return REFERENCE.sub(rf"\1{NO_BREAK}", text)


def runs(text: str) -> list[tuple[str, bool]]:
    """A text in pieces, each with whether it is a symbol, which is set in italics (Latin letters alone, as is usual)."""
    pieces: list[tuple[str, bool]] = []
    at = 0
    for found in SYMBOL.finditer(text):
        if found.start() > at:
            pieces.append((text[at : found.start()], False))
        pieces.append((found.group(), True))
        at = found.end()
    if at < len(text):
        pieces.append((text[at:], False))
    return pieces
