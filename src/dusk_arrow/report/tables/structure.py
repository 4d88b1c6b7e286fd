"""Tables about the structure: fit, paths and hypotheses, effects, what is explained, all parameters."""

from __future__ import annotations

from dusk_arrow.core.assessment.criteria import Criterion, f_squared_words
from dusk_arrow.report.cells import Cell, Column, Kind, Number, Range, Row, Table
from dusk_arrow.report.material import Material
from dusk_arrow.results.document import EffectPart, FitPart, MediationPart, ParameterPart

VERDICTS = {"meets": "meets", "borderline": "borderline", "misses": "misses", "none": ""}
ANSWERS = {"supported": "supported", "not supported": "not supported", "opposite": "opposite", None: ""}
AGAINST = {True: "below it", False: "beyond it", None: ""}


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
    judged = part.df != 0 and material.sound
    rows: list[Row] = []
    if part.chi_square is not None:
        rows.append(Row((f"χ² (df = {part.df})", Number(part.chi_square, "plain", 2), Range(None), "", "", "")))
        empty = "nothing to test" if part.df == 0 else "–"
        rows.append(Row(("p of χ²", Number(part.p_value, "p", empty=empty), Range(None), "", "", "")))
    for key in material.tabled:
        value = getattr(part, key)
        criterion = material.criteria.by_key[key]
        if value is None:
            continue
        kind: Kind = "share" if criterion.form == "share" else "plain"
        bounds = part.rmsea_interval if key == "rmsea" else None
        verdict = VERDICTS[criterion.judge(value)] if judged else ""
        source = criterion.cut_off_source if criterion.good is not None else ""
        rows.append(
            Row(
                (
                    criterion.label,
                    Number(value, kind, criterion.decimals, criterion=criterion if verdict else None),
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
            Row(
                (
                    f"{material.scaled_name} χ² (df = {part.df})",
                    Number(scaled.chi_square, "plain", 2),
                    Range(None),
                    "",
                    "",
                    "",
                )
            )
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
                        Number(value, "share", 3, criterion=criterion if judged else None),
                        Range(None),
                        cut_off(criterion, True),
                        VERDICTS[criterion.judge(value)] if judged else "",
                        criterion.cut_off_source,
                    )
                )
            )
    if part.bollen_stine is not None:
        rows.append(Row(("Bollen–Stine p", Number(part.bollen_stine.p_value, "p"), Range(None), "", "", "")))
    return Table("fit", "Fit", columns, tuple(rows), tuple(_fit_notes(material, judged)))


def _fit_notes(material: Material, judged: bool) -> list[str]:
    if judged:
        return [f"Verdicts follow {material.criteria.words}; in brackets what is tolerated."]
    why = "The model is saturated, so that nothing is tested" if material.sound else "The solution is inadmissible"
    return [f"{why}: there are no verdicts."]


def within_quantile(part: FitPart, key: str) -> bool | None:
    """Whether a distance stays below what 95 % of resamples of data in which the model holds stay below; None where that was not
    drawn."""
    reference = None if part.reference is None else getattr(part.reference, key)
    value = getattr(part, key)
    return None if reference is None or value is None else bool(value <= reference.q95)


def _composite_fit(material: Material, part: FitPart) -> Table:
    """Distances, with what most resamples of data in which the model holds stay below, where they were drawn."""
    drawn = part.reference is not None
    rows = []
    for key in material.tabled:
        value, criterion = getattr(part, key), material.criteria.by_key[key]
        if value is None:
            continue
        kind: Kind = "plain" if criterion.good is None else "share"
        reference = getattr(part.reference, key) if drawn else None
        quantile = Number(None if reference is None else reference.q95, kind, 3)
        verdict = VERDICTS[criterion.judge(value)] if material.sound else ""
        against = AGAINST[within_quantile(part, key)] if material.sound else ""
        source = criterion.cut_off_source if criterion.good is not None else ""
        figure = Number(value, kind, 3, criterion=criterion if verdict else None)
        rows.append(
            Row(
                (
                    criterion.label,
                    figure,
                    *((quantile, against) if drawn else ()),
                    cut_off(criterion, True),
                    verdict,
                    source,
                )
            )
        )
    columns = (
        Column("Index", "text"), Column("Value"), *([Column("95 % quantile"), Column("Against it", "text")] if drawn else []),
        Column("Cut-off", "text"), Column("Verdict", "text"), Column("Source of the cut-off", "text"),
    )  # fmt: skip
    notes = _fit_notes(material, material.sound)
    if drawn:
        notes.append(
            "95 % of resamples of data in which the model holds stay below the quantile (Dijkstra & Henseler, 2015a)."
        )
    return Table("fit", "Fit", columns, tuple(rows), tuple(notes))


def _stated(material: Material) -> dict[tuple[str, ...], tuple[str, str]]:
    """What was expected along each route: its label, and the answer."""
    return {tuple(h.route): (h.label, ANSWERS[h.answer]) for h in material.results.hypotheses}


def decided(bounds: tuple[float, float] | None) -> str:
    """What an interval says of zero."""
    if bounds is None:
        return ""
    return "contains zero" if bounds[0] <= 0 <= bounds[1] else "excludes zero"


def decision(material: Material, part: ParameterPart | EffectPart, answer: str = "") -> str:
    """What is decided of an estimate, by the interval that is printed beside its standardized value; nothing of what is held, and
    nothing where the solution is impossible."""
    if isinstance(part, ParameterPart) and not part.free:
        return f"held at {part.estimate:g}"
    if not material.sound:
        return ""
    return answer or decided(material.standardized(part).bounds)


def paths(material: Material) -> Table | None:
    """Paths with their hypotheses: standardized with interval, p and decision, then in units; controls last."""
    results = material.results
    controls = set(material.model.controls)
    found = [p for p in results.parameters if p.kind == "path"]
    found.sort(key=lambda p: (p.from_, p.to) in controls)
    if not found:
        return None
    stated = _stated(material)
    with_p = any(material.standardized(p).p_value is not None for p in found)
    columns = [
        *([Column("Hypothesis", "text")] if stated else []),
        Column("Path", "text"),
        Column("β"),
        Column(f"{material.level} interval", "range"),
        *([Column("p")] if with_p else []),
        Column("b"),
        Column("SE of b"),
        Column("f²"),
        Column("Decision", "text"),
    ]
    sizes = {(f.from_, f.to): f.value for f in results.f_squared}
    rows = []

    def line(label: str, words: str, part: ParameterPart | EffectPart, size: float | None, answer: str) -> Row:
        beta, own = material.standardized(part), material.in_units(part)
        held = isinstance(part, ParameterPart) and not part.free
        cells: list[Cell] = [label] if stated else []
        cells += [words, Number(part.standardized), Range(None if held else beta.bounds)]
        cells += [Number(None, "p") if held else material.printed_p(beta)] if with_p else []
        cells += [Number(part.estimate, "plain", 3), Number(own.se, "plain", 3), Number(size, "plain", 2)]
        return Row((*cells, decision(material, part, answer)))

    for p in found:
        label, answer = stated.get((p.from_, p.to), ("", ""))
        role = " (control)" if (p.from_, p.to) in controls else ""
        rows.append(line(label, f"{p.from_} → {p.to}{role}", p, sizes.get((p.from_, p.to)), answer))
    for h in results.hypotheses:
        if len(h.route) > 2:
            effect = next((e for e in results.effects if e.via and [e.from_, *e.via, e.to] == h.route), None)
            if effect is not None:
                rows.append(line(h.label, " → ".join(h.route), effect, None, ANSWERS[h.answer]))
    p_too = " and p" if with_p else ""
    notes = [f"β: standardized, with its interval{p_too}; b: in the units of the variables. f²: Cohen (1988)."]
    notes += (
        [f"Interval: {material.interval}. Decisions rest on it."]
        if material.interval
        else ["There are no intervals without a bootstrap."]
    )
    notes += ["The solution is inadmissible: nothing is decided."] if not material.sound else []
    title = "Paths and hypotheses" if stated else "Paths"
    return Table("paths", title, tuple(columns), tuple(rows), tuple(notes))


KINDS = {"none": "no mediation", "direct-only": "no mediation (direct effect only)"}


def kind_words(known: MediationPart) -> str:
    """The kind of mediation in words; where the direct effect was not tested, that."""
    if known.kind is None:
        return "direct effect not tested" if "direct effect not tested" in known.reason else ""
    return KINDS.get(known.kind, f"{known.kind} mediation")


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
        kind = "" if known is None or not material.sound else kind_words(known)
        said = f": {kind}" if kind else ""
        rows.append(Row((f"{pair[0]} → {pair[1]}{said}", "", Range(None), "", "", Range(None), ""), heading=True))
        own = [e for e in found if (e.from_, e.to) == pair]
        alone = sum(e.kind == "specific indirect" for e in own) == 1
        for e in own:
            if e.kind == "total indirect" and alone and not material.circular:
                continue  # it is the one route
            words = names.get(e.kind) or f"through {' → '.join(e.via or [])}"
            beta, units = material.standardized(e), material.in_units(e)
            rows.append(
                Row(
                    (f"    {words}", Number(e.standardized), Range(beta.bounds), Number(e.estimate, "plain", 3),
                     Number(units.se, "plain", 3), Range(units.bounds, "plain", 3), decided(beta.bounds) if material.sound else "")
                )
            )  # fmt: skip
    notes = ["Kinds of mediation after Zhao, Lynch & Chen (2010)."] if any(m.kind for m in results.mediation) else []
    drawn = results.monte_carlo
    if drawn is not None:
        words = f"{material.level} Monte-Carlo interval ({drawn.draws:,} draws; MacKinnon, Lockwood & Williams, 2004)"
        notes.append(f"Interval: {words}. Decisions rest on that of β.")
    elif material.interval:
        notes.append(f"Interval: {material.interval}. Decisions rest on that of β.")
    if drawn is None and results.bootstrap_summary is None:
        notes.append(
            "Indirect and total effects have no interval without a bootstrap, and no kind of mediation is named."
        )
    if not material.sound:
        notes.append("The solution is inadmissible: nothing is decided.")
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
    notes = ["f²: .02 small, .15 medium, .35 large (Cohen, 1988)."]
    if any(not 0 <= (results.r_squared[name] or 0.0) <= 1 for name in material.outcomes):
        notes.append("An R² below 0 or above 1 is no share of anything.")
    return Table("explained", "What is explained", tuple(columns), tuple(rows), tuple(notes))


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
                 material.printed_p(own), Range(own.bounds, "plain", 3), Number(p.standardized), p.why_fixed or "")
            )
        )  # fmt: skip
    notes = (f"Interval: {material.interval}.",) if material.interval else ()
    return Table("parameters", "All parameters", columns, tuple(rows), notes)
