"""The estimators there are, by their names in the settings: those that the options name, each in a module of its own."""

from __future__ import annotations

from importlib import import_module

from dusk_arrow.core.covariance.estimators.estimator import Estimator
from dusk_arrow.core.covariance.options import OPTIONS

CHOICES = next(option for option in OPTIONS.options if option.name == "estimator").choices
ESTIMATORS: dict[str, Estimator] = {
    choice.value: import_module(f"{__package__}.{choice.module}").ESTIMATOR for choice in CHOICES
}
