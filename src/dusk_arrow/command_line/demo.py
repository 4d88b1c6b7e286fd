"""Loading the demo studies into the records, once."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import select

from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.exchange.origins import Origin
from dusk_arrow.records import store
from dusk_arrow.records.database import Sessions
from dusk_arrow.records.tables import ProjectRow
from dusk_arrow.results.convert import problem_part

STUDIES = (("night_ferry", "Night Ferry"), ("river_wardens", "River Wardens"))


def load_demo(sessions: Sessions, folder: Path) -> list[str]:
    """Loads the studies that were never loaded before and returns their names; removed ones stay removed."""
    loaded = []
    for key, name in STUDIES:
        with sessions.begin() as session:
            if session.scalars(select(ProjectRow).where(ProjectRow.demo == key)).first() is not None:
                continue
            labels = (folder / f"{key}.labels.csv").read_text()
            origin = Origin(f"{key}.csv", (folder / f"{key}.csv").read_bytes(), names=labels)
            data, noticed = origin.read()
            problems = [problem_part(problem).model_dump(mode="json") for problem in noticed]
            _, model = store.create_project(session, name, data, problems, demo=key, origin=origin)
            specification = parse((folder / f"{key}.txt").read_text())
            store.add_revision(session, model, specification, [], "the theory as it was planned", None)
            loaded.append(name)
    return loaded
