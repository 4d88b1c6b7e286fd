"""The private cluster and its migrations."""

from __future__ import annotations

import socket

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import create_engine, text
from sqlalchemy.exc import OperationalError

from dusk_arrow.records.cluster import Cluster
from dusk_arrow.records.database import connect, migrate
from dusk_arrow.records.tables import Base


def test_migrations_make_the_tables_that_the_code_expects(cluster: Cluster) -> None:
    """A column that only the code knows would fail for every user at the first start."""
    cluster.ensure_database("d_migrations")
    engine = connect(cluster.url("d_migrations"))
    migrate(engine)
    migrate(engine)
    with engine.connect() as connection:
        differences = compare_metadata(MigrationContext.configure(connection), Base.metadata)
    engine.dispose()
    assert differences == []


def test_the_cluster_wants_its_password_and_listens_on_loopback_only(cluster: Cluster) -> None:
    """Other accounts of the machine, and other machines, must not get in."""
    address = cluster.url("postgres")
    wrong = create_engine(address.replace(address.split(":")[2].split("@")[0], "wrong"))
    with pytest.raises(OperationalError), wrong.connect():
        pass
    engine = connect(address)
    with engine.connect() as connection:
        assert connection.execute(text("show listen_addresses")).scalar() == "127.0.0.1"
        assert connection.execute(text("show unix_socket_directories")).scalar() == ""
        assert connection.execute(text("show password_encryption")).scalar() == "scram-sha-256"
    engine.dispose()
    assert (cluster.folder / "database.json").stat().st_mode & 0o077 == 0


def test_a_running_cluster_is_adopted(cluster: Cluster) -> None:
    """After a kill the database still runs; the next start must take it over, not fail."""
    before = cluster.url()
    again = Cluster(cluster.folder, durable=False)
    assert again.running()
    assert again.create() is False
    again.start()
    assert again.url() == before
    port = int(before.rsplit(":", 1)[1].split("/")[0])
    with socket.create_connection(("127.0.0.1", port), timeout=5):
        pass
