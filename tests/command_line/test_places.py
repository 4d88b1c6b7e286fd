"""Settings from the environment, and which subcommand runs: a wrong one is said in one line, and changes nothing."""

from __future__ import annotations

import logging
import os
from pathlib import Path

import pytest

from dusk_arrow import __version__
from dusk_arrow.command_line import __main__ as entry
from dusk_arrow.command_line import places
from dusk_arrow.command_line.places import SettingError


@pytest.fixture(autouse=True)
def clean(monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ("DUSK_DATA", "DUSK_WORKERS", "DUSK_PORT", "DUSK_LOG", "XDG_DATA_HOME"):
        monkeypatch.delenv(name, raising=False)


def test_a_given_data_folder_is_used_from_anywhere(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    """A relative folder means the one where the command was given, also after the server has changed folders."""
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("DUSK_DATA", "studies")
    assert places.data_folder() == tmp_path / "studies"
    assert places.usable_data_folder().is_dir()
    assert list((tmp_path / "studies").iterdir()) == []


def test_every_checkout_has_records_of_its_own(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    """Two checkouts on one machine must not share a database."""
    monkeypatch.setattr(os, "geteuid", lambda: 1000)
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    first = places.data_folder()
    monkeypatch.setattr(places, "CHECKOUT", tmp_path / "another")
    assert places.data_folder() != first
    assert places.data_folder().parent == first.parent == tmp_path / "dusk-arrow"
    monkeypatch.setattr(os, "geteuid", lambda: 0)
    assert str(places.data_folder()).startswith("/var/lib/dusk-arrow/")


def test_a_file_in_the_place_of_the_folder_is_said(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    """And the file is not touched."""
    file = tmp_path / "records"
    file.write_text("mine")
    monkeypatch.setenv("DUSK_DATA", str(file))
    with pytest.raises(SettingError, match="is a file; it has to be a folder"):
        places.usable_data_folder()
    assert file.read_text() == "mine"


def test_a_folder_that_cannot_be_made_is_said(monkeypatch: pytest.MonkeyPatch) -> None:
    """With the reason of the system, instead of a trace."""
    monkeypatch.setenv("DUSK_DATA", "/proc/nowhere/records")
    with pytest.raises(SettingError, match=r"DUSK_DATA is /proc/nowhere/records, which cannot be written to \("):
        places.usable_data_folder()


@pytest.mark.parametrize("text", ["0", "-1", "many", "", "2.5", "257"])
def test_workers_have_to_be_a_sensible_number(monkeypatch: pytest.MonkeyPatch, text: str) -> None:
    """A typing mistake must not start ten thousand processes, nor none."""
    monkeypatch.setenv("DUSK_WORKERS", text)
    with pytest.raises(SettingError, match="DUSK_WORKERS is"):
        places.workers()


def test_workers_by_default_are_the_cores(monkeypatch: pytest.MonkeyPatch) -> None:
    """And as many as were asked for otherwise."""
    monkeypatch.setattr(os, "cpu_count", lambda: 6)
    assert places.workers() == 6
    monkeypatch.setattr(os, "cpu_count", lambda: None)
    assert places.workers() == 1
    monkeypatch.setenv("DUSK_WORKERS", "256")
    assert places.workers() == 256


def test_the_option_goes_before_the_environment(monkeypatch: pytest.MonkeyPatch) -> None:
    """What was typed last is what was meant."""
    assert places.wanted_port(None) is None
    monkeypatch.setenv("DUSK_PORT", "9000")
    assert places.wanted_port(None) == 9000
    assert places.wanted_port("9001") == 9001
    for wrong in ("0", "65536", "http"):
        with pytest.raises(SettingError, match="--port is"):
            places.wanted_port(wrong)
    monkeypatch.setenv("DUSK_PORT", "high")
    with pytest.raises(SettingError, match="DUSK_PORT is “high”; it has to be a whole number from 1 to 65535"):
        places.wanted_port(None)


def test_levels_of_the_log(monkeypatch: pytest.MonkeyPatch) -> None:
    """Written in any case; an unknown one names the known."""
    assert places.log_level() == logging.WARNING
    monkeypatch.setenv("DUSK_LOG", "Debug")
    assert places.log_level() == logging.DEBUG
    monkeypatch.setenv("DUSK_LOG", "loud")
    with pytest.raises(SettingError, match="debug, info, warning, error"):
        places.log_level()


def test_the_version_is_the_package_s(capsys: pytest.CaptureFixture[str]) -> None:
    """People write it into their papers."""
    assert entry.main(["--version"]) == 0
    assert capsys.readouterr().out == f"dusk-arrow {__version__}\n"


@pytest.mark.parametrize("arguments", [[], ["fti"], ["estimate", "model.txt"]])
def test_an_unknown_subcommand_says_which_there_are(arguments: list[str], capsys: pytest.CaptureFixture[str]) -> None:
    """With the exit code of a wrong call, and nothing on standard output that a script would take for results."""
    assert entry.main(arguments) == 2
    said = capsys.readouterr()
    assert said.out == ""
    assert "fit" in said.err


@pytest.mark.parametrize("command", ["start", "backup", "restore"])
def test_an_installed_package_says_what_needs_a_checkout(
    command: str, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    """The wheel has no pages and no database; it says so instead of failing somewhere inside."""
    monkeypatch.setattr(entry, "IN_CHECKOUT", False)
    assert entry.main([command]) == 2
    assert f"dusk-arrow {command} needs a checkout" in capsys.readouterr().err


@pytest.mark.parametrize("word", ["help", "--help", "-h"])
def test_an_installed_package_helps(
    word: str, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    """Help that was asked for is no error."""
    monkeypatch.setattr(entry, "IN_CHECKOUT", False)
    assert entry.main([word]) == 0
    assert "dusk-arrow fit MODEL.txt --data FILE" in capsys.readouterr().out


@pytest.mark.parametrize("arguments", [["fit", "--help"], ["check", "--help"]])
def test_help_loads_nothing_heavy(arguments: list[str], capsys: pytest.CaptureFixture[str]) -> None:
    """It answers before numbers can be computed with; wrong options end there too."""
    with pytest.raises(SystemExit) as ended:
        entry.main(arguments)
    assert ended.value.code == 0
    assert "usage" in capsys.readouterr().out
    with pytest.raises(SystemExit) as ended:
        entry.main([arguments[0], "--no-such-option"])
    assert ended.value.code == 2


def test_an_interrupt_ends_with_its_own_code(monkeypatch: pytest.MonkeyPatch) -> None:
    """Scripts tell Ctrl-C from a failed fit by it."""
    left: list[int] = []

    def interrupted(_: list[str]) -> int:
        raise KeyboardInterrupt

    monkeypatch.setattr(entry, "main", interrupted)
    monkeypatch.setattr(os, "_exit", left.append)
    entry.run()
    assert left == [130]
