"""Writes the advance widths of the bundled fonts, so that layouts can be computed without a browser.

Run after a change of font version: `python tools/measure_fonts.py`.
"""

from __future__ import annotations

import json
from pathlib import Path

from fontTools.ttLib import TTFont
from fontTools.varLib.instancer import instantiateVariableFont

ROOT = Path(__file__).resolve().parents[1]
FONTS = ROOT / "frontend/node_modules/@fontsource-variable"
FACES = {
    "sans": ("source-sans-3/files/source-sans-3-{}-wght-normal.woff2", 400),
    "sans-bold": ("source-sans-3/files/source-sans-3-{}-wght-normal.woff2", 600),
    "serif": ("fraunces/files/fraunces-{}-wght-normal.woff2", 600),
}


def widths(pattern: str, weight: int) -> dict[str, float]:
    """Advance widths in em of every character of the Latin subsets at one weight."""
    found: dict[str, float] = {}
    for subset in ("latin-ext", "latin"):
        font = TTFont(FONTS / pattern.format(subset))
        axes = {axis.axisTag: axis.defaultValue for axis in font["fvar"].axes}
        font = instantiateVariableFont(font, axes | {"wght": weight})
        units = font["head"].unitsPerEm
        for code, glyph in font.getBestCmap().items():
            found[chr(code)] = round(font["hmtx"][glyph][0] / units, 4)
    return dict(sorted(found.items()))


if __name__ == "__main__":
    result = {face: widths(*where) for face, where in FACES.items()}
    target = ROOT / "src/dusk_arrow/figure/font_widths.json"
    target.write_text(json.dumps(result, ensure_ascii=True, separators=(",", ":")) + "\n")
