"""Every indicator set aside in turn, each refitted as the change itself would be: what would become of the key figures."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

from pydantic import Field

from dusk_arrow.core.assessment.criteria import USUAL, Sheet, Verdict
from dusk_arrow.core.observations.data import Source
from dusk_arrow.core.specification.applying import apply
from dusk_arrow.core.specification.changes import SetAside
from dusk_arrow.core.specification.model import Construct, read
from dusk_arrow.core.specification.statements import Specification
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.document import Part, Results
from dusk_arrow.results.readout import criterion_of, figure_value, shown_keys
from dusk_arrow.results.settings import Settings


class FigureChange(Part):
    """A figure now and then, with its verdicts and whether they differ; `about` names the construct where it is of one."""

    key: str
    about: str | None
    now: float | None
    then: float | None
    verdict_now: Verdict
    verdict_then: Verdict
    crosses: bool


class PathChange(Part):
    """The standardized path that would move most."""

    from_: str = Field(alias="from")
    to: str
    now: float
    then: float


class ItemWhatIf(Part):
    """An indicator set aside: what it is part of, whether it is kept as essential (then it is not to be proposed), how many
    cases there would be and whether the data would be others, and the figures; without an estimation, why."""

    type: Literal["set_aside"] = "set_aside"
    construct_: str = Field(alias="construct")
    indicator: str
    kept: bool
    estimated: bool
    message: str | None
    n_used: int | None
    other_data: bool
    figures: list[FigureChange]
    largest_path: PathChange | None


Estimate = Callable[[Specification], Results]


def _of_construct(results: Results, name: str, figure: str) -> float | None:
    found = [c for c in (results.quality.constructs if results.quality else []) if c.name == name]
    value: float | None = getattr(found[0], figure) if found else None
    return value


def _change(criteria: Sheet, key: str, about: str | None, now: float | None, then: float | None) -> FigureChange:
    before, after = (criteria.judge(criterion_of(key), value) for value in (now, then))
    crosses = before != after and "none" not in (before, after)
    return FigureChange(
        key=key, about=about, now=now, then=then, verdict_now=before, verdict_then=after, crosses=crosses
    )


def _largest_path(now: Results, then: Results) -> PathChange | None:
    after = {(p.from_, p.to): p.standardized for p in then.parameters if p.kind == "path"}
    moved = [
        (abs(new - p.standardized), p, new)
        for p in now.parameters
        if p.kind == "path" and p.standardized is not None and (new := after.get((p.from_, p.to))) is not None
    ]
    if not moved:
        return None
    _, path, new = max(moved, key=lambda entry: entry[0])
    assert path.standardized is not None
    return PathChange(from_=path.from_, to=path.to, now=path.standardized, then=new)


def _row(construct: Construct, indicator: str, now: Results, then: Results, criteria: Sheet) -> ItemWhatIf:
    keys = [key for key in dict.fromkeys((*shown_keys(now), "srmr", "highest_htmt")) if key != "chi_square"]
    figures = [_change(criteria, key, None, figure_value(now, key), figure_value(then, key)) for key in keys]
    if construct.mode == "reflective":
        figures += [
            _change(
                criteria,
                key,
                construct.name,
                *(_of_construct(document, construct.name, key) for document in (now, then)),
            )
            for key in ("ave", "composite_reliability", "alpha")
        ]
    return ItemWhatIf(
        construct_=construct.name,
        indicator=indicator,
        kept=indicator in construct.kept,
        estimated=then.converged,
        message=next((p.message for p in then.problems if p.severity == "error"), None),
        n_used=then.data.n_used if then.data and then.converged else None,
        other_data=then.converged
        and then.data is not None
        and now.data is not None
        and then.data.n_used != now.data.n_used,
        figures=figures if then.converged else [],
        largest_path=_largest_path(now, then) if then.converged else None,
    )


def item_what_ifs(
    specification: Specification, now: Results, estimate: Estimate, criteria: Sheet = USUAL
) -> list[ItemWhatIf]:
    """One row for each indicator that is a column, in the order of the model; the last one of a construct is not offered.
    `estimate` gives the document of another specification of the same data and settings."""
    model = read(specification)
    rows = []
    for construct in model.constructs:
        if len(construct.indicators) < 2:
            continue
        for indicator in construct.indicators:
            if indicator not in model.by_name:
                then = estimate(apply(specification, SetAside(construct.name, indicator)))
                rows.append(_row(construct, indicator, now, then, criteria))
    return rows


def estimator_of(source: Source, settings: Settings) -> Estimate:
    """Documents of specifications on these data, without a bootstrap."""
    plain = settings.without_bootstrap()
    return lambda specification: assemble(analyse(specification, source, plain, depth="brief"))
