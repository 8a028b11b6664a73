"""Start the window."""

from __future__ import annotations

import gc
import logging
import sys
import threading
import traceback
from importlib import import_module
from pathlib import Path
from types import TracebackType

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from tartan.desktop.opening import Opening, make_application
from tartan.desktop.scene import loading
from tartan.desktop.session import Session
from tartan.desktop.window import MainWindow
from tartan.pages.stations import STATIONS
from tartan.project.document.samples import dish_panel
from tartan.project.files import storage
from tartan.project.files.recovery import left_behind, set_aside
from tartan.project.wording import units

QUIET = 5000
"""Milliseconds after the start until memory is settled: by then all is loaded."""


def make_window(path: Path | None = None) -> MainWindow:
    """Window on a project file, or on the sample.

    Raises
    ------
    DocumentError
        When the file cannot be opened.
    """
    project = storage.load(path) if path else dish_panel()
    session = Session(project, path)
    window = MainWindow(session)
    session.refresh_answer()
    window.recovery.tell_aside(set_aside())
    window.recovery.offer(left_behind())
    return window


def prepare() -> None:
    """Load beside the window what its user would wait for at the first use."""

    def work() -> None:
        # The part is waited for first; loaded at once, one holds up the other.
        loading.wait()
        # A typed figure is read, and steady work is written down, from the first edit on.
        units.prepare()
        storage.prepare()
        # A page is gone to sooner than a figure is typed there.
        for station in STATIONS:
            import_module(f"tartan.desktop.{station.lower()}.view")
        for pane in ("forms", "keptspots", "spotsolid", "whatif"):
            import_module(f"tartan.desktop.margins.{pane}")
        # Read from their cache now, the compiled loops do not halt typing later.
        import_module("tartan.core.loops").compile_all()
        for library in ("scipy.spatial", "scipy.interpolate", "scipy.optimize"):
            import_module(library)

    threading.Thread(target=work, daemon=True, name="prepare").start()


def tell_of_faults(window: MainWindow) -> None:
    """Let a fault of the program itself be told in words; the work stays, and is kept."""

    def hook(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)
            return
        if window.faults.tell(kind, error, trace):
            details = "".join(traceback.format_exception(kind, error, trace))
            logging.getLogger("tartan").error(details)

    sys.excepthook = hook


def settle_memory() -> None:
    """Take what start-up made out of the collector's sight.

    It stays for good, and looking through it again and again would halt typing. Looking through
    all of it once would too, for a quarter of a second: what is young is enough.
    """
    gc.collect(1)
    gc.freeze()


def stay(path: Path | None, opening: Opening) -> int:
    """Put the window in the place of what stood for it, and stay until it is closed.

    Raises
    ------
    DocumentError
        When the file cannot be opened.
    """
    window = make_window(path)
    tell_of_faults(window)
    # Loaded meanwhile they would hold up the first painting by a second.
    painted = threading.Event()
    loading.begin(painted)
    window.show()
    QApplication.processEvents()
    painted.set()
    opening.close()
    QTimer.singleShot(0, prepare)
    QTimer.singleShot(QUIET, settle_memory)
    return QApplication.exec()


__all__ = ["make_application", "make_window", "prepare", "settle_memory", "stay", "tell_of_faults"]
