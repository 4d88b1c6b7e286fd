"""The families of estimation there are, by the name they have in the settings."""

from __future__ import annotations

from dusk_arrow.core.composite.family import CompositeFamily
from dusk_arrow.core.covariance.family import CovarianceFamily
from dusk_arrow.core.family import Family

FAMILIES: dict[str, Family] = {"covariance": CovarianceFamily(), "composite": CompositeFamily()}
