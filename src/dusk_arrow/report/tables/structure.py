"""Tables about the structure: fit, paths and hypotheses, effects, what is explained, all parameters."""

from __future__ import annotations

from dusk_arrow.core.assessment.criteria import Criterion, f_squared_words
from dusk_arrow.report.cells import Cell, Column, Kind, Number, Range, Row, Table
from dusk_arrow.report.material import Material
from dusk_arrow.results.document import FitPart, ParameterPart

VERDICTS = {"meets": "meets", "borderline": "borderline", "misses": "misses", "none": ""}
ANSWERS = {"supported": "supported", "not supported": "not supported", "opposite": "opposite", None: ""}
UNBOUNDED = {"chi_square", "chi_square_per_df", "aic", "bic", "sabic", "ecvi", "critical_n"}
COVARIANCE_FIT = ("chi_square_per_df", "cfi", "tli", "rmsea", "srmr", "gfi", "agfi", "nfi", "aic", "bic")
COMPOSITE_FIT = ("srmr", "d_uls", "d_g")


def cut_off(criterion: Criterion, brief: bool = False) -> str:
    """The cut-off of a figure in words: `≥ .95, tolerated ≥ .90`; in brief `≥ .95 (.90)`."""
    if criterion.good is None:
        return ""
    sign = (
        {"higher": "≥", "lower": "≤"}[criterion.better]
        if not criterion.strict
        else {"higher": ">", "lower": "<"}[criterion.better]
    )

    def bare(value: float) -> str:
        text = f"{value:.2f}"
        return text.removeprefix("0") if value < 1 else f"{value:g}"

    if criterion.tolerable is None:
        return f"{sign} {bare(criterion.good)}"
    tolerable = f" ({bare(criterion.tolerable)})" if brief else f", tolerated {sign} {bare(criterion.tolerable)}"
    return f"{sign} {bare(criterion.good)}{tolerable}"


def fit(material: Material) -> Table | None:
    """Global fit with the cut-offs in force and their sources."""
    part = material.results.fit
    if part is None:
        return None
    if material.composite:
        return _composite_fit(material, part)
    columns = (
        Column("Index", "text"), Column("Value"), Column("90 % interval", "range"), Column("Cut-off", "text"), Column("Verdict", "text"),
        Column("Source of the cut-off", "text"),
    )  # fmt: skip
    rows: list[Row] = []
    if part.chi_square is not None:
        rows.append(Row((f"χ² (df = {part.df})", Number(part.chi_square, "plain", 2), Range(None), "", "", "")))
        empty = "nothing to test" if part.df == 0 else "–"
        rows.append(Row(("p of χ²", Number(part.p_value, "p", empty=empty), Range(None), "", "", "")))
    for key in COVARIANCE_FIT:
        value = getattr(part, key)
        criterion = material.criteria.by_key[key]
        if value is None:
            continue
        kind: Kind = "plain" if key in UNBOUNDED else "share"
        decimals = {"aic": 1, "bic": 1, "chi_square_per_df": 2}.get(key, 3)
        bounds = part.rmsea_interval if key == "rmsea" else None
        verdict = VERDICTS[criterion.judge(value)] if part.df != 0 or key != "cfi" else ""
        source = criterion.cut_off_source if criterion.good is not None else ""
        rows.append(
            Row(
                (
                    criterion.label,
                    Number(value, kind, decimals),
                    Range(bounds, "share", 3),
                    cut_off(criterion, True),
                    verdict,
                    source,
                )
            )
        )
    scaled = part.scaled
    if scaled is not None:
        rows.append(
            Row((f"scaled χ² (df = {part.df})", Number(scaled.chi_square, "plain", 2), Range(None), "", "", ""))
        )
        rows.append(Row(("p of the scaled χ²", Number(scaled.p_value, "p"), Range(None), "", "", "")))
        for words, key, value in (
            ("robust CFI", "cfi", scaled.robust_cfi), ("robust TLI", "tli", scaled.robust_tli), ("robust RMSEA", "rmsea", scaled.robust_rmsea),
        ):  # fmt: skip
            criterion = material.criteria.by_key[key]
            rows.append(
                Row(
                    (
                        words,
                        Number(value, "share", 3),
                        Range(None),
                        cut_off(criterion, True),
                        VERDICTS[criterion.judge(value)],
                        criterion.cut_off_source,
                    )
                )
            )
    if part.bollen_stine is not None:
        rows.append(Row(("Bollen–Stine p", Number(part.bollen_stine.p_value, "p"), Range(None), "", "", "")))
    notes = [f"Verdicts follow {material.criteria.words}; in brackets what is tolerated."]
    return Table("fit", "Fit", columns, tuple(rows), tuple(notes))


def _composite_fit(material: Material, part: FitPart) -> Table:
    """Distances, with what most resamples of data in which the model holds stay below, where they were drawn."""
    drawn = part.reference is not None
    rows = []
    for key in COMPOSITE_FIT:
        value, criterion = getattr(part, key), material.criteria.by_key[key]
        if value is None:
            continue
        kind: Kind = "plain" if criterion.good is None else "share"
        reference = getattr(part.reference, key) if drawn else None
        quantile = Number(None if reference is None else reference.q95, kind, 3)
        judged = cut_off(criterion, True), VERDICTS[criterion.judge(value)]
        source = criterion.cut_off_source if criterion.good is not None else ""
        rows.append(Row((criterion.label, Number(value, kind, 3), *([quantile] if drawn else []), *judged, source)))
    columns = (
        Column("Index", "text"), Column("Value"), *([Column("95 % quantile")] if drawn else []), Column("Cut-off", "text"),
        Column("Verdict", "text"), Column("Source of the cut-off", "text"),
    )  # fmt: skip
    notes = [f"Verdicts follow {material.criteria.words}; in brackets what is tolerated."]
    if drawn:
        notes.append("95 % of resamples of data in which the model holds stay below the quantile.")
    return Table("fit", "Fit", columns, tuple(rows), tuple(notes))


def _stated(material: Material) -> dict[tuple[str, ...], tuple[str, str]]:
    """What was expected along each route: its label, and the answer."""
    return {tuple(h.route): (h.label, ANSWERS[h.answer]) for h in material.results.hypotheses}


def decided(bounds: tuple[float, float] | None) -> str:
    """What an interval says of zero."""
    if bounds is None:
        return ""
    return "contains zero" if bounds[0] <= 0 <= bounds[1] else "excludes zero"


def paths(material: Material) -> Table | None:
    """Paths with their hypotheses: standardized and in units, error, test, interval, decision."""
    results = material.results
    found = [p for p in results.parameters if p.kind == "path"]
    if not found:
        return None
    stated = _stated(material)
    z = results.bootstrap_summary is None and not material.composite
    columns = [
        *([Column("Hypothesis", "text")] if stated else []),
        Column("Path", "text"),
        Column("β"),
        Column(f"{material.level} interval", "range"),
    ]
    columns += [
        Column("b"),
        Column("SE"),
        *([Column("z")] if z else []),
        Column("p"),
        Column("f²"),
        Column("Decision", "text"),
    ]
    sizes = {(f.from_, f.to): f.value for f in results.f_squared}
    rows = []
    for p in found:
        label, answer = stated.get((p.from_, p.to), ("", ""))
        reading = material.standardized(p)
        own = material.in_units(p)
        why = f"fixed at {p.estimate:g}" if not p.free else ""
        cells: list[Cell] = [label] if stated else []
        cells += [f"{p.from_} → {p.to}", Number(p.standardized), Range(reading.bounds), Number(p.estimate, "plain", 3)]
        cells += [Number(own.se, "plain", 3)]
        cells += [Number(p.z, "plain")] if z else []
        cells += [
            Number(material.p_value(p), "p"),
            Number(sizes.get((p.from_, p.to)), "plain", 2),
            answer or why or decided(own.bounds),
        ]
        rows.append(Row(tuple(cells)))
    for h in results.hypotheses:
        if len(h.route) > 2:
            effect = next((e for e in results.effects if e.via and [e.from_, *e.via, e.to] == h.route), None)
            if effect is not None:
                beta, own = material.standardized(effect), material.in_units(effect)
                cells = [
                    h.label,
                    " → ".join(h.route),
                    Number(effect.standardized),
                    Range(beta.bounds),
                    Number(effect.estimate, "plain", 3),
                ]
                cells += [Number(own.se, "plain", 3), *([Number(None, "plain")] if z else [])]
                cells += [Number(own.boot.p_value if own.boot else None, "p"), Number(None, "plain"), ANSWERS[h.answer]]
                rows.append(Row(tuple(cells)))
    notes = ["β: standardized, b: in the units of the variables, f²: Cohen (1988)."]
    notes += (
        [
            f"Interval: {material.interval}. Decisions rest on the interval of b; SE and p, by {material.basis}, are of b."
        ]
        if material.basis
        else ["There are no intervals without a bootstrap."]
    )
    title = "Paths and hypotheses" if stated else "Paths"
    return Table("paths", title, tuple(columns), tuple(rows), tuple(notes))


def effects(material: Material) -> Table | None:
    """Direct, indirect and total effects of every pair that a mediator stands between."""
    results = material.results
    indirect = {(e.from_, e.to) for e in results.effects if e.kind == "total indirect"}
    found = [e for e in results.effects if (e.from_, e.to) in indirect]
    if not found:
        return None
    shares = {(m.from_, m.to): m for m in results.mediation}
    columns = (
        Column("Effect", "text"), Column("β"), Column(f"{material.level} interval", "range"), Column("Estimate"), Column("SE"),
        Column("Interval in units", "range"), Column("Decision", "text"),
    )  # fmt: skip
    names = {"direct": "direct", "total indirect": "all indirect", "total": "total"}
    rows: list[Row] = []
    for pair in dict.fromkeys((e.from_, e.to) for e in found):
        known = shares.get(pair)
        kind = None if known is None else known.kind
        said = "" if kind is None else ": no mediation" if kind == "none" else f": {kind} mediation"
        rows.append(Row((f"{pair[0]} → {pair[1]}{said}", "", Range(None), "", "", Range(None), ""), heading=True))
        own = [e for e in found if (e.from_, e.to) == pair]
        alone = sum(e.kind == "specific indirect" for e in own) == 1
        for e in own:
            if e.kind == "total indirect" and alone:
                continue
            words = names.get(e.kind) or f"through {' → '.join(e.via or [])}"
            beta, units = material.standardized(e), material.in_units(e)
            rows.append(
                Row(
                    (f"    {words}", Number(e.standardized), Range(beta.bounds), Number(e.estimate, "plain", 3),
                     Number(units.se, "plain", 3), Range(units.bounds, "plain", 3), decided(units.bounds))
                )
            )  # fmt: skip
    notes = ["Kinds of mediation after Zhao, Lynch & Chen (2010)."] if any(m.kind for m in results.mediation) else []
    notes += [f"Interval: {material.interval}."] if material.interval else []
    if results.bootstrap_summary is None:
        notes.append("Without a bootstrap no kind of mediation is named.")
    return Table("effects", "Effects", columns, tuple(rows), tuple(notes))


def explained(material: Material) -> Table | None:
    """R² of every outcome, adjusted where the family has it, and f² of what leads to it."""
    results = material.results
    if not material.outcomes:
        return None
    adjusted = results.r_squared_adjusted
    columns = [Column("Outcome and predictor", "text"), Column("R²"), Column(f"{material.level} interval", "range")]
    columns += [*([Column("Adjusted R²")] if adjusted else []), Column("f²"), Column("Size", "text")]
    rows = []
    for name in material.outcomes:
        boot = results.bootstrap_figures.get(f"r_squared.{name}")
        cells: list[Cell] = [name, Number(results.r_squared[name]), Range(boot.headline if boot else None)]
        cells += [Number(adjusted.get(name))] if adjusted else []
        rows.append(Row((*cells, "", ""), heading=True))
        for f in results.f_squared:
            if f.to == name:
                blank: list[Cell] = ["", Range(None), *([""] if adjusted else [])]
                rows.append(
                    Row((f"    {f.from_}", *blank, Number(f.value, "plain", 2), f.words or f_squared_words(f.value)))
                )
    notes = ("f²: .02 small, .15 medium, .35 large (Cohen, 1988).",)
    return Table("explained", "What is explained", tuple(columns), tuple(rows), notes)


def name_of(p: ParameterPart) -> str:
    """A parameter in words."""
    if p.kind in ("variance", "intercept", "mean"):
        return f"{p.role or ''} {p.kind} of {p.from_}".strip()
    return f"{p.from_} {'with' if p.kind == 'covariance' else '→'} {p.to}"


def parameters(material: Material) -> Table | None:
    """Every parameter, free or fixed."""
    found = material.results.parameters
    if not found:
        return None
    columns = (
        Column("Parameter", "text"), Column("Kind", "text"), Column("Estimate"), Column("SE"), Column("p"), Column(f"{material.level} interval", "range"),
        Column("Standardized"), Column("Fixed", "text"),
    )  # fmt: skip
    rows = []
    for p in found:
        own = material.in_units(p)
        rows.append(
            Row(
                (name_of(p), p.kind, Number(p.estimate, "plain", 3), Number(own.se, "plain", 3),
                 Number(material.p_value(p), "p"), Range(own.bounds, "plain", 3), Number(p.standardized), p.why_fixed or "")
            )
        )  # fmt: skip
    notes = (f"Interval: {material.interval}.",) if material.interval else ()
    return Table("parameters", "All parameters", columns, tuple(rows), notes)
