"""The board's scene: card sizes from fixed metrics, the layout, and what stands on every card and arrow."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Mapping
from functools import cache
from importlib.resources import files

from pydantic import BaseModel, ConfigDict, Field

from dusk_arrow.core.assessment.criteria import BY_KEY, Verdict
from dusk_arrow.core.specification.model import Construct, Model
from dusk_arrow.core.wording import coefficient, interval_text
from dusk_arrow.figure.geometry import Box, arrival_angle, path_data, shortened
from dusk_arrow.figure.layout import Arrow, Card, arrange
from dusk_arrow.figure.text import text_width
from dusk_arrow.results.document import Interval, QualityPart, Results, standardized_headline

HEAD = 9.0
BEYOND = 1 + 1e-8  # a standardized loading of exactly 1 is possible


@cache
def metrics() -> dict[str, float]:
    """The card metrics, the same file the front end reads."""
    loaded: dict[str, float] = json.loads((files("dusk_arrow.figure") / "card_metrics.json").read_text())
    return loaded


class BoxPart(BaseModel):
    """A rectangle on the board."""

    x: float
    y: float
    width: float
    height: float


class RowPart(BaseModel):
    """An indicator on its construct's card: its standardized loading, or weight of a formative one, judged in the direction
    of its block; `impossible` where it would explain more than all of the indicator."""

    indicator: str
    value: float | None
    verdict: Verdict
    impossible: bool


class CardPart(BaseModel):
    """A card on the board; `share` is R², null where it does not apply."""

    name: str
    kind: str
    box: BoxPart
    pinned: bool
    share: float | None
    rows: list[RowPart]


class ArrowPart(BaseModel):
    """A routed arrow: its way, its head, its label, and what is written there: β with the interval that decides."""

    model_config = ConfigDict(populate_by_name=True, serialize_by_alias=True)

    from_: str = Field(alias="from")
    to: str
    path: str
    head_x: float
    head_y: float
    head_angle: float
    label: BoxPart
    standardized: float | None
    interval: Interval | None
    free: bool


class Board(BaseModel):
    """Everything the board needs to draw a model."""

    width: float
    height: float
    cards: list[CardPart]
    arrows: list[ArrowPart]


def card_size(construct: Construct) -> tuple[float, float]:
    """Width and height of a construct's card."""
    m = metrics()
    header = text_width(construct.name, m["nameSize"], "serif") + m["sun"] + m["sunText"] + 2 * m["padding"] + 8
    widest = max((text_width(name, m["textSize"]) for name in construct.everything), default=0.0)
    rows = widest + m["bar"] + m["value"] + 2 * m["padding"] + 20
    width = min(max(m["minimumWidth"], header, rows), m["maximumWidth"])
    feet = len(construct.aside) + (1 if construct.mode == "formative" else 0)
    height = m["header"] + m["row"] * len(construct.indicators) + m["foot"] * feet + m["bottom"]
    return width, height


def _box(box: Box) -> BoxPart:
    return BoxPart(x=round(box.x, 1), y=round(box.y, 1), width=round(box.width, 1), height=round(box.height, 1))


def _rows(construct: Construct, quality: QualityPart | None) -> list[RowPart]:
    own = {} if quality is None else {p.indicator: p for p in quality.loadings if p.construct_ == construct.name}
    directions = {} if quality is None else {c.name: c.direction for c in quality.constructs}
    shared = Counter(p.indicator for p in quality.loadings) if quality else Counter()
    rows = []
    for name in construct.indicators:
        part = own.get(name)
        formative = construct.mode == "formative"
        value = None if part is None else part.weight if formative else part.loading
        judged = None if value is None else value * directions.get(construct.name, 1)
        rows.append(
            RowPart(
                indicator=name,
                value=value,
                verdict="none" if formative else BY_KEY["loading"].judge(judged),
                impossible=not formative and value is not None and abs(value) > BEYOND and shared[name] == 1,
            )
        )
    return rows


def _card(name: str, box: Box, pinned: bool, construct: Construct | None, results: Results | None) -> CardPart:
    formative = construct is not None and construct.mode == "formative"
    return CardPart(
        name=name,
        kind=construct.mode if construct else "observed",
        box=_box(box),
        pinned=pinned,
        share=None if results is None or formative else results.r_squared.get(name),
        rows=_rows(construct, results.quality if results else None) if construct else [],
    )


def board(model: Model, results: Results | None, pins: Mapping[str, tuple[float, float]]) -> Board:
    """The board of a model; labels have room for the numbers of `results` (the last good ones, or None)."""
    m = metrics()
    cards = []
    for construct in model.constructs:
        width, height = card_size(construct)
        cards.append(Card(construct.name, width, height))
    for name in model.observed:
        width = max(90.0, text_width(name, m["textSize"] + 1, "sans-bold") + m["sun"] + m["sunText"] + 3 * m["padding"])
        cards.append(Card(name, min(width, m["maximumWidth"]), m["observedHeight"]))
    found = {(p.from_, p.to): p for p in results.parameters if p.kind == "path"} if results else {}
    placed = {card.name for card in cards}
    arrows = []
    for source, target in model.paths:
        if source not in placed or target not in placed:
            continue
        parameter = found.get((source, target))
        value = coefficient(parameter.standardized if parameter else None)
        interval = interval_text(standardized_headline(parameter)) if parameter else ""
        width = max(text_width(value, m["labelSize"], "sans-bold"), text_width(interval, m["labelSmall"]), 30.0)
        arrows.append(Arrow(source, target, width + 10, m["labelHeight"]))
    layout = arrange(cards, arrows, pins)
    constructs = model.by_name
    return Board(
        width=round(layout.width, 1),
        height=round(layout.height, 1),
        cards=[_card(name, box, name in pins, constructs.get(name), results) for name, box in layout.cards.items()],
        arrows=[
            ArrowPart(
                from_=routed.source,
                to=routed.target,
                path=path_data(shortened(routed.curves, HEAD)),
                head_x=round(routed.curves[-1].end[0], 1),
                head_y=round(routed.curves[-1].end[1], 1),
                head_angle=round(arrival_angle(routed.curves), 1),
                label=_box(routed.label),
                standardized=parameter.standardized if parameter else None,
                interval=standardized_headline(parameter) if parameter else None,
                free=parameter is None or parameter.free,
            )
            for routed in layout.arrows
            for parameter in [found.get((routed.source, routed.target))]
        ],
    )
