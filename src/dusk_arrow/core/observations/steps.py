"""Recorded steps: what is done to an imported data set on its way to the analysis, never to the import itself, as values."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from dusk_arrow.core.observations.data import Level
from dusk_arrow.core.problems import listed


@dataclass(frozen=True)
class RenameColumn:
    """A column gets another name."""

    column: str
    to: str
    on: bool = True
    type: Literal["rename_column"] = "rename_column"


@dataclass(frozen=True)
class DescribeColumn:
    """What a column means: its label, its kind, labels of its values; None leaves as it is."""

    column: str
    label: str | None = None
    level: Level | None = None
    value_labels: dict[str, str] | None = None
    on: bool = True
    type: Literal["describe_column"] = "describe_column"


@dataclass(frozen=True)
class TreatAsMissing:
    """Codes that mean: no answer."""

    columns: tuple[str, ...]
    codes: tuple[str, ...]
    on: bool = True
    type: Literal["treat_as_missing"] = "treat_as_missing"


@dataclass(frozen=True)
class Reverse:
    """Items worded the other way round: low + high − answer, with the ends of the scale."""

    columns: tuple[str, ...]
    low: float
    high: float
    on: bool = True
    type: Literal["reverse"] = "reverse"


@dataclass(frozen=True)
class HoldOut:
    """Cases, by their row in the file counted from 1, that stay out."""

    cases: tuple[int, ...]
    reason: str | None = None
    on: bool = True
    type: Literal["hold_out"] = "hold_out"


@dataclass(frozen=True)
class HoldOutHalf:
    """Half of the cases stays out, unseen, until it is `opened`: of those with every answer in `columns`, shuffled by the seed,
    the first ⌈n/2⌉ stay in use. `half` is which of the two is looked at."""

    columns: tuple[str, ...]
    seed: int = 1
    opened: bool = False
    half: Literal["first", "second"] = "first"
    reason: str | None = None
    on: bool = True
    type: Literal["hold_out_half"] = "hold_out_half"


@dataclass(frozen=True)
class KeepCases:
    """Only cases that fulfil a condition stay."""

    condition: str
    reason: str | None = None
    on: bool = True
    type: Literal["keep_cases"] = "keep_cases"


@dataclass(frozen=True)
class WeightCases:
    """A column that says how much each case counts."""

    column: str
    on: bool = True
    type: Literal["weight_cases"] = "weight_cases"


@dataclass(frozen=True)
class FillWithMean:
    """Missing answers get the mean of their column."""

    columns: tuple[str, ...]
    on: bool = True
    type: Literal["fill_with_mean"] = "fill_with_mean"


@dataclass(frozen=True)
class Combine:
    """A new column: the mean or the sum of others, for cases with at least so many answers (None: all)."""

    name: str
    columns: tuple[str, ...]
    how: Literal["mean", "sum"] = "mean"
    least: int | None = None
    on: bool = True
    type: Literal["combine"] = "combine"


@dataclass(frozen=True)
class Center:
    """A new column: the deviations of another from its mean, in standard deviations if asked."""

    name: str
    column: str
    standardize: bool = False
    on: bool = True
    type: Literal["center"] = "center"


@dataclass(frozen=True)
class DummyCode:
    """A new column: 1 where a category applies, 0 where another does."""

    name: str
    column: str
    category: str
    on: bool = True
    type: Literal["dummy_code"] = "dummy_code"


@dataclass(frozen=True)
class DropColumns:
    """Columns that are not wanted."""

    columns: tuple[str, ...]
    reason: str | None = None
    on: bool = True
    type: Literal["drop_columns"] = "drop_columns"


Step = (
    RenameColumn
    | DescribeColumn
    | TreatAsMissing
    | Reverse
    | HoldOut
    | HoldOutHalf
    | KeepCases
    | WeightCases
    | FillWithMean
    | Combine
    | Center
    | DummyCode
    | DropColumns
)


def words(step: Step) -> str:
    """A step as the list of steps says it, with the reason where one was given."""
    reason = getattr(step, "reason", None)
    return what_happens(step) + (f": {reason}" if reason else "")


def what_happens(step: Step) -> str:
    """The same without the reason."""
    match step:
        case RenameColumn(column, to):
            return f"{column} renamed {to}"
        case DescribeColumn(column):
            return f"{column} described"
        case TreatAsMissing(columns, codes):
            return f"{listed(codes)} in {listed(columns)} means missing"
        case Reverse(columns, low, high):
            return f"{listed(columns)} recoded the other way round ({low:g} to {high:g})"
        case HoldOut(cases):
            return (
                f"case {cases[0]} held out" if len(cases) == 1 else f"cases {listed([str(c) for c in cases])} held out"
            )
        case HoldOutHalf(_, seed, opened):
            return f"half of the cases held out {'and opened' if opened else 'unseen'} (seed {seed})"
        case KeepCases(condition):
            return f"only cases where {condition}"
        case WeightCases(column):
            return f"cases weighted by {column}"
        case FillWithMean(columns):
            return f"gaps in {listed(columns)} filled with the mean"
        case Combine(name, columns, how):
            return f"{name} is the {how} of {listed(columns)}"
        case Center(name, column, standardize):
            return f"{name} is {column} {'standardized' if standardize else 'centred'}"
        case DummyCode(name, column, category):
            return f"{name} is 1 where {column} is {category}"
        case DropColumns(columns):
            return f"{listed(columns)} dropped"


def current_names(steps: Sequence[Step]) -> dict[str, str]:
    """The present name of every imported column that steps rename."""
    names: dict[str, str] = {}
    for step in steps:
        if isinstance(step, RenameColumn) and step.on:
            first = next((old for old, now in names.items() if now == step.column), step.column)
            names[first] = step.to.strip()
    return names


def held_out(steps: Sequence[Step]) -> dict[int, str | None]:
    """Cases that steps hold out by number, with the reason."""
    return {case: s.reason for s in steps if isinstance(s, HoldOut) and s.on for case in s.cases}


def other_half(steps: Sequence[Step]) -> list[Step]:
    """The steps that lead to the half of the cases that is held out."""
    return [replace(s, half="second") if isinstance(s, HoldOutHalf) else s for s in steps]
