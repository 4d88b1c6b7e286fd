"""What differs between two files of the same questionnaire."""

from __future__ import annotations

from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.core.observations.screening import summarise
from dusk_arrow.results.document import Part


class ColumnDifference(Part):
    """A column in both files whose figures moved; `shift` is the difference of the means in SDs of the file before."""

    name: str
    n_before: int
    n_after: int
    missing_before: int
    missing_after: int
    mean_before: float | None
    mean_after: float | None
    shift: float | None
    new_values: list[str]


class NextFileReport(Part):
    """The next file against the one before."""

    cases_before: int
    cases_after: int
    columns_gone: list[str]
    columns_new: list[str]
    kind_changed: list[str]
    columns: list[ColumnDifference]


def _values(data: DataSet, name: str) -> set[str]:
    column = data.column(name)
    if column.numbers is not None:
        found = {f"{v:g}" for v in column.numbers[column.numbers == column.numbers].tolist()}
    else:
        found = {str(t) for t in (column.texts if column.texts is not None else []) if t is not None}
    return found if len(found) <= 30 else set()


def compare_files(before: DataSet, after: DataSet) -> NextFileReport:
    """Columns that are gone or new, and what moved in those that stayed."""
    shared = [name for name in before.names if name in after.names]
    differences, changed = [], []
    for name in shared:
        first, second = before.column(name), after.column(name)
        if "identifier" in (first.level, second.level):
            continue
        if first.numeric != second.numeric:
            changed.append(name)
            continue
        fresh = sorted(_values(after, name) - _values(before, name)) if _values(before, name) else []
        if first.numbers is None or second.numbers is None:
            if fresh:
                differences.append(
                    ColumnDifference(
                        name=name, n_before=before.n, n_after=after.n, missing_before=0, missing_after=0,
                        mean_before=None, mean_after=None, shift=None, new_values=fresh[:10],
                    )
                )  # fmt: skip
            continue
        a, b = summarise(first.numbers), summarise(second.numbers)
        shift = (b.mean - a.mean) / a.sd if a.mean is not None and b.mean is not None and a.sd else None
        differences.append(
            ColumnDifference(
                name=name,
                n_before=a.n,
                n_after=b.n,
                missing_before=a.missing,
                missing_after=b.missing,
                mean_before=a.mean,
                mean_after=b.mean,
                shift=shift,
                new_values=fresh[:10],
            )
        )
    return NextFileReport(
        cases_before=before.n,
        cases_after=after.n,
        columns_gone=[name for name in before.names if name not in after.names],
        columns_new=[name for name in after.names if name not in before.names],
        kind_changed=changed,
        columns=sorted(differences, key=lambda d: -abs(d.shift or 0.0)),
    )
