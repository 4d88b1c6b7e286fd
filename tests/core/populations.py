"""Exact populations: covariance matrices made from known parameters by a route of their own (plain loops, no batch)."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from dusk_arrow.core.covariance.compiled import lay_out
from dusk_arrow.core.covariance.discrepancies.discrepancy import Discrepancy
from dusk_arrow.core.covariance.estimation import Estimation, discrepancy_of, estimate
from dusk_arrow.core.covariance.estimators.registry import ESTIMATORS
from dusk_arrow.core.covariance.parameters import ParameterTable, Scaling, compile_model, free_keys, saturated_table
from dusk_arrow.core.covariance.point import BlockPoint, Point
from dusk_arrow.core.covariance.robust import Errors
from dusk_arrow.core.observations.data import Column, DataSet
from dusk_arrow.core.observations.evidence import Evidence, MatrixEvidence, Samples
from dusk_arrow.core.observations.gathering import gather
from dusk_arrow.core.specification.checking import check
from dusk_arrow.core.specification.model import Model, read
from dusk_arrow.core.specification.sentences import parse


def model_of(text: str) -> Model:
    specification = parse(text)
    problems = [p for p in check(specification) if p.severity == "error"]
    assert problems == []
    return read(specification)


def table_of(text: str, scaling: Scaling = "marker") -> ParameterTable:
    return compile_model(model_of(text), scaling)


def free_words(table: ParameterTable) -> list[str]:
    """The free values of a model, in words."""
    return [key.words for key in free_keys([table])]


@dataclass
class Population:
    table: ParameterTable
    values: dict[str, float]
    covariance: np.ndarray


def population(table: ParameterTable, chosen: dict[str, float]) -> Population:
    """Σ of a model whose parameters (by their words) have chosen values; every parameter must be chosen or fixed."""
    nodes, observed = list(table.nodes), list(table.observed)
    effect = np.zeros((len(nodes), len(nodes)))
    node = np.zeros((len(nodes), len(nodes)))
    loading = np.zeros((len(observed), len(nodes)))
    residual = np.zeros((len(observed), len(observed)))
    for name in observed:
        if name in nodes:
            loading[observed.index(name), nodes.index(name)] = 1.0
    values = {}
    for p in table.parameters:
        value = p.value if p.value is not None else chosen[p.words]
        values[p.words] = value
        if p.kind in ("loading", "path", "weight"):
            if p.target in observed and p.kind == "loading":
                loading[observed.index(p.target), nodes.index(p.source)] = value
            else:
                effect[nodes.index(p.target), nodes.index(p.source)] = value
        elif p.source in nodes and p.target in nodes:
            i, j = nodes.index(p.source), nodes.index(p.target)
            node[i, j] = node[j, i] = value
        else:
            i, j = observed.index(p.source), observed.index(p.target)
            residual[i, j] = residual[j, i] = value
    through = loading @ np.linalg.inv(np.eye(len(nodes)) - effect)
    return Population(table, values, through @ node @ through.T + residual)


def random_population(table: ParameterTable, seed: int) -> Population:
    """A well-behaved population with random parameters."""
    rng = np.random.default_rng(seed)
    chosen = {}
    for p in table.parameters:
        if p.kind == "variance":
            chosen[p.words] = rng.uniform(0.4, 1.2)
        elif p.kind == "covariance":
            chosen[p.words] = rng.uniform(0.05, 0.18)
        elif p.kind == "path":
            chosen[p.words] = rng.uniform(0.15, 0.45)
        else:
            chosen[p.words] = rng.uniform(0.6, 1.3)
    by_index: dict[int, float] = {}
    for p in table.parameters:
        if p.index is not None:
            chosen[p.words] = by_index.setdefault(p.index, chosen[p.words])
    return population(table, chosen)


def matrix_evidence(sample: np.ndarray, n: float) -> Evidence:
    """A covariance matrix that is taken as it is, with χ² = n·F."""
    return MatrixEvidence(sample, None, int(n))


def case_evidence(values: np.ndarray, **how: object) -> Evidence:
    """Cases (n, p) in the model's order, gathered as settings say."""
    names = tuple(f"v{i}" for i in range(values.shape[1]))
    data = DataSet("cases", tuple(Column(name, "number", values[:, i]) for i, name in enumerate(names)))
    return gather(data, names, **how)  # type: ignore[arg-type]


def fit_matrix(table: ParameterTable, sample: np.ndarray, n: float, errors: Errors = "expected") -> Estimation:
    """Maximum likelihood estimates from a matrix."""
    return estimate([table], [matrix_evidence(sample, n)], ESTIMATORS["ml"], errors)


def fit_cases(
    table: ParameterTable, values: np.ndarray, estimator: str = "ml", errors: Errors = "expected", **how: object
) -> Estimation:
    """Estimates from cases (n, p) in the model's order."""
    return estimate([table], [case_evidence(values, **how)], ESTIMATORS[estimator], errors)


def only(found: Estimation) -> BlockPoint:
    """The solution of a model of one block."""
    (block,) = found.point.blocks
    return block


def on_cases(found: Estimation, values: np.ndarray, **how: object) -> Point:
    """The solution of a model held against cases."""
    return replace(found.point, evidence=(case_evidence(values, **how),))


def from_counts(prepared: Any, counts: np.ndarray) -> tuple[Samples, ...]:
    """The resamples of a prepared task in which the cases are drawn so often (b, n)."""
    (cases,) = prepared.task.draws.evidence
    return (cases.resampling()(counts),)


def likelihood_of(sample: np.ndarray) -> Discrepancy:
    """The maximum likelihood discrepancy of one matrix."""
    names = tuple(f"v{i}" for i in range(len(sample)))
    return discrepancy_of(lay_out(saturated(names)), [matrix_evidence(sample, 100)], ESTIMATORS["ml"])


def saturated(names: tuple[str, ...]) -> ParameterTable:
    """Every variance and covariance free, no means."""
    table = saturated_table(names)
    return replace(table, parameters=tuple(p for p in table.parameters if p.matrix != "mean"))


ONLY = np.zeros(1, dtype=np.intp)

THREE = """
A shows in a1, a2, a3
B shows in b1, b2, b3
C shows in c1, c2, c3
A leads to B, C
B leads to C
"""
FORMATIVE = """
A shows in a1, a2, a3
B shows in b1, b2, b3
F is made of f1, f2, f3
A and F lead to B
"""
SECOND_ORDER = """
A shows in a1, a2, a3
B shows in b1, b2, b3
C shows in c1, c2, c3
G shows in A, B, C
D shows in d1, d2, d3
G leads to D
"""
OBSERVED = """
x and w lead to m
m, x and w lead to y
"""
MIXED = """
A shows in a1, a2, a3
A and x lead to m
m and x lead to B
B shows in b1, b2, b3
a1 and b1 covary
"""
EQUAL = """
A shows in a1, a2, a3
B shows in b1, b2, b3
A leads to B
match A > a2, B > b2
hold A > a3 at 0.8
"""
RECIPROCAL = """
A shows in a1, a2, a3
B shows in b1, b2, b3
x leads to A
z leads to B
A leads to B
B leads to A
"""
CROSS = """
A shows in a1, a2, a3, b3
B shows in b1, b2, b3
C shows in c1, c2, c3
A and B lead to C
"""
ALL = {
    "cross-loading": CROSS,
    "three constructs": THREE,
    "formative": FORMATIVE,
    "second order": SECOND_ORDER,
    "observed": OBSERVED,
    "mixed": MIXED,
    "equality and fixed value": EQUAL,
    "reciprocal": RECIPROCAL,
}
