"""Start the window."""

from __future__ import annotations

import gc
import logging
import sys
import threading
import traceback
from functools import partial
from pathlib import Path
from types import TracebackType

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from tartan.core.loops import WITH_LOOPS, compile_in
from tartan.desktop.ahead import AHEAD, module_of
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

LATER = 500
"""Milliseconds until it is looked again whether all is loaded."""

OLD, NEVER = 10, 1_000_000
"""Collections of young memory until all of it is looked through: usually, and while loading."""


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
    pages = [module_of(station) for station in STATIONS]
    panes = [f"tartan.desktop.margins.{x}" for x in ("forms", "keptspots", "spotsolid", "whatif")]
    AHEAD.begin(
        (
            # The part is waited for first; loaded at once, one holds up the other.
            loading.wait,
            # A typed figure is read, and steady work is written down, from the first edit on.
            units.prepare,
            storage.prepare,
            # A page that is asked for comes next and is waited for without halting the window;
            # a compiled loop that is not yet read from its cache would halt it.
            *(partial(compile_in, module) for module in WITH_LOOPS),
            *pages,
            *panes,
            *("scipy.spatial", "scipy.interpolate", "scipy.optimize"),
        )
    )
    # What is loaded stays: looking through all of it again and again would halt the window.
    young, middle, _ = gc.get_threshold()
    gc.set_threshold(young, middle, NEVER)
    QTimer.singleShot(QUIET, settle_memory)


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
    if AHEAD.busy:
        QTimer.singleShot(LATER, settle_memory)
        return
    gc.collect(1)
    gc.freeze()
    gc.set_threshold(*gc.get_threshold()[:2], OLD)


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
    return QApplication.exec()


__all__ = ["make_application", "make_window", "prepare", "settle_memory", "stay", "tell_of_faults"]
