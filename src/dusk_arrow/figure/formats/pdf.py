"""A drawing as PDF: lines and shapes stay vectors, text stays text in an embedded font."""

from __future__ import annotations

from io import BytesIO

from reportlab.lib.colors import HexColor
from reportlab.pdfgen.canvas import Canvas

from dusk_arrow.figure.drawing import BEFORE, Drawing, Ellipse, Item, Label, Line, Rectangle, Words
from dusk_arrow.figure.formats.faces import faces, run_width, runs
from dusk_arrow.figure.typefaces import Typeface

DASH = (5, 4)


def write(drawing: Drawing) -> bytes:
    """The drawing as a page of its own size."""
    faces()
    file = BytesIO()
    canvas = Canvas(file, pagesize=(drawing.width * drawing.scale, drawing.height * drawing.scale), invariant=True)
    canvas.setTitle(drawing.title)
    canvas.setCreator("Dusk Arrow")
    canvas.translate(0, drawing.height * drawing.scale)
    canvas.scale(drawing.scale, drawing.scale)
    for item in drawing.items:
        draw(canvas, item, drawing.typeface)
    canvas.showPage()
    canvas.save()
    return file.getvalue()


def draw(canvas: Canvas, item: Item, typeface: Typeface) -> None:
    """Draws one item; the page grows upwards, so heights are negative."""
    if isinstance(item, Words):
        _text(canvas, item, typeface)
    elif isinstance(item, Line):
        _line(canvas, item)
    else:
        _shape(canvas, item)
        for words in item.words:
            _text(canvas, words, typeface)


def _text(canvas: Canvas, words: Words, typeface: Typeface) -> None:
    canvas.setFillColor(HexColor(words.fill))
    share = BEFORE[words.anchor]
    x = words.at[0] - share * run_width(words.text, words.size, words.bold, typeface)
    for face, piece in runs(words.text, words.bold, typeface):
        canvas.setFont(face, words.size)
        canvas.drawString(x, -words.at[1], piece)
        x += canvas.stringWidth(piece, face, words.size)


def _shape(canvas: Canvas, item: Rectangle | Ellipse | Label) -> None:
    canvas.setFillColor(HexColor(item.fill))
    stroke = None if isinstance(item, Label) else item.stroke
    if stroke is not None and not isinstance(item, Label):
        canvas.setStrokeColor(HexColor(stroke))
        canvas.setLineWidth(item.width)
        canvas.setDash()
    box, stroked = item.box, int(stroke is not None)
    if isinstance(item, Ellipse):
        canvas.ellipse(box.x, -box.y - box.height, box.x + box.width, -box.y, stroke=1, fill=1)
    elif isinstance(item, Rectangle) and item.radius:
        canvas.roundRect(box.x, -box.y - box.height, box.width, box.height, item.radius, stroke=stroked, fill=1)
    else:
        canvas.rect(box.x, -box.y - box.height, box.width, box.height, stroke=stroked, fill=1)


def _line(canvas: Canvas, item: Line) -> None:
    path = canvas.beginPath()
    path.moveTo(item.curves[0].start[0], -item.curves[0].start[1])
    for curve in item.curves:
        (ax, ay), (bx, by), (cx, cy) = curve.first, curve.second, curve.end
        path.curveTo(ax, -ay, bx, -by, cx, -cy)
    canvas.setStrokeColor(HexColor(item.stroke))
    canvas.setLineWidth(item.width)
    canvas.setDash(*([DASH] if item.dashed else []))
    canvas.drawPath(path, stroke=1, fill=0)
    for one in item.heads:
        tip = canvas.beginPath()
        tip.moveTo(one.points[0][0], -one.points[0][1])
        for x, y in one.points[1:]:
            tip.lineTo(x, -y)
        tip.close()
        canvas.setFillColor(HexColor(one.fill))
        canvas.drawPath(tip, stroke=0, fill=1)
