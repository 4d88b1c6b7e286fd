"""What several rooms of tests share: places, the demo, and a throw-away database cluster."""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import pytest
from hypothesis import settings

from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.exchange.csv_files import read_csv
from dusk_arrow.figure.formats.svg import svg
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.figure.paper import diagram
from dusk_arrow.records.cluster import Cluster
from dusk_arrow.records.database import Sessions, connect, migrate, sessions
from dusk_arrow.results.document import Results

ROOT = Path(__file__).resolve().parents[1]
DEMO = ROOT / "demo"

settings.register_profile("calm", deadline=None, max_examples=25, derandomize=True)
settings.load_profile("calm")


@pytest.hookimpl(tryfirst=True)  # before the groups are read
def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Two processes share the work file by file, each with a browser of its own."""
    for item in items:
        item.add_marker(pytest.mark.xdist_group(str(item.path)))
    items.sort(key=lambda item: "browser" not in item.path.parts)  # the longest first, so that nobody waits for it


def demo_data(name: str) -> DataSet:
    return read_csv((DEMO / f"{name}.csv").read_bytes(), name).data


def paper_figure(results: Results, options: FigureOptions | None = None, about: tuple[str, str] | None = None) -> str:
    return svg(diagram(results, options, about))


def demo_text(name: str) -> str:
    return (DEMO / f"{name}.txt").read_text()


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    """A cluster of the tests' own, never the user's, in a folder that its account can enter."""
    folder = Path(tempfile.mkdtemp(prefix="dusk-arrow-tests-", dir="/tmp"))
    found = Cluster(folder, durable=False)
    found.create()
    found.start()
    try:
        found.ensure_database("template_dusk")
        engine = connect(found.url("template_dusk"))
        migrate(engine)
        engine.dispose()
        yield found
    finally:
        found.stop()
        shutil.rmtree(folder, ignore_errors=True)


@pytest.fixture(scope="module")
def records(cluster: Cluster, request: pytest.FixtureRequest) -> Iterator[Sessions]:
    """A fresh database per module, migrated."""
    name = "d_" + request.module.__name__.replace(".", "_")
    cluster.ensure_database(name, template="template_dusk")
    engine = connect(cluster.url(name))
    yield sessions(engine)
    engine.dispose()
