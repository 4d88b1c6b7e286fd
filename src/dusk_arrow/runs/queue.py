"""The queue: one job a turn of a run, kept in PostgreSQL by a library. Its tables say nothing that the runs on record do not
say, so they are made anew at every start, and no version of the library has to read those of another.
"""

from __future__ import annotations

from contextlib import suppress

from procrastinate import App, PsycopgConnector, SyncPsycopgConnector
from procrastinate.connector import BaseConnector
from procrastinate.exceptions import AlreadyEnqueued
from procrastinate.schema import SchemaManager
from sqlalchemy import Engine, text

from dusk_arrow.records.backups import QUEUE

TURN = "turn"


def address(engine: Engine) -> str:
    """Where the library finds its own tables, password included: never printed."""
    plain = engine.url.set(drivername="postgresql").render_as_string(hide_password=False)
    return f"{plain}?options=-csearch_path%3D{QUEUE}"


def prepare(engine: Engine) -> None:
    """The queue's tables, new and empty."""
    with engine.begin() as connection:
        connection.execute(text(f"drop schema if exists {QUEUE} cascade"))
        connection.execute(text(f"create schema {QUEUE}"))
        connection.execute(text(f"set local search_path to {QUEUE}"))
        connection.exec_driver_sql(SchemaManager.get_schema().replace("%", "%%"))


def queue(where: str, waits: bool) -> App:
    """The queue as it is written to, or as it is worked off (`waits`)."""
    connector: BaseConnector = PsycopgConnector(conninfo=where) if waits else SyncPsycopgConnector(conninfo=where)
    return App(connector=connector)


def enqueue(app: App, run_id: int) -> None:
    """Puts a run at the end of the queue, unless it is waiting there already."""
    with suppress(AlreadyEnqueued):
        app.configure_task(TURN, queueing_lock=f"run {run_id}").defer(run_id=run_id)
