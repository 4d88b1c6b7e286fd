"""Made-up studies in which a report can say something that is not so."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import cache
from typing import Any

import numpy as np

from dusk_arrow.core.assessment.criteria import Preset, sheet
from dusk_arrow.core.observations.data import Column, DataSet, Moments
from dusk_arrow.core.observations.steps import HoldOut, HoldOutHalf, KeepCases, Step
from dusk_arrow.core.observations.taking_steps import apply_steps, removals
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.report.material import Cases, Material, Turn, material
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.holdout import opened
from dusk_arrow.results.settings import Settings

N = 160


def of(columns: dict[str, Any]) -> DataSet:
    return DataSet("made up", tuple(Column(name, "number", np.asarray(v, dtype=float)) for name, v in columns.items()))


def chain(a: float, b: float, c: float, seed: int = 1, n: int = N) -> DataSet:
    """x leads to m by a, m to y by b, x to y by c."""
    rng = np.random.default_rng(seed)
    x, age = rng.normal(size=n), rng.normal(size=n)
    m = a * x + rng.normal(size=n)
    y = b * m + c * x + rng.normal(size=n)
    return of({"x": x, "m": m, "y": y, "age": age, "town": np.arange(n) % 2})


def opposed(seed: int = 4) -> DataSet:
    """One route up, one down."""
    rng = np.random.default_rng(seed)
    x = rng.normal(size=N)
    m, k = 0.6 * x + rng.normal(size=N), 0.6 * x + rng.normal(size=N)
    return of({"x": x, "m": m, "k": k, "y": 0.6 * m - 0.6 * k + rng.normal(size=N)})


def survey(seed: int = 2, n: int = N, loading: float = 0.8, gaps: float = 0.0) -> DataSet:
    """Three constructs of three items each."""
    rng = np.random.default_rng(seed)
    a = rng.normal(size=n)
    b = 0.5 * a + np.sqrt(0.75) * rng.normal(size=n)
    c = 0.5 * b + 0.1 * a + 0.8 * rng.normal(size=n)
    columns = {}
    for name, own in (("a", a), ("b", b), ("c", c)):
        for i in (1, 2, 3):
            values = loading * own + np.sqrt(1 - loading**2) * rng.normal(size=n)
            columns[f"{name}{i}"] = np.where(rng.random(n) < gaps, np.nan, values)
    return of(columns | {"age": rng.normal(size=n)})


ABC = "A shows in a1, a2, a3\nB shows in b1, b2, b3\nC shows in c1, c2, c3\n"
PATHS = ABC + "A leads to B\nB leads to C\nA leads to C\n"
MEDIATION = "x leads to m, y\nm leads to y\n"


def hair(above: bool) -> DataSet:
    """A direct effect whose interval begins within a hair of zero."""
    for seed in range(400):
        data = chain(0.5, 0.5, 0.16 if above else 0.15, seed)
        path = next(
            p for p in assemble(analyse(parse(MEDIATION), data, Settings())).parameters if (p.from_, p.to) == ("x", "y")
        )
        low = path.standardized_interval[0]  # type: ignore[index]
        if round(low, 2) == 0 and (low > 0) == above:
            return data
    raise AssertionError


def moments(data: DataSet, names: tuple[str, ...], correlations: bool = False) -> Moments:
    values = data.matrix(names)
    matrix = np.corrcoef(values.T) if correlations else np.cov(values.T)
    return Moments("printed", names, matrix, data.n, 1, None, correlations)


def growth(seed: int = 3) -> DataSet:
    rng = np.random.default_rng(seed)
    level, slope, z = 2 + rng.normal(size=N), 0.5 + 0.3 * rng.normal(size=N), rng.normal(size=N)
    return of({f"y{t + 1}": level + t * slope + 0.4 * rng.normal(size=N) for t in range(4)} | {"z": z})


GROWTH = (
    "Level shows in y1..y4\nSlope shows in y1..y4\n"
    + "".join(
        f"hold Level > y{t + 1} at 1\nhold Slope > y{t + 1} at {t}\nhold intercept of y{t + 1} at 0\n" for t in range(4)
    )
    + "release intercept of Level\nrelease intercept of Slope\n"
)


def circle(seed: int = 6) -> DataSet:
    rng = np.random.default_rng(seed)
    x, z = rng.normal(size=N), rng.normal(size=N)
    e = rng.normal(size=(N, 2))
    both = np.linalg.solve(
        np.array([[1, -0.4], [-0.3, 1]]), np.column_stack([0.6 * x + e[:, 0], 0.6 * z + e[:, 1]]).T
    ).T
    return of({"x": x, "z": z, "u": both[:, 0], "v": both[:, 1], "w": 0.5 * both[:, 1] + rng.normal(size=N)})


def heywood() -> Moments:
    names = ("a1", "a2", "a3", "b1", "b2", "b3")
    sizes = {
        ("a1", "a2"): 0.8,
        ("a1", "a3"): 0.75,
        ("a2", "a3"): 0.35,
        ("b1", "b2"): 0.4,
        ("b1", "b3"): 0.4,
        ("b2", "b3"): 0.4,
    }
    matrix = [[1.0 if a == b else sizes.get((min(a, b), max(a, b)), 0.2) for b in names] for a in names]
    return Moments("impossible", names, np.array(matrix), 200)


def about(
    text: str,
    data: DataSet | Moments,
    preset: Preset = "usual",
    steps: tuple[Step, ...] = (),
    turns: list[Turn] | None = None,
    **settings: Any,
) -> Material:
    """The material of a study, as server and command line put it together."""
    imported, source = data, data
    if isinstance(data, DataSet):
        source = apply_steps(data, list(steps))[0]
    results = assemble(analyse(parse(text), source, Settings.model_validate(settings)))
    assert results.converged, [p.message for p in results.problems]
    cases = halves = None
    if isinstance(imported, DataSet):
        cases, halves = Cases(imported.n, removals(imported, list(steps))), opened(results, imported, list(steps))
    return material(results, source, sheet(preset), turns=turns, cases=cases, holdout=halves)


BOOT = {"bootstrap": 200, "seed": 3}
HALF = HoldOutHalf(tuple(survey().names[:9]), 5, opened=True)
SITUATIONS: dict[str, Callable[[], Material]] = {
    **{
        f"signs {a:+g} {b:+g} {c:+g}": (lambda a=a, b=b, c=c: about(MEDIATION, chain(a, b, c), **BOOT))  # type: ignore[misc]
        for a in (0.5, -0.5) for b in (0.5, -0.5) for c in (0.4, -0.4)
    },
    "no direct effect": lambda: about(MEDIATION, chain(0.5, 0.5, 0.0), **BOOT),
    "direct effect only": lambda: about(MEDIATION, chain(0.0, 0.5, 0.5), **BOOT),
    "nothing at all": lambda: about(MEDIATION, chain(0.0, 0.0, 0.0), **BOOT),
    "a hair above zero": lambda: about(MEDIATION, hair(True)),
    "a hair below zero": lambda: about(MEDIATION, hair(False)),
    "a hair above zero, hypothesis": lambda: about(MEDIATION + "expect x > y positive as H1\nexpect x > m > y nonzero", hair(True)),
    "opposed routes": lambda: about("x leads to m, k, y\nm, k lead to y\nexpect x > m > y positive as H1", opposed(), **BOOT),
    "missing direct path": lambda: about("x leads to m\nm leads to y\n", chain(0.5, 0.5, 0.0), **BOOT),
    "missing direct path, no bootstrap": lambda: about("x leads to m\nm leads to y\nexpect x > m > y positive as H2", chain(0.5, 0.5, 0)),
    "held direct path": lambda: about(MEDIATION + "hold x > y at 0.3\n", chain(0.5, 0.5, 0.3), **BOOT),
    "impossible": lambda: about("A shows in a1, a2, a3\nB shows in b1, b2, b3\nA leads to B\nexpect A > B positive as H1", heywood()),
    "saturated": lambda: about(MEDIATION, chain(0.5, 0.5, 0.3)),
    "saturated, one construct": lambda: about("A shows in a1, a2, a3", survey()),
    "survey": lambda: about(PATHS, survey(), **BOOT),
    "survey, no bootstrap": lambda: about(PATHS, survey()),
    "survey, sandwich": lambda: about(PATHS, survey(), errors="sandwich"),
    "survey, scaled": lambda: about(PATHS, survey(), errors="satorra-bentler"),
    "survey, strict": lambda: about(PATHS, survey(loading=0.65), "strict", **BOOT),
    "survey, exploratory": lambda: about(PATHS, survey(loading=0.6), "exploratory", **BOOT),
    "weak items": lambda: about(PATHS, survey(loading=0.45)),
    "bias-corrected": lambda: about(PATHS, survey(), interval="bias-corrected", **BOOT),
    "bca": lambda: about(PATHS, survey(n=80), interval="bca", **BOOT),
    "level .90": lambda: about(PATHS + "expect A > B > C positive as H1", survey(), level=0.9, **BOOT),
    "few resamples": lambda: about(MEDIATION + "expect x > m > y positive as H1", chain(0.5, 0.5, 0.2), bootstrap=31, seed=1),
    "transformed": lambda: about(PATHS, survey(), bollen_stine=True, **BOOT),
    "composites": lambda: about(PATHS, survey(), estimator="plsc", **BOOT),
    "composites, plain": lambda: about(PATHS, survey(), estimator="pls", **BOOT),
    "composites, no bootstrap": lambda: about(PATHS + "expect A > B positive as H1", survey(), estimator="plsc"),
    "composites that miss": lambda: about("A shows in a1, a2, b1\nB shows in b2, b3, c1\nA leads to B", survey(), estimator="pls", **BOOT),
    "half": lambda: about(PATHS, survey(gaps=0.03), steps=(HALF,), turns=[Turn("B leads to C", "theory", True)]),
    "cases left out": lambda: about(
        PATHS, replace(survey(gaps=0.02), name="made up"), steps=(HoldOut((3, 4), "they gave up"), KeepCases("age > -2")),
        turns=[Turn("A leads to C", None, False)],
    ),
    "second order": lambda: about(ABC + "Whole shows in A, B, C\n", survey()),
    "matrix": lambda: about(PATHS + "expect A > B > C positive as H1", moments(survey(), survey().names[:9])),
    "correlations": lambda: about(MEDIATION, moments(chain(0.5, 0.5, 0.2), ("x", "m", "y"), True)),
    "matrix of composites": lambda: about(PATHS, moments(survey(), survey().names[:9]), estimator="plsc"),
    "growth": lambda: about(GROWTH, growth()),
    "growth with a predictor": lambda: about(GROWTH + "z leads to Level, Slope\nLevel and Slope covary\n", growth()),
    "controls": lambda: about(PATHS + "control age", survey(), **BOOT),
    "controls that count": lambda: about("x leads to y\ncontrol m, age for y", chain(0.5, 0.5, 0.4)),
    "equal and covarying": lambda: about(PATHS + "match A > a2, A > a3\na1 and b1 covary\nhold B > b2 at 1\n", survey()),
    "circle": lambda: about("x leads to u\nz leads to v\nu leads to v\nv leads to u, w\nz and x covary", circle(), **BOOT),
    "full information": lambda: about(PATHS, survey(gaps=0.05), missing="full-information"),
    "nothing missing": lambda: about(PATHS, survey(), missing="full-information"),
    "filled": lambda: about(PATHS, survey(gaps=0.05), missing="mean"),
    "pairwise": lambda: about(PATHS, survey(gaps=0.05), estimator="plsc", missing="pairwise", **BOOT),
    "formative": lambda: about("A is made of a1, a2, a3\nB shows in b1, b2, b3\nC shows in c1, c2, c3\nA leads to B, C\nB leads to C", survey(), **BOOT),
    "set aside": lambda: about(PATHS + 'set aside a3 from A because "asks two things"', survey(), turns=[Turn("a3 set aside from A", None, True)]),
    "many paths": lambda: about("x leads to m, y, town\nm leads to y, town\nage leads to x, m, y, town\ny leads to town", chain(0.5, 0.5, 0.3)),
}  # fmt: skip


@cache
def situation(name: str) -> Material:
    """The material of a situation, made once."""
    return SITUATIONS[name]()
