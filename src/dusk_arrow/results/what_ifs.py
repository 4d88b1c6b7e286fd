"""Changes tried by refitting, each as the change itself would be: every indicator set aside in turn, and what the model leaves
out let in. What would become of the key figures."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Annotated, Any, Literal

from pydantic import Field

from dusk_arrow.core.assessment.criteria import BY_KEY, USUAL, Sheet, Verdict, listed_in
from dusk_arrow.core.observations.data import Source
from dusk_arrow.core.problems import ProblemError
from dusk_arrow.core.specification.applying import apply
from dusk_arrow.core.specification.changes import AddIndicators, SetAside, SetCovariance, words
from dusk_arrow.core.specification.model import Model, read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.statements import Specification
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.document import FitPart, ModificationPart, Part, Results, WhatIfPart
from dusk_arrow.results.readout import available, criterion_of, figure_value, reliability_beside, shown_keys
from dusk_arrow.results.settings import Settings

TOLD = listed_in("what_if")
OF_MODEL = tuple(key for key in TOLD if BY_KEY[key].about != "construct")
OF_CONSTRUCTS = tuple(key for key in TOLD if key not in OF_MODEL)
MOST_LEFT_OUT = 15


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


class Tried(Part):
    """What would come of a change: how many cases there would be and whether the data would be others, and the figures now
    and then; without an estimation, why."""

    estimated: bool
    message: str | None
    n_used: int | None
    other_data: bool
    figures: list[FigureChange]
    largest_path: PathChange | None


class ItemWhatIf(Tried):
    """An indicator set aside: what it is part of, and whether it is kept as essential (then it is not to be proposed)."""

    type: Literal["set_aside"] = "set_aside"
    construct_: str = Field(alias="construct")
    indicator: str
    kept: bool


class LeftOutWhatIf(Tried):
    """A residual covariance or cross-loading that the model leaves out, let in: what the score test expected, and by how
    much χ² falls in fact."""

    change: Annotated[SetCovariance | AddIndicators, Field(discriminator="type")]
    words: str
    index: float
    expected_change: float
    standardized_change: float | None
    chi_square_fall: float | None


Estimate = Callable[[Specification], Results]


def _of_construct(results: Results, name: str, figure: str) -> float | None:
    found = [c for c in (results.quality.constructs if results.quality else []) if c.name == name]
    value: float | None = getattr(found[0], figure) if found else None
    return value


def _change(criteria: Sheet, key: str, about: str | None, now: Results, then: Results) -> FigureChange:
    """A figure of both documents, of one construct where it is about one."""
    first, second = (
        figure_value(document, key) if about is None else _of_construct(document, about, key)
        for document in (now, then)
    )
    before = criteria.judge(criterion_of(key), first, reliability_beside(now, key, about))
    after = criteria.judge(criterion_of(key), second, reliability_beside(then, key, about))
    crosses = before != after and "none" not in (before, after)
    return FigureChange(
        key=key, about=about, now=first, then=second, verdict_now=before, verdict_then=after, crosses=crosses
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


def _figures(now: Results, then: Results, about: Sequence[str], criteria: Sheet) -> list[FigureChange]:
    """The key figures of both documents, and those of the reflective constructs among `about`."""
    possible = available(now.family)
    keys = dict.fromkeys((*shown_keys(now), *(key for key in OF_MODEL if key in possible)))
    keys.pop("chi_square", None)
    figures = [_change(criteria, key, None, now, then) for key in keys]
    reflective = {c.name for c in (now.quality.constructs if now.quality else []) if c.mode == "reflective"}
    for name in dict.fromkeys(about):
        if name in reflective:
            figures += [_change(criteria, key, name, now, then) for key in OF_CONSTRUCTS]
    return figures


def _tried(now: Results, then: Results, about: Sequence[str], criteria: Sheet) -> dict[str, Any]:
    """What both kinds of rows say of a change, by the names of `Tried`."""
    used = then.data.n_used if then.data and then.converged else None
    return {
        "estimated": then.converged,
        "message": next((p.message for p in then.problems if p.severity == "error"), None),
        "n_used": used,
        "other_data": used is not None and now.data is not None and used != now.data.n_used,
        "figures": _figures(now, then, about, criteria) if then.converged else [],
        "largest_path": _largest_path(now, then) if then.converged else None,
    }


def item_what_ifs(
    specification: Specification, now: Results, estimate: Estimate, criteria: Sheet = USUAL
) -> list[ItemWhatIf]:
    """One row for each indicator that is a column, in the order of the model; the last one of a construct is not offered.
    `estimate` gives the document of another specification of the same data and settings."""
    model = read(specification)
    rows = []
    for construct in model.constructs:
        if len(construct.indicators) < 2 or construct.all_held(model.fixed):
            continue  # of levels and slopes an item is an occasion, which cannot be set aside
        for indicator in construct.indicators:
            if indicator not in model.by_name:
                then = estimate(apply(specification, SetAside(construct.name, indicator)))
                rows.append(
                    ItemWhatIf(
                        construct_=construct.name,
                        indicator=indicator,
                        kept=indicator in construct.kept,
                        **_tried(now, then, [construct.name], criteria),
                    )
                )
    return rows


def _left_out(model: Model, entry: ModificationPart) -> tuple[SetCovariance | AddIndicators, list[str]] | None:
    """The change that lets a residual covariance or a cross-loading in, with the constructs it is about."""
    owners = {name: construct.name for construct in model.constructs for name in construct.indicators}
    items = {name for name in owners if name not in model.by_name}
    if entry.release or entry.to not in items:
        return None
    if entry.kind == "covariance" and entry.from_ in items:
        return SetCovariance(entry.from_, entry.to), [owners[entry.from_], owners[entry.to]]
    if entry.kind == "loading" and entry.from_ in model.by_name:
        if entry.to in model.by_name[entry.from_].everything:
            return None  # it is held, or set aside: to let it in is no new indicator
        return AddIndicators(entry.from_, (entry.to,)), [entry.from_, owners[entry.to]]
    return None


def left_out_what_ifs(
    specification: Specification, now: Results, estimate: Estimate, criteria: Sheet = USUAL, most: int = MOST_LEFT_OUT
) -> list[LeftOutWhatIf]:
    """Rows for residual covariances and cross-loadings by whose absence χ² suffers most, the largest index first; `now` has to
    be a document with modification indices. None in a family that has no such tests."""
    model = read(specification)
    rows: list[LeftOutWhatIf] = []
    for entry in sorted(now.modification, key=lambda m: -m.index):
        found = _left_out(model, entry)
        if found is None or len(rows) == most:
            continue
        change, about = found
        try:
            changed = apply(specification, change)
        except ProblemError:
            continue  # what cannot be done is not offered, and ends nothing
        then = estimate(changed)
        before, after = figure_value(now, "chi_square"), figure_value(then, "chi_square")
        rows.append(
            LeftOutWhatIf(
                change=change,
                words=words(change),
                index=entry.index,
                expected_change=entry.expected_change,
                standardized_change=entry.standardized_change,
                chi_square_fall=before - after if then.converged and before is not None and after is not None else None,
                **_tried(now, then, about, criteria),
            )
        )
    return rows


def _part(row: ItemWhatIf | LeftOutWhatIf) -> WhatIfPart:
    change = SetAside(row.construct_, row.indicator) if isinstance(row, ItemWhatIf) else row.change
    named = [(f"{f.key} of {f.about}" if f.about else f.key, f) for f in row.figures]
    of_fit = {name: f for name, f in named if f.about is None and f.key in FitPart.model_fields}
    return WhatIfPart(
        change=change,
        words=words(change),
        n=row.n_used,
        message=row.message,
        fit={name: f.then for name, f in of_fit.items()},
        quality={name: f.then for name, f in named if name not in of_fit},
        crosses=[name for name, f in named if f.crosses],
    )


def with_what_ifs(results: Results, source: Source, criteria: Sheet = USUAL) -> Results:
    """The document of an estimated model with every row of both tables among its `what_ifs`."""
    if not results.converged:
        return results
    specification, estimate = parse(results.model), estimator_of(source, results.settings)
    rows: list[ItemWhatIf | LeftOutWhatIf] = [
        *item_what_ifs(specification, results, estimate, criteria),
        *left_out_what_ifs(specification, results, estimate, criteria),
    ]
    return results.model_copy(update={"what_ifs": [_part(row) for row in rows]})


def estimator_of(source: Source, settings: Settings) -> Estimate:
    """Documents of specifications on these data, without a bootstrap."""
    plain = settings.without_bootstrap()
    return lambda specification: assemble(analyse(specification, source, plain, depth="brief"))
