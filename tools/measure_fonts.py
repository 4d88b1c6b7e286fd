"""Writes the advance widths of the bundled fonts, so that layouts can be computed without a browser, and the faces of the
paper's font as files that PDF and PNG are written with: the subsets for the web in one, without features.

Run after a change of font version: `python tools/measure_fonts.py`.
"""

from __future__ import annotations

import json
import shutil
import string
from pathlib import Path
from tempfile import TemporaryDirectory

from fontTools.merge import Merger
from fontTools.subset import Options, Subsetter
from fontTools.ttLib import TTFont
from fontTools.varLib.instancer import instantiateVariableFont

ROOT = Path(__file__).resolve().parents[1]
FONTS = ROOT / "frontend/node_modules"
FACES = {
    "sans": ("@fontsource-variable/source-sans-3/files/source-sans-3-{}-wght-normal.woff2", 400),
    "sans-bold": ("@fontsource-variable/source-sans-3/files/source-sans-3-{}-wght-normal.woff2", 600),
    "serif": ("@fontsource-variable/fraunces/files/fraunces-{}-wght-normal.woff2", 600),
    "arial": ("@fontsource/arimo/files/arimo-{}-400-normal.woff2", 400),
    "arial-bold": ("@fontsource/arimo/files/arimo-{}-700-normal.woff2", 700),
    "times": ("@fontsource/tinos/files/tinos-{}-400-normal.woff2", 400),
    "times-bold": ("@fontsource/tinos/files/tinos-{}-700-normal.woff2", 700),
}


def _static(path: Path, weight: int) -> TTFont:
    """A font at one weight, whether its file has others or not."""
    font = TTFont(path)
    if "fvar" not in font:
        return font
    axes = {axis.axisTag: axis.defaultValue for axis in font["fvar"].axes}
    return instantiateVariableFont(font, axes | {"wght": weight})


def widths(pattern: str, weight: int) -> dict[str, float]:
    """Advance widths in em of every character of the Latin subsets at one weight."""
    found: dict[str, float] = {}
    for subset in ("latin-ext", "latin"):
        font = _static(FONTS / pattern.format(subset), weight)
        units = font["head"].unitsPerEm
        for code, glyph in font.getBestCmap().items():
            found[chr(code)] = round(font["hmtx"][glyph][0] / units, 4)
    return dict(sorted(found.items()))


def whole_face(face: str, family: str, target: Path) -> None:
    """One static face of every subset, each letter from the first that has it."""
    pattern, weight = FACES[face]
    taken: set[int] = set()
    with TemporaryDirectory() as folder:
        files = []
        for subset in ("latin", "latin-ext", "greek", "cyrillic", "cyrillic-ext", "greek-ext", "vietnamese"):
            font = _static(FONTS / pattern.format(subset), weight)
            for table in (
                "GSUB",
                "GPOS",
                "GDEF",
                "STAT",
                "HVAR",
                "MVAR",
                "avar",
                "fpgm",
                "prep",
                "cvt ",
                "gasp",
                "kern",
                "meta",
            ):
                if table in font:
                    del font[table]
            options = Options()
            options.notdef_outline = not files
            options.glyph_names = True
            options.hinting = False
            subsetter = Subsetter(options)
            codes = set(font.getBestCmap()) - taken
            subsetter.populate(unicodes=codes)
            subsetter.subset(font)
            taken |= codes
            font.flavor = None
            files.append(str(Path(folder) / f"{subset}.ttf"))
            font.save(files[-1])
        merged = Merger().merge(files)
        name = f"Dusk Arrow {family} {weight}"
        for record in (1, 4, 6):
            merged["name"].setName(family if record == 1 else name.replace(" ", ""), record, 3, 1, 0x409)
        merged["OS/2"].usWeightClass = weight
        merged.save(target)


def other_letters(face: str, target: Path) -> None:
    """One face for letters and signs that the paper's font does not have, without hints and features."""
    font = TTFont(ROOT / f"frontend/node_modules/dejavu-fonts-ttf/ttf/{face}.ttf")
    own = TTFont(FOLDER / "source-sans-3-400.ttf").getBestCmap()
    options = Options()
    options.layout_features = []
    options.hinting = False
    subsetter = Subsetter(options)
    subsetter.populate(unicodes=set(font.getBestCmap()) - set(own))
    subsetter.subset(font)
    font.save(target)


def slanted(target: Path) -> None:
    """Latin letters alone, in italics, for symbols."""
    font = TTFont(FONTS / "@fontsource-variable/source-sans-3/files/source-sans-3-latin-wght-italic.woff2")
    instantiateVariableFont(font, {"wght": 400}, inplace=True)
    options = Options()
    options.layout_features = []
    options.hinting = False
    subsetter = Subsetter(options)
    subsetter.populate(unicodes=[ord(letter) for letter in string.ascii_letters])
    subsetter.subset(font)
    font.flavor = None
    font.save(target)


if __name__ == "__main__":
    FOLDER = ROOT / "src/dusk_arrow/figure/fonts"
    whole_face("sans", "Source Sans 3", FOLDER / "source-sans-3-400.ttf")
    whole_face("sans-bold", "Source Sans 3", FOLDER / "source-sans-3-600.ttf")
    for key, family, name in (("arial", "Arimo", "arimo"), ("times", "Tinos", "tinos")):
        for face, weight in ((key, 400), (f"{key}-bold", 700)):
            whole_face(face, family, FOLDER / f"{name}-{weight}.ttf")
            web = f"{name}-latin-{weight}-normal.woff2"
            shutil.copy(FONTS / f"@fontsource/{name}/files/{web}", FOLDER / web)
    slanted(FOLDER / "source-sans-3-400-italic.ttf")
    other_letters("DejaVuSans", FOLDER / "dejavu-sans.ttf")
    other_letters("DejaVuSans-Bold", FOLDER / "dejavu-sans-bold.ttf")
    result = {face: widths(*where) for face, where in FACES.items()}
    target = ROOT / "src/dusk_arrow/figure/font_widths.json"
    target.write_text(json.dumps(result, ensure_ascii=True, separators=(",", ":")) + "\n")
