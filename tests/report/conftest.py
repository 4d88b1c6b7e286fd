"""A report's material that several tests share."""

from __future__ import annotations

from dataclasses import replace
from functools import cache

from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.core.specification.names import map_names
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.writing import statement_text
from dusk_arrow.report.material import Material, Turn, material
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.document import Results
from dusk_arrow.results.settings import Settings
from tests.conftest import demo_data, demo_text

MORE = """
Support leads to Persistence
set aside ef5 from Efficacy because "it says two things"
expect Training > Efficacy positive as H1
expect Training > Efficacy > Stewardship > Persistence positive as H2
expect Support > Persistence negative as H3
"""


@cache
def worded() -> DataSet:
    """The demo with a made-up wording of every column."""
    data = demo_data("river_wardens")
    return replace(data, columns=tuple(replace(column, label=f"Wording of {column.name}") for column in data.columns))


@cache
def estimated(family: str = "covariance", more: str = MORE) -> Results:
    """The demo, with an item set aside for a reason, expectations, and a path that could be zero."""
    settings = Settings(family=family, bootstrap=256, seed=7)  # type: ignore[arg-type]
    return assemble(analyse(parse(demo_text("river_wardens") + more), worded(), settings, depth="thorough"))


def wardens(family: str = "covariance") -> Material:
    turns = [Turn("ef5 set aside from Efficacy", None, True), Turn("Support leads to Persistence", None, False)]
    return material(estimated(family), worded(), turns=turns)


def renamed(results: Results, names: dict[str, str]) -> Results:
    """The same document with other names everywhere, and those names as labels of columns."""
    own = [map_names(statement, lambda name: names.get(name, name)) for statement in parse(results.model).statements]
    text = results.model_copy(update={"model": ""}).model_dump_json(by_alias=True)
    found = Results.model_validate_json(text)

    def put(value: object) -> object:
        if isinstance(value, str):
            return names.get(value, value)
        if isinstance(value, list):
            return [put(one) for one in value]
        if isinstance(value, dict):
            return {names.get(key, key): put(one) for key, one in value.items()}
        return value

    changed = Results.model_validate(put(found.model_dump(mode="json", by_alias=True)))
    model = "".join(f"{statement_text(one)}\n" for one in own)
    assert changed.data is not None
    labels = {names.get(key, key): f"wording of {names.get(key, key)}" for key in changed.data.labels}
    data = changed.data.model_copy(update={"labels": labels})
    return changed.model_copy(update={"model": model, "data": data})
