"""The typefaces of a figure: measured as they are drawn, embedded, and named to other programs."""

from __future__ import annotations

import io
from importlib.resources import files

import pytest
from fontTools.ttLib import TTFont
from pptx import Presentation
from pypdf import PdfReader

from dusk_arrow.figure.drawing import Ellipse, Rectangle
from dusk_arrow.figure.formats.registry import FORMATS
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.figure.paper import diagram
from dusk_arrow.figure.text import text_width
from dusk_arrow.figure.typefaces import TYPEFACES, Typeface
from tests.figure.made_up import made_up

WORDS = "Stewardship −.43 [.12, .98] Ünïcødé"


@pytest.mark.parametrize("typeface", TYPEFACES)
@pytest.mark.parametrize("bold", [False, True])
def test_text_is_as_wide_as_its_file_says(typeface: Typeface, bold: bool) -> None:
    """A label that is measured in another face than it is printed in runs into its neighbour."""
    faces = TYPEFACES[typeface]
    font = TTFont(io.BytesIO((files("dusk_arrow.figure") / "fonts" / f"{faces.file(bold)}.ttf").read_bytes()))
    letters = font.getBestCmap()
    exact = sum(font["hmtx"][letters[ord(letter)]][0] for letter in WORDS) / font["head"].unitsPerEm
    assert text_width(WORDS, 10.0, faces.face(bold)) == pytest.approx(10 * exact, rel=1e-3)
    assert font["name"].getDebugName(1) == faces.family


def test_every_format_has_the_typeface_that_was_chosen() -> None:
    """A journal that asks for Arial or Times gets letters of those widths in every file."""
    results = made_up(4, 3, 2)
    for typeface, faces in TYPEFACES.items():
        drawing = diagram(results, FigureOptions(typeface=typeface))
        text = FORMATS["svg"].render(drawing).decode()
        assert f"font-family=\"'{faces.family}'" in text
        assert f"@font-face{{font-family:'{faces.family}'" in text
        fonts = PdfReader(io.BytesIO(FORMATS["pdf"].render(drawing))).pages[0]["/Resources"]["/Font"]
        named = {str(font.get_object()["/BaseFont"]) for font in fonts.values()}
        assert {name for name in named if faces.family.replace(" ", "") in name} or typeface == "source", named
        slide = Presentation(io.BytesIO(FORMATS["pptx"].render(drawing))).slides[0]
        runs = [r for s in slide.shapes if s.has_text_frame for p in s.text_frame.paragraphs for r in p.runs]
        assert {run.font.name for run in runs} == {faces.office}
        assert faces.office.encode() in _content(FORMATS["odg"].render(drawing))


def _content(bundle: bytes) -> bytes:
    import zipfile

    return zipfile.ZipFile(io.BytesIO(bundle)).read("content.xml")


def test_shapes_are_as_wide_as_their_names_are_in_the_typeface() -> None:
    """A long name stays inside of its shape, whatever it is set in."""
    results = made_up(5, 3, 2)
    for typeface in TYPEFACES:
        drawing = diagram(results, FigureOptions(typeface=typeface))
        for item in drawing.items:
            if isinstance(item, Rectangle | Ellipse) and item.node:
                assert all(drawing.width_of(words) < item.box.width for words in item.words), (typeface, item.node)
