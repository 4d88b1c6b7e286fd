"""The settings of common-factor estimation."""

from __future__ import annotations

from dusk_arrow.core.options import Choice, FamilyOptions, Option, Traits

OPTIONS = FamilyOptions(
    "covariance",
    "common factors",
    (
        Option(
            "part",
            "What is estimated",
            (
                Choice("whole", "the whole model", "Measurement and paths together."),
                Choice(
                    "measurement", "the measurement model", "Constructs and indicators alone; all constructs covary."
                ),
            ),
        ),
        Option(
            "estimator",
            "Estimator",
            (
                Choice(
                    "ml",
                    "maximum likelihood",
                    "Close to normal; with Satorra–Bentler errors it bears data that are not.",
                    "maximum_likelihood",
                ),
                Choice(
                    "gls",
                    "generalized least squares",
                    "Close to normal; residuals are weighed by the sample's own covariances.",
                    "generalized_least_squares",
                ),
                Choice(
                    "adf",
                    "asymptotically distribution-free",
                    "Any distribution, with very many cases: far more than there are moments.",
                    "distribution_free",
                ),
                Choice(
                    "uls",
                    "unweighted least squares",
                    "No weights: every residual counts alike, so it depends on the units that columns are in.",
                    "unweighted_least_squares",
                ),
            ),
        ),
        Option(
            "missing",
            "A missing answer",
            (
                Choice("listwise", "leave the case out", "Listwise deletion; the cases lost are counted."),
                Choice("full-information", "full information", "Every case counts with the answers it has."),
                Choice("mean", "fill with the mean", "Makes variances too small; for comparison only."),
            ),
        ),
        Option(
            "errors",
            "Standard errors",
            (
                Choice("expected", "expected information", "Normal theory, the usual standard errors."),
                Choice("observed", "observed information", "Second derivatives; the default with missing answers."),
                Choice(
                    "sandwich",
                    "sandwich",
                    "Robust errors and the Yuan–Bentler test, with gaps too; heavy tails need many cases.",
                ),
                Choice(
                    "satorra-bentler",
                    "Satorra–Bentler",
                    "Robust errors and the scaled test: the one for complete cases that are not normal.",
                ),
                Choice("bootstrap", "bootstrap", "From the resamples of a run."),
            ),
        ),
        Option(
            "scaling",
            "Scale of a construct",
            (
                Choice("marker", "first loading is 1", "The first indicator in use carries the scale."),
                Choice("unit-variance", "variance is 1", "Every loading is free."),
            ),
        ),
        Option(
            "divisor",
            "Divisor",
            (
                Choice("n", "n", "χ² = N·F, as maximum likelihood has it."),
                Choice("n-1", "n − 1", "χ² = (N − 1)·F."),
            ),
        ),
        Option("means", "Levels too: means of columns and constructs", (), "model means and intercepts too"),
        Option(
            "bollen_stine",
            "Fit tested on data transformed to the model",
            (),
            "test the fit on data transformed to the model",
            only_with=(("estimator", ("ml", "gls")), ("missing", ("listwise",))),
            of_run=True,
        ),
    ),
    Traits(tests=True, errors=True, holds=True, factors=True, predicts=False, divisor=None, page="estimation"),
    {"ml": "Jöreskog, 1969", "gls": "Browne, 1974", "uls": "test and errors: Browne, 1984", "adf": "Browne, 1984"},
)
