"""The bootstrap as it is met from outside: `python -m benchmarks.outside`.

`fit --bootstrap B --workers 1 --json` for two lengths; the difference counts everything that comes with a resample, figures,
summaries and document too. Beside it the plain loop: redraw rows, one SciPy BFGS fit with the analytic gradient and a warm start.
`python -m benchmarks.outside large` adds 100,000 resamples, and 100,000 cases: what they take in memory, and whether twice as much
takes twice as long. `python -m benchmarks.outside click` the time from asking for the demo's 5,000 resamples to its intervals.
"""

from __future__ import annotations

import os

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import resource
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path

import numpy as np
import pandas as pd
from scipy.optimize import minimize

from benchmarks.run import chain
from dusk_arrow.core.covariance.discrepancies.likelihood import normal_likelihood
from dusk_arrow.core.covariance.estimation import estimate
from dusk_arrow.core.covariance.estimators.registry import ESTIMATORS
from dusk_arrow.core.observations.moments import covariance
from endurance.instance import Instance
from tests.core.populations import case_evidence, random_population, table_of

SHORT, LONG, PLAIN = 2000, 10_000, 40


def outside(folder: Path, resamples: int) -> float:
    """Seconds of one run of the command line."""
    command = [sys.executable, "-m", "dusk_arrow.command_line", "fit", str(folder / "model.txt")]
    command += ["--data", str(folder / "data.csv"), "--bootstrap", str(resamples), "--workers", "1", "--no-what-ifs"]
    begun = time.perf_counter()
    subprocess.run([*command, "--json", str(folder / "out.json")], check=True, capture_output=True)
    return time.perf_counter() - begun


def written(folder: Path, text: str, n: int) -> np.ndarray:
    """Cases of a random population of the model, written down beside it."""
    truth = random_population(table_of(text), 1)
    values = np.random.default_rng(0).multivariate_normal(np.zeros(len(truth.covariance)), truth.covariance, n)
    (folder / "model.txt").write_text(text)
    pd.DataFrame(values, columns=list(truth.table.observed)).to_csv(folder / "data.csv", index=False)
    return values


def large(folder: Path) -> None:
    """Memory and time of very many resamples, and of very many cases."""
    for n, lengths in ((400, (50_000, 100_000)), (100_000, (500, 1000))):
        written(folder, chain(5, 5), n)
        took = [outside(folder, length) for length in lengths]
        most = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
        print(
            f"n = {n:,}: {lengths[1]:,} resamples in {took[1]:.0f} s, {took[1] / took[0]:.2f} times as long as {lengths[0]:,}; "
            f"up to {most:.0f} MB"
        )


def click() -> None:
    """From asking for 5,000 resamples of the demo to a model that shows them, with workers that are warm."""
    instance = Instance()
    try:
        instance.start()
        took = []
        for seed in range(8):
            begun = time.perf_counter()
            run = instance.ask("/api/models/2/runs", {"resamples": 5000, "seed": seed})
            with urllib.request.urlopen(f"{instance.address}/api/runs/{run['id']}/events", timeout=60) as events:
                while b'"finished"' not in events.readline():
                    pass
            shown = instance.ask("/api/models/2")["shown"]
            took.append(time.perf_counter() - begun)
            assert shown["bootstrap"]["used"] >= 4975, "99.5 % of the demo's resamples converge"
        print(
            f"5,000 resamples of the demo, from click to intervals: median {np.median(took[1:]):.2f} s, best {min(took):.2f} s"
        )
    finally:
        instance.end()


def plain_loop(values: np.ndarray, text: str) -> float:
    """Seconds a resample of the plain loop."""
    table = table_of(text)
    found = estimate([table], [case_evidence(values)], ESTIMATORS["ml"])
    rng, only = np.random.default_rng(0), np.zeros(1, dtype=np.intp)

    def objective(theta: np.ndarray, of: object) -> tuple[float, np.ndarray]:
        value, gradient = of.evaluate(found.model, theta[None], only)  # type: ignore[attr-defined]
        return (float(value[0]), gradient[0]) if np.isfinite(value[0]) else (1e10, np.zeros_like(theta))

    begun = time.perf_counter()
    for _ in range(PLAIN):
        drawn, _ = normal_likelihood(covariance(values[rng.integers(0, len(values), len(values))])[None])
        minimize(objective, found.solution.theta, (drawn,), jac=True, method="BFGS", options={"gtol": 1e-6})
    return (time.perf_counter() - begun) / PLAIN


def main(asked: str) -> None:
    """5 × 5 indicators, n = 400."""
    if asked == "click":
        click()
        return
    text, n = chain(5, 5), 400
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        values = written(folder, text, n)
        ours = (outside(folder, LONG) - outside(folder, SHORT)) / (LONG - SHORT)
        plain = plain_loop(values, text)
        print(f"5 × 5, n = {n}: {1 / ours:.0f} resamples a second from outside, {plain / ours:.0f}× the plain loop")
        if asked == "large":
            large(folder)


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else "")
