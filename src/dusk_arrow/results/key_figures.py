"""The few figures of a document by which revisions are told apart: kept with the revision, drawn as a line on the trail."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import AfterValidator, BaseModel

from dusk_arrow import __version__
from dusk_arrow.core.assessment.criteria import listed_in
from dusk_arrow.results.document import Results
from dusk_arrow.results.readout import figure_value, shown_keys

LINES = listed_in("trail")


class KeyFigures(BaseModel):
    """What is kept of a document: figures by key, degrees of freedom, cases, and on which answers it rests (null: unknown)."""

    version: str = __version__
    estimated: bool
    values: dict[str, float | None] = {}
    df: int | None = None
    p_value: float | None = None
    n_used: int | None = None
    analysed: str | None = None


def _checked(given: dict[str, Any]) -> dict[str, Any]:
    KeyFigures.model_validate(given)
    return given


FiguresAsKept = Annotated[dict[str, Any], AfterValidator(_checked)]
"""Key figures as they were kept, with what is noted beside them."""


def key_figures(results: Results) -> KeyFigures:
    """The key figures of a document."""
    fit, data = results.fit, results.data
    if not results.converged or fit is None or data is None:
        return KeyFigures(estimated=False)
    values = {key: figure_value(results, key) for key in dict.fromkeys((*shown_keys(results), *LINES))}
    return KeyFigures(
        estimated=True, values=values, df=fit.df, p_value=fit.p_value, n_used=data.n_used, analysed=data.analysed
    )
