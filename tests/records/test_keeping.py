"""What keeps people's work: a lost note, a killed server, a foreign lock file, backups. Each on a cluster of its own."""

from __future__ import annotations

import json
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
from dusk_arrow.records.database import connect, migrate


@pytest.fixture
def own() -> Iterator[Cluster]:
    folder = Path(tempfile.mkdtemp(prefix="dusk-arrow-tests-", dir="/tmp"))
    found = Cluster(folder, durable=True)
    found.create()
    found.start()
    found.ensure_database()
    engine = connect(found.url())
    migrate(engine)
    engine.dispose()
    say(found, study("three years of work"))
    yield found
    found.stop()
    shutil.rmtree(folder, ignore_errors=True)


def study(name: str) -> str:
    return f"insert into projects (name, created, criteria) values ('{name}', now(), '{{}}')"


def say(cluster: Cluster, *statements: str) -> None:
    engine = connect(cluster.url())
    with engine.begin() as connection:
        for statement in statements:
            connection.execute(text(statement))
    engine.dispose()


def studies(cluster: Cluster) -> list[str]:
    engine = connect(cluster.url())
    with engine.connect() as connection:
        found = [row[0] for row in connection.execute(text("select name from projects order by name"))]
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
    say(own, study("and one more"))
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
    say(own, study("made afterwards"))
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


@pytest.mark.parametrize("kind", ["newer", "empty", "strange"])
def test_what_cannot_be_the_records_of_this_version_replaces_nothing(own: Cluster, kind: str) -> None:
    """A backup of a newer version, or of nothing, was put in the place of a study."""
    target = own.folder / "odd.backup"
    statements = {
        "newer": "update alembic_version set version_num = '9999'",
        "empty": "delete from alembic_version",
        "strange": "alter table revisions rename to others",
    }
    other_backup(own, statements[kind], target)
    with pytest.raises(ClusterError) as refused:
        restore(own, target)
    assert "othing was changed" in str(refused.value)
    assert studies(own) == ["three years of work"]


def other_backup(cluster: Cluster, statement: str, target: Path) -> None:
    """A backup of the records as they would be after a statement, in a database of its own."""
    cluster.ensure_database("other", template="dusk_arrow")
    engine = connect(cluster.url("other"))
    with engine.begin() as connection:
        connection.execute(text(statement))
    engine.dispose()
    done = cluster.tool("pg_dump", "--format=custom", f"--file={target}", "other")
    assert done.returncode == 0, done.stdout


WICKED = (
    "create function wicked() returns int language sql as 'select 1'; alter table projects add check (wicked() = 1)"
)


def test_a_crafted_backup_runs_nothing_and_brings_no_code(own: Cluster) -> None:
    """The statement that fills a table can be exchanged for one that runs a program; functions and checks come along."""
    proof = Path(tempfile.gettempdir()) / f"proof-{os.getpid()}"
    other_backup(own, WICKED, own.folder / "with-function.backup")
    restore(own, own.folder / "with-function.backup")
    engine = connect(own.url())
    count = "select count(*) from pg_proc p join pg_namespace n on n.oid = p.pronamespace where n.nspname = 'public'"
    with engine.connect() as connection:
        assert connection.execute(text(count)).scalar() == 0, "nothing but data is taken from the file"
        found = connection.execute(text("select count(*) from pg_roles where rolname = 'dusk_filler'"))
        assert found.scalar() == 0
    engine.dispose()
    target = own.folder / "plain.backup"
    back_up(own, target)
    content = target.read_bytes()
    begin = content.index(b"COPY public.projects")
    end = content.index(b"FROM stdin;", begin) + len(b"FROM stdin;")
    wicked = f"COPY public.projects (name) FROM PROGRAM 'touch {proof}';".encode()
    assert len(wicked) <= end - begin
    (own.folder / "wicked.backup").write_bytes(content[:begin] + wicked.ljust(end - begin) + content[end:])
    with pytest.raises(ClusterError):
        restore(own, own.folder / "wicked.backup")
    assert not proof.exists()
    assert studies(own) == ["three years of work"]


def test_rows_that_name_others_that_are_not_there_are_refused(own: Cluster) -> None:
    """The tables are filled without looking, so somebody has to look afterwards."""
    say(
        own, "set session_replication_role = replica",
        "insert into models (project_id, name, pins, view, view_version, report, report_version, onward) "
        "values (77, 'm', '{}', '{}', 0, '{}', 0, '{}')",
    )  # fmt: skip
    target = own.folder / "loose.backup"
    back_up(own, target)
    with pytest.raises(ClusterError, match="hold together"):
        restore(own, target)


def test_a_password_that_is_no_longer_right_is_one_line(own: Cluster) -> None:
    """Whoever put an older note back is told what to do, and that works."""
    note = own.folder / "database.json"
    note.write_text(note.read_text().replace(json.loads(note.read_text())["password"], "another"))
    with pytest.raises(ClusterError) as refused:
        own.ensure_database()
    assert "Move that file away" in str(refused.value)
    note.unlink()
    own.create()
    own.start()
    own.ensure_database()
    assert studies(own) == ["three years of work"]


def test_backups_go_on_after_kills(own: Cluster) -> None:
    """Counters of the database begin anew after a crash; what was done since the last backup is known all the same."""
    assert back_up_when_changed(own) is not None
    for number in range(3):
        say(own, study(f"after {number}"))
        os.kill(int((own.folder / "cluster" / "postmaster.pid").read_text().split()[0]), signal.SIGKILL)
        own.start()
        assert back_up_when_changed(own) is not None, number
        assert back_up_when_changed(own) is None


def test_dated_backups_are_made_when_something_changed(own: Cluster) -> None:
    """A backup a start would push out the older ones with copies of the same; seven different ones are kept."""
    first = back_up_when_changed(own)
    assert first is not None
    own.stop()
    own.start()
    assert back_up_when_changed(own) is None
    for number in range(KEPT + 1):
        say(own, study(str(number)))
        assert back_up_when_changed(own) is not None
    kept = sorted((own.folder / "backups").glob("records-*.backup"))
    assert len(kept) == KEPT
    assert first not in kept
