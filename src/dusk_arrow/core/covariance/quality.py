"""Measurement quality beyond the figures: correlations with constructs, alphas of standardized items, collinearity."""

from __future__ import annotations

import numpy as np

from dusk_arrow.core.assessment.reliability import standardized_alpha
from dusk_arrow.core.covariance.admissibility import direction_of
from dusk_arrow.core.covariance.point import BlockPoint
from dusk_arrow.core.family import Quality
from dusk_arrow.core.linear_algebra import correlation_from, variance_inflation
from dusk_arrow.core.statistics import Statistics


def assess_quality(point: BlockPoint, found: Statistics) -> Quality:
    """Of the implied covariances, but for alphas and VIFs, which are of the sample's."""
    table, sample = point.model.table, point.evidence.covariance
    at = {name: i for i, name in enumerate(table.observed)}
    node_at = {name: i for i, name in enumerate(table.nodes)}
    chosen = [node_at[c.name] for c in table.constructs]
    nodes, loading = point.found.nodes, point.parts.loading
    sd, sd_nodes = np.sqrt(np.diag(point.covariance)), np.sqrt(np.diag(nodes))
    across = (loading @ nodes) / np.outer(sd, sd_nodes)
    correlation = correlation_from(sample)
    alphas: dict[str, float] = {}
    inflation: dict[tuple[str, str], float] = {}
    for construct in table.constructs:
        names = [name for name in construct.indicators if name in at]
        rows = [at[name] for name in names]
        if np.isfinite(found.value("alpha", construct.name, group=table.group)):
            alphas[construct.name] = float(standardized_alpha(sample[np.ix_(rows, rows)]))
        if len(rows) > 1:
            vif = variance_inflation(correlation[np.ix_(rows, rows)])
            inflation |= {(construct.name, name): float(v) for name, v in zip(names, vif, strict=True)}
    indicators = tuple(dict.fromkeys(name for c in table.constructs for name in c.indicators if name in at))
    return Quality(
        table.constructs,
        indicators,
        across[np.ix_([at[name] for name in indicators], chosen)],
        correlation_from(nodes)[np.ix_(chosen, chosen)],
        alphas,
        inflation,
        {c.name: direction_of(table, found, c) for c in table.constructs},
    )
