"""Documents opened again by the libraries of their formats: what stands in them is the report, whatever names hold."""

from __future__ import annotations

import csv
import io
import re
import zipfile
from functools import cache

import pytest
from docx import Document
from docx.shared import Mm
from openpyxl import load_workbook
from pylatexenc.latexwalker import LatexWalker
from pypdf import PdfReader

from dusk_arrow.command_line.fit import fit
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.figure.paper import diagram
from dusk_arrow.figure.sizes import largest
from dusk_arrow.report.assembly import Figure, Report, Words, build
from dusk_arrow.report.cells import spread
from dusk_arrow.report.formats.registry import FORMATS
from dusk_arrow.report.material import material
from dusk_arrow.report.options import NamedFigure, PartChoice, ReportOptions
from dusk_arrow.report.proposals import proposal
from dusk_arrow.report.tables.registry import TABLES
from tests.conftest import DEMO
from tests.figure.made_up import made_up
from tests.report.conftest import estimated, renamed, wardens

NASTY = {
    "Training": "R&D <x> 100%",
    "Support": "=1+1_b",
    "tr1": "日本語",
    "su1": "@cmd|'x",
    "Efficacy": "Ефект #1",
    "ef1": "{a}\\b$^~",
}


@cache
def reports() -> dict[str, Report]:
    """The report with all of its tables, as it is and with names that mean something to formats."""
    options = ReportOptions(parts=[PartChoice(key=one.key) for one in TABLES])
    nasty = material(renamed(estimated(), NASTY), None)
    return {"plain": build(wardens(), options, "River Wardens"), "nasty": build(nasty, options, 'A <title> & "more"')}


@cache
def written(name: str, ending: str) -> bytes:
    return FORMATS[ending].write(reports()[name])


@pytest.mark.parametrize("name", ["plain", "nasty"])
def test_docx_has_every_cell_and_numbers_its_captions(name: str) -> None:
    """A table that differs by one cell from the screen is worse than none."""
    report, paper = reports()[name], Document(io.BytesIO(written(name, "docx")))
    assert len(paper.tables) == len(report.tables)
    for grid, one in zip(paper.tables, report.tables, strict=True):
        texts = [cell.text for cell in grid._cells]
        wanted = [column.words for column in one.table.columns]
        wanted += [report.style.printed(cell).strip() for row in one.table.rows for cell in row.cells]
        assert texts == wanted
    xml = paper.element.xml
    assert len(re.findall(r"SEQ Table", xml)) == len(report.tables)
    assert len(re.findall(r"SEQ Figure", xml)) == len(report.figures)
    assert "svgBlip" in xml
    with zipfile.ZipFile(io.BytesIO(written(name, "docx"))) as parts:
        assert [one for one in parts.namelist() if one.endswith(".svg")]
    said = [text for block in report.blocks if isinstance(block, Words) for text in block.paragraphs]
    assert set(said) <= {paragraph.text for paragraph in paper.paragraphs}


@pytest.mark.parametrize("name", ["plain", "nasty"])
def test_a_workbook_holds_numbers_in_full_and_no_formula(name: str) -> None:
    """Numbers are computed with, and a name that begins with = must not run."""
    report, book = reports()[name], load_workbook(io.BytesIO(written(name, "xlsx")))
    sheets = [sheet for sheet in book if sheet.title != "Words"]
    assert len(sheets) == len(report.tables)
    for sheet, one in zip(sheets, report.tables, strict=True):
        heads, rows = spread(one.table)
        assert [cell.value for cell in sheet[3]][: len(heads)] == heads
        for down, row in enumerate(rows, 4):
            found = [sheet.cell(down, at + 1) for at in range(len(row))]
            for cell, value in zip(found, row, strict=True):
                assert cell.data_type != "f"
                assert cell.value == (pytest.approx(value, rel=1e-14) if isinstance(value, float) else value)


def test_text_files_hold_every_digit_and_start_no_formula() -> None:
    """A spreadsheet opens .csv too."""
    with zipfile.ZipFile(io.BytesIO(written("nasty", "zip"))) as bundle:
        names = bundle.namelist()
        assert len(names) == len(reports()["nasty"].tables)
        for name, one in zip(names, reports()["nasty"].tables, strict=True):
            heads, rows = spread(one.table)
            found = list(csv.reader(io.StringIO(bundle.read(name).decode())))
            assert [head.removeprefix("'") for head in found[0]] == heads
            for line, row in zip(found[1:], rows, strict=True):
                for text, value in zip(line, row, strict=True):
                    if isinstance(value, float):
                        assert float(text) == value
                    elif value is not None:
                        assert text.lstrip("'") == str(value).lstrip("'")
                        assert len(text) < 2 or text[0] not in "=@"


@pytest.mark.parametrize("name", ["plain", "nasty"])
def test_latex_can_be_read_and_every_row_has_its_columns(name: str) -> None:
    """One unescaped sign, and nothing compiles."""
    text = written(name, "tex").decode()
    nodes, _, _ = LatexWalker(text, tolerant_parsing=False).get_latex_nodes()
    assert nodes
    for kind in ("document", "longtable", "figure"):
        assert text.count(f"\\begin{{{kind}}}") == text.count(f"\\end{{{kind}}}")
    for body, one in zip(re.findall(r"\\endhead\n(.*?)\\bottomrule", text, re.S), reports()[name].tables, strict=True):
        lines = [line for line in body.split("\n") if line]
        assert len(lines) == len(one.table.rows)
        for line, row in zip(lines, one.table.rows, strict=True):
            if line.startswith("\\multicolumn"):  # a heading with its line to itself
                assert (row.heading, line.split("}")[0]) == (True, f"\\multicolumn{{{len(one.table.columns)}")
                continue
            assert len(re.findall(r"(?<!\\)&", line)) == len(one.table.columns) - 1, line
    assert "\\multicolumn" in text
    outside = re.sub(r"\\[%&#_$]|\$[^$\n]*\$|%.*", "", text.partition("\\begin{document}")[2])
    assert not re.search(r"[#_$%]", outside.replace("figure_", ""))


@pytest.mark.parametrize("name", ["plain", "nasty"])
def test_the_page_is_whole_and_nothing_in_it_runs(name: str) -> None:
    """A name with angle brackets is text; the page loads nothing from elsewhere."""
    from html.parser import HTMLParser

    class Reader(HTMLParser):
        def __init__(self) -> None:
            super().__init__()
            self.tags: list[str] = []
            self.texts: list[str] = []

        def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
            self.tags.append(tag)
            assert not any(key in ("src", "href") and not str(value).startswith("data:") for key, value in attrs)

        def handle_data(self, data: str) -> None:
            self.texts.append(data)

    reader = Reader()
    reader.feed(written(name, "html").decode())
    report = reports()[name]
    assert "script" not in reader.tags
    assert "x" not in reader.tags
    assert reader.tags.count("table") == len(report.tables)
    assert reader.tags.count("svg") == len(report.figures)
    cells = [report.style.printed(c).strip() for one in report.tables for row in one.table.rows for c in row.cells]
    assert {cell for cell in cells if cell} <= set(reader.texts)


@pytest.mark.parametrize("name", ["plain", "nasty"])
def test_pdf_and_markdown_hold_the_words(name: str) -> None:
    """Text stays text: it can be searched and copied, letters of other scripts too."""
    report = reports()[name]
    pages = PdfReader(io.BytesIO(written(name, "pdf"))).pages
    text = re.sub(r"\s+", "", "".join(page.extract_text() for page in pages))
    for one in report.tables:
        assert re.sub(r"\s+", "", f"Table {one.number}. {one.table.title}") in text
    constructs = [c.name for c in (estimated().quality.constructs if estimated().quality else [])]  # type: ignore[union-attr]
    wanted = constructs if name == "plain" else list(NASTY.values())
    for word in wanted:
        assert re.sub(r"\s+", "", word) in text, word
    down = written(name, "md").decode()
    for one in report.tables:
        lines = [line for line in down.split("\n") if line.startswith("|")]
        assert len(lines) == sum(len(t.table.rows) + 2 for t in report.tables)
        assert all(len(re.findall(r"(?<!\\)\|", line)) >= 3 for line in lines)
        assert one.table.title.split(":")[0] in down.replace("\\", "")


def test_the_command_line_makes_the_same_files(tmp_path, capsys) -> None:  # type: ignore[no-untyped-def]
    """Without a browser: several at once, with the choices of the station."""
    command = [
        str(DEMO / "night_ferry.txt"),
        "--data",
        str(DEMO / "night_ferry.csv"),
        "--bootstrap",
        "64",
        "--workers",
        "1",
    ]
    (tmp_path / "how.json").write_text('{"parts": [{"key": "fit", "title": "How it fits"}], "leading_zero": true}')
    for ending in FORMATS:
        command += ["--report", str(tmp_path / f"out.{ending}")]
    assert fit([*command, "--report-options", str(tmp_path / "how.json")]) == 0
    for ending in FORMATS:
        assert (tmp_path / f"out.{ending}").stat().st_size > 300, ending
    text = (tmp_path / "out.md").read_text()
    assert "How it fits" in text
    assert "0\\." not in text.partition("References")[0].partition("How it fits")[0] or "0." in text
    assert fit([*command, "--report", str(tmp_path / "out.odt")]) == 2
    assert "A report can be saved as .docx, .pdf, .html, .tex, .md, .xlsx, .zip and .bib." in capsys.readouterr().err
    (tmp_path / "how.json").write_text('{"parts": [{"kye": "fit"}]}')
    assert fit([*command, "--report-options", str(tmp_path / "how.json")]) == 2


def test_the_same_report_makes_the_same_files() -> None:
    """Whoever repeats an analysis can compare files."""
    for ending in ("html", "tex", "md", "zip", "bib", "pdf"):
        assert FORMATS[ending].write(reports()["plain"]) == written("plain", ending)


def test_figures_come_with_their_notes() -> None:
    """A star without its note means nothing."""
    for block in reports()["plain"].blocks:
        if isinstance(block, Figure):
            assert block.note.startswith("Note.")


def test_a_wide_figure_has_a_page_on_its_side_in_every_document() -> None:
    """What is 257 mm wide is printed so, and the pages before and after it stay upright."""
    options = ReportOptions(figures=[NamedFigure(options=FigureOptions(width=257))])
    report = build(wardens(), options, "Wide")
    assert report.figures[0].sideways
    paper = Document(io.BytesIO(FORMATS["docx"].write(report)))
    assert [section.page_width > section.page_height for section in paper.sections] == [False, True, False]
    assert paper.inline_shapes[0].width == pytest.approx(Mm(257), rel=1e-3)
    pages = PdfReader(io.BytesIO(FORMATS["pdf"].write(report))).pages
    lying = [page.mediabox.width > page.mediabox.height for page in pages]
    assert lying.count(True) == 1
    assert not lying[0]
    assert not lying[-1]
    assert "Figure 1" in pages[lying.index(True)].extract_text()
    assert 'figure class="sideways"' in FORMATS["html"].write(report).decode()
    upright = build(wardens(), ReportOptions(), "Narrow")
    assert len(Document(io.BytesIO(FORMATS["docx"].write(upright))).sections) == 1
    last = build(wardens(), ReportOptions(figures=options.figures, parts=[
        PartChoice(key=one.key, shown=one.key == "figure") for one in report.offered
    ]))  # fmt: skip
    assert len(PdfReader(io.BytesIO(FORMATS["pdf"].write(last))).pages) == 2  # an empty first one, for the title


def test_a_figure_is_proposed_in_the_narrowest_width_that_can_be_read() -> None:
    """Three constructs go into one column, the demo into two, fifteen, without their items, too."""
    found = {
        constructs: proposal(NamedFigure(), made_up(constructs, items, 1, 2))
        for constructs, items in ((3, 4), (6, 4), (15, 6))
    }
    assert (found[3].width, found[3].direction, found[3].parts) == (84, "down", "both")
    assert found[6].width == 174
    assert (found[15].width, found[15].parts) == (174, "structure")
    asked = NamedFigure(options=FigureOptions(parts="both", beside="interval"))
    crowded = proposal(asked, made_up(15, 6, 4, 2))
    assert (crowded.width, crowded.parts, crowded.direction) == (174, "both", "down"), (
        "items that were asked for are not left out where they can be read in cards"
    )
    assert crowded.smallest >= 6
    for constructs, one in found.items():
        if constructs < 15:
            assert one.smallest >= 6
        chosen = FigureOptions(width=one.width, direction=one.direction, parts=one.parts)
        drawing = diagram(made_up(constructs, 6 if constructs == 15 else 4, 1, 2), chosen, None, False)
        assert drawing.smallest / drawing.scale * largest(drawing, one.width) == pytest.approx(one.smallest)
