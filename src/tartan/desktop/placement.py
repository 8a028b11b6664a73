"""Where a window opens: where it was, or in the middle of its screen, always inside of it."""

from __future__ import annotations

from PyQt6.QtCore import QByteArray, QSize
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QMainWindow

from tartan.desktop.preferences import preferences

USUAL, LEAST = (1280, 800), (820, 480)
"""Size of the window where there is room, and the least."""

FULL = 1180
"""Width from which nothing needs to give way."""

LOW = 600
"""Height below which the section at the spot is folded."""

FRAME = (8, 40)
"""What a window manager's frame may take."""


def place(window: QMainWindow) -> None:
    """Put a window where it was, or else in the middle of its screen, always inside of it."""
    kept = preferences().value("window")
    if isinstance(kept, QByteArray):
        window.restoreGeometry(kept)
    screen = QGuiApplication.screenAt(window.geometry().center()) or window.screen()
    assert screen is not None
    area = screen.availableGeometry()
    room = QSize(area.width() - FRAME[0], area.height() - FRAME[1])
    if isinstance(kept, QByteArray) and area.contains(window.geometry()):
        return
    window.resize(QSize(*USUAL).boundedTo(room))
    left = area.x() + max(0, (area.width() - window.width()) // 2)
    top = area.y() + max(0, (area.height() - window.height()) // 2)
    window.move(left, top)
