"""Figures of the Stacks bench: an edit of a long stack, and the what-if ranking."""

import statistics
import time
from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from tests.panels import dish_panel

from tartan.core.laminate import Laminate, constants, make_laminate
from tartan.core.laminate.loadcase import LoadCase, answer
from tartan.core.laminate.polar import polar_moduli
from tartan.core.laminate.response import expansion
from tartan.core.search.changes import Change, single_changes
from tartan.core.search.whatif import rank
from tartan.core.stack import Ply
from tartan.core.stack.rules import review
from tartan.core.strength.critical import critical_by_sets, critical_shears
from tartan.core.strength.govern import checks_of, reserves
from tartan.desktop.app import settle_memory
from tartan.desktop.session import Session
from tartan.desktop.widgets.polar import DIRECTIONS
from tartan.desktop.window import MainWindow
from tartan.pages import stacks as state
from tartan.pages.stack_answers import COLUMN_KINDS
from tartan.project.document.model import CriteriaSet, Project
from tartan.project.edits import design_edits, stack_edits

SHEARS = {"ply": ("interlaminar",), "woven": ("interlaminar",), "core": ("core_shear",)}
CRITERIA = CriteriaSet(
    "three",
    (
        ("ply", ("tsai_wu", "hashin", "max_stress")),
        ("woven", ("tsai_wu",)),
        ("isotropic", ("von_mises",)),
        ("core", ("core_shear",)),
    ),
)


def long_project(count: int, sets: int) -> Project:
    rng = np.random.default_rng(2)
    plies = tuple(Ply("UD carbon", float(a), 1.25e-4) for a in rng.choice([0, 45, -45, 90], count))
    project, _ = stack_edits.add_stack(dish_panel(), "long", plies)
    loads = tuple(
        LoadCase(
            f"set {i}", tuple(rng.normal(size=6) * [1e6, 1e6, 3e5, 2e3, 2e3, 5e2]), stack="long"
        )
        for i in range(sets)
    )
    return design_edits.put_load_cases(project, loads)


def bare_answers(project: Project) -> None:
    """The same answers as the window shows, with nothing drawn."""
    stack = project.stack("long")
    assert stack is not None
    laminate = make_laminate(stack, {m.name: m for m in project.materials_of(stack)})
    for loads in project.load_cases:
        found = answer(laminate, loads)
        reserves(
            checks_of(laminate, project.governing_sets),
            found.applied.stress_12[None],
            found.shear[None],
            found.residual,
        )
    for each in project.criteria:
        critical_by_sets(laminate, each.sets)
    critical_shears(laminate, SHEARS)
    for bending in (False, True):
        polar_moduli(laminate, DIRECTIONS, bending=bending)
    stiffness_of(laminate)
    review(stack.plies, state.practice(project))


def stiffness_of(laminate: Laminate) -> None:
    constants.membrane(laminate)
    constants.flexural(laminate)
    constants.membrane(laminate, kept_flat=True)
    constants.describe_couplings(laminate)
    expansion(laminate)
    assert laminate.shear.shape == (2, 2)


def stacks_window(project: Project, station: str = "Stacks") -> MainWindow:
    session = Session(project)
    # The GL views are made when their stations are visited: a window that holds one is composed
    # by GL, which software rendering makes slow for every repaint.
    session.select(station=station, stack="long")
    window = MainWindow(session)
    window.show()
    QTest.qWait(600)
    return window


def shut(window: MainWindow) -> None:
    window.session.history.mark_saved()
    window.close()


def gaps_while(window: MainWindow, act: Callable[[], None], seconds: float) -> float:
    """Longest time between two turns of the event loop [s]."""
    ticks: list[float] = []
    timer = QTimer()
    timer.setInterval(0)
    timer.timeout.connect(lambda: ticks.append(time.perf_counter()))
    timer.start()
    QTest.qWait(20)
    act()
    # From here on the slow parts follow; the edit itself is the other figure.
    ticks[:] = [time.perf_counter()]
    QTest.qWait(int(seconds * 1000))
    timer.stop()
    return float(np.diff(ticks).max())


def turn_ply(window: MainWindow, ply: int, angle: int) -> float:
    """Type an angle and Enter; return the time from Enter to the repainted window [s]."""
    editor = window.stacks.editor
    window.session.select(plies=(ply,))
    editor.setFocus()
    QTest.keyClicks(editor, str(angle))
    QApplication.processEvents()
    start = time.perf_counter()
    QTest.keyClick(editor._entry, Qt.Key.Key_Return)
    QApplication.processEvents()
    return time.perf_counter() - start


def edit_ratios() -> tuple[float, float, float]:
    """Ratio of an edit in the window to the bare answers, its time, and the longest gap [s]."""
    window = stacks_window(long_project(200, 2))
    settle_memory()
    view = window.stacks
    view.shown = {k.key for k in COLUMN_KINDS[:6]} | {"reserve", "shear.0"}
    view.whatif.open.setChecked(False)
    view.tabs.buttons()[1].click()
    ratios, times = [], []
    for k in range(9):
        took = turn_ply(window, 60 + k, 10 + k)
        start = time.perf_counter()
        bare_answers(window.session.project)
        ratios.append(took / (time.perf_counter() - start))
        times.append(took)
    view.whatif.open.setChecked(True)
    longest = 0.0
    for pane in (2, 3):
        view.tabs.buttons()[pane].click()
        QTest.qWait(1500)
        for k in range(2):
            longest = max(
                longest,
                gaps_while(
                    window, lambda k=k, p=pane: turn_ply(window, 90 + p, 20 + k) and None, 2.0
                ),
            )
    shut(window)
    return statistics.median(ratios), statistics.median(times), longest


def ranking_ratio() -> tuple[float, float, int]:
    """Ranking in the window against the core alone; when the first ten stood; candidates."""
    project = long_project(48, 8)
    project = design_edits.put_criteria(project, (CRITERIA,))
    stack = project.stack("long")
    assert stack is not None
    materials = {m.name: m for m in project.materials}
    changes = [Change("", stack.plies, ()), *single_changes(stack.plies, project.materials)]

    def core() -> float:
        start = time.perf_counter()
        for _ in rank(changes, materials, project.load_cases, CRITERIA.sets):
            pass
        return time.perf_counter() - start

    core()
    ratios, first = [], []
    window = stacks_window(project)
    pane = window.stacks.whatif
    for _ in range(3):
        alone = core()
        pane._asked = None
        start = time.perf_counter()
        window.stacks.refresh()
        while pane.slices.busy:
            QApplication.processEvents()
            if len(pane.best_first) >= 10 and len(first) == len(ratios):
                first.append(time.perf_counter() - start)
        # The quiet time before it begins is no work.
        took = time.perf_counter() - start - 0.25
        ratios.append(took / alone)
    shut(window)
    share = statistics.median(f / (0.25 + alone) for f in first)
    return statistics.median(ratios), share, len(changes) - 1
