"""How often a true model is rejected at 5 %, and how far standard errors are from the spread of the estimates, in data
that are normal and in such that are not: `python benchmarks/robustness.py [STUDIES]`. Slow."""

from __future__ import annotations

import os

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import sys
from itertools import product
from pathlib import Path

import numpy as np

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT / "src"), str(ROOT)]

from dusk_arrow.core.assessment.fit import chi_square_p
from dusk_arrow.core.covariance.estimation import estimate
from dusk_arrow.core.covariance.estimators.registry import ESTIMATORS
from dusk_arrow.core.covariance.parameters import compile_model
from tests.core.populations import case_evidence, model_of, random_population, table_of

MODEL = "A shows in a1, a2, a3, a4\nB shows in b1, b2, b3, b4\nA leads to B"
WAYS: dict[str, dict[str, object]] = {
    "ML, expected": {},
    "ML, Satorra–Bentler": {"errors": "satorra-bentler"},
    "ML, sandwich (Yuan–Bentler)": {"errors": "sandwich"},
    "full information, sandwich, 10 % missing": {"errors": "sandwich", "missing": "full-information"},
    "GLS, Satorra–Bentler": {"errors": "satorra-bentler", "estimator": "gls"},
    "ADF": {"estimator": "adf"},
    "ULS, sandwich": {"errors": "sandwich", "estimator": "uls"},
}


DESIGNS = {
    "normal, n = 250": (250, None), "t with 5 df, n = 250": (250, 5), "t with 8 df, n = 250": (250, 8), "t with 8 df, n = 500": (500, 8),
    "t with 5 df, n = 1,000": (1000, 5),
}  # fmt: skip


def cases(rng: np.random.Generator, n: int, root: np.ndarray, df: int | None) -> np.ndarray:
    """Elliptical cases: normal ones, or with heavy tails (multivariate t with so many df), which inflate χ² and deflate
    normal-theory errors."""
    rows: np.ndarray = rng.standard_normal((n, len(root))) @ root.T
    return rows if df is None else rows * np.sqrt((df - 2) / rng.chisquare(df, (n, 1)))


def main(studies: int) -> None:
    truth = random_population(table_of(MODEL), 3)
    root = np.linalg.cholesky(truth.covariance)
    for (design, (n, tails)), (words, how) in product(DESIGNS.items(), WAYS.items()):
        rng = np.random.default_rng(1)
        errors = str(how.get("errors", "expected"))
        rejected, paths, claimed = [], [], []
        for _ in range(studies):
            values = cases(rng, n, root, tails)
            if how.get("missing"):
                values = np.where(rng.random(values.shape) < 0.1, np.nan, values)
            evidence = case_evidence(values, **({"missing": how["missing"]} if "missing" in how else {}))
            table = compile_model(model_of(MODEL), "marker", "missing" in how)
            found = estimate([table], [evidence], ESTIMATORS[str(how.get("estimator", "ml"))], errors)  # type: ignore[arg-type]
            if not found.solution.converged:
                continue
            df = found.df
            scale = found.estimator.scaled_test(found.point, df, errors) if errors != "expected" else None  # type: ignore[arg-type]  # fmt: skip
            rejected.append(chi_square_p(found.statistic / (scale.scaling_factor if scale else 1.0), df) < 0.05)
            index = next(p.index for p in table.parameters if p.words == "A → B")
            paths.append(found.solution.theta[index])
            claimed.append(np.sqrt(found.covariance[index, index]))
        print(
            f"{design:<23} {words:<42} rejected {100 * np.mean(rejected):5.1f} %   mean SE / spread of the path "
            f"{np.mean(claimed) / np.std(paths):.2f}   ({len(rejected)} studies)"
        )


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 400)
