"""Figures of a model's parts: parameters, effects, tracked quantities, what is explained."""

from __future__ import annotations

from dusk_arrow.core.assessment.criteria.criterion import Criterion

FIGURES = (
    Criterion(
        "estimate",
        "estimate",
        "A parameter in the units of the data and of the scale that its construct was given.",
        "the value at which the discrepancy is least",
        "Jöreskog (1973)",
        "estimates",
        about="parameter",
        zero=True,
    ),
    Criterion(
        "standardized",
        "standardized estimate",
        "The same with every construct and observed variable scaled to variance 1; covariances become correlations, variances shares of variance.",
        "λ·sd(construct)/sd(indicator), β·sd(cause)/sd(outcome)",
        "Bollen (1989)",
        "estimates",
        about="parameter",
        zero=True,
    ),
    Criterion(
        "effect",
        "effect",
        "What one variable does to another: directly, along one route through others, or in all.",
        "products of paths along a route; in all (I−B)⁻¹ − I",
        "Bollen (1987)",
        "estimates",
        about="effect",
        zero=True,
    ),
    Criterion(
        "standardized_effect",
        "standardized effect",
        "The same from standardized paths.",
        "as for effects",
        "Bollen (1987)",
        "estimates",
        about="effect",
        zero=True,
    ),
    Criterion(
        "tracked",
        "tracked quantity",
        "Any expression of named parameters, as the model's sentences say it.",
        "as tracked; errors by the delta method",
        "Sobel (1982)",
        "estimates",
        about="quantity",
        zero=True,
    ),
    Criterion(
        "r_squared",
        "R²",
        "The share of a variable's variance that the model explains: not that of its disturbance or residual.",
        "1 − ψ/σ²",
        "Bollen (1989)",
        "estimates",
        about="variable",
        zero=False,
        decimals=2,
        lists=frozenset({"readout"}),
    ),
)
