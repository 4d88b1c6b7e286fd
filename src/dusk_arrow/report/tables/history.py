"""Tables about how the model came to be: what was set aside and why, the models beside it, the cut-offs in force."""

from __future__ import annotations

from dusk_arrow.core.assessment.comparing import Comparison
from dusk_arrow.core.assessment.criteria import BY_KEY, listed_in
from dusk_arrow.core.observations.taking_steps import Removal
from dusk_arrow.core.problems import counted
from dusk_arrow.report.cells import Cell, Column, Number, Row, Table
from dusk_arrow.report.material import Material
from dusk_arrow.report.tables.structure import cut_off
from dusk_arrow.results.left_out import without_answers

NO_REASON = "no reason was written down"


def reasons(material: Material) -> dict[str, str]:
    """The reason for every item that is set aside, from its sentence or from the change that did it."""
    found: dict[str, str] = {}
    for construct in material.model.constructs:
        for name, reason in construct.aside:
            turn = next(
                (t for t in material.turns or () if t.reason and name in t.words.replace(",", " ").split()), None
            )
            found[name] = reason or (turn.reason if turn is not None and turn.reason else "")
    return found


def removed(material: Material) -> list[Removal]:
    """The cases and columns that were left out before the model was estimated."""
    return [] if material.cases is None else [*material.cases.removals, *without_answers(material.results)]


def set_aside(material: Material) -> Table | None:
    """Items that are set aside, cases that were left out, and the other changes that these data prompted."""
    why = reasons(material)
    labels = material.labels
    rows = [
        Row((name, f"item of {construct.name}", labels.get(name, ""), why[name] or NO_REASON))
        for construct in material.model.constructs
        for name, _ in construct.aside
    ]
    for one in removed(material):
        kind = counted(one.cases, "case") if one.cases else "columns"
        if one.incomplete:
            kind += f", {one.incomplete:,} of them incomplete"
        rows.append(Row((one.words, kind, "", one.reason or NO_REASON)))
    changes = [t for t in material.turns or () if t.from_data]
    if not rows and not changes:
        return None
    listed = {f"{name} set aside from {c.name}" for c in material.model.constructs for name, _ in c.aside}
    rows += [
        Row((turn.words, "change of the model", "", turn.reason or NO_REASON))
        for turn in changes
        if turn.words not in listed
    ]
    notes = []
    if material.turns is not None:
        said = "No change" if not changes else counted(len(changes), "change")
        notes.append(f"{said} on the way to this model came from these data (MacCallum, Roznowski & Necowitz, 1992).")
    columns = (
        Column("What", "text"),
        Column("Kind", "text"),
        Column("Wording", "text"),
        Column("Reason", "text"),
    )
    return Table("set_aside", "What was removed, and why", columns, tuple(rows), tuple(notes))


def models(material: Material) -> Table | None:
    """The models of the project side by side."""
    if not material.beside:
        return None
    columns = [
        Column("Model", "text"),
        Column("n"),
        Column("χ²"),
        Column("df"),
        Column("p"),
        Column("CFI"),
        Column("RMSEA"),
        Column("SRMR"),
    ]
    columns += [Column("AIC"), Column("BIC")]
    tested = any(one.comparison is not None for one in material.beside)
    columns += [Column("Δχ²"), Column("Δdf"), Column("p of Δχ²")] if tested else []
    rows = []
    analysed = set()
    for name, results, comparison, _ in material.beside:
        fit, data = results.fit, results.data
        if fit is None or data is None:
            continue
        analysed.add((data.analysed, tuple(sorted(results.sample.variables)) if results.sample else ()))
        cells: list[Cell] = [
            name,
            Number(data.n_used, "count"),
            Number(fit.chi_square, "plain", 2),
            Number(fit.df, "count"),
            Number(fit.p_value, "p"),
        ]
        cells += [Number(fit.cfi, "share", 3), Number(fit.rmsea, "share", 3), Number(fit.srmr, "share", 3)]
        cells += [Number(fit.aic, "plain", 1), Number(fit.bic, "plain", 1)]
        cells += _difference(comparison) if tested else []
        rows.append(Row(tuple(cells)))
    if len(rows) < 2:
        return None
    notes = ["Other cases or other variables: χ², AIC and BIC cannot be compared."] if len(analysed) > 1 else []
    if tested:
        notes += _tests(material)
    return Table("models", "Models", tuple(columns), tuple(rows), tuple(notes))


def _difference(comparison: Comparison | None) -> list[Cell]:
    """Δχ², Δdf and p where there is a test, scaled where errors are robust."""
    found = None if comparison is None else comparison.difference
    if found is None:
        return ["", "", ""]
    scaled = found.scaled is not None
    chi_square, p = (found.scaled, found.scaled_p) if scaled else (found.chi_square, found.p_value)
    return [Number(chi_square, "plain", 2), Number(found.df, "count"), Number(p, "p")]


def _tests(material: Material) -> list[str]:
    """What the tests are of, and why there is none where there is none."""
    compared = [(one.name, one.comparison) for one in material.beside if one.comparison is not None]
    own = next((one.name for one in material.beside if one.reported), "the model of this report")
    differences = [c.difference for _, c in compared if c.difference is not None]
    notes = []
    if differences:
        notes.append(
            f"Δχ² is against {own}; that one model is nested in the other was checked (Bentler & Satorra, 2010)."
        )
    if any(one.scaled is not None for one in differences):
        notes.append("Δχ² is scaled (Satorra & Bentler, 2001; Satorra & Bentler, 2010).")
    return notes + [f"{name}: {c.reason}." for name, c in compared if c.difference is None]


def halves(material: Material) -> Table | None:
    """The model fitted freely to the half of the cases that it was worked out on, and to the one that was held out."""
    found = material.holdout
    if found is None or found.first.fit is None or found.second.fit is None:
        return None
    first, second = found.first.fit, found.second.fit
    rows = [Row(("n", Number(found.first.n, "count"), Number(found.second.n, "count")))]
    lines = [(BY_KEY[key].label, key, BY_KEY[key].form, max(2, BY_KEY[key].decimals)) for key in listed_in("beside")]
    for words, key, kind, places in (*lines[:1], ("df", "df", "count", 0), *lines[1:]):
        values = getattr(first, key), getattr(second, key)
        if any(value is not None for value in values):
            rows.append(Row((words, *(Number(value, kind, places) for value in values))))
    other = {(p.from_, p.to): p.standardized for p in found.second.paths}
    rows += [
        Row((f"{p.from_} → {p.to}", Number(p.standardized), Number(other.get((p.from_, p.to)))))
        for p in found.first.paths
    ]
    notes = [f"Both halves fitted freely; paths are standardized. The half was drawn with seed {found.seed}."]
    if found.discrepancy is not None and found.own_discrepancy is not None:
        notes.append(
            f"{found.measure} of the second half from what the first implies: {found.discrepancy:.3f}; of the first half from the same: "
            f"{found.own_discrepancy:.3f} (Cudeck & Browne, 1983)."
        )
    columns = (Column("Figure or path", "text"), Column("First half"), Column("Held-out half"))
    return Table("halves", "Both halves of the cases", columns, tuple(rows), tuple(notes))


def cited(material: Material) -> list[str]:
    """The figures whose cut-offs this report uses, by key."""
    fit = [key for key in material.tabled if material.criteria.by_key[key].good is not None]
    measured = ["loading", "alpha", *(["rho_a"] if material.composite else []), "composite_reliability", "ave", "htmt"]
    formative = any(c.mode == "formative" for c in material.model.constructs)
    return [*fit, *measured, "vif_antecedents", *(["vif_indicators"] if formative else [])]


def criteria(material: Material) -> Table | None:
    """The cut-offs in force, what they are of, and where they come from."""
    rows = []
    for key in cited(material):
        criterion = material.criteria.by_key[key]
        if criterion.good is None:
            continue
        rows.append(Row((criterion.label, cut_off(criterion, True), criterion.cut_off_source, criterion.source)))
    columns = (
        Column("Figure", "text"),
        Column("Cut-off", "text"),
        Column("Source of the cut-off", "text"),
        Column("Source of the figure", "text"),
    )
    notes = (f"In force: {material.criteria.words}; in brackets what is tolerated.",)
    return Table("criteria", "Criteria with sources", columns, tuple(rows), notes)
