"""The typefaces of a figure: the files that are measured and embedded, and what other programs call them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from dusk_arrow.figure.text import text_width

Typeface = Literal["source", "arial", "times"]


@dataclass(frozen=True)
class Faces:
    """One typeface: the keys of its widths and names of its files, regular and bold; the files and weights that travel
    with an SVG; its family in those files; the family that an office program is told, and further ones in case the file is not there."""

    regular: str
    bold: str
    regular_file: str
    bold_file: str
    web: tuple[tuple[str, str], ...]
    family: str
    office: str
    otherwise: str

    def face(self, bold: bool) -> str:
        """The key of its widths."""
        return self.bold if bold else self.regular

    def width_of(self, text: str, size: float, bold: bool = False) -> float:
        """How wide a line of text is, in the units of `size`."""
        return text_width(text, size, self.face(bold))

    def file(self, bold: bool) -> str:
        """The name of its file."""
        return self.bold_file if bold else self.regular_file


TYPEFACES: dict[Typeface, Faces] = {
    "source": Faces(
        "sans", "sans-bold", "source-sans-3-400", "source-sans-3-600", (("source-sans-3-latin-wght-normal", "200 900"),), "Source Sans 3", "Calibri",
        "'Source Sans Pro', 'Segoe UI', Helvetica, Arial, sans-serif",
    ),
    "arial": Faces(
        "arial", "arial-bold", "arimo-400", "arimo-700", (("arimo-latin-400-normal", "400"), ("arimo-latin-700-normal", "600 700")), "Arimo", "Arial",
        "Arial, 'Liberation Sans', Helvetica, sans-serif"
    ),
    "times": Faces(
        "times", "times-bold", "tinos-400", "tinos-700", (("tinos-latin-400-normal", "400"), ("tinos-latin-700-normal", "600 700")), "Tinos", "Times New Roman",
        "'Times New Roman', 'Liberation Serif', Times, serif",
    ),
}  # fmt: skip
