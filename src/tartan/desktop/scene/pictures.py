"""Pictures and films of what a 3-D view shows, with the legend and words beside it."""

from __future__ import annotations

import math
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from threading import Thread
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QPoint, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtWidgets import QApplication, QFileDialog, QMenu, QWidget

from tartan.core.errors import DocumentError, TartanError
from tartan.desktop import theme
from tartan.project.disk.wholefile import replacing

if TYPE_CHECKING:
    # The 3-D view's libraries take longer to load than all the rest: a view loads them.
    from tartan.desktop.scene.scene import PartScene

FRAMES = 32
"""Pictures of a film: one swing."""

PACE = 50
"""Milliseconds a picture of a film stands."""

FORMATS = "GIF (*.gif);;animated PNG (*.png)"


def picture_of(widget: QWidget, scene: PartScene | None) -> QImage:
    """A widget with its view, whose frame is drawn anew."""
    if scene is not None:
        scene.view.stale = True
    ratio = widget.devicePixelRatioF()
    image = QImage(widget.size() * ratio, QImage.Format.Format_RGB32)
    image.setDevicePixelRatio(ratio)
    image.fill(theme.colour("paper"))
    painter = QPainter(image)
    widget.render(painter, QPoint(), flags=QWidget.RenderFlag.DrawChildren)
    painter.end()
    return image


class Pictures(QObject):
    """Copies and saves what a view shows, and makes films of its swing.

    Parameters
    ----------
    widget : callable
        What is pictured: the view with its legend.
    scene : callable
        The view; None before it was made.
    swing : callable or None
        Shows the shape at a phase between −1 and 1; None where nothing swings.
    """

    told = pyqtSignal(str)
    _wrote = pyqtSignal(str)
    """What came of a film, from the thread that wrote it."""

    def __init__(
        self,
        widget: Callable[[], QWidget],
        scene: Callable[[], PartScene | None],
        swing: Callable[[float | None], object] | None = None,
    ) -> None:
        super().__init__()
        self._wrote.connect(self._written)
        self._writer: Thread | None = None
        self._widget, self._scene, self._swing = widget, scene, swing
        self._film: tuple[Path, list[QImage]] | None = None
        self._next = QTimer(self)
        self._next.setInterval(0)
        self._next.timeout.connect(self._frame)

    def fill(self, menu: QMenu) -> None:
        """Entries of the menu of pictures."""
        menu.addAction("copy picture", self.copy)
        menu.addAction("save picture …", self.ask_save)
        if self._swing is not None:
            menu.addAction("save a film of the swing …", self.ask_film)

    def copy(self) -> None:
        """Put the picture on the clipboard."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setImage(picture_of(self._widget(), self._scene()))
            self.told.emit("The picture is on the clipboard.")

    def ask_save(self) -> None:
        """Ask for a file and save the picture there."""
        name, _ = QFileDialog.getSaveFileName(
            self._widget(), "Save picture", "part.png", "PNG (*.png)"
        )
        if name:
            self.save(Path(name))

    def save(self, path: Path) -> None:
        """Save the picture as PNG."""
        shown = picture_of(self._widget(), self._scene())
        self.told.emit(_saved(path, lambda beside: shown.save(str(beside), "PNG")))

    # Films

    @property
    def filming(self) -> bool:
        """Whether a film is being made."""
        return self._film is not None or self._writer is not None

    def ask_film(self) -> None:
        """Ask for a file and film one swing of the shape into it."""
        name, kind = QFileDialog.getSaveFileName(self._widget(), "Save film", "swing.gif", FORMATS)
        if name:
            path = Path(name)
            if path.suffix.lower() not in (".gif", ".png"):
                path = path.with_name(path.name + (".png" if "png" in kind else ".gif"))
            self.film(path)

    def film(self, path: Path) -> None:
        """Film one swing, a picture at a time, so that the window stays at hand."""
        if self._swing is not None and self._scene() is not None and not self.filming:
            self._film = (path, [])
            self._next.start()

    def cancel(self) -> None:
        """Make no film after all."""
        if self._film is not None:
            self._end()
            self.told.emit("The film was given up; nothing was written.")

    def _frame(self) -> None:
        if self._film is None or self._swing is None or self._scene() is None:
            self._end()
            return
        path, frames = self._film
        if len(frames) == FRAMES:
            self._end()
            # Finding the colours of a film takes most of a second.
            self._writer = Thread(target=self._write_film, args=(path, frames))
            self._writer.start()
            return
        self._swing(math.sin(2 * math.pi * len(frames) / FRAMES))
        frames.append(picture_of(self._widget(), self._scene()))
        self.told.emit(f"Filming, {len(frames)} of {FRAMES} pictures. Esc gives it up.")

    def _write_film(self, path: Path, frames: list[QImage]) -> None:
        words = _saved(path, lambda beside: write_film(frames, beside, path.suffix.lower()))
        # The window may be gone by then.
        with suppress(RuntimeError):
            self._wrote.emit(words)

    def _written(self, words: str) -> None:
        self._writer = None
        self.told.emit(words)

    def _end(self) -> None:
        self._next.stop()
        self._film = None
        if self._swing is not None:
            self._swing(None)


def _saved(path: Path, save: Callable[[Path], object]) -> str:
    """Write a picture beside the one of old, then put it there; what came of it in words."""
    try:
        with replacing(path) as beside:
            if save(beside) is False:
                raise OSError(0, "no picture")
    except (OSError, TartanError) as error:
        return str(DocumentError("The picture cannot be written.", path.name, str(error)))
    return f"Saved {path.name}."


def write_film(frames: list[QImage], path: Path, ending: str) -> None:
    """Write pictures as a film that repeats: GIF, or PNG for all colours.

    Raises
    ------
    OSError
        When the file cannot be written.
    """
    # It takes long to load, and few sessions film.
    from PIL import Image

    pictures = []
    for frame in frames:
        # The window may have been drawn larger or smaller meanwhile.
        same = frame if frame.size() == frames[0].size() else frame.scaled(frames[0].size())
        plain = same.convertToFormat(QImage.Format.Format_RGBA8888)
        bits = plain.constBits()
        assert bits is not None
        data = bits.asstring(plain.sizeInBytes())
        pictures.append(
            Image.frombytes("RGBA", (plain.width(), plain.height()), data).convert("RGB")
        )
    kind = "PNG" if ending == ".png" else "GIF"
    pictures[0].save(path, kind, save_all=True, append_images=pictures[1:], duration=PACE, loop=0)
