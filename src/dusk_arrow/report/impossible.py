"""What makes a solution impossible, as a paper would put it."""

from __future__ import annotations

from dusk_arrow.core.problems import listed
from dusk_arrow.report.material import Material
from dusk_arrow.report.words.saying import be, plural

MOST_NAMED = 12


def impossible(material: Material) -> list[str]:
    """What is impossible about the solution, in clauses; empty where nothing is."""
    about: dict[str, list[str]] = {}
    for problem in material.results.problems:
        about.setdefault(problem.code, []).extend(problem.about[:1])
    below, beyond = about.get("negative_variance", []), about.get("loading_beyond_one", [])
    clauses = {
        "negative_variance": f"the {plural('variance', below)} of {listed(below, MOST_NAMED)} {be(below, True)} estimated below zero",
        "not_semi_definite": "the estimated covariances among residuals or constructs are impossible together",
        "loading_beyond_one": f"the standardized {plural('loading', beyond)} of {listed(beyond, MOST_NAMED)} "
        f"{'lies' if len(beyond) == 1 else 'lie'} beyond 1",
        "not_positive_definite_constructs": "the corrected correlations of the constructs are not positive definite",
        "unstable_loop": "the loop of paths grows without end at these estimates",
    }
    return [clause for code, clause in clauses.items() if code in about]
