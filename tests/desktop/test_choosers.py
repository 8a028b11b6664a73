"""Lists to choose several from."""

from __future__ import annotations

from PyQt6.QtCore import Qt

from tartan.desktop.widgets.manychoice import ManyChoice
from tartan.desktop.window import MainWindow


def test_lists_to_choose_from_open_on_the_screen(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    """Near the foot of the window too: the list stands above its button there."""
    window.session.select(station="Margins")
    qtbot.waitUntil(lambda: bool(window.margins.findChildren(ManyChoice)))
    seen = 0
    for each in window.margins.findChildren(ManyChoice):
        if not each.isVisible():
            continue
        qtbot.mouseClick(each, Qt.MouseButton.LeftButton)
        popup = each._popup
        assert popup is not None
        screen = each.screen()
        assert screen is not None
        assert screen.availableGeometry().contains(popup.frameGeometry())
        popup.close()
        seen += 1
    assert seen >= 4
