"""Sheets made of drawings or of several pictures."""

from pathlib import Path

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter

from tartan.desktop import theme
from tartan.desktop.widgets.modemark import paint_mode
from tartan.exchange.maps.modemarks import MARKS


def failure_modes(path: Path) -> None:
    """Save every failure mode's drawing with its word, in light and in dark."""
    rows = -(-len(MARKS) // 2)
    image = QImage(1040, 20 + 44 * rows, QImage.Format.Format_RGB32)
    painter = QPainter(image)
    for half, face in enumerate((theme.LIGHT, theme.DARK)):
        painter.fillRect(520 * half, 0, 520, image.height(), QColor(face.paper))
        painter.setFont(theme.font(10))
        for i, mode in enumerate(MARKS):
            x, y = 520 * half + 14 + 256 * (i // rows), 12 + 44 * (i % rows)
            paint_mode(painter, QRectF(x, y, 34, 34), mode, face.ink)
            paint_mode(painter, QRectF(x + 42, y + 9, 17, 17), mode, face.ink)
            painter.setPen(QColor(face.ink))
            painter.drawText(x + 66, y + 22, mode)
    painter.end()
    image.save(str(path))
    print(f"  {path}")


def strip(paths: list[Path], target: Path) -> None:
    """Set pictures two and two, each under its number."""
    wide, gap, head = 640, 12, 26
    small = [
        QImage(str(p)).scaledToWidth(wide, Qt.TransformationMode.SmoothTransformation)
        for p in paths
    ]
    tall = max(s.height() for s in small) + head
    rows = -(-len(small) // 2)
    whole = QImage(2 * wide + 3 * gap, rows * (tall + gap) + gap, QImage.Format.Format_RGB32)
    whole.fill(QColor(theme.LIGHT.paper))
    painter = QPainter(whole)
    painter.setFont(theme.strong(11))
    painter.setPen(QColor(theme.LIGHT.ink))
    for i, each in enumerate(small):
        x, y = gap + (i % 2) * (wide + gap), gap + (i // 2) * (tall + gap)
        words = paths[i].stem.removeprefix("job-").replace("-", " ")
        painter.drawText(x, y + 18, words)
        painter.drawImage(x, y + head, each)
    painter.end()
    whole.save(str(target))
    print(f"  {target}")
