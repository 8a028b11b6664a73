"""Columns of results beside the plies, on the same z axis: profiles and bars."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from tartan.core.materials import ISOTROPIC
from tartan.desktop import theme
from tartan.desktop.widgets.fit import draw_fitted
from tartan.exchange.maps import colours
from tartan.pages.shown import Column, Row
from tartan.project.wording import units

Array = NDArray[np.float64]


def paint_column(
    painter: QPainter, column: Column, area: QRectF, plies: Sequence[tuple[int, Row, QRectF]]
) -> None:
    """Draw one column; `plies` are those in sight, with their bands."""
    face = theme.face()
    painter.setPen(QPen(QColor(face.line), 1))
    painter.setBrush(QColor(face.panel))
    painter.drawRoundedRect(area, 3, 3)
    if column.values.ndim == 1:
        _paint_bars(painter, column, area, plies)
    else:
        _paint_profile(painter, column, area, plies)


def paint_column_head(painter: QPainter, column: Column, area: QRectF, y: float) -> None:
    """Draw title and unit above a column."""
    painter.setPen(theme.colour("ink"))
    center = Qt.AlignmentFlag.AlignHCenter
    head = QRectF(area.left() - 5, y, area.width() + 10, 15)
    draw_fitted(painter, head, center, column.title, 8.5, strong=True)
    painter.setPen(theme.colour("soft"))
    draw_fitted(painter, head.translated(0, 14), center, column.unit, 8)


def _paint_profile(
    painter: QPainter, column: Column, area: QRectF, plies: Sequence[tuple[int, Row, QRectF]]
) -> None:
    face = theme.face()
    largest = float(np.nanmax(np.abs(column.values), initial=0.0))
    if column.before is not None:
        largest = max(largest, float(np.nanmax(np.abs(column.before), initial=0.0)))
    middle = area.center().x()
    painter.setPen(QPen(QColor(face.line), 1))
    painter.drawLine(QPointF(middle, area.top()), QPointF(middle, area.bottom()))
    if largest > 0:
        scale = (area.width() / 2 - 5) / largest
        values = (column.values * scale).tolist()
        painter.setPen(Qt.PenStyle.NoPen)
        for i, row, rect in plies:
            low, mean, high = values[i]
            foot, half, top = rect.bottom(), rect.center().y(), rect.top()
            painter.setBrush(row_colour(row))
            painter.drawPolygon(
                QPointF(middle, foot),
                QPointF(middle + low, foot),
                QPointF(middle + mean, half),
                QPointF(middle + high, top),
                QPointF(middle, top),
            )
        if column.before is not None:
            before = (column.before * scale).tolist()
            painter.setPen(QPen(QColor(face.ink), 1, Qt.PenStyle.DotLine))
            for i, _, rect in plies:
                low, _, high = before[i]
                painter.drawLine(
                    QPointF(middle + low, rect.bottom()), QPointF(middle + high, rect.top())
                )
    painter.setPen(QColor(face.soft))
    painter.setFont(theme.font(7.5))
    below = QRectF(area.left(), area.bottom() + 2, area.width(), 14)
    painter.drawText(below, Qt.AlignmentFlag.AlignHCenter, f"± {units.number(largest, 3)}")


def _paint_bars(
    painter: QPainter, column: Column, area: QRectF, plies: Sequence[tuple[int, Row, QRectF]]
) -> None:
    face = theme.face()
    need = column.need or 1.0
    reach = 4 * need
    width = area.width() - 46
    painter.setFont(theme.strong(8.5))
    for i, _, rect in plies:
        value = float(column.values[i])
        if np.isnan(value):
            continue
        share = min(value, reach) / reach
        height = min(rect.height() * 0.62, 16)
        bar = QRectF(
            area.left() + 6, rect.center().y() - height / 2, max(2, share * width), height
        )
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(face.holds if value >= need else face.fails))
        painter.drawRoundedRect(bar, 2, 2)
        if column.before is not None:
            x = area.left() + 6 + min(float(column.before[i]), reach) / reach * width
            painter.setPen(QPen(QColor(face.ink), 1.4))
            painter.drawLine(QPointF(x, bar.top() - 1), QPointF(x, bar.bottom() + 1))
        if rect.height() >= 11:
            painter.setPen(QColor(face.ink))
            text = QRectF(bar.right() + 4, rect.center().y() - 8, 44, 16)
            painter.drawText(text, Qt.AlignmentFlag.AlignVCenter, units.factor(value))
    x = area.left() + 6 + width / 4
    painter.setPen(QPen(QColor(face.ink), 1, Qt.PenStyle.DashLine))
    painter.drawLine(QPointF(x, area.top() + 1), QPointF(x, area.bottom() - 1))
    painter.setFont(theme.font(7.5))
    painter.setPen(QColor(face.soft))
    painter.drawText(
        QRectF(area.left(), area.bottom() + 2, area.width(), 14),
        Qt.AlignmentFlag.AlignLeft,
        f"needs {need:.2f}",
    )


def paint_reading(
    painter: QPainter, column: Column, area: QRectF, at: QPointF, place: tuple[int, float]
) -> None:
    """Write the value at the pointer; `place` is the ply and the share of its height."""
    if column.values.ndim == 1:
        return
    ply, share = place
    low, middle, high = (float(v) for v in column.values[ply])
    # Quadratic through the three levels: exact for straight lines and for shear stresses.
    value = (
        low * (1 - share) * (1 - 2 * share)
        + 4 * middle * share * (1 - share)
        + high * share * (2 * share - 1)
    )
    painter.setFont(theme.strong(8.5))
    box = QRectF(area.center().x() - 34, at.y() - 19, 68, 16)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("panel"))
    painter.drawRoundedRect(box, 3, 3)
    painter.setPen(theme.colour("ink"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, units.number(value))


def row_colour(row: Row) -> QColor:
    """Solid colour of a ply."""
    return _solid(row.kind, row.angle)


@lru_cache(maxsize=512)
def _solid(kind: str, angle: float) -> QColor:
    if kind == "core":
        return QColor(colours.CORE_SOLID)
    if kind in ISOTROPIC:
        return QColor(colours.ISO_SOLID)
    return QColor(colours.ply_solid(angle))
