"""Figures that composites have of their own."""

from __future__ import annotations

from dusk_arrow.core.assessment.criteria.criterion import Criterion

FIGURES = (
    Criterion(
        "rho_a",
        "rho_A",
        "Reliability of a construct's scores, from its weights; what consistent estimates are corrected by.",
        "(w′w)²·w′(S − diag S)w / w′(ww′ − diag ww′)w",
        "Dijkstra & Henseler (2015b)",
        "composites",
        "higher",
        0.7,
        0.6,
        "Hair, Risher, Sarstedt & Ringle (2019)",
        about="construct",
    ),
    Criterion(
        "r_squared_adjusted",
        "adjusted R²",
        "R² less what as many predictors would explain by chance.",
        "1 − (1 − R²)·(n − 1)/(n − k − 1)",
        "Theil (1961)",
        "composites",
        about="variable",
    ),
    Criterion(
        "vif_full",
        "VIF on all others",
        "How well all other constructs of the structure predict this one. High values in every construct are read as a sign of "
        "common-method variance.",
        "diagonal of the inverse correlation matrix of all constructs",
        "Kock & Lynn (2012)",
        "composites",
        "lower",
        3.3,
        5.0,
        "3.3: Kock (2015); 5, where correlations are corrected: Kock & Lynn (2012)",
        about="construct",
    ),
    Criterion(
        "d_uls",
        "d_ULS",
        "The squared distance of implied from observed correlations. It has no cut-off; a bootstrap gives it reference quantiles.",
        "½·Σ(s − σ)², over the full matrix",
        "Dijkstra & Henseler (2015a)",
        "composites",
        form="plain",
        lists=frozenset({"readout", "note", "table", "beside", "models"}),
        printed_as=("d_ULS",),
        of_same_data=True,
    ),
    Criterion(
        "d_g",
        "d_G",
        "The geodesic distance of implied from observed correlations, with reference quantiles from a bootstrap.",
        "½·Σ(ln φ)², φ the eigenvalues of S⁻¹Σ",
        "Dijkstra & Henseler (2015a)",
        "composites",
        form="plain",
        lists=frozenset({"readout", "note", "table", "beside", "models"}),
        printed_as=("d_G",),
        of_same_data=True,
    ),
)
