"""What a construct looks like on paper: an ellipse with rectangles around it, or a card with its items in rows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal

from dusk_arrow.core.specification.model import Construct, Model
from dusk_arrow.figure.framing import wrapped
from dusk_arrow.figure.geometry import Box, Point
from dusk_arrow.figure.layering import forward_links, layer_of
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.figure.parts import Card

NAME, ITEM, NUMBER, SMALL = 13.0, 10.5, 10.3, 10.5  # type sizes: constructs, items, loadings, R²
ELLIPSE_WIDTH, ELLIPSE_HEIGHT = 78.0, 44.0
BOX_WIDTH, BOX_HEIGHT, BOX_GAP = 28.0, 17.0, 5.0
LINE = 11.5  # from line to line of an item's wording
LABEL_WIDTH = 108.0  # the widest an item's wording becomes before it is broken
STEM = 34.0
BESIDE = 14.0  # room for R² beside a shape
ERROR = (40.0, 28.0)  # room for an error term beside a rectangle, and above one
BOW = 20.0  # room for a covariance of errors
SHARE = 0.3  # how far along its line a loading stands from its rectangle
CARD_WIDTH, CARD_HEAD, CARD_ROW = 96.0, 26.0, 15.0
TWICE = 1.4  # how much wider a compact card may become by a second column

Side = Literal["left", "right", "above", "below"]


@dataclass(frozen=True)
class Block:
    """A construct with its items as one piece: where its shape, its rectangles and their lines of words stand inside it, and on which
    side of the shape every rectangle is; none where items stand in a card."""

    card: Card
    core: Box
    sides: dict[str, Side] = field(default_factory=dict)
    boxes: dict[str, Box] = field(default_factory=dict)
    lines: dict[str, list[str]] = field(default_factory=dict)


def sides(model: Model, down: bool) -> dict[str, Side]:
    """Where each construct's items go: outward at both ends, beside the way in between."""
    names = list(model.structure_nodes)
    layers = layer_of(names, forward_links(names, list(model.paths)))
    last = max(layers.values(), default=0)
    counts: dict[int, int] = {}
    first_side, last_side, one, other = (
        ("above", "below", "left", "right") if down else ("left", "right", "above", "below")
    )
    found: dict[str, Side] = {}
    for name in names:
        layer = layers[name]
        counts[layer] = counts.get(layer, 0) + 1
        if layer == 0:
            found[name] = first_side  # type: ignore[assignment]
        elif layer == last:
            found[name] = last_side  # type: ignore[assignment]
        else:
            found[name] = one if (layer + counts[layer]) % 2 == 0 else other  # type: ignore[assignment]
    return found


def facing(box: Box, side: Side) -> Point:
    """Where the rectangle of an item on this side of its construct is turned to it."""
    x, y = box.centre
    return {
        "left": (box.x + box.width, y),
        "right": (box.x, y),
        "above": (x, box.y + box.height),
        "below": (x, box.y),
    }[side]


def wordings(construct: Construct, labels: dict[str, str], options: FigureOptions) -> dict[str, list[str]]:
    """What stands in each item's rectangle: its name, or its wording in lines."""
    named = {name: labels.get(name, name) if options.labels else name for name in construct.indicators}
    return {name: wrapped(text, ITEM, LABEL_WIDTH, options) for name, text in named.items()}


def _label_room(options: FigureOptions) -> float:
    """The widest loading there can be."""
    if not options.loadings:
        return 0.0
    before = "−" if options.standardized and not options.leading_zero else "−0"
    return options.width_of(f"{before}.{'8' * options.decimals}", NUMBER) + 3


def _extra(construct: Construct, options: FigureOptions, side: Side, bows: bool) -> float:
    """Room outside of the rectangles for error terms and their covariances."""
    error = (
        ERROR[0 if side in ("left", "right") else 1] if options.residuals and construct.mode == "reflective" else 0.0
    )
    return error + (BOW if bows else 0.0)


def ellipse_width(name: str, options: FigureOptions) -> float:
    """How wide the ellipse of a name is."""
    return max(ELLIPSE_WIDTH, options.width_of(name, NAME, True) + 26)


def block(
    construct: Construct,
    side: Side,
    share: float,
    options: FigureOptions,
    lines: dict[str, list[str]],
    bows: bool = False,
    compact: bool = False,
) -> Block:
    """The piece of a construct, with room above or beside the ellipse for the `share` that is explained, so wide in print, and
    with `bows` room for covariances of its items' errors; `compact` where it has to be as small as it can be."""
    if options.notation == "cards":
        return _card(construct, options, lines, compact)
    down, names = options.direction == "down", construct.indicators
    width = ellipse_width(construct.name, options)
    widest = max((options.width_of(line, ITEM) for name in names for line in lines[name]), default=0.0)
    box = max(BOX_WIDTH, widest + 10)
    tall = BOX_HEIGHT + LINE * (max((len(lines[name]) for name in names), default=1) - 1)
    groups: dict[Side, Sequence[str]] = {side: names}
    other: Side
    if compact:
        side, other = ("left", "right") if down else ("above", "below")
        half = -(-len(names) // 2)
        groups = {side: names[:half], other: names[half:]}
    outer = _extra(construct, options, side, bows) if names else 0.0
    beside = {
        of: (outer + STEM + (box if of in ("left", "right") else tall)) if own else 0.0 for of, own in groups.items()
    }
    boxes: dict[str, Box] = {}
    if side in ("left", "right"):
        step = max(tall + BOX_GAP, NUMBER + 5)
        room = 2 * BESIDE if share and not down else 0.0
        high = max(ELLIPSE_HEIGHT + room, *(len(own) * step - (step - tall) for own in groups.values()))
        free = share if share and down and not compact else 0.0  # lines come and go above and below
        x = beside.get("left", free if names else 0.0)
        core = Box(x, (high - ELLIPSE_HEIGHT) / 2, width, ELLIPSE_HEIGHT)
        for of, own in groups.items():
            first = (high - len(own) * step + (step - tall)) / 2
            at = outer if of == "left" else x + width + STEM
            boxes.update({name: Box(at, first + i * step, box, tall) for i, name in enumerate(own)})
        across = sum(beside.values()) + width + free
    else:
        step = max(box + BOX_GAP, (_label_room(options) + 2) / (1 - SHARE))
        room = BESIDE if share and not down and not compact else 0.0
        rows = [len(own) * step - (step - box) for own in groups.values()]
        across = max(width + (2 * share if down else 0.0), *rows)
        y = beside.get("above", room)
        core = Box((across - width) / 2, y, width, ELLIPSE_HEIGHT)
        for (of, own), row in zip(groups.items(), rows, strict=True):
            at = outer if of == "above" else y + ELLIPSE_HEIGHT + STEM
            boxes.update({name: Box((across - row) / 2 + i * step, at, box, tall) for i, name in enumerate(own)})
        high = room + ELLIPSE_HEIGHT + sum(beside.values())
    placed = {name: of for of, own in groups.items() for name in own}
    return Block(Card(construct.name, across, high, core, round=True), core, placed, boxes, lines)


def _card(construct: Construct, options: FigureOptions, lines: dict[str, list[str]], compact: bool) -> Block:
    """A card: its name over a line, its items in rows below, in two columns where that makes a `compact` card smaller."""
    names = construct.indicators
    widest = max((options.width_of(line, ITEM) for name in names for line in lines[name]), default=0.0)
    cell = widest + _label_room(options) + 26
    head = options.width_of(construct.name, NAME, True) + (48 if options.r_squared else 0) + 22
    width = max(CARD_WIDTH, cell, head)
    paired = 2 * cell - 10
    columns = 2 if compact and paired <= TWICE * width else 1
    width = max(width, paired) if columns == 2 else width
    boxes: dict[str, Box] = {}
    deepest = CARD_HEAD
    rows = -(-len(names) // columns)
    for column in range(columns):
        y = CARD_HEAD
        for name in names[column * rows : (column + 1) * rows]:
            tall = CARD_ROW + LINE * (len(lines[name]) - 1)
            boxes[name] = Box(width / columns * column, y, width / columns, tall)
            y += tall
        deepest = max(deepest, y)
    high = deepest + (6 if names else 0)
    core = Box(0.0, 0.0, width, high)
    return Block(Card(construct.name, width, high, core), core, {}, boxes, lines)


def observed_card(name: str, explained: bool, options: FigureOptions) -> Card:
    """The card of a column that stands in paths itself."""
    wide = max(72.0, options.width_of(name, NAME, True) + 20)
    room = BESIDE if explained else 0.0
    return Card(name, wide, 34 + room, Box(0, room, wide, 34))
