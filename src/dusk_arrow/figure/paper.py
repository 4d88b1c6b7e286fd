"""The figure for a paper, in the notation of the literature or in cards, as a drawing that every format is made from."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.problems import listed
from dusk_arrow.core.specification.model import Construct
from dusk_arrow.figure.blocks import (
    BOW,
    CARD_HEAD,
    ERROR,
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
    Box,
    Curve,
    Point,
    arrival_angle,
    edges,
    inside,
    middle_of,
    overlapping,
    sampled,
    shortened,
    straight,
)
from dusk_arrow.figure.inks import PAPER
from dusk_arrow.figure.labels import place_labels
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.figure.parts import Arrow, Way
from dusk_arrow.figure.plan import BELOW, VALUE, Plan, could_be_zero, label_size
from dusk_arrow.figure.ways import bow, departure, drawn_in, edge_point, head, ladder, styled
from dusk_arrow.results.document import Results

HEAD, SMALL_HEAD = 7.5, 5.5
STROKE, THIN = 1.2, 0.8
THINNEST, THICKEST = 0.7, 3.4
STRIDE = 2.5  # from point to point of a line, where it is asked whether something stands on it
LOOSENESS = (1.0, 1.25, 1.6, 2.4)


@dataclass
class _Sheet:
    """A figure while it is drawn: shapes below, labels above, and what labels must keep off."""

    shapes: list[Item] = field(default_factory=list)
    lines: list[Item] = field(default_factory=list)
    labels: list[Item] = field(default_factory=list)
    taken: list[Box] = field(default_factory=list)
    stems: list[Curve] = field(default_factory=list)


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

    def _shares(self) -> None:
        """R² beside every shape that is explained, on the side where least is in its way."""
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
            boxes = [Box(at[0] - wide * BEFORE[anchor], at[1] - SMALL + 1, wide, SMALL + 1) for at, anchor in spots]
            best = int(np.argmin(self._in_the_way(edges(boxes))))
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

    def _in_the_way(self, boxes: Array) -> Array:
        """How much is where a text would stand, by the edges of its boxes (b, 4): other texts and shapes first, then lines."""
        others = edges([*self.sheet.taken, *(core for core, _ in self.plan.cores.values())])
        hidden = overlapping(boxes, others, 1).sum(axis=1)
        return np.asarray(10.0 * hidden + 0.5 * inside(boxes, self._way_points, 2).sum(axis=1))

    @cached_property
    def _way_points(self) -> Array:
        """Points along every line (n, 2), about as dense on long ones as on short ones."""
        curves = [curve for line in self.sheet.lines if isinstance(line, Line) for curve in line.full]
        counts = [max(12, int(math.dist(curve.start, curve.end) / STRIDE)) for curve in curves]
        points = [sampled([curve], count)[0] for curve, count in zip(curves, counts, strict=True)]
        return np.concatenate([np.empty((0, 2)), *points])

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
            sheet.stems.append(straight(start, end))
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
        boxes = [(name, box) for (name, _), box in self.plan.rectangles.items()]
        ways = styled(self.plan.layout.arrows, options.arrows, self.plan.cores, [*cores, *boxes])
        largest = (
            max(
                (abs(self.plan.found[pair].standardized or 0.0) for pair in self.plan.paths if pair in self.plan.found),
                default=0.0,
            )
            or 1.0
        )
        labelled: list[Way] = []
        said: list[tuple[tuple[Words, ...], tuple[Node, Node]]] = []  # their baselines from the middle of the label
        for routed, curves in zip(self.plan.layout.arrows, ways, strict=True):
            pair = (routed.source, routed.target)
            parameter = self.plan.found.get(pair)
            uncertain = could_be_zero(parameter, options)
            value = 0.0 if parameter is None else parameter.standardized or 0.0
            stroke = (
                ink.pale if uncertain and options.uncertain == "grey" else ink.negative if value < 0 else ink.positive
            )
            width = THINNEST + (THICKEST - THINNEST) * abs(value) / largest if options.thickness else STROKE
            size = HEAD + max(width - STROKE, 0.0) * 1.6
            ends: tuple[Node, Node] = ((routed.source,), (routed.target,))
            tip = head(curves[-1].end, arrival_angle(curves), size, stroke)
            shown = tuple(shortened(list(curves), size - 1))
            dashed = uncertain and options.uncertain == "dashed"
            sheet.lines.append(Line(shown, stroke, width, dashed, (tip,), ends, "path", tuple(curves)))
            text, below = self.plan.texts[pair]
            labelled.append((Arrow(*pair, *label_size(text, below, options)), list(curves)))
            fill = ink.quiet if stroke == ink.pale else ink.ink
            said.append((_written(text, below, fill, ink.quiet), ends))
        labelled_bows = self._bows([*cores, *boxes])
        self._shares()
        for (name, other), curve, text in labelled_bows:
            labelled.append(
                (Arrow("/".join(name), "/".join(other), self.plan.options.width_of(text, NUMBER) + 4, 12.0), [curve])
            )
            said.append(((Words((0.0, 0.35 * NUMBER), text, NUMBER, ink.ink),), (name, other)))
        obstacles = [core for _, core in cores] + sheet.taken
        places = place_labels(labelled, obstacles, sheet.stems)
        for place, (_, curves), (lines, ends) in zip(places, labelled, said, strict=True):
            handle = Handle(handle_key(ends), middle_of(curves))
            box = self._by_hand(handle, place)
            x, y = box.centre
            texts = tuple(replace(line, at=(x, y + line.at[1])) for line in lines)
            sheet.labels.append(Label(box, PAPER, texts, ends, handle))

    def _bows(self, shapes: Sequence[tuple[str, Box]]) -> list[tuple[tuple[Node, Node], Curve, str]]:
        """Covariances of constructs, then of errors, as lines with two heads."""
        found: list[tuple[tuple[Node, Node], Curve, str]] = []
        for a, b, value in self.plan.covariances:
            others = [box for name, box in shapes if name not in (a, b)] + [
                box
                for name, box in shapes
                if name in (a, b) and box not in (self.plan.cores[a][0], self.plan.cores[b][0])
            ]
            order = list(self.plan.layout.cards)
            apart = abs(order.index(a) - order.index(b))
            piled = not self.plan.paths and self.plan.options.notation == "literature"
            curve = (
                ladder(self.plan.cores[a], self.plan.cores[b], apart, self.plan.down)
                if piled
                else bow(self.plan.cores[a], self.plan.cores[b], others, self.sheet.taken)
            )
            found.append((((a,), (b,)), curve, self.plan.options.number(value)))
        for first, second, value in self.plan.bows:
            curve = self._error_bow(first, second, [box for _, box in shapes])
            found.append(((first, second), curve, self.plan.options.number(value)))
        for ends, curve, _ in found:
            shown = drawn_in(curve, SMALL_HEAD - 0.5)
            tips = (
                head(curve.end, arrival_angle([curve]), SMALL_HEAD, self.plan.ink.quiet),
                head(curve.start, departure(curve), SMALL_HEAD, self.plan.ink.quiet),
            )
            self.sheet.lines.append(
                Line((shown,), self.plan.ink.quiet, THIN, False, tips, ends, "covariance", (curve,))
            )
        return found

    def _error_bow(self, first: tuple[str, str], second: tuple[str, str], shapes: Sequence[Box]) -> Curve:
        """A covariance of two errors: outside of their rectangles where they stand side by side."""

        one, two = self.plan.rectangles[first], self.plan.rectangles[second]
        side, other = (self.plan.blocks[construct].sides[item] for construct, item in (first, second))
        if first[0] != second[0] or side != other:
            return bow((one, False), (two, False), [b for b in shapes if b not in (one, two)], self.sheet.taken)
        across = side in ("left", "right")
        out = -1.0 if side in ("left", "above") else 1.0
        far = ERROR[0 if across else 1] - 4 if self.plan.options.residuals else 0.0
        bulge = far + 6 + min(0.16 * math.dist(one.centre, two.centre), BOW - 6)

        def at(box: Box) -> Point:
            x, y = box.centre
            return (x + out * (box.width / 2 + far), y) if across else (x, y + out * (box.height / 2 + far))

        start, end = at(one), at(two)
        push = (out * (bulge - far + 6), 0.0) if across else (0.0, out * (bulge - far + 6))
        return Curve(start, (start[0] + push[0], start[1] + push[1]), (end[0] + push[0], end[1] + push[1]), end)


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
    own; where very many items are drawn only where more than one in five constructs would have such a label. Raises ValueError where no route leads from source to outcome.
    """
    best: tuple[int, Drawing] | None = None
    for looseness in LOOSENESS:
        plan = Plan(results, options or FigureOptions(), about, looseness)
        drawn = framed(
            _Pen(plan).draw(),
            f"Path diagram: {listed(plan.model.structure_nodes, 12)}",
            plan.said,
            plan.options,
            inside,
        )
        places = {name: (box.x, box.y) for name, box in plan.layout.cards.items()}
        drawn = replace(drawn, places=places, parts=plan.options.parts)
        hidden = covered(drawn)
        if best is None or hidden < best[0]:
            best = hidden, drawn
        if hidden <= (len(places) // 5 if plan.dense else 0):
            break
    assert best is not None
    return best[1]
