"""What makes a solution impossible, as a paper would put it."""

from __future__ import annotations

from dusk_arrow.core.problems import listed
from dusk_arrow.report.material import Material

ORDER = (
    "negative_variance",
    "not_semi_definite",
    "loading_beyond_one",
    "not_positive_definite_constructs",
    "unstable_loop",
)


def impossible(material: Material) -> list[str]:
    """What is impossible about the solution, in clauses; empty where nothing is."""
    about: dict[str, list[str]] = {}
    for problem in material.results.problems:
        if problem.code in ORDER:
            about.setdefault(problem.code, []).extend(problem.about[:1])
    clauses = {
        "negative_variance": f"the variance{'s' * (len(about.get('negative_variance', [])) > 1)} of "
        f"{listed(about.get('negative_variance', []), 12)} {'were' if len(about.get('negative_variance', [])) > 1 else 'was'} "
        "estimated below zero",
        "not_semi_definite": "the estimated covariances among residuals or constructs are impossible together",
        "loading_beyond_one": f"the standardized loading{'s' * (len(about.get('loading_beyond_one', [])) > 1)} of "
        f"{listed(about.get('loading_beyond_one', []), 12)} lie{'s' * (len(about.get('loading_beyond_one', [])) == 1)} beyond 1",
        "not_positive_definite_constructs": "the corrected correlations of the constructs are not positive definite",
        "unstable_loop": "the loop of paths grows without end at these estimates",
    }
    return [clauses[code] for code in ORDER if code in about]
