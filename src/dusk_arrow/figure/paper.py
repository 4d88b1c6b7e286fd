"""The figure for a paper, in the notation of the literature, as a drawing that every format is made from."""

from __future__ import annotations

import math
from dataclasses import dataclass

from dusk_arrow.core.family_options import options_by_name
from dusk_arrow.core.problems import listed
from dusk_arrow.core.specification.model import Construct, Model, read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.wording import INTERVALS, p_words
from dusk_arrow.figure.drawing import Drawing, Ellipse, Head, Item, Line, Rectangle, Words
from dusk_arrow.figure.formats.svg import svg
from dusk_arrow.figure.geometry import Box, Curve, Point, arrival_angle, shortened
from dusk_arrow.figure.layering import forward_links, layer_of
from dusk_arrow.figure.layout import Spacing, arrange
from dusk_arrow.figure.mediation import between, words
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.figure.parts import Arrow, Card
from dusk_arrow.figure.text import fit_text, text_width
from dusk_arrow.results.document import ParameterPart, Results

INK, GREY, PALE, PAPER = "#232540", "#6b6d80", "#b3b4c0", "#ffffff"
ELLIPSE_HEIGHT = 58.0
BOX_WIDTH, BOX_HEIGHT, BOX_GAP = 52.0, 22.0, 8.0
STEM = 56.0
HEAD = 8.0
BESIDE = 17.0  # room for R² beside a shape
WIDER_ELSEWHERE = 1.15
THINNEST, THICKEST = 0.7, 3.4
STARS = ((0.001, "***"), (0.01, "**"), (0.05, "*"))


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


def _head(tip: Point, angle: float, size: float = HEAD, fill: str = INK) -> Head:
    x, y = tip
    a = math.radians(angle)
    points = [
        (x + along * math.cos(a) - across * math.sin(a), y + along * math.sin(a) + across * math.cos(a))
        for along, across in ((0.0, 0.0), (-size, size * 0.42), (-size, -size * 0.42))
    ]
    return Head((points[0], points[1], points[2]), fill)


def _straight(start: Point, end: Point) -> Curve:
    third = ((end[0] - start[0]) / 3, (end[1] - start[1]) / 3)
    return Curve(start, (start[0] + third[0], start[1] + third[1]), (end[0] - third[0], end[1] - third[1]), end)


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
    block: Block, origin: Box, construct: Construct, found: dict[tuple[str, str], ParameterPart], options: FigureOptions
) -> list[Item]:
    """Rectangles and the thin arrows between them and the ellipse."""
    shapes: list[Item] = []
    labels: list[Item] = []
    ellipse = block.ellipse.moved(origin.x, origin.y)
    for name, relative in block.boxes.items():
        box = relative.moved(origin.x, origin.y)
        near = _facing(box, block.side)
        rim = _edge_point(ellipse, near)
        start, end = (near, rim) if construct.mode == "formative" else (rim, near)
        angle = math.degrees(math.atan2(end[1] - start[1], end[0] - start[0]))
        back = (end[0] - 5 * math.cos(math.radians(angle)), end[1] - 5 * math.sin(math.radians(angle)))
        shapes.append(Line((_straight(start, back),), GREY, 0.9))
        shapes.append(_head(end, angle, 6))
        shapes.append(Rectangle(box, PAPER, INK))
        shapes.append(Words((box.centre[0], box.centre[1] + 4), fit_text(name, 11.5, box.width - 6), 11.5, INK))
        key = (name, construct.name) if construct.mode == "formative" else (construct.name, name)
        parameter = found.get(key) if options.loadings else None
        if parameter is not None:
            value = options.number(options.reading(parameter).value)
            share = 0.42 if block.side in ("left", "right") else 0.34
            x, y = near[0] + (rim[0] - near[0]) * share, near[1] + (rim[1] - near[1]) * share
            width = text_width(value, 10.5) + 3
            labels.append(Rectangle(Box(x - width / 2, y - 6.5, width, 13), PAPER))
            labels.append(Words((x, y + 3.6), value, 10.5, INK))
    return shapes + labels


def _node(block: Block | None, box: Box, name: str, r_squared: str | None) -> list[Item]:
    shapes: list[Item]
    if block is None:
        box = box if r_squared is None else Box(box.x, box.y + BESIDE, box.width, box.height - BESIDE)
        cx, cy = box.centre
        above = box.y - 5
        shapes = [Rectangle(box, PAPER, INK, 1.4)]
    else:
        ellipse = block.ellipse.moved(box.x, box.y)
        cx, cy = ellipse.centre
        half = ellipse.height / 2
        above = cy + half + 13 if block.side == "above" else cy - half - 5  # away from its indicators
        shapes = [Ellipse(ellipse, PAPER, INK, 1.4)]
    shapes.append(Words((cx, cy + 5), name, 14, INK, bold=True))
    if r_squared is not None:
        shapes.append(Words((cx, above), r_squared, 11, GREY))
    return shapes


def _explained(model: Model, results: Results, name: str, options: FigureOptions) -> str | None:
    """The R² that is drawn: none where nothing leads to it, or where it is 1 by definition."""
    construct = model.by_name.get(name)
    if not options.r_squared or options.parts == "measurement" or (construct and construct.mode == "formative"):
        return None
    value = results.r_squared.get(name)
    return None if value is None else f"R² = {options.share(value)}"


def _said(parameter: ParameterPart | None, options: FigureOptions) -> tuple[str, str]:
    """What is written at a path: its value, and what stands beside or below it."""
    if parameter is None:
        return "–", ""
    read_as = options.reading(parameter)
    value = options.number(read_as.value)
    p = parameter.p_value if read_as.boot is None else read_as.boot.p_value
    if options.beside == "stars":
        return value + next((stars for limit, stars in STARS if p is not None and p < limit), ""), ""
    if options.beside == "p":
        return value, "" if p is None else options.p(p_words(p))
    if options.beside == "se":
        return value, "" if read_as.se is None else f"({options.number(read_as.se)})"
    return value, options.range(read_as.bounds) if options.beside == "interval" else ""


def _uncertain(parameter: ParameterPart | None, options: FigureOptions) -> bool:
    bounds = None if parameter is None else options.reading(parameter).bounds
    return bounds is not None and bounds[0] <= 0 <= bounds[1]


def diagram(results: Results, options: FigureOptions | None = None, about: tuple[str, str] | None = None) -> Drawing:
    """The model of a results document with its estimates; `about` a source and an outcome only what lies between them, with
    the effects in the note.

    Ellipses are constructs, rectangles observed variables. Raises ValueError where no route leads from source to outcome.
    """
    options = options or FigureOptions()
    whole = model = read(parse(results.model))
    indicators = options.parts != "structure" and about is None
    if about is not None:
        model = between(model, results, about)
    found = {(p.from_, p.to): p for p in results.parameters if p.kind in ("path", "loading", "weight")}
    sides = _sides(model)
    blocks: dict[str, Block] = {}
    cards: list[Card] = []
    for construct in model.constructs:
        shown = construct if indicators else Construct(construct.name, construct.mode, ())
        side = sides[construct.name] if indicators else "right"
        explained = _explained(model, results, construct.name, options) is not None
        blocks[construct.name] = _block(shown, side, explained)
        cards.append(blocks[construct.name].card)
    for name in model.observed:
        wide = max(96.0, text_width(name, 14, "sans-bold") + 24)
        room = BESIDE if _explained(model, results, name, options) is not None else 0.0
        cards.append(Card(name, wide, 44 + room, Box(0, room, wide, 44)))
    arrows, texts = [], {}
    for source, target in model.paths if options.parts != "measurement" else ():
        parameter = found.get((source, target))
        if options.uncertain == "hidden" and _uncertain(parameter, options):
            continue
        value, below = _said(parameter, options)
        texts[source, target] = value, below
        width = max(text_width(value, 13, "sans-bold"), text_width(below, 9.5)) + 8
        arrows.append(Arrow(source, target, width, 28.0 if below else 17.0))
    layout = arrange(cards, arrows, spacing=Spacing(column=40, row=30, lane=30, margin=16))
    body: list[Item] = []
    labels: list[Item] = []
    largest = max((abs(found[pair].standardized or 0.0) for pair in texts if pair in found), default=1.0) or 1.0
    for routed in layout.arrows:
        pair = (routed.source, routed.target)
        parameter = found.get(pair)
        uncertain = _uncertain(parameter, options)
        stroke = PALE if uncertain and options.uncertain == "grey" else INK
        size = abs(parameter.standardized or 0.0) / largest if parameter else 0.0
        width = THINNEST + (THICKEST - THINNEST) * size if options.thickness else 1.3
        head = HEAD + (width - 1.3) * 1.6 if options.thickness else HEAD
        curves = tuple(shortened(routed.curves, head - 1))
        body.append(Line(curves, stroke, width, uncertain and options.uncertain == "dashed"))
        body.append(_head(routed.curves[-1].end, arrival_angle(routed.curves), head, stroke))
        value, below = texts[pair]
        box = routed.label
        labels.append(Rectangle(box, PAPER))
        labels.append(Words((box.centre[0], box.y + 13), value, 13, GREY if stroke == PALE else INK, bold=True))
        if below:
            labels.append(Words((box.centre[0], box.y + 25), below, 9.5, GREY))
    for name, box in layout.cards.items():
        block = blocks.get(name)
        if block is not None:
            body += _measurement(block, box, model.by_name[name], found, options)
        body += _node(block, box, name, _explained(model, results, name, options))
    said = [_note(model, results, options)] if options.note else []
    said += [_fit_line(results, options)] if options.fit else []
    said += [words(whole, model, results, about, options)] if about is not None and options.note else []
    lines = _wrap(" ".join(said), 11, (layout.width - 32) / WIDER_ELSEWHERE)
    height = layout.height + (14 + 15 * len(lines) if lines else 0)
    for i, line in enumerate(lines):
        labels.append(Words((16, layout.height + 12 + 15 * i), line, 11, GREY, anchor="start"))
    ground = Rectangle(Box(0, 0, layout.width, height), PAPER)
    title = f"Path diagram: {listed(model.structure_nodes, 12)}"
    return Drawing(layout.width, height, title, (ground, *body, *labels))


def paper_figure(results: Results, options: FigureOptions | None = None, about: tuple[str, str] | None = None) -> str:
    """The same as SVG text."""
    return svg(diagram(results, options, about))


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


def _note(model: Model, results: Results, options: FigureOptions) -> str:
    level = f"{100 * results.settings.level:g} %"
    n = results.data.n_used if results.data else 0
    summary = results.bootstrap_summary
    scale = "Standardized" if options.standardized else "Unstandardized"
    parts = [f"Note. {scale} {options_by_name()['estimator'].words(results.estimator)} estimates, n = {n}."]
    if summary is not None:
        kind = f"{INTERVALS[results.settings.interval]} bootstrap intervals ({summary.used} resamples)"
    else:
        kind = "intervals from standard errors" if any(p.se is not None for p in results.parameters) else ""
    structure = options.parts != "measurement" and bool(model.paths)
    if structure and options.beside == "interval" and kind:
        parts.append(f"In brackets {level} {kind}.")
    basis = "the bootstrap" if summary is not None else "standard errors"
    if structure and options.beside == "stars" and kind:
        parts.append(options.p(f"* p < .05, ** p < .01, *** p < .001, by {basis}."))
    if structure and options.beside == "p" and kind:
        parts.append(f"p by {basis}.")
    if structure and options.beside == "se" and kind:
        parts.append(f"In parentheses {'bootstrap ' if summary is not None else ''}standard errors.")
    if structure and not kind:
        parts.append("There are no intervals without a bootstrap.")
    elif structure:
        said = {
            "dashed": "Dashed: the {}interval contains zero.",
            "grey": "Grey: the {}interval contains zero.",
            "hidden": "Paths whose {}interval contains zero are not drawn.",
            "plain": "",
        }[options.uncertain]
        named = "" if options.beside == "interval" else f"{level} "
        parts.append(said.format(named))
    if options.thickness and structure:
        parts.append("Lines are as thick as the standardized path is large.")
    exogenous = [name for name in model.structure_nodes if name not in {t for _, t in model.paths}]
    if len(exogenous) > 1:
        parts.append("Covariances of exogenous variables are estimated and not drawn.")
    if model.covariances:
        parts.append("Stated covariances are not drawn.")
    return " ".join(part for part in parts if part)


def _fit_line(results: Results, options: FigureOptions) -> str:
    """A few figures of fit, those that there are."""
    fit = results.fit
    if fit is None:
        return ""
    three = options.model_copy(update={"decimals": 3})
    said = []
    if fit.chi_square is not None and fit.df is not None:
        p = "" if fit.p_value is None else f", {options.p(p_words(fit.p_value))}"
        said.append(f"χ²({fit.df}) = {fit.chi_square:.1f}{p}")
    for name, value in (("CFI", fit.cfi), ("TLI", fit.tli)):
        if value is not None:
            said.append(f"{name} = {three.share(value)}")
    if fit.rmsea is not None:
        bounds = fit.rmsea_interval
        around = "" if bounds is None else f" [{three.share(bounds[0])}, {three.share(bounds[1])}]"
        said.append(f"RMSEA = {three.share(fit.rmsea)}{around}")
    if fit.srmr is not None:
        said.append(f"SRMR = {three.share(fit.srmr)}")
    return f"Fit: {', '.join(said)}." if said else ""
