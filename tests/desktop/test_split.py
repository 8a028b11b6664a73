"""Panes are dragged, remembered, and given back their usual sizes by a double click."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from tartan.desktop.preferences import preferences
from tartan.desktop.widgets.split import Split
from tartan.desktop.window import MainWindow
from tests.desktop.settle import settle

Opener = Callable[..., MainWindow]
LEFT = Qt.MouseButton.LeftButton


def split_of(window: MainWindow, station: str) -> Split:
    window.session.select(station=station)
    settle()
    return next(s for s in window.pages[station].view.findChildren(Split) if s.isVisible())


def drag(split: Split, by: int) -> None:
    grip = split.handle(1)
    assert grip is not None
    middle = grip.rect().center()
    QTest.mousePress(grip, LEFT, pos=middle)
    for share in (0.3, 0.6, 1.0):
        QTest.mouseMove(grip, middle + QPoint(round(share * by), 0))
        settle()
    QTest.mouseRelease(grip, LEFT, pos=middle + QPoint(by, 0))


def test_a_dragged_size_is_there_in_the_next_window(open_window: Opener) -> None:
    window = open_window()
    split = split_of(window, "Cases")
    before = split.sizes()
    drag(split, 90)
    after = split.sizes()
    assert after[0] > before[0] + 40
    assert sum(after) == sum(before)
    again = split_of(open_window(), "Cases")
    assert again.sizes() == after
    grip = again.handle(1)
    assert grip is not None
    QTest.mouseDClick(grip, LEFT, pos=grip.rect().center())
    assert again.sizes() == before
    assert preferences().value("split/cases") is None


def test_no_pane_is_dragged_away(open_window: Opener) -> None:
    window = open_window()
    split = split_of(window, "Part")
    drag(split, -2000)
    assert min(split.sizes()) >= 300
    drag(split, 3000)
    assert min(split.sizes()) >= 100


@pytest.mark.parametrize(
    "kept", ["", "1", "-5,7", "99999999,3", "a,b", "0,0", "1,2,3,4", "∞,1", "500,500"]
)
def test_whatever_is_kept_a_page_stands(open_window: Opener, kept: str) -> None:
    preferences().setValue("split/cases", kept)
    sizes = split_of(open_window(wait=False), "Cases").sizes()
    assert len(sizes) == 2
    assert min(sizes) > 100


def test_a_wider_window_gives_its_room_to_the_part(open_window: Opener) -> None:
    window = open_window(wait=False)
    split = split_of(window, "Cases")
    left, right = split.sizes()
    window.resize(window.width() - 120, window.height())
    settle()
    narrow = split.sizes()
    assert narrow[0] == left
    assert narrow[1] < right
