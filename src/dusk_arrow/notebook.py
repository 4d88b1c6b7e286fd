"""The same analysis from a notebook: sentences and cases in, the results document out.

>>> from dusk_arrow.notebook import fit, table
>>> results = fit(open("model.txt").read(), "cases.csv", bootstrap=5000)  # doctest: +SKIP
>>> table(results.parameters)[["kind", "from", "to", "estimate", "se", "standardized"]]  # doctest: +SKIP
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from dusk_arrow.core.observations.data import Column, DataSet, Moments, Source
from dusk_arrow.core.problems import ProblemError
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.document import Results
from dusk_arrow.results.settings import Settings

if TYPE_CHECKING:
    import pandas as pd
    from pydantic import BaseModel

__all__ = ["ProblemError", "cases", "fit", "table"]


def cases(given: str | Path | pd.DataFrame | DataSet | Moments) -> Source:
    """Cases, or a matrix, from a file of any format that is read, or from the numeric columns of a data frame (one row a case).
    Raises ProblemError where a file cannot be used."""
    if isinstance(given, DataSet | Moments):
        return given
    if isinstance(given, str | Path):
        from dusk_arrow.exchange.reading import read_any
        from dusk_arrow.exchange.reading_options import ReadingOptions

        path = Path(given)
        return read_any(path.read_bytes(), path.name, ReadingOptions())[0]
    numbers = given.select_dtypes("number")
    columns = (
        Column(str(name), "number", values.to_numpy(dtype=float, na_value=np.nan)) for name, values in numbers.items()
    )
    return DataSet("data", tuple(columns))


def fit(sentences: str, data: str | Path | pd.DataFrame | DataSet | Moments, **settings: Any) -> Results:
    """The results document of a model, given in sentences, on some cases. Settings are those of the command line, such as
    `estimator="pls"`, `errors="satorra-bentler"` or `bootstrap=5000`; the same seed gives the same numbers as there.

    A model that cannot be estimated has a document too, whose `problems` say why. Raises ProblemError for sentences or files that
    cannot be read, and pydantic's ValidationError for a setting that there is not.
    """
    return assemble(analyse(parse(sentences), cases(data), Settings(**settings)))


def table(parts: Sequence[BaseModel]) -> pd.DataFrame:
    """Parts of a document (parameters, effects, constructs and the like) as a data frame, a row each, by the names that they have in
    the document."""
    import pandas as pd

    return pd.DataFrame([part.model_dump(by_alias=True) for part in parts])
