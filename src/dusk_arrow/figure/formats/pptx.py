"""A drawing as a slide: shapes and words that can be edited, and connectors that hold on to their shapes."""

from __future__ import annotations

import io
import math
from typing import Any

from lxml import etree
from pptx import Presentation
from pptx.dml.color import RGBColor
from pptx.enum.dml import MSO_LINE
from pptx.enum.shapes import MSO_CONNECTOR, MSO_SHAPE
from pptx.enum.text import MSO_ANCHOR, PP_ALIGN
from pptx.oxml.ns import qn
from pptx.util import Emu, Pt

from dusk_arrow.figure.drawing import BEFORE, Drawing, Ellipse, Line, Node, Rectangle, Words
from dusk_arrow.figure.formats.joints import Bend, Piece, Side, lines, nodes, pieces, texts
from dusk_arrow.figure.geometry import Box, Point

POINT = 12700
LEAST, MOST = 914_400, 51_206_400  # sides of a slide
ROUND_SITES = (
    (0.0, -1.0),
    (-0.7071, -0.7071),
    (-1.0, 0.0),
    (-0.7071, 0.7071),
    (0.0, 1.0),
    (0.7071, 0.7071),
    (1.0, 0.0),
    (0.7071, -0.7071),
)
SQUARE_SITES = ((0.0, -1.0), (-1.0, 0.0), (0.0, 1.0), (1.0, 0.0))
DOT = 0.5  # the size of a joint, in points


class _Slide:
    """One slide while it is drawn."""

    def __init__(self, drawing: Drawing) -> None:
        self.unit, self.drawing, self.face = drawing.scale * POINT, drawing, drawing.faces.office
        self.deck = Presentation()
        wide, high = (int(side * self.unit) for side in (drawing.width, drawing.height))
        self.deck.slide_width, self.deck.slide_height = (Emu(min(max(side, LEAST), MOST)) for side in (wide, high))
        self.shapes = self.deck.slides.add_slide(self.deck.slide_layouts[6]).shapes
        self.made: dict[Node, Any] = {}

    def emu(self, value: float) -> Emu:
        return Emu(round(value * self.unit))

    def shape(self, item: Rectangle | Ellipse) -> None:
        kind = MSO_SHAPE.OVAL if isinstance(item, Ellipse) else MSO_SHAPE.RECTANGLE
        if isinstance(item, Rectangle) and item.radius:
            kind = MSO_SHAPE.ROUNDED_RECTANGLE
        box = item.box
        made = self.shapes.add_shape(kind, *(self.emu(v) for v in (box.x, box.y, box.width, box.height)))
        if isinstance(item, Rectangle) and item.radius:
            made.adjustments[0] = item.radius / min(box.width, box.height)
        made.name = " · ".join(item.node)
        made.shadow.inherit = False
        made.fill.solid()
        made.fill.fore_color.rgb = _colour(item.fill)
        if item.stroke is None:
            made.line.fill.background()
        else:
            made.line.color.rgb, made.line.width = _colour(item.stroke), self.emu(item.width)
        self.made[item.node] = made
        same = {(round(words.at[0], 1), words.anchor) for words in item.words}
        if len(same) == 1:
            self.fill(made.text_frame, item.words, middle=True)
        else:
            for words in item.words:
                self.text((words,))

    def fill(self, frame: Any, words: tuple[Words, ...], middle: bool) -> None:
        frame.margin_left = frame.margin_right = frame.margin_top = frame.margin_bottom = 0
        frame.word_wrap = words[0].anchor != "middle"
        frame.vertical_anchor = MSO_ANCHOR.MIDDLE if middle else MSO_ANCHOR.TOP
        for at, one in enumerate(words):
            paragraph = frame.paragraphs[0] if at == 0 else frame.add_paragraph()
            paragraph.alignment = {"start": PP_ALIGN.LEFT, "middle": PP_ALIGN.CENTER, "end": PP_ALIGN.RIGHT}[one.anchor]
            run = paragraph.add_run()
            run.text = one.text
            font = run.font
            font.size, font.bold, font.name = Pt(max(one.size * self.unit / POINT, 1)), one.bold, self.face
            font.color.rgb = _colour(one.fill)

    def text(self, words: tuple[Words, ...], ground: str | None = None) -> None:
        first, last = words[0], words[-1]
        wide = self.drawing.room_of(words)
        share = BEFORE[first.anchor]
        box = Box(
            first.at[0] - share * wide,
            first.at[1] - first.size * 0.98,
            wide,
            last.at[1] - first.at[1] + first.size * 1.25,
        )
        made = self.shapes.add_textbox(*(self.emu(v) for v in (box.x, box.y, box.width, box.height)))
        if ground is not None and first.anchor == "middle":
            made.fill.solid()
            made.fill.fore_color.rgb = _colour(ground)
        self.fill(made.text_frame, words, middle=True)

    def joint(self, at: Point) -> Any:
        """A point where two pieces of a line meet, too small to be seen."""
        made = self.shapes.add_shape(
            MSO_SHAPE.OVAL, *(self.emu(v) for v in (at[0] - DOT / 2, at[1] - DOT / 2, DOT, DOT))
        )
        made.fill.background()
        made.line.fill.background()
        made.name = "joint"
        return made

    def line(self, line: Line) -> None:
        parts = pieces(line)
        ends = [self.made.get(end) for end in line.ends] if line.ends else [None, None]
        joints = [self.joint(part.end) for part in parts[:-1]]
        for at, part in enumerate(parts):
            before = ends[0] if at == 0 else joints[at - 1]
            after = ends[1] if at == len(parts) - 1 else joints[at]
            self.connector(line, part, before, after)

    def connector(self, line: Line, part: Piece, before: Any, after: Any) -> None:
        kind = MSO_CONNECTOR.STRAIGHT if part.bend == "straight" else MSO_CONNECTOR.CURVE
        points = [self.emu(v) for v in (*part.start, *part.end)]
        made = self.shapes.add_connector(kind, *points)
        made.name = " → ".join(" · ".join(end) for end in line.ends) if line.ends else "line"
        if part.bend != "straight":
            _placed(made, part, self.unit)
        if before is not None:
            made._connect_begin_to(before, _site(before, part.start, part.leaves, part.bend, self.unit))
        if after is not None:
            made._connect_end_to(after, _site(after, part.end, part.arrives, part.bend, self.unit))
        etree.SubElement(made._element.spPr, qn("a:effectLst"))
        made.line.color.rgb, made.line.width = _colour(line.stroke), self.emu(line.width)
        if line.dashed:
            made.line.dash_style = MSO_LINE.DASH
        stroke = made.line._get_or_add_ln()
        for tag, wanted in (("a:headEnd", part.head_at_start), ("a:tailEnd", part.head_at_end)):
            if wanted:
                size = "med" if line.kind == "path" else "sm"
                etree.SubElement(stroke, qn(tag), type="triangle", w=size, len="med")


def _placed(made: Any, part: Piece, unit: float) -> None:
    """A curved connector as it leaves: across the page as it comes, down the page turned by a right angle; it turns where it is
    said."""
    (ax, ay), (bx, by) = part.start, part.end
    down = part.bend == "down"
    if part.turn is not None:  # its middle is told as a share of its extent, so there has to be one
        if down and abs(by - ay) < 1:
            by = ay + 1
        elif not down and abs(bx - ax) < 1:
            bx = ax + 1
    across, tall = abs(bx - ax), abs(by - ay)
    long, short = (tall, across) if down else (across, tall)
    middle = (ax + bx) / 2, (ay + by) / 2
    frame = made._element.spPr.xfrm
    for name in ("rot", "flipH", "flipV"):
        if name in frame.attrib:
            del frame.attrib[name]
    if down:
        frame.set("rot", "5400000")
        flip_long, flip_short = by < ay, bx > ax
    else:
        flip_long, flip_short = bx < ax, by < ay
    if flip_long:
        frame.set("flipH", "1")
    if flip_short:
        frame.set("flipV", "1")
    frame.off.x, frame.off.y = (round((c - side / 2) * unit) for c, side in zip(middle, (long, short), strict=True))
    frame.ext.cx, frame.ext.cy = round(long * unit), round(short * unit)
    if part.turn is not None:
        share = (part.turn - ay) / (by - ay) if down else (part.turn - ax) / (bx - ax)
        shape = made._element.spPr.find(qn("a:prstGeom"))
        values = shape.find(qn("a:avLst"))
        if values is None:
            values = etree.SubElement(shape, qn("a:avLst"))
        etree.SubElement(values, qn("a:gd"), name="adj1", fmla=f"val {round(share * 100_000)}")


def _site(shape: Any, point: Point, side: Side, bend: Bend, unit: float) -> int:
    """The point of a shape that holds a connector: the nearest for a straight one, else the middle of the side it touches."""
    oval = "ellipse" in etree.tostring(shape._element.spPr.find(qn("a:prstGeom"))).decode()
    sites = ROUND_SITES if oval else SQUARE_SITES
    if bend != "straight":
        wanted = {"up": (0.0, -1.0), "left": (-1.0, 0.0), "down": (0.0, 1.0), "right": (1.0, 0.0)}[side]
        return sites.index(wanted)
    cx, cy = shape.left + shape.width / 2, shape.top + shape.height / 2
    places = [(cx + x * shape.width / 2, cy + y * shape.height / 2) for x, y in sites]
    return min(range(len(places)), key=lambda i: math.dist(places[i], (point[0] * unit, point[1] * unit)))


def _colour(text: str) -> RGBColor:
    return RGBColor(*bytes.fromhex(text.lstrip("#")))  # type: ignore[no-untyped-call]


def write(drawing: Drawing) -> bytes:
    """The file, with one slide of the drawing's size."""
    slide = _Slide(drawing)
    for item in nodes(drawing).values():
        slide.shape(item)
    for line in lines(drawing):
        slide.line(line)
    for words, ground in texts(drawing):
        slide.text(words, ground)
    about = slide.deck.core_properties
    about.title, about.author = drawing.title[:250], ""
    file = io.BytesIO()
    slide.deck.save(file)
    return file.getvalue()
