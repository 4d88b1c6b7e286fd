"""Results as readable tables on a terminal."""

from __future__ import annotations

from collections.abc import Sequence

from dusk_arrow.core.assessment.criteria import BY_KEY, USUAL, Sheet, Verdict, listed_in
from dusk_arrow.core.family_options import options_by_name
from dusk_arrow.core.problems import listed
from dusk_arrow.core.wording import coefficient, interval_text, p_text, p_words, plain
from dusk_arrow.results.document import BollenStinePart, FitPart, HalfPart, Interval, Results
from dusk_arrow.results.document.fit import DISTANCES

MODIFICATIONS = 5


def _range(bounds: Interval | None) -> str:
    return "" if bounds is None else f"[{plain(bounds[0])}, {plain(bounds[1])}]"


def table(head: Sequence[str], rows: Sequence[Sequence[str]]) -> str:
    """Columns aligned: the first to the left, the others to the right."""
    widths = [max(len(row[i]) for row in [head, *rows]) for i in range(len(head))]
    lines = []
    for row in [head, *rows]:
        cells = [
            cell.ljust(width) if i == 0 else cell.rjust(width)
            for i, (cell, width) in enumerate(zip(row, widths, strict=True))
        ]
        lines.append("  ".join(cells).rstrip())
    return "\n".join(lines)


MARKS: dict[Verdict, str] = {"meets": " ●", "borderline": " ◐", "misses": " ○", "none": ""}


def _judged(criteria: Sheet, key: str, value: float | None, decimals: int = 3, reliability: float | None = None) -> str:
    """A figure with its verdict."""
    return coefficient(value, decimals) + MARKS[criteria.judge(key, value, reliability)]


def _fit(results: Results, criteria: Sheet) -> str:
    fit = results.fit
    if fit is None:
        return ""
    if fit.df is None or fit.chi_square is None:
        return _distances(fit, criteria)
    p = "saturated: nothing to test" if fit.df == 0 else p_words(fit.p_value)
    return "\n".join(
        [
            f"χ² = {fit.chi_square:.3f}, df = {fit.df}, {p}; χ²/df {plain(fit.chi_square_per_df, 2)}",
            f"CFI {_judged(criteria, 'cfi', fit.cfi) if fit.df else coefficient(fit.cfi, 3)}  TLI {_judged(criteria, 'tli', fit.tli)}  RMSEA "
            f"{_judged(criteria, 'rmsea', fit.rmsea)} {interval_text(fit.rmsea_interval, 3)}  SRMR "
            f"{_judged(criteria, 'srmr', fit.srmr)}",
            f"AIC {plain(fit.aic, 1)}  BIC {plain(fit.bic, 1)}  {fit.n_parameters} free parameters",
            *_bollen_stine(fit.bollen_stine),
        ]
    )


def _distances(fit: FitPart, criteria: Sheet) -> str:
    """Distances of the whole and of the measurement part, with what they would be by chance where that was drawn."""
    part = fit.measurement_part
    rows = []
    for what, values, reference in (
        ("whole model", fit, fit.reference),
        ("measurement part", part, part.reference if part else None),
    ):
        if values is None:
            continue
        for name, label in ((name, BY_KEY[name].label) for name in DISTANCES):
            bounds = getattr(reference, name) if reference else None
            chance = [plain(bounds.q95), plain(bounds.q99)] if bounds else ["", ""]
            rows.append([f"{label} of the {what}", _judged(criteria, name, getattr(values, name)), *chance])
    return table(["fit", "", "95 %", "99 %"], rows)


def _bollen_stine(test: BollenStinePart | None) -> list[str]:
    if test is None:
        return []
    return [f"Bollen–Stine {p_words(test.p_value)} ({test.exceeded} of {test.used} resamples exceed χ²)"]


def _tests(results: Results) -> str:
    """Every test of the model, where there are more than the estimator's own."""
    found = results.fit.tests if results.fit else []
    rows = [
        [
            test.kind,
            plain(test.chi_square),
            f"{test.df:g}" if test.df == int(test.df) else f"{test.df:.2f}",
            p_words(test.p_value),
            coefficient(test.cfi, 3),
            coefficient(test.tli, 3),
            coefficient(test.rmsea, 3),
        ]
        for test in found
    ]
    return table(["test", "χ²", "df", "p", "CFI", "TLI", "RMSEA"], rows) if len(rows) > 1 else ""


def _scaled(results: Results) -> str:
    scaled = results.fit.scaled if results.fit else None
    if scaled is None:
        return ""
    return (
        f"scaling factor {scaled.scaling_factor:.3f}; robust CFI "
        f"{coefficient(scaled.robust_cfi, 3)}  TLI {coefficient(scaled.robust_tli, 3)}  RMSEA "
        f"{coefficient(scaled.robust_rmsea, 3)}"
    )


def _parameters(results: Results) -> str:
    rows = []
    for p in results.parameters:
        joint = (
            f"{p.kind} of {p.from_}"
            if p.kind in ("variance", "intercept", "mean")
            else f"{p.from_} {'&' if p.kind == 'covariance' else '→'} {p.to}"
        )
        boot = p.bootstrap
        bounds = p.interval if boot is None else boot.headline
        error = plain(p.se) if p.free else f"fixed: {p.why_fixed}"
        rows.append(
            [
                joint,
                p.kind,
                plain(p.estimate),
                error,
                p_text(p.p_value) if p.free else "",
                _range(bounds),
                coefficient(p.standardized, 3),
            ]
        )
    return table(["parameter", "kind", "estimate", "SE", "p", "interval", "standardized"], rows)


def _effects(results: Results) -> str:
    rows = []
    for e in results.effects:
        name = f"{e.from_} → {e.to}: {e.kind}" + (f" through {', '.join(e.via)}" if e.via else "")
        boot = e.bootstrap
        rows.append(
            [
                name,
                plain(e.estimate),
                plain(boot.se if boot else e.se),
                _range(boot.percentile) if boot else "",
                _range(boot.bias_corrected) if boot else "",
                coefficient(e.standardized, 3),
            ]
        )
    return table(["effect", "estimate", "SE", "percentile", "bias-corrected", "standardized"], rows)


def _quality(results: Results, criteria: Sheet) -> str:
    if results.quality is None:
        return ""
    constructs = table(
        ["construct", "alpha", "rho_A", "composite reliability", "AVE", "R²"],
        [
            [c.name, *(_judged(criteria, key, getattr(c, key), 3, c.composite_reliability) for key in ("alpha", "rho_a", "composite_reliability", "ave")), coefficient(results.r_squared.get(c.name), 3)]
            for c in results.quality.constructs
        ],
    )  # fmt: skip
    vifs = [
        [f"{v.antecedent} → {v.outcome}", _judged(criteria, "vif_antecedents", v.vif, 2)]
        for v in results.quality.vif_antecedents
    ]
    for construct in results.quality.constructs:
        against = [
            entry.indicator
            for entry in results.quality.loadings
            if entry.construct_ == construct.name and (entry.loading or 0) * construct.direction < 0
        ]
        if against and construct.mode == "reflective":
            constructs += (
                f"\nReliability of {construct.name} means nothing until {listed(against)} "
                f"{'is' if len(against) == 1 else 'are'} recoded."
            )
    return constructs + ("\n\n" + table(["VIF of antecedents", ""], vifs) if vifs else "")


def _hypotheses(results: Results) -> str:
    return "\n".join(h.sentence for h in results.hypotheses)


def _differences(results: Results) -> str:
    rows = [
        [
            f"{' › '.join(d.a)} less {' › '.join(d.b)}",
            plain(d.estimate),
            _range(d.bootstrap.headline) if d.bootstrap else "",
            coefficient(d.standardized, 3),
            _range(d.standardized_bootstrap.headline) if d.standardized_bootstrap else "",
        ]
        for d in results.differences
    ]
    return table(["difference of routes", "estimate", "interval", "standardized", "interval"], rows) if rows else ""


def _redundancy(results: Results) -> str:
    found = results.quality.redundancy if results.quality else []
    if not found:
        return ""
    rows = [[f"{r.construct_} with {r.item}", coefficient(r.correlation, 3), str(r.n)] for r in found]
    return table(["redundancy", "r", "n"], rows)


WHAT_IFS = 12


def _what_ifs(results: Results) -> str:
    """What-ifs that would cross a cut-off first, then in the order of the model; a few of them."""
    found = sorted(results.what_ifs or [], key=lambda row: not row.crosses)
    if not found:
        return ""
    keys = [key for key in listed_in("what_if") if key in {**found[0].fit, **found[0].quality}]
    rows = []
    for row in found[:WHAT_IFS]:
        figures = {**row.fit, **row.quality}
        values = [coefficient(figures.get(key), 3) for key in keys]
        crosses = [_labelled(name) for name in row.crosses]
        rows.append([row.words, str(row.n or ""), *values, listed(crosses) if crosses else row.message or ""])
    text = table(["what if", "n", *(BY_KEY[key].label for key in keys), "would cross a cut-off"], rows)
    more = len(found) - len(rows)
    return text + (f"\n{more} more in the document (--json)." if more else "")


def _labelled(name: str) -> str:
    """A figure by its label instead of its key: `ave of Support` becomes `AVE of Support`."""
    key, of, about = name.partition(" of ")
    return BY_KEY[key.partition(".")[0]].label + of + about


def _holdout(results: Results) -> str:
    known = results.holdout
    if known is None:
        return ""
    first, second = known.first, known.second
    names = ("chi_square", "df", *listed_in("brief"))
    rows = [
        [name, *(plain(getattr(half.fit, name)) if half.fit else "" for half in (first, second))]
        for name in names
        if _has(first, name)
    ]
    after = {(p.from_, p.to): p.standardized for p in second.paths}
    rows += [
        [f"{p.from_} → {p.to}", coefficient(p.standardized, 3), coefficient(after.get((p.from_, p.to)), 3)]
        for p in first.paths
    ]
    rows.append([f"{known.measure} from the first half", plain(known.own_discrepancy), plain(known.discrepancy)])
    return table(["held-out half, opened", f"first, n = {first.n}", f"second, n = {second.n}"], rows)


def _has(half: HalfPart, name: str) -> bool:
    """Whether a half has a figure of fit."""
    return half.fit is not None and getattr(half.fit, name) is not None


def _scored(results: Results) -> str:
    described = results.scores.descriptives if results.scores else None
    if not described:
        return ""
    rows = [
        [d.construct_, str(d.n), plain(d.mean), plain(d.sd), plain(d.min), plain(d.max), plain(d.skewness, 2)]
        for d in described
    ]
    return table(["scores", "n", "mean", "SD", "min", "max", "skewness"], rows)


def readable(results: Results, criteria: Sheet = USUAL) -> str:
    """The whole document as text for a terminal, with the verdicts of a sheet of criteria and whose they are."""
    data = results.data
    head = (
        f"{data.name}: {data.n_used} of {data.n_total} cases; {options_by_name()['estimator'].words(results.estimator)}, {results.iterations} iterations"
        if data
        else ""
    )
    parts = [
        head,
        _fit(results, criteria),
        _tests(results),
        _scaled(results),
        _parameters(results),
        _quality(results, criteria),
    ]
    if results.effects:
        parts.append(_effects(results))
    parts += [_hypotheses(results), _differences(results)]
    if results.prediction:
        rows = [
            [i.indicator, coefficient(i.q2_predict, 3), plain(i.rmse), plain(i.rmse_mean), plain(i.rmse_linear)]
            for i in results.prediction.indicators
        ]
        parts.append(table(["prediction", "Q²predict", "RMSE", "of the means", "of a linear model"], rows))
    if results.importance:
        rows = [
            [
                f"{i.construct_} for {i.outcome}",
                plain(i.importance) if i.against is None else f"{i.against} has a negative weight",
                plain(i.performance, 1),
            ]
            for i in results.importance
        ]
        parts.append(table(["importance and performance", "importance", "performance"], rows))
    if results.common_method:
        single, own = results.common_method.single_factor, results.common_method.measurement
        rows = [
            [name, plain(fit.chi_square, 1), str(fit.df), coefficient(fit.cfi, 3), coefficient(fit.rmsea, 3)]
            for name, fit in (("one factor behind all items", single), ("the measurement model", own))
        ]
        parts.append(table(["common method", "χ²", "df", "CFI", "RMSEA"], rows))
    parts += [_redundancy(results), _what_ifs(results), _holdout(results), _scored(results)]
    if results.modification:
        rows = [
            [
                f"{m.from_} {'&' if m.kind == 'covariance' else '→'} {m.to}",
                m.kind,
                plain(m.index, 2),
                plain(m.expected_change),
            ]
            for m in results.modification[:MODIFICATIONS]
        ]
        parts.append(table(["largest modification indices", "kind", "index", "expected change"], rows))
    if results.tracked:
        rows = [
            [
                t.name,
                plain(t.estimate),
                plain(t.bootstrap.se if t.bootstrap else t.se),
                _range(t.bootstrap.percentile) if t.bootstrap else "",
            ]
            for t in results.tracked
        ]
        parts.append(table(["tracked", "estimate", "SE", "percentile"], rows))
    if results.bootstrap_summary:
        s = results.bootstrap_summary
        parts.append(
            f"{s.used} of {s.requested} resamples used, {s.inadmissible} of them inadmissible; seed {s.seed}, level {s.level:g}"
        )
    parts.append(f"● meets, ◐ borderline, ○ misses: verdicts follow {criteria.words}.")
    return "\n\n".join(part for part in parts if part)
