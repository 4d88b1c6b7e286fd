"""Scores of cases as a file of their own."""

from __future__ import annotations

import io

import numpy as np

from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.exchange.writing import harmless
from dusk_arrow.results.document import Results
from dusk_arrow.results.scoring import Method, construct_scores


def scores_csv(results: Results, cases: DataSet, method: Method = "regression") -> str:
    """The scores as comma-separated text with the number of the case in front; empty where there is none."""
    import pandas as pd  # loaded late: it takes long, and a start does not need it

    names, values = construct_scores(results, cases, method)
    table = pd.DataFrame(values, columns=[harmless(name) for name in names])
    table.insert(0, "case", np.array(cases.case_numbers))
    buffer = io.StringIO()
    table.to_csv(buffer, index=False)
    return buffer.getvalue()
