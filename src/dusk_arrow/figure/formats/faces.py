"""The faces that PDF is written with: those of the chosen typeface, one for other letters and signs, and the viewer's for East Asian
ones."""

from __future__ import annotations

from functools import cache
from importlib.resources import as_file, files
from itertools import groupby

from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.cidfonts import UnicodeCIDFont
from reportlab.pdfbase.ttfonts import TTFont

from dusk_arrow.figure.typefaces import TYPEFACES, Typeface

OWN = {False: TYPEFACES["source"].regular_file, True: TYPEFACES["source"].bold_file}
ITALIC = "source-sans-3-400-italic"  # Latin letters, for symbols
OTHER = {False: "dejavu-sans", True: "dejavu-sans-bold"}
HAN, KANA, HANGUL = "STSong-Light", "HeiseiKakuGo-W5", "HYGothic-Medium"


@cache
def faces() -> dict[str, frozenset[int]]:
    """Makes the faces known; which letters each of the bundled ones has."""
    letters = {}
    for name in (*(one.file(bold) for one in TYPEFACES.values() for bold in (False, True)), *OTHER.values(), ITALIC):
        with as_file(files("dusk_arrow.figure") / "fonts" / f"{name}.ttf") as path:
            font = TTFont(name, str(path))
        pdfmetrics.registerFont(font)
        letters[name] = frozenset(font.face.charToGlyph)
    for name in (HAN, KANA, HANGUL):
        pdfmetrics.registerFont(UnicodeCIDFont(name))
    return letters


def _face_of(letter: str, bold: bool, typeface: Typeface) -> str:
    code, known = ord(letter), faces()
    for name in (TYPEFACES[typeface].file(bold), OTHER[bold]):
        if code in known[name]:
            return name
    if 0x3040 <= code < 0x3100:
        return KANA
    if 0xAC00 <= code < 0xD7B0 or 0x1100 <= code < 0x1200:
        return HANGUL
    return HAN if 0x2E80 <= code < 0xFFF0 else OTHER[bold]


def runs(text: str, bold: bool = False, typeface: Typeface = "source") -> list[tuple[str, str]]:
    """A text in pieces, each with the face that has its letters."""
    faced = groupby(text, key=lambda letter: _face_of(letter, bold, typeface))
    return [(face, "".join(piece)) for face, piece in faced]


def run_width(text: str, size: float, bold: bool = False, typeface: Typeface = "source") -> float:
    """How wide a text is in its faces."""
    return float(sum(pdfmetrics.stringWidth(piece, face, size) for face, piece in runs(text, bold, typeface)))
