"""What a figure shows of a results document by its options, and where it stands."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

from dusk_arrow.core.effects.mediation import excludes_zero
from dusk_arrow.core.family_options import traits_of
from dusk_arrow.core.specification.model import Construct, read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.wording import p_words
from dusk_arrow.figure.blocks import BESIDE, SMALL, Block, Side, block, observed_card, sides, wordings
from dusk_arrow.figure.framing import MARGIN
from dusk_arrow.figure.geometry import Box
from dusk_arrow.figure.inks import INKS, Ink
from dusk_arrow.figure.layout import Layout, Spacing
from dusk_arrow.figure.mediation import between, words
from dusk_arrow.figure.notes import fit_line, note
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.figure.parts import Arrow
from dusk_arrow.figure.sizes import page
from dusk_arrow.figure.turning import arranged, stacked
from dusk_arrow.results.document import ParameterPart, Results

VALUE, BELOW = 12.0, 10.2  # type sizes: a path's value, what stands below it
MOST_ITEMS = 60  # that are drawn unasked
MOST_COVARYING = 9  # constructs whose covariances are drawn unasked
STARS = ((0.001, "***"), (0.01, "**"), (0.05, "*"))


def _said(parameter: ParameterPart | None, options: FigureOptions) -> tuple[str, str]:
    """What is written at a path: its value, and what stands beside or below it."""
    if parameter is None:
        return "–", ""
    read_as = options.reading(parameter)
    value = options.number(read_as.value)
    p, boot = read_as.p_value, read_as.boot
    if options.beside == "stars":
        if (
            p is None and boot is not None
        ):  # p belongs to the percentile interval; beside another one there is but one star
            return value + "*" * excludes_zero(boot.headline), ""
        return value + next((stars for limit, stars in STARS if p is not None and p < limit), ""), ""
    if options.beside == "p":
        return value, "" if p is None else options.p(p_words(p, None if boot is None else boot.n_used))
    if options.beside == "se":
        return value, "" if read_as.se is None else f"({options.number(read_as.se)})"
    return value, options.range(read_as.bounds) if options.beside == "interval" else ""


def could_be_zero(parameter: ParameterPart | None, options: FigureOptions) -> bool:
    """Whether the interval that decides contains zero."""
    bounds = None if parameter is None else options.reading(parameter).bounds
    return bounds is not None and bounds[0] <= 0 <= bounds[1]


def label_size(value: str, below: str, options: FigureOptions) -> tuple[float, float]:
    """Width and height of what stands at a path."""
    width = max(options.width_of(value, VALUE, True), options.width_of(below, BELOW)) + 5
    return width, VALUE + BELOW + 3 if below else VALUE + 3


class Plan:
    """One figure of a results document by its options: of the whole model, or `about` one mediation; `looseness` widens its gaps."""

    def __init__(
        self, results: Results, options: FigureOptions, about: tuple[str, str] | None, looseness: float = 1.0
    ) -> None:
        said = read(parse(results.model))
        self.left_out = () if options.controls else said.control_names
        self.whole = said if options.controls else said.without_controls()
        if options.parts is None:
            many = sum(len(construct.indicators) for construct in self.whole.constructs) > MOST_ITEMS
            options = options.model_copy(update={"parts": "structure" if many else "both"})
        self.results, self.options, self.about, self.looseness = results, options, about, looseness
        self.model = self.whole if about is None else between(self.whole, results, about)
        self.structure = options.parts != "measurement"
        self.items = options.parts != "structure" and about is None
        self.ink: Ink = INKS[options.ink]
        self.down = options.direction == "down"
        self.labels = dict(results.data.labels) if results.data else {}

    @property
    def dense(self) -> bool:
        """Whether so many items are drawn that everything has to be as compact as it can be."""
        return self.items and sum(len(construct.indicators) for construct in self.model.constructs) > MOST_ITEMS

    @cached_property
    def found(self) -> dict[tuple[str, str], ParameterPart]:
        """Paths, loadings and weights by their ends."""
        return {(p.from_, p.to): p for p in self.results.parameters if p.kind in ("path", "loading", "weight")}

    @cached_property
    def residual(self) -> dict[str, ParameterPart]:
        """Variances of errors and disturbances by whose they are."""
        return {
            p.from_: p
            for p in self.results.parameters
            if p.kind == "variance" and p.role in ("residual", "disturbance")
        }

    def explained(self, name: str) -> str | None:
        """The R² beside a shape, with the residual variance where errors are drawn: none where nothing leads to it, or where R²
        is 1 by definition."""
        construct = self.model.by_name.get(name)
        said = []
        value = self.results.r_squared.get(name)
        by_definition = (
            construct is not None and construct.mode == "formative" and traits_of(self.results.family).factors
        )
        if self.structure and value is not None and not by_definition and name in {t for _, t in self.whole.paths}:
            said = [f"R² = {self.options.share(value)}"] if self.options.r_squared else []
            error = self.residual.get(name)
            if self.options.residuals and error is not None:
                said.append(f"residual {self.options.number(self.options.reading(error).value)}")
        return ", ".join(said) or None

    @cached_property
    def paths(self) -> list[tuple[str, str]]:
        """The paths that are drawn."""
        drawn = self.model.paths if self.structure else ()
        hidden = self.options.uncertain == "hidden"
        return [pair for pair in drawn if not (hidden and could_be_zero(self.found.get(pair), self.options))]

    def standardized(self, pair: tuple[str, str]) -> float:
        """A path's standardized value; 0 where there is none."""
        parameter = self.found.get(pair)
        return 0.0 if parameter is None else parameter.standardized or 0.0

    @cached_property
    def covariances(self) -> list[tuple[str, str, float]]:
        """The covariances of constructs and observed variables that are drawn, with their figure."""
        wanted, nodes = self.options.covariances, list(self.model.structure_nodes)
        no_paths = not self.structure or not self.model.paths
        if wanted is False or (wanted is None and not (no_paths and 1 < len(nodes) <= MOST_COVARYING)):
            return []
        if no_paths and self.whole.paths:
            return self._correlations(nodes)
        own = [
            (p.from_, p.to, value)
            for p in self.results.parameters
            if p.kind == "covariance"
            and p.from_ in nodes
            and p.to in nodes
            and (value := self.options.reading(p).value) is not None
        ]
        return own or (self._correlations(nodes) if no_paths else [])

    def _correlations(self, nodes: Sequence[str]) -> list[tuple[str, str, float]]:
        """Implied correlations of all constructs, for a figure without paths of a model that has some."""
        quality = self.results.quality
        if quality is None:
            return []
        matrix = quality.construct_correlations
        by_pair = {
            (row, column): value
            for row, line in zip(matrix.rows, matrix.values, strict=True)
            for column, value in zip(matrix.columns, line, strict=True)
        }
        pairs = [(a, b) for i, a in enumerate(nodes) for b in nodes[i + 1 :]]
        return [(a, b, value) for a, b in pairs if (value := by_pair.get((a, b))) is not None]

    @cached_property
    def bows(self) -> list[tuple[tuple[str, str], tuple[str, str], float]]:
        """Stated covariances of items' errors: construct and item at both ends, and their figure."""
        if not self.items or self.options.covariances is False or self.options.notation == "cards":
            return []
        owner = {name: c.name for c in self.model.constructs for name in c.indicators}
        return [
            ((owner[p.from_], p.from_), (owner[p.to], p.to), value)
            for p in self.results.parameters
            if p.kind == "covariance" and p.from_ in owner and p.to in owner and tuple(sorted((p.from_, p.to))) in self._stated
            and (value := self.options.reading(p).value) is not None
        ]  # fmt: skip

    @cached_property
    def _stated(self) -> set[tuple[str, ...]]:
        return {tuple(sorted(pair)) for pair in self.model.covariances}

    @cached_property
    def blocks(self) -> dict[str, Block]:
        """Constructs as pieces."""
        stacked_up = bool(self.covariances) and not self.paths
        at: dict[str, Side] = sides(self.model, self.down)
        if stacked_up:
            at = dict.fromkeys(self.model.structure_nodes, "above" if self.down else "left")
        bowed = {construct for first, second, _ in self.bows for construct in (first[0], second[0])}
        found = {}
        for construct in self.model.constructs:
            shown = construct if self.items else Construct(construct.name, construct.mode, ())
            side: Side = at[construct.name] if self.items else "right"
            lines = wordings(shown, self.labels, self.options)
            said = self.explained(construct.name)
            share = 0.0 if said is None else self.options.width_of(said, SMALL) + 6
            found[construct.name] = block(
                shown, side, share, self.options, lines, construct.name in bowed, self.dense and not stacked_up
            )
        return found

    @cached_property
    def texts(self) -> dict[tuple[str, str], tuple[str, str]]:
        """What is written at every path."""
        return {pair: _said(self.found.get(pair), self.options) for pair in self.paths}

    @cached_property
    def layout(self) -> Layout:
        """Where everything stands."""
        cards = [one.card for one in self.blocks.values()]
        cards += [observed_card(name, self.explained(name) is not None, self.options) for name in self.model.observed]
        arrows = [Arrow(*pair, *label_size(*self.texts[pair], self.options)) for pair in self.paths]
        if not arrows and self.covariances:
            return stacked(cards, 16.0, self.down)
        loose = self.looseness
        spacing = Spacing(
            column=(14 if self.options.arrows != "angled" else 26) * loose,
            row=(34 if self.covariances else 14 if self.dense else 18) * loose,
            lane=(4 if self.dense else 26) * loose,
            margin=MARGIN,
            tight=self.dense,
        )
        room = page(self.down) if self.dense else None
        return arranged(cards, arrows, dict(self.options.places), self.down, spacing, room)

    @cached_property
    def rectangles(self) -> dict[tuple[str, str], Box]:
        """The rectangles of items, by construct and item; none where items stand in cards."""
        places = self.layout.cards
        return {
            (name, item): box.moved(places[name].x, places[name].y)
            for name, piece in self.blocks.items()
            for item, box in piece.boxes.items()
            if item in piece.sides
        }

    @cached_property
    def cores(self) -> dict[str, tuple[Box, bool]]:
        """The shapes that lines touch, and whether they are round."""
        found = {}
        for name, box in self.layout.cards.items():
            piece = self.blocks.get(name)
            if piece is not None:
                found[name] = (piece.core.moved(box.x, box.y), piece.card.round)
            else:
                room = BESIDE if self.explained(name) is not None else 0.0
                found[name] = (Box(box.x, box.y + room, box.width, box.height - room), False)
        return found

    @cached_property
    def said(self) -> str:
        """What is said below the figure: the note, the fit, and the effects of a mediation, as chosen."""
        options, model, parts = self.options, self.model, []
        if options.note:
            stated = len([pair for pair in model.covariances if not set(pair) <= set(model.structure_nodes)])
            only_paths = options.parts == "structure" and self.about is None
            undrawn = 0 if only_paths else max(stated - len(self.bows), 0)
            parts.append(note(model, self.results, options, len(self.covariances), undrawn, self.left_out))
        if options.fit:
            parts.append(fit_line(self.results, options))
        if options.note and self.about is not None:
            parts.append(words(self.whole, model, self.results, self.about, options))
        return " ".join(part for part in parts if part)
