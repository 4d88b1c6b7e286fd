"""Whatever stands in a title, a label or a name: every format is a whole file that a library of that format opens."""

from __future__ import annotations

import csv
import io
import json
import xml.etree.ElementTree as ET
import zipfile
from collections.abc import Callable
from functools import cache
from html.parser import HTMLParser
from typing import Any

import networkx
import numpy as np
import pydot
import pyreadstat
import pytest
from docx import Document
from odf.opendocument import load
from openpyxl import load_workbook
from pptx import Presentation
from pylatexenc.latexwalker import LatexWalker
from pypdf import PdfReader

from dusk_arrow.core.observations.data import Column, DataSet
from dusk_arrow.core.texts import plain_name
from dusk_arrow.exchange.writing import WRITERS, write_data, write_tables
from dusk_arrow.figure.formats.registry import FORMATS as FIGURES
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.report.assembly import Report, build, drawn
from dusk_arrow.report.formats.registry import FORMATS
from dusk_arrow.report.material import material
from dusk_arrow.report.options import Edit, NamedFigure, PartChoice, ReportOptions
from dusk_arrow.report.tables.registry import TABLES
from dusk_arrow.results.document import Results
from tests.report.conftest import estimated, renamed, wardens

CONTROLS = "".join(map(chr, [*range(32), *range(127, 160)]))
HOSTILE = {
    "controls": f"a{CONTROLS}b", "lines": "a\n\nb\r\nc\u2028d", "directions": "a\u202eb\u2066c\u200f", "surrogates": "a\ud800b\udfff", "no letters": "a\ufffe\uffff\ufeffb",
    "markup": "<script>&amp;]]></script>", "latex": "\\end{document} % $x_1^2$ #~{", "formula": "=cmd|'/c'!A1", "long": "word " * 120, "letters": "A-" * 1500,
    "emoji": "👩\u200d🔬𝔘", "scripts": "日本語 עברית ไทย", "markdown": "# [a](b) `c` | d\n- e", "quotes": "'\"`\\\\'",
}  # fmt: skip


def labelled(results: Results, text: str) -> Results:
    """A document of data whose labels are a text."""
    assert results.data is not None
    labels = dict.fromkeys(results.data.labels or results.sample.variables, text)  # type: ignore[union-attr]
    return results.model_copy(update={"data": results.data.model_copy(update={"labels": labels})})


@cache
def hostile(kind: str) -> Report:
    """A report whose title, parts, words and labels are all hostile, and whose names are what becomes of such texts."""
    text, name = HOSTILE[kind], plain_name(HOSTILE[kind])[:150]
    results = labelled(renamed(estimated(), {"Training": f"T{name}", "tr1": f"t{name}", "Efficacy": f"E{name}"}), text)
    options = ReportOptions.model_construct(
        title=text, parts=[PartChoice.model_construct(key=one.key, shown=True, title=text) for one in TABLES],
        figures=[NamedFigure(options=FigureOptions(labels=True))], decimals=2, leading_zero=False, n_in_chi_square=True,
        edits={"method": Edit.model_construct(text=f"{text}\n{text}", computed="", beside=[])},
    )  # fmt: skip
    return build(material(results, None), options, text)


def html(content: bytes) -> None:
    parser = HTMLParser()
    parser.feed(content.decode())
    assert b"<script>&amp;" not in content


def bundle(content: bytes) -> None:
    with zipfile.ZipFile(io.BytesIO(content)) as files:
        assert files.testzip() is None
        for name in files.namelist():
            assert list(csv.reader(io.StringIO(files.read(name).decode())))


OPEN: dict[str, Callable[[bytes], Any]] = {
    "docx": lambda content: Document(io.BytesIO(content)).paragraphs[0].text,
    "pdf": lambda content: PdfReader(io.BytesIO(content)).pages[0].extract_text(),
    "html": html,
    "tex": lambda content: LatexWalker(content.decode(), tolerant_parsing=False).get_latex_nodes(),
    "md": lambda content: content.decode(),
    "xlsx": lambda content: load_workbook(io.BytesIO(content)).sheetnames,
    "zip": bundle,
    "bib": lambda content: content.decode(),
    "svg": lambda content: ET.fromstring(content.decode()),
    "png": lambda content: content[:8],
    "pptx": lambda content: Presentation(io.BytesIO(content)).slides[0].shapes,
    "odg": lambda content: load(io.BytesIO(content)).body,
    "graphml": lambda content: networkx.parse_graphml(content.decode()).nodes,
    "dot": lambda content: pydot.graph_from_dot_data(content.decode())[0].get_nodes(),
}


@pytest.mark.parametrize("kind", HOSTILE)
@pytest.mark.parametrize("ending", [*FORMATS, *(one for one in FIGURES if one not in FORMATS)])
def test_every_format_is_a_whole_file(kind: str, ending: str) -> None:
    """Control characters made five formats fail, and two more be written so that nothing opened them."""
    if ending in FORMATS:
        content = FORMATS[ending].write(hostile(kind))
    else:
        content = FIGURES[ending].render(hostile(kind).figures[0].drawing)
    OPEN[ending](content)
    if ending == "tex":
        head = content.decode().split("\\begin{document}", 1)[1][:60_000]
        assert "\n\n\n\n" not in head
        title = next(line for line in content.decode().splitlines() if line.startswith("\\title{"))
        assert title.endswith("}"), "a blank line in a title stops the run"


@pytest.mark.parametrize("kind", HOSTILE)
def test_data_and_tables_are_whole_files(kind: str) -> None:
    """The data as they are used go out again, with labels and texts as somebody typed them."""
    text = HOSTILE[kind].encode("utf-8", "ignore").decode()
    numbers = np.arange(6.0)
    data = DataSet("study", (
        Column("a", "ordered", numbers, None, text, {"1": text}), Column(f"b{text[:100]}".strip(), "number", numbers),
        Column("c", "text", None, np.array([text, None, "x", "y", "z", text], dtype=object), text),
    ))  # fmt: skip
    for ending in WRITERS:
        content = write_data(data, ending)
        if ending == "xlsx":
            assert load_workbook(io.BytesIO(content))["data"].max_row == 7
        elif ending == "csv":
            assert len(list(csv.reader(io.StringIO(content.decode(), newline="")))) == 7
        else:
            from tempfile import NamedTemporaryFile

            with NamedTemporaryFile(suffix=".sav") as file:
                file.write(content)
                file.flush()
                assert len(pyreadstat.read_sav(file.name)[0]) == 6
    sheet = write_tables({text: [[text, 1.0], [None, text]]}, "xlsx")
    assert load_workbook(io.BytesIO(sheet)).worksheets[0].max_row == 2
    assert json.dumps(text)


def test_a_title_of_three_hundred_letters_goes_into_a_document() -> None:
    """Its property holds 255; the title on the page holds all of them."""
    title = "W" * 300
    paper = Document(io.BytesIO(FORMATS["docx"].write(build(wardens(), ReportOptions(title=title)))))
    assert (paper.paragraphs[0].text, paper.core_properties.title) == (title, title[:255])


def test_a_figure_of_hostile_labels_is_drawn() -> None:
    """As it is on the page, without a report around it."""
    drawing = drawn(NamedFigure(options=FigureOptions(labels=True)), labelled(estimated(), f"L{CONTROLS}\u202e"))
    said = "".join(word.text for item in drawing.items for word in getattr(item, "words", ()))
    assert "L" in said
    assert not set(CONTROLS) & set(said)
