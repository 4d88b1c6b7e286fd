"""A report as PDF pages: text stays text, figures stay vectors, long tables repeat their headings."""

from __future__ import annotations

from io import BytesIO
from xml.sax.saxutils import escape

from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import (
    BaseDocTemplate,
    CondPageBreak,
    Flowable,
    Frame,
    KeepTogether,
    NextPageTemplate,
    PageBreak,
    PageTemplate,
    Paragraph,
    Spacer,
    TableStyle,
)
from reportlab.platypus import Table as Grid

from dusk_arrow.figure.formats.faces import ITALIC, OWN, faces, runs
from dusk_arrow.figure.formats.pdf import draw
from dusk_arrow.figure.sizes import SIDEWAYS
from dusk_arrow.report.assembly import Figure, Report, Words
from dusk_arrow.report.cells import Style, Table
from dusk_arrow.report.formats.widths import column_widths
from dusk_arrow.report.typesetting import runs as symbols

INK, QUIET = HexColor("#232540"), HexColor("#55576b")
ACROSS, MARGIN = 174 * mm, 18 * mm
BODY = ParagraphStyle("body", fontName=OWN[False], fontSize=10, leading=14, textColor=INK, spaceAfter=6)
HEADING = ParagraphStyle(
    "heading", parent=BODY, fontName=OWN[True], fontSize=12.5, leading=16, spaceBefore=12, spaceAfter=4
)
TITLE = ParagraphStyle("title", parent=HEADING, fontSize=17, leading=21, spaceAfter=12)
CAPTION = ParagraphStyle("caption", parent=BODY, fontName=OWN[True], spaceBefore=8, spaceAfter=3)
NOTE = ParagraphStyle("note", parent=BODY, fontSize=8.5, leading=11, textColor=QUIET, spaceBefore=3, spaceAfter=10)
ENTRY = ParagraphStyle("entry", parent=BODY, leftIndent=8 * mm, firstLineIndent=-8 * mm)


class Picture(Flowable):  # type: ignore[misc]
    """A drawing in its size."""

    def __init__(self, block: Figure) -> None:
        super().__init__()
        self.drawing = drawing = block.drawing
        self.width, self.height = drawing.width * drawing.scale, drawing.height * drawing.scale

    def draw(self) -> None:
        """Draws it; the page grows upwards."""
        self.canv.saveState()
        self.canv.translate(0, self.height)
        self.canv.scale(self.drawing.scale, self.drawing.scale)
        for item in self.drawing.items:
            draw(self.canv, item, self.drawing.typeface)
        self.canv.restoreState()


def _marked(text: str, bold: bool = False) -> str:
    """Text as a paragraph takes it, other faces named where its own lacks a letter."""
    own = OWN[bold]
    return "".join(
        escape(piece) if face == own else f'<font name="{face}">{escape(piece)}</font>'
        for face, piece in runs(text, bold)
    )


def _said(text: str) -> str:
    """The same with its symbols in italics."""
    return "".join(
        f'<font name="{ITALIC}">{escape(piece)}</font>' if symbol else _marked(piece) for piece, symbol in symbols(text)
    )


def _table(table: Table, style: Style) -> Grid:
    """A table with the three lines of a journal."""
    size = 8.5
    texts = [[style.printed(cell) for cell in row.cells] for row in table.rows]
    widths, narrow = column_widths(table, texts, size, ACROSS)
    size *= narrow
    plain = ParagraphStyle("cell", fontName=OWN[False], fontSize=size, leading=size * 1.25, textColor=INK)
    right = ParagraphStyle("number", parent=plain, alignment=2)
    inset, bold = (
        ParagraphStyle("inset", parent=plain, leftIndent=8),
        ParagraphStyle("bold", parent=plain, fontName=OWN[True]),
    )
    strong = ParagraphStyle("strong", parent=right, fontName=OWN[True])
    rows = [[Paragraph(_said(c.words), plain if c.holds == "text" else right) for c in table.columns]]
    for row, cells in zip(table.rows, texts, strict=True):
        line = []
        for column, text in zip(table.columns, cells, strict=True):
            own = (
                (bold if row.heading else inset if text.startswith("    ") else plain)
                if column.holds == "text"
                else strong
                if row.heading
                else right
            )
            line.append(Paragraph(_marked(text.strip(), row.heading), own))
        rows.append(line)
    lines = [
        ("LINEABOVE", (0, 0), (-1, 0), 1.1, INK), ("LINEBELOW", (0, 0), (-1, 0), 0.5, INK), ("LINEBELOW", (0, -1), (-1, -1), 1.1, INK),
        ("VALIGN", (0, 0), (-1, 0), "BOTTOM"), ("VALIGN", (0, 1), (-1, -1), "TOP"), ("TOPPADDING", (0, 0), (-1, -1), 1.5),
        ("BOTTOMPADDING", (0, 0), (-1, -1), 1.5), ("LEFTPADDING", (0, 0), (-1, -1), 0), ("RIGHTPADDING", (0, 0), (-1, -1), 6),
    ]  # fmt: skip
    return Grid(rows, colWidths=widths, repeatRows=1, splitInRow=1, hAlign="LEFT", style=TableStyle(lines))


def _foot(canvas: Canvas, document: BaseDocTemplate) -> None:
    canvas.setFont(OWN[False], 8)
    canvas.setFillColor(QUIET)
    canvas.drawRightString(canvas._pagesize[0] - MARGIN, 11 * mm, str(document.page))


def write(report: Report) -> bytes:
    """The pages."""
    faces()
    story: list[Flowable] = [Paragraph(_marked(report.title, True), TITLE)] if report.title else []
    for block in report.blocks:
        if isinstance(block, Words):
            first, *rest = [Paragraph(_said(text), BODY) for text in block.paragraphs] or [Spacer(1, 1)]
            story += [KeepTogether([Paragraph(_marked(block.title, True), HEADING), first]), *rest]
        elif isinstance(block, Figure):
            caption = Paragraph(_marked(f"Figure {block.number}. {block.title}", True), CAPTION)
            note = [Paragraph(_said(block.note), NOTE)] if block.note else [Spacer(1, 8)]
            whole = [Spacer(1, 6), Picture(block), caption, *note]
            if block.sideways:
                turned = [NextPageTemplate("sideways"), PageBreak(), *whole, NextPageTemplate("page"), PageBreak()]
                story += turned
            else:
                story.append(KeepTogether(whole))
        else:
            caption = Paragraph(_marked(f"Table {block.number}. {block.table.title}", True), CAPTION)
            note = (
                [Paragraph(_said(f"Note. {' '.join(block.table.notes)}"), NOTE)]
                if block.table.notes
                else [Spacer(1, 10)]
            )
            grid = _table(block.table, report.style)
            short = len(block.table.rows) <= 14
            story += [KeepTogether([caption, grid, *note])] if short else [CondPageBreak(60 * mm), caption, grid, *note]
    if report.references:
        story.append(Paragraph("References", HEADING))
        story += [Paragraph(_marked(one.text), ENTRY) for one in report.references]
    file = BytesIO()
    page = BaseDocTemplate(
        file, pagesize=A4, leftMargin=MARGIN, rightMargin=MARGIN, topMargin=18 * mm, bottomMargin=18 * mm, title=report.title or "Report",
        creator="Dusk Arrow", invariant=1,
    )  # fmt: skip
    frame = Frame(
        MARGIN, 18 * mm, ACROSS, A4[1] - 36 * mm, leftPadding=0, rightPadding=0, topPadding=0, bottomPadding=0
    )
    high, wide = A4
    lying = Frame(
        20 * mm, 18 * mm, SIDEWAYS * mm, high - 36 * mm, leftPadding=0, rightPadding=0, topPadding=0, bottomPadding=0
    )
    page.addPageTemplates(
        [
            PageTemplate("page", [frame], onPage=_foot),
            PageTemplate("sideways", [lying], onPage=_foot, pagesize=(wide, high)),
        ]
    )
    page.build(story or [Spacer(1, 1)])
    return file.getvalue()
