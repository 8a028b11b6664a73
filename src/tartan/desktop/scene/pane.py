"""A place for the 3-D view with its switched overlays; the view is made when first needed."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tartan.desktop.scene.pictures import Pictures
from tartan.desktop.scene.tools import SceneTools
from tartan.desktop.session import Session
from tartan.desktop.widgets.controls import button, label, switch
from tartan.desktop.widgets.flow import wrapped

if TYPE_CHECKING:
    # The 3-D view's libraries take longer to load than all the rest: a view loads them.
    from tartan.desktop.scene.scene import PartScene


class ScenePane(QWidget):
    """Overlay switches above a view.

    Parameters
    ----------
    overlays : dict of str to str
        Names of the switches with what they tell.
    draw : callable
        Called when a switch changes.
    off : sequence of str
        Switches that are off at first; all others are on.
    session : Session
        Whose part is shown.
    """

    def __init__(
        self,
        overlays: dict[str, str],
        draw: Callable[[], None],
        session: Session,
        off: Sequence[str] = (),
    ) -> None:
        super().__init__()
        self.tools = SceneTools(
            session, lambda: self.scene, Pictures(lambda: self, lambda: self.scene)
        )
        self.tools.told.connect(self._say)
        self.tools.take_keys(self)
        self.scene: PartScene | None = None
        self.overlays: dict[str, QPushButton] = {
            name: switch(name, tip, on=name not in off) for name, tip in overlays.items()
        }
        for overlay in self.overlays.values():
            overlay.toggled.connect(lambda _: draw())
        self._place = QHBoxLayout()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        self.note = label("", "soft")
        box.addWidget(
            wrapped(
                *self.overlays.values(),
                None,
                button("whole part", self.frame, "Home"),
                *self.tools.menus,
                *self.tools.switches,
                spacing=5,
            )
        )
        box.addLayout(self._place, 1)
        box.addWidget(self.tools.bar)
        box.addWidget(self.note)

    def _say(self, words: str) -> None:
        self.note.setText(words)

    def on(self, name: str) -> bool:
        """Whether an overlay is switched on."""
        return self.overlays[name].isChecked()

    def view(self) -> PartScene:
        """Return the view, made now if it was not."""
        if self.scene is None:
            from tartan.desktop.scene.scene import PartScene

            self.scene = PartScene()
            self.scene.measured.connect(self._say)
            self._place.addWidget(self.scene)
        return self.scene

    def frame(self) -> None:
        """Look at the whole part."""
        if self.scene is not None:
            self.scene.frame_part()
            self.scene.redraw()

    def close_view(self) -> None:
        """Free the graphics before the window goes."""
        if self.scene is not None:
            self.scene.close_view()
            self.scene = None
