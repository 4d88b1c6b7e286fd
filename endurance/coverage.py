"""How often 95 % intervals hold the true effect: `python -m endurance.coverage [STUDIES] [RESAMPLES]`. Takes minutes.

Studies are drawn from a population whose effects are known, each is bootstrapped from outside (`analyse`), and it is counted how
often every kind of interval holds the truth, and how often the shares below and above it miss. The table of
docs/methods/effects.md is what this prints.
"""

from __future__ import annotations

import os

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import sys
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from typing import Any, NamedTuple

import numpy as np

from dusk_arrow.core.observations.data import Column, DataSet
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.settings import Settings

LATENT = "X shows in x1..x3\nM shows in m1..m3\nY shows in y1..y3\nX leads to M, Y\nM leads to Y"
OBSERVED = "x leads to m, y\nm leads to y"
LOADING = 0.75
KINDS = ("percentile", "bias_corrected", "bca")


class Study(NamedTuple):
    """A population (the paths a, b and c', standardized), the size of its samples, and how they are analysed."""

    words: str
    text: str
    n: int
    a: float
    b: float
    direct: float
    settings: dict[str, Any]


STUDIES = (
    Study("common factors, n = 200", LATENT, 200, 0.4, 0.4, 0.2, {}),
    Study("common factors, n = 200, a = 0", LATENT, 200, 0.0, 0.4, 0.2, {}),
    Study("common factors, n = 100", LATENT, 100, 0.4, 0.4, 0.2, {}),
    Study("observed variables, n = 100", OBSERVED, 100, 0.4, 0.4, 0.2, {}),
    Study("consistent composites, n = 200", LATENT, 200, 0.4, 0.4, 0.2, {"family": "composite", "estimator": "plsc"}),
)


def drawn(study: Study, rng: np.random.Generator) -> DataSet:
    """One sample of the population."""
    x = rng.standard_normal(study.n)
    m = study.a * x + np.sqrt(1 - study.a**2) * rng.standard_normal(study.n)
    explained = study.direct**2 + study.b**2 + 2 * study.direct * study.b * study.a
    y = study.direct * x + study.b * m + np.sqrt(1 - explained) * rng.standard_normal(study.n)
    if study.text == OBSERVED:
        columns = {"x": x, "m": m, "y": y}
    else:
        noise = np.sqrt(1 - LOADING**2)
        columns = {
            f"{name}{i}": LOADING * values + noise * rng.standard_normal(study.n)
            for name, values in (("x", x), ("m", m), ("y", y))
            for i in (1, 2, 3)
        }
    return DataSet("drawn", tuple(Column(name, "numeric", values) for name, values in columns.items()))


def one(study: Study, number: int, resamples: int) -> dict[tuple[str, str], int] | None:
    """Where the truth lies of every interval: −1 below it, 0 inside, 1 above; None where there is no solution."""
    data = drawn(study, np.random.default_rng([number, study.n]))
    settings = Settings(bootstrap=resamples, seed=number, interval="bca", **study.settings)
    results = assemble(analyse(parse(study.text), data, settings))
    if not results.converged:
        return None
    truth = {"direct": study.direct, "total indirect": study.a * study.b, "total": study.direct + study.a * study.b}
    source, target = ("x", "y") if study.text == OBSERVED else ("X", "Y")
    found = {}
    for effect in results.effects:
        if (effect.from_, effect.to) == (source, target) and effect.kind in truth:
            boot = effect.standardized_bootstrap
            assert boot is not None
            for kind in KINDS:
                bounds = getattr(boot, kind)
                if bounds is not None:
                    true = truth[effect.kind]
                    found[effect.kind, kind] = -1 if true < bounds[0] else 1 if true > bounds[1] else 0
    return found


def main(studies: int, resamples: int) -> None:
    """Prints the table."""
    print(
        f"{studies} studies each, {resamples} resamples, Monte-Carlo error {100 * np.sqrt(0.95 * 0.05 / studies):.1f} points"
    )
    print("| population | effect | percentile | bias-corrected | BCa |\n|---|---|---|---|---|")
    with ProcessPoolExecutor(os.cpu_count(), get_context("spawn")) as pool:
        for study in STUDIES:
            places = [
                p
                for p in pool.map(one, [study] * studies, range(studies), [resamples] * studies, chunksize=8)
                if p is not None
            ]
            for effect in ("direct", "total indirect", "total"):
                cells = []
                for kind in KINDS:
                    at = np.array([p[effect, kind] for p in places if (effect, kind) in p])
                    missed = (100 * np.mean(at < 0), 100 * np.mean(at > 0))
                    cells.append(f"{100 * np.mean(at == 0):.1f} ({missed[0]:.1f}, {missed[1]:.1f})")
                print(f"| {study.words} | {effect} | {' | '.join(cells)} |", flush=True)


if __name__ == "__main__":
    main(*(int(value) for value in (sys.argv[1:] + ["1000", "1000"][len(sys.argv) - 1 :])))
