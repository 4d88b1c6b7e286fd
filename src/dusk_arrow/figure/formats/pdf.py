"""A drawing as PDF: lines and shapes stay vectors, text stays text in an embedded font."""

from __future__ import annotations

from functools import cache
from importlib.resources import as_file, files
from io import BytesIO

from reportlab.lib.colors import HexColor
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

from dusk_arrow.figure.drawing import Drawing, Ellipse, Head, Item, Line, Rectangle, Words

FACES = {False: "source-sans-3-400", True: "source-sans-3-600"}
DASH = (5, 4)


@cache
def _faces() -> None:
    for name in FACES.values():
        with as_file(files("dusk_arrow.figure") / "fonts" / f"{name}.ttf") as path:
            pdfmetrics.registerFont(TTFont(name, str(path)))


def pdf(drawing: Drawing) -> bytes:
    """The drawing as a page of its own size."""
    _faces()
    file = BytesIO()
    canvas = Canvas(file, pagesize=(drawing.width, drawing.height), invariant=True)
    canvas.setTitle(drawing.title)
    canvas.setCreator("Dusk Arrow")
    canvas.translate(0, drawing.height)
    for item in drawing.items:
        _draw(canvas, item)
    canvas.showPage()
    canvas.save()
    return file.getvalue()


def _draw(canvas: Canvas, item: Item) -> None:
    """Draws one item; the page grows upwards, so heights are negative."""
    if isinstance(item, Words):
        canvas.setFillColor(HexColor(item.fill))
        canvas.setFont(FACES[item.bold], item.size)
        place = {"start": canvas.drawString, "middle": canvas.drawCentredString, "end": canvas.drawRightString}
        place[item.anchor](item.at[0], -item.at[1], item.text)
        return
    if isinstance(item, Rectangle | Ellipse):
        canvas.setFillColor(HexColor(item.fill))
        stroked = item.stroke is not None
        if item.stroke is not None:
            canvas.setStrokeColor(HexColor(item.stroke))
            canvas.setLineWidth(item.width)
            canvas.setDash()
        box = item.box
        if isinstance(item, Rectangle):
            canvas.rect(box.x, -box.y - box.height, box.width, box.height, stroke=int(stroked), fill=1)
        else:
            canvas.ellipse(box.x, -box.y - box.height, box.x + box.width, -box.y, stroke=1, fill=1)
        return
    path = canvas.beginPath()
    if isinstance(item, Head):
        path.moveTo(item.points[0][0], -item.points[0][1])
        for x, y in item.points[1:]:
            path.lineTo(x, -y)
        path.close()
        canvas.setFillColor(HexColor(item.fill))
        canvas.drawPath(path, stroke=0, fill=1)
        return
    assert isinstance(item, Line)
    path.moveTo(item.curves[0].start[0], -item.curves[0].start[1])
    for curve in item.curves:
        (ax, ay), (bx, by), (cx, cy) = curve.first, curve.second, curve.end
        path.curveTo(ax, -ay, bx, -by, cx, -cy)
    canvas.setStrokeColor(HexColor(item.stroke))
    canvas.setLineWidth(item.width)
    canvas.setDash(*([DASH] if item.dashed else []))
    canvas.drawPath(path, stroke=1, fill=0)
