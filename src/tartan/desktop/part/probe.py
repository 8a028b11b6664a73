"""The probe: the stack where the pointer stands, beside up to two that were pinned."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from tartan.core.materials import ISOTROPIC
from tartan.desktop import theme
from tartan.desktop.widgets.bands import band_heights
from tartan.exchange.maps import colours
from tartan.pages.rows import rows_of
from tartan.pages.shown import Row
from tartan.project.analysis.shellinputs import PartInputs, layout_of, where_words
from tartan.project.document.model import Project
from tartan.project.wording import units

WIDE, TALL = 232, 176


class ProbeCard(QWidget):
    """A small section picture with what is to be known of the place."""

    closed = pyqtSignal()

    def __init__(self, title: str) -> None:
        super().__init__()
        self.title = title
        self.element: int | None = None
        self.rows: tuple[Row, ...] = ()
        self.facts: list[tuple[str, str]] = []
        self.place = ""
        self.setFixedSize(WIDE, TALL)

    def sizeHint(self) -> QSize:
        return QSize(WIDE, TALL)

    def put(
        self, project: Project, inputs: PartInputs | None, element: int | None, reserve: str = ""
    ) -> None:
        """Show an element's stack; None shows what to do."""
        self.element = element
        self.rows, self.facts, self.place = (), [], ""
        if inputs is not None and element is not None:
            layout = layout_of(inputs)
            self.place = where_words(inputs, element)
            plies = layout.plies(element)
            self.rows = rows_of(project, layout.local_plies(element), plies)
            laminate = layout.laminate(element)
            zone = int(layout.zones.zone[element]) + 1
            self.place = f"{where_words(inputs, element)} · zone {zone}"
            up = layout.mesh.normals()[element]
            axis = int(np.abs(up).argmax())
            side = f"towards {'−' if up[axis] < 0 else '+'}{'xyz'[axis]}"
            self.facts = [
                ("plies", str(len(plies))),
                ("thickness", units.show(laminate.thickness, units.LENGTH)),
                ("laying side", side),
            ]
            self.facts += [("reserve factor", reserve)] if reserve else []
        self.setAccessibleName(f"{self.title} {self.place}")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        face, painter = theme.face(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QColor(face.line))
        painter.setBrush(QColor(face.panel))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
        painter.setFont(theme.strong(9.5))
        painter.setPen(QColor(face.ink))
        painter.drawText(QRectF(12, 6, 90, 20), Qt.AlignmentFlag.AlignVCenter, self.title)
        painter.setFont(theme.font(8.5))
        painter.setPen(QColor(face.soft))
        place = painter.fontMetrics().elidedText(
            self.place, Qt.TextElideMode.ElideRight, WIDE - 82
        )
        painter.drawText(QRectF(66, 6, WIDE - 78, 20), Qt.AlignmentFlag.AlignVCenter, place)
        if self.element is None:
            painter.drawText(
                QRectF(12, 30, WIDE - 24, TALL - 40),
                Qt.TextFlag.TextWordWrap,
                "Point at the part to read its stack; click to pin it.",
            )
            return
        if not self.rows:
            painter.drawText(
                QRectF(12, 30, WIDE - 24, TALL - 40),
                Qt.TextFlag.TextWordWrap,
                "Nothing is laid here yet.",
            )
            return
        room = TALL - 42.0
        heights = band_heights(
            [r.thickness for r in self.rows], room, min(13, room / len(self.rows))
        )
        y = TALL - 8.0
        for i, (band, high) in enumerate(zip(self.rows, heights, strict=True)):
            y -= high
            if y < 26:
                break
            self._paint_ply(painter, QRectF(12, y, 112, high - 1.0), i, band)
        y = 32.0
        for name, value in self.facts:
            painter.setFont(theme.font(8))
            painter.setPen(QColor(face.soft))
            painter.drawText(QRectF(134, y, 92, 14), Qt.AlignmentFlag.AlignLeft, name)
            painter.setFont(theme.strong(9))
            painter.setPen(QColor(face.ink))
            painter.drawText(QRectF(134, y + 13, 92, 16), Qt.AlignmentFlag.AlignLeft, value)
            y += 34

    def _paint_ply(self, painter: QPainter, area: QRectF, i: int, band: Row) -> None:
        """Draw a ply as a plain band with its number and angle."""
        face = theme.face()
        stone = band.kind in ("core", *ISOTROPIC)
        ground = (
            ("#4a463d" if face.dark else "#e3dccd")
            if stone
            else colours.ply_band(band.angle, dark=face.dark)
        )
        painter.fillRect(area, QColor(ground))
        solid = QColor("#c9bda3" if stone else colours.ply_solid(band.angle))
        painter.fillRect(QRectF(area.left(), area.top(), 5, area.height()), solid)
        if area.height() < 9:
            return
        painter.setFont(theme.font(7.5))
        painter.setPen(QColor(face.soft))
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.drawText(area.adjusted(10, 0, 0, 0), middle, str(band.number or i + 1))
        painter.setFont(theme.strong(8))
        painter.setPen(QColor(face.ink))
        words = "core" if band.kind == "core" else f"{units.number(band.angle)}°"
        painter.drawText(area.adjusted(34, 0, 0, 0), middle, words)
        painter.setFont(theme.font(7.5))
        painter.setPen(QColor(face.soft))
        painter.drawText(
            area.adjusted(0, 0, -4, 0),
            middle | Qt.AlignmentFlag.AlignRight,
            units.show(band.thickness, units.LENGTH, unit=False),
        )

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if self.element is not None:
            self.closed.emit()
