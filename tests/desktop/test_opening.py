"""What stands while the program is loaded, in processes of their own as a user's is."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
import time
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QApplication, QPushButton, QVBoxLayout, QWidget

from tartan.desktop.opening import Opening, stand
from tartan.project.document.samples import anchor_plate_project
from tartan.project.files import storage

pytestmark = pytest.mark.gl

STAY = """
import sys
from pathlib import Path
from PyQt6.QtWidgets import QApplication
from tartan.desktop import opening
def stay():
    shown = [w for w in QApplication.topLevelWidgets() if w.isVisible() and w.windowTitle()]
    print([type(w).__name__ for w in shown], [w.windowTitle() for w in shown])
    for w in shown:
        w.session.answers.stop()
    return 7
QApplication.exec = staticmethod(stay)
{more}
try:
    status = opening.run(Path(sys.argv[1]) if sys.argv[1:] else None)
except Exception as error:
    left = [w for w in QApplication.topLevelWidgets() if w.isVisible()]
    print(type(error).__name__, error, left)
    status = 3
sys.stdout.flush()
import os
os._exit(status)
"""


def run(tmp_path: Path, *given: str, more: str = "") -> subprocess.CompletedProcess[str]:
    state = os.environ | {"TARTAN_STATE": str(tmp_path / "state")}
    return subprocess.run(
        [sys.executable, "-c", STAY.format(more=more), *given],
        capture_output=True,
        text=True,
        env=state,
        timeout=240,
        check=False,
    )


def test_it_is_painted_at_once_and_says_what_is_opened(qapp) -> None:  # type: ignore[no-untyped-def]
    opening = stand(Path("somewhere/anchor plate.plies"))
    assert opening.painted
    assert opening.isVisible()
    assert opening.words == "Opening anchor plate.plies …"
    picture = opening.grab().toImage()
    seen = {
        picture.pixel(x, y)
        for x in range(0, picture.width(), 3)
        for y in range(0, picture.height(), 3)
    }
    assert len(seen) > 10
    opening.close()
    assert Opening("").words == "Opening …"


def test_nothing_is_loaded_before_it_stands() -> None:
    code = (
        "import sys, tartan.desktop.opening; "
        "print([m for m in ('numpy', 'scipy', 'numba', 'vtk', 'pyvista') if m in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_what_the_first_window_does_not_show_is_not_loaded_with_it(tmp_path: Path) -> None:
    code = """
import os, sys
from tartan.desktop import opening
late = ("numba", "pyqtgraph", "pydantic", "h5py", "vtkmodules", "pyvista", "matplotlib")
def close(self):
    print([m for m in late if m in sys.modules], flush=True)
    os._exit(0)
opening.Opening.close = close
opening.run()
"""
    said = subprocess.run(
        [sys.executable, "-c", code],
        capture_output=True,
        text=True,
        check=True,
        env=os.environ | {"TARTAN_STATE": str(tmp_path)},
    )
    assert said.stdout.strip() == "[]"


def test_the_window_takes_its_place(tmp_path: Path) -> None:
    file = tmp_path / "mast.plies"
    storage.save(anchor_plate_project(), file)
    done = run(tmp_path, str(file))
    assert done.returncode == 7, done.stderr
    kinds, titles = done.stdout.strip().splitlines()[-1].split("] [")
    assert kinds == "['MainWindow'"
    assert "mast" in titles or "anchor plate" in titles


def test_a_file_that_cannot_be_opened_leaves_nothing_standing(tmp_path: Path) -> None:
    file = tmp_path / "torn.plies"
    file.write_text('{"schema": 7, "name": ', "utf-8")
    done = run(tmp_path, str(file))
    assert done.returncode == 3, done.stderr
    assert "torn.plies" in done.stdout
    assert done.stdout.strip().endswith("[]")


def test_closed_before_the_program_is_there_it_ends(tmp_path: Path) -> None:
    more = (
        "real = opening.stand\n"
        "def stand(path):\n"
        "    found = real(path)\n"
        "    found.close()\n"
        "    return found\n"
        "opening.stand = stand\n"
        "import atexit\n"
    )
    done = run(tmp_path, more=more)
    assert done.returncode == 0, done.stderr
    assert not done.stdout.strip()


def test_a_busy_thread_beside_it_does_not_hold_up_the_window(qapp: QApplication) -> None:
    """Making widgets asks for the interpreter thousands of times, and waits a turn each time."""

    def made() -> float:
        begun = time.perf_counter()
        for _ in range(3):
            page = QWidget()
            box = QVBoxLayout(page)
            for number in range(60):
                box.addWidget(QPushButton(str(number)))
            page.grab()
            page.deleteLater()
        return time.perf_counter() - begun

    alone = min(made() for _ in range(3))
    ended = threading.Event()

    def busy() -> None:
        while not ended.is_set():
            sum(range(500))

    thread = threading.Thread(target=busy)
    thread.start()
    try:
        beside = min(made() for _ in range(3))
    finally:
        ended.set()
        thread.join()
    # By the usual turns it is 130 times as long.
    assert beside < 50 * alone
