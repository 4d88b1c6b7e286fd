"""A report as a document to write on in: real tables, captions that number themselves, figures as vectors with a picture to
fall back on."""

from __future__ import annotations

import io
from datetime import UTC, datetime

from docx import Document
from docx.document import Document as Paper
from docx.enum.section import WD_ORIENT, WD_SECTION
from docx.enum.table import WD_TABLE_ALIGNMENT
from docx.enum.text import WD_ALIGN_PARAGRAPH
from docx.opc.constants import RELATIONSHIP_TYPE
from docx.opc.packuri import PackURI
from docx.opc.part import Part
from docx.oxml import OxmlElement
from docx.oxml.ns import qn
from docx.shared import Mm, Pt, RGBColor
from docx.text.paragraph import Paragraph
from docx.text.run import Run
from lxml import etree

from dusk_arrow.figure.formats import png
from dusk_arrow.figure.formats.svg import svg
from dusk_arrow.report.assembly import Figure, Report, Words
from dusk_arrow.report.cells import Style, Table
from dusk_arrow.report.formats.widths import column_widths
from dusk_arrow.report.typesetting import runs

FACE = "Calibri"  # a document is written on with the faces of its reader's machine
ACROSS, SIZE, WIDER = Mm(174), 8.5, 1.25
VECTOR = "http://schemas.microsoft.com/office/drawing/2016/SVG/main"
VECTOR_MARK = "{96DAC541-7B7A-43D3-8B79-37D633B846F1}"
FALL_BACK = 200  # dots an inch of the picture beside the vectors
LONGEST_PROPERTY = 255  # letters that the properties of such a document can have
EARLIEST = datetime(2000, 1, 1, tzinfo=UTC)


def _field(paragraph: Paragraph, kind: str, number: int) -> None:
    """A number that counts the captions of its kind."""
    for what, text in (
        ("begin", ""),
        ("instr", f" SEQ {kind} \\* ARABIC "),
        ("separate", ""),
        ("text", str(number)),
        ("end", ""),
    ):
        run = paragraph.add_run()
        if what == "instr":
            element = OxmlElement("w:instrText")
            element.set(qn("xml:space"), "preserve")
            element.text = text
            run._r.append(element)
        elif what == "text":
            run.text = text
        else:
            element = OxmlElement("w:fldChar")
            element.set(qn("w:fldCharType"), what)
            run._r.append(element)


def _written(paragraph: Paragraph, text: str, symbols: bool = True) -> list[Run]:
    """A text in a paragraph, its symbols in italics."""
    found = []
    for piece, symbol in runs(text) if symbols else [(text, False)]:
        run = paragraph.add_run(piece)
        run.italic = symbol or None
        found.append(run)
    return found


def _caption(paper: Paper, kind: str, number: int, title: str, above: bool) -> None:
    paragraph = paper.add_paragraph(style="Caption")
    paragraph.paragraph_format.keep_with_next = above
    paragraph.add_run(f"{kind} ")
    _field(paragraph, kind, number)
    paragraph.add_run(f". {title}")


def _line(cell: object, edge: str, size: int) -> None:
    """A line at one edge of a cell, in eighths of a point."""
    properties = cell._tc.get_or_add_tcPr()  # type: ignore[attr-defined]
    borders = properties.first_child_found_in("w:tcBorders")
    if borders is None:
        borders = OxmlElement("w:tcBorders")
        properties.append(borders)
    line = OxmlElement(f"w:{edge}")
    for name, value in (("val", "single"), ("sz", str(size)), ("space", "0"), ("color", "232540")):
        line.set(qn(f"w:{name}"), value)
    borders.append(line)


def _table(paper: Paper, one: Table, style: Style) -> None:
    """A table with the three lines of a journal; its heading is repeated on every page."""
    grid = paper.add_table(rows=1 + len(one.rows), cols=len(one.columns))
    grid.alignment = WD_TABLE_ALIGNMENT.LEFT
    grid.autofit = True
    texts = [
        [column.words for column in one.columns],
        *([style.printed(cell) for cell in row.cells] for row in one.rows),
    ]
    widths, narrow = column_widths(one, texts[1:], SIZE, ACROSS / Pt(1))
    roomy = min(WIDER, ACROSS / Pt(1) / sum(widths))  # the reader's face may be wider than ours
    widths = [width * roomy for width in widths]
    for column, width in zip(grid.columns, widths, strict=True):
        column.width = Pt(width)
    margins = OxmlElement("w:tblCellMar")
    for edge, size in (("left", 0), ("right", 80)):
        margin = OxmlElement(f"w:{edge}")
        margin.set(qn("w:w"), str(size))
        margin.set(qn("w:type"), "dxa")
        margins.append(margin)
    grid._tbl.tblPr.append(margins)
    written = paper.styles["Table text"].style_id
    cells, across = grid._cells, len(one.columns)  # asked once: every asking looks through the whole table
    for down, (row, line) in enumerate(zip(grid._tbl.tr_lst, texts, strict=True)):
        properties = row.get_or_add_trPr()
        properties.append(OxmlElement("w:cantSplit"))
        if down == 0:
            properties.append(OxmlElement("w:tblHeader"))
        for at, (cell, text) in enumerate(zip(cells[down * across : (down + 1) * across], line, strict=True)):
            paragraph = cell.paragraphs[0]
            paragraph._p.style = written
            if down and at == 0 and text.startswith("    "):
                paragraph.paragraph_format.left_indent = Mm(3)
            for run in _written(paragraph, text.strip(), symbols=down == 0):
                run.bold = bool(down and one.rows[down - 1].heading)
                if narrow < 1:
                    run.font.size = Pt(round(2 * SIZE * narrow) / 2)
            cell.width = Pt(widths[at])
            if one.columns[at].holds != "text":
                paragraph.alignment = WD_ALIGN_PARAGRAPH.RIGHT
            if down == 0:
                _line(cell, "top", 10)
                _line(cell, "bottom", 4)
            if down == len(one.rows):
                _line(cell, "bottom", 10)
            if down < len(one.rows):
                paragraph.paragraph_format.keep_with_next = len(one.rows) <= 14


def _picture(paper: Paper, block: Figure) -> None:
    """The figure as a picture, and as the vectors that programs which know them show instead."""
    drawing = block.drawing
    width = int(Pt(drawing.width * drawing.scale))
    paragraph = paper.add_paragraph()
    paragraph.paragraph_format.keep_with_next = True
    shape = paragraph.add_run().add_picture(io.BytesIO(png.write(drawing, FALL_BACK)), width=width)
    shape._inline.docPr.set("descr", drawing.title)
    part = Part(
        PackURI(f"/word/media/figure{block.number}.svg"),
        "image/svg+xml",
        svg(drawing, font=False).encode(),
        paper.part.package,
    )
    link = paper.part.relate_to(part, RELATIONSHIP_TYPE.IMAGE)
    blip = shape._inline.graphic.graphicData.pic.blipFill.blip
    extensions = etree.SubElement(blip, qn("a:extLst"))
    extension = etree.SubElement(extensions, qn("a:ext"), uri=VECTOR_MARK)
    vector = etree.SubElement(extension, f"{{{VECTOR}}}svgBlip", nsmap={"asvg": VECTOR})
    vector.set(qn("r:embed"), link)


def _turned(paper: Paper, sideways: bool) -> None:
    """A new page, and those after it: on its side or upright."""
    section = paper.add_section(WD_SECTION.NEW_PAGE)
    section.orientation = WD_ORIENT.LANDSCAPE if sideways else WD_ORIENT.PORTRAIT
    section.page_width, section.page_height = (Mm(297), Mm(210)) if sideways else (Mm(210), Mm(297))


def _styles(paper: Paper) -> None:
    normal = paper.styles["Normal"]
    normal.font.name, normal.font.size = FACE, Pt(10.5)
    normal.paragraph_format.space_after = Pt(6)
    for name, size in (("Title", 18), ("Heading 1", 13), ("Caption", 10)):
        style = paper.styles[name]
        style.font.name, style.font.size, style.font.bold, style.font.italic = FACE, Pt(size), True, False
        style.font.color.rgb = RGBColor(0x23, 0x25, 0x40)
        fonts = style.element.get_or_add_rPr().get_or_add_rFonts()
        for key in [key for key in fonts.attrib if key.endswith("Theme")]:
            del fonts.attrib[key]
    for name in ("Table text", "Table note"):
        style = paper.styles.add_style(name, 1)
        style.base_style = normal
        style.font.size = Pt(SIZE)
        style.paragraph_format.space_after = Pt(0 if name == "Table text" else 10)
        style.paragraph_format.space_before = Pt(0 if name == "Table text" else 3)


def write(report: Report) -> bytes:
    """The document."""
    paper = Document()
    section = paper.sections[0]
    section.page_width, section.page_height = Mm(210), Mm(297)
    section.left_margin = section.right_margin = Mm(18)
    section.top_margin = section.bottom_margin = Mm(20)
    _styles(paper)
    about = paper.core_properties
    about.title, about.author, about.comments = report.title[:LONGEST_PROPERTY], "", ""
    about.created = about.modified = EARLIEST
    if report.title:
        paper.add_paragraph(report.title, style="Title")
    lying = False
    for block in report.blocks:
        if lying or (isinstance(block, Figure) and block.sideways):
            lying = isinstance(block, Figure) and block.sideways
            _turned(paper, lying)
        if isinstance(block, Words):
            paper.add_heading(block.title, 1)
            for text in block.paragraphs:
                _written(paper.add_paragraph(), text)
        elif isinstance(block, Figure):
            _picture(paper, block)
            _caption(paper, "Figure", block.number, block.title, above=False)
            if block.note:
                _written(paper.add_paragraph(style="Table note"), block.note)
        else:
            _caption(paper, "Table", block.number, block.table.title, above=True)
            _table(paper, block.table, report.style)
            note = f"Note. {' '.join(block.table.notes)}" if block.table.notes else ""
            _written(paper.add_paragraph(style="Table note"), note)
    if report.references:
        if lying:
            _turned(paper, False)
        paper.add_heading("References", 1)
        for one in report.references:
            paragraph = paper.add_paragraph(one.text)
            paragraph.paragraph_format.left_indent, paragraph.paragraph_format.first_line_indent = Mm(8), -Mm(8)
    file = io.BytesIO()
    paper.save(file)
    return file.getvalue()
