"""Installed for a user and taken away again: files where the desktop looks, and nothing left."""

from __future__ import annotations

import configparser
import shutil
import subprocess
import xml.etree.ElementTree as ET
from pathlib import Path

import pytest
import typer
from typer.testing import CliRunner

from tartan.cli import app, athome
from tartan.cli.completion import SHELLS, script
from tartan.cli.man import man_page

COMMAND = typer.main.get_command(app)


@pytest.fixture
def home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("HOME", str(tmp_path))
    for name in ("DATA", "CONFIG", "STATE", "CACHE"):
        monkeypatch.delenv(f"XDG_{name}_HOME", raising=False)
    return tmp_path


def contents(home: Path) -> set[Path]:
    return {p for p in home.rglob("*") if p.is_file()}


def test_everything_is_put_where_it_belongs_and_nothing_is_left(home: Path) -> None:
    runner = CliRunner()
    assert runner.invoke(app, ["at-home"]).exit_code == 0
    assert set(athome.places().values()) <= contents(home)
    assert all(p.is_relative_to(home) for p in contents(home))
    # Twice is as once.
    before = {p: p.read_bytes() for p in athome.places().values()}
    assert runner.invoke(app, ["at-home"]).exit_code == 0
    assert {p: p.read_bytes() for p in athome.places().values()} == before
    assert runner.invoke(app, ["at-home", "--remove"]).exit_code == 0
    assert contents(home) == set()
    assert runner.invoke(app, ["at-home", "--remove"]).exit_code == 0


def test_what_others_put_there_stays(home: Path) -> None:
    others = [
        home / ".local/share/applications/other.desktop",
        home / ".local/share/mime/packages/other.xml",
        home / ".local/share/icons/hicolor/scalable/apps/other.svg",
    ]
    for path in others:
        path.parent.mkdir(parents=True)
        path.write_text(
            "<mime-info xmlns='http://www.freedesktop.org/standards/shared-mime-info'/>"
        )
    list(athome.settle(COMMAND))
    list(athome.take_away())
    assert set(others) <= contents(home)
    assert not set(athome.places().values()) & contents(home)


def test_what_is_the_users_own_is_kept_until_it_is_to_be_forgotten(home: Path) -> None:
    for path in athome.own_places().values():
        path.mkdir(parents=True)
        (path / "kept").write_text("x")
    said = CliRunner().invoke(app, ["at-home", "--remove"]).stdout
    assert "kept: unsaved work" in said
    assert not athome.own_places()["answers"].exists()
    assert athome.own_places()["materials"].exists()
    CliRunner().invoke(app, ["at-home", "--remove", "--forget"])
    assert contents(home) == set()


@pytest.mark.parametrize("program", ["/home/a b/tartan", '/home/$x/"q"/100%/t', "/home/b\\s/t"])
def test_the_menu_entry_calls_the_program_whatever_its_path(
    home: Path, monkeypatch: pytest.MonkeyPatch, program: str
) -> None:
    """Read back by the rules of the desktop entry specification."""
    monkeypatch.setattr(athome, "program", lambda: program)
    list(athome.settle(COMMAND))
    entry = configparser.RawConfigParser()
    entry.optionxform = str  # type: ignore[assignment, method-assign]
    entry.read(athome.places()["tartan.desktop"], "utf-8")
    called = entry["Desktop Entry"]["Exec"]
    assert called.endswith('" %f')
    # First the string's own escapes, then those in quotes, then the codes.
    inner = called.replace("\\\\", "\0").replace("\0", "\\")[1:-4]
    read, i = "", 0
    while i < len(inner):
        i += inner[i] == "\\"
        read += inner[i]
        i += 1
    assert read.replace("%%", "%") == program
    mime = entry["Desktop Entry"]["MimeType"].rstrip(";")
    root = ET.parse(athome.places()["tartan-mime.xml"]).getroot()
    assert root[0].get("type") == mime


@pytest.mark.skipif(not shutil.which("update-mime-database"), reason="no MIME database here")
def test_a_project_is_known_by_its_name(home: Path) -> None:
    list(athome.settle(COMMAND))
    globs = (athome.data_home() / "mime/globs2").read_text()
    assert "80:application/x-tartan+json:*.tartan.json" in globs


def test_a_folder_that_refuses_is_named(home: Path) -> None:
    (home / ".local").write_text("in the way")
    result = CliRunner().invoke(app, ["at-home"])
    assert result.exit_code == 2
    assert ".local" in result.stderr


def test_man_page_and_completion_know_every_command_and_option() -> None:
    page = man_page(COMMAND).replace("\\-", "-")
    scripts = {s: script(COMMAND, s) for s in SHELLS}
    for name, each in COMMAND.commands.items():  # type: ignore[attr-defined]
        assert f".B tartan {name}" in page
        assert all(name in text for text in scripts.values())
        for option in each.params:
            for long in (o for o in option.opts if o.startswith("--")):
                assert long in page or long == "--help"
                assert all(long.removeprefix("--") in text for text in scripts.values())
    assert CliRunner().invoke(app, ["completion", "tcsh"]).exit_code == 2


def test_bash_completes_commands_and_options(tmp_path: Path) -> None:
    path = tmp_path / "tartan.bash"
    path.write_text(script(COMMAND, "bash"))
    for words, cword, wanted in (
        ("tartan ch", 1, "check"),
        ("tartan check --j", 2, "--json"),
        ("tartan verify --", 2, "--answers"),
    ):
        asked = f"COMP_WORDS=({words}); COMP_CWORD={cword}; _tartan"
        run = f'source {path}; {asked}; echo "${{COMPREPLY[@]}}"'
        found = subprocess.run(["bash", "-c", run], capture_output=True, text=True, check=True)
        assert wanted in found.stdout.split()
