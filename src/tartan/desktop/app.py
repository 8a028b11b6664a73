"""Start the window."""

from __future__ import annotations

import sys
from pathlib import Path

from PyQt6.QtWidgets import QApplication

from tartan.desktop import theme
from tartan.desktop.preferences import restore_units
from tartan.desktop.session import Session
from tartan.desktop.window import MainWindow
from tartan.project import storage
from tartan.project.recovery import left_behind
from tartan.project.samples import dish_panel


def make_application(*, dark: bool | None = None) -> QApplication:
    """Application with fonts and face; the one that runs already, if any."""
    running = QApplication.instance()
    application = running if isinstance(running, QApplication) else QApplication(sys.argv[:1])
    application.setApplicationName("Tartan")
    application.setDesktopFileName("tartan")
    restore_units()
    theme.load_fonts()
    theme.use(application, dark=dark)
    return application


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
    window.recovery.offer(left_behind())
    return window


def run(path: Path | None = None) -> int:
    """Open the window and stay until it is closed; return the exit status."""
    application = make_application()
    window = make_window(path)
    window.show()
    return application.exec()
