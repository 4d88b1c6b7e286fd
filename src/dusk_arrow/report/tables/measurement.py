"""Tables about measurement: items and reliability, how far constructs can be told apart, collinearity."""

from __future__ import annotations

from dusk_arrow.report.cells import Cell, Column, Number, Range, Row, Style, Table
from dusk_arrow.report.material import Material
from dusk_arrow.report.references import within
from dusk_arrow.report.tables.structure import cut_off
from dusk_arrow.results.document import ConstructPart, Matrix


def measures(material: Material) -> Table | None:
    """Every construct with its reliability, and below it its items with wording, loading (or weight) and interval."""
    quality, results = material.results.quality, material.results
    if quality is None or not quality.constructs:
        return None
    labels = material.labels
    reliabilities = [
        *(("rho_a", "rho_A"),) * material.composite,
        ("composite_reliability", "Composite reliability"),
        ("ave", "AVE"),
    ]
    reliabilities = [("alpha", "Alpha"), *reliabilities]
    columns = [Column("Construct and items", "text"), *([Column("Wording", "text")] if labels else [])]
    columns += [Column("Loading"), Column(f"{material.level} interval", "range")]
    columns += [Column(words) for _, words in reliabilities]
    found = {(p.from_, p.to): p for p in results.parameters if p.kind in ("loading", "weight")}
    rows: list[Row] = []
    weights = False
    for construct in quality.constructs:
        blank = ("",) * (2 + bool(labels))
        rows.append(
            Row((construct.name, *blank, *(_reliability(construct, key) for key, _ in reliabilities)), heading=True)
        )
        for line in (one for one in quality.loadings if one.construct_ == construct.name):
            formative = construct.mode == "formative"
            weights = weights or formative
            key = (line.indicator, construct.name) if formative else (construct.name, line.indicator)
            parameter = found.get(key)
            bounds = None if parameter is None else material.standardized(parameter).bounds
            value = line.weight if formative else line.loading
            wording = (labels.get(line.indicator, ""),) if labels else ()
            name = f"    {line.indicator}"
            rows.append(Row((name, *wording, Number(value), Range(bounds), *("",) * len(reliabilities))))
    reflective = [c.name for c in quality.constructs if c.mode == "reflective"]
    notes = ["Standardized. AVE: average variance extracted."]
    if reflective:
        judged = [f"loading {_cited(material, 'loading')}"]
        judged += [
            f"{words[0].lower() + words[1:] if words != 'AVE' else words} {_cited(material, key)}"
            for key, words in reliabilities
        ]
        notes.append(f"Cut-offs: {'; '.join(judged)}.")
    if weights:
        notes.append(
            "Of constructs made of their items the weights stand in the place of loadings; they have no reliability."
        )
    if material.interval:
        notes.append(f"Interval: {material.interval}.")
    if material.against:
        notes.append(f"Reliability means nothing where an item runs against its block: {', '.join(material.against)}.")
    return Table("measures", "Measures", tuple(columns), tuple(rows), tuple(notes))


def _reliability(construct: ConstructPart, key: str) -> Cell:
    if construct.mode == "formative":
        return ""
    return Number(getattr(construct, key))


def _triangle(
    key: str, title: str, names: list[str], cell: dict[tuple[str, str], Cell], diagonal: bool, notes: list[str]
) -> Table:
    """A table of pairs below the diagonal, or with it."""
    last = len(names) if diagonal else len(names) - 1
    columns = (Column("Construct", "text"), *(Column(str(i + 1)) for i in range(last)))
    rows = []
    for i, name in enumerate(names):
        cells = [cell.get((name, other), "") if j < i + diagonal else "" for j, other in enumerate(names[:last])]
        rows.append(Row((f"{i + 1}  {name}", *cells)))
    return Table(key, title, columns, tuple(rows), tuple(notes))


def htmt(material: Material) -> Table | None:
    """HTMT of all pairs below the diagonal."""
    quality = material.results.quality
    if quality is None or not quality.htmt:
        return None
    names = list(dict.fromkeys(name for pair in quality.htmt for name in (pair.a, pair.b)))
    order = [c.name for c in quality.constructs if c.name in names]
    cells: dict[tuple[str, str], Cell] = {}
    for pair in quality.htmt:
        cells[pair.a, pair.b] = cells[pair.b, pair.a] = Number(pair.value)
    notes = [f"Heterotrait–monotrait ratio of absolute correlations; {_cited(material, 'htmt')}."]
    with_intervals = [p for p in quality.htmt if p.bootstrap is not None and p.value is not None]
    if with_intervals:
        top = max(with_intervals, key=lambda p: p.value or 0.0)
        bounds = top.bootstrap.headline if top.bootstrap else None
        written = Style()
        around = f" {written.range(bounds)}" if bounds else ""
        notes.append(f"Highest: {top.a} with {top.b}, {written.number(top.value)}{around}; {material.interval}.")
    return _triangle("htmt", "Constructs apart: HTMT", order, cells, False, notes)


def _cited(material: Material, key: str) -> str:
    """A cut-off with its source, for a note."""
    criterion = material.criteria.by_key[key]
    return f"{cut_off(criterion)} ({within(criterion.cut_off_source)})"


def _cells(matrix: Matrix) -> dict[tuple[str, str], Cell]:
    return {
        (row, column): Number(value)
        for row, line in zip(matrix.rows, matrix.values, strict=True)
        for column, value in zip(matrix.columns, line, strict=True)
    }


def fornell_larcker(material: Material) -> Table | None:
    """Correlations of the constructs below the diagonal, the root of the AVE on it."""
    quality = material.results.quality
    if quality is None or len(quality.fornell_larcker.rows) < 2:
        return None
    notes = [
        "On the diagonal the square root of the AVE, below it correlations of the constructs (Fornell & Larcker, 1981)."
    ]
    names = list(quality.fornell_larcker.rows)
    return _triangle(
        "fornell_larcker",
        "Constructs apart: correlations and √AVE",
        names,
        _cells(quality.fornell_larcker),
        True,
        notes,
    )


def cross_loadings(material: Material) -> Table | None:
    """Correlations of every item with every construct."""
    quality = material.results.quality
    if quality is None or not quality.cross_loadings.rows:
        return None
    matrix = quality.cross_loadings
    rows = [
        Row((name, *(Number(value) for value in line))) for name, line in zip(matrix.rows, matrix.values, strict=True)
    ]
    columns = (Column("Item", "text"), *(Column(name) for name in matrix.columns))
    return Table("cross_loadings", "Cross-loadings", columns, tuple(rows), ("Correlations of items with constructs.",))


def collinearity(material: Material) -> Table | None:
    """Variance inflation of the predictors of each outcome, and of the items that make up a construct."""
    quality = material.results.quality
    if quality is None:
        return None
    rows = [Row((v.outcome, v.antecedent, Number(v.vif, "plain"))) for v in quality.vif_antecedents]
    formative = {c.name for c in quality.constructs if c.mode == "formative"}
    rows += [
        Row((one.construct_, one.indicator, Number(one.vif, "plain")))
        for one in quality.loadings
        if one.construct_ in formative
    ]
    if not rows:
        return None
    notes = [f"Variance inflation factors. Predictors: {_cited(material, 'vif_antecedents')}."]
    if formative:
        notes.append(f"Items that make up a construct: {_cited(material, 'vif_indicators')}.")
    columns = (Column("Outcome", "text"), Column("Predictor", "text"), Column("VIF"))
    return Table("collinearity", "Collinearity", columns, tuple(rows), tuple(notes))
