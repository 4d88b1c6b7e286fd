"""The screening of a data set as a document: what `./dusk check` writes and the Data station will show."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import asdict
from typing import Any, Literal

import numpy as np

from dusk_arrow.core.linear_algebra import Array, correlation_from
from dusk_arrow.core.observations.codes import suspected_codes
from dusk_arrow.core.observations.data import Column, DataSet, Level, Moments
from dusk_arrow.core.observations.missing import little_test, patterns
from dusk_arrow.core.observations.multivariate import mahalanobis, mardia
from dusk_arrow.core.observations.screening import shape_errors, shapiro_wilk, summarise
from dusk_arrow.core.observations.stems import group_by_stem
from dusk_arrow.core.observations.steps import DropColumns, HoldOut
from dusk_arrow.core.observations.suspects import (
    duplicate_cases,
    exact_sums,
    extreme_scores,
    longest_strings,
    near_duplicates,
    pairwise_correlations,
    reversed_items,
    straight_liners,
)
from dusk_arrow.core.observations.taking_steps import recoding
from dusk_arrow.core.problems import Problem, ProblemError, Repair, counted, listed
from dusk_arrow.core.wording import coefficient
from dusk_arrow.results.convert import matrix_part, number, problem_part
from dusk_arrow.results.document import DataPart, Matrix, Part, ProblemPart

VERSION = 1


class ColumnScreening(Part):
    """One column; figures are null for text. `normality_p` is that of Shapiro & Wilk (1965), for up to 200 cases."""

    name: str
    label: str | None
    level: Level
    n: int
    missing: int
    mean: float | None
    sd: float | None
    min: float | None
    max: float | None
    skewness: float | None
    kurtosis: float | None
    extreme: int | None
    skewness_se: float | None
    kurtosis_se: float | None
    normality_p: float | None


class NormalityPart(Part):
    """Mardia's tests on the complete cases of `columns`."""

    columns: list[str]
    n: int
    skewness: float
    skewness_chi_square: float
    skewness_df: int
    skewness_p: float
    kurtosis: float
    kurtosis_z: float
    kurtosis_p: float


class DistancePart(Part):
    """One complete case; `case` is its row of data, counted from 1."""

    case: int
    d2: float
    p_value: float


class PatternPart(Part):
    """Cases that miss the same columns."""

    missing: list[str]
    cases: int


class LittlePart(Part):
    """Little's test that answers are missing completely at random."""

    chi_square: float
    df: int
    p_value: float
    patterns: int


class Screening(Part):
    """Everything that screening found; null where it cannot be computed, and a problem says why."""

    columns: list[ColumnScreening]
    multivariate_normality: NormalityPart | None
    mahalanobis: list[DistancePart]
    mahalanobis_cut_off: float | None
    mahalanobis_beyond: int | None
    mahalanobis_bonferroni: int | None
    correlations: Matrix | None
    determinant: float | None
    condition_number: float | None
    missing_patterns: list[PatternPart]
    little: LittlePart | None


class CheckDocument(Part):
    """The document of a checked data file."""

    version: int = VERSION
    data: DataPart | None
    problems: list[ProblemPart]
    screening: Screening | None


def screened_columns(data: DataSet) -> list[Column]:
    """The columns that take part together: numbers and ordered answers that vary, no identifiers."""
    return [
        column
        for column in data.columns
        if column.level in ("number", "ordered")
        and column.numbers is not None
        and np.isfinite(column.numbers).sum() > 1
        and float(np.nanmax(column.numbers)) > float(np.nanmin(column.numbers))
    ]


def dichotomous(column: Column) -> bool:
    """Whether a column has two values only: nothing about its shape or direction can be wrong."""
    values = None if column.numbers is None else column.numbers[np.isfinite(column.numbers)]
    return values is not None and values.size > 0 and bool(np.isin(values, (values.min(), values.max())).all())


def _column(column: Column, n: int) -> ColumnScreening:
    known = {"name": column.name, "label": column.label, "level": column.level}
    if column.numbers is None:
        present = sum(text is not None for text in (column.texts if column.texts is not None else []))
        empty = dict.fromkeys(set(ColumnScreening.model_fields) - {"name", "label", "level", "n", "missing"})
        return ColumnScreening.model_validate({**known, "n": present, "missing": n - present, **empty})
    summary = asdict(summarise(column.numbers))
    varies = summary["sd"] is not None and summary["sd"] > 0
    extreme = int(extreme_scores(column.numbers[:, None])[0]) if varies else None
    skew_error, bend_error = shape_errors(summary["n"])
    more = {
        "extreme": extreme,
        "skewness_se": skew_error if summary["skewness"] is not None else None,
        "kurtosis_se": bend_error if summary["kurtosis"] is not None else None,
        "normality_p": shapiro_wilk(column.numbers) if varies else None,
    }
    return ColumnScreening.model_validate({**known, **summary, **more})


def _suspicions(data: DataSet, columns: Sequence[Column], values: Array, correlation: Array) -> list[Problem]:
    names = [column.name for column in columns]
    items = [i for i, column in enumerate(columns) if column.level == "ordered"]
    problems = suspected_codes(data)
    graded = [i for i, column in enumerate(columns) if not dichotomous(column)]
    for item in reversed_items([names[i] for i in graded], correlation[np.ix_(graded, graded)]):
        block = next((b.columns for b in group_by_stem(data.names) if item.name in b.columns), ())
        message = (
            f"{item.name} runs against its block {item.stem} (correlation with the rest {coefficient(item.correlation)}). "
            "If it is worded the other way round it has to be recoded before it is used."
        )
        problems.append(Problem("item_reversed", "warning", message, (item.name,), (recoding(data, item.name, block),)))
    for relation in near_duplicates(names, correlation):
        message = f"{relation.first} and {relation.second} correlate at {coefficient(relation.correlation)}: nearly one column."
        drop = (Repair(f"Drop {relation.second}", DropColumns((relation.second,))),)
        problems.append(Problem("near_duplicates", "warning", message, (relation.first, relation.second), drop))
    if len(items) > 1:
        ticked = values[:, items].copy()
        for k, i in enumerate(items):
            if names[i] in data.turned:
                ticked[:, k] = data.turned[names[i]] - ticked[:, k]
        liners = straight_liners(ticked)
        if liners:
            message = f"{len(liners)} cases gave the same answer to every item (cases {_shown(data, liners)})."
            repair = _holding_out(data, liners, "the same answer throughout")
            problems.append(Problem("straight_liners", "warning", message, (), (repair,)))
        problems += _long_strings(data, ticked, set(liners))
    everything = np.column_stack([c.numbers for c in data.columns if c.numbers is not None and c.level != "identifier"])
    twins = duplicate_cases(everything) if everything.shape[1] > 3 else []
    if twins:
        shown = listed(["=".join(str(data.case_numbers[i]) for i in group) for group in twins], 5)
        message = f"{counted(len(twins), 'set')} of cases {'agrees' if len(twins) == 1 else 'agree'} in every number (cases {shown})."
        repair = _holding_out(data, [i for group in twins for i in group[1:]], "entered twice")
        problems.append(Problem("duplicate_cases", "warning", message, (), (repair,)))
    return problems


def _shown(data: DataSet, rows: Sequence[int]) -> str:
    return listed([str(data.case_numbers[i]) for i in rows], 8)


def _holding_out(data: DataSet, rows: Sequence[int], reason: str) -> Repair:
    cases = tuple(data.case_numbers[i] for i in rows)
    return Repair(f"Hold {'it' if len(cases) == 1 else f'these {len(cases)}'} out", HoldOut(cases, reason))


def _long_strings(data: DataSet, values: Array, known: set[int]) -> list[Problem]:
    """Cases whose longest run of equal answers takes up half of the items, and at least eight (Curran 2016)."""
    if values.shape[1] < 2:
        return []
    runs = longest_strings(values)
    least = max(8, values.shape[1] / 2)
    rows = [int(i) for i in np.flatnonzero(runs >= least) if int(i) not in known]
    if not rows:
        return []
    message = (
        f"{len(rows)} cases gave the same answer {int(least)} times in a row or more (cases {_shown(data, rows)}): they may "
        "not have read the questions."
    )
    return [Problem("long_strings", "note", message, (), (_holding_out(data, rows, "long runs of one answer"),))]


def _patterns(columns: Sequence[Column], values: Array) -> list[PatternPart]:
    names = [column.name for column in columns]
    parts = [
        PatternPart(missing=[n for n, there in zip(names, p.present, strict=True) if not there], cases=p.rows.size)
        for p in patterns(values)
    ]
    empty = int(np.isnan(values).all(axis=1).sum())
    return [*parts, PatternPart(missing=names, cases=empty)] if empty else parts


MOST_RELATED = 300


def screen(
    data: DataSet, most_distances: int | None = None, given: Collection[str] = ()
) -> tuple[Screening, list[Problem]]:
    """Screens a data set; what cannot be computed is null, and one of the problems says why.

    Of the distances only the `most_distances` farthest are listed. Columns that are `given` need not be normal, so that the test
    of normality is of the others.
    """
    columns = screened_columns(data)
    left = len(columns) - MOST_RELATED
    columns = columns[:MOST_RELATED]
    summaries = [_column(column, data.n) for column in data.columns]
    if len(columns) < 2:
        message = "Fewer than two columns of numbers vary, so there is nothing to relate."
        empty = Screening(
            columns=summaries,
            multivariate_normality=None,
            mahalanobis=[],
            mahalanobis_cut_off=None,
            mahalanobis_beyond=None,
            mahalanobis_bonferroni=None,
            correlations=None,
            determinant=None,
            condition_number=None,
            missing_patterns=[],
            little=None,
        )
        return empty, [Problem("nothing_to_relate", "warning", message)]
    names = [column.name for column in columns]
    values = data.matrix(tuple(names))
    correlation = pairwise_correlations(values)
    problems = _suspicions(data, columns, values, correlation)
    if left > 0:
        message = (
            f"Correlations, distances and suspicions are of the first {MOST_RELATED} columns of numbers; {left:,} more are "
            "only described one by one. Drop columns that are not needed to have the others looked at."
        )
        problems.insert(0, Problem("columns_not_related", "note", message))
    complete = ~np.isnan(values).any(axis=1)
    rows = np.flatnonzero(complete)
    normality, distances, cut_off, little = None, [], None, None
    beyond, unlikely = None, None
    sums = exact_sums(names, values[complete]) if rows.size > len(names) else []
    for name, parts in sums:
        message = f"{name} is made exactly of {listed(parts)}; together they cannot be in one model."
        problems.append(Problem("exact_sum", "warning", message, (name, *parts)))
    try:
        if rows.size <= len(names):
            raise np.linalg.LinAlgError
        tested = [i for i, column in enumerate(columns) if column.name not in given]
        if tested:
            tests = mardia(values[complete][:, tested])
            normality = NormalityPart(columns=[names[i] for i in tested], n=rows.size, **asdict(tests))
        found = mahalanobis(values[complete])
        cut_off = found.cut_off(len(names))
        farthest = np.argsort(-found.d2, kind="stable")[:most_distances]
        distances = [
            DistancePart(case=data.case_numbers[int(rows[i])], d2=float(found.d2[i]), p_value=float(found.p_value[i]))
            for i in farthest
        ]
        beyond = int((found.d2 > cut_off).sum())
        unlikely = int((found.p_value * rows.size < 0.05).sum())
        if beyond:
            message = f"{beyond} of {rows.size} complete cases lie beyond the distance expected of one in a thousand."
            problems.append(Problem("far_cases", "note", message))
        test = little_test(values)
        little = None if test is None else LittlePart(**asdict(test))
    except np.linalg.LinAlgError:
        message = (
            f"Only {rows.size} complete cases for {len(names)} columns: distances and normality cannot be computed."
            if rows.size <= len(names)
            else "Some columns depend exactly on each other, so distances and normality cannot be computed."
        )
        problems.append(Problem("dependent_columns", "warning", message))
    screening = Screening(
        columns=summaries,
        multivariate_normality=normality,
        mahalanobis=distances,
        mahalanobis_cut_off=cut_off,
        mahalanobis_beyond=beyond,
        mahalanobis_bonferroni=unlikely,
        correlations=matrix_part(names, names, correlation),
        determinant=None if np.isnan(correlation).any() else float(np.linalg.det(correlation)),
        condition_number=None if np.isnan(correlation).any() else number(np.linalg.cond(correlation)),
        missing_patterns=_patterns(columns, values),
        little=little,
    )
    return screening, problems


def screening_tables(
    data: DataSet | Moments, table: Literal["screening", "correlations", "covariances"]
) -> dict[str, list[list[Any]]]:
    """Tables for a spreadsheet, by name: everything that was screened, or one matrix with names on both sides.

    Correlations are of all cases that have both answers, covariances of complete cases. Raises ProblemError where
    there is nothing to be listed.
    """
    if isinstance(data, Moments):
        names, covariance = list(data.names), data.covariance
        matrix = covariance if table == "covariances" else correlation_from(covariance)
        return {table: _named_rows(names, matrix)}
    columns = screened_columns(data)
    names = [column.name for column in columns]
    if table == "screening":
        return _screening_sheets(data)
    if len(columns) < 2:
        raise ProblemError([Problem("nothing_to_relate", "error", "Fewer than two columns of numbers vary.")])
    values = data.matrix(tuple(names))
    if table == "correlations":
        return {table: _named_rows(names, pairwise_correlations(values))}
    complete = values[~np.isnan(values).any(axis=1)]
    if len(complete) < 2:
        raise ProblemError([Problem("no_cases", "error", "There are no complete cases to take covariances from.")])
    rows = _named_rows(names, np.cov(complete.T, ddof=1))
    return {table: [*rows, ["n", len(complete)], ["mean", *complete.mean(axis=0).tolist()]]}


def _named_rows(names: list[str], matrix: Array) -> list[list[Any]]:
    body = [[name, *(number(v) for v in row)] for name, row in zip(names, matrix.tolist(), strict=True)]
    return [["", *names], *body]


def _screening_sheets(data: DataSet) -> dict[str, list[list[Any]]]:
    screening, problems = screen(data)
    head = list(ColumnScreening.model_fields)
    sheets: dict[str, list[list[Any]]] = {
        "columns": [head, *([getattr(c, key) for key in head] for c in screening.columns)],
        "findings": [["severity", "finding"], *([p.severity, p.message] for p in problems)],
        "distances": [["case", "d²", "p"], *([d.case, d.d2, d.p_value] for d in screening.mahalanobis)],
        "missing patterns": [
            ["cases", "missing"],
            *([p.cases, ", ".join(p.missing)] for p in screening.missing_patterns),
        ],
    }
    tests: list[list[Any]] = [["test", "statistic", "df", "p"]]
    mardia_found, little = screening.multivariate_normality, screening.little
    if mardia_found is not None:
        found = mardia_found
        tests.append(["Mardia's skewness", found.skewness_chi_square, found.skewness_df, found.skewness_p])
        tests.append(["Mardia's kurtosis", found.kurtosis_z, None, found.kurtosis_p])
    if little is not None:
        tests.append(["Little's test", little.chi_square, little.df, little.p_value])
    return {**sheets, "tests": tests}


def check_document(data: DataSet, noticed: Sequence[Problem], most_distances: int | None = None) -> CheckDocument:
    """The document of a data set that could be read."""
    screening, problems = screen(data, most_distances)
    numbers = [c.numbers for c in data.columns if c.numbers is not None]
    complete = int((~np.isnan(np.column_stack(numbers)).any(axis=1)).sum()) if numbers else data.n
    part = DataPart(
        name=data.name, fingerprint=data.fingerprint(), n_used=complete, n_total=data.n, missing=data.n - complete
    )
    known = {(p.code, p.about) for p in noticed}
    problems = [*noticed, *(p for p in problems if (p.code, p.about) not in known)]
    return CheckDocument(data=part, problems=[problem_part(p) for p in problems], screening=screening)
