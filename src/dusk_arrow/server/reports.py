"""The report of a model: what it holds as it will be printed, its documents, and its figures."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from typing import Annotated, Any, Literal, NamedTuple

from flask import Response
from flask_openapi3 import APIBlueprint, Tag
from pydantic import BaseModel, Field, ValidationError

from dusk_arrow.core.assessment.comparing import Comparison
from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.core.observations.steps import words as step_words
from dusk_arrow.figure.drawing import Drawing, Ellipse, Label, Rectangle, Words
from dusk_arrow.figure.formats.registry import FORMATS as FIGURES
from dusk_arrow.figure.formats.registry import finest
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.figure.sizes import MM as POINTS
from dusk_arrow.figure.sizes import sideways
from dusk_arrow.records import store
from dusk_arrow.records.tables import DataSetRow, ProjectRow, RevisionRow
from dusk_arrow.report.assembly import Block, Figure, Numbered, Report, build, drawn
from dusk_arrow.report.cells import Align, Style, Table
from dusk_arrow.report.formats.registry import FORMATS
from dusk_arrow.report.material import Beside, Cases, Material, Turn, material, screened
from dusk_arrow.report.options import NamedFigure, ReportOptions
from dusk_arrow.report.proposals import proposal
from dusk_arrow.report.tables.registry import TABLES
from dusk_arrow.results.document import Results
from dusk_arrow.server.comparisons import against, quick
from dusk_arrow.server.computing import computes
from dusk_arrow.server.context import attachment, context, imported_data, keep, removed_by_steps, reply, version_data
from dusk_arrow.server.criteria import cut_offs
from dusk_arrow.server.documents import Document, document_of, fit_revision, halves_of, with_importance
from dusk_arrow.server.model_state import find_model
from dusk_arrow.server.model_state import report_of as options_of
from dusk_arrow.server.models import ModelPath
from dusk_arrow.server.problems import ProblemDocument, refuse

api = APIBlueprint(
    "reports", __name__, url_prefix="/api/models", abp_tags=[Tag(name="reports")],
    abp_responses={404: ProblemDocument, 422: ProblemDocument},
)  # fmt: skip
MM = 1 / POINTS


class OfferedPart(BaseModel):
    """What a report can hold: `words` is what it is called, `title` what somebody called it instead; `there` is false where
    the model has nothing of the kind."""

    key: str
    kind: Literal["figure", "table", "words"]
    words: str
    title: str | None
    number: int | None
    shown: bool
    there: bool


class ShapePart(BaseModel):
    """A shape that can be moved by hand: its box in millimetres on the page, and the place of its piece in the units that
    `places` of the options have."""

    name: str
    x: float
    y: float
    width: float
    height: float
    place: tuple[float, float]


class LabelPart(BaseModel):
    """Something beside a line or a shape that can be moved by hand: its key, its box in millimetres on the page, and its place in
    the units that `label_places` of the options have."""

    key: str
    x: float
    y: float
    width: float
    height: float
    place: tuple[float, float]


class FigureBlock(BaseModel):
    """A figure as it is printed: its size in millimetres, its smallest type in points, whether it needs a page turned on its side, how many millimetres a unit of its places has, its shapes and labels, and
    which `parts` of the model it draws."""

    kind: Literal["figure"] = "figure"
    key: str
    number: int
    title: str
    note: str
    width: float
    height: float
    smallest: float
    sideways: bool
    unit: float
    shapes: list[ShapePart]
    labels: list[LabelPart]
    parts: Literal["both", "structure", "measurement"] | None


class ColumnHead(BaseModel):
    """A column of a table."""

    words: str
    holds: Align


class TableRow(BaseModel):
    """A row of a table as it is printed; an `inset` one belongs to the heading above."""

    cells: list[str]
    heading: bool
    inset: bool


class TableBlock(BaseModel):
    """A table as it is printed."""

    kind: Literal["table"] = "table"
    key: str
    number: int
    title: str
    columns: list[ColumnHead]
    rows: list[TableRow]
    notes: list[str]


class WordsBlock(BaseModel):
    """Paragraphs: as they were `computed`, or as somebody `edited` them, perhaps before the numbers `moved`; `mark` is that of
    what is computed now."""

    kind: Literal["words"] = "words"
    key: str
    title: str
    paragraphs: list[str]
    computed: list[str]
    state: Literal["computed", "edited", "moved"]
    mark: str


class ReportDocument(BaseModel):
    """A report as it is printed, in the order of its parts."""

    title: str
    offered: list[OfferedPart]
    blocks: list[Annotated[FigureBlock | TableBlock | WordsBlock, Field(discriminator="kind")]]
    references: list[str]


class _Whole(NamedTuple):
    """What a report is made of, how it is to look, its title, the name of its files, and the document it rests on."""

    material: Material
    options: ReportOptions
    title: str
    name: str
    document: Document


def _whole(model_id: int) -> _Whole:
    """Everything for the report of a model at its head. Refuses what is not estimated."""
    with context().sessions() as session:
        model = find_model(session, model_id)
        head = store.head_of(session, model)
        document = document_of(session, head)
        results = document.results
        if not results.converged:
            raise refuse(422, "nothing_to_report", "The model is not estimated yet, so there is nothing to report.")
        version = store.version_of(session, head)
        by_id = {row.id: row for row in store.revisions_of(session, model.id)}
        turns = [Turn(row.words, row.reason, row.prompted == "data") for row in store.way_of(head, by_id)]
        heads = [(other.name, store.head_of(session, other)) for other in store.models_of(session, model.project_id)]
        there = [(name, row) for name, row in heads if row.specification and store.reads(session, row)]
        stated = [(name, row, fit_revision(session, row)) for name, row in there]
        criteria, options = cut_offs(session, model), options_of(model)
        steps = [step_words(step) for step in store.steps_of(version) if step.on]
        data_set_id = version.data_set_id
        title = f"{session.get_one(ProjectRow, model.project_id).name}: {model.name}"
        name = session.get_one(DataSetRow, version.data_set_id).name
        version_id, revision_id = version.id, head.id
        removed = removed_by_steps(version)
    if any(figure.kind == "importance" for figure in options.figures):
        results = with_importance(revision_id, results)
    data = version_data(version_id)
    found = keep(
        f"screened {' '.join(results.sample.variables if results.sample else [])}",
        version_id,
        lambda: screened(results, data),
    )
    own = cache(lambda: quick(head))  # fitted once, and only where a test is not kept
    beside = [
        Beside(other, one, _test(head, row, own), row.id == head.id) for other, row, one in stated if one.converged
    ]
    cases = halves = None
    if isinstance(data, DataSet):
        imported = imported_data(data_set_id)
        assert isinstance(imported, DataSet)
        cases, halves = Cases(imported.n, removed), halves_of(revision_id, results)
    whole = material(results, data, criteria, steps, turns, beside, found, cases, halves)
    return _Whole(whole, options, title, name, document)


def _test(head: RevisionRow, other: RevisionRow, own: Callable[[], Any]) -> Comparison | None:
    """How another model of the project compares with the one that is reported, which `own` fits."""
    if head.id == other.id:
        return None
    return keep(f"against {head.id}", other.id, lambda: against(own(), quick(other), head, other))


def report_of(model_id: int) -> tuple[Report, str]:
    """The report of a model at its head, and the name of its data. Refuses what is not estimated."""
    found = _whole(model_id)

    def draw(figure: NamedFigure) -> Drawing:
        return _drawing(found.document, figure, found.material.results, False)

    return build(found.material, found.options, found.title, draw), found.name


def _drawing(document: Document, figure: NamedFigure, results: Results, inside: bool) -> Drawing:
    """A figure, drawn once for its sizes and its file. Raises ValueError where there is nothing to draw."""
    labelled = bool(results.data and results.data.labels)
    what = f"drawing {document.run_id} {document.so_far} {labelled} {inside} {figure.model_dump_json()}"
    return keep(what, document.revision_id, lambda: drawn(figure, results, inside))


def _shapes(drawing: Drawing) -> list[ShapePart]:
    unit = drawing.scale * MM
    found = {
        item.node[0]: item.box
        for item in drawing.items
        if isinstance(item, Rectangle | Ellipse) and len(item.node) == 1
    }
    return [
        ShapePart(
            name=name,
            x=box.x * unit,
            y=box.y * unit,
            width=box.width * unit,
            height=box.height * unit,
            place=drawing.places[name],
        )
        for name, box in found.items()
        if name in drawing.places
    ]


def _labels(drawing: Drawing) -> list[LabelPart]:
    unit = drawing.scale * MM
    found = []
    for item in drawing.items:
        if not isinstance(item, Label | Words) or item.handle is None:
            continue
        box = item.box if isinstance(item, Label) else drawing.box_of(item)
        (x, y), (from_x, from_y) = box.centre, item.handle.at
        found.append(
            LabelPart(
                key=item.handle.key, x=box.x * unit, y=box.y * unit, width=box.width * unit, height=box.height * unit,
                place=(x - from_x, y - from_y),
            )
        )  # fmt: skip
    return found


def _table(table: Table, number: int, style: Style) -> TableBlock:
    rows = []
    for row in table.rows:
        cells = [style.printed(cell) for cell in row.cells]
        rows.append(TableRow(cells=[c.strip() for c in cells], heading=row.heading, inset=cells[0].startswith(" ")))
    heads = [ColumnHead(words=column.words, holds=column.holds) for column in table.columns]
    return TableBlock(
        key=table.key, number=number, title=table.title, columns=heads, rows=rows, notes=list(table.notes)
    )


def _block(block: Block, report: Report) -> FigureBlock | TableBlock | WordsBlock:
    if isinstance(block, Figure):
        d = block.drawing
        return FigureBlock(
            key=block.key, number=block.number, title=block.title, note=block.note, width=d.width * d.scale * MM,
            height=d.height * d.scale * MM, smallest=d.smallest, sideways=sideways(d),
            unit=d.scale * MM, shapes=_shapes(d), labels=_labels(d), parts=d.parts,
        )  # fmt: skip
    if isinstance(block, Numbered):
        return _table(block.table, block.number, report.style)
    return WordsBlock(
        key=block.key, title=block.title, paragraphs=list(block.paragraphs), computed=list(block.computed),
        state=block.state, mark=block.mark,
    )  # fmt: skip


@api.get("/<int:model_id>/report", operation_id="getReport", responses={200: ReportDocument})
@computes
def get_report(path: ModelPath) -> Response:
    """The report of a model as it will be printed, and what else it could hold."""
    report, _ = report_of(path.model_id)
    return reply(
        ReportDocument(
            title=report.title,
            offered=[OfferedPart(**vars(one)) for one in report.offered],
            blocks=[_block(block, report) for block in report.blocks],
            references=[one.text for one in report.references],
        )
    )


class TablePath(ModelPath):
    """A model, and one of the tables that its report can have."""

    key: Literal[
        "descriptives", "correlations", "measures", "htmt", "fornell_larcker", "cross_loadings", "collinearity", "fit", "halves", "paths", "effects",
        "stated", "explained", "models", "set_aside", "assumptions", "criteria", "parameters",
    ]  # fmt: skip


@api.get("/<int:model_id>/tables/<key>", operation_id="getTable", responses={200: TableBlock})
@computes
def get_table(path: TablePath) -> Response:
    """One table as the report prints it, whether the report has it or not."""
    found = _whole(path.model_id)
    made = next(one for one in TABLES if one.key == path.key).make(found.material)
    if made is None:
        raise refuse(404, "nothing_in_table", "The model has nothing of the kind.")
    return reply(_table(made, 0, Style(found.options.decimals, found.options.leading_zero)))


class ReportPath(ModelPath):
    """A model, and the format of its report."""

    ending: Literal["docx", "pdf", "html", "tex", "md", "xlsx", "zip", "bib"]


@api.get("/<int:model_id>/report.<ending>", operation_id="getReportFile", responses={200: None})
@computes
def get_report_file(path: ReportPath) -> Response:
    """The report of a model as a document."""
    report, name = report_of(path.model_id)
    chosen = FORMATS[path.ending]
    return attachment(chosen.write(report), f"{name}_report.{path.ending}", chosen.mimetype)


class FigureQuery(BaseModel):
    """Which figure of the report, by its key, and how it is drawn (the options as JSON; as they are kept unless given); dots
    an inch of a picture; whether the note is part of it."""

    key: str = Field(default="figure", max_length=500)
    options: str | None = Field(default=None, max_length=60_000)
    dots: int = Field(default=300, ge=72, le=1200)
    note: bool = True


class FigurePath(ModelPath):
    """A model, and the format of its figure."""

    ending: Literal["svg", "pdf", "png", "pptx", "odg", "graphml", "dot"]


class _Asked(NamedTuple):
    """A figure as it is to be drawn, of which results and document, and what its file is called."""

    figure: NamedFigure
    results: Results
    document: Document
    name: str


def _asked(model_id: int, query: FigureQuery) -> _Asked:
    """The figure that a query means. Refuses what is not estimated, unknown figures, and choices that make no sense."""
    with context().sessions() as session:
        model = find_model(session, model_id)
        head = store.head_of(session, model)
        document = document_of(session, head)
        results = document.results
        kept = options_of(model)
        name = session.get_one(DataSetRow, store.version_of(session, head).data_set_id).name
        revision_id = head.id
    if not results.converged:
        raise refuse(422, "nothing_to_draw", "The model is not estimated yet, so there is no figure.")
    named = next((one for one in kept.figures if one.key == query.key), None)
    if named is None:
        raise refuse(404, "unknown_figure", "There is no such figure in the report.")
    try:
        options = named.options if query.options is None else FigureOptions.model_validate_json(query.options)
    except ValidationError as error:
        raise refuse(422, "figure_options", f"The figure cannot be drawn so: {error.errors()[0]['msg']}.") from None
    if named.kind == "importance":
        results = with_importance(revision_id, results)
    return _Asked(named.model_copy(update={"options": options}), results, document, name)


@api.get("/<int:model_id>/figure.<ending>", operation_id="getFigure", responses={200: None})
@computes
def get_figure(path: FigurePath, query: FigureQuery) -> Response:
    """A figure of the report: of the whole model, of one mediation, or of importance and performance."""
    named, results, document, name = _asked(path.model_id, query)
    ending = path.ending
    try:
        drawing = _drawing(document, named, results, query.note)
    except ValueError as error:
        raise refuse(422, "no_route", f"There is nothing to draw: {error}.") from None
    if ending == "png" and query.dots > finest(drawing):
        message = f"At {query.dots} dots an inch the picture would be too large; at most {finest(drawing)} can be had."
        raise refuse(422, "too_many_dots", message)
    file = "_".join(part for part in (name, named.source, named.outcome) if part)
    return attachment(FIGURES[ending].render(drawing, query.dots), f"{file}.{ending}", FIGURES[ending].mimetype)


class ProposalPart(BaseModel):
    """In which of the usual widths (mm) a figure of the whole model can be read, how it runs there, what it shows and in which
    notation, and its smallest type in points."""

    width: float
    direction: Literal["across", "down"]
    parts: Literal["both", "structure", "measurement"]
    notation: Literal["literature", "cards"]
    smallest: float


@api.get("/<int:model_id>/figure-proposal", operation_id="getFigureProposal", responses={200: ProposalPart})
@computes
def get_figure_proposal(path: ModelPath, query: FigureQuery) -> Response:
    """The narrowest of the usual widths in which a figure can be read, and the choices that go with it."""
    named, results, _, _ = _asked(path.model_id, query)
    return reply(ProposalPart(**vars(proposal(named, results))))
