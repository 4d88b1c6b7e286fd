"""What keeps people's work: a lost note, a killed server, a foreign lock file, backups. Each on a cluster of its own."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import text

from dusk_arrow.records.backups import KEPT, back_up, back_up_when_changed, restore
from dusk_arrow.records.cluster import Cluster, ClusterError
from dusk_arrow.records.database import connect


@pytest.fixture
def own() -> Iterator[Cluster]:
    folder = Path(tempfile.mkdtemp(prefix="dusk-arrow-tests-", dir="/tmp"))
    found = Cluster(folder, durable=True)
    found.create()
    found.start()
    found.ensure_database()
    say(found, "create table studies (name text)", "insert into studies values ('three years of work')")
    yield found
    found.stop()
    shutil.rmtree(folder, ignore_errors=True)


def say(cluster: Cluster, *statements: str) -> None:
    engine = connect(cluster.url())
    with engine.begin() as connection:
        for statement in statements:
            connection.execute(text(statement))
    engine.dispose()


def studies(cluster: Cluster) -> list[str]:
    engine = connect(cluster.url())
    with engine.connect() as connection:
        found = [row[0] for row in connection.execute(text("select name from studies order by name"))]
    engine.dispose()
    return found


@pytest.mark.parametrize("damage", ["missing", "emptied", "half", "wrong"])
def test_studies_survive_the_loss_of_the_note(own: Cluster, damage: str) -> None:
    """Once a missing note meant a new, empty database where years of work had been."""
    own.stop()
    note = own.folder / "database.json"
    if damage == "missing":
        note.unlink()
    else:
        note.write_text({"emptied": "", "half": '{"port": 54', "wrong": '{"port": "x", "password": ""}'}[damage])
    assert own.create() is False
    own.start()
    assert studies(own) == ["three years of work"]
    assert note.stat().st_mode & 0o077 == 0


def test_the_note_can_be_lost_while_the_database_runs(own: Cluster) -> None:
    """A clean-up of the folder beside a server that a killed start left behind."""
    (own.folder / "database.json").unlink()
    assert own.create() is False
    own.start()
    assert studies(own) == ["three years of work"]


def test_a_database_that_cannot_be_opened_is_left_alone(own: Cluster) -> None:
    """Neither damage nor half a folder is a reason to begin anew over it."""
    own.stop()
    (own.folder / "database.json").unlink()
    control = own.folder / "cluster/global/pg_control"
    content = control.read_bytes()
    control.write_bytes(b"")
    with pytest.raises(ClusterError, match="Nothing was removed"):
        own.create()
    control.write_bytes(content)
    version = own.folder / "cluster/PG_VERSION"
    version.rename(own.folder / "cluster/PG_VERSION.away")
    with pytest.raises(ClusterError, match="nothing was touched"):
        own.create()
    (own.folder / "cluster/PG_VERSION.away").rename(version)
    assert own.create() is False
    own.start()
    assert studies(own) == ["three years of work"]


def test_start_after_a_kill_with_a_lock_file_that_names_a_stranger(own: Cluster) -> None:
    """After a kill the number in the lock file may be another program's by now: it is not ours, and not in the way."""
    lock = own.folder / "cluster/postmaster.pid"
    server = int(lock.read_text().split("\n")[0])
    os.kill(server, signal.SIGKILL)
    stranger = subprocess.Popen(["sleep", "60"], cwd="/")
    try:
        lock.write_text(lock.read_text().replace(str(server), str(stranger.pid), 1))
        assert not own.running()
        own.start()
        assert studies(own) == ["three years of work"]
        assert stranger.poll() is None
    finally:
        stranger.kill()
        stranger.wait()


def test_a_killed_database_comes_back_on_its_port(own: Cluster) -> None:
    """The running application goes on with the address it knows; what was acknowledged is there."""
    address = own.url()
    say(own, "insert into studies values ('and one more')")
    os.kill(int((own.folder / "cluster/postmaster.pid").read_text().split("\n")[0]), signal.SIGKILL)
    deadline = time.monotonic() + 10
    while own.running() and time.monotonic() < deadline:
        time.sleep(0.05)
    own.start(keep_port=True)
    assert own.url() == address
    assert studies(own) == ["and one more", "three years of work"]


def test_backup_and_restore(own: Cluster) -> None:
    """What is restored is what was backed up; what it replaces is kept, and a broken file changes nothing."""
    target = own.folder / "mine.backup"
    back_up(own, target)
    say(own, "insert into studies values ('made afterwards')")
    for broken in (own.folder / "none", own.folder / "broken"):
        if broken.name == "broken":
            broken.write_bytes(target.read_bytes()[:300])
        with pytest.raises(ClusterError):
            restore(own, broken)
    assert studies(own) == ["made afterwards", "three years of work"]
    kept = restore(own, target)
    assert studies(own) == ["three years of work"]
    restore(own, kept)
    assert studies(own) == ["made afterwards", "three years of work"]
    assert target.stat().st_mode & 0o077 == 0


def test_dated_backups_are_made_when_something_changed(own: Cluster) -> None:
    """A backup a start would push out the older ones with copies of the same; seven different ones are kept."""
    first = back_up_when_changed(own)
    assert first is not None
    own.stop()
    own.start()
    assert back_up_when_changed(own) is None
    for number in range(KEPT + 1):
        say(own, f"insert into studies values ('{number}')")
        assert back_up_when_changed(own) is not None
    kept = sorted((own.folder / "backups").glob("records-*.backup"))
    assert len(kept) == KEPT
    assert first not in kept
