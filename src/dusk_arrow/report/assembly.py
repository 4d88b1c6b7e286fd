"""A report put together: its parts in their order, numbered, with the literature they cite."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Literal

from dusk_arrow.core.texts import all_printable, paragraphs
from dusk_arrow.figure.drawing import Drawing
from dusk_arrow.figure.importance import importance_picture
from dusk_arrow.figure.paper import diagram
from dusk_arrow.figure.sizes import MM, TWO_COLUMNS, largest, sideways
from dusk_arrow.report.cells import Style, Table
from dusk_arrow.report.material import Material
from dusk_arrow.report.options import NamedFigure, PartChoice, ReportOptions
from dusk_arrow.report.references import Reference, cited
from dusk_arrow.report.tables.registry import TABLES
from dusk_arrow.report.typesetting import kept_together
from dusk_arrow.report.words.registry import WORDS
from dusk_arrow.results.document import Results

Kind = Literal["figure", "table", "words"]
FIGURE = "figure"
UNASKED_SCALE = 0.8  # type as large as that of tables
ORDER = (
    "sample", "method", "descriptives", "correlations", "measures_and_fit", "measures", "htmt", "fornell_larcker", "cross_loadings",
    "fit", "halves", FIGURE, "paths_in_words", "paths", "stated", "explained", "collinearity", "mediation", "effects", "models", "aside_in_words",
    "set_aside", "assumptions", "criteria_in_words", "criteria", "settings", "parameters",
)  # fmt: skip


@dataclass(frozen=True)
class Figure:
    """A figure with its number, and the note below it."""

    key: str
    number: int
    title: str
    drawing: Drawing

    @property
    def note(self) -> str:
        """What is said below it."""
        return self.drawing.note

    @property
    def sideways(self) -> bool:
        """Whether it has a page of its own, turned on its side."""
        return sideways(self.drawing)


@dataclass(frozen=True)
class Numbered:
    """A table with its number."""

    number: int
    table: Table


@dataclass(frozen=True)
class Words:
    """Paragraphs under a heading: as `computed`, as someone `edited` them, or edited although the numbers `moved` since; and the
    mark of what is computed now."""

    key: str
    title: str
    paragraphs: tuple[str, ...]
    computed: tuple[str, ...]
    state: Literal["computed", "edited", "moved"]
    mark: str


Block = Figure | Numbered | Words


@dataclass(frozen=True)
class Offered:
    """What can be in the report: its number where it has one, whether it is shown, and whether there is anything in it."""

    key: str
    kind: Kind
    words: str
    title: str | None
    number: int | None
    shown: bool
    there: bool


@dataclass(frozen=True)
class Report:
    """A report: blocks in their order, what else it could hold, and the works that it cites."""

    title: str
    blocks: tuple[Block, ...]
    offered: tuple[Offered, ...]
    references: tuple[Reference, ...]
    style: Style

    @property
    def figures(self) -> list[Figure]:
        """Its figures."""
        return [block for block in self.blocks if isinstance(block, Figure)]

    @property
    def tables(self) -> list[Numbered]:
        """Its tables."""
        return [block for block in self.blocks if isinstance(block, Numbered)]


def _choices(options: ReportOptions, keys: Iterable[str], unasked: dict[str, bool]) -> list[PartChoice]:
    """Every part in its order: those that were chosen, each other one before the next that follows it by default."""
    known = list(keys)
    chosen = {part.key: part for part in options.parts if part.key in unasked}
    order = list(chosen)
    for at, key in enumerate(known):
        if key not in chosen:
            later = next((other for other in known[at + 1 :] if other in order), None)
            order.insert(len(order) if later is None else order.index(later), key)
    return [chosen.get(key) or PartChoice(key=key, shown=unasked[key]) for key in order]


def _words(key: str, title: str, said: Sequence[str], options: ReportOptions) -> Words:
    computed = tuple(kept_together(text) for text in said)
    mark = hashlib.sha256("\n".join(computed).encode()).hexdigest()
    edit = options.edits.get(key)
    if edit is None or edit.text is None:
        return Words(key, title, computed, computed, "computed", mark)
    own = tuple(line for line in paragraphs(edit.text).split("\n") if line)
    return Words(key, title, own, computed, "edited" if edit.computed == mark else "moved", mark)


def drawn(figure: NamedFigure, results: Results, inside: bool = False) -> Drawing:
    """A figure of a report, its note `inside` or to be set below it; where no width is chosen it is no wider than a page. Raises
    ValueError where there is nothing to draw."""
    if figure.kind == "importance":
        drawing = importance_picture(results, figure.outcome or "", figure.options, inside)
    else:
        about = (figure.source or "", figure.outcome or "") if figure.kind == "mediation" else None
        drawing = diagram(results, figure.options, about, inside)
    drawing = all_printable(drawing)
    if figure.options.width is not None:
        return drawing
    return replace(drawing, scale=min(UNASKED_SCALE, TWO_COLUMNS * MM / drawing.width))


def _on_the_page(drawing: Drawing) -> Drawing:
    """A drawing no larger than the page it goes on."""
    return replace(drawing, scale=min(drawing.scale, largest(drawing, drawing.width * drawing.scale / MM)))


def build(
    material: Material,
    options: ReportOptions | None = None,
    title: str = "",
    draw: Callable[[NamedFigure], Drawing] | None = None,
) -> Report:
    """The report of a material as chosen: what has nothing in it is left out, figures and tables are numbered as they come, and
    words refer to them by number. `draw` is for whoever has drawings already."""
    options = options or ReportOptions()
    tables, words = {one.key: one for one in TABLES}, {one.key: one for one in WORDS}
    figures = {one.key: one for one in options.figures}
    unasked = {one.key: one.unasked for one in TABLES} | {one.key: one.unasked for one in WORDS}
    unasked |= dict.fromkeys(figures, True)
    at = ORDER.index(FIGURE)
    keys = [key for key in (*ORDER[: at + 1], *(k for k in figures if k != FIGURE), *ORDER[at + 1 :]) if key in unasked]
    choices = _choices(options, keys, unasked)
    pairs = [(f.source or "", f.outcome or "") for f in options.figures if f.kind == "mediation"]
    material = replace(material, pairs=pairs, n_in_chi_square=options.n_in_chi_square)
    made = {key: maker.make(material) for key, maker in tables.items()}
    drawings = {}
    for choice in choices:
        if choice.shown and choice.key in figures:
            with suppress(ValueError):  # what it was of is no longer in the model
                own = figures[choice.key]
                drawings[choice.key] = _on_the_page(draw(own) if draw else drawn(own, material.results))
    shown = [one.key for one in choices if one.shown and (made.get(one.key) is not None or one.key in drawings)]
    number = {
        key: 1 + sum((other in figures) == (key in figures) for other in shown[:place])
        for place, key in enumerate(shown)
    }
    named = {key: f"{'Figure' if key in figures else 'Table'} {count}" for key, count in number.items()}
    material = replace(material, numbers=named)
    blocks: list[Block] = []
    offered: list[Offered] = []
    for choice in choices:
        key = choice.key
        kind: Kind = "figure" if key in figures else "table" if key in tables else "words"
        caption = (figures.get(key) or tables.get(key) or words[key]).words
        block: Block | None = None
        there = kind == "figure" and (not choice.shown or key in drawings)
        table = made.get(key)
        if key in drawings:
            block = Figure(key, number[key], choice.title or caption, drawings[key])
        elif table is not None:
            there, caption = True, table.title
            block = Numbered(number[key], table.titled(choice.title)) if choice.shown else None
        elif kind == "words":
            paragraphs = _words(key, choice.title or caption, words[key].make(material), options)
            there = bool(paragraphs.paragraphs)
            block = paragraphs if there and choice.shown else None
        if block is not None:
            blocks.append(block)
        offered.append(Offered(key, kind, caption, choice.title, number.get(key), choice.shown, there))
    style = Style(options.decimals, options.leading_zero)
    report = Report(options.title or title, tuple(blocks), tuple(offered), tuple(cited(_texts(blocks))), style)
    return all_printable(report)


def _texts(blocks: Iterable[Block]) -> Iterable[str]:
    """Everything in a report that could cite something."""
    for block in blocks:
        if isinstance(block, Words):
            yield from block.paragraphs
        elif isinstance(block, Numbered):
            yield from block.table.notes
            yield from (cell for row in block.table.rows for cell in row.cells if isinstance(cell, str))
