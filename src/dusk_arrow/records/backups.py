"""Backups of the records: one file each, made and read by PostgreSQL's own tools."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from sqlalchemy import create_engine, text

from dusk_arrow.records.cluster import DATABASE, Cluster, ClusterError

QUEUE = "queue"  # the schema of the queue's own tables, which are made anew at every start
KEPT = 7
COUNTS = "select relname, n_tup_ins, n_tup_upd, n_tup_del from pg_stat_user_tables where schemaname = 'public' order by relname"


def back_up(cluster: Cluster, target: Path) -> None:
    """Writes the records to a file, at once or not at all; the cluster runs. Raises ClusterError."""
    fresh = target.with_name(target.name + ".part")
    done = cluster.tool("pg_dump", "--format=custom", f"--exclude-schema={QUEUE}", f"--file={fresh}", DATABASE)
    if done.returncode != 0:
        fresh.unlink(missing_ok=True)
        raise ClusterError(f"The backup could not be written to {target}: {done.stdout.strip()[-300:]}")
    fresh.chmod(0o600)
    fresh.replace(target)


def restore(cluster: Cluster, source: Path) -> Path:
    """Puts the records of a backup in the place of the present ones, which are backed up first; returns that backup.

    The cluster runs and nobody else is connected. Nothing is changed when the file is no backup. Raises ClusterError.
    """
    if cluster.tool("pg_restore", "--list", str(source)).returncode != 0:
        raise ClusterError(f"{source} is no backup of Dusk Arrow, or it is damaged; nothing was changed.")
    kept = _dated(cluster, "before-restore")
    back_up(cluster, kept)
    fresh, old = f"{DATABASE}_restored", f"{DATABASE}_replaced"
    _command(cluster, f"drop database if exists {fresh}", f"drop database if exists {old}", f"create database {fresh}")
    done = cluster.tool("pg_restore", "--exit-on-error", "--no-owner", f"--dbname={fresh}", str(source))
    if done.returncode != 0:
        _command(cluster, f"drop database {fresh}")
        raise ClusterError(f"{source} could not be restored; nothing was changed: {done.stdout.strip()[-300:]}")
    engine = create_engine(cluster.url("postgres"))
    with engine.begin() as connection:  # both names change at once, so that a kill leaves the one or the other
        connection.execute(text(f"alter database {DATABASE} rename to {old}"))
        connection.execute(text(f"alter database {fresh} rename to {DATABASE}"))
    engine.dispose()
    _command(cluster, f"drop database {old}")
    return kept


def back_up_when_changed(cluster: Cluster) -> Path | None:
    """A dated backup beside the cluster if the records have changed since the last one; the last seven are kept. Raises
    ClusterError."""
    engine = create_engine(cluster.url())
    with engine.connect() as connection:
        counts = connection.execute(text(COUNTS)).all()
    engine.dispose()
    if not counts:
        return None
    state = repr(counts)
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
