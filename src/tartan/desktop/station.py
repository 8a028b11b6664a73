"""What the window asks of every station's page."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QWidget

if TYPE_CHECKING:
    from tartan.desktop.scene.scene import PartScene
    from tartan.desktop.scene.tools import SceneTools


class StationView(QWidget):
    """A station's page; one with 3-D views or work under way says so."""

    @property
    def tools(self) -> SceneTools | None:
        """Tools of its 3-D view, where it can be as large as the window."""
        return None

    @property
    def scenes(self) -> Sequence[PartScene]:
        """3-D views that stand."""
        return ()

    def refresh(self) -> None:
        """Show everything as it stands."""

    def close_view(self) -> None:
        """End what is under way and free graphics, before the window goes."""
