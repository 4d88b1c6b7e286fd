"""The edges of the data: impossible corrections, rare answers, columns that are never seen together, matrices as they stand.
Each was found by trying the product from outside; each is held to a computation of its own."""

from __future__ import annotations

import json
import warnings
from typing import Any

import numpy as np
import pytest

from dusk_arrow.core.observations.data import Column, DataSet, Moments
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.exchange.matrix_files import read_matrix
from dusk_arrow.report.material import screened
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.document import Results
from dusk_arrow.results.screening import screen
from dusk_arrow.results.settings import Settings


def document(text: str, data: DataSet | Moments, **settings: Any) -> Results:
    return assemble(analyse(parse(text), data, Settings.model_validate(settings)))


def of(columns: dict[str, Any], **levels: Any) -> DataSet:
    made = tuple(Column(name, levels.get(name, "number"), np.asarray(v, dtype=float)) for name, v in columns.items())
    return DataSet("made up", made)


def codes(found: Results) -> dict[str, str]:
    return {p.code: p.message for p in found.problems}


TWO_CAUSES = "X shows in x1, x2, x3\nZ shows in z1, z2, z3\nY shows in y1, y2, y3\nX, Z lead to Y"


def alike(seed: int, n: int = 60) -> DataSet:
    """Two antecedents that correlate at .95, items with loadings of .74."""
    rng = np.random.default_rng(seed)
    x = rng.normal(size=n)
    z = 0.95 * x + np.sqrt(1 - 0.95**2) * rng.normal(size=n)
    y = 0.4 * x + 0.3 * z + 0.6 * rng.normal(size=n)
    noise = np.sqrt(1 - 0.74**2)
    made = {
        f"{k}{i}": 0.74 * v / v.std() + noise * rng.normal(size=n)
        for k, v in (("x", x), ("z", z), ("y", y))
        for i in (1, 2, 3)
    }
    return of(made)


def test_corrected_correlations_that_could_be_none_have_a_document_and_resamples() -> None:
    """Nine of sixty such samples ended in a traceback. Paths solve their equations, whatever they are worth."""
    impossible = []
    for seed in range(40):
        found = document(TWO_CAUSES, alike(seed), estimator="plsc")
        assert found.converged
        if "not_positive_definite_constructs" in codes(found):
            impossible.append((seed, found))
    assert len(impossible) >= 3
    for seed, found in impossible[:3]:
        assert found.admissible is False
        between = np.array(found.quality.construct_correlations.values)  # type: ignore[union-attr]
        assert np.linalg.eigvalsh(between)[0] < 0
        paths = {p.from_: p.estimate for p in found.parameters if p.kind == "path"}
        assert between[:2, :2] @ [paths["X"], paths["Z"]] == pytest.approx(between[:2, 2], abs=1e-9)
        assert found.r_squared["Y"] == pytest.approx(between[2, :2] @ [paths["X"], paths["Z"]], abs=1e-9)
        json.loads(found.model_dump_json())
        drawn = document(TWO_CAUSES, alike(seed), estimator="plsc", bootstrap=200).bootstrap_summary
        assert drawn is not None
        assert drawn.used + drawn.not_converged == 200
        assert drawn.inadmissible > 0
        assert drawn.not_converged < 30, "what is impossible is kept and counted, not thrown away"


def rare(n: int = 120) -> DataSet:
    """An item that three of so many cases answered otherwise."""
    rng = np.random.default_rng(8)
    f = rng.normal(size=n)
    made = {f"a{i}": 0.8 * f + 0.6 * rng.normal(size=n) for i in (1, 2, 4)}
    a3 = np.full(n, 4.1)
    a3[np.argsort(-f)[:1]] = 1.3
    return of(made | {"a3": a3 + 1e6})


RARE = "A shows in a1, a2, a3, a4"


@pytest.mark.parametrize(
    "settings",
    [
        {"estimator": "ml"},
        {"estimator": "gls"},
        {"estimator": "uls"},
        {"missing": "full-information"},
        {"missing": "mean"},
    ],
    ids=str,
)
def test_a_resample_without_variation_has_no_estimates(settings: dict[str, Any]) -> None:
    """A residual variance of 3e-20 entered the intervals. Which resamples are without variation is drawn anew here."""
    data = rare()
    if "missing" in settings:
        values = data.column("a1").numbers
        assert values is not None
        values = values.copy()
        values[:2] = np.nan
        data = of({c.name: values if c.name == "a1" else c.numbers for c in data.columns})
    found = document(RARE, data, bootstrap=256, seed=3, **settings)
    children = np.random.SeedSequence(3).spawn(2)
    drawn = np.vstack([np.random.default_rng(child).integers(0, 120, size=(128, 120)) for child in children])
    special = int(np.argmin(data.column("a3").numbers))  # type: ignore[arg-type]
    still = int((~(drawn == special).any(axis=1)).sum())
    assert 60 < still < 130
    summary = found.bootstrap_summary
    assert summary is not None
    assert summary.no_variation == {"a3": still}
    assert summary.used <= 256 - still
    assert codes(found)["no_variation"].startswith(f"{still} of 256 resamples had no variation in a3: too rare")
    residual = next(p for p in found.parameters if p.kind == "variance" and p.from_ == "a3")
    assert residual.bootstrap is not None
    assert residual.bootstrap.percentile[0] > 1e-6


def test_composites_leave_such_resamples_out_too() -> None:
    """Composites are of standardized columns; without variation there is nothing to standardize by."""
    data = rare()
    y = np.random.default_rng(1).normal(size=120)
    data = of({c.name: c.numbers for c in data.columns} | {"y": y})
    for missing in ("listwise", "pairwise"):
        found = document(RARE + "\nA leads to y", data, estimator="pls", bootstrap=256, seed=3, missing=missing)
        assert found.bootstrap_summary is not None
        assert list(found.bootstrap_summary.no_variation) == ["a3"]


@pytest.mark.parametrize("turned", [False, True])
def test_singular_weights_are_refused_in_every_order_of_the_cases(turned: bool) -> None:
    """The square of a 0/1 column is the column: its variance and mean say the same. Rounding let that pass in one order."""
    rng = np.random.default_rng(2)
    n = 400
    f = rng.normal(size=n)
    columns = {f"a{i}": 0.8 * f + 0.6 * rng.normal(size=n) for i in (1, 2, 3)} | {
        "d": (f + rng.normal(size=n) > 0.3) * 1.0
    }
    order = np.argsort(columns["a1"]) if turned else np.arange(n)
    data = of({name: np.asarray(v)[order] for name, v in columns.items()})
    found = document("A shows in a1, a2, a3\nA leads to d", data, estimator="adf", means=True)
    assert not found.converged
    assert "weights_singular" in codes(found)
    assert document("A shows in a1, a2, a3\nA leads to d", data, estimator="adf").converged


def planned(n: int = 600) -> DataSet:
    """Three forms of a questionnaire: no case has both b1 and b2."""
    rng = np.random.default_rng(5)
    f = rng.normal(size=(n, 1))
    g = 0.5 * f + np.sqrt(0.75) * rng.normal(size=(n, 1))
    values = np.hstack([0.8 * f + 0.6 * rng.normal(size=(n, 3)), 0.8 * g + 0.6 * rng.normal(size=(n, 3))])
    values[: n // 2, 3] = np.nan
    values[n // 2 :, 4] = np.nan
    return of({name: values[:, i] for i, name in enumerate(("a1", "a2", "a3", "b1", "b2", "b3"))})


def test_columns_that_are_never_seen_together_are_named_and_not_judged() -> None:
    """χ², df, HTMT and SRMR used covariances that no answer says anything of. The saturated model of the identified moments
    has one parameter less, so a model with 13 of them and 6 means has 7 degrees of freedom where 8 would be."""
    text = "A shows in a1, a2, a3\nB shows in b1, b2, b3\nA leads to B"
    found = document(text, planned(), missing="full-information", bootstrap=40)
    assert "b1 and b2" in codes(found)["never_together"]
    fit = found.fit
    assert fit is not None
    assert fit.df == 7
    assert fit.baseline is not None
    assert fit.baseline.df == 14
    assert (fit.srmr, fit.gfi, fit.agfi) == (None, None, None)
    assert fit.chi_square is not None
    assert 0 < fit.chi_square < 25
    quality = found.quality
    assert quality is not None
    assert [one.value for one in quality.htmt] == [None]
    assert {c.name: c.alpha is None for c in quality.constructs} == {"A": False, "B": True}
    path = next(p for p in found.parameters if p.kind == "path")
    assert path.standardized == pytest.approx(0.5, abs=0.12)
    robust = document(text, planned(), missing="full-information", errors="sandwich")
    assert robust.fit is not None
    assert robust.fit.scaled is None
    together = document(text.replace(", b2", ""), planned(), missing="full-information")
    assert "never_together" not in codes(together)
    assert together.fit is not None
    assert together.fit.srmr is not None


def test_correlations_are_analysed_as_they_stand() -> None:
    """Without SDs there is no divisor to change: residual variances are one less the squared loadings, to the last digit, in
    both divisors; with SDs they follow it."""
    loadings = np.array([0.8, 0.7, 0.6, 0.9])
    matrix = np.outer(loadings, loadings)
    np.fill_diagonal(matrix, 1.0)
    rows = [
        ["name", "a", "b", "c", "d"],
        *([n, *(f"{v:.6f}" for v in row)] for n, row in zip("abcd", matrix, strict=True)),
    ]
    for divisor in ("n", "n-1"):
        found = document(
            "F shows in a, b, c, d", read_matrix(rows, "printed", 120)[0], divisor=divisor, scaling="unit-variance"
        )
        residuals = [p.estimate for p in found.parameters if p.role == "residual"]
        assert residuals == pytest.approx((1 - loadings**2).tolist(), abs=1e-6)
        assert found.sample is not None
        assert [found.sample.covariance[i][i] for i in range(4)] == [1, 1, 1, 1]
    spread = read_matrix([*rows, ["sd", "2", "2", "2", "2"]], "printed", 120)[0]
    assert document("F shows in a, b, c, d", spread).sample.covariance[0][0] == pytest.approx(4 * 119 / 120)  # type: ignore[union-attr]


def test_few_categories_are_named_where_they_matter() -> None:
    """A 0/1 item or outcome is not continuous, whatever its level; what only leads to others may be 0/1."""
    rng = np.random.default_rng(3)
    f = rng.normal(size=200)
    items = {f"a{i}": 0.8 * f + 0.6 * rng.normal(size=200) for i in (1, 2, 3)}
    data = of(
        items
        | {"d": (f + rng.normal(size=200) > 0) * 1.0, "z": (rng.normal(size=200) > 0) * 1.0, "a4": (f > 0.2) * 1.0}
    )
    found = document("A shows in a1, a2, a3, a4\nA, z lead to d", data)
    said = [p for p in found.problems if p.code == "coarse_items"]
    assert [p.about for p in said] == [["a4"], ["d"]]
    assert "loadings too small" in said[0].message


def test_cases_without_any_answer_are_not_called_listwise() -> None:
    """Pairwise leaves only those out that say nothing."""
    rng = np.random.default_rng(3)
    f = rng.normal(size=200)
    values = np.column_stack([0.8 * f + 0.6 * rng.normal(size=200) for _ in range(6)])
    values[:3] = np.nan
    for gaps in (False, True):
        values[5, 0] = np.nan if gaps else 1.0
        data = of({name: values[:, i] for i, name in enumerate(("a1", "a2", "a3", "b1", "b2", "b3"))})
        text = "A shows in a1, a2, a3\nB shows in b1, b2, b3\nA leads to B"
        said = " ".join(codes(document(text, data, estimator="plsc", missing="pairwise")).values())
        assert "3 of 200 cases have no answer in any column in use and are left out" in said
        assert "listwise" not in said
        assert ("1 answers are missing: every correlation" in said) == gaps


def test_items_that_say_the_same_twice_are_named() -> None:
    """Consistent PLS took a copy of an item for another item, and gave it a reliability to be proud of."""
    data = alike(1, 200)
    x1 = data.column("x1").numbers
    assert x1 is not None
    copied = of({c.name: 3 * x1 + 2 if c.name == "x2" else c.numbers for c in data.columns})
    found = document(TWO_CAUSES, copied, estimator="plsc")
    assert found.converged
    problem = next(p for p in found.problems if p.code == "reflective_dependent")
    assert problem.about[:2] == ["x2", "x1"]
    assert problem.repairs[0].words == "Set x2 aside"
    assert "reflective_dependent" not in codes(document(TWO_CAUSES, data, estimator="plsc"))


def test_a_small_n_is_not_called_singular() -> None:
    """The matrix can be inverted; it is the number beside it that cannot be."""
    rows = [
        ["name", *"abcdef"],
        *([n, *(f"{1.0 if i == j else 0.3:.2f}" for j in range(6))] for i, n in enumerate("abcdef")),
    ]
    found = document("F shows in a, b, c, d, e, f", read_matrix(rows, "printed", 5)[0])
    assert not found.converged
    message = codes(found)["too_few_cases"]
    assert "5 cases cannot be behind this matrix" in message
    assert "singular" not in message


@pytest.mark.filterwarnings("error")
def test_nothing_is_written_on_standard_error() -> None:
    """Divisions by zero that were handled are nobody's business."""
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        for seed in (3, 5):
            document(TWO_CAUSES, alike(seed), estimator="plsc", bootstrap=64)
            document(TWO_CAUSES, alike(seed), bootstrap=64)
        data = rare()
        document(RARE, data, bootstrap=64, missing="full-information")
        document(RARE, of({c.name: np.ones(120) if c.name == "a3" else c.numbers for c in data.columns}))
        document(
            "A shows in a1, a2, a3, a4\nA leads to y",
            of({c.name: c.numbers for c in data.columns} | {"y": data.column("a1").numbers}),
        )


def test_no_advice_for_what_has_no_direction_or_shape() -> None:
    """Dummies of three regions exclude each other: none is "worded the other way round", and none could be normal. What only
    explains is given and need not be normal either; a reversed item of five answers is named as ever."""
    rng = np.random.default_rng(2)
    region, trait = rng.integers(0, 3, 240), rng.normal(size=240)
    dummies = {f"region{k + 1}": (region == k).astype(float) for k in range(3)}
    answers = {f"q{k}": np.clip(np.round(3 + trait + 0.6 * rng.normal(size=240)), 1, 5) for k in range(1, 5)}
    answers["q4"] = 6 - answers["q4"]
    income = rng.lognormal(size=240)
    _, problems = screen(of({**dummies, **answers, "income": income}))
    assert [p.about for p in problems if p.code == "item_reversed"] == [("q4",)]
    data = of({**dummies, **answers, "income": income})
    found = document("Q shows in q1..q4\nregion1, region2, income lead to Q", data)
    shape = screened(found, data)
    assert shape is not None
    assert shape.multivariate_normality is not None
    assert shape.multivariate_normality.columns == ["q1", "q2", "q3", "q4"]


def test_cases_are_held_against_the_parameters_that_are_counted() -> None:
    """Beside *free parameters 30* a warning of 21 looked like a mistake: it says of how many it speaks, and which it leaves out."""
    few = {means: document(TWO_CAUSES, alike(3), means=means) for means in (False, True)}
    counts = {means: sum(p.free for p in found.parameters) for means, found in few.items()}
    assert counts == {False: 21, True: 30}
    said = {means: codes(found)["few_cases_per_parameter"] for means, found in few.items()}
    assert said[False].startswith("60 cases for 21 parameters are 2.9 to 1;")
    assert said[True].startswith("60 cases for 21 of 30 parameters, means and intercepts apart, are 2.9 to 1;")
    assert [few[means].fit.n_parameters for means in (False, True)] == [21, 30]  # type: ignore[union-attr]
