"""Backups of the records: one file each, made and read by PostgreSQL's own tools.

What comes from a file is data and nothing else: tables are made by the migrations of this program, and their contents are filled in by
an account that can do nothing but that. A file made with ill will can hold wrong data, but runs nothing and reads no other file.
"""

from __future__ import annotations

import re
import secrets
import tempfile
from datetime import datetime
from pathlib import Path

from sqlalchemy import Connection, create_engine, inspect, text

from dusk_arrow.records.cluster import DATABASE, Cluster, ClusterError
from dusk_arrow.records.database import known_revision, migrate
from dusk_arrow.records.tables import Base

QUEUE = "queue"  # the schema of the queue's own tables, which are made anew at every start
KEPT = 7
FILLER = "dusk_filler"  # the account that fills tables from a file
CORE = frozenset({"projects", "data_sets", "models", "revisions"})
VERSION = "alembic_version"


def back_up(cluster: Cluster, target: Path) -> None:
    """Writes the records to a file, at once or not at all; the cluster runs. Raises ClusterError."""
    fresh = target.with_name(target.name + ".part")
    done = cluster.tool("pg_dump", "--format=custom", f"--exclude-schema={QUEUE}", f"--file={fresh}", DATABASE)
    if done.returncode != 0:
        fresh.unlink(missing_ok=True)
        raise ClusterError(f"The backup could not be written to {target}: {done.stdout.strip()[-300:]}")
    fresh.chmod(0o600)
    fresh.replace(target)


def _contents(cluster: Cluster, source: Path) -> list[tuple[str, str, str]]:
    """What a backup holds: lines of its list with kind and name. Raises ClusterError where it is none."""
    done = cluster.tool("pg_restore", "--list", str(source))
    if done.returncode != 0:
        raise ClusterError(f"{source} is no backup of Dusk Arrow, or it is damaged; nothing was changed.")
    found = []
    for line in done.stdout.splitlines():
        match = re.match(r"\d+; \d+ \d+ (TABLE DATA|SEQUENCE SET) public (\w+) ", line)
        if match:
            found.append((line, match[1], match[2]))
    return found


def _revision(cluster: Cluster, source: Path) -> str:
    """Which state of the tables a backup is of. Raises ClusterError where that is unknown here."""
    done = cluster.tool("pg_restore", "--data-only", f"--table={VERSION}", "--file=-", str(source))
    found = re.search(rf"^COPY public\.{VERSION} \(version_num\) FROM stdin;\n(\w+)$", done.stdout, re.MULTILINE)
    if done.returncode != 0 or found is None:
        raise ClusterError(f"{source} holds no records of Dusk Arrow; nothing was changed.")
    if not known_revision(found[1]):
        message = f"{source} was made by a newer version of Dusk Arrow; restore it with that one. Nothing was changed."
        raise ClusterError(message)
    return found[1]


def restore(cluster: Cluster, source: Path) -> Path:
    """Puts the records of a backup in the place of the present ones, which are backed up first; returns that backup.

    The cluster runs and nobody else is connected. Nothing is changed when the file is no backup, holds no records, or is of a newer
    version. Raises ClusterError.
    """
    contents, revision = _contents(cluster, source), _revision(cluster, source)
    if not {name for _, kind, name in contents if kind == "TABLE DATA"} >= CORE:
        raise ClusterError(f"{source} holds no whole records of Dusk Arrow; nothing was changed.")
    kept = _dated(cluster, "before-restore")
    back_up(cluster, kept)
    fresh, old = f"{DATABASE}_restored", f"{DATABASE}_replaced"
    _command(cluster, f"drop database if exists {fresh}", f"drop database if exists {old}", f"create database {fresh}")
    try:
        _fill(cluster, source, contents, revision, fresh)
    except ClusterError:
        _command(cluster, f"drop database {fresh}")
        raise
    engine = create_engine(cluster.url("postgres"))
    with engine.begin() as connection:  # both names change at once, so that a kill leaves the one or the other
        connection.execute(text(f"alter database {DATABASE} rename to {old}"))
        connection.execute(text(f"alter database {fresh} rename to {DATABASE}"))
    engine.dispose()
    _command(cluster, f"drop database {old}")
    return kept


def _fill(cluster: Cluster, source: Path, contents: list[tuple[str, str, str]], revision: str, fresh: str) -> None:
    """Makes the tables of a revision in a fresh database and fills them. Raises ClusterError where the file does not fit them."""
    engine = create_engine(cluster.url(fresh))
    try:
        migrate(engine, revision)
        tables = set(inspect(engine).get_table_names("public")) - {VERSION}
        wanted = [line for line, kind, name in contents if kind == "SEQUENCE SET" or name in tables]
        password = secrets.token_urlsafe(24)
        with engine.begin() as connection:
            _make_filler(connection, password)
        with tempfile.NamedTemporaryFile("w", suffix=".list", dir=cluster.folder) as chosen:
            chosen.write("\n".join(wanted) + "\n")
            chosen.flush()
            done = cluster.tool(
                "pg_restore", "--exit-on-error", "--data-only", "--no-owner", "--no-privileges", f"--use-list={chosen.name}",
                f"--dbname={fresh}", str(source), account=(FILLER, password), options="-c session_replication_role=replica",
            )  # fmt: skip
        if done.returncode != 0:
            raise ClusterError(f"{source} could not be restored; nothing was changed: {done.stdout.strip()[-300:]}")
        with engine.begin() as connection:
            _drop_filler(connection)
            _joined(connection, source)
    finally:
        engine.dispose()


def _make_filler(connection: Connection, password: str) -> None:
    """An account that can fill these tables and nothing else: no programs, no files, no other database."""
    _drop_filler(connection)
    connection.execute(text(f"create role {FILLER} login nosuperuser nocreatedb nocreaterole password '{password}'"))
    for grant in (
        "insert on all tables in schema public", "usage, select, update on all sequences in schema public",
        "set on parameter session_replication_role",
    ):  # fmt: skip
        connection.execute(text(f"grant {grant} to {FILLER}"))
    connection.execute(text(f"revoke insert on {VERSION} from {FILLER}"))


def _drop_filler(connection: Connection) -> None:
    if connection.execute(text("select 1 from pg_roles where rolname = :name"), {"name": FILLER}).first() is None:
        return
    connection.execute(text(f"drop owned by {FILLER}"))
    connection.execute(text(f"revoke set on parameter session_replication_role from {FILLER}"))
    connection.execute(text(f"drop role {FILLER}"))


def _joined(connection: Connection, source: Path) -> None:
    """Raises ClusterError where a row names another that is not there: the filling does not look."""
    found = inspect(connection)
    for table in found.get_table_names("public"):
        for key in found.get_foreign_keys(table, "public"):
            own, other = key["constrained_columns"][0], key["referred_columns"][0]
            query = (
                f"select 1 from {table} a left join {key['referred_table']} b on a.{own} = b.{other} "
                f"where a.{own} is not null and b.{other} is null limit 1"
            )
            if connection.execute(text(query)).first() is not None:
                raise ClusterError(f"{source} does not hold together ({table}.{own}); nothing was changed.")


def back_up_when_changed(cluster: Cluster) -> Path | None:
    """A dated backup beside the cluster if the records have changed since the last one; the last seven are kept. Raises
    ClusterError."""
    engine = create_engine(cluster.url())
    with engine.connect() as connection:
        state = _state(connection)
    engine.dispose()
    if not state:
        return None
    folder = _folder(cluster)
    note = folder / "state"
    if note.exists() and note.read_text() == state and any(folder.glob("*.backup")):
        return None
    target = _dated(cluster, "records")
    back_up(cluster, target)
    note.write_text(state)
    for old in sorted(folder.glob("records-*.backup"))[:-KEPT]:
        old.unlink()
    return target


def _state(connection: Connection) -> str:
    """What tells one state of the records from another, and outlasts a crash: of each table how many rows there are, and the last
    transactions that wrote any."""
    there = set(inspect(connection).get_table_names("public"))
    lines = []
    for table in sorted(set(Base.metadata.tables) & there):
        query = (
            f"select count(*), coalesce(max(xmin::text::bigint), 0), coalesce(sum(xmin::text::bigint), 0) from {table}"
        )
        lines.append(f"{table} {tuple(connection.execute(text(query)).one())}")
    return "\n".join(lines)


def _folder(cluster: Cluster) -> Path:
    folder = cluster.folder / "backups"
    folder.mkdir(mode=0o700, exist_ok=True)
    return folder


def _dated(cluster: Cluster, what: str) -> Path:
    return _folder(cluster) / f"{what}-{datetime.now():%Y-%m-%d-%H%M%S-%f}.backup"


def _command(cluster: Cluster, *statements: str) -> None:
    engine = create_engine(cluster.url("postgres"), isolation_level="AUTOCOMMIT")
    with engine.connect() as connection:
        for statement in statements:
            connection.execute(text(statement))
    engine.dispose()
