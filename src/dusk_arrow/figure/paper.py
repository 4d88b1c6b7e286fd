"""The figure for a paper, in the notation of the literature or in cards, as a drawing that every format is made from."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from operator import itemgetter

import numpy as np

from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.problems import listed
from dusk_arrow.core.specification.model import Construct
from dusk_arrow.figure.blocks import (
    CARD_HEAD,
    ITEM,
    LINE,
    NAME,
    NUMBER,
    SHARE,
    SMALL,
    Block,
    Side,
    facing,
)  # fmt: skip
from dusk_arrow.figure.bows import bows_of
from dusk_arrow.figure.drawing import (
    BEFORE,
    Anchor,
    Drawing,
    Ellipse,
    Handle,
    Item,
    Label,
    Line,
    LineKind,
    Node,
    Rectangle,
    Words,
    handle_key,
)
from dusk_arrow.figure.framing import covered, framed
from dusk_arrow.figure.geometry import (
    STRIDE,
    Box,
    Curve,
    Point,
    arrival_angle,
    edges,
    inside,
    middle_of,
    overlapping,
    runs_through,
    sampled,
    shortened,
    spaced,
    straight,
)
from dusk_arrow.figure.inks import PAPER
from dusk_arrow.figure.labels import Labels, untangled
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.figure.parts import Arrow, Way
from dusk_arrow.figure.plan import BELOW, VALUE, Plan, could_be_zero, label_size
from dusk_arrow.figure.ways import departure, drawn_in, edge_point, head, styled
from dusk_arrow.results.document import Results

HEAD, SMALL_HEAD = 7.5, 5.5
STROKE, THIN = 1.2, 0.8
THINNEST, THICKEST = 0.7, 3.4
STEPS = 24  # along its arrow, at which a loading can stand
DISTANCES = (2.0, 8.0, 16.0)  # of an R² from its shape, where it finds no room at it
LOOSENESS = (1.0, 1.2, 1.45, 1.9, 2.8, 4.0)


@dataclass
class _Sheet:
    """A figure while it is drawn: shapes below, labels above, and what labels must keep off."""

    shapes: list[Item] = field(default_factory=list)
    lines: list[Item] = field(default_factory=list)
    labels: list[Item] = field(default_factory=list)
    taken: list[Box] = field(default_factory=list)
    stems: dict[str, Curve] = field(default_factory=dict)  # arrows between shapes and their items, by their handles


def _middle(box: Box, text: str, size: float, fill: str, bold: bool = False) -> Words:
    x, y = box.centre
    return Words((x, y + 0.35 * size), text, size, fill, bold)


class _Pen:
    """Draws one figure as it was planned."""

    def __init__(self, plan: Plan) -> None:
        self.plan, self.sheet = plan, _Sheet()

    def draw(self) -> list[Item]:
        """Everything that is drawn, the lowest first."""
        for name, box in self.plan.layout.cards.items():
            piece = self.plan.blocks.get(name)
            if piece is not None and self.plan.options.notation == "cards":
                self._card(piece, box)
            elif piece is not None:
                self._measurement(piece)
            self._core(name, piece)
        self.sheet.taken += self.plan.rectangles.values()
        self._lines()
        return [*self.sheet.lines, *self.sheet.shapes, *self.sheet.labels]

    def _core(self, name: str, piece: Block | None) -> None:
        core, round_ = self.plan.cores[name]
        ink = self.plan.ink
        words = (_middle(core, name, NAME, ink.ink, True),)
        if self.plan.options.notation == "cards" and piece is not None:
            return  # a card is drawn with its rows
        if round_:
            self.sheet.shapes.append(Ellipse(core, ink.ground, ink.ink, STROKE, (name,), words))
        else:
            self.sheet.shapes.append(Rectangle(core, PAPER, ink.ink, STROKE, node=(name,), words=words))

    def _shares(self, ways: Sequence[Sequence[Curve]]) -> None:
        """R² beside every shape that is explained, on the side where least is in its way."""
        drawn = [line.full for line in self.sheet.lines if isinstance(line, Line)]
        points = spaced([curve for curves in (*ways, *drawn) for curve in curves], STRIDE)
        for name, (core, _) in self.plan.cores.items():
            said = self.plan.explained(name)
            if said is None or (self.plan.options.notation == "cards" and name in self.plan.blocks):
                continue
            wide, (x, y) = self.plan.options.width_of(said, SMALL), core.centre
            left, right, top, bottom = core.x, core.x + core.width, core.y, core.y + core.height + SMALL
            spots: list[tuple[Point, Anchor]] = [
                ((x, top - 4), "middle"), ((x, bottom), "middle"),
                ((right + 4, y + 0.35 * SMALL), "start"), ((left - 4, y + 0.35 * SMALL), "end"),
                ((right - 8, top - 1), "start"), ((left + 8, top - 1), "end"),
                ((right - 8, bottom - 3), "start"), ((left + 8, bottom - 3), "end"),
                ((right - 24, top - 3), "start"), ((left + 24, top - 3), "end"),
                ((right - 24, bottom), "start"), ((left + 24, bottom), "end"),
                ((right + 1, y - 8), "start"), ((left - 1, y - 8), "end"),
                ((right + 1, y + 8 + 0.7 * SMALL), "start"), ((left - 1, y + 8 + 0.7 * SMALL), "end"),
            ]  # fmt: skip
            spots += [(spot, "middle") for spot in _around(core, wide)]
            boxes = [Box(at[0] - wide * BEFORE[anchor], at[1] - SMALL + 1, wide, SMALL + 1) for at, anchor in spots]
            best = int(np.argmin(self._in_the_way(edges(boxes), points)))
            (at, anchor), box = spots[best], boxes[best]
            handle = Handle(f"R² · {name}", (x, y))
            if handle.key in self.plan.options.label_places:
                box = self._by_hand(handle, box)
                at, anchor = (box.centre[0], box.centre[1] + 0.35 * SMALL), "middle"
            self.sheet.labels.append(Words(at, said, SMALL, self.plan.ink.quiet, anchor=anchor, handle=handle))
            self.sheet.taken.append(box)

    def _by_hand(self, handle: Handle, box: Box) -> Box:
        """Where something stands: as it was put by hand, or in the box that was found for it."""
        place = self.plan.options.label_places.get(handle.key)
        if place is None:
            return box
        return Box(
            handle.at[0] + place[0] - box.width / 2, handle.at[1] + place[1] - box.height / 2, box.width, box.height
        )

    def _in_the_way(self, boxes: Array, points: Array) -> Array:
        """How much is where a text would stand, by the edges of its boxes (b, 4): other texts and shapes first, then
        points of lines (n, 2)."""
        others = edges([*self.sheet.taken, *(core for core, _ in self.plan.cores.values())])
        hidden = overlapping(boxes, others, 1).sum(axis=1)
        return np.asarray(10.0 * hidden + 0.5 * inside(boxes, points, 2).sum(axis=1))

    def _card(self, piece: Block, box: Box) -> None:
        """A construct as a card: name and R² in its head, items and their loadings below a line."""
        ink, name = self.plan.ink, piece.card.name
        core, _ = self.plan.cores[name]
        words = [Words((core.x + 10, core.y + CARD_HEAD / 2 + 0.35 * NAME), name, NAME, ink.ink, True, "start")]
        r_squared = self.plan.explained(name)
        if r_squared is not None:
            at = (core.x + core.width - 8, core.y + CARD_HEAD / 2 + 0.35 * SMALL)
            words.append(Words(at, r_squared.replace(" = ", " ").partition(",")[0], SMALL, ink.quiet, anchor="end"))
        construct = self.plan.model.by_name[name]
        for item, relative in piece.boxes.items():
            row = relative.moved(box.x, box.y)
            for i, line in enumerate(piece.lines[item]):
                words.append(Words((row.x + 10, row.y + LINE * (i + 1)), line, ITEM, ink.ink, anchor="start"))
            value = self._loading(construct, item)
            if value is not None:
                words.append(Words((row.x + row.width - 8, row.y + LINE), value, NUMBER, ink.ink, anchor="end"))
        self.sheet.shapes.append(Rectangle(core, PAPER, ink.ink, STROKE, 7.0, (name,), tuple(words)))
        if piece.boxes:
            y = core.y + CARD_HEAD - 1
            rule = straight((core.x, y), (core.x + core.width, y))
            self.sheet.shapes.append(Line((rule,), ink.ink, THIN))

    def _loading(self, construct: Construct, item: str) -> str | None:
        key = (item, construct.name) if construct.mode == "formative" else (construct.name, item)
        parameter = self.plan.found.get(key) if self.plan.options.loadings else None
        return None if parameter is None else self.plan.options.number(self.plan.options.reading(parameter).value)

    def _measurement(self, piece: Block) -> None:
        """Rectangles and the thin arrows between them and the ellipse, with errors where they are drawn."""
        ink, sheet = self.plan.ink, self.sheet
        construct = self.plan.model.by_name[piece.card.name]
        core, round_ = self.plan.cores[construct.name]
        formative = construct.mode == "formative"
        for item in piece.boxes:
            rectangle = self.plan.rectangles[construct.name, item]
            side = piece.sides[item]
            near = facing(rectangle, side)
            rim = edge_point(core, near, round_)
            start, end = (near, rim) if formative else (rim, near)
            kind: LineKind = "weight" if formative else "loading"
            node, own = (construct.name, item), (construct.name,)
            ends: tuple[Node, Node] = (node, own) if formative else (own, node)
            self._line(start, end, SMALL_HEAD, THIN, ink.quiet, ends, kind)
            first = rectangle.centre[1] - LINE * (len(piece.lines[item]) - 1) / 2 + 0.35 * ITEM
            words = tuple(
                Words((rectangle.centre[0], first + LINE * i), line, ITEM, ink.ink)
                for i, line in enumerate(piece.lines[item])
            )
            sheet.shapes.append(Rectangle(rectangle, PAPER, ink.ink, 0.9, node=node, words=words))
            sheet.stems[handle_key(ends)] = straight(start, end)
            value = self._loading(construct, item)
            if value is not None:
                share = 0.42 if side in ("left", "right") else SHARE
                x, y = near[0] + (rim[0] - near[0]) * share, near[1] + (rim[1] - near[1]) * share
                width = self.plan.options.width_of(value, NUMBER) + 2
                handle = Handle(handle_key(ends), ((near[0] + rim[0]) / 2, (near[1] + rim[1]) / 2))
                place = self._by_hand(handle, Box(x - width / 2, y - 5.8, width, 11.6))
                sheet.labels.append(Label(place, PAPER, (_middle(place, value, NUMBER, ink.ink),), ends, handle))
                sheet.taken.append(place)
            if self.plan.options.residuals and not formative:
                self._error(rectangle, side, item, node)

    def _error(self, rectangle: Box, side: Side, item: str, node: Node) -> None:
        parameter = self.plan.residual.get(item)
        if parameter is None:
            return
        opposite: dict[Side, Side] = {"left": "right", "right": "left", "above": "below", "below": "above"}
        outer = facing(rectangle, opposite[side])
        dx, dy = {"left": (-1, 0), "right": (1, 0), "above": (0, -1), "below": (0, 1)}[side]
        tail = (outer[0] + 14 * dx, outer[1] + 12 * dy)
        self._line(tail, outer, SMALL_HEAD, THIN, self.plan.ink.quiet, ((*node, "error"), node), "residual")
        value = self.plan.options.number(self.plan.options.reading(parameter).value)
        at = (tail[0] + 2 * dx, tail[1] + (0.35 * NUMBER if dx else -2 if dy < 0 else NUMBER - 1))
        anchor: Anchor = "end" if dx < 0 else "start" if dx > 0 else "middle"
        self.sheet.labels.append(Words(at, value, NUMBER, self.plan.ink.quiet, anchor=anchor))
        wide = self.plan.options.width_of(value, NUMBER)
        self.sheet.taken.append(Box(at[0] - wide * BEFORE[anchor], at[1] - NUMBER, wide, NUMBER + 2))

    def _line(
        self,
        start: Point,
        end: Point,
        size: float,
        width: float,
        stroke: str,
        ends: tuple[Node, Node] | None,
        kind: LineKind,
    ) -> None:
        whole = straight(start, end)
        curves = tuple(shortened([whole], size - 0.5))
        self.sheet.lines.append(
            Line(curves, stroke, width, False, (head(end, arrival_angle([whole]), size, stroke),), ends, kind, (whole,))
        )

    def _lines(self) -> None:
        """Paths, then covariances, then the labels of both where they fit best."""
        options, sheet, ink = self.plan.options, self.sheet, self.plan.ink
        cores = [(name, core) for name, (core, _) in self.plan.cores.items()]
        others = styled(
            self.plan.layout.arrows, options.arrows, self.plan.cores, [*cores, *((None, box) for box in sheet.taken)]
        )
        labelled: list[Way] = []
        said: list[tuple[tuple[Words, ...], tuple[Node, Node]]] = []  # their baselines from the middle of the label
        for routed, further in zip(self.plan.layout.arrows, others, strict=True):
            pair = (routed.source, routed.target)
            text, below = self.plan.texts[pair]
            labelled.append((Arrow(*pair, *label_size(text, below, options)), next(further)))
            fill = ink.quiet if self._stroke(pair) == ink.pale else ink.ink
            said.append((_written(text, below, fill, ink.quiet), ((pair[0],), (pair[1],))))
        bows = [(ends, next(further), further, text) for ends, further, text in bows_of(self.plan, sheet.taken)]
        self._make_way([*(curves for _, curves in labelled), *([curve] for _, curve, _, _ in bows)])
        for (name, other), curve, rest, text in bows:
            others.append([bow] for bow in rest)
            labelled.append(
                (Arrow("/".join(name), "/".join(other), self.plan.options.width_of(text, NUMBER) + 4, 12.0), [curve])
            )
            said.append(((Words((0.0, 0.35 * NUMBER), text, NUMBER, ink.ink),), (name, other)))
        self._shares([curves for _, curves in labelled])
        obstacles = [core for _, core in cores] + sheet.taken
        labels = untangled(Labels(labelled, obstacles, list(sheet.stems.values())), others)
        ways = [curves for _, curves in labels.ways]
        paths = len(self.plan.layout.arrows)
        self._arrows(ways[:paths])
        self._bows([(ends, curve) for (_, ends), [curve] in zip(said[paths:], ways[paths:], strict=True)])
        for place, (_, curves), (lines, ends) in zip(labels.boxes, labels.ways, said, strict=True):
            handle = Handle(handle_key(ends), middle_of(curves))
            box = self._by_hand(handle, place)
            x, y = box.centre
            texts = tuple(replace(line, at=(x, y + line.at[1])) for line in lines)
            sheet.labels.append(Label(box, PAPER, texts, ends, handle))

    def _make_way(self, ways: Sequence[Sequence[Curve]]) -> None:
        """Loadings that a line runs through stand elsewhere on their own arrow, where that is free."""
        sheet = self.sheet
        movable = [
            (number, label, label.handle.key)
            for number, label in enumerate(sheet.labels)
            if isinstance(label, Label) and label.handle and label.handle.key not in self.plan.options.label_places
        ]
        under = runs_through(edges([label.box for _, label, _ in movable]), ways, 1).any(axis=1)
        for at in np.flatnonzero(under):
            number, label, key = movable[at]
            box = label.box
            middles = sampled([sheet.stems[key]], STEPS)[0].tolist()
            spots = [Box(x - box.width / 2, y - box.height / 2, box.width, box.height) for x, y in middles]
            others = [core for core, _ in self.plan.cores.values()] + [other for other in sheet.taken if other != box]
            corners = edges(spots)
            free = ~(runs_through(corners, ways, 1).any(axis=1) | overlapping(corners, edges(others), 1).any(axis=1))
            away = np.where(free, np.abs(corners - edges([box])).sum(axis=1), np.inf)
            best = int(np.argmin(away))
            if np.isfinite(away[best]):
                (words,) = label.words
                sheet.labels[number] = replace(
                    label, box=spots[best], words=(_middle(spots[best], words.text, NUMBER, words.fill),)
                )
                sheet.taken[sheet.taken.index(box)] = spots[best]

    def _arrows(self, ways: Sequence[list[Curve]]) -> None:
        """The paths, on the ways that were found for them."""
        options = self.plan.options
        largest = max((abs(self.plan.standardized(pair)) for pair in self.plan.paths), default=0.0) or 1.0
        for routed, curves in zip(self.plan.layout.arrows, ways, strict=True):
            pair = (routed.source, routed.target)
            value = self.plan.standardized(pair)
            stroke = self._stroke(pair)
            width = THINNEST + (THICKEST - THINNEST) * abs(value) / largest if options.thickness else STROKE
            size = HEAD + max(width - STROKE, 0.0) * 1.6
            tip = head(curves[-1].end, arrival_angle(curves), size, stroke)
            shown = tuple(shortened(list(curves), size - 1))
            dashed = options.uncertain == "dashed" and could_be_zero(self.plan.found.get(pair), options)
            ends: tuple[Node, Node] = ((pair[0],), (pair[1],))
            self.sheet.lines.append(Line(shown, stroke, width, dashed, (tip,), ends, "path", tuple(curves)))

    def _stroke(self, pair: tuple[str, str]) -> str:
        """The ink of a path."""
        ink, options = self.plan.ink, self.plan.options
        if options.uncertain == "grey" and could_be_zero(self.plan.found.get(pair), options):
            return ink.pale
        return ink.negative if self.plan.standardized(pair) < 0 else ink.positive

    def _bows(self, found: Sequence[tuple[tuple[Node, Node], Curve]]) -> None:
        """Covariances, as lines with two heads."""
        for ends, curve in found:
            shown = drawn_in(curve, SMALL_HEAD - 0.5)
            tips = (
                head(curve.end, arrival_angle([curve]), SMALL_HEAD, self.plan.ink.quiet),
                head(curve.start, departure(curve), SMALL_HEAD, self.plan.ink.quiet),
            )
            self.sheet.lines.append(
                Line((shown,), self.plan.ink.quiet, THIN, False, tips, ends, "covariance", (curve,))
            )


def _around(core: Box, wide: float) -> list[Point]:
    """Further baselines of an R², by their middles, all round its shape, near it first."""
    found: list[Point] = []
    for away, angle in itertools.product(DISTANCES, np.linspace(0, 2 * np.pi, 36, endpoint=False).tolist()):
        across, down = math.cos(angle), math.sin(angle)
        x, y = edge_point(core, (core.centre[0] + across, core.centre[1] + down), True)
        found.append((x + across * (wide / 2 + away), y + down * (SMALL / 2 + away) + SMALL / 2))
    return found


def _written(value: str, below: str, fill: str, quiet: str) -> tuple[Words, ...]:
    """What stands at a path, around the middle of its label."""
    if not below:
        return (Words((0.0, 0.35 * VALUE), value, VALUE, fill, True),)
    return (Words((0.0, -2.2), value, VALUE, fill, True), Words((0.0, BELOW - 1.2), below, BELOW, quiet))


def diagram(
    results: Results, options: FigureOptions | None = None, about: tuple[str, str] | None = None, inside: bool = True
) -> Drawing:
    """The model of a results document with its estimates; `about` a source and an outcome only what lies between them, with
    the effects in the note. The note is drawn below where it is to be `inside`, and comes with the drawing in any case.

    Ellipses are constructs, rectangles observed variables. Gaps are widened where a label would lie on a line that is not its
    own. Raises ValueError where no route leads from source to outcome.
    """
    options = options or FigureOptions()
    found: list[tuple[int, Plan, list[Item]]] = []
    for looseness in LOOSENESS:
        plan = Plan(results, options, about, looseness)
        items = _Pen(plan).draw()
        hidden = covered(items, plan.options)
        found.append((hidden, plan, items))
        if not hidden:
            break
    _, plan, items = min(found, key=itemgetter(0))
    drawn = framed(items, f"Path diagram: {listed(plan.model.structure_nodes, 12)}", plan.said, plan.options, inside)
    places = {name: (box.x, box.y) for name, box in plan.layout.cards.items()}
    return replace(drawn, places=places, parts=plan.options.parts)
