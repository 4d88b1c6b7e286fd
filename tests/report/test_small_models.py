"""Reports of models that hold next to nothing: what is begun is exported, too."""

from __future__ import annotations

import io
from functools import cache

import pytest
from docx import Document
from openpyxl import load_workbook

from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.figure.formats.registry import FORMATS as PICTURES
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.figure.paper import diagram
from dusk_arrow.report.assembly import Numbered, Report, build
from dusk_arrow.report.formats.registry import FORMATS
from dusk_arrow.report.material import material
from dusk_arrow.report.options import ReportOptions
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.document import Results
from dusk_arrow.results.settings import Settings
from tests.report.conftest import worded

MODELS = {
    "one construct": ("Training shows in tr1, tr2, tr3, tr4", "covariance"),
    "one path": ("age leads to years", "covariance"),
    "constructs without a path": ("Training shows in tr1, tr2, tr3\nSupport shows in su1, su2, su3", "covariance"),
    "two composites": (
        "Training is made of tr1, tr2\nSupport shows in su1, su2\nTraining leads to Support",
        "composite",
    ),
}


@cache
def results_of(name: str) -> Results:
    text, family = MODELS[name]
    settings = Settings(family=family, seed=7)  # type: ignore[arg-type]
    return assemble(analyse(parse(text), worded(), settings))


@cache
def report_of(name: str) -> Report:
    return build(material(results_of(name), worded()), ReportOptions(), name)


@pytest.mark.parametrize("name", MODELS)
@pytest.mark.parametrize("kind", FORMATS)
def test_a_small_model_has_a_report_in_every_format(kind: str, name: str) -> None:
    """Somebody who begins with one block, or with one regression, wants it on paper; no part may need what is not there."""
    content = FORMATS[kind].write(report_of(name))
    assert len(content) > (0 if kind == "bib" else 200)
    if kind == "docx":
        words = " ".join(paragraph.text for paragraph in Document(io.BytesIO(content)).paragraphs)
        assert "nan" not in words.lower().split()
        assert "None" not in words.split()
    if kind == "xlsx":
        cells = [cell for sheet in load_workbook(io.BytesIO(content)) for row in sheet.iter_rows() for cell in row]
        assert not {"nan", "None", "inf"} & {str(cell.value) for cell in cells if cell.value is not None}


@pytest.mark.parametrize("name", MODELS)
@pytest.mark.parametrize("kind", PICTURES)
def test_a_small_model_has_a_picture_in_every_format(kind: str, name: str) -> None:
    """A figure of one shape is a figure."""
    for options in (
        FigureOptions(),
        FigureOptions(parts="structure", r_squared=False),
        FigureOptions(notation="cards"),
    ):
        drawing = diagram(results_of(name), options)
        assert len(PICTURES[kind].render(drawing)) > 100
        assert drawing.width > 20
        assert drawing.height > 20


def test_a_part_that_would_be_empty_is_not_in_the_report() -> None:
    """A heading without a table below it looks like a mistake."""
    shown = keys("one construct")
    assert {"sample", "method", "measures", "figure"} <= shown
    assert not {"paths", "explained", "effects", "mediation", "htmt", "fornell_larcker"} & shown
    assert "paths" in keys("one path")
    assert "measures" not in keys("one path")
    assert {"htmt", "fornell_larcker"} <= keys("constructs without a path")


def keys(name: str) -> set[str]:
    """Which parts a report has."""
    return {one.table.key if isinstance(one, Numbered) else one.key for one in report_of(name).blocks}
