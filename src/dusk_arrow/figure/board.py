"""The board of a model: how large its cards are, what stands on every card and line, and where everything is."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from importlib.resources import files

from dusk_arrow.core.assessment.criteria import USUAL, Sheet
from dusk_arrow.core.parameter_key import ParameterKind
from dusk_arrow.core.specification.model import Construct, Model, canonical
from dusk_arrow.core.specification.statements import Arrow as Sentence
from dusk_arrow.core.specification.statements import Pair, Reference, Target
from dusk_arrow.core.wording import coefficient, interval_text
from dusk_arrow.figure.geometry import Box, Curve, arrival_angle, path_data, shortened
from dusk_arrow.figure.layout import Layout, Routed, arrange, scale_in
from dusk_arrow.figure.parts import Arc, Arrow, Card
from dusk_arrow.figure.scene import ArcPart, ArrowPart, Board, BoxPart, CardPart, HeadPart, RowPart
from dusk_arrow.figure.text import text_width
from dusk_arrow.results.document import ParameterPart, QualityPart, Results, standardized_headline

HEAD = 9.0
BEYOND = 1 + 1e-8  # a standardized loading of exactly 1 is possible
READABLE = 11.0  # points below which the text of rows is not read
MOST_LABELS = 14  # with more paths than these labels leave their intervals to the lens


@dataclass(frozen=True)
class View:
    """How a model is looked at: the room of its board, cards folded or kept open by hand, whether covariances and controls show,
    and by which cut-offs loadings are judged."""

    room: tuple[float, float] | None = None
    folded: frozenset[str] = frozenset()
    opened: frozenset[str] = frozenset()
    arcs: bool = False
    controls: bool = True
    criteria: Sheet = USUAL


class Said:
    """What is said of parameters: values they are held at, letters for those that are equal, and verdicts."""

    def __init__(self, model: Model, criteria: Sheet) -> None:
        self.criteria = criteria
        self.model = model
        self._fixed = model.fixed
        self._letters: dict[Target, str] = {}
        for number, members in enumerate(model.matches):
            for member in members:
                target = model.names.get(member.name) if isinstance(member, Reference) else member
                if target is not None:
                    self._letters.setdefault(canonical(target), chr(ord("a") + number % 26))

    def held(self, target: Target) -> float | None:
        """The value that a sentence fixes a parameter at."""
        return self._fixed.get(canonical(target))

    def equal(self, target: Target) -> str | None:
        """The letter of the parameters that one is equal to."""
        return self._letters.get(canonical(target))


@cache
def metrics() -> dict[str, float]:
    """The card metrics, the same file the front end reads."""
    loaded: dict[str, float] = json.loads((files("dusk_arrow.figure") / "card_metrics.json").read_text())
    return loaded


def card_size(construct: Construct, folded: bool = False, mean: bool = False) -> tuple[float, float]:
    """Width and height of a construct's card, open (with a line for its mean or without) or folded to its name and sun."""
    m = metrics()
    header = text_width(construct.name, m["nameSize"], "serif") + m["sun"] + m["sunText"] + 2 * m["padding"] + 8
    widest = max((text_width(name, m["textSize"]) for name in construct.everything), default=0.0)
    rows = widest + m["bar"] + m["value"] + 2 * m["padding"] + 20
    width = min(max(m["minimumWidth"], header, rows), m["maximumWidth"])
    feet = len(construct.aside) + (1 if construct.mode == "formative" else 0) + mean
    if folded:
        return min(max(90.0, header), m["maximumWidth"]), m["observedHeight"]
    height = m["header"] + m["row"] * len(construct.indicators) + m["foot"] * feet + m["bottom"]
    return width, height


def _box(box: Box) -> BoxPart:
    return BoxPart(x=round(box.x, 1), y=round(box.y, 1), width=round(box.width, 1), height=round(box.height, 1))


def _rows(construct: Construct, quality: QualityPart | None, said: Said) -> list[RowPart]:
    own = {} if quality is None else {p.indicator: p for p in quality.loadings if p.construct_ == construct.name}
    directions = {} if quality is None else {c.name: c.direction for c in quality.constructs}
    shared = Counter(p.indicator for p in quality.loadings) if quality else Counter()
    rows = []
    for name in construct.indicators:
        part = own.get(name)
        formative = construct.mode == "formative"
        arrow = Sentence(name, construct.name) if formative else Sentence(construct.name, name)
        value = None if part is None else part.weight if formative else part.loading
        judged = None if value is None else value * directions.get(construct.name, 1)
        held = said.held(arrow)
        rows.append(
            RowPart(
                indicator=name,
                value=value,
                verdict="none" if formative or held is not None else said.criteria.judge("loading", judged),
                impossible=not formative and value is not None and abs(value) > BEYOND and shared[name] == 1,
                kept=name in construct.kept,
                held=held,
                equal=said.equal(arrow),
            )
        )
    return rows


def _card(
    name: str, box: Box, pinned: bool, construct: Construct | None, results: Results | None, said: Said, folded: bool
) -> CardPart:
    formative = construct is not None and construct.mode == "formative"
    return CardPart(
        name=name,
        kind=construct.mode if construct else "observed",
        box=_box(box),
        pinned=pinned,
        share=None if results is None or formative else results.r_squared.get(name),
        rows=_rows(construct, results.quality if results else None, said) if construct else [],
        folded=folded,
        mean=None if construct is None else _means(results).get(name),
        control=name in said.model.control_names,
    )


def _means(results: Results | None) -> dict[str, float]:
    """The means of constructs that are modelled, or their intercepts where something leads to them: those that are free, or held
    elsewhere than at zero."""
    found = results.parameters if results else []
    return {p.from_: p.estimate for p in found if p.kind in ("mean", "intercept") and (p.free or p.estimate != 0)}


def _cards(model: Model, folded: frozenset[str], means: Collection[str]) -> list[Card]:
    m = metrics()
    cards = [Card(c.name, *card_size(c, c.name in folded, c.name in means)) for c in model.constructs]
    for name in model.observed:
        width = max(90.0, text_width(name, m["textSize"] + 1, "sans-bold") + m["sun"] + m["sunText"] + 3 * m["padding"])
        cards.append(Card(name, min(width, m["maximumWidth"]), m["observedHeight"]))
    return cards


def _label_size(parameter: ParameterPart | None, brief: bool) -> tuple[float, float]:
    """Width and height of the label of a path; a brief one has no interval."""
    m = metrics()
    value = coefficient(parameter.standardized if parameter else None)
    if brief:
        return text_width(value, m["labelSize"], "sans-bold") + 8, 19.0
    interval = interval_text(standardized_headline(parameter)) if parameter else ""
    wide = max(text_width(value, m["labelSize"], "sans-bold"), text_width(interval, m["labelSmall"]), 30.0) + 6
    return wide, m["labelHeight"]


def _links(model: Model) -> list[tuple[ParameterKind, str, str]]:
    """What stands as an arrow: paths, and what a construct shows in where that is a construct."""
    shown: list[tuple[ParameterKind, str, str]] = [
        ("loading", c.name, n) for c in model.constructs for n in c.indicators if n in model.by_name
    ]
    paths: list[tuple[ParameterKind, str, str]] = [("path", a, b) for a, b in model.paths]
    return paths + shown


@dataclass(frozen=True)
class _Covariance:
    first: str
    second: str
    cards: tuple[str, str]
    kind: str
    said: bool
    parameter: ParameterPart | None


def _covariances(model: Model, results: Results | None) -> list[_Covariance]:
    """Covariances between what has a card or a row of one: those that are estimated, or at least said."""
    nodes = set(model.structure_nodes)
    owner = {name: c.name for c in model.constructs if c.mode == "reflective" for name in c.indicators}
    said = {*model.covariances, *((t.first, t.second) for t in model.fixed if isinstance(t, Pair))}
    found: dict[tuple[str, str], ParameterPart | None] = dict.fromkeys(said)
    for p in results.parameters if results else []:
        if p.kind == "covariance" and (p.free or (p.from_, p.to) in said or (p.to, p.from_) in said):
            found[(p.from_, p.to) if p.from_ <= p.to else (p.to, p.from_)] = p
    lines = []
    for (first, second), parameter in found.items():
        pair = (first, second)
        if {first, second} <= nodes:
            lines.append(_Covariance(first, second, pair, "node", pair in said, parameter))
        elif first in owner and second in owner:
            lines.append(_Covariance(first, second, (owner[first], owner[second]), "residual", True, parameter))
    return lines


def _arc(line: _Covariance, model: Model, folded: frozenset[str]) -> Arc:
    m = metrics()
    rows = None
    if line.kind == "residual" and not folded & set(line.cards):
        ends = []
        for name, card in zip((line.first, line.second), line.cards, strict=True):
            ends.append(m["header"] + (model.by_name[card].indicators.index(name) + 0.5) * m["row"])
        rows = (ends[0], ends[1])
    return Arc(line.cards[0], line.cards[1], _arc_width(), 15.0, rows)


def _arc_width() -> float:
    return text_width(coefficient(0.5), metrics()["labelSmall"] + 1, "sans-bold") + 8


def _head(curves: list[Curve]) -> HeadPart:
    x, y = curves[-1].end
    return HeadPart(x=round(x, 1), y=round(y, 1), angle=round(arrival_angle(curves), 1))


def _arc_part(routed: Routed, line: _Covariance) -> ArcPart:
    back = [Curve(c.end, c.second, c.first, c.start) for c in reversed(routed.curves)]
    drawn = shortened([Curve(c.end, c.second, c.first, c.start) for c in reversed(shortened(routed.curves, 6))], 6)
    p = line.parameter
    return ArcPart(
        kind="node" if line.kind == "node" else "residual",
        from_=line.first,
        to=line.second,
        cards=line.cards,
        path=path_data(drawn),
        heads=(_head(back), _head(routed.curves)),
        label=_box(routed.label),
        standardized=p.standardized if p else None,
        estimate=p.estimate if p else None,
        interval=standardized_headline(p) if p else None,
        free=p is None or p.free,
        said=line.said,
    )


def board(
    model: Model, results: Results | None, pins: Mapping[str, tuple[float, float]], view: View | None = None
) -> Board:
    """The board of a model; labels have room for the numbers of `results` (the last good ones, or None).

    Where the text of rows would be too small to read in the room, cards fold to name and sun, but for those kept open.
    """
    view = view or View()
    if not view.controls:
        model = model.without_controls()
    loadings = {(p.kind, p.from_, p.to): p for p in results.parameters} if results else {}
    lines = _covariances(model, results)
    shown = lines if view.arcs or not model.paths else [line for line in lines if line.said]
    links = [link for link in _links(model) if {link[1], link[2]} <= set(model.structure_nodes)]
    brief = len(links) > MOST_LABELS
    arrows = [Arrow(a, b, *_label_size(loadings.get((kind, a, b)), brief)) for kind, a, b in links]
    constructs, means = frozenset(model.by_name), _means(results)

    def laid_out(folded: frozenset[str]) -> Layout:
        arcs = [_arc(line, model, folded) for line in shown]
        return arrange(_cards(model, folded, means), arrows, pins, arcs=arcs, room=view.room)

    folded = view.folded & constructs
    if view.room is not None and model.structure_nodes:
        beside = 0.0 if links else _arc_width() + 24
        scale = scale_in(_cards(model, folded, means), arrows, view.room, beside)
        folded = constructs - view.opened if scale * metrics()["textSize"] < READABLE else folded
    return _scene(
        model, results, pins, laid_out(folded), folded, links, shown, len(lines) - len(shown), brief, view.criteria
    )


def _scene(
    model: Model,
    results: Results | None,
    pins: Mapping[str, tuple[float, float]],
    layout: Layout,
    folded: frozenset[str],
    links: Sequence[tuple[ParameterKind, str, str]],
    arcs: Sequence[_Covariance],
    hidden: int,
    brief: bool,
    criteria: Sheet,
) -> Board:
    said = Said(model, criteria)
    known = {(p.kind, p.from_, p.to): p for p in results.parameters} if results else {}
    constructs = model.by_name
    return Board(
        width=round(layout.width, 1),
        height=round(layout.height, 1),
        cards=[
            _card(name, box, name in pins, constructs.get(name), results, said, name in folded)
            for name, box in layout.cards.items()
        ],
        arrows=[
            ArrowPart(
                kind="path" if kind == "path" else "loading",
                from_=routed.source,
                to=routed.target,
                path=path_data(shortened(routed.curves, HEAD)),
                head_x=round(routed.curves[-1].end[0], 1),
                head_y=round(routed.curves[-1].end[1], 1),
                head_angle=round(arrival_angle(routed.curves), 1),
                label=_box(routed.label),
                standardized=parameter.standardized if parameter else None,
                estimate=parameter.estimate if parameter else None,
                interval=standardized_headline(parameter) if parameter else None,
                free=parameter is None or parameter.free,
                equal=said.equal(Sentence(source, target)),
                control=(source, target) in model.controls,
            )
            for routed, (kind, source, target) in zip(layout.arrows, links, strict=True)
            for parameter in [known.get((kind, source, target))]
        ],
        arcs=[_arc_part(routed, line) for routed, line in zip(layout.arcs, arcs, strict=True)],
        hidden_arcs=hidden,
        brief=brief,
    )
