"""What families read of what was chosen among their options.

Made of the options of the families by tools/write_settings.py, so that they are declared once.
"""

from __future__ import annotations

from typing import Literal, Protocol


class ChosenSettings(Protocol):
    """What was chosen of every option."""

    @property
    def part(self) -> Literal["whole", "measurement"]:
        """What is estimated."""

    @property
    def estimator(self) -> Literal["ml", "gls", "adf", "uls", "plsc", "pls"]:
        """Estimator."""

    @property
    def missing(self) -> Literal["listwise", "full-information", "mean", "pairwise"]:
        """A missing answer."""

    @property
    def errors(self) -> Literal["expected", "observed", "sandwich", "satorra-bentler", "bootstrap"]:
        """Standard errors."""

    @property
    def scaling(self) -> Literal["marker", "unit-variance"]:
        """Scale of a construct."""

    @property
    def divisor(self) -> Literal["n", "n-1"]:
        """Divisor."""

    @property
    def means(self) -> bool:
        """Levels too: means of columns and constructs."""

    @property
    def bollen_stine(self) -> bool:
        """Fit tested on data transformed to the model."""

    @property
    def scheme(self) -> Literal["path", "factorial", "centroid"]:
        """Inner weights."""

    @property
    def second_order(self) -> Literal["two-stage", "repeated"]:
        """Constructs of constructs."""

    @property
    def signs(self) -> Literal["loadings", "full-sample"]:
        """Signs in resamples."""
