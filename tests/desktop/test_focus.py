"""Where the keyboard is can be seen, on every page."""

import pytest
from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QAbstractButton, QAbstractItemView, QApplication, QScrollArea, QWidget
from pytestqt.qtbot import QtBot

from tartan.desktop.window import MainWindow
from tartan.pages.stations import STATIONS
from tests.desktop.settle import settle

pytestmark = pytest.mark.gl
ROUND = 4
"""Pixels round a widget in which its ring may stand."""


def picture_of(window: MainWindow, widget: QWidget) -> QImage:
    place = QRect(widget.mapTo(window, QPoint()), widget.size())
    place = place.adjusted(-ROUND, -ROUND, ROUND, ROUND).intersected(window.rect())
    return window.grab(place).toImage()


def takes_keys(window: MainWindow) -> list[QWidget]:
    """All that Tab stops at and that stands in sight."""
    found = []
    for widget in window.findChildren(QWidget):
        tabs = widget.focusPolicy() & Qt.FocusPolicy.TabFocus
        if not (tabs and widget.isEnabled() and widget.isVisible()):
            continue
        if isinstance(widget, QScrollArea) or widget.visibleRegion().isEmpty():
            continue
        if widget.accessibleName() == "Part in three dimensions":
            # Its picture is drawn by the graphics, which a grab of widgets does not see.
            continue
        found.append(widget)
    return found


def test_the_keyboards_place_is_seen_on_every_page(qtbot: QtBot, window: MainWindow) -> None:
    unseen: list[tuple[str, str, str]] = []
    looked = 0
    for station in STATIONS:
        window.session.select(station=station)
        settle()
        for widget in takes_keys(window):
            window.setFocus()
            before = QApplication.focusWidget()
            if before is not None:
                before.clearFocus()
            without = picture_of(window, widget)
            widget.setFocus(Qt.FocusReason.TabFocusReason)
            if not widget.hasFocus():
                continue
            looked += 1
            if isinstance(widget, QAbstractItemView) and widget.model() is not None:
                model = widget.model()
                if model is None or not model.rowCount():
                    continue
            if picture_of(window, widget) == without:
                words = widget.text() if isinstance(widget, QAbstractButton) else ""
                unseen.append((station, type(widget).__name__, widget.accessibleName() + words))
    assert looked > 100
    assert unseen == [], "\n".join(map(str, sorted(set(unseen))))
