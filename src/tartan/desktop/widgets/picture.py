"""Pictures that can be copied, and saved as PNG or SVG, each by its own menu."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtSvg import QSvgGenerator
from PyQt6.QtWidgets import QApplication, QFileDialog, QMenu, QMessageBox, QWidget

from tartan.core.errors import DocumentError
from tartan.desktop import theme
from tartan.project.disk.wholefile import replacing

VECTOR = "drawn anew"
"""Property of a widget while it is drawn for a saved picture: nothing kept may be used."""

SHARPNESS = 2
"""Pixels of a saved picture per pixel on the screen."""


def picture_of(widget: QWidget) -> QImage:
    """Picture of a widget on the ground of the window."""
    size = widget.size() * SHARPNESS
    image = QImage(size, QImage.Format.Format_ARGB32)
    image.setDevicePixelRatio(SHARPNESS)
    image.fill(theme.colour("paper"))
    painter = QPainter(image)
    widget.render(painter, QPoint(), flags=QWidget.RenderFlag.DrawChildren)
    painter.end()
    return image


def save_picture(widget: QWidget, path: Path) -> None:
    """Save a picture; the file's ending chooses SVG or PNG.

    Raises
    ------
    DocumentError
        When the file cannot be written.
    """
    widget.setProperty(VECTOR, True)
    try:
        with replacing(path) as beside:
            if path.suffix.lower() == ".svg":
                made = _save_svg(widget, beside)
            else:
                made = picture_of(widget).save(str(beside), "PNG")
            if not made:
                raise OSError(0, "no picture")
    except OSError as error:
        raise DocumentError(
            "The picture cannot be written.", str(path), "Choose another folder."
        ) from error
    finally:
        widget.setProperty(VECTOR, False)


def _save_svg(widget: QWidget, path: Path) -> bool:
    generator = QSvgGenerator()
    generator.setFileName(str(path))
    generator.setSize(QSize(widget.width(), widget.height()))
    generator.setViewBox(QRect(0, 0, widget.width(), widget.height()))
    generator.setTitle(widget.accessibleName() or "picture")
    painter = QPainter()
    if not painter.begin(generator):
        return False
    painter.fillRect(widget.rect(), theme.colour("paper"))
    widget.render(painter, QPoint(), flags=QWidget.RenderFlag.DrawChildren)
    return painter.end() and path.exists()


def offer_saving(widget: QWidget, name: str) -> None:
    """Give a widget the menu of a picture, by the secondary button or the menu key."""
    widget.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
    if not widget.accessibleName():
        widget.setAccessibleName(name)
    widget.customContextMenuRequested.connect(
        lambda at: picture_menu(widget, name).popup(widget.mapToGlobal(at))
    )


def picture_menu(widget: QWidget, name: str) -> QMenu:
    """Menu that copies the picture or saves it."""
    menu = QMenu(widget)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)

    def copy() -> None:
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setImage(picture_of(widget))

    menu.addAction("copy picture", copy)
    menu.addAction("save picture …", lambda: ask_save(widget, name))
    return menu


def ask_save(widget: QWidget, name: str) -> None:
    """Ask for a file and save the picture there."""
    chosen, kind = QFileDialog.getSaveFileName(
        widget, "Save picture", f"{name}.svg", "SVG (*.svg);;PNG (*.png)"
    )
    if not chosen:
        return
    path = Path(chosen)
    if path.suffix.lower() not in (".svg", ".png"):
        path = path.with_name(path.name + (".png" if "png" in kind else ".svg"))
    try:
        save_picture(widget, path)
    except DocumentError as error:
        QMessageBox.warning(widget, "Not saved", str(error))
