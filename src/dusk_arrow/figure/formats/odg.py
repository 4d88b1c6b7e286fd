"""A drawing as an open document: shapes and words that can be edited, and connectors that hold on to their shapes."""

from __future__ import annotations

import io

from odf import draw, style, svg, text
from odf.opendocument import OpenDocument, OpenDocumentDrawing

from dusk_arrow.figure.drawing import BEFORE, Drawing, Ellipse, Line, Node, Rectangle, Words
from dusk_arrow.figure.formats.joints import Piece, Side, lines, nodes, pieces, texts
from dusk_arrow.figure.geometry import Box, Point

WHOLE = 10.0  # centimetres that a glue point counts from edge to edge of its shape, whatever the size of that
SHORT = 28.0  # points: a curve that has less room winds itself into a loop
FIRST_GLUE = 4  # lower numbers are the middles of the edges
DOT = 0.5
PLAIN = {
    "paddingleft": "0pt", "paddingright": "0pt", "paddingtop": "0pt", "paddingbottom": "0pt", "textareaverticalalign": "middle",
    "textareahorizontalalign": "center", "wrapoption": "no-wrap", "autogrowwidth": "false", "autogrowheight": "false",
}  # fmt: skip


class _Page:
    """One page while it is drawn."""

    def __init__(self, drawing: Drawing) -> None:
        self.drawing, self.unit, self.paper = drawing, drawing.scale, OpenDocumentDrawing()
        self.styles: dict[tuple[object, ...], style.Style] = {}
        self.made: dict[Node, object] = {}
        self.boxes: dict[Node, Box] = {}
        self.glued: dict[Node, int] = {}
        layout = style.PageLayout(name="page")
        size = {"pagewidth": self.pt(drawing.width), "pageheight": self.pt(drawing.height), "margin": "0pt"}
        layout.addElement(style.PageLayoutProperties(**size))
        self.paper.automaticstyles.addElement(layout)
        master = style.MasterPage(name="page", pagelayoutname=layout)
        self.paper.masterstyles.addElement(master)
        arrow = draw.Marker(name="Head", viewbox="0 0 20 30", d="m10 0-10 30h20z")
        self.paper.styles.addElement(arrow)
        self.page = draw.Page(name="Figure", masterpagename=master)
        self.paper.drawing.addElement(self.page)

    def pt(self, value: float) -> str:
        return f"{value * self.unit:.2f}pt"

    def graphic(self, **looks: str) -> style.Style:
        key = ("graphic", *sorted(looks.items()))
        if key not in self.styles:
            made = style.Style(name=f"g{len(self.styles)}", family="graphic")
            made.addElement(style.GraphicProperties(**looks))
            self.paper.automaticstyles.addElement(made)
            self.styles[key] = made
        return self.styles[key]

    def paragraph(self, anchor: str) -> style.Style:
        key = ("paragraph", anchor)
        if key not in self.styles:
            made = style.Style(name=f"p{len(self.styles)}", family="paragraph")
            made.addElement(style.ParagraphProperties(textalign={"middle": "center"}.get(anchor, anchor)))
            self.paper.automaticstyles.addElement(made)
            self.styles[key] = made
        return self.styles[key]

    def letters(self, one: Words) -> style.Style:
        size = max(one.size * self.unit, 1)
        key = ("text", round(size, 2), one.fill, one.bold)
        if key not in self.styles:
            made = style.Style(name=f"t{len(self.styles)}", family="text")
            weight = "bold" if one.bold else "normal"
            made.addElement(
                style.TextProperties(
                    fontsize=f"{size:.2f}pt", color=one.fill, fontweight=weight, fontfamily=self.drawing.faces.office
                )
            )
            self.paper.automaticstyles.addElement(made)
            self.styles[key] = made
        return self.styles[key]

    def write_in(self, into: object, words: tuple[Words, ...]) -> None:
        for one in words:
            paragraph = text.P(stylename=self.paragraph(one.anchor))
            span = text.Span(stylename=self.letters(one))
            span.addText(one.text)
            paragraph.addElement(span)
            into.addElement(paragraph)  # type: ignore[attr-defined]

    def where(self, box: Box) -> dict[str, str]:
        return {"x": self.pt(box.x), "y": self.pt(box.y), "width": self.pt(box.width), "height": self.pt(box.height)}

    def shape(self, item: Rectangle | Ellipse) -> None:
        looks = {
            "fill": "solid", "fillcolor": item.fill, "stroke": "none" if item.stroke is None else "solid", "strokewidth": self.pt(item.width),
            "strokecolor": item.stroke or "#000000", } | PLAIN  # fmt: skip
        more = {"cornerradius": self.pt(item.radius)} if isinstance(item, Rectangle) and item.radius else {}
        kind = draw.Ellipse if isinstance(item, Ellipse) else draw.Rect
        made = kind(
            stylename=self.graphic(**looks),
            id=f"s{len(self.made)}",
            **self.where(item.box),
            **more,
        )
        made.addElement(svg.Title(text=" · ".join(item.node)))
        together = len({(round(words.at[0], 1), words.anchor) for words in item.words}) == 1
        if together:
            self.write_in(made, item.words)
        self.page.addElement(made)
        self.made[item.node], self.boxes[item.node] = made, item.box
        if not together:
            for words in item.words:
                self.words((words,))

    def words(self, words: tuple[Words, ...], ground: str | None = None) -> None:
        first, last = words[0], words[-1]
        wide = self.drawing.room_of(words)
        share = BEFORE[first.anchor]
        box = Box(
            first.at[0] - share * wide, first.at[1] - first.size, wide, last.at[1] - first.at[1] + 1.25 * first.size
        )
        looks = {"fill": "none", "stroke": "none"} | PLAIN
        looks["autogrowwidth"] = "true" if words[0].anchor == "middle" else "false"
        looks["textareahorizontalalign"] = {"middle": "center", "start": "left", "end": "right"}[words[0].anchor]
        if ground is not None:
            looks |= {"fill": "solid", "fillcolor": ground}
        frame = draw.Frame(stylename=self.graphic(**looks), **self.where(box))
        inside = draw.TextBox()
        self.write_in(inside, words)
        frame.addElement(inside)
        self.page.addElement(frame)

    def glue(self, node: Node, at: Point, side: Side) -> int:
        """A point of a shape that holds a line, where the line is drawn."""
        number = self.glued.get(node, FIRST_GLUE)
        self.glued[node] = number + 1
        box = self.boxes[node]
        x, y = ((p - c) / side * WHOLE for p, c, side in zip(at, box.centre, (box.width, box.height), strict=True))
        point = draw.GluePoint(id=str(number), x=f"{x:.3f}cm", y=f"{y:.3f}cm", escapedirection=side)
        self.made[node].addElement(point)  # type: ignore[attr-defined]
        return number

    def joint(self, at: Point) -> Node:
        """A point where two pieces of a line meet, too small to be seen."""
        node = ("joint", str(len(self.made)))
        box = Box(at[0] - DOT / 2, at[1] - DOT / 2, DOT, DOT)
        self.shape(Ellipse(box, "#ffffff", "#ffffff", 0.01, node))
        return node

    def line(self, line: Line) -> None:
        parts = pieces(line)
        ends = [end if end in self.made else None for end in line.ends] if line.ends else [None, None]
        joints = [self.joint(part.end) for part in parts[:-1]]
        stops = [ends[0], *joints, ends[1]]
        for at, part in enumerate(parts):
            self.connector(line, part, stops[at], stops[at + 1])

    def connector(self, line: Line, part: Piece, before: Node | None, after: Node | None) -> None:
        looks = {
            "fill": "none",
            "stroke": "dash" if line.dashed else "solid",
            "strokecolor": line.stroke,
            "strokewidth": self.pt(line.width),
        }
        size = self.pt(6.0 if line.kind == "path" else 4.5)
        if part.head_at_end:
            looks |= {"markerend": "Head", "markerendwidth": size}
        if part.head_at_start:
            looks |= {"markerstart": "Head", "markerstartwidth": size}
        where = {
            "x1": self.pt(part.start[0]), "y1": self.pt(part.start[1]), "x2": self.pt(part.end[0]), "y2": self.pt(part.end[1]),
        }  # fmt: skip
        held = {}
        for side, node, at, way in (("start", before, part.start, part.leaves), ("end", after, part.end, part.arrives)):
            if node is not None:
                held[f"{side}shape"] = self.made[node].getAttribute("id")  # type: ignore[attr-defined]
                held[f"{side}gluepoint"] = str(self.glue(node, at, way))
        along = 0 if part.bend == "across" else 1
        short = abs(part.end[along] - part.start[along]) * self.unit < SHORT
        kind = "line" if short or part.bend == "straight" else "curve"
        if kind == "curve" and part.turn is not None and line.kind == "path":
            held["lineskew"] = self.pt(part.turn - (part.start[along] + part.end[along]) / 2)
        self.page.addElement(
            draw.Connector(type=kind, viewbox="0 0 1 1", stylename=self.graphic(**looks), **where, **held)
        )


def write(drawing: Drawing) -> bytes:
    """The file, with one page of the drawing's size."""
    page = _Page(drawing)
    for item in nodes(drawing).values():
        page.shape(item)
    for line in lines(drawing):
        page.line(line)
    for words, ground in texts(drawing):
        page.words(words, ground)
    file = io.BytesIO()
    paper: OpenDocument = page.paper
    paper.write(file)
    return file.getvalue()
