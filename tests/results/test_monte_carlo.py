"""What answers for an indirect effect where there are no cases: against the distribution of a product by integration, and
whatever could make it another's answer."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.integrate import quad
from scipy.stats import norm

from dusk_arrow.core.observations.data import Moments
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.document import Results
from dusk_arrow.results.settings import Settings

NAMES = ("x", "m", "y")


def document(covariance: np.ndarray, text: str = "x leads to m, y\nm leads to y", **settings: Any) -> Results:
    matrix = Moments("printed", NAMES, covariance, 120, 1)
    return assemble(analyse(parse(text), matrix, Settings.model_validate(settings)))


def implied(a: float, b: float, direct: float) -> np.ndarray:
    paths = np.array([[0, 0, 0], [a, 0, 0], [direct, b, 0]], dtype=float)
    inner = np.linalg.inv(np.eye(3) - paths)
    return inner @ np.diag([1.3, 0.8, 0.9]) @ inner.T


@pytest.mark.parametrize(("a", "b"), [(0.3, 0.4), (-0.2, 0.15), (0.05, 0.5)])
def test_the_interval_is_that_of_a_product_of_two_estimates(a: float, b: float) -> None:
    """Of observed variables both estimates are independent, so the distribution of their product is an integral: 2.5 % of it
    lie beyond each end, within what 20,000 draws leave open."""
    found = document(implied(a, b, 0.2))
    effect = next(e for e in found.effects if e.kind == "total indirect")
    assert effect.monte_carlo is not None
    known = {(p.from_, p.to): (p.estimate, p.se or 0.0) for p in found.parameters if p.kind == "path"}
    (one, one_se), (other, other_se) = known["x", "m"], known["m", "y"]

    def below(limit: float) -> float:
        def inner(value: float) -> float:
            share = norm.cdf((limit / value - other) / other_se)
            return float(norm.pdf(value, one, one_se) * (share if value > 0 else 1 - share))

        ends = one - 9 * one_se, one + 9 * one_se
        return float(quad(inner, *ends, points=[0.0] if ends[0] < 0 < ends[1] else None, limit=400)[0])

    error = 4 * np.sqrt(0.025 * 0.975 / 20_000)
    assert below(effect.monte_carlo[0]) == pytest.approx(0.025, abs=error)
    assert below(effect.monte_carlo[1]) == pytest.approx(0.975, abs=error)


def test_estimates_that_depend_on_each_other_are_drawn_together() -> None:
    """Two mediators that go together share one influence: what one path gains the other loses, and their sum varies far less than
    each. Held against draws from the covariance matrix that the document prints."""
    rng = np.random.default_rng(3)
    x, shared = rng.normal(size=(2, 500))
    one, other = (0.5 * x + shared + 0.4 * rng.normal(size=500) for _ in range(2))
    y = 0.3 * one + 0.3 * other + rng.normal(size=500)
    matrix = Moments("printed", ("x", "m1", "m2", "y"), np.cov(np.stack([x, one, other, y])), 500, 1)
    said = parse("x leads to m1, m2\nm1, m2 lead to y\nm1 and m2 covary")
    found = assemble(analyse(said, matrix, Settings()))
    assert found.estimates is not None
    known = {(p.from_, p.to): p.estimate for p in found.parameters if p.kind == "path"}
    names = found.estimates.covariance.rows
    assert names is not None
    paths = [("x", "m1"), ("m1", "y"), ("x", "m2"), ("m2", "y")]
    at = [names.index(f"{source} → {target}") for source, target in paths]
    spread = np.asarray(found.estimates.covariance.values, dtype=float)[np.ix_(at, at)]
    assert spread[1, 3] < -0.5 * np.sqrt(spread[1, 1] * spread[3, 3])
    a1, b1, a2, b2 = rng.multivariate_normal([known[path] for path in paths], spread, 400_000).T
    wanted = np.quantile(a1 * b1 + a2 * b2, (0.025, 0.975))
    effect = next(e for e in found.effects if e.kind == "total indirect")
    assert effect.monte_carlo == pytest.approx(wanted, abs=0.03 * float(wanted[1] - wanted[0]))


def test_it_is_seeded_and_named_and_decides_the_kind() -> None:
    """The same seed gives the same digits; another one others, which is why its number is in the document."""
    first, again, other = (document(implied(0.5, 0.5, 0.0), seed=seed) for seed in (7, 7, 8))
    bounds = [next(e.standardized_monte_carlo for e in f.effects if e.kind == "total") for f in (first, again, other)]
    assert bounds[0] == bounds[1] != bounds[2]
    assert first.monte_carlo is not None
    assert first.monte_carlo.draws == 20_000
    assert first.monte_carlo.seed == 7
    assert first.mediation[0].kind == "indirect-only"
    untested = document(implied(0.5, 0.5, 0.0), "x leads to m\nm leads to y").mediation[0]
    assert untested.kind is None
    assert "direct effect not tested" in untested.reason
