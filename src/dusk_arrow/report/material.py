"""What a report is made of: the results document, and what is known around it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import NamedTuple

from dusk_arrow.core.assessment.comparing import Comparison
from dusk_arrow.core.assessment.criteria import USUAL, Sheet, listed_in
from dusk_arrow.core.effects.routes import leading_to
from dusk_arrow.core.families import FAMILIES
from dusk_arrow.core.observations.data import DataSet, Source
from dusk_arrow.core.observations.taking_steps import Removal
from dusk_arrow.core.run_options import INTERVAL
from dusk_arrow.core.specification.model import Model, read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.statements import Arrow
from dusk_arrow.report.cells import Number
from dusk_arrow.results.document import EffectPart, HoldoutPart, ParameterPart, Reading, Results, reading
from dusk_arrow.results.screening import Screening, dichotomous, screen

ERRORS = {
    "expected": "standard error (expected information)",
    "observed": "standard error (observed information)",
    "sandwich": "robust standard error (sandwich)",
    "satorra-bentler": "robust standard error (Satorra–Bentler)",
}


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
class Cases:
    """The cases of the file: how many there are, and what the steps left out, in order."""

    in_file: int
    removals: Sequence[Removal] = ()


@dataclass(frozen=True)
class Material:
    """A results document with the cut-offs in force, what screening says of its columns, the steps
    taken with the data, the changes that led to the model (None
    where nobody recorded them), and the models of the project, the reported one among them.

    `cases` are those of the file (None of a matrix), `holdout` both halves where one was held out and opened. The report that is
    made of it says which `pairs` it was asked about, the `numbers` of its tables and figures by key, and whether n stands in the
    statement of χ²."""

    results: Results
    criteria: Sheet = USUAL
    screening: Screening | None = None
    steps: Sequence[str] = ()
    turns: Sequence[Turn] | None = None
    beside: Sequence[Beside] = ()
    cases: Cases | None = None
    holdout: HoldoutPart | None = None
    pairs: Sequence[tuple[str, str]] = ()
    numbers: Mapping[str, str] = field(default_factory=dict)
    n_in_chi_square: bool = True

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
    def tabled(self) -> tuple[str, ...]:
        """The statistics of fit that the family has and a table gives, by key."""
        return tuple(key for key in listed_in("table") if key in FAMILIES[self.results.family].statistics_of_fit)

    @property
    def level(self) -> str:
        """The level of intervals: `95 %`."""
        return f"{100 * self.results.settings.level:g} %"

    @property
    def basis(self) -> str:
        """Where errors, p and intervals come from, in words; empty where there are none."""
        results = self.results
        if results.bootstrap_summary is not None:
            return "the bootstrap"
        if not any(p.se is not None for p in results.parameters):
            return ""
        return ERRORS[results.settings.analytic_errors]

    @property
    def interval(self) -> str:
        """The kind of interval in words."""
        summary = self.results.bootstrap_summary
        if summary is not None:
            kind = INTERVAL.words(self.results.settings.interval)
            return f"{self.level} {kind} bootstrap interval ({summary.used:,} resamples)"
        return f"{self.level} interval from the {self.basis}" if self.basis else ""

    @property
    def scaled_name(self) -> str:
        """Which scaled test there is."""
        return {"sandwich": "Yuan–Bentler scaled", "satorra-bentler": "Satorra–Bentler scaled"}.get(
            self.results.settings.analytic_errors, "scaled"
        )

    @property
    def sound(self) -> bool:
        """Whether the solution is possible, so that anything may be said of it."""
        return self.results.admissible is not False

    @cached_property
    def circular(self) -> bool:
        """Whether paths run in a circle, so that totals are more than the sum of routes."""
        paths = self.model.paths
        return any(target in leading_to(paths, source) for source, target in paths)

    @cached_property
    def held(self) -> frozenset[tuple[str, str]]:
        """Loadings and paths that a sentence holds at a value, by their ends."""
        return frozenset((t.source, t.target) for t in self.model.fixed if isinstance(t, Arrow))

    @property
    def growth(self) -> frozenset[str]:
        """Constructs all of whose loadings are held: levels and slopes, which are not measured by how well their items show them."""
        return frozenset(c.name for c in self.model.constructs if c.all_held(self.model.fixed))

    @property
    def noun(self) -> str:
        """What paths connect: constructs where there are any, else variables."""
        return "construct" if self.model.constructs else "variable"

    def see(self, *keys: str) -> str:
        """A reference to tables and figures of the report that it is in: ` (Table 3)`, empty where there are none."""
        found = [self.numbers[key] for key in keys if key in self.numbers]
        return f" ({', '.join(found)})" if found else ""

    def standardized(self, part: ParameterPart | EffectPart) -> Reading:
        """An estimate with the interval, error and p that decide, standardized: this is what is printed and judged."""
        return reading(part)

    def in_units(self, part: ParameterPart | EffectPart) -> Reading:
        """The same in units."""
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

    def printed_p(self, found: Reading) -> Number:
        """The p of an estimate for a cell: of so many resamples it is no smaller than they can tell."""
        return Number(found.p_value, "p", resamples=None if found.boot is None else found.boot.n_used)


def screened(results: Results, source: Source | None) -> Screening | None:
    """What screening says of the columns in use; None where there are no cases."""
    wanted = set(results.sample.variables) if results.sample else set()
    if not isinstance(source, DataSet) or not wanted:
        return None
    columns = tuple(column for column in source.columns if column.name in wanted)
    model = read(parse(results.model))
    given = set(model.observed) - {target for _, target in model.paths}
    given |= {column.name for column in columns if dichotomous(column)}
    return screen(replace(source, columns=columns, turned={}, weight=None), 1, given)[0]


def material(
    results: Results,
    source: Source | None,
    criteria: Sheet = USUAL,
    steps: Sequence[str] = (),
    turns: Sequence[Turn] | None = None,
    beside: Sequence[Beside] = (),
    found: Screening | None = None,
    cases: Cases | None = None,
    holdout: HoldoutPart | None = None,
) -> Material:
    """What a report is made of, with the columns in use screened where there are cases and that was not done before. Documents that
    were stored before they had labels get those of the cases."""
    data = results.data
    if isinstance(source, DataSet) and data is not None and not data.labels:
        names = {name for construct in read(parse(results.model)).constructs for name in construct.everything}
        labels = {column.name: column.label for column in source.columns if column.label and column.name in names}
        results = results.model_copy(update={"data": data.model_copy(update={"labels": labels})})
    return Material(results, criteria, found or screened(results, source), steps, turns, beside, cases, holdout)
