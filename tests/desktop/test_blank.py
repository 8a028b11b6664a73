"""A new thing is there to type into at once."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QApplication, QMenu

from tartan.desktop.window import MainWindow
from tests.desktop.test_window import press


def test_a_blank_material_has_its_four_constants_and_nothing_else(
    qtbot, open_window: Callable[..., MainWindow]
) -> None:  # type: ignore[no-untyped-def]
    window = open_window(wait=False)
    window.session.select(station="Materials")
    before = window.session.project
    press(qtbot, window.materials, "+ material ▾")
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    next(a for a in menu.actions() if a.text().startswith("blank")).trigger()
    menu.close()
    made = window.session.project.material(window.session.selection.material)
    assert made is not None
    assert made.name not in [m.name for m in before.materials]
    assert made.rho is None
    assert all(getattr(made, name) is None for name in ("Xt", "Xc", "Yt", "Yc", "S12"))
    # Its name is there to be typed over.
    assert window.materials.name.hasFocus()
    qtbot.keyClicks(window.materials.name, "resin")
    qtbot.keyClick(window.materials.name, "\r")
    assert window.session.project.material("resin") is not None
    window.session.undo()
    window.session.undo()
    assert window.session.project == before
