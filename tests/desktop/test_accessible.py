"""Everything that takes the keyboard or shows an answer has a name for those who do not see it."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractScrollArea,
    QLabel,
    QLineEdit,
    QListWidget,
    QSplitterHandle,
    QWidget,
)

from tartan.desktop.window import MainWindow
from tartan.pages.stations import STATIONS
from tartan.project.document.model import Project
from tests.desktop.settle import settle

OpenWindow = Callable[..., MainWindow]


def takes_keys(widget: QWidget) -> bool:
    return bool(widget.focusPolicy() & Qt.FocusPolicy.TabFocus)


def name_of(widget: QWidget) -> str:
    """Name that is read out: given, or the text that stands on it."""
    text = widget.text() if isinstance(widget, QAbstractButton) else ""
    return widget.accessibleName() or text


def inner(widget: QWidget) -> bool:
    """Parts of Qt's own widgets, which are read out with their whole."""
    own = isinstance(widget, QSplitterHandle) or widget.objectName().startswith("qt_")
    scrolls = type(widget) is QAbstractScrollArea or widget.metaObject().className() in (  # type: ignore[union-attr]
        "QScrollArea",
        "QtInteractor",
        "QHeaderView",
    )
    in_list = isinstance(widget.parent(), QAbstractItemView | QLineEdit)
    return own or scrolls or in_list


def all_stations(qtbot, window: MainWindow) -> Iterator[str]:  # type: ignore[no-untyped-def]
    for station in STATIONS:
        window.session.select(station=station)
        settle()
        yield station


@pytest.mark.parametrize("empty", [True, False], ids=["from nothing", "full"])
def test_all_that_takes_the_keyboard_has_a_name(
    qtbot, open_window: OpenWindow, empty: bool
) -> None:  # type: ignore[no-untyped-def]
    window = open_window(Project("nothing"), wait=False) if empty else open_window()
    nameless = set()
    for station in all_stations(qtbot, window):
        for widget in window.findChildren(QWidget):
            if (
                widget.isVisible()
                and takes_keys(widget)
                and not inner(widget)
                and not name_of(widget)
            ):
                nameless.add((station, type(widget).__name__, widget.toolTip()))
    assert not nameless


def test_what_a_button_does_is_read_where_it_shows_a_sign(qtbot, open_window: OpenWindow) -> None:  # type: ignore[no-untyped-def]
    window = open_window()
    unsaid = set()
    for station in all_stations(qtbot, window):
        for button in window.findChildren(QAbstractButton):
            letters = [c for c in name_of(button) if c.isalpha()]
            if button.isVisible() and not letters and not inner(button) and takes_keys(button):
                unsaid.add((station, button.text(), button.toolTip()))
    assert not unsaid


def test_lines_of_lists_are_read_out(qtbot, open_window: OpenWindow) -> None:  # type: ignore[no-untyped-def]
    window = open_window()
    silent = set()
    for station in all_stations(qtbot, window):
        for listed in window.findChildren(QListWidget):
            for i in range(listed.count() if listed.isVisible() else 0):
                item = listed.item(i)
                assert item is not None
                said = item.data(Qt.ItemDataRole.AccessibleTextRole) or item.text()
                if not said:
                    silent.add((station, listed.accessibleName()))
    assert not silent


def test_pictures_say_what_they_show(qtbot, open_window: OpenWindow) -> None:  # type: ignore[no-untyped-def]
    """Widgets that paint themselves have a name, and those that show an answer its words."""
    window = open_window()
    silent = set()
    for station in all_stations(qtbot, window):
        for widget in window.findChildren(QWidget):
            own = type(widget).__module__.startswith("tartan") and "paintEvent" in vars(
                type(widget)
            )
            plain = isinstance(widget, QAbstractButton | QLabel | QSplitterHandle | QLineEdit)
            if own and not plain and widget.isVisible() and not widget.accessibleName():
                silent.add((station, type(widget).__name__))
    assert not silent - {(s, "Weave") for s in STATIONS}


def test_the_verdict_is_read_out_as_it_stands(open_window: OpenWindow) -> None:
    window = open_window()
    said = f"{window.verdict.accessibleName()} {window.verdict.accessibleDescription()}"
    assert window.session.verdict.figure in said
    assert window.session.verdict.sentence in said
