"""What a tube is under, edited in place, beside a small drawing of it."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QGridLayout, QWidget

from tartan.core.errors import TartanError
from tartan.core.laminate.tube import TubeLoad
from tartan.desktop import theme
from tartan.desktop.widgets.controls import (
    QuantityField,
    UnitLabel,
    choice,
    column,
    label,
    row,
    set_options,
)
from tartan.exchange.maps import colours
from tartan.pages.tube import ENDS, FIELDS, RADII

MOST_DRAWN = 6
"""Directions that the drawing shows."""


class TubeDrawing(QWidget):
    """A tube lying along x, with the fibre directions of its plies on it."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(QSize(132, 58))
        self.setToolTip(
            "x runs along the tube, y round it; the first ply is the innermost. "
            "90° is hoop, 0° is axial."
        )
        self.setAccessibleName("Drawing of the tube")
        self._angles: tuple[float, ...] = ()
        self._closed = True

    def put(self, angles: Sequence[float], *, closed: bool) -> None:
        """Show the directions of the plies, from inside out."""
        self._angles, self._closed = tuple(dict.fromkeys(angles))[:MOST_DRAWN], closed
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        left, right, top, high = 14.0, 108.0, 6.0, 44.0
        wide = 9.0
        painter.setPen(QPen(theme.colour("soft"), 1.2))
        painter.setBrush(theme.colour("panel"))
        painter.drawRect(QRectF(left, top, right - left, high))
        painter.drawEllipse(QRectF(left - wide, top, 2 * wide, high))
        painter.setBrush(theme.colour("line" if self._closed else "paper"))
        painter.drawEllipse(QRectF(right - wide, top, 2 * wide, high))
        self._paint_fibres(
            painter, QRectF(left + wide + 2, top, right - left - 2 * wide - 4, high)
        )
        painter.setPen(QPen(theme.colour("ink"), 1.2))
        y = top + high / 2
        painter.drawLine(QPointF(right, y), QPointF(right + 17, y))
        for s in (-1, 1):
            painter.drawLine(QPointF(right + 17, y), QPointF(right + 13, y + 3 * s))
        painter.setFont(theme.font(8))
        painter.drawText(QPointF(right + 12, y - 5), "x")
        painter.end()

    def _paint_fibres(self, painter: QPainter, room: QRectF) -> None:
        """One stroke a direction, seen from outside: it bends round as the surface does."""
        count = len(self._angles)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for k, angle in enumerate(self._angles):
            painter.setPen(QPen(QColor(colours.ply_solid(angle)), 2.2))
            at = room.left() + room.width() * (k + 0.5) / count
            turn = math.radians(angle)
            reach = min(room.width() / 2, 0.45 * room.width() / max(1, count) ** 0.5)
            points = []
            for step in range(-8, 9):
                s = step / 8
                # y runs up round the tube; what is seen of it is the sine of the arc.
                arc = s * math.sin(turn) * 1.25
                across = max(room.left(), min(room.right(), at + s * math.cos(turn) * reach))
                points.append(
                    QPointF(across, room.center().y() - room.height() / 2 * math.sin(arc))
                )
            painter.drawPolyline(QPolygonF(points))


class TubeFields(QWidget):
    """Radius, ends, pressure, force, torque, length and knock-down of a tube.

    Parameters
    ----------
    commit : callable
        Gets what changed in words and the tube as it shall be; returns why not, or None.
    tell : callable
        Hears faults of the fields.
    """

    def __init__(
        self, commit: Callable[[str, TubeLoad], TartanError | None], tell: Callable[[str], None]
    ) -> None:
        super().__init__()
        self._commit = commit
        self._tube = TubeLoad(0.1)
        self.drawing = TubeDrawing()
        self.radius_of = choice(list(RADII.values()), self._measure)
        self.radius_of.setAccessibleName("Radius given")
        self.ends = choice([f"ends {e}" for e in ENDS], self._close)
        self.ends.setAccessibleName("Ends")
        self.ends.setToolTip("Closed ends pass the pressure on as axial force")
        self.fields: dict[str, QuantityField] = {}
        self.units: list[UnitLabel] = []
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(2)
        for i, field in enumerate(FIELDS):
            edit = QuantityField(field.quantity, partial(self._set, field.key))
            edit.setAccessibleName(field.what)
            edit.setMinimumWidth(44)
            edit.refused.connect(tell)
            name = self.radius_of if field.key == "radius" else label(field.symbol, "soft")
            name.setToolTip(field.what)
            unit = UnitLabel(field.quantity)
            self.units.append(unit)
            self.fields[field.key] = edit
            grid.addWidget(
                column(row(name, None, unit, spacing=2), edit, spacing=0), i // 4, i % 4
            )
        grid.addWidget(column(label("", "soft"), self.ends, spacing=0), 1, 2)
        for i in range(4):
            grid.setColumnStretch(i, 1)
        held = QWidget()
        held.setLayout(grid)
        whole = row(self.drawing, held, spacing=8)
        box = whole.layout()
        assert box is not None
        self.setLayout(box)

    def _set(self, key: str, value: float | None) -> TartanError | None:
        given = 0.0 if value is None else value
        changed = replace(self._tube, **{key: given})  # type: ignore[arg-type]
        return self._commit(key.replace("_", "-"), changed)

    def _measure(self, words: str) -> None:
        at = next(k for k, shown in RADII.items() if shown == words)
        self._commit("radius", replace(self._tube, at=at))  # type: ignore[arg-type]

    def _close(self, words: str) -> None:
        self._commit("ends", replace(self._tube, closed=ENDS[words.removeprefix("ends ")]))

    def put(self, tube: TubeLoad, angles: Sequence[float]) -> None:
        """Show a tube, and the directions of its plies from inside out."""
        self._tube = tube
        self.drawing.put(angles, closed=tube.closed)
        set_options(self.radius_of, list(RADII.values()), RADII[tube.at])
        ends = next(e for e, closed in ENDS.items() if closed == tube.closed)
        set_options(self.ends, [f"ends {e}" for e in ENDS], f"ends {ends}")
        for unit in self.units:
            unit.show_unit()
        for key, edit in self.fields.items():
            edit.put_value(float(getattr(tube, key)))
