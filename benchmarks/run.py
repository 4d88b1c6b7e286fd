"""How fast the computing is, as ratios within one run: `python benchmarks/run.py`.

Plain loop: redraw rows, then one SciPy BFGS fit per resample with the analytic gradient from a warm start.
Floor: drawing, all covariances and one gradient per resample. Cold fit: against BFGS with numerical gradients.
"""

from __future__ import annotations

import os

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import sys
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from scipy.optimize import minimize

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT / "src"), str(ROOT)]

import itertools

from dusk_arrow.core.covariance.bootstrapping import BootstrapTask, prepare, run_chunk
from dusk_arrow.core.covariance.compiled import lay_out
from dusk_arrow.core.covariance.discrepancies.likelihood import normal_likelihood
from dusk_arrow.core.covariance.estimation import discrepancy_of, estimate
from dusk_arrow.core.covariance.estimators.registry import ESTIMATORS
from dusk_arrow.core.covariance.parameters import compile_model
from dusk_arrow.core.covariance.solver import solve
from dusk_arrow.core.covariance.starting import starting_values
from dusk_arrow.core.covariance.statistics import Inquiry
from dusk_arrow.core.observations.moments import covariance, prepare_products, resample_covariances
from dusk_arrow.core.resampling.draws import FromCases, chunks_of, counts_with_replacement
from tests.core.populations import case_evidence, model_of, random_population, table_of


def chain(constructs: int, items: int) -> str:
    names = [f"C{i}" for i in range(constructs)]
    lines = [f"{name} shows in " + ", ".join(f"{name.lower()}_{j}" for j in range(items)) for name in names]
    return "\n".join(lines + [f"{a} leads to {b}" for a, b in itertools.pairwise(names)])


def seconds(work: Callable[[], object], repeats: int = 3) -> float:
    return float(alternately(work, rounds=repeats).min())


def alternately(*works: Callable[[], object], rounds: int = 9) -> np.ndarray:
    """Times (rounds, works) of all, one after the other in every round: a machine that changes its speed changes it for all."""
    times = np.empty((rounds, len(works)))
    for own in times:
        for at, work in enumerate(works):
            begun = time.perf_counter()
            work()
            own[at] = time.perf_counter() - begun
    return times


def ratio(times: np.ndarray, of: np.ndarray) -> float:
    """How many times as long the one took as the other, in the round in the middle."""
    return float(np.median(times / of))


def measure(title: str, text: str, n: int) -> None:
    table = table_of(text)
    truth = random_population(table, 1)
    rng = np.random.default_rng(0)
    values = rng.multivariate_normal(np.zeros(len(truth.covariance)), truth.covariance, n)
    sample = covariance(values)
    model = lay_out(table)
    likelihood, _ = normal_likelihood(sample[None])
    only = np.zeros(1, dtype=np.intp)

    def objective(theta: np.ndarray, of: object) -> tuple[float, np.ndarray]:
        value, gradient = of.evaluate(model, theta[None], only)  # type: ignore[attr-defined]
        return (float(value[0]), gradient[0]) if np.isfinite(value[0]) else (1e10, np.zeros_like(theta))

    evidence = case_evidence(values)
    start = starting_values(model, [evidence])
    cold = seconds(lambda: solve(model, likelihood, starting_values(model, [evidence])), 9)
    numerical = seconds(lambda: minimize(lambda t: objective(t, likelihood)[0], start, method="BFGS"), 1)
    found = estimate([table], [evidence], ESTIMATORS["ml"])
    prepared = prepare(BootstrapTask((Inquiry(found.model, (), (), ()),), found, FromCases((evidence,))))
    chunks = chunks_of(512, 1)
    products = prepare_products(values)

    def floor() -> None:
        for chunk in chunks:
            samples = resample_covariances(products, counts_with_replacement(chunk, [n])[0])
            many, _ = normal_likelihood(samples)
            many.evaluate(model, np.tile(found.solution.theta, (chunk.size, 1)), np.arange(chunk.size))

    def bootstrap() -> None:
        for chunk in chunks:
            run_chunk(prepared, chunk)

    def loop() -> None:
        for _ in range(12):
            drawn, _ = normal_likelihood(covariance(values[rng.integers(0, n, n)])[None])
            minimize(
                objective,
                found.solution.theta,
                (drawn,),
                jac=True,
                method="BFGS",
                options={"gtol": 1e-6},
            )

    ours, least, plain = alternately(bootstrap, floor, loop).T / np.array([[512], [512], [12]])
    print(
        f"{title:<34} cold fit {1000 * cold:6.1f} ms, {numerical / cold:5.0f}× numerical BFGS | "
        f"bootstrap {1 / ours.min():6.0f}/s, {ratio(plain, ours):4.0f}× plain loop, {ratio(least, ours):.2f} of the floor"
    )


def measure_full_information(n: int, gaps: float) -> None:
    """Full information against forming the complete-case moments and fitting them."""
    text = chain(5, 5)
    table = compile_model(model_of(text), "marker", True)
    truth = random_population(table_of(text), 1)
    rng = np.random.default_rng(0)
    values = rng.multivariate_normal(np.zeros(25), truth.covariance, n)
    rare = rng.random((n, 1)) < 0.4
    values = np.where(rare & (rng.random(values.shape) < gaps), np.nan, values)
    moments = seconds(lambda: case_evidence(values, missing="full-information"), 2)
    evidence = case_evidence(values, missing="full-information")
    model = lay_out(table)
    start = starting_values(model, [evidence])
    discrepancy = discrepancy_of(model, [evidence], ESTIMATORS["ml"])
    fitting = seconds(lambda: solve(model, discrepancy, start), 2)
    whole = seconds(
        lambda: estimate([table], [case_evidence(values, missing="full-information")], ESTIMATORS["ml"], "observed"), 1
    )
    print(
        f"full information, {n} cases, {len(evidence.patterns)} patterns: EM {moments:.2f} s, fit {fitting:.2f} s, "
        f"with observed errors {whole:.2f} s"
    )


if __name__ == "__main__":
    measure("6 × 4 indicators, n = 350", chain(6, 4), 350)
    measure("5 × 5 indicators, n = 400", chain(5, 5), 400)
    measure("three observed variables, n = 240", "x leads to m\nm and x lead to y", 240)
    measure("8 × 6 indicators, n = 1,000", chain(8, 6), 1000)
    measure_full_information(2800, 0.06)
