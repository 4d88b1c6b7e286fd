"""The figure for a paper, in the notation of the literature, as an SVG that stands on its own."""

from __future__ import annotations

import base64
import math
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from xml.sax.saxutils import escape

from dusk_arrow.core.family_options import options_by_name
from dusk_arrow.core.problems import listed
from dusk_arrow.core.specification.model import Construct, Model, read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.wording import INTERVALS, coefficient, interval_text
from dusk_arrow.figure.geometry import Box, Point, arrival_angle, path_data, shortened
from dusk_arrow.figure.layering import forward_links, layer_of
from dusk_arrow.figure.layout import Spacing, arrange
from dusk_arrow.figure.mediation import between, words
from dusk_arrow.figure.parts import Arrow, Card
from dusk_arrow.figure.text import fit_text, text_width
from dusk_arrow.results.document import ParameterPart, Results, standardized_headline

INK, GREY, PAPER = "#232540", "#6b6d80", "#ffffff"
FONT = "'Source Sans 3', 'Source Sans Pro', 'Segoe UI', Helvetica, Arial, sans-serif"
ELLIPSE_HEIGHT = 58.0
BOX_WIDTH, BOX_HEIGHT, BOX_GAP = 52.0, 22.0, 8.0
STEM = 56.0
HEAD = 8.0
BESIDE = 17.0  # room for R² beside a shape
WIDER_ELSEWHERE = 1.15


@dataclass(frozen=True)
class Block:
    """A construct with its indicators as one piece: where its ellipse and its rectangles stand inside it."""

    card: Card
    ellipse: Box
    boxes: dict[str, Box]
    side: str


def _ellipse_width(name: str) -> float:
    return max(104.0, text_width(name, 14, "sans-bold") + 40)


def _box_width(construct: Construct) -> float:
    widest = max((text_width(name, 11.5) for name in construct.indicators), default=0.0)
    return min(max(BOX_WIDTH, widest + 14), 120.0)


def _block(construct: Construct, side: str, explained: bool) -> Block:
    """The piece of a construct; where it is explained there is room beside the ellipse for its R²."""
    room = BESIDE if explained else 0.0
    width, count, box = _ellipse_width(construct.name), len(construct.indicators), _box_width(construct)
    boxes: dict[str, Box] = {}
    if side in ("left", "right"):
        tall = max(ELLIPSE_HEIGHT + 2 * room, count * BOX_HEIGHT + (count - 1) * BOX_GAP)
        first = (tall - count * BOX_HEIGHT - (count - 1) * BOX_GAP) / 2
        x = 0.0 if side == "left" else width + STEM
        for i, name in enumerate(construct.indicators):
            boxes[name] = Box(x, first + i * (BOX_HEIGHT + BOX_GAP), box, BOX_HEIGHT)
        ellipse = Box(box + STEM if side == "left" else 0.0, (tall - ELLIPSE_HEIGHT) / 2, width, ELLIPSE_HEIGHT)
        return Block(Card(construct.name, box + STEM + width, tall, ellipse, round=True), ellipse, boxes, side)
    row = count * box + (count - 1) * BOX_GAP
    wide = max(width, row)
    y = 0.0 if side == "above" else room + ELLIPSE_HEIGHT + STEM
    for i, name in enumerate(construct.indicators):
        boxes[name] = Box((wide - row) / 2 + i * (box + BOX_GAP), y, box, BOX_HEIGHT)
    ellipse = Box((wide - width) / 2, BOX_HEIGHT + STEM if side == "above" else room, width, ELLIPSE_HEIGHT)
    high = room + ELLIPSE_HEIGHT + STEM + BOX_HEIGHT
    return Block(Card(construct.name, wide, high, ellipse, round=True), ellipse, boxes, side)


def _sides(model: Model) -> dict[str, str]:
    """Where each construct's indicators go: outward at both ends, above or below in between."""
    names = list(model.structure_nodes)
    layers = layer_of(names, forward_links(names, list(model.paths)))
    last = max(layers.values(), default=0)
    counts: dict[int, int] = {}
    sides = {}
    for name in names:
        layer = layers[name]
        counts[layer] = counts.get(layer, 0) + 1
        if layer == 0:
            sides[name] = "left"
        elif layer == last:
            sides[name] = "right"
        else:
            sides[name] = "above" if (layer + counts[layer]) % 2 == 0 else "below"
    return sides


def _text(
    x: float, y: float, text: str, size: float, *, bold: bool = False, anchor: str = "middle", fill: str = INK
) -> str:
    weight = ' font-weight="600"' if bold else ""
    return (
        f'<text x="{x:.1f}" y="{y:.1f}" font-size="{size:g}" text-anchor="{anchor}" fill="{fill}"{weight}>'
        f"{escape(text)}</text>"
    )


def _head(tip: Point, angle: float, size: float = HEAD) -> str:
    """An arrowhead as a plain path, which every program draws alike."""
    x, y = tip
    a = math.radians(angle)
    points = []
    for along, across in ((0.0, 0.0), (-size, size * 0.42), (-size, -size * 0.42)):
        points.append((x + along * math.cos(a) - across * math.sin(a), y + along * math.sin(a) + across * math.cos(a)))
    path = "L".join(f"{px:.1f} {py:.1f}" for px, py in points)
    return f'<path d="M{path}Z" fill="{INK}"/>'


def _edge_point(ellipse: Box, towards: Point) -> Point:
    """Where the line from an ellipse's centre leaves it."""
    cx, cy = ellipse.centre
    dx, dy = towards[0] - cx, towards[1] - cy
    reach = math.hypot(dx / (ellipse.width / 2), dy / (ellipse.height / 2)) or 1.0
    return cx + dx / reach, cy + dy / reach


def _facing(box: Box, side: str) -> Point:
    x, y = box.centre
    return {
        "left": (box.x + box.width, y),
        "right": (box.x, y),
        "above": (x, box.y + box.height),
        "below": (x, box.y),
    }[side]


def _measurement(
    block: Block, origin: Box, construct: Construct, found: dict[tuple[str, str], ParameterPart]
) -> list[str]:
    """Rectangles and the thin arrows between them and the ellipse."""
    shapes, labels = [], []
    ellipse = Box(origin.x + block.ellipse.x, origin.y + block.ellipse.y, block.ellipse.width, block.ellipse.height)
    for name, relative in block.boxes.items():
        box = Box(origin.x + relative.x, origin.y + relative.y, relative.width, relative.height)
        near = _facing(box, block.side)
        rim = _edge_point(ellipse, near)
        start, end = (near, rim) if construct.mode == "formative" else (rim, near)
        angle = math.degrees(math.atan2(end[1] - start[1], end[0] - start[0]))
        back = (end[0] - 5 * math.cos(math.radians(angle)), end[1] - 5 * math.sin(math.radians(angle)))
        shapes.append(
            f'<line x1="{start[0]:.1f}" y1="{start[1]:.1f}" x2="{back[0]:.1f}" y2="{back[1]:.1f}" '
            f'stroke="{GREY}" stroke-width="0.9"/>'
        )
        shapes.append(_head(end, angle, 6))
        shapes.append(
            f'<rect x="{box.x:.1f}" y="{box.y:.1f}" width="{box.width:.1f}" height="{box.height:.1f}" '
            f'fill="{PAPER}" stroke="{INK}" stroke-width="1"/>'
        )
        shapes.append(_text(*(box.centre[0], box.centre[1] + 4), fit_text(name, 11.5, box.width - 6), 11.5))
        key = (name, construct.name) if construct.mode == "formative" else (construct.name, name)
        parameter = found.get(key)
        if parameter is not None:
            value = coefficient(parameter.standardized)
            share = 0.42 if block.side in ("left", "right") else 0.34
            x, y = near[0] + (rim[0] - near[0]) * share, near[1] + (rim[1] - near[1]) * share
            width = text_width(value, 10.5) + 3
            labels.append(
                f'<rect x="{x - width / 2:.1f}" y="{y - 6.5:.1f}" width="{width:.1f}" height="13" fill="{PAPER}"/>'
            )
            labels.append(_text(x, y + 3.6, value, 10.5))
    return shapes + labels


def _node(block: Block | None, box: Box, name: str, r_squared: float | None) -> list[str]:
    if block is None:
        box = box if r_squared is None else Box(box.x, box.y + BESIDE, box.width, box.height - BESIDE)
        cx, cy = box.centre
        above = box.y - 5
        shapes = [
            f'<rect x="{box.x:.1f}" y="{box.y:.1f}" width="{box.width:.1f}" height="{box.height:.1f}" '
            f'fill="{PAPER}" stroke="{INK}" stroke-width="1.4"/>'
        ]
    else:
        cx, cy = box.x + block.ellipse.centre[0], box.y + block.ellipse.centre[1]
        half = block.ellipse.height / 2
        above = cy + half + 13 if block.side == "above" else cy - half - 5  # away from its indicators
        shapes = [
            f'<ellipse cx="{cx:.1f}" cy="{cy:.1f}" rx="{block.ellipse.width / 2:.1f}" '
            f'ry="{block.ellipse.height / 2:.1f}" fill="{PAPER}" stroke="{INK}" stroke-width="1.4"/>'
        ]
    shapes.append(_text(cx, cy + 5, name, 14, bold=True))
    if r_squared is not None:
        shapes.append(_text(cx, above, f"R² = {coefficient(r_squared)}", 11, fill=GREY))
    return shapes


def _explained(model: Model, results: Results, name: str) -> float | None:
    """The R² that is drawn: none where nothing leads to it, or where it is 1 by definition."""
    construct = model.by_name.get(name)
    return None if construct is not None and construct.mode == "formative" else results.r_squared.get(name)


def paper_figure(
    results: Results, *, indicators: bool = True, intervals: bool = True, about: tuple[str, str] | None = None
) -> str:
    """The model of a results document with its standardized estimates, as SVG text; `about` a source and an outcome only what
    lies between them, with the effects in the note.

    Ellipses are constructs, rectangles observed variables. Lines are dashed where the interval contains zero. Raises ValueError
    where no route leads from source to outcome.
    """
    whole = model = read(parse(results.model))
    if about is not None:
        model, indicators = between(model, results, about), False
    found = {(p.from_, p.to): p for p in results.parameters if p.kind in ("path", "loading", "weight")}
    sides = _sides(model)
    blocks: dict[str, Block] = {}
    cards: list[Card] = []
    for construct in model.constructs:
        shown = construct if indicators else Construct(construct.name, construct.mode, ())
        side = sides[construct.name] if indicators else "right"
        blocks[construct.name] = _block(shown, side, _explained(model, results, construct.name) is not None)
        cards.append(blocks[construct.name].card)
    for name in model.observed:
        wide = max(96.0, text_width(name, 14, "sans-bold") + 24)
        room = BESIDE if _explained(model, results, name) is not None else 0.0
        cards.append(Card(name, wide, 44 + room, Box(0, room, wide, 44)))
    arrows, texts = [], {}
    for source, target in model.paths:
        parameter = found.get((source, target))
        value = coefficient(parameter.standardized if parameter else None)
        interval = interval_text(standardized_headline(parameter)) if parameter and intervals else ""
        texts[(source, target)] = (value, interval)
        width = max(text_width(value, 13, "sans-bold"), text_width(interval, 9.5)) + 8
        arrows.append(Arrow(source, target, width, 28.0 if interval else 17.0))
    layout = arrange(cards, arrows, spacing=Spacing(column=40, row=30, lane=30, margin=16))
    body: list[str] = []
    labels: list[str] = []
    for routed in layout.arrows:
        parameter = found.get((routed.source, routed.target))
        bounds = standardized_headline(parameter) if parameter else None
        dashed = bounds is not None and bounds[0] <= 0 <= bounds[1]
        dash = ' stroke-dasharray="5 4"' if dashed else ""
        data = path_data(shortened(routed.curves, HEAD - 1))
        body.append(f'<path d="{data}" fill="none" stroke="{INK}" stroke-width="1.3"{dash}/>')
        body.append(_head(routed.curves[-1].end, arrival_angle(routed.curves)))
        value, interval = texts[(routed.source, routed.target)]
        box = routed.label
        cx, _ = box.centre
        labels.append(
            f'<rect x="{box.x:.1f}" y="{box.y:.1f}" width="{box.width:.1f}" height="{box.height:.1f}" fill="{PAPER}"/>'
        )
        labels.append(_text(cx, box.y + 13, value, 13, bold=True))
        if interval:
            labels.append(_text(cx, box.y + 25, interval, 9.5, fill=GREY))
    constructs = model.by_name
    for name, box in layout.cards.items():
        block = blocks.get(name)
        if block is not None:
            body += _measurement(block, box, constructs[name], found)
        body += _node(block, box, name, _explained(model, results, name))
    note = _note(model, results, intervals) + ("" if about is None else f" {words(whole, model, results, about)}")
    lines = _wrap(note, 11, (layout.width - 32) / WIDER_ELSEWHERE)
    height = layout.height + 14 + 15 * len(lines)
    for i, line in enumerate(lines):
        labels.append(_text(16, layout.height + 12 + 15 * i, line, 11, anchor="start", fill=GREY))
    title = escape(f"Path diagram: {listed(model.structure_nodes, 12)}")
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {layout.width:.0f} {height:.0f}" '
        f'width="{layout.width:.0f}" height="{height:.0f}" font-family="{FONT}" role="img">'
        f"<title>{title}</title><style>{_font_face()}</style>"
        f'<rect width="100%" height="100%" fill="{PAPER}"/>{"".join(body)}{"".join(labels)}</svg>\n'
    )


@cache
def _font_face() -> str:
    """The bundled font inside the file, so that the figure looks the same wherever it is opened in a browser."""
    font = (files("dusk_arrow.figure") / "fonts" / "source-sans-3-latin-wght-normal.woff2").read_bytes()
    data = base64.b64encode(font).decode()
    return (
        "@font-face{font-family:'Source Sans 3';font-weight:200 900;"
        f"src:url(data:font/woff2;base64,{data}) format('woff2')}}"
    )


def _wrap(text: str, size: float, width: float) -> list[str]:
    lines, line = [], ""
    for word in text.split():
        longer = f"{line} {word}".strip()
        if line and text_width(longer, size) > width:
            lines.append(line)
            line = word
        else:
            line = longer
    return [*lines, line] if line else lines


def _note(model: Model, results: Results, intervals: bool) -> str:
    level = f"{100 * results.settings.level:g} %"
    n = results.data.n_used if results.data else 0
    if results.bootstrap_summary is not None:
        basis = (
            f"{INTERVALS[results.settings.interval]} bootstrap intervals ({results.bootstrap_summary.used} resamples)"
        )
    elif any(p.se is not None for p in results.parameters):
        basis = "intervals from standard errors"
    else:
        basis = ""
    parts = [f"Note. Standardized {options_by_name()['estimator'].words(results.estimator)} estimates, n = {n}."]
    if intervals and basis:
        parts.append(f"In brackets {level} {basis}.")
    parts.append("Dashed: the interval contains zero." if basis else "There are no intervals without a bootstrap.")
    exogenous = [name for name in model.structure_nodes if name not in {t for _, t in model.paths}]
    if len(exogenous) > 1:
        parts.append("Covariances of exogenous variables are estimated and not drawn.")
    if model.covariances:
        parts.append("Stated covariances are not drawn.")
    return " ".join(parts)
