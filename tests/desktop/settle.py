"""Letting the window come to rest by its events, not by time."""

from PyQt6.QtCore import QEventLoop, QTimer
from PyQt6.QtGui import QGuiApplication

ROUNDS = 6
"""Turns of the event loop: a click makes rows, they are laid out, shown, and laid out again."""


def settle() -> None:
    """Take all events that are there and that follow from them, of the display's server too."""
    for _ in range(ROUNDS):
        QGuiApplication.sync()
        loop = QEventLoop()
        QTimer.singleShot(0, loop.quit)
        loop.exec()
