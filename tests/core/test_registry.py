"""What is said of a figure, where its cut-offs come from, and that pages and code say the same."""

from __future__ import annotations

import re

import numpy as np
import pytest
from scipy.stats import chi2

from dusk_arrow.core.assessment.criteria import BY_KEY, SHEET
from dusk_arrow.core.covariance.estimation import estimate
from dusk_arrow.core.covariance.global_fit import assess_model
from dusk_arrow.core.covariance.statistics import Inquiry, model_statistics
from dusk_arrow.core.observations.evidence import CompleteCases, identity
from dusk_arrow.core.observations.gathering import gather
from tests.conftest import ROOT
from tests.core.populations import fit_matrix, population, table_of
from tests.core.test_search import SOUND, TWO, simulated
from tools.write_schemas import method_page


@pytest.mark.parametrize("page", sorted((ROOT / "docs/methods").glob("*.md")), ids=lambda p: p.name)
def test_the_pages_say_what_the_registry_says(page: object) -> None:
    """A page and a tooltip must not name two sources for one cut-off: run tools/write_schemas.py."""
    text = page.read_text()  # type: ignore[attr-defined]
    assert method_page(text) == text


def test_every_figure_has_a_source_and_every_cut_off_its_own() -> None:
    """Reviewers ask; a source that cannot be named is called a convention."""
    for criterion in SHEET:
        assert re.search(r"\(\d{4}[a-z]?\)", criterion.source), criterion.key
        assert (criterion.good is None) == (criterion.cut_off_source == "") == (criterion.better == "none"), (
            criterion.key
        )
        if criterion.good is not None:
            assert re.search(r"\(\d{4}[a-z]?\)|convention", criterion.cut_off_source), criterion.key


@pytest.mark.parametrize(
    ("key", "source"),
    [
        ("chi_square_per_df", "3: Carmines & McIver (1981)"),
        ("rmsea", ".06: Hu & Bentler (1999); .08: Browne & Cudeck (1992)"),
        ("cfi", ".90: Bentler & Bonett (1980)"),
        ("srmr", ".10: Schermelleh-Engel"),
        ("vif_antecedents", "Hair, Risher, Sarstedt & Ringle (2019)"),
        ("vif_indicators", "3.3: Diamantopoulos & Siguaw (2006)"),
    ],
)
def test_cut_offs_are_credited_to_who_gave_them(key: str, source: str) -> None:
    """Each was once credited to somebody else, or to nobody."""
    assert source in BY_KEY[key].cut_off_source


def test_bounds_belong_to_a_verdict_or_not() -> None:
    """A VIF of exactly 3 is not below 3; a CFI of exactly .95 is at least .95."""
    vif, cfi, rmsea = BY_KEY["vif_antecedents"], BY_KEY["cfi"], BY_KEY["rmsea"]
    assert [vif.judge(v) for v in (2.999, 3.0, 5.0)] == ["meets", "borderline", "misses"]
    assert [cfi.judge(v) for v in (0.95, 0.9499, 0.9, 0.89)] == ["meets", "borderline", "borderline", "misses"]
    assert [rmsea.judge(v) for v in (0.06, 0.0601, 0.08, 0.081)] == ["meets", "borderline", "borderline", "misses"]


@pytest.mark.parametrize(("divisor", "plus"), [("n", 0), ("n-1", 1)])
def test_critical_n_is_where_the_discrepancy_becomes_significant(divisor: str, plus: int) -> None:
    """At that n, T of this discrepancy is exactly the critical value; 1 is added only to the multiplier n − 1."""
    table = table_of(TWO)
    evidence = gather(simulated(3, SOUND, 300), table.observed, "listwise", divisor)  # type: ignore[arg-type]
    found = estimate([table], [evidence])
    fit = assess_model(found)
    for alpha, n in ((0.05, fit.critical_n_05), (0.01, fit.critical_n_01)):
        assert n is not None
        assert (n - plus) * found.solution.discrepancy == pytest.approx(chi2.isf(alpha, fit.df), rel=1e-9)


def test_agfi_counts_no_means() -> None:
    """GFI has no mean term, so its penalty counts variances and covariances alone, also where restricted intercepts give df."""
    from dusk_arrow.core.covariance.parameters import compile_model
    from tests.core.populations import model_of

    table = compile_model(model_of(TWO + "\nmatch intercept of x2, intercept of x3"), "marker", True)
    evidence = gather(simulated(3, SOUND, 300), table.observed)
    fit = assess_model(estimate([table], [evidence]))
    assert fit["gfi"] is not None
    assert fit.df == 9
    assert fit["agfi"] == pytest.approx(1 - 21 / 9 * (1 - fit["gfi"]))


def test_ave_with_a_cross_loading_is_not_the_mean_of_squared_loadings() -> None:
    """Fornell and Larcker set explained against residual variance: .524 where the mean of squares said .463."""
    text = "A shows in a1, a2, a3\nB shows in b1, b2, b3, a3"
    table = table_of(text)
    chosen = dict.fromkeys((p.words for p in table.parameters), 0.0)
    chosen |= {p.words: 0.8 for p in table.parameters if p.kind == "loading"}
    chosen |= {p.words: 0.4 for p in table.parameters if p.kind == "variance"}
    chosen |= {"A & B": 0.15, "variance of A": 0.7, "variance of B": 0.8}
    truth = population(table, chosen)
    found = fit_matrix(table, truth.covariance, 500)
    ave = model_statistics([Inquiry(found.model)], found.solution.theta).of("ave")
    sd = dict(zip(table.observed, np.sqrt(np.diag(truth.covariance)), strict=True))
    for at, (name, items) in enumerate((("A", ("a1", "a2", "a3")), ("B", ("b1", "b2", "b3", "a3")))):
        size = np.sqrt(chosen[f"variance of {name}"])
        squares = sum((truth.values[f"{name} → {i}"] * size / sd[i]) ** 2 for i in items)
        rest = sum(0.4 / sd[i] ** 2 for i in items)
        assert ave[at] == pytest.approx(squares / (squares + rest), rel=1e-6)
        assert abs(ave[at] - squares / len(items)) > 0.005


def test_evidence_of_the_same_answers_is_the_same() -> None:
    """The order of columns does not count; one other answer, or one case less, does."""
    data = simulated(1, SOUND, 50)
    names = data.names
    one, turned = gather(data, names), gather(data, names[::-1])
    assert identity(one, names) == identity(turned, names[::-1])
    values = data.matrix(names)
    values[0, 0] += 1e-9
    assert one.means is not None
    other = CompleteCases(values, one.covariance, one.means, one.n)
    assert identity(other, names) != identity(one, names)
