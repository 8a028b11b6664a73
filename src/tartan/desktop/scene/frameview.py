"""The view that a part is drawn in: when a frame is drawn anew, and when the last one stands."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager, nullcontext
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QResizeEvent, QWheelEvent
from pyvistaqt import QtInteractor


class FrameView(QtInteractor):  # type: ignore[misc]
    """A view that draws one frame a change; by itself it would at every size, paint and move.

    Attributes
    ----------
    stale : bool
        Whether the last frame shows something else than what is to be seen; whoever changes what
        is drawn sets it, or asks for an update.
    """

    camera_moved = pyqtSignal()
    about_to_draw = pyqtSignal()
    """A frame is drawn anew: what depends on the view's size and camera can still be set."""
    _resizing = False
    stale = True

    def update(self, *given: Any) -> None:
        self.stale = True
        super().update(*given)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        # Qt would draw at once at every size on the way, several a change of page; one frame
        # follows with the window's own painting.
        self._resizing = True
        try:
            super().resizeEvent(event)
        finally:
            self._resizing = False
        self.update()

    def initializeGL(self) -> None:
        # Another context has no frame of this one.
        self.stale = True
        super().initializeGL()

    def paintGL(self) -> None:
        if not self._resizing:
            if self.stale:
                self.about_to_draw.emit()
            # Where only something that lay over the view is gone its last frame is shown again.
            with nullcontext() if self.stale else self._not_at_once():
                super().paintGL()
            # Before the graphics stand nothing was drawn at all.
            window = self._RenderWindow
            self.stale = window is None or not window.GetReadyForRendering()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        # The library's own keys turn the part into wires, colours or another view; none is ours.
        event.ignore()

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        event.ignore()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        with self._not_at_once():
            super().mouseMoveEvent(event)
        if event.buttons() != Qt.MouseButton.NoButton:
            self._moved()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        with self._not_at_once():
            super().mouseReleaseEvent(event)
        self._moved()

    def wheelEvent(self, event: QWheelEvent) -> None:
        with self._not_at_once():
            super().wheelEvent(event)
        self._moved()

    def _moved(self) -> None:
        self.update()
        self.camera_moved.emit()

    @contextmanager
    def _not_at_once(self) -> Iterator[None]:
        self._Iren.EnableRenderOff()
        try:
            yield
        finally:
            self._Iren.EnableRenderOn()
