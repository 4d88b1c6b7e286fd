"""Figures that a paper prints against one's own: which digits agree, and which conventions explain those that do not.

A printed figure agrees when the exact one lies within half a unit of its last printed digit. Where some do not, the analysis is made
under every other combination of conventions (settings that change numbers, and readings of one figure: in units instead of
standardized, scaled instead of plain), those with the fewest changes first.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations, product
from time import monotonic
from typing import Protocol

from dusk_arrow.core.assessment.criteria import SHEET
from dusk_arrow.core.family_options import FAMILY_OPTIONS, options_by_name
from dusk_arrow.core.observations.data import DataSet, Source
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.document import ParameterPart, Results
from dusk_arrow.results.settings import Settings

SEARCHED = ("divisor", "estimator", "missing", "errors", "scheme")
READINGS = {
    "unstandardized": "coefficients in units",
    "standardized": "standardized coefficients",
    "scaled": "the scaled test and what follows from it",
    "robust": "robust figures of fit",
    "standardized alpha": "alpha of standardized items",
    "signed": "HTMT from correlations with their signs",
}
PATIENCE = 25.0  # seconds
MOST_LINES = 200
FIT = {
    **{criterion.key: criterion.printed_as for criterion in SHEET if criterion.printed_as},
    "df": ("df", "degrees of freedom"),
    "p_value": ("p of χ²", "p"),
    "log_likelihood": ("log-likelihood", "logL"),
}


@dataclass(frozen=True)
class Printed:
    """A figure as a paper prints it: what stands before the number, the number as it is written, its value, half a unit of its last digit, and
    whether it is only a bound (`< .001`)."""

    label: str
    text: str
    value: float
    half: float
    below: bool

    def agrees(self, exact: float | None) -> bool:
        """Whether an exact figure can be printed so."""
        if exact is None:
            return False
        if self.below:
            return exact < self.value + 1e-12
        return abs(exact - self.value) <= self.half * (1 + 1e-9) + 1e-12


@dataclass(frozen=True)
class Line:
    """A printed figure beside one's own: `figure` in words (None: not known by that name), the exact values as it is and under the conventions
    that explain most."""

    printed: Printed
    figure: str | None
    value: float | None
    agrees: bool
    then: float | None
    agrees_then: bool


@dataclass(frozen=True)
class Reconciliation:
    """All lines; the changes that explain the gaps, in words (empty where there is none to explain), whether they explain all of them, and how
    many combinations of conventions were tried of how many."""

    lines: tuple[Line, ...]
    changes: tuple[str, ...]
    explained: bool
    tried: int
    of: int


TAIL = 60  # letters at the end of a line that its number is looked for in
NUMBER = re.compile(
    r"^(?P<label>.{0,60}?)[\s=:;,]*(?P<below>[<≤]\s*)?(?P<number>[-−–]?(?:\d+(?:[.,]\d+)?|[.,]\d+))\s*\*{0,3}$"
)


def read_printed(text: str) -> list[Printed]:
    """Lines such as `CFI = .986`, `Training → Efficacy 0.43***`, `p < .001`. Lines without a number at their end are passed over."""
    found = []
    for raw in text.splitlines()[:MOST_LINES]:
        line = raw.strip().replace("\t", " ")
        match = NUMBER.match(line[-TAIL:])
        label = "" if match is None else f"{line[:-TAIL]}{match['label']}".strip()
        if match is None or not label:
            continue
        written = match["number"]
        digits = re.sub(r"^[-−–]", "-", written).replace(",", ".")
        decimals = len(digits.partition(".")[2])
        found.append(Printed(label, written, float(digits), 0.5 * 10.0**-decimals, match["below"] is not None))
    return found


def _plain(label: str) -> str:
    """A label in which what people write differently is the same."""
    text = (
        label.casefold()
        .replace("->", "→")
        .replace("–>", "→")
        .replace(">", "→")
        .replace("r-squared", "r²")
        .replace("r2", "r²")
        .replace("β", " ")
    )
    text = re.sub(r"\b(beta|path|from|the|of|value|estimate)\b", " ", text)
    return re.sub(r"[\s_.:=()]+", " ", text).strip()


@dataclass(frozen=True)
class Known:
    """A figure of one's own in words, with its value and what it is under other readings."""

    words: str
    value: float | None
    others: dict[str, float | None]


def catalogue(results: Results) -> dict[str, Known]:
    """Every figure that a paper prints, by the labels that it may have."""
    found: dict[str, Known] = {}

    def add(labels: Sequence[str], value: float | None, **others: float | None) -> None:
        known = Known(
            labels[0], value, {key.replace("_", " "): other for key, other in others.items() if other is not None}
        )
        for label in labels:
            found.setdefault(_plain(label), known)

    fit = results.fit
    if fit is not None:
        scaled = fit.scaled
        for key, labels in FIT.items():
            others = {}
            if scaled is not None and key in ("chi_square", "p_value", "cfi", "tli", "rmsea"):
                others["scaled"] = getattr(scaled, key)
                if key in ("cfi", "tli", "rmsea"):
                    others["robust"] = getattr(scaled, f"robust_{key}")
            add(labels, getattr(fit, key), **others)
    if results.data is not None:
        add(("n", "cases", "sample size"), float(results.data.n_used))
    for p in results.parameters:
        _add_parameter(add, p)
    for e in results.effects:
        if e.kind == "specific indirect":
            add((" → ".join([e.from_, *(e.via or []), e.to]),), e.standardized, unstandardized=e.estimate)
        elif e.kind in ("total", "total indirect"):
            add((f"{e.kind} {e.from_} → {e.to}",), e.standardized, unstandardized=e.estimate)
    for name, share in results.r_squared.items():
        add((f"R² {name}", f"{name} R²"), share)
    if results.quality is not None:
        for c in results.quality.constructs:
            add(
                (f"alpha {c.name}", f"Cronbach's alpha {c.name}", f"{c.name} alpha", f"α {c.name}"),
                c.alpha,
                standardized_alpha=c.alpha_standardized,
            )
            add((f"composite reliability {c.name}", f"CR {c.name}", f"{c.name} CR"), c.composite_reliability)
            add((f"AVE {c.name}", f"{c.name} AVE"), c.ave)
            add((f"rho_A {c.name}",), c.rho_a)
        for pair in results.quality.htmt:
            for a, b in ((pair.a, pair.b), (pair.b, pair.a)):
                add(
                    (f"HTMT {a} {b}", f"HTMT {a} → {b}", f"HTMT {a} – {b}", f"HTMT {a} and {b}"),
                    pair.value,
                    signed=pair.signed,
                )
    return found


class _Add(Protocol):
    """Notes a figure under its labels."""

    def __call__(self, labels: Sequence[str], value: float | None, **others: float | None) -> None: ...


def _add_parameter(put: _Add, p: ParameterPart) -> None:
    if p.kind in ("path", "loading", "weight"):
        arrow = f"{p.from_} → {p.to}"
        put(
            (arrow, f"{p.kind} {arrow}", *([p.to] if p.kind == "loading" else [])),
            p.standardized,
            unstandardized=p.estimate,
        )
        put((f"SE {arrow}",), p.se, standardized=p.standardized_se)
        put((f"z {arrow}", f"t {arrow}"), p.z)
        put((f"p {arrow}",), p.p_value)
        put((f"b {arrow}",), p.estimate, standardized=p.standardized)
    elif p.kind == "covariance":
        put(
            (f"r {p.from_} {p.to}", f"{p.from_} with {p.to}", f"{p.from_} & {p.to}", f"{p.from_} ↔ {p.to}"),
            p.standardized,
            unstandardized=p.estimate,
        )


def conventions(settings: Settings, source: Source) -> list[tuple[tuple[str, str], ...]]:
    """Every combination of other settings, those that change least first; the first is none."""
    family = next(one for one in FAMILY_OPTIONS if one.key == settings.family)
    choices: list[list[tuple[str, str] | None]] = []
    for option in family.options:
        if option.name not in SEARCHED or (not isinstance(source, DataSet) and option.name in ("missing", "errors")):
            continue
        own = getattr(settings, option.name)
        choices.append(
            [
                None,
                *((option.name, choice.value) for choice in option.choices if choice.value not in (own, "bootstrap")),
            ]
        )
    every = [tuple(one for one in found if one is not None) for found in product(*choices)]
    return sorted(every, key=len)


def _readings(known: Sequence[Known | None]) -> Iterator[tuple[str, ...]]:
    """Subsets of the readings that figures have, the smaller first; not both of one kind."""
    there = [key for key in READINGS if any(one is not None and key in one.others for one in known)]
    for count in range(len(there) + 1):
        for chosen in combinations(there, count):
            if not {"scaled", "robust"} <= set(chosen):
                yield chosen


def _read_as(known: Known | None, readings: Sequence[str]) -> float | None:
    if known is None:
        return None
    return next((known.others[key] for key in readings if key in known.others), known.value)


def _worded(changes: Sequence[tuple[str, str]], readings: Sequence[str]) -> tuple[str, ...]:
    options = options_by_name()
    said = [f"{options[name].label.lower()}: {options[name].words(value)}" for name, value in changes]
    return (*said, *(READINGS[key] for key in readings))


def reconcile(text: str, results: Results, source: Source) -> Reconciliation:
    """Printed figures against a document, and the smallest change of conventions that explains all gaps, or the most of them."""
    printed = read_printed(text)
    settings = results.settings.without_bootstrap()
    own = catalogue(results)
    labels = [_plain(one.label) for one in printed]
    before = [own.get(label) for label in labels]
    every = conventions(settings, source)
    wanted = [i for i, known in enumerate(before) if known is not None]
    best: tuple[int, int] = (-1, 0)
    chosen: tuple[tuple[str, ...], list[float | None]] = ((), [])
    tried, began = 0, monotonic()
    for changes in every:
        if best[0] == len(wanted) and len(changes) >= -best[1]:
            break  # nothing smaller can come
        if tried and monotonic() - began > PATIENCE:
            break
        tried += 1
        after = before if not changes else _under(changes, settings, results.model, source, labels)
        if after is None:
            continue
        for readings in _readings(after):
            values = [_read_as(known, readings) for known in after]
            agreeing = sum(printed[i].agrees(values[i]) for i in wanted)
            score = (agreeing, -(len(changes) + len(readings)))
            if score > best:
                best, chosen = score, (_worded(changes, readings), values)
    words, then = chosen if wanted else ((), [None] * len(printed))
    lines = tuple(
        Line(
            one, None if known is None else known.words, None if known is None else known.value,
            known is not None and one.agrees(known.value), later, known is not None and one.agrees(later),
        )
        for one, known, later in zip(printed, before, then, strict=True)
    )  # fmt: skip
    return Reconciliation(lines, words, bool(wanted) and best[0] == len(wanted), tried, len(every))


def _under(
    changes: Sequence[tuple[str, str]], settings: Settings, model: str, source: Source, labels: Sequence[str]
) -> list[Known | None] | None:
    """The figures under other settings; None where the model cannot be estimated so."""
    try:
        values = settings.model_dump() | dict(changes)
        said = {name for name, _ in changes}
        if values["missing"] == "full-information" and "missing" in said and "errors" not in said:
            values["errors"] = None  # incomplete cases have their own default
        other = Settings.model_validate(values)
    except ValueError:
        return None
    results = assemble(analyse(parse(model), source, other))
    if not results.converged:
        return None
    found = catalogue(results)
    return [found.get(label) for label in labels]
