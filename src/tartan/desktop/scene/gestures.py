"""Gestures on the 3-D view: sweeping elements with a brush or a box, and dragging handles."""

from __future__ import annotations

from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QPoint, QRect, QSize, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QRubberBand

from tartan.core.shell.mesh import Mesh
from tartan.pages.shown import Handle

Array = NDArray[np.float64]

BRUSH = 22.0
"""Radius of the brush in pixels."""

REACH = 11.0
"""Pixels within which a handle is caught."""


class Stage(Protocol):
    """What gestures need of the view they act on."""

    mode: str
    mesh: Mesh | None
    view: Any
    elements_swept: Any
    handle_moved: Any

    def on_screen(self, points: Array) -> Array:
        """Pixels of the view at which points are seen, shape (q, 2)."""

    def facing(self) -> NDArray[np.bool_]:
        """Elements that turn a side to the viewer."""

    def element_at(self, place: QPoint) -> int | None:
        """Element under a pixel."""

    def outline(self, name: str, elements: list[int], colour: str, width: float = 4.0) -> None:
        """Draw round elements."""

    def knobs(self, name: str, places: Array) -> None:
        """Draw knobs."""

    def words(self, name: str, places: Array, texts: list[str], colour: str) -> None:
        """Write words at places."""

    def clear(self, name: str) -> None:
        """Take away what was drawn under a name."""

    def redraw(self) -> None:
        """Have a frame drawn soon."""


class Sweep:
    """Collects elements under a brush or in a box; Ctrl or the right button takes them out."""

    def __init__(self, scene: Stage) -> None:
        self._scene = scene
        self._start: QPoint | None = None
        self._taken: NDArray[np.bool_] | None = None
        self._out = False
        self._band: QRubberBand | None = None
        self._seen: tuple[Array, NDArray[np.bool_]] | None = None

    def take(self, event: QMouseEvent) -> bool:
        """Whether the event belongs to a sweep."""
        kind, at = event.type(), event.position().toPoint()
        if kind == QEvent.Type.MouseButtonPress and self._begins(event):
            return True
        if self._start is None:
            return False
        if kind == QEvent.Type.MouseMove:
            self._move(at)
            return True
        if kind == QEvent.Type.MouseButtonRelease:
            self._end(at)
            return True
        return False

    def _begins(self, event: QMouseEvent) -> bool:
        scene = self._scene
        if event.button() == Qt.MouseButton.MiddleButton or scene.mesh is None:
            return False
        self._out = event.button() == Qt.MouseButton.RightButton or bool(
            event.modifiers() & Qt.KeyboardModifier.ControlModifier
        )
        self._start = event.position().toPoint()
        self._taken = np.zeros(scene.mesh.count, bool)
        self._seen = scene.on_screen(scene.mesh.centres()), scene.facing()
        if scene.mode == "box":
            self._band = QRubberBand(QRubberBand.Shape.Rectangle, scene.view)
            self._band.setGeometry(QRect(self._start, QSize()))
            self._band.show()
        else:
            self._move(self._start)
        return True

    def _move(self, at: QPoint) -> None:
        assert self._start is not None
        assert self._taken is not None
        assert self._seen is not None
        if self._band is not None:
            self._band.setGeometry(QRect(self._start, at).normalized())
            return
        places, facing = self._seen
        near = np.linalg.norm(places - [at.x(), at.y()], axis=1) <= BRUSH
        element = self._scene.element_at(at)
        self._taken |= near & facing
        if element is not None:
            self._taken[element] = True
        self._scene.outline("swept", np.flatnonzero(self._taken).tolist(), "#7c4d8b", 2.5)
        self._scene.redraw()

    def _end(self, at: QPoint) -> None:
        assert self._start is not None
        assert self._taken is not None
        assert self._seen is not None
        if self._band is not None:
            box = QRect(self._start, at).normalized()
            places, facing = self._seen
            inside = (
                (places >= [box.left(), box.top()]) & (places <= [box.right(), box.bottom()])
            ).all(axis=1)
            self._taken |= inside & facing
            self._band.hide()
            self._band.deleteLater()
            self._band = None
        chosen = np.flatnonzero(self._taken)
        self._start = self._taken = self._seen = None
        self._scene.clear("swept")
        self._scene.redraw()
        if len(chosen):
            self._scene.elements_swept.emit(chosen, self._out)


class Handles:
    """Knobs on the part; dragging one tells its value, releasing settles it."""

    def __init__(self, scene: Stage) -> None:
        self._scene = scene
        self.all: tuple[Handle, ...] = ()
        self._held: Handle | None = None
        self._press = QPoint()

    def put(self, handles: tuple[Handle, ...]) -> None:
        """Show other knobs."""
        self.all = handles
        at = np.array([h.at for h in handles]).reshape(-1, 3)
        self._scene.knobs("handles", at)
        self._scene.words(
            "handle words", at, [h.name.replace("_", " ") for h in handles], "#7c4d8b"
        )

    def take(self, event: QMouseEvent) -> bool:
        """Whether the event belongs to a handle."""
        kind, at = event.type(), event.position().toPoint()
        left = event.button() == Qt.MouseButton.LeftButton
        if kind == QEvent.Type.MouseButtonPress and left and self.all:
            places = self._scene.on_screen(np.array([h.at for h in self.all]))
            gap = np.linalg.norm(places - [at.x(), at.y()], axis=1)
            if gap.min() <= REACH:
                self._held, self._press = self.all[int(gap.argmin())], at
                return True
        if self._held is None:
            return False
        if kind == QEvent.Type.MouseMove:
            self._scene.handle_moved.emit(self._held.name, self._value(self._held, at), False)
            return True
        if kind == QEvent.Type.MouseButtonRelease:
            held, self._held = self._held, None
            self._scene.handle_moved.emit(held.name, self._value(held, at), True)
            return True
        return False

    def _value(self, held: Handle, at: QPoint) -> float:
        """Value at a pixel: the pull along the handle's way as it is seen."""
        start = np.array(held.at)
        two = self._scene.on_screen(np.stack([start, start + np.array(held.way)]))
        along = two[1] - two[0]
        square = float(along @ along)
        pull = np.array([at.x() - self._press.x(), at.y() - self._press.y()])
        moved = float(pull @ along) / square if square > 1e-9 else 0.0
        value = held.value + held.gain * moved
        return max(float(f"{value:.3g}"), 1e-4)
