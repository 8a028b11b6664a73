"""What stands while the program is loaded: a window at its place that says what is opened.

Qt alone is there within a few hundredths of a second; all else takes seconds. Nothing that takes
long to load may be imported by this module.
"""

from __future__ import annotations

import sys
import time
from importlib import import_module
from importlib.resources import files
from pathlib import Path

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFont, QIcon, QPainter, QPaintEvent, QPixmapCache
from PyQt6.QtWidgets import QApplication, QMainWindow

from tartan.desktop import theme
from tartan.desktop.placement import place
from tartan.desktop.preferences import restore_units, text_scale

PROGRAM = "tartan.desktop.app"

STEPS = (
    "numpy",
    "scipy.sparse.linalg",
    "tartan.project.analysis.jobs",
    "tartan.desktop.window",
    PROGRAM,
)
"""What is loaded one after the other; between them the window answers."""

SEEN = 0.5
"""Seconds at most that are waited for it to be painted."""

TURN = 0.0005
"""Seconds that another thread keeps the interpreter while the window wants it. The window asks for
it at every call out of Qt; by the usual 5 ms a page was made in 2.5 s beside a busy thread, which
takes 0.15 s so."""

_MARK = 44.0


def make_application(*, dark: bool | None = None) -> QApplication:
    """Application with fonts and face; the one that runs already, if any."""
    running = QApplication.instance()
    application = running if isinstance(running, QApplication) else QApplication(sys.argv[:1])
    sys.setswitchinterval(TURN)
    application.setApplicationName("Tartan")
    application.setDesktopFileName("tartan")
    application.setWindowIcon(_mark())
    restore_units()
    QPixmapCache.setCacheLimit(64 * 1024)
    theme.load_fonts()
    theme.use(application, dark=dark)
    theme.scale_text(application, text_scale())
    return application


def _mark() -> QIcon:
    return QIcon(str(files("tartan") / "assets/desktop/tartan.svg"))


class Opening(QMainWindow):
    """The window until there is one.

    Parameters
    ----------
    what : str
        Name of the file that is opened; empty for the sample.
    """

    def __init__(self, what: str) -> None:
        super().__init__()
        self.what = what
        self.painted = False
        self.application: QApplication | None = None
        self.setWindowTitle("Tartan")
        self.setAccessibleName(self.words)
        place(self)

    @property
    def words(self) -> str:
        """What it says."""
        return f"Opening {self.what} …" if self.what else "Opening …"

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """The mark, the name and what is opened, in the middle."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("paper"))
        middle = QPointF(self.rect().center())
        at = QRectF(middle.x() - _MARK / 2, middle.y() - 1.6 * _MARK, _MARK, _MARK)
        _mark().paint(painter, at.toRect())
        painter.setPen(theme.colour("ink"))
        name = QFont(self.font())
        name.setPointSizeF(1.6 * name.pointSizeF())
        name.setWeight(QFont.Weight.DemiBold)
        line = QRectF(0, at.bottom() + 12, self.width(), 34)
        painter.setFont(name)
        painter.drawText(line, Qt.AlignmentFlag.AlignCenter, "Tartan")
        painter.setFont(self.font())
        painter.setPen(theme.colour("soft"))
        line.translate(0, line.height())
        painter.drawText(line, Qt.AlignmentFlag.AlignCenter, self.words)
        painter.end()
        self.painted = True


def stand(path: Path | None) -> Opening:
    """Show the window that says what is opened, and wait until it is seen."""
    opening = Opening(path.name if path else "")
    opening.show()
    until = time.monotonic() + SEEN
    while not opening.painted and time.monotonic() < until:
        QApplication.processEvents()
    return opening


def begin(path: Path | None = None) -> Opening | None:
    """Show that a file is opened and load the program; None where that was closed meanwhile.

    Raises
    ------
    ImportError
        Where a library of the system is missing.
    """
    application = make_application()
    opening = stand(path)
    # Nobody else holds it, and with it every window would go.
    opening.application = application
    try:
        for name in STEPS:
            import_module(name)
            application.processEvents()
            if not opening.isVisible():
                return None
    except BaseException:
        opening.close()
        raise
    return opening


def stay(path: Path | None, opening: Opening) -> int:
    """Put the program's window in its place until it is closed; return the exit status.

    Raises
    ------
    TartanError
        When the file cannot be opened.
    """
    try:
        status: int = import_module(PROGRAM).stay(path, opening)
        return status
    finally:
        opening.close()


def run(path: Path | None = None) -> int:
    """Begin and stay, one after the other; return the exit status.

    Raises
    ------
    ImportError, TartanError
        As `begin` and `stay`.
    """
    opening = begin(path)
    return 0 if opening is None else stay(path, opening)
