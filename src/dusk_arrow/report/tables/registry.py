"""The tables of a report in their order. Adding one is adding a line here and a function beside it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from dusk_arrow.report.cells import Table
from dusk_arrow.report.material import Material
from dusk_arrow.report.tables import history, measurement, sample, stated, structure


@dataclass(frozen=True)
class TableMaker:
    """A table: its key, what it is called before it is made, and whether a report has it unasked."""

    key: str
    words: str
    make: Callable[[Material], Table | None]
    unasked: bool = True


TABLES: tuple[TableMaker, ...] = (
    TableMaker("descriptives", "Variables", sample.descriptives),
    TableMaker("correlations", "Correlations of the variables", sample.correlations, False),
    TableMaker("measures", "Measures", measurement.measures),
    TableMaker("htmt", "Constructs apart: HTMT", measurement.htmt),
    TableMaker("fornell_larcker", "Constructs apart: correlations and √AVE", measurement.fornell_larcker),
    TableMaker("cross_loadings", "Cross-loadings", measurement.cross_loadings, False),
    TableMaker("collinearity", "Collinearity", measurement.collinearity),
    TableMaker("fit", "Fit", structure.fit),
    TableMaker("halves", "Both halves of the cases", history.halves),
    TableMaker("paths", "Paths and hypotheses", structure.paths),
    TableMaker("effects", "Effects", structure.effects),
    TableMaker("stated", "Covariances, equalities and held values", stated.stated),
    TableMaker("explained", "What is explained", structure.explained),
    TableMaker("models", "Models", history.models),
    TableMaker("set_aside", "What was removed, and why", history.set_aside),
    TableMaker("assumptions", "Assumptions", sample.assumptions),
    TableMaker("criteria", "Criteria with sources", history.criteria, False),
    TableMaker("parameters", "All parameters", structure.parameters, False),
)
