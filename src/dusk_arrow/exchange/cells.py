"""From cells to columns: what is a number, what is text, and what is said about either."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from dusk_arrow.core.observations.codes import number_level, suspected_codes
from dusk_arrow.core.observations.data import Column, DataSet
from dusk_arrow.core.observations.steps import DropColumns, TreatAsMissing
from dusk_arrow.core.problems import Problem, Repair, listed
from dusk_arrow.exchange.column_names import column_names
from dusk_arrow.exchange.number_marks import Mark, Style, style_of, value
from dusk_arrow.exchange.reading_options import MISSING, ReadAgain, Reading, ReadingOptions, refuse

if TYPE_CHECKING:
    import pandas as pd

LARGEST = 1e100


@dataclass(frozen=True)
class Marks:
    """The decimal mark of a table, whether it is certain, and whether points are of numbers rather than of text."""

    decimal: Mark
    certain: bool = True
    typed: bool = False


def _column(
    name: str, cells: pd.Series[Any], options: ReadingOptions, marks: Marks
) -> tuple[Column, Style | None, list[Problem]]:
    if cells.dtype.kind in "fiu":
        values = cells.to_numpy(dtype=float)
        if not (np.abs(values) > LARGEST).any():
            return Column(name, number_level(values), values), None, []
    cells = cells.astype(object).where(cells.notna(), "").astype(str).str.strip()
    missing = cells.isin(MISSING | set(options.missing_codes)).to_numpy()
    different = cells[~missing].unique()
    style = style_of(different, marks.decimal, marks.certain, name in options.turned_marks, marks.typed)
    known = {text: value(text, style.mark) for text in different}
    values = np.array([known.get(text, np.nan) for text in cells], dtype=float)
    values = np.where(np.abs(values) <= LARGEST, values, np.nan)
    odd = np.flatnonzero(np.isnan(values) & ~missing)
    if odd.size == 0:
        return Column(name, number_level(values), values), style, []
    problems = _odd_cells(name, cells, odd) if odd.size < 0.5 * int((~missing).sum()) else []
    texts = cells.to_numpy(dtype=object).copy()
    texts[missing] = None
    distinct = len({t for t in texts if t is not None})
    return Column(name, "category" if distinct <= 20 else "text", None, texts), None, problems


def _odd_cells(name: str, cells: pd.Series[Any], odd: np.ndarray[Any, Any]) -> list[Problem]:
    """What is said of a column that is nearly all numbers."""
    shown = listed([f"“{cells.iloc[i]}” (case {i + 1})" for i in odd[:3]])
    more = f" and {odd.size - 3} more" if odd.size > 3 else ""
    message = (
        f"{name} is nearly all numbers, but not in {shown}{more}. It is kept as text and cannot be used in "
        "a model until those cells are corrected."
    )
    codes = tuple(dict.fromkeys(cells.iloc[odd]))
    repairs = [Repair("Drop the column", DropColumns((name,)))]
    if len(codes) <= 20:
        repairs.insert(
            0, Repair(f"Treat {listed([f'“{c}”' for c in codes], 3)} as missing", TreatAsMissing((name,), codes))
        )
    return [Problem("text_in_number_column", "warning", message, (name,), tuple(repairs))]


MARK_WORDS = {".": "a point", ",": "a comma"}


def _said_of_marks(styles: dict[str, Style], marks: Marks, options: ReadingOptions) -> list[Problem]:
    """What is said where columns write numbers in different ways, or in a way that could mean two things."""
    problems = []
    other = {name: style for name, style in styles.items() if style.other}
    if other:
        name, style = next(iter(other.items()))
        message = (
            f"{listed(list(other))} {'writes' if len(other) == 1 else 'write'} decimals with {MARK_WORDS[style.mark]} where "
            f"the rest of the file would have {MARK_WORDS[marks.decimal]}. Each column is read as it is written: "
            f"“{style.example}” in {name} is {value(style.example, style.mark):g}."
        )
        problems.append(Problem("marks_differ", "note", message, tuple(other)))
    for name, style in styles.items():
        if not style.doubt:
            continue
        mark = "point" if "." in style.example else "comma"
        now, then = value(style.example, style.mark), value(style.example, "," if style.mark == "." else ".")
        turned = name in options.turned_marks
        wanted = [*(n for n in options.turned_marks if n != name)] if turned else [*options.turned_marks, name]
        message = (
            f"The {mark} in {name} could be a decimal mark or stand between groups of three: “{style.example}” is read as "
            f"{now:.10g}, and could be {then:.10g}."
        )
        decimal = mark != ("point" if style.mark == "." else "comma")
        words = f"The {mark} is a decimal mark" if decimal else f"The {mark} groups thousands"
        repair = Repair(words, ReadAgain({"turned_marks": wanted}))
        problems.append(Problem("marks_in_doubt", "warning", message, (name,), (repair,)))
    return problems


def from_cells(cells: pd.DataFrame, name: str, options: ReadingOptions) -> Reading:
    """A table of texts, column names in its first row, as a data set. Raises ProblemError when it cannot be used."""
    names, rows = column_names([str(cell) for cell in cells.iloc[0]], options)
    typed = Marks(options.decimal or ".", True, True)
    return assemble(cells.iloc[rows:].reset_index(drop=True), names, name, options, typed)


def assemble(cells: pd.DataFrame, names: list[str], name: str, options: ReadingOptions, marks: Marks) -> Reading:
    """Columns of cells as a data set. Raises ProblemError where there are no rows."""
    if cells.shape[0] == 0:
        raise refuse("no_cases", "The file has column names but no cases.")
    columns, problems, styles = [], [], {}
    for position, column_name in enumerate(names):
        column, style, found = _column(column_name, cells.iloc[:, position], options, marks)
        columns.append(column)
        problems += found
        if style is not None:
            styles[column_name] = style
    data = DataSet(name, tuple(columns))
    return Reading(data, tuple(problems + _said_of_marks(styles, marks, options) + check_columns(data)))


def within_reach(columns: tuple[Column, ...]) -> tuple[tuple[Column, ...], list[Problem]]:
    """Columns of which those with numbers too large to be squared and summed become text, and what is said of them."""
    found, problems = [], []
    for column in columns:
        numbers = column.numbers
        if numbers is not None and (np.abs(numbers) > LARGEST).any():
            texts = np.array([None if np.isnan(v) else f"{v:g}" for v in numbers], dtype=object)
            largest = float(np.nanmax(np.abs(numbers)))
            message = (
                f"{column.name} holds numbers as large as {largest:.3g}, beyond anything that can be computed with. It is "
                "kept as text; they may be codes for missing answers, or the file may be damaged."
            )
            drop = Repair("Drop the column", DropColumns((column.name,)))
            problems.append(Problem("numbers_too_large", "warning", message, (column.name,), (drop,)))
            column = replace(column, level="text", numbers=None, texts=texts)
        found.append(column)
    return tuple(found), problems


def check_columns(data: DataSet) -> list[Problem]:
    """What is wrong with single columns: no values at all, the same value everywhere, a copy of another, codes for missing."""
    if data.n == 1:
        message = "There is a single case, and nothing can covary with one case. Check how the rows were read."
        return [Problem("one_case", "warning", message)]
    problems = suspected_codes(data)
    seen: dict[bytes, str] = {}
    for column in data.columns:
        values = column.numbers
        drop = (Repair("Drop the column", DropColumns((column.name,))),)
        if values is None:
            continue
        if np.isnan(values).all():
            message = f"{column.name} has no values at all."
            problems.append(Problem("all_missing", "warning", message, (column.name,), drop))
        elif np.nanmax(values) == np.nanmin(values):
            message = f"{column.name} has the same value everywhere, so it cannot covary with anything."
            problems.append(Problem("zero_variance", "warning", message, (column.name,), drop))
        else:
            twin = seen.setdefault(values.tobytes(), column.name)
            if twin != column.name:
                message = f"{column.name} is a copy of {twin}."
                problems.append(Problem("copy_of_column", "warning", message, (column.name, twin), drop))
    return problems
