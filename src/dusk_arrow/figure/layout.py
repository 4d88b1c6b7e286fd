"""One layout for board and figure: cards in columns by cause, routed arrows, and labels that touch nothing."""

from __future__ import annotations

import itertools
import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from dusk_arrow.figure.arcs import arc_way
from dusk_arrow.figure.geometry import Box, Curve, Point
from dusk_arrow.figure.labels import Labels, collide
from dusk_arrow.figure.layering import Link, forward_links, layer_of, order_columns
from dusk_arrow.figure.parts import Arc, Arrow, Card, Way
from dusk_arrow.figure.routing import BUNDLED, ways_of
from dusk_arrow.figure.spreading import scale_of, spread

LANE_WIDTH = 20.0  # of a column in which no card stands
CROWDED = 0.6  # how much of a gap between columns labels may fill


@dataclass(frozen=True)
class Spacing:
    """Room between columns (beside the labels), between rows, and the height of a passing lane; `tight` where the whole has to be as
    low as it can be."""

    column: float = 18
    row: float = 26
    lane: float = 34
    margin: float = 8
    tight: bool = False


@dataclass(frozen=True)
class Routed:
    """The way of an arrow (or of an arc, from first to second) and its label's place."""

    source: str
    target: str
    curves: list[Curve]
    label: Box

    def moved(self, dx: float, dy: float) -> Routed:
        """The same somewhere else."""
        return Routed(self.source, self.target, [c.moved(dx, dy) for c in self.curves], self.label.moved(dx, dy))


@dataclass(frozen=True)
class Layout:
    """Where everything stands; all coordinates start at the upper left."""

    cards: dict[str, Box]
    arrows: list[Routed]
    width: float
    height: float
    arcs: list[Routed] = field(default_factory=list)


def _lane(link: Link, column: int, bundled: bool) -> str:
    return f"\0{'' if bundled else link[0]}\0{link[1]}\0{column}"


def _with_lanes(
    names: Sequence[str], links: Sequence[Link], layers: Mapping[str, int], bundled: bool
) -> tuple[list[list[str]], list[Link], dict[Link, list[str]]]:
    """Columns with a lane in every column that a link passes, the short links between them, and each link's lanes. Links
    that are bundled share their lanes on the way to a common target (confluent drawing, Dickerson et al. 2005)."""
    columns: list[list[str]] = [[] for _ in range(max(layers.values(), default=0) + 1)]
    for name in names:
        columns[layers[name]].append(name)
    pieces: list[Link] = []
    lanes: dict[Link, list[str]] = {}
    for link in dict.fromkeys(links):
        passed = [_lane(link, column, bundled) for column in range(layers[link[0]] + 1, layers[link[1]])]
        for offset, lane in enumerate(passed, start=layers[link[0]] + 1):
            if lane not in columns[offset]:
                columns[offset].append(lane)
        lanes[link] = passed
        chain = [link[0], *passed, link[1]]
        pieces += [piece for piece in itertools.pairwise(chain) if piece not in pieces]
    return columns, pieces, lanes


def _separate(wanted: list[float], heights: list[float], gap: float, within: float | None = None) -> list[float]:
    """Centres nearest to the wanted ones (least squares) that keep the order and the gaps, `within` so much to either side of the
    middle."""
    from scipy.optimize import isotonic_regression  # loaded late: it takes long, and a start does not need it

    offsets = [0.0]
    for above, below in itertools.pairwise(heights):
        offsets.append(offsets[-1] + (above + below) / 2 + gap)
    free = isotonic_regression([w - o for w, o in zip(wanted, offsets, strict=True)]).x
    if within is not None:
        free = np.clip(free, heights[0] / 2 - within, within - offsets[-1] - heights[-1] / 2)
    return [float(f) + o for f, o in zip(free, offsets, strict=True)]


def _rows(
    columns: list[list[str]], pieces: Sequence[Link], heights: Mapping[str, float], gap: float, tight: bool
) -> dict[str, float]:
    """The vertical centre of every card and lane, near its neighbours; where it has to be `tight`, all columns within the height of
    the tallest."""
    totals = [sum(heights[name] for name in column) + gap * (len(column) - 1) for column in columns]
    within = max(totals) / 2 + 0.5 if tight else None
    around: dict[str, list[str]] = {name: [] for column in columns for name in column}
    for source, target in pieces:
        around[source].append(target)
        around[target].append(source)
    centre: dict[str, float] = {}
    for column in columns:
        placed = _separate([0.0] * len(column), [heights[n] for n in column], gap)
        middle = (placed[0] - heights[column[0]] / 2 + placed[-1] + heights[column[-1]] / 2) / 2
        placed = [at - middle for at in placed] if tight else placed
        centre.update(zip(column, placed, strict=True))
    for sweep in range(24):
        for column in columns if sweep % 2 == 0 else reversed(columns):
            wanted = []
            for name in column:
                near = around[name]
                weights = [3.0 if name[0] == "\0" or other[0] == "\0" else 1.0 for other in near]
                pull = (
                    sum(w * centre[o] for w, o in zip(weights, near, strict=True)) / sum(weights)
                    if near
                    else centre[name]
                )
                wanted.append(0.8 * pull + 0.2 * centre[name])
            placed = _separate(wanted, [heights[n] for n in column], gap, within)
            centre.update(zip(column, placed, strict=True))
    return centre


def _make_room(boxes: dict[str, Box], pinned: set[str], gap: float) -> None:
    """Cards that were not moved by hand give way to those that were."""
    for name in sorted((n for n in boxes if n not in pinned), key=lambda n: boxes[n].y):
        for _ in range(40):
            box = boxes[name]
            hit = next((b for n, b in boxes.items() if n != name and box.overlap(b, gap) > 0), None)
            if hit is None:
                break
            boxes[name] = Box(box.x, hit.y + hit.height + gap + 1, box.width, box.height)


def arrange(
    cards: Sequence[Card],
    arrows: Sequence[Arrow],
    pins: Mapping[str, Point] | None = None,
    spacing: Spacing | None = None,
    arcs: Sequence[Arc] = (),
    room: tuple[float, float] | None = None,
) -> Layout:
    """The layout of cards, arrows and arcs. Pinned cards stand where they were put; the others arrange themselves.

    Columns that are too tall for the `room` are parted where everything becomes larger by it; cards without arrows between
    them stand in a grid of its proportions.

    Arrows between neighbouring columns run in the gap, longer ones through lanes of their own, so none crosses a
    card; only where a pinned card is involved is a free way looked for.
    """
    spacing = spacing or Spacing()
    if not cards:
        return Layout({}, [], 0, 0)
    by_name = {card.name: card for card in cards}
    names = list(by_name)
    links = [(a.source, a.target) for a in arrows]
    forward = forward_links(names, links)
    bundled = len(links) > BUNDLED
    label = max([0.0, *(a.label_width for a in arrows), *(a.label_width + 24 for a in arcs if not arrows)])
    columns, pieces, lanes = _columns(by_name, forward, bundled, label, spacing, room)
    heights = {n: by_name[n].height if n in by_name else spacing.lane for column in columns for n in column}
    rise = _spare_rows(columns, by_name, label + spacing.column, spacing, room) if room and not spacing.tight else 0.0
    centre = _rows(columns, pieces, heights, spacing.row + rise, spacing.tight)
    gaps = _gaps(columns, pieces, centre, label, max((a.label_height for a in arrows), default=0.0))
    pinned = {name: spot for name, spot in (pins or {}).items() if name in by_name}
    for widening in (1.0, 1.3, 1.7, 2.2):
        boxes, lane_ends = _placed(columns, by_name, centre, heights, [widening * gap for gap in gaps], spacing)
        boxes.update({n: Box(x, y, by_name[n].width, by_name[n].height) for n, (x, y) in pinned.items()})
        if pinned:
            _make_room(boxes, set(pinned), spacing.row / 2)
        ways: list[Way] = list(ways_of(by_name, boxes, arrows, forward, lanes, lane_ends, bool(pinned), spacing.tight))
        ways += [(arc, _arc_ways(arc, boxes, i)) for i, arc in enumerate(arcs)]
        labels = Labels(ways, list(boxes.values())).boxes
        if pinned or not collide(labels[: len(arrows)], list(boxes.values())):
            break
    routed = [Routed(*_ends(a), curves, box) for (a, curves), box in zip(ways, labels, strict=True)]
    return _framed(boxes, routed[: len(arrows)], routed[len(arrows) :], spacing.margin, bool(pinned))


def scale_in(cards: Sequence[Card], arrows: Sequence[Arrow], room: tuple[float, float], label: float) -> float:
    """How large a model can be drawn in a room, before anything is routed: as `arrange` would place its cards."""
    spacing = Spacing()
    by_name = {card.name: card for card in cards}
    forward = forward_links(list(by_name), [(a.source, a.target) for a in arrows])
    label = max([label, *(a.label_width for a in arrows)])
    columns, _, _ = _columns(by_name, forward, len(arrows) > BUNDLED, label, spacing, room)
    own = [kept for column in columns if (kept := [name for name in column if name in by_name])]
    sizes = {name: (card.width, card.height) for name, card in by_name.items()}
    inner = (room[0] - 2 * spacing.margin, room[1] - 2 * spacing.margin)
    return scale_of(own, sizes, (label + spacing.column, spacing.row), inner)


def _placed(
    columns: Sequence[Sequence[str]],
    cards: Mapping[str, Card],
    centre: Mapping[str, float],
    heights: Mapping[str, float],
    gaps: Sequence[float],
    spacing: Spacing,
) -> tuple[dict[str, Box], dict[str, tuple[Point, Point]]]:
    """Where cards stand and where lanes begin and end, with a gap for labels right of every column."""
    top = min(centre[n] - heights[n] / 2 for n in centre)
    boxes: dict[str, Box] = {}
    lane_ends: dict[str, tuple[Point, Point]] = {}
    x = spacing.margin
    for column, gap in zip(columns, gaps, strict=True):
        width = max((cards[n].width for n in column if n in cards), default=LANE_WIDTH)
        for name in column:
            y = centre[name] - top + spacing.margin
            if name in cards:
                card = cards[name]
                boxes[name] = Box(x + (width - card.width) / 2, y - card.height / 2, card.width, card.height)
            else:
                lane_ends[name] = ((x, y), (x + width, y))
        x += width + gap + spacing.column
    return boxes, lane_ends


def _spare_rows(
    columns: Sequence[Sequence[str]],
    cards: Mapping[str, Card],
    gap: float,
    spacing: Spacing,
    room: tuple[float, float],
) -> float:
    """How much further rows can stand apart where the width of the room decides how large everything is drawn."""
    own = [[cards[n] for n in column if n in cards] for column in columns]
    width = sum(max((c.width for c in column), default=LANE_WIDTH) for column in own) + gap * len(columns)
    tall = max(sum(c.height + spacing.row for c in column) for column in own)
    count = max(len(column) for column in own)
    spare = room[1] / min(room[0] / width, 1.1) - tall
    return max(0.0, min(spare / max(count, 1), spacing.row))


def _gaps(
    columns: Sequence[Sequence[str]], pieces: Sequence[Link], centre: Mapping[str, float], label: float, tall: float
) -> list[float]:
    """Room for labels right of every column: one label wide, or more where so many arrows pass that their labels would not
    find a place one under the other."""
    if tall == 0:
        return [label] * len(columns)
    at = {name: number for number, column in enumerate(columns) for name in column}
    passing = Counter(at[source] for source, _ in pieces)
    height = max(centre.values()) - min(centre.values()) + 2 * tall
    return [
        label * max(1, math.ceil(passing[number] * (tall + 4) / (CROWDED * height))) for number in range(len(columns))
    ]


def _ends(line: Arrow | Arc) -> tuple[str, str]:
    return (line.source, line.target) if isinstance(line, Arrow) else (line.first, line.second)


def _columns(
    cards: Mapping[str, Card],
    forward: Sequence[Link],
    bundled: bool,
    label: float,
    spacing: Spacing,
    room: tuple[float, float] | None,
) -> tuple[list[list[str]], list[Link], dict[Link, list[str]]]:
    """Cards and lanes by column, in order: by cause, the columns parted where that fills the room better; what lanes need counts
    where everything has to be tight."""
    layers: Mapping[str, int] = layer_of(list(cards), forward)
    columns, pieces, lanes = _with_lanes(list(cards), forward, layers, bundled)
    columns = order_columns(columns, pieces)
    if room is None and forward:
        return columns, pieces, lanes
    own = [kept for column in columns if (kept := [name for name in column if name in cards])]

    def laned(parted: list[list[str]]) -> tuple[list[list[str]], list[Link], dict[Link, list[str]]]:
        layers = {name: number for number, column in enumerate(parted) for name in column}
        return _with_lanes([n for c in parted for n in c], forward, layers, bundled)

    def scale(parted: list[list[str]]) -> float:
        whole = laned(parted)[0] if spacing.tight else parted
        lane = (LANE_WIDTH, spacing.lane)
        sizes = {n: (cards[n].width, cards[n].height) if n in cards else lane for column in whole for n in column}
        return scale_of(whole, sizes, (label + spacing.column, spacing.row), room or (3.0, 2.0))

    parted = spread(own, {name: card.height for name, card in cards.items()}, spacing.row, scale)
    if len(parted) == len(own):
        return columns, pieces, lanes
    columns, pieces, lanes = laned(parted)
    return (order_columns(columns, pieces) if forward else columns), pieces, lanes


def _arc_ways(arc: Arc, boxes: Mapping[str, Box], number: int) -> list[Curve]:
    first, second = boxes[arc.first], boxes[arc.second]
    others = [box for name, box in boxes.items() if name not in (arc.first, arc.second)]
    heights = None if arc.rows is None else (first.y + arc.rows[0], second.y + arc.rows[1])
    return arc_way(first, second, others, heights, nudge=5.0 * (number % 5 - 2))


def _framed(boxes: dict[str, Box], arrows: list[Routed], arcs: list[Routed], margin: float, pinned: bool) -> Layout:
    """Everything moved to where nothing is cut off; nothing is moved while cards are where somebody put them."""
    labels = [r.label for r in (*arrows, *arcs)]
    points = [p for r in (*arrows, *arcs) for c in r.curves for p in c.samples()]
    left = min([*(b.x for b in boxes.values()), *(b.x for b in labels), *(p[0] for p in points)])
    top = min([*(b.y for b in boxes.values()), *(b.y for b in labels), *(p[1] for p in points)])
    right = max([*(b.x + b.width for b in (*boxes.values(), *labels)), *(p[0] for p in points)])
    bottom = max([*(b.y + b.height for b in (*boxes.values(), *labels)), *(p[1] for p in points)])
    dx, dy = (0.0, 0.0) if pinned else (max(margin - left, 0.0), max(margin - top, 0.0))
    if dx or dy:
        boxes = {name: box.moved(dx, dy) for name, box in boxes.items()}
        arrows, arcs = ([r.moved(dx, dy) for r in lines] for lines in (arrows, arcs))
    return Layout(boxes, arrows, right + dx + margin, bottom + dy + margin, arcs)
