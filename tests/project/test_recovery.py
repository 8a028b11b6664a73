"""Work survives a process that is killed, in the middle of editing and of saving."""

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from tartan.project.document.samples import dish_panel
from tartan.project.edits import stack_edits
from tartan.project.files import recovery, storage

EDITING = """
import sys
from PyQt6.QtCore import QCoreApplication, QTimer
app = QCoreApplication([])
from tartan.desktop.autosave import Autosave
from tartan.desktop.session import Session
from tartan.project.edits import stack_edits
from tartan.project.document.samples import dish_panel
session = Session(dish_panel())
autosave = Autosave(session)
session.edit("rename", lambda p: stack_edits.rename_project(p, "changed by hand"))
def look():
    if autosave.keeper.file.exists():
        print("edited", flush=True)
        timer.stop()
timer = QTimer()
timer.timeout.connect(look)
timer.start(20)
app.exec()
"""

SAVING = """
import os
import sys
from pathlib import Path
from tartan.project.edits import stack_edits
from tartan.project.files import storage
from tartan.project.document.samples import dish_panel
one = dish_panel()
plies = one.stacks[2].plies * 60
other = stack_edits.put_plies(stack_edits.rename_project(one, "other"), "feed strut", plies)
path = Path(sys.argv[1])
storage.save(one, path)
parent = os.getppid()
print("saving", flush=True)
# An orphan would keep a core busy for ever.
while os.getppid() == parent:
    storage.save(other, path)
    storage.save(one, path)
"""


@pytest.fixture
def state(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("TARTAN_STATE", str(tmp_path / "state"))
    return tmp_path / "state"


def start(code: str, *arguments: str) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [sys.executable, "-c", code, *arguments],
        stdout=subprocess.PIPE,
        text=True,
        env=os.environ | {"QT_QPA_PLATFORM": "offscreen"},
    )


def wait_for(process: subprocess.Popen[str], word: str) -> None:
    assert process.stdout is not None
    assert process.stdout.readline().strip() == word


def kill(process: subprocess.Popen[str]) -> None:
    process.send_signal(signal.SIGKILL)
    process.wait(10)
    assert process.stdout is not None
    process.stdout.close()


def test_a_killed_window_leaves_its_work_behind(state: Path) -> None:
    process = start(EDITING)
    wait_for(process, "edited")
    assert recovery.left_behind() == []  # it still runs: its file is nobody else's
    kill(process)
    (left,) = recovery.left_behind()
    assert left.project == stack_edits.rename_project(dish_panel(), "changed by hand")
    assert left.path is None
    assert 0 <= left.age < 60


def test_a_save_that_is_killed_leaves_one_whole_project(tmp_path: Path) -> None:
    names = set()
    for attempt in range(3):
        path = tmp_path / f"{attempt}.tartan.json"
        process = start(SAVING, str(path))
        wait_for(process, "saving")
        time.sleep(0.03 + 0.034 * attempt)
        kill(process)
        names.add(storage.load(path).name)
    assert names <= {dish_panel().name, "other"}
    # What a killed save left half-written goes with a later save.
    half = next(iter(tmp_path.glob(".*.part")), tmp_path / ".2.tartan.json.x.part")
    half.write_text("half")
    os.utime(half, (1, 1))
    stem = half.name[1:].split(".tartan.json")[0]
    storage.save(dish_panel(), tmp_path / f"{stem}.tartan.json")
    assert not half.exists()


def test_closing_in_order_leaves_nothing_and_damage_is_passed_over(state: Path) -> None:
    keeper = recovery.Keeper()
    keeper.keep(dish_panel(), Path("/somewhere/a.tartan.json"))
    assert keeper.file.exists()
    keeper.forget()
    assert not keeper.file.exists()
    broken = recovery.folder() / f"1-x{recovery.SUFFIX}"
    broken.write_text("{")
    assert recovery.left_behind() == []
    assert broken.exists()
