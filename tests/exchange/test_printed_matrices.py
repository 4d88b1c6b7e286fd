"""Correlations as papers print them lead to the analysis that the whole matrix leads to; cases are never taken for them."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dusk_arrow.core.observations.data import DataSet, Moments
from dusk_arrow.core.problems import ProblemError
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.exchange.origins import Origin
from dusk_arrow.exchange.reading import read_any
from dusk_arrow.exchange.reading_options import ReadingOptions
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.settings import Settings

WHOLE = """,Trust,Joy at work,Play,Rest
Trust,1,.45,.30,.21
Joy at work,.45,1,-.20,.08
Play,.30,-.20,1,.33
Rest,.21,.08,.33,1
"""
SDS = "sd,.80,1.10,.95,1.30\nmean,3.4,2.9,4.0,3.1\nn,278,278,278,278\n"
HEAD = "Variable\tM\tSD\t1\t2\t3\t4\n"
PRINTED = {
    "names in front alone": "Trust,1\nJoy at work,.45,1\nPlay,.30,-.20,1\nRest,.21,.08,.33,1\n",
    "dashes on the diagonal": "\tTrust\tJoy at work\tPlay\tRest\nTrust\t–\nJoy at work\t.45\t–\nPlay\t.30\t−.20\t–\nRest\t.21\t.08\t.33\t–\n",
    "no diagonal": ";Trust;Joy at work;Play;Rest\nTrust;;;;\nJoy at work;.45;;;\nPlay;.30;-.20;;\nRest;.21;.08;.33;\n",
    "above the diagonal": "Trust\t1.00\t.45\t.30\t.21\nJoy at work\t\t1.00\t−.20\t.08\nPlay\t\t\t1.00\t.33\nRest\t\t\t\t1.00\n",
    "above, without it": "Trust\t.45\t.30\t.21\nJoy at work\t−.20\t.08\nPlay\t.33\nRest\n",
    "split by blanks": "1. Trust 1\n2. Joy at work .45** 1\n3. Play .30* −.20 1\n4. Rest .21 .08 .33 1\n",
    "comma decimals": "Trust;1\nJoy at work;,45;1\nPlay;,30;-,20;1\nRest;,21;,08;,33;1\n",
}
WITH_SDS = {
    "means and SDs beside": HEAD
    + "1. Trust\t3.4\t.80\t–\n2. Joy at work\t2.9\t1.10\t.45**\t–\n3. Play\t4.0\t.95\t.30*\t−.20\t–\n"
    "4. Rest\t3.1\t1.30\t.21\t.08\t.33\t–\nNote. N = 278. * p < .05. ** p < .01.\n",
    "reliabilities on the diagonal": "Variable M SD 1 2 3 4\n1 Trust 3.4 .80 (.85)\n2 Joy at work 2.9 1.10 .45 (.78)\n"
    "3 Play 4.0 .95 .30 -.20 (.91)\n4 Rest 3.1 1.30 .21 .08 .33 (.80)\nN = 278\n",
    "means and SDs below": "Trust\t–\nJoy at work\t.45\t–\nPlay\t.30\t-.20\t–\nRest\t.21\t.08\t.33\t–\n"
    "M\t3.4\t2.9\t4.0\t3.1\nSD\t.80\t1.10\t.95\t1.30\nn\t278\t278\t278\t278\n",
    "covariances above": ",Trust,Joy at work,Play,Rest\nTrust,.64,.396,.228,.2184\nJoy at work,.45,1.21,-.209,.1144\n"
    "Play,.30,-.20,.9025,.40755\nRest,.21,.08,.33,1.69\nmean,3.4,2.9,4.0,3.1\nn,278,278,278,278\n",
}


def moments(text: str, n: int | None = None) -> Moments:
    found, _ = read_any(text.encode(), "table.txt", ReadingOptions(), n)
    assert isinstance(found, Moments)
    return found


@pytest.mark.parametrize("text", [*PRINTED.values(), *WITH_SDS.values()], ids=[*PRINTED, *WITH_SDS])
def test_every_layout_leads_to_the_same_analysis(text: str) -> None:
    """Whoever types a table of a paper as it stands there gets what the whole matrix would give, to the last digit."""
    beside = text in WITH_SDS.values()
    wanted, found = moments(WHOLE + SDS * beside, 278), moments(text, None if beside else 278)
    assert found.names == wanted.names
    assert found.n == 278
    np.testing.assert_allclose(found.covariance, wanted.covariance, rtol=1e-12)
    assert (found.means is None) == (wanted.means is None)
    if wanted.means is not None:
        np.testing.assert_array_equal(found.means, wanted.means)
    model = parse(
        "Trust leads to Play\n“Joy at work” leads to Play\nPlay leads to Rest".replace("“", '"').replace("”", '"')
    )
    one, other = (assemble(analyse(model, own, Settings())) for own in (wanted, found))
    assert other.fit is not None
    assert one.fit is not None
    assert other.fit.chi_square == pytest.approx(one.fit.chi_square, abs=1e-9)
    assert [p.estimate for p in other.parameters] == pytest.approx([p.estimate for p in one.parameters])


def test_names_that_are_not_there_are_made_and_said() -> None:
    """A triangle of numbers alone can be modelled, and one sees what its variables are called; so are numbered rows."""
    for text in ("1\n.45 1\n.30 -.20 1\n", "1 1\n2 .45 1\n3 .30 -.20 1\n"):
        found, problems = read_any(text.encode(), "table.txt", ReadingOptions(), 100)
        assert found.names == ("v1", "v2", "v3")
        assert "names_made" in [p.code for p in problems]


def test_what_was_taken_for_what_is_said() -> None:
    """A reliability that counted as a correlation of 1, or a triangle that was passed over, would be a silent misreading."""
    codes = {
        name: [p.code for p in read_any(text.encode(), "t.txt", ReadingOptions())[1]] for name, text in WITH_SDS.items()
    }
    assert "diagonal_in_brackets" in codes["reliabilities on the diagonal"]
    assert "covariances_above" in codes["covariances above"]
    assert all("read_as_matrix" in found for found in codes.values())


def test_variances_are_not_taken_for_correlations() -> None:
    """Dashes among variances, or brackets beside them, would once have made ones of the variances without a word."""
    with pytest.raises(ProblemError):
        read_any(b"a\t4\nb\t2.4\t-\nc\t1\t.8\t4\n", "t.txt", ReadingOptions(kind="matrix"), 100)
    found, problems = read_any(b"a\t.64\nb\t(.12)\t.81\nc\t.10\t.08\t.49\n", "t.txt", ReadingOptions(), 100)
    assert isinstance(found, Moments)
    np.testing.assert_allclose(found.covariance, [[0.64, 0.12, 0.10], [0.12, 0.81, 0.08], [0.10, 0.08, 0.49]])
    assert "diagonal_in_brackets" not in [p.code for p in problems]


def test_reliabilities_without_brackets_are_asked_about() -> None:
    """Beside SDs they were taken for variances, and every correlation for a larger one."""
    text = "Variable\tM\tSD\t1\t2\nTrust\t3.4\t.80\t.84\nJoy\t2.9\t1.10\t.45\t.79\nN = 278\n"
    with pytest.raises(ProblemError, match="If reliabilities stand there"):
        read_any(text.encode(), "t.txt", ReadingOptions())


def test_typing_errors_stay_errors() -> None:
    """A triangle with a number too few, or one that differs from its mirror image by a slip, is not guessed at."""
    for text in ("Trust,1\nJoy,.45,1\nPlay,.30,1\n", "a,b,c\n1,.4,.3\n.5,1,.2\n.3,.2,1\n"):
        with pytest.raises(ProblemError):
            read_any(text.encode(), "t.csv", ReadingOptions(kind="matrix"), 100)


@given(
    st.integers(2, 5).flatmap(
        lambda k: st.lists(st.lists(st.integers(-9, 9), min_size=k, max_size=k), min_size=2, max_size=6)
    ),
    st.sampled_from(["names", "names and labels"]),
)
def test_cases_are_no_printed_matrix(rows: list[list[int]], heads: str) -> None:
    """Answers under names are cases, whatever the numbers, but where they are a symmetric matrix of those names."""
    names = [f"q{i}" for i in range(len(rows[0]))]
    lines = [",".join(names if heads == "names" else ["who", *names])]
    lines += [",".join([*([] if heads == "names" else [f"p{at}"]), *map(str, row)]) for at, row in enumerate(rows)]
    values = np.array(rows)
    if values.shape[0] == values.shape[1] and np.array_equal(values, values.T):
        return
    found, _ = read_any("\n".join(lines).encode(), "t.csv", ReadingOptions())
    assert isinstance(found, DataSet)
    assert found.n == len(rows)


def test_names_sds_and_means_can_stand_beside_a_matrix() -> None:
    """What a paper tells in its text, not in the table, is typed in: quoted names with blanks and commas in them too."""
    how = ReadingOptions(sds=(0.8, 1.1, 0.95, 1.3), means=(3.4, 2.9, 4.0, 3.1))
    text = "1\n.45 1\n.30 -.20 1\n.21 .08 .33 1\n"
    found, _ = Origin("t.txt", text.encode(), how, '"Trust, in staff" "Joy at work" Play Rest', 278).read()
    wanted = moments(WHOLE + SDS)
    assert isinstance(found, Moments)
    assert found.names == ("Trust, in staff", "Joy at work", "Play", "Rest")
    np.testing.assert_allclose(found.covariance, wanted.covariance, rtol=1e-12)
    np.testing.assert_array_equal(found.means, wanted.means)
    assert not found.correlations
    for wrong in (
        ReadingOptions(sds=(1.0, 2.0)),
        ReadingOptions(sds=(1, 1, 1, -1)),
        ReadingOptions(means=(float("nan"),) * 4),
    ):
        with pytest.raises(ProblemError):
            Origin("t.txt", text.encode(), wrong, "", 278).read()
    with pytest.raises(ProblemError, match="3 names for 4"):
        Origin("t.txt", text.encode(), how, "a b c", 278).read()
