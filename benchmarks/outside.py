"""The bootstrap as it is met from outside: `python -m benchmarks.outside`.

`fit --bootstrap B --workers 1 --json` for two lengths; the difference counts everything that comes with a resample, figures,
summaries and document too. Beside it the plain loop: redraw rows, one SciPy BFGS fit with the analytic gradient and a warm start.
"""

from __future__ import annotations

import os

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import pandas as pd
from scipy.optimize import minimize

from benchmarks.run import chain
from dusk_arrow.core.covariance.discrepancies.likelihood import normal_likelihood
from dusk_arrow.core.covariance.estimation import estimate
from dusk_arrow.core.covariance.estimators.registry import ESTIMATORS
from dusk_arrow.core.observations.moments import covariance
from tests.core.populations import case_evidence, random_population, table_of

SHORT, LONG, PLAIN = 2000, 10_000, 40


def outside(folder: Path, resamples: int) -> float:
    """Seconds of one run of the command line."""
    command = [sys.executable, "-m", "dusk_arrow.command_line", "fit", str(folder / "model.txt")]
    command += ["--data", str(folder / "data.csv"), "--bootstrap", str(resamples), "--workers", "1", "--no-what-ifs"]
    begun = time.perf_counter()
    subprocess.run([*command, "--json", str(folder / "out.json")], check=True, capture_output=True)
    return time.perf_counter() - begun


def plain_loop(values: np.ndarray, text: str) -> float:
    """Seconds a resample of the plain loop."""
    table = table_of(text)
    found = estimate(table, case_evidence(values), ESTIMATORS["ml"])
    rng, only = np.random.default_rng(0), np.zeros(1, dtype=np.intp)

    def objective(theta: np.ndarray, of: object) -> tuple[float, np.ndarray]:
        value, gradient = of.evaluate(found.model, theta[None], only)  # type: ignore[attr-defined]
        return (float(value[0]), gradient[0]) if np.isfinite(value[0]) else (1e10, np.zeros_like(theta))

    begun = time.perf_counter()
    for _ in range(PLAIN):
        drawn, _ = normal_likelihood(covariance(values[rng.integers(0, len(values), len(values))])[None])
        minimize(objective, found.solution.theta, (drawn,), jac=True, method="BFGS", options={"gtol": 1e-6})
    return (time.perf_counter() - begun) / PLAIN


def main() -> None:
    """5 × 5 indicators, n = 400."""
    text, n = chain(5, 5), 400
    truth = random_population(table_of(text), 1)
    values = np.random.default_rng(0).multivariate_normal(np.zeros(len(truth.covariance)), truth.covariance, n)
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        (folder / "model.txt").write_text(text)
        pd.DataFrame(values, columns=list(truth.table.observed)).to_csv(folder / "data.csv", index=False)
        ours = (outside(folder, LONG) - outside(folder, SHORT)) / (LONG - SHORT)
    plain = plain_loop(values, text)
    print(f"5 × 5, n = {n}: {1 / ours:.0f} resamples a second from outside, {plain / ours:.0f}× the plain loop")


if __name__ == "__main__":
    main()
