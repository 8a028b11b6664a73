"""The 3-D view's libraries, loaded beside the window: it stands before they are there.

They take longer to load than all the rest of the program. Until `begin` is called a view loads
them itself, at once.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from importlib import import_module

from PyQt6.QtCore import QTimer

LOOK = 40
"""Milliseconds between looks at whether they are there."""

_loader: threading.Thread | None = None


def begin(when: threading.Event | None = None) -> None:
    """Load them on a thread of their own, at once or as soon as something has happened."""
    global _loader  # noqa: PLW0603 - there is one interpreter to load them into
    if _loader is None:
        _loader = threading.Thread(target=_load, args=(when,), daemon=True, name="scene-loader")
        _loader.start()


def _load(when: threading.Event | None) -> None:
    if when is not None:
        when.wait()
    import_module("tartan.desktop.scene.scene")


def wait() -> None:
    """Wait until they are there, on a thread that has time; at once where they are not loaded."""
    if _loader is not None:
        _loader.join()


def ready(draw: Callable[[], None]) -> bool:
    """Whether a view can be made without waiting; if not, `draw` is called once it can."""
    if _loader is None or not _loader.is_alive():
        return True
    QTimer.singleShot(LOOK, draw)
    return False
