"""The window on small, framed and scaled screens, each a virtual one of its own."""

import json
import os
import shutil
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import pytest
from PyQt6.QtGui import QGuiApplication

from tartan.desktop import theme
from tartan.desktop.placement import FRAME, LEAST, USUAL
from tartan.desktop.window import MainWindow
from tartan.pages.stations import STATIONS
from tartan.project.document.model import AppliedCondition, Project
from tartan.project.document.partmodel import SupportSet
from tartan.project.edits import case_edits, design_edits, stack_edits, versions
from tests.desktop.settle import settle

CHILD = """
import json, sys
from PyQt6.QtTest import QTest
from tartan.desktop.app import make_application
from tartan.desktop.scene.canvas import canvas
from tartan.desktop.session import Session
from tartan.pages.stations import STATIONS
from tartan.desktop.window import MainWindow
from tests.desktop.conftest import coarse_sample
app = make_application(dark=False)
window = MainWindow(Session(coarse_sample()))
window.show()
QTest.qWaitForWindowExposed(window)
found = {}
for station in STATIONS:
    window.session.select(station=station)
    app.processEvents()
    verdict = window.verdict.geometry()
    found[station] = [window.width(), window.height(), verdict.bottom(), verdict.width()]
view = window.cases.pane.view().view
frame = view.frame()
area = window.screen().availableGeometry()
place = window.geometry()
print(json.dumps({"area": [area.width(), area.height()],
                  "place": [place.x(), place.y(), place.width(), place.height()],
                  "frame": [frame.width() / view.width(), canvas().window.GetDPI() / 72],
                  "ratio": window.devicePixelRatioF(), "stations": found}))
window.session.close()
window.shut()
"""


SCREENS = {"1024x700": 1, "1920x1080": 2}
"""One smaller than the usual window, and one so finely drawn that it is; the usual is below."""


@pytest.fixture(scope="module")
def children(tmp_path_factory: pytest.TempPathFactory) -> dict[str, subprocess.Popen[str]]:
    """Windows on all the screens, started together."""
    xvfb = shutil.which("xvfb-run")
    assert xvfb is not None
    found = {}
    for screen, scale in SCREENS.items():
        state = tmp_path_factory.mktemp("state")
        env = os.environ | {"QT_SCALE_FACTOR": str(scale), "TARTAN_STATE": str(state)}
        command = [xvfb, "-a", "-s", f"-screen 0 {screen}x24", sys.executable, "-c", CHILD]
        found[screen] = subprocess.Popen(
            command,
            env=env,
            cwd=Path(__file__).parents[2],
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
        )
    return found


@pytest.mark.parametrize(("screen", "scale"), SCREENS.items())
def test_the_window_opens_inside_its_screen(
    children: dict[str, subprocess.Popen[str]], screen: str, scale: int
) -> None:
    done = children[screen]
    said, wrong = done.communicate(timeout=240)
    assert done.returncode == 0, wrong
    told = json.loads(said.splitlines()[-1])
    wide, high = (int(v) // scale for v in screen.split("x"))
    assert told["ratio"] == scale
    # The part is drawn as finely, and its words as large, as the rest.
    assert told["frame"] == [scale, scale]
    assert told["area"] == [wide, high]
    x, y, w, h = told["place"]
    # With a window manager's frame round it, all of it stays on the screen.
    assert x >= 0
    assert y >= 0
    assert x + w + FRAME[0] <= wide + 8
    assert h + FRAME[1] <= high
    assert (w, h) == (min(USUAL[0], wide - FRAME[0]), min(USUAL[1], high - FRAME[1]))
    for name in STATIONS:
        # No page pushes the window larger, or the verdict out of sight.
        width, height, bottom, span = told["stations"][name]
        assert (width, height) == (w, h), name
        assert bottom == h - 1, name
        assert span == w, name


def test_no_page_pushes_the_usual_window_larger(window: MainWindow, qapp) -> None:  # type: ignore[no-untyped-def]
    screen = window.screen()
    assert screen is not None
    room = screen.availableGeometry()
    usual = (min(USUAL[0], room.width() - FRAME[0]), min(USUAL[1], room.height() - FRAME[1]))
    for name in STATIONS:
        window.session.select(station=name)
        qapp.processEvents()
        assert (window.width(), window.height()) == usual, name
        verdict = window.verdict.geometry()
        assert (verdict.bottom(), verdict.width()) == (usual[1] - 1, usual[0]), name


def test_a_window_remembers_its_place(open_window, own_state) -> None:  # type: ignore[no-untyped-def]
    first = open_window(wait=False)
    first.resize(1100, 700)
    first.move(60, 40)
    settle()
    place = first.geometry()
    first.close()
    second = open_window(wait=False)
    assert second.geometry() == place
    # A place that is on no screen any more is not gone back to.
    second.resize(*LEAST)
    second.move(5000, 5000)
    second.close()
    third = open_window(wait=False)
    screen = QGuiApplication.primaryScreen()
    assert screen is not None
    assert screen.availableGeometry().contains(third.geometry().topLeft())


def test_text_grows_and_is_remembered(window, own_state) -> None:  # type: ignore[no-untyped-def]
    usual = window.name.font().pointSizeF()
    high = window.verdict.height()
    window.commands["larger text"].trigger()
    window.commands["larger text"].trigger()
    assert window.name.font().pointSizeF() == pytest.approx(1.25 * usual)
    assert theme.font(10).pointSizeF() == pytest.approx(12.5)
    assert window.verdict.height() >= high
    window.commands["usual text size"].trigger()
    assert window.name.font().pointSizeF() == pytest.approx(usual)
    assert theme.scale() == 1.0


def test_names_of_any_length_stretch_no_page(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, long = window.session, "x" * 5000

    def everything(p: Project) -> Project:
        p = versions.clone_version(p)
        p = versions.rename_version(p, f"{long} v")
        p = stack_edits.rename_project(p, long)
        p = stack_edits.put_material(
            p, p.materials[0].name, replace(p.materials[0], name=f"{long} m")
        )
        p = stack_edits.rename_stack(p, p.stacks[0].name, f"{long} s")
        p = case_edits.rename_case(p, p.cases[0].name, f"{long} c")
        p = case_edits.put_support_sets(p, [SupportSet(f"{long} u", p.supports)])
        p = case_edits.put_cases(p, [replace(c, supports=f"{long} u") for c in p.cases])
        p = design_edits.put_conditions(p, [AppliedCondition(f"{long} k", (("Xt", 0.9),))])
        first, *others = p.criteria
        p = design_edits.put_criteria(p, [replace(first, name=f"{long} r"), *others])
        return design_edits.put_formula(p, f"{long} f", "s1 / Xt")

    assert session.edit("long names", everything) is None
    for station in STATIONS:
        session.select(station=station)
        page = window.pages[station]
        qtbot.waitUntil(lambda p=page: p.isVisible())
        assert window.pages[station].view.minimumSizeHint().width() < 2000, station
        assert window.width() <= 1400
