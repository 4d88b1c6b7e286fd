"""The figure for a paper: what was chosen is what is drawn, in every format, and the note says so."""

from __future__ import annotations

import io
import json
import xml.etree.ElementTree as ET
from typing import Any

import numpy as np
import pytest
from PIL import Image
from pydantic import ValidationError
from pypdf import PdfReader

from dusk_arrow.command_line.fit import fit
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.wording import interval_text
from dusk_arrow.figure.drawing import Drawing, Ellipse, Line, Rectangle
from dusk_arrow.figure.formats.registry import FORMATS
from dusk_arrow.figure.notes import fit_line
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.figure.paper import diagram
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.document import ParameterPart, Results
from dusk_arrow.results.settings import Settings
from tests.conftest import DEMO, demo_data, demo_text
from tests.report.situations import hair


@pytest.fixture(scope="module")
def wardens() -> Results:
    text = demo_text("river_wardens") + "\nSupport leads to Persistence"  # a path whose interval holds zero
    return assemble(analyse(parse(text), demo_data("river_wardens"), Settings(bootstrap=128)))


def drawn(results: Results, **options: Any) -> Drawing:
    return diagram(results, FigureOptions(**options))


def words(drawing: Drawing) -> list[str]:
    return [item.text for item in drawing.words()]


def paths(results: Results) -> list[ParameterPart]:
    return [p for p in results.parameters if p.kind == "path"]


def test_stars_are_those_of_p_and_the_note_names_their_basis(wardens: Results) -> None:
    """A star too many is a false claim in print."""
    found = words(drawn(wardens, beside="stars"))
    for path in paths(wardens):
        assert path.standardized_bootstrap is not None
        p = path.standardized_bootstrap.p_value
        assert p is not None
        stars = "***" if p < 0.001 else "**" if p < 0.01 else "*" if p < 0.05 else ""
        assert FigureOptions().number(path.standardized) + stars in found
    note = " ".join(found)
    assert "* p < .05, ** p < .01, *** p < .001, by the bootstrap." in note
    assert "Dashed: the 95 % interval contains zero." in note


@pytest.mark.parametrize(
    ("uncertain", "lines", "dashes"), [("dashed", 8, 1), ("plain", 8, 0), ("grey", 8, 0), ("hidden", 7, 0)]
)
def test_what_could_be_zero_is_told_as_chosen(uncertain: str, lines: int, dashes: int, wardens: Results) -> None:
    """One path of eight could be zero; hiding it is said in the note, as it would mislead otherwise."""
    drawing = drawn(wardens, parts="structure", uncertain=uncertain)
    shown = [item for item in drawing.items if isinstance(item, Line)]
    assert (len(shown), sum(line.dashed for line in shown)) == (lines, dashes)
    assert len({line.stroke for line in shown}) == (2 if uncertain == "grey" else 1)
    assert ("are not drawn" in " ".join(words(drawing)).split("Covariances")[0]) == (uncertain == "hidden")


def test_parts_and_numbers_follow_the_choices(wardens: Results) -> None:
    """Items, paths, loadings, R², scale, decimals and zeros are each on or off by themselves."""
    items = words(drawn(wardens, parts="measurement"))
    assert {"tr1", "pe4", ".81"} <= set(items)
    assert not any(text.startswith(("R²", "[")) for text in items)
    bare = words(drawn(wardens, parts="structure", r_squared=False, note=False, beside="nothing"))
    assert sorted(bare) == sorted(
        [*(FigureOptions().number(p.standardized) for p in paths(wardens)),
         "Training", "Support", "Efficacy", "Stewardship", "Persistence", "Effort"]
    )  # fmt: skip
    assert ".81" not in words(drawn(wardens, loadings=False))
    three = words(drawn(wardens, decimals=3, leading_zero=True, fit=True))
    path = paths(wardens)[0]
    assert f"{path.standardized:.3f}" in three
    assert any("CFI = 0.9" in text for text in three)
    raw = words(drawn(wardens, standardized=False, beside="se"))
    assert f"{path.estimate:.2f}" in raw
    assert path.bootstrap is not None
    assert f"({path.bootstrap.se:.2f})" in raw
    assert "Unstandardized" in " ".join(raw)
    thick = [i.width for i in drawn(wardens, parts="structure", thickness=True).items if isinstance(i, Line)]
    assert max(thick) > 3 * min(thick)


def test_composites_have_figures_of_fit_of_their_own() -> None:
    """Chosen for both families, each figure shows what it has: a χ² of composites would be one that nobody computed."""
    settings = Settings(family="composite")
    found = assemble(analyse(parse(demo_text("river_wardens")), demo_data("river_wardens"), settings))
    assert found.fit is not None
    said = fit_line(found, FigureOptions(fit=["chi_square", "cfi", "srmr", "d_uls", "d_g"]))
    assert said == f"Fit: SRMR = {found.fit.srmr:.3f}".replace("0.", ".") + (
        f", d_ULS = {found.fit.d_uls:.3f}, d_G = {found.fit.d_g:.3f}."
    )


@pytest.mark.parametrize("options", [{}, {"parts": "structure", "beside": "p"}, {"beside": "stars", "thickness": True}])
def test_nothing_is_written_over_a_shape(options: dict[str, Any], wardens: Results) -> None:
    """A label on an ellipse cannot be read in print."""
    drawing = drawn(wardens, **options)
    shapes = [i.box for i in drawing.items if isinstance(i, Ellipse) or (isinstance(i, Rectangle) and i.stroke)]
    covers = [i.box for i in drawing.items if isinstance(i, Rectangle) and not i.stroke][1:]
    for cover in covers:
        assert all(cover.overlap(shape) < 1 for shape in shapes)
        assert cover.x >= 0
        assert cover.x + cover.width <= drawing.width


def test_every_format_holds_the_same_words(wardens: Results) -> None:
    """What is edited, printed or shown is one figure: text as text in SVG and PDF, the same picture in PNG."""
    drawing = drawn(wardens, fit=True)
    svg = ET.fromstring(FORMATS["svg"].render(drawing))
    assert [e.text for e in svg.iter("{http://www.w3.org/2000/svg}text")] == words(drawing)
    pdf = PdfReader(io.BytesIO(FORMATS["pdf"].render(drawing))).pages[0]
    assert (float(pdf.mediabox.width), float(pdf.mediabox.height)) == pytest.approx(
        (drawing.width, drawing.height), abs=0.01
    )
    text = pdf.extract_text()
    for one in words(drawing):
        assert one in text.replace("\n", " ") or all(part in text for part in one.split())
    picture = Image.open(io.BytesIO(FORMATS["png"].render(drawing)))
    assert picture.size[0] == pytest.approx(drawing.width * 300 / 72, abs=3)
    dark = np.asarray(picture.convert("L")) < 100
    middle = next(i for i in drawing.words() if i.text == "Training")
    x, y = (round(v * 300 / 72) for v in middle.at)
    assert dark[y - 40 : y, x - 60 : x + 60].mean() > 0.05, "names are drawn in PNG too"


def test_the_command_line_takes_the_same_choices(tmp_path: Any, capsys: pytest.CaptureFixture[str]) -> None:
    """A figure is made again without a browser from the choices that were saved."""
    (tmp_path / "how.json").write_text(json.dumps({"beside": "stars", "parts": "structure"}))
    command = [str(DEMO / "night_ferry.txt"), "--data", str(DEMO / "night_ferry.csv")]
    how = ["--figure-options", str(tmp_path / "how.json")]
    for ending in FORMATS:
        assert fit([*command, "--figure", str(tmp_path / f"out.{ending}"), *how]) == 0
        assert (tmp_path / f"out.{ending}").stat().st_size > 500
    assert ".50***<" in (tmp_path / "out.svg").read_text()
    assert fit([*command, "--figure", str(tmp_path / "out.bmp")]) == 2
    assert "The figure can be saved as .svg, .pdf, .png, .pptx, .odg, .graphml and .dot." in capsys.readouterr().err
    (tmp_path / "how.json").write_text('{"beside": "colours"}')
    assert fit([*command, "--figure", str(tmp_path / "out.svg"), *how]) == 2
    assert "beside" in capsys.readouterr().err
    with pytest.raises(ValidationError):
        FigureOptions.model_validate({"besides": "stars"})


def test_a_bound_near_zero_says_on_which_side_it_lies() -> None:
    """ "[.00, .22]" beside a dashed line could not be judged by who reads the figure: the words print −.004, and so does it."""
    found = assemble(analyse(parse("x leads to m, y\nm leads to y"), hair(False), Settings()))
    path = next(p for p in found.parameters if (p.from_, p.to) == ("x", "y"))
    low, high = path.standardized_interval or (0.0, 0.0)
    assert round(low, 2) == 0 > low
    (said,) = [text for text in words(drawn(found)) if text.startswith("[−.0")]
    assert said == interval_text((low, high))
    assert "[.00" not in " ".join(words(drawn(found)))
