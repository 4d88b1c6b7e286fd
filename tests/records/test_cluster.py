"""The private cluster and its migrations."""

from __future__ import annotations

import socket

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import create_engine, text
from sqlalchemy.exc import OperationalError

from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.records import runs, store
from dusk_arrow.records.cluster import Cluster
from dusk_arrow.records.database import connect, migrate, sessions
from dusk_arrow.records.tables import Base, ProjectRow


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


def test_work_from_before_recorded_steps_is_kept(cluster: Cluster) -> None:
    """Projects of the first version open with a first version of their data, and every revision knows its own."""
    cluster.ensure_database("d_upgrade")
    engine = connect(cluster.url("d_upgrade"))
    migrate(engine, "0001")
    with engine.begin() as connection:
        for statement in (
            "INSERT INTO projects (id, name, created) VALUES (1, 'old', now())",
            "INSERT INTO data_sets (id, project_id, name, content, columns, problems, n_cases, fingerprint, created) "
            "VALUES (1, 1, 'd', '', '[{\"name\": \"x\"}, {\"name\": \"y\"}]', '[]', 7, 'f', now())",
            "INSERT INTO models (id, project_id, data_set_id, name, settings, pins, onward) "
            "VALUES (1, 1, 1, 'm', '{\"scaling\": \"marker\"}', '{}', '{}')",
            "INSERT INTO revisions (id, model_id, specification, changes, words, created) VALUES (1, 1, 'x leads to y', '[]', 'w', now())",
            "UPDATE models SET head_id = 1",
        ):
            connection.exec_driver_sql(statement)
    migrate(engine)
    with sessions(engine)() as session:
        project = session.get_one(ProjectRow, 1)
        version = store.current_version(session, project)
        head = store.head_of(session, store.models_of(session, 1)[0])
        assert (version.n_cases, version.n_columns, version.steps) == (7, 2, [])
        assert (head.data_version_id, head.settings) == (version.id, {"scaling": "marker"})
    engine.dispose()


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


def test_sentences_of_earlier_versions_are_carried_over(cluster: Cluster) -> None:
    """Models and results that say fix … to and start … from open as before; words that only look alike stay."""
    old = "A shows in a1, a2\nfix A > a1 to 0.5  # why not\n  START variance of A from 2.\nfix shows in a3\nset aside a2 from A\n"
    new = "A shows in a1, a2\nhold A > a1 at 0.5  # why not\n  begin variance of A at 2.\nfix shows in a3\nset aside a2 from A\n"
    cluster.ensure_database("d_sentences")
    engine = connect(cluster.url("d_sentences"))
    migrate(engine, "0002")
    with engine.begin() as connection:
        for statement in (
            "INSERT INTO projects (id, name, created) VALUES (1, 'old', now())",
            "INSERT INTO data_sets (id, project_id, name, content, columns, problems, n_cases, fingerprint, created) "
            "VALUES (1, 1, 'd', '', '[]', '[]', 7, 'f', now())",
            "INSERT INTO data_versions (id, data_set_id, steps, words, n_cases, n_columns, fingerprint, created) "
            "VALUES (1, 1, '[]', 'w', 7, 0, 'f', now())",
            "INSERT INTO models (id, project_id, name, pins, onward) VALUES (1, 1, 'm', '{}', '{}')",
        ):
            connection.exec_driver_sql(statement)
        connection.execute(
            text(
                "INSERT INTO revisions (id, model_id, specification, changes, words, settings, data_version_id, created) "
                "VALUES (1, 1, :said, '[]', 'w', '{}', 1, now())"
            ),
            {"said": old},
        )
        connection.execute(
            text(
                "INSERT INTO runs (id, model_id, revision_id, key, settings, state, done, requested, results, created) "
                "VALUES (1, 1, 1, 'k', '{}', 'finished', 1, 1, jsonb_build_object('model', CAST(:said AS text)), now())"
            ),
            {"said": old},
        )
    migrate(engine)
    with engine.connect() as connection:
        assert connection.execute(text("SELECT specification FROM revisions")).scalar() == new
        assert connection.execute(text("SELECT results->>'model' FROM runs")).scalar() == new
    engine.dispose()
    assert len(parse(new).statements) == 5


def test_models_from_before_the_trail_have_one(cluster: Cluster) -> None:
    """Work of the third version opens with its revisions; its bootstrap is kept, but answers for no analysis."""
    cluster.ensure_database("d_trail")
    engine = connect(cluster.url("d_trail"))
    migrate(engine, "0003")
    settings, results = '{"estimator": "ml", "scaling": "marker"}', '{"data": {"fingerprint": "f"}}'
    with engine.begin() as connection:
        for statement in (
            "INSERT INTO projects (id, name, created) VALUES (1, 'old', now())",
            "INSERT INTO data_sets (id, project_id, name, content, columns, problems, n_cases, fingerprint, kind, created) "
            "VALUES (1, 1, 'd', '', '[]', '[]', 7, 'f', 'cases', now())",
            "INSERT INTO data_versions (id, data_set_id, steps, n_cases, n_columns, fingerprint, words, created) "
            "VALUES (1, 1, '[]', 7, 2, 'f', 'w', now())",
            "INSERT INTO models (id, project_id, name, pins, onward) VALUES (1, 1, 'm', '{}', '{}')",
            "INSERT INTO revisions (id, model_id, data_version_id, specification, settings, changes, words, created) "
            f"VALUES (1, 1, 1, 'x leads to y', '{settings}', '[]', 'w', now())",
            "UPDATE models SET head_id = 1",
            "INSERT INTO runs (id, model_id, revision_id, key, settings, state, done, requested, created, results) "
            f"VALUES (1, 1, 1, 'k', '{settings}', 'finished', 10, 10, now(), '{results}')",
        ):
            connection.exec_driver_sql(statement)
    migrate(engine)
    with sessions(engine)() as session:
        (revision,) = store.revisions_of(session, 1)
        assert (revision.name, revision.note, revision.prompted, revision.figures) == (None, None, "own", None)
        assert runs.last_finished(session, 1).id == 1  # type: ignore[union-attr]
        assert runs.latest_run(session, 1, "any") is None, "which analysis it was of is not known for certain"
        assert store.version_of(session, revision).fingerprint == ""
    engine.dispose()
