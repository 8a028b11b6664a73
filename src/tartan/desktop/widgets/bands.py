"""How a ply is drawn: its band, fibre strokes, and the swatch that stands for a whole stack."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PyQt6.QtCore import QLineF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from tartan.core.materials import ISOTROPIC
from tartan.desktop import theme
from tartan.exchange.maps import colours
from tartan.pages.shown import Row
from tartan.project.wording import units


def band_heights(weights: Sequence[float], room: float, least: float) -> list[float]:
    """Heights in proportion to `weights`, none below `least`; they fill `room` if they can.

    Plies that would be thinner than the floor get the floor, the others share what remains.
    """
    count = len(weights)
    if count * least >= room:
        return [least] * count
    floored: set[int] = set()
    while True:
        rest = [i for i in range(count) if i not in floored]
        total = sum(weights[i] for i in rest)
        left = room - least * len(floored)
        new = {i for i in rest if weights[i] / total * left < least}
        if not new:
            return [least if i in floored else weights[i] / total * left for i in range(count)]
        floored |= new


def paint_slim(painter: QPainter, rect: QRectF, row: Row) -> None:
    """Draw one ply in little room: angle and strokes along the fibres."""
    face = theme.face()
    solid, ground, stroke = _colours(row)
    body = rect.adjusted(0, 0.5, 0, -0.5)
    painter.fillRect(body, QColor(ground))
    painter.fillRect(QRectF(body.left(), body.top(), 5, body.height()), QColor(solid))
    fibres = body.adjusted(46, 1.5, -4, -1.5)
    if row.kind == "core":
        _paint_cells(painter, fibres, stroke)
    elif row.kind not in ISOTROPIC:
        for angle in (row.angle, row.angle + 90.0)[: 2 if row.kind == "woven" else 1]:
            paint_fibres(painter, fibres, angle, stroke)
    if body.height() < 8:
        return
    painter.setFont(theme.strong(min(8.5, body.height() * 0.62)))
    painter.setPen(QColor(face.ink))
    name = "core" if row.kind == "core" else f"{units.number(row.angle)}°"
    painter.drawText(body.adjusted(9, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, name)


def paint_band(painter: QPainter, rect: QRectF, ply: int, row: Row, *, selected: bool) -> None:
    """Draw one ply: number, angle, strokes along the fibres, material and thickness."""
    face = theme.face()
    solid, ground, stroke = _colours(row)
    body = rect.adjusted(0, 0.75, 0, -0.75)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(ground))
    painter.drawRoundedRect(body, 2, 2)
    painter.setBrush(QColor(solid))
    painter.drawRect(QRectF(body.left(), body.top(), 5, body.height()))
    fibres = QRectF(body.left() + 88, body.top() + 2.5, body.width() - 88 - 100, body.height() - 5)
    if row.kind == "core":
        _paint_cells(painter, fibres, stroke)
    elif row.kind not in ISOTROPIC:
        paint_fibres(painter, fibres, row.angle, stroke)
        if row.kind == "woven":
            paint_fibres(painter, fibres, row.angle + 90.0, stroke)
    if body.height() < 10:
        painter.fillRect(body, QColor(face.accent if selected else solid))
        return
    middle = body.center().y()
    painter.setFont(theme.font(8.5))
    painter.setPen(QColor(face.soft))
    painter.drawText(
        QRectF(body.left() + 10, middle - 9, 26, 18),
        Qt.AlignmentFlag.AlignVCenter,
        str(row.number or ply + 1),
    )
    painter.setFont(theme.strong(10))
    painter.setPen(QColor(face.ink))
    name = "core" if row.kind == "core" else f"{units.number(row.angle)}°"
    painter.drawText(
        QRectF(body.left() + 36, middle - 10, 56, 20), Qt.AlignmentFlag.AlignVCenter, name
    )
    painter.setFont(theme.font(8))
    thickness = units.show(row.thickness, units.LENGTH, unit=False)
    place = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
    right = QRectF(body.right() - 96, middle - 9, 92, 18)
    painter.setPen(QColor(face.soft if not face.dark else face.ink))
    painter.drawText(right, place, thickness)
    taken = painter.fontMetrics().horizontalAdvance(thickness) + 7
    name = painter.fontMetrics().elidedText(row.material, Qt.TextElideMode.ElideRight, 92 - taken)
    painter.drawText(right.adjusted(0, 0, -taken, 0), place, name)
    if selected:
        painter.setPen(QPen(QColor(face.accent), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(rect.adjusted(1, 1, -1, -1), 3, 3)


def paint_fibres(painter: QPainter, area: QRectF, angle: float, stroke: str) -> None:
    """Strokes along a direction, x to the right and y up."""
    if area.width() <= 4 or area.height() <= 2:
        return
    painter.save()
    painter.setClipRect(area)
    painter.setPen(QPen(QColor(stroke), 1.3))
    a = math.radians(angle)
    dx, dy = math.cos(a), -math.sin(a)
    reach = area.width() + area.height()
    step = 6.0
    center = area.center()
    # Only lines that can meet the area, in one call: stacks may have hundreds of plies.
    count = int((area.width() * abs(dy) + area.height() * abs(dx)) / 2 / step) + 1
    lines = []
    for i in range(-count, count + 1):
        x, y = center.x() - dy * i * step, center.y() + dx * i * step
        lines.append(QLineF(x - dx * reach, y - dy * reach, x + dx * reach, y + dy * reach))
    painter.drawLines(*lines)
    painter.restore()


def _paint_cells(painter: QPainter, area: QRectF, stroke: str) -> None:
    """Small upright ticks: a core has thickness, not fibres."""
    painter.setPen(QPen(QColor(stroke), 1))
    step = 7
    lines = []
    for i in range(int(area.width() // step)):
        for j in range(int(area.height() // step)):
            x = area.left() + i * step + (3.5 if j % 2 else 0)
            y = area.top() + j * step + 2
            lines.append(QLineF(x, y, x, y + 3))
    if lines:
        painter.drawLines(*lines)


def _colours(row: Row) -> tuple[str, str, str]:
    """Solid, ground and stroke."""
    dark = theme.face().dark
    if row.kind == "core":
        return colours.CORE_SOLID, colours.CORE_BAND_DARK if dark else colours.CORE_BAND, "#b3a78f"
    if row.kind in ISOTROPIC:
        return colours.ISO_SOLID, colours.ISO_BAND_DARK if dark else colours.ISO_BAND, "#9aa5ad"
    return (
        colours.ply_solid(row.angle),
        colours.ply_band(row.angle, dark=dark),
        colours.ply_stroke(row.angle),
    )


def paint_swatch(painter: QPainter, area: QRectF, rows: Sequence[Row]) -> None:
    """The stack as coloured threads, first-laid at the bottom."""
    if not rows:
        painter.setPen(QPen(theme.colour("line"), 1, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(area)
        return
    thinnest = min(r.thickness for r in rows)
    weights = [min(r.thickness, 6 * thinnest) for r in rows]
    total = sum(weights)
    y = area.bottom()
    painter.setPen(Qt.PenStyle.NoPen)
    for row, weight in zip(rows, weights, strict=True):
        height = area.height() * weight / total
        y -= height
        painter.setBrush(QColor(_colours(row)[0]))
        gap = 0.8 if height > 2.5 else 0.0
        painter.drawRect(QRectF(area.left(), y, area.width(), height - gap))


__all__ = ["band_heights", "paint_band", "paint_fibres", "paint_swatch"]
