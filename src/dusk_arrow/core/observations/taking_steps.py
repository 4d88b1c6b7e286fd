"""Recorded steps taken: the data set that comes of each, or why it cannot be taken."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np

from dusk_arrow.core.linear_algebra import Array
from dusk_arrow.core.observations.codes import number_level
from dusk_arrow.core.observations.conditions import fulfilled
from dusk_arrow.core.observations.data import Column, DataSet, Level
from dusk_arrow.core.observations.steps import (
    Center,
    Combine,
    DescribeColumn,
    DropColumns,
    DummyCode,
    FillWithMean,
    HoldOut,
    HoldOutHalf,
    KeepCases,
    RenameColumn,
    Reverse,
    Step,
    TreatAsMissing,
    WeightCases,
    what_happens,
    words,
)
from dusk_arrow.core.problems import Problem, ProblemError, Repair, listed, nearest
from dusk_arrow.core.wording import plain

TAKES_ANSWERS = (TreatAsMissing, HoldOut, HoldOutHalf, KeepCases)


def _refuse(code: str, message: str, *about: str) -> ProblemError:
    return ProblemError([Problem(code, "error", message, about)])


def _find(data: DataSet, name: str) -> Column:
    if name in data.names:
        return data.column(name)
    guess = nearest(name, data.names)
    raise _refuse("unknown_column", f"There is no column {name}." + (f" Did you mean {guess}?" if guess else ""), name)


def _numbers(data: DataSet, name: str) -> Array:
    column = _find(data, name)
    if column.numbers is None:
        raise _refuse("text_column", f"{name} holds text, not numbers.", name)
    return column.numbers


def _each(data: DataSet, names: Sequence[str], change: Callable[[Column], Column]) -> DataSet:
    for name in names:
        _find(data, name)
    wanted = set(names)
    return replace(data, columns=tuple(change(c) if c.name in wanted else c for c in data.columns))


def _kept(data: DataSet, rows: Any) -> DataSet:
    columns = tuple(
        replace(
            c,
            numbers=None if c.numbers is None else c.numbers[rows],
            texts=None if c.texts is None else c.texts[rows],
        )
        for c in data.columns
    )
    if not np.any(rows):
        raise _refuse("no_cases", "No case would be left.")
    return replace(data, columns=columns, cases=tuple(np.array(data.case_numbers)[rows].tolist()))


def _new(data: DataSet, name: str, numbers: Array, label: str, level: Level = "number") -> DataSet:
    name = name.strip()
    if not name:
        raise _refuse("name_empty", "The new column needs a name.")
    if name in data.names:
        raise _refuse("name_taken", f"There is a column {name} already.", name)
    return replace(data, columns=(*data.columns, Column(name, level, numbers, None, label)))


def _missing_codes(column: Column, codes: Sequence[str]) -> Column:
    if column.numbers is not None:
        values = []
        for code in codes:
            try:
                values.append(float(code.replace("−", "-")))
            except ValueError:
                continue
        numbers = np.where(np.isin(column.numbers, values), np.nan, column.numbers)
        return replace(column, numbers=numbers)
    assert column.texts is not None
    texts = np.array([None if t in codes else t for t in column.texts], dtype=object)
    try:
        numbers = np.array([np.nan if t is None else float(t) for t in texts])
    except ValueError:
        return replace(column, texts=texts)
    return replace(column, texts=None, numbers=numbers, level="number")


def _reverse(data: DataSet, step: Reverse) -> DataSet:
    if not step.high > step.low:
        raise _refuse("scale_invalid", "The upper end of the scale must be above the lower one.", *step.columns)
    for name in step.columns:
        values = _numbers(data, name)
        outside = np.flatnonzero((values < step.low) | (values > step.high))
        if outside.size:
            shown = listed([str(data.case_numbers[i]) for i in outside.tolist()], 3)
            message = (
                f"{name} has answers outside {step.low:g} to {step.high:g} (case {shown}): "
                "give the true ends of its scale, or treat those answers as missing first."
            )
            raise _refuse("outside_scale", message, name)

    def turn(column: Column) -> Column:
        assert column.numbers is not None
        labels = {}
        for key, label in column.value_labels.items():
            try:
                labels[f"{step.low + step.high - float(key):g}"] = label
            except ValueError:
                labels[key] = label
        return replace(column, numbers=step.low + step.high - column.numbers, value_labels=labels)

    ends = step.low + step.high
    turned = {**data.turned, **dict.fromkeys(step.columns, ends)}
    turned = {name: total for name, total in turned.items() if name not in step.columns or name not in data.turned}
    return replace(_each(data, step.columns, turn), turned=turned)


def _halved(data: DataSet, step: HoldOutHalf) -> DataSet:
    if step.seed < 0:
        raise _refuse("seed_negative", "The seed of the halves is a whole number of 0 or more.")
    whole = np.ones(data.n, dtype=bool)
    for name in step.columns:
        whole &= ~np.isnan(_numbers(data, name))
    complete = np.flatnonzero(whole)
    if complete.size < 2:
        raise _refuse("too_few_to_halve", "Fewer than two cases have every answer, so there are no halves.")
    shuffled = np.random.default_rng(step.seed).permutation(complete)
    first = (complete.size + 1) // 2
    rows = np.zeros(data.n, dtype=bool)
    rows[shuffled[:first] if step.half == "first" else shuffled[first:]] = True
    return _kept(data, rows)


def _combine(data: DataSet, step: Combine) -> DataSet:
    if len(step.columns) < 2:
        raise _refuse("too_few_columns", "At least two columns are needed to be combined.", *step.columns)
    values = np.column_stack([_numbers(data, name) for name in step.columns])
    answered = (~np.isnan(values)).sum(axis=1)
    least = step.least or len(step.columns)
    total = np.where(answered > 0, np.nanmean(np.where(answered[:, None] > 0, values, 0.0), axis=1), np.nan)
    if step.how == "sum":
        total = total * len(step.columns)
    numbers = np.where(answered >= least, total, np.nan)
    return _new(data, step.name, numbers, f"{step.how} of {listed(step.columns)}")


def _dummy(data: DataSet, step: DummyCode) -> DataSet:
    column = _find(data, step.column)
    applies = fulfilled(data, f'"{column.name}" = "{step.category}"')
    gone = fulfilled(data, f'"{column.name}" is missing')
    if not applies.any():
        raise _refuse("category_unknown", f"No case of {column.name} is “{step.category}”.", column.name)
    return _new(data, step.name, np.where(gone, np.nan, applies.astype(float)), f"{column.name} is {step.category}")


def _center(data: DataSet, step: Center) -> DataSet:
    values = _numbers(data, step.column)
    spread = float(np.nanstd(values, ddof=1)) if step.standardize else 1.0
    if not spread > 0:
        raise _refuse("zero_variance", f"{step.column} does not vary, so it cannot be standardized.", step.column)
    what = "standardized" if step.standardize else "centred"
    return _new(data, step.name, (values - np.nanmean(values)) / spread, f"{step.column}, {what}")


def apply_step(data: DataSet, step: Step) -> DataSet:
    """The data set after one step. Raises ProblemError where the step cannot be taken, and says why."""
    match step:
        case RenameColumn(column, to):
            to = to.strip()
            if not to:
                raise _refuse("name_empty", "A column needs a name.", column)
            if to != column and to in data.names:
                raise _refuse("name_taken", f"There is a column {to} already.", to)
            turned = {to if name == column else name: ends for name, ends in data.turned.items()}
            return replace(_each(data, (column,), lambda c: replace(c, name=to)), turned=turned)
        case DescribeColumn(column, label, level, labels):
            found = _find(data, column)
            if level in ("number", "ordered") and found.numbers is None:
                raise _refuse("text_column", f"{column} holds text, so it cannot be a {level} column.", column)
            return _each(
                data,
                (column,),
                lambda c: replace(
                    c,
                    label=c.label if label is None else label or None,
                    level=level or c.level,
                    value_labels=c.value_labels if labels is None else labels,
                ),
            )
        case TreatAsMissing(columns, codes):
            return _each(data, columns, lambda c: _missing_codes(c, codes))
        case Reverse():
            return _reverse(data, step)
        case HoldOut(cases):
            return _kept(data, ~np.isin(np.array(data.case_numbers), cases))
        case HoldOutHalf():
            return _halved(data, step)
        case KeepCases(condition):
            return _kept(data, fulfilled(data, condition))
        case WeightCases(column):
            weights = _numbers(data, column)
            if np.isnan(weights).any() or (weights < 0).any():
                raise _refuse("weights_invalid", f"{column} has gaps or negative values, which are no weights.", column)
            return replace(data, weight=column)
        case FillWithMean(columns):
            for name in columns:
                _numbers(data, name)
            return _each(
                data,
                columns,
                lambda c: c if c.numbers is None else replace(c, numbers=np.where(np.isnan(c.numbers), np.nanmean(c.numbers), c.numbers)),
            )  # fmt: skip
        case Combine():
            return _combine(data, step)
        case Center():
            return _center(data, step)
        case DummyCode():
            return _dummy(data, step)
        case DropColumns(columns):
            for name in columns:
                _find(data, name)
            left = tuple(c for c in data.columns if c.name not in columns)
            if not left:
                raise _refuse("no_columns", "No column would be left.")
            return replace(data, columns=left)


def _judged_anew(before: DataSet, after: DataSet) -> DataSet:
    """Columns whose kind was what their values seemed to be, judged by the values that are left: a code for missing among answers on a
    scale makes them look like measurements. What somebody said a column is stays so, and some of the running numbers of a file are
    running numbers still."""
    old = {column.name: column for column in before.columns}

    def again(column: Column) -> Column:
        was = old.get(column.name)
        if column.numbers is None or was is None or was.numbers is None or was.level != number_level(was.numbers):
            return column
        if was.level == "identifier":
            return column
        return replace(column, level=number_level(column.numbers))

    return replace(after, columns=tuple(again(column) for column in after.columns))


def _taken(data: DataSet, steps: Sequence[Step]) -> Iterator[tuple[Step, DataSet, DataSet, tuple[Problem, ...]]]:
    """Every step that is on, in order, with the data before and after it; of one that cannot be taken why, and the data as they were."""
    for step in steps:
        if not step.on:
            continue
        before, problems = data, tuple[Problem, ...]()
        try:
            after = apply_step(data, step)
            data = _judged_anew(data, after) if isinstance(step, TAKES_ANSWERS) else after
        except ProblemError as error:
            problems = error.problems
        yield step, before, data, problems


def apply_steps(data: DataSet, steps: Sequence[Step]) -> tuple[DataSet, list[Problem]]:
    """The data set after all steps that are on, in order; one that cannot be taken is passed over with its problem."""
    problems = []
    for step, _, after, faults in _taken(data, steps):
        data = after
        for found in faults:
            message = f"The step “{words(step)}” cannot be taken: {found.message}"
            problems.append(replace(found, message=message))
    return data, problems


class Removal(NamedTuple):
    """What a step left out: in words, why, how many cases, and how many of these lacked an answer that they were chosen by."""

    words: str
    reason: str | None
    cases: int
    incomplete: int = 0


def removals(data: DataSet, steps: Sequence[Step]) -> list[Removal]:
    """The steps that leave cases or columns out, in order, with what each of them left out."""
    found = []
    for step, before, after, faults in _taken(data, steps):
        if faults or not isinstance(step, HoldOut | HoldOutHalf | KeepCases | DropColumns):
            continue
        incomplete = 0
        if isinstance(step, HoldOutHalf):
            answers = np.column_stack([_numbers(before, name) for name in step.columns])
            incomplete = int(np.isnan(answers).any(axis=1).sum())
        found.append(Removal(what_happens(step), step.reason, before.n - after.n, incomplete))
    return found


def recoding(data: DataSet, name: str, block: Sequence[str]) -> Repair:
    """The recode of an item worded the other way round, over the ends of the answers in its block."""
    columns = [data.column(other).numbers for other in {name, *block} if other in data.names]
    answers = np.concatenate([values for values in columns if values is not None])
    low, high = float(np.nanmin(answers)), float(np.nanmax(answers))
    return Repair(
        f"Recode {name} ({plain(low, 2).removesuffix('.00')} to {plain(high, 2).removesuffix('.00')})",
        Reverse((name,), low, high),
    )
