"""The models whose documents are kept: every estimator, missing answers, means, second order, loops, a matrix."""

from __future__ import annotations

import gzip
import json
from pathlib import Path
from typing import Any

import numpy as np

from dusk_arrow.core.observations.data import Column, DataSet, Moments, Source
from dusk_arrow.core.observations.moments import covariance
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.settings import Settings

FOLDER = Path(__file__).parent / "golden"
TWO = "A shows in a1..a3\nB shows in b1..b3\n"
THREE = TWO + "C shows in c1..c3\nA leads to B, C\nB leads to C"
MEDIATED = TWO + "x leads to A\nA and x lead to B\ncall x > A first\ncall A > B second\ntrack both = first * second / 2"


def cases() -> DataSet:
    """400 made-up cases: three constructs with three coarse, skewed items each, two other variables, no gaps."""
    rng = np.random.default_rng(2026)
    n = 400
    x, z = rng.normal(size=n), rng.exponential(size=n)
    a = 0.5 * x + rng.normal(size=n)
    b = 0.4 * a + 0.2 * x + 0.3 * z + rng.normal(size=n)
    c = 0.3 * a + 0.4 * b + rng.normal(size=n)
    columns = {"x": np.round(x, 6), "z": np.round(z, 6)}
    for name, values in (("a", a), ("b", b), ("c", c)):
        for i, loading in enumerate((1.0, 0.8, 0.6), 1):
            columns[f"{name}{i}"] = np.round(2 * np.exp(0.2 * (loading * values + 0.7 * rng.normal(size=n))), 1)
    return DataSet("made up", tuple(Column(name, "number", values) for name, values in columns.items()))


def with_gaps() -> DataSet:
    """The same cases with every ninth answer of some items missing, in a few patterns."""
    data = cases()
    columns = []
    for at, column in enumerate(data.columns):
        values = np.array(column.numbers)
        if at > 3:
            values[(np.arange(values.size) + 3 * (at % 3)) % 9 == 0] = np.nan
        columns.append(Column(column.name, "number", values))
    return DataSet("made up with gaps", tuple(columns))


def matrix(means: bool) -> Moments:
    """The covariances of the cases, as a matrix from elsewhere."""
    data = cases()
    values = data.matrix(data.names)
    spread, centre = np.round(covariance(values, len(values) - 1), 8), np.round(values.mean(axis=0), 8)
    return Moments("made up", data.names, spread, 400, 1, centre if means else None)


def _cases() -> dict[str, tuple[str, Source, dict[str, Any]]]:
    whole, gaps = cases(), with_gaps()
    loop = TWO + "x leads to A\nz leads to B\nA leads to B\nB leads to A"
    second = THREE.split("A leads")[0] + "G shows in A, B, C\nx leads to G"
    growth = "Level shows in c1..c3\nhold Level > c1 at 1\nhold Level > c2 at 1\nhold Level > c3 at 1\nhold intercept of c1 at 0"
    return {
        "ml bootstrapped": (MEDIATED, whole, {"bootstrap": 200}),
        "ml bca and transformed": (MEDIATED, whole, {"bootstrap": 200, "interval": "bca", "bollen_stine": True}),
        "gls": (THREE, whole, {"estimator": "gls", "bootstrap": 100, "divisor": "n-1"}),
        "uls": (THREE, whole, {"estimator": "uls", "bootstrap": 100}),
        "uls sandwich": (THREE, whole, {"estimator": "uls", "errors": "sandwich"}),
        "adf": (TWO + "A leads to B", whole, {"estimator": "adf", "bootstrap": 30}),
        "sandwich": (THREE, whole, {"errors": "sandwich"}),
        "scaled": (THREE, whole, {"errors": "satorra-bentler", "means": True}),
        "observed": (MEDIATED, whole, {"errors": "observed", "scaling": "unit-variance"}),
        "incomplete": (THREE, gaps, {"missing": "full-information", "bootstrap": 30}),
        "incomplete sandwich": (TWO + "A leads to B", gaps, {"missing": "full-information", "errors": "sandwich"}),
        "listwise": (THREE, gaps, {}),
        "filled": (THREE, gaps, {"missing": "mean", "bootstrap": 60}),
        "means": (growth, whole, {"means": True, "bootstrap": 60}),
        "means by gls": (THREE, whole, {"estimator": "gls", "means": True}),
        "second order": (second, whole, {"bootstrap": 60}),
        "loop": (loop, whole, {}),
        "matrix": (THREE, matrix(False), {}),
        "matrix with means": (THREE, matrix(True), {"means": True, "divisor": "n-1"}),
        "formative": ("F is made of x, z, c1\nB shows in b1..b3\nF leads to B", whole, {"bootstrap": 60}),
        "equalities": (THREE + "\nmatch A > a2, B > b2, C > c2\na1 and b1 covary", whole, {}),
        "composites": (MEDIATED, whole, {"family": "composite", "bootstrap": 60}),
        "composites plain": (
            THREE,
            whole,
            {"estimator": "pls", "scheme": "factorial", "bootstrap": 60, "interval": "bca"},
        ),
        "composites in two stages": (second.replace("x leads to G", "G leads to x"), whole, {"estimator": "plsc"}),
        "composites pairwise": (THREE, gaps, {"estimator": "plsc", "missing": "pairwise"}),
        "saturated": ("x leads to z", whole, {"bootstrap": 60}),
        "refused": (TWO + "A leads to B", whole, {"missing": "full-information", "estimator": "gls"}),
        "not identified": ("A shows in a1, a2", whole, {}),
    }


CASES = _cases()


def document(name: str) -> dict[str, Any]:
    """The document of one of the cases, computed now."""
    text, source, settings = CASES[name]
    found: dict[str, Any] = json.loads(assemble(analyse(parse(text), source, Settings(**settings))).model_dump_json())
    return found


def kept(name: str) -> dict[str, Any]:
    """The document as it was kept."""
    found: dict[str, Any] = json.loads(gzip.decompress((FOLDER / f"{name.replace(' ', '_')}.json.gz").read_bytes()))
    return found


def keep(name: str) -> None:
    """Keeps the document as it is now; only where a figure changes on purpose."""
    FOLDER.mkdir(exist_ok=True)
    text = json.dumps(document(name)).encode()
    (FOLDER / f"{name.replace(' ', '_')}.json.gz").write_bytes(gzip.compress(text, 9, mtime=0))
