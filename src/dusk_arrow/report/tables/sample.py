"""Tables about the sample: what the columns are like, how they correlate, and whether assumptions hold."""

from __future__ import annotations

import numpy as np

from dusk_arrow.core.linear_algebra import correlation_from
from dusk_arrow.core.problems import counted, listed
from dusk_arrow.report.cells import Column, Number, Row, Style, Table
from dusk_arrow.report.impossible import impossible
from dusk_arrow.report.material import Material
from dusk_arrow.report.references import within
from dusk_arrow.report.tables.structure import cut_off

SKEW, PEAK = 2.0, 7.0  # West, Finch & Curran (1995)


def descriptives(material: Material) -> Table | None:
    """Every column in use: n, mean, SD, ends and shape."""
    found = material.screening
    sample = material.results.sample
    if sample is None:
        return None
    labels = material.labels
    columns = [Column("Variable", "text"), *([Column("Wording", "text")] if labels else [])]
    if found is None:
        columns += [Column("SD"), *([Column("Mean")] if sample.means else [])]
        rows = [
            Row(
                (
                    name,
                    *((labels.get(name, ""),) if labels else ()),
                    Number(float(np.sqrt(sample.covariance[i][i])), "plain"),
                    *((Number(sample.means[i], "plain"),) if sample.means else ()),
                )
            )
            for i, name in enumerate(sample.variables)
        ]
        return Table(
            "descriptives", "Variables", tuple(columns), tuple(rows), ("From the moments that were analysed.",)
        )
    columns += [Column(words) for words in ("n", "Mean", "SD", "Min", "Max", "Skewness", "Kurtosis")]
    by_name = {column.name: column for column in found.columns}
    rows = []
    for name in sample.variables:
        c = by_name.get(name)
        if c is None:
            continue
        figures = [Number(c.n, "count"), *(Number(value, "plain") for value in (c.mean, c.sd))]
        figures += [
            Number(value, "plain", 0 if value is not None and value == round(value) else 2) for value in (c.min, c.max)
        ]
        figures += [Number(value, "plain") for value in (c.skewness, c.kurtosis)]
        rows.append(Row((name, *((labels.get(name, ""),) if labels else ()), *figures)))
    notes = ("All cases of the data with an answer in the column. Kurtosis is 0 for a normal distribution.",)
    return Table("descriptives", "Variables", tuple(columns), tuple(rows), notes)


def correlations(material: Material) -> Table | None:
    """Correlations of the observed variables that were analysed, below the diagonal."""
    sample = material.results.sample
    if sample is None or len(sample.variables) < 2:
        return None
    matrix = correlation_from(np.array(sample.covariance))
    names = sample.variables
    columns = (Column("Variable", "text"), *(Column(str(i + 1)) for i in range(len(names) - 1)))
    rows = tuple(
        Row((f"{i + 1}  {name}", *(Number(float(matrix[i, j])) if j < i else "" for j in range(len(names) - 1))))
        for i, name in enumerate(names)
    )
    return Table("correlations", "Correlations of the variables", columns, rows, ("Of the cases that were analysed.",))


def assumptions(material: Material) -> Table | None:
    """What the analysis takes for granted, what was found, and what was done about it."""
    results, found = material.results, material.screening
    data, fit = results.data, results.fit
    if data is None:
        return None
    rows: list[tuple[str, str, str]] = [("Cases", f"{data.n_used:,} of {data.n_total:,} analysed", _missing(material))]
    q = fit.n_parameters if fit is not None else None
    if q:
        ratio = data.n_used / q
        said = "5 per parameter may do with normal data, 10 with others (Bentler & Chou, 1987)"
        rows.append(("Cases per free parameter", f"{data.n_used:,} : {q} = {ratio:.1f}", said))
    if found is not None:
        rows += _shapes(material)
    rows += _collinear(material)
    rows.append(_admissible(material))
    if material.steps:
        rows.append(("Steps taken with the data", counted(len(material.steps), "step"), "; ".join(material.steps)))
    columns = (
        Column("What is assumed", "text"),
        Column("Found", "text"),
        Column("What was done, or asked for", "text"),
    )
    return Table("assumptions", "Assumptions", columns, tuple(Row(row) for row in rows))


def _missing(material: Material) -> str:
    data, codes = material.results.data, {problem.code for problem in material.results.problems}
    assert data is not None
    words = {
        "full_information": "every answer used (full information)",
        "filled_with_means": "gaps filled with the mean of the column",
        "pairwise": "each correlation from the cases that have both answers (pairwise)",
    }
    for code, said in words.items():
        if code in codes:
            return said
    if data.n_used == data.n_total:
        return "complete"
    if material.results.settings.missing != "listwise":
        return "cases without any answer in the columns in use left out"
    return "cases with a gap in a column in use left out (listwise)"


def _normality(material: Material) -> str:
    results = material.results
    done = []
    words = {"sandwich": "robust (sandwich) errors", "satorra-bentler": "scaled χ² and robust errors"}
    if results.settings.errors in words and not material.composite:
        done.append(words[results.settings.errors])
    if results.bootstrap_summary is not None:
        done.append(f"intervals from {results.bootstrap_summary.used:,} resamples")
    if results.fit is not None and results.fit.bollen_stine is not None:
        done.append("Bollen–Stine test of fit")
    if not done:
        return "composites assume no distribution" if material.composite else "nothing: errors and χ² assume it"
    return listed(done)


def _shapes(material: Material) -> list[tuple[str, str, str]]:
    found = material.screening
    assert found is not None
    rows = []
    normality = found.multivariate_normality
    tested = [c for c in found.columns if normality is None or c.name in normality.columns]
    skews = [(abs(c.skewness), c.name) for c in tested if c.skewness is not None]
    peaks = [(abs(c.kurtosis), c.name) for c in tested if c.kurtosis is not None]
    if skews and peaks:
        (skew, crooked), (peak, pointed) = max(skews), max(peaks)
        within = "within" if skew <= SKEW and peak <= PEAK else "beyond"
        said = f"|skewness| up to {skew:.2f} ({crooked}), |kurtosis| up to {peak:.2f} ({pointed})"
        rows.append(("Normality of each variable", said, f"{within} 2 and 7 (West, Finch & Curran, 1995)"))
    if normality is not None:
        written = Style()
        z = written.number(normality.kurtosis_z, "plain", 2)
        said = f"Mardia's kurtosis {normality.kurtosis:.1f}, z = {z}, {written.p(normality.kurtosis_p)}"
        rows.append(("Multivariate normality", said, _normality(material)))
    if found.mahalanobis_beyond is not None:
        held = [one.words for one in material.cases.removals if "held out" in one.words] if material.cases else []
        n = len(found.mahalanobis) if normality is None else normality.n
        complete = f"{n:,} complete cases" if n else "the complete cases"
        said = f"{found.mahalanobis_beyond:,} of {complete} farther than one in a thousand"
        rows.append(("Outliers (Mahalanobis distance)", said, "; ".join(held) or "kept"))
    return rows


def _collinear(material: Material) -> list[tuple[str, str, str]]:
    quality = material.results.quality
    vifs = [(v.vif, v) for v in quality.vif_antecedents if v.vif is not None] if quality else []
    if not vifs:
        return []
    highest, at = max(vifs, key=lambda pair: pair[0])
    criterion = material.criteria.by_key["vif_antecedents"]
    said = f"VIF up to {highest:.2f} ({at.antecedent} on {at.outcome})"
    return [("Collinearity of predictors", said, f"{cut_off(criterion)} ({within(criterion.cut_off_source)})")]


def _admissible(material: Material) -> tuple[str, str, str]:
    results = material.results
    found = "converged" if results.converged else "not converged"
    found += ", admissible" if results.admissible else ", inadmissible" if results.admissible is False else ""
    return ("Solution", found, "; ".join(impossible(material)))
