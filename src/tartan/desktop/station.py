"""What the window asks of every station's page."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Protocol

from PyQt6.QtWidgets import QWidget

if TYPE_CHECKING:
    from tartan.desktop.scene.scene import PartScene
    from tartan.desktop.scene.tools import SceneTools


class StationView(QWidget):
    """A station's page; one with 3-D views or work under way says so.

    Attributes
    ----------
    unseen : frozenset of str
        Fields of the project that nothing on the page depends on: a change of these alone does
        not show the page anew.
    """

    unseen: frozenset[str] = frozenset({"name", "workings"})

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

    def make_one(self) -> bool:
        """Make a part of the page that nobody asked for yet; false where all of it stands."""
        return False

    def close_view(self) -> None:
        """End what is under way and free graphics, before the window goes."""


class Holder(Protocol):
    """What holds a 3-D view and its tools on a page."""

    tools: SceneTools
    scene: PartScene | None

    def close_view(self) -> None: ...


class SceneStation(StationView):
    """A page with one 3-D view.

    Attributes
    ----------
    holder : Holder
        What holds it; every such page sets it.
    """

    holder: Holder

    @property
    def tools(self) -> SceneTools:
        return self.holder.tools

    @property
    def scenes(self) -> Sequence[PartScene]:
        return () if self.holder.scene is None else (self.holder.scene,)

    def close_view(self) -> None:
        """End what is under way and free the graphics, before the window goes."""
        self.holder.close_view()
