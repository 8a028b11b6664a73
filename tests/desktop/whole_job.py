"""A whole job done by hand in the real window: the feed strut with its bracket, to the report.

Each step does what the guide page says, by clicks and keys alone, and yields the name of the
picture that stands there. The test runs it; so does the script that makes the pictures.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from pathlib import Path

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QApplication,
    QComboBox,
    QFileDialog,
    QLineEdit,
    QMenu,
    QPushButton,
    QWidget,
)

from tartan.desktop.window import MainWindow
from tests.desktop.settle import settle

LEFT = Qt.MouseButton.LeftButton
PATIENCE = 240.0


class Hand:
    """Clicks and types what a reader of the guide would."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self.actions = 0

    def key(self, widget: QWidget, key: Qt.Key, *, ctrl: bool = False) -> None:
        """Press a key, perhaps with Ctrl."""
        self.actions += 1
        none, control = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ControlModifier
        QTest.keyClick(widget, key, control if ctrl else none)
        settle()

    def wait(self, done: Callable[[], bool]) -> None:
        """Let the window work until something is so."""
        end = time.monotonic() + PATIENCE
        while not done():
            assert time.monotonic() < end, "it took too long"
            QTest.qWait(20)

    def go(self, station: str) -> QWidget:
        """Click a station of the route."""
        self.actions += 1
        place = self.window.route.station_rect(station).center().toPoint()
        QTest.mouseClick(self.window.route, LEFT, pos=place)
        settle()
        assert self.window.session.selection.station == station
        return self.window.pages[station].view

    @property
    def here(self) -> QWidget:
        """The station's bench, or its next step where it is empty."""
        return self.window.pages[self.window.session.selection.station]

    def press(self, text: str) -> None:
        """Click the one button of that name."""
        self.actions += 1

        def found() -> list[QPushButton]:
            return [
                b
                for b in self.here.findChildren(QPushButton)
                if b.text() == text and b.isVisible()
            ]

        self.wait(lambda: len(found()) > 0)
        QTest.mouseClick(found()[0], LEFT)
        settle()

    def entry(self, button: str, begins: str) -> None:
        """Choose an entry of the menu that a button opens."""
        self.press(button)
        self.actions += 1
        menu = QApplication.activePopupWidget()
        assert isinstance(menu, QMenu)
        action = next(a for a in menu.actions() if a.text().startswith(begins))
        QTest.mouseClick(menu, LEFT, pos=menu.actionGeometry(action).center())
        settle()

    def field(self, name: str) -> QLineEdit:
        """The one visible field of that name."""

        def found() -> list[QLineEdit]:
            return [
                f
                for f in self.window.findChildren(QLineEdit)
                if f.accessibleName() == name and f.isVisible()
            ]

        self.wait(lambda: len(found()) == 1)
        return found()[0]

    def type(self, name: str, text: str) -> None:
        """Type into a field and press Enter."""
        self.actions += 1
        field = self.field(name)
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)
        settle()

    def choose(self, name: str, text: str) -> None:
        """Choose in a list, by keys as a reader without a mouse would."""
        self.actions += 1

        def found() -> list[QComboBox]:
            return [
                c
                for c in self.here.findChildren(QComboBox)
                if (c.accessibleName() or c.toolTip()) == name and c.isVisible()
            ]

        self.wait(lambda: len(found()) == 1)
        box = found()[0]
        box.setCurrentIndex(box.findText(text))
        assert box.currentText() == text, [box.itemText(i) for i in range(box.count())]
        box.textActivated.emit(text)
        settle()

    def solved(self) -> None:
        """Wait for the answer of the project as it stands."""
        self.wait(lambda: self.window.session.fresh)
        settle()


def whole_job(window: MainWindow, folder: Path) -> Iterator[str]:
    """Do the job; yields the name of each picture when its moment has come.

    Parameters
    ----------
    window : MainWindow
        The window, with nothing unsaved.
    folder : Path
        Where project and report are saved.
    """
    hand = Hand(window)
    # Making a 3-D view takes the keyboard away for a moment.
    window.activateWindow()
    assert QTest.qWaitForWindowActive(window, 5000)
    settle()
    QTest.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    settle()
    assert window.session.project.part is None
    hand.type("Project name", "Mountain station · feed strut")
    yield from _materials_and_stacks(hand)
    yield from _part(hand)
    yield from _cases(hand)
    yield from _margins(hand)
    yield from _versions_and_report(hand, folder)


def _materials_and_stacks(hand: Hand) -> Iterator[str]:
    hand.go("Materials")
    yield "job-1-first-step"
    hand.entry("from the library", "UD carbon")
    hand.entry("+ material ▾", "woven carbon")
    hand.go("Stacks")
    hand.type("Now a stack", "[45 woven carbon/0_12 UD carbon/90_2 UD carbon/0_4 UD carbon]s")
    hand.type("Stack name", "strut")
    settle()


def _part(hand: Hand) -> Iterator[str]:
    hand.go("Part")
    hand.press("a flat panel")
    hand.press("surface")
    hand.type("length along x", "300 mm")
    hand.type("width along y", "60 mm")
    hand.type("mesh size", "10 mm")
    hand.press("regions")
    hand.press("+ an edge")
    hand.type("Region name", "bracket")
    hand.type("within", "50 mm")
    hand.press("lay-up")
    hand.choose("Lay a stack of the Stacks station above the chosen rung", "strut")
    hand.choose("region of the rung", "bracket")
    settle()
    yield "job-2-part"


def _cases(hand: Hand) -> Iterator[str]:
    hand.go("Cases")
    hand.press("+ support")
    hand.choose("place of support 1", "left edge")
    hand.choose("kind of support 1", "clamped")
    hand.press("+ case")
    hand.type("Case name", "gust")
    hand.choose("add a load", "own weight")
    hand.choose("add a load", "force or moment")
    hand.choose("place of load 2", "right edge")
    hand.type("force of load 2 x", "-150")
    hand.type("force of load 2 z", "110")
    hand.press("+ case")
    hand.type("Case name", "cold")
    hand.choose("add a load", "own weight")
    hand.choose("add a load", "temperature")
    hand.type("temperature change", "-60")
    hand.choose("add a requirement", "reserve factor")
    hand.type("limit of reserve factor", "1.5")
    hand.choose("add a requirement", "buckling factor")
    hand.choose("case of requirement 2", "gust")
    hand.solved()
    yield "job-3-cases"


def _margins(hand: Hand) -> Iterator[str]:
    window = hand.window
    QTest.mouseClick(window.verdict, LEFT, pos=QPoint(80, window.verdict.height() // 2))
    settle()
    hand.press("left out")
    hand.press("+ near supports")
    hand.press("hot spots")
    hand.solved()
    yield "job-4-margins"
    # The state as it is becomes the baseline; the copy is made better.
    QTest.keyClick(window, Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier)
    hand.solved()
    hand.press("what one change would do")
    rank = window.margins.spot.what_if
    hand.wait(lambda: not rank.slices.busy and bool(rank.best))
    settle()
    yield "job-5-change"
    rank.table.view.setFocus()
    hand.press("apply")
    hand.solved()


def _versions_and_report(hand: Hand, folder: Path) -> Iterator[str]:
    window = hand.window
    hand.go("Versions")
    hand.wait(lambda: window.session.answer_of("A") is not None)
    hand.press("difference")
    settle()
    yield "job-6-versions"
    hand.go("Report")
    hand.type("Title of the report", "First issue")
    hand.press("make the report")
    hand.wait(lambda: not window.report.maker.busy)
    settle()
    yield "job-7-report"
    asked = QFileDialog.getSaveFileName
    try:
        for name in ("strut.html", "strut.pdf", "strut.tartan.json"):
            QFileDialog.getSaveFileName = staticmethod(  # type: ignore[method-assign,assignment]
                lambda *_a, n=name, **_k: (str(folder / n), "")
            )
            if name.endswith(".json"):
                QTest.keyClick(window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
            else:
                hand.press(f"save as {name.rpartition('.')[2].upper()} …")
    finally:
        QFileDialog.getSaveFileName = asked  # type: ignore[method-assign]
    settle()
