"""What the user prefers, kept between sessions by Qt's own settings."""

from __future__ import annotations

import os
from pathlib import Path

from PyQt6.QtCore import QSettings

from tartan.project.wording import units


def preferences() -> QSettings:
    """Settings of this user; TARTAN_STATE moves them, as it does recovery."""
    moved = os.environ.get("TARTAN_STATE")
    if moved:
        return QSettings(str(Path(moved) / "preferences.ini"), QSettings.Format.IniFormat)
    return QSettings("tartan", "tartan")


def text_scale() -> float:
    """Preferred size of text against the usual one."""
    try:
        return min(max(float(str(preferences().value("text", 1.0))), 0.8), 1.4)
    except ValueError:
        return 1.0


def restore_units() -> None:
    """Put the preferred system of units in force."""
    name = preferences().value("units", units.SYSTEMS[0])
    if name in units.SYSTEMS:
        units.use_system(str(name))
