"""What is chosen with a bootstrap, whatever the family: menu, command line and settings are made from it."""

from __future__ import annotations

from dusk_arrow.core.options import Choice, Option, Range

USUAL_RESAMPLES = 5000
DEFAULT_SEED = 20261
RESAMPLES = Range(0, 0, 100_000, offered=(1000, 5000, 10_000, 50_000, 100_000), usual=USUAL_RESAMPLES)
SEEDS = Range(DEFAULT_SEED, 0)
LEVELS = Range(0.95, 0.5, 1, inside=False, offered=(0.9, 0.95, 0.99))
INTERVAL = Option(
    "interval",
    "intervals",
    (
        Choice("percentile", "percentile", "The middle of what the resamples gave.", source="Efron & Tibshirani, 1993"),
        Choice(
            "bias-corrected",
            "bias-corrected",
            "Moved by how far the resamples' median is from the estimate.",
            source="Efron, 1982",
        ),
        Choice(
            "bca", "BCa", "Bias-corrected and accelerated; takes a further fit for every case.", source="Efron, 1987"
        ),
    ),
    of_run=True,
)
RUN_OPTIONS = (
    Option("bootstrap", "resamples", hint="how many resamples", of_run=True, numbers=RESAMPLES),
    Option("seed", "seed", hint="the same seed gives the same numbers again", of_run=True, numbers=SEEDS),
    INTERVAL,
    Option("level", "level", hint="of the intervals", of_run=True, numbers=LEVELS),
)
