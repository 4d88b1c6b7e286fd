"""What a report is made of: the results document, and what is known around it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import NamedTuple

from dusk_arrow.core.assessment.comparing import Comparison
from dusk_arrow.core.assessment.criteria import USUAL, Sheet
from dusk_arrow.core.observations.data import DataSet, Source
from dusk_arrow.core.specification.model import Model, read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.wording import INTERVALS
from dusk_arrow.results.document import EffectPart, ParameterPart, Reading, Results, reading
from dusk_arrow.results.screening import Screening, screen


@dataclass(frozen=True)
class Turn:
    """A change on the way to the model: what it did, why, and whether these data prompted it."""

    words: str
    reason: str | None
    from_data: bool


class Beside(NamedTuple):
    """A model of the project with its name, how it compares with the one that is reported (None: it is that one, or its family
    knows no test), and whether it is that one."""

    name: str
    results: Results
    comparison: Comparison | None = None
    reported: bool = False


@dataclass(frozen=True)
class Material:
    """A results document with the cut-offs in force, what screening says of its columns, the steps
    taken with the data, the changes that led to the model (None
    where nobody recorded them), and the models of the project, the reported one among them."""

    results: Results
    criteria: Sheet = USUAL
    screening: Screening | None = None
    steps: Sequence[str] = ()
    turns: Sequence[Turn] | None = None
    beside: Sequence[Beside] = ()

    @cached_property
    def model(self) -> Model:
        """The model of the document."""
        return read(parse(self.results.model))

    @property
    def labels(self) -> dict[str, str]:
        """The labels of columns."""
        return self.results.data.labels if self.results.data else {}

    @cached_property
    def composite(self) -> bool:
        """Whether constructs are composites of their indicators, so that reliability has rho_A and fit no test."""
        return self.results.fit is None or self.results.fit.chi_square is None

    @property
    def level(self) -> str:
        """The level of intervals: `95 %`."""
        return f"{100 * self.results.settings.level:g} %"

    @property
    def basis(self) -> str:
        """Where intervals and p come from: `bootstrap` or `standard errors`, empty where there are none."""
        if self.results.bootstrap_summary is not None:
            return "the bootstrap"
        return "standard errors" if any(p.se is not None for p in self.results.parameters) else ""

    @property
    def interval(self) -> str:
        """The kind of interval in words."""
        summary = self.results.bootstrap_summary
        if summary is not None:
            kind = INTERVALS[self.results.settings.interval]
            return f"{self.level} {kind} bootstrap interval ({summary.used:,} resamples)"
        return f"{self.level} interval from the standard error" if self.basis else ""

    def standardized(self, part: ParameterPart | EffectPart) -> Reading:
        """An estimate with the interval and error that decide, standardized."""
        return reading(part)

    def in_units(self, part: ParameterPart | EffectPart) -> Reading:
        """The same in units: this interval decides what is said of zero."""
        return reading(part, False)

    @property
    def against(self) -> list[str]:
        """Items that run against their block."""
        found = [p.about[0] for p in self.results.problems if p.code == "runs_against_block" and p.about]
        return list(dict.fromkeys(found))

    @cached_property
    def outcomes(self) -> list[str]:
        """What paths lead to and is explained, without what is explained by definition: common factors that are made of their items."""
        quality = self.results.quality
        made = (
            {c.name for c in quality.constructs if c.mode == "formative"} if quality and not self.composite else set()
        )
        targets = dict.fromkeys(target for _, target in self.model.paths)
        return [name for name in targets if self.results.r_squared.get(name) is not None and name not in made]

    def p_value(self, part: ParameterPart) -> float | None:
        """The p-value beside an estimate: the bootstrap's where one was run."""
        return part.p_value if part.bootstrap is None else part.bootstrap.p_value


def screened(results: Results, source: Source | None) -> Screening | None:
    """What screening says of the columns in use; None where there are no cases."""
    wanted = set(results.sample.variables) if results.sample else set()
    if not isinstance(source, DataSet) or not wanted:
        return None
    columns = tuple(column for column in source.columns if column.name in wanted)
    return screen(replace(source, columns=columns, turned={}, weight=None), 1)[0]


def material(
    results: Results,
    source: Source | None,
    criteria: Sheet = USUAL,
    steps: Sequence[str] = (),
    turns: Sequence[Turn] | None = None,
    beside: Sequence[Beside] = (),
    found: Screening | None = None,
) -> Material:
    """What a report is made of, with the columns in use screened where there are cases and that was not done before. Documents that
    were stored before they had labels get those of the cases."""
    data = results.data
    if isinstance(source, DataSet) and data is not None and not data.labels:
        names = {name for construct in read(parse(results.model)).constructs for name in construct.everything}
        labels = {column.name: column.label for column in source.columns if column.label and column.name in names}
        results = results.model_copy(update={"data": data.model_copy(update={"labels": labels})})
    return Material(results, criteria, found or screened(results, source), steps, turns, beside)
