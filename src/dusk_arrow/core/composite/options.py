"""The settings of composite estimation."""

from __future__ import annotations

from dusk_arrow.core.options import Choice, FamilyOptions, Option, Traits

OPTIONS = FamilyOptions(
    "composite",
    "composites",
    (
        Option(
            "part",
            "What is estimated",
            (
                Choice("whole", "the whole model", "Measurement and paths together."),
                Choice("measurement", "the measurement model", "Every construct is linked with every other."),
            ),
        ),
        Option(
            "estimator",
            "Estimator",
            (
                Choice(
                    "plsc",
                    "consistent PLS",
                    "Correlations of reflective constructs are corrected for their unreliability.",
                ),
                Choice("pls", "PLS", "Constructs are their scores, with the measurement error that these hold."),
            ),
        ),
        Option(
            "scheme",
            "Inner weights",
            (
                Choice("path", "path", "Antecedents by regression, outcomes by correlation."),
                Choice("factorial", "factorial", "Correlations with all neighbours."),
                Choice("centroid", "centroid", "The signs of these correlations alone."),
            ),
        ),
        Option(
            "missing",
            "A missing answer",
            (
                Choice("listwise", "leave the case out", "Listwise deletion; the cases lost are counted."),
                Choice("mean", "fill with the mean", "Makes variances too small; for comparison only."),
                Choice("pairwise", "pairwise", "Each correlation from the cases that have both answers."),
            ),
        ),
        Option(
            "second_order",
            "Constructs of constructs",
            (
                Choice("two-stage", "two stages", "Parts first, then their scores as indicators."),
                Choice("repeated", "repeated indicators", "The whole has all the indicators of its parts."),
            ),
        ),
        Option(
            "signs",
            "Signs in resamples",
            (
                Choice("loadings", "by the loadings", "The loadings of a construct sum up to something positive."),
                Choice(
                    "full-sample", "as in the full sample", "Each construct runs with its weights of the full sample."
                ),
            ),
        ),
    ),
    Traits(tests=False, errors=False, holds=False, factors=False, predicts=True, divisor="n-1", page="composites"),
    {"pls": "Wold, 1982", "plsc": "Dijkstra & Henseler, 2015b"},
)
