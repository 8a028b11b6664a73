"""Faces of a read solid in the window: left out, a skin kept, trimmed, and all of it undone."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QFileDialog

from tartan.desktop.part.view import PartView
from tartan.desktop.window import MainWindow
from tartan.project.analysis.partmesh import meshed
from tartan.project.document.model import Project
from tartan.project.document.partmodel import ReadSurface
from tests.desktop.conftest import named
from tests.desktop.settle import settle
from tests.desktop.test_winding import choose
from tests.desktop.test_window import press
from tests.steps import sheet, slab, write_step


def surface(view: PartView) -> ReadSurface | None:
    part = view.session.project.part
    found = None if part is None else part.surface
    return found if isinstance(found, ReadSurface) else None


def read(qtbot, window: MainWindow, path: Path) -> PartView:  # type: ignore[no-untyped-def]
    """Read a surface into an empty project."""
    view = window.part
    window.session.select(station="Part")
    view.surface.file.read(path)
    qtbot.waitUntil(lambda: surface(view) is not None, timeout=60_000)
    press(qtbot, view, "surface")
    return view


def settled(qtbot, view: PartView, done: Callable[[ReadSurface], bool]) -> None:  # type: ignore[no-untyped-def]
    def there() -> bool:
        found = surface(view)
        return found is not None and done(found)

    qtbot.waitUntil(there, timeout=60_000)
    # What is shown of it is built anew in the turn of events after.
    settle()


def test_faces_are_left_out_by_skin_and_by_click(
    qtbot, open_window: Callable[..., MainWindow], tmp_path: Path
) -> None:  # type: ignore[no-untyped-def]
    path = tmp_path / "slab.step"
    write_step(path, slab)
    view = read(qtbot, open_window(Project("new"), wait=False), path)
    form = view.surface.faces
    assert form.isVisible()
    assert form.faces.text() == "no face left out"
    press(qtbot, form, "outer skin")
    settled(qtbot, view, lambda s: len(s.left_out) == 5)
    assert "5" in form.faces.text()
    part = view.session.project.part
    assert part is not None
    assert len(meshed(part).mesh.regions) == 1
    # The last face cannot be left out too.
    held = view.session.project
    qtbot.mouseClick(form.by_click, Qt.MouseButton.LeftButton)
    view._pick(0)
    assert "Keep one" in view.fault.text()
    assert view.session.project is held
    QTest.keyClick(view.window(), Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settled(qtbot, view, lambda s: not s.left_out)
    view._pick(0)
    settled(qtbot, view, lambda s: len(s.left_out) == 1)


def test_a_sheet_is_trimmed_by_a_table_by_curves_of_the_file_and_as_drawn(
    qtbot, open_window: Callable[..., MainWindow], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:  # type: ignore[no-untyped-def]
    path, table = tmp_path / "sheet.step", tmp_path / "curve.csv"
    write_step(path, sheet)
    table.write_text("x [mm],y [mm],z [mm]\n-200,-100,0\n200,-100,0\n200,100,0\n-200,100,0\n")
    view = read(qtbot, open_window(Project("new"), wait=False), path)
    form = view.surface.faces
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(table), ""))
    press(qtbot, form, "+ from a table …")
    settled(qtbot, view, lambda s: len(s.trims) == 1)

    def area() -> float:
        part = view.session.project.part
        assert part is not None
        return float(meshed(part).mesh.areas().sum())

    assert area() == pytest.approx(0.4 * 0.2)
    choose(named(form, QComboBox, "side that the trim keeps"), "outside")
    settled(qtbot, view, lambda s: s.trims[0].keep == "outside")
    assert area() == pytest.approx(0.24 - 0.08)
    press(qtbot, form, "✕")
    settled(qtbot, view, lambda s: not s.trims)
    assert area() == pytest.approx(0.24)
    # The square that the file holds beside its face.
    press(qtbot, form, "curves of the file …")
    qtbot.waitUntil(lambda: form.of_file.isVisible(), timeout=60_000)
    loose = [i for i, n in enumerate(form.curves.names) if n.startswith("loose")]
    form.curves.choose(loose[:3])
    press(qtbot, form, "cut along them")
    assert "do not close" in view.fault.text()
    form.curves.choose(loose)
    press(qtbot, form, "cut along them")
    settled(qtbot, view, lambda s: len(s.trims) == 1)
    assert area() == pytest.approx(0.02)
    QTest.keyClick(view.window(), Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert area() == pytest.approx(0.24)
    # Drawn by clicks on the part.
    qtbot.mouseClick(form.draw_trim, Qt.MouseButton.LeftButton)
    part = view.session.project.part
    assert part is not None
    centres = meshed(part).mesh.centres()
    for x, y in ((-0.2, -0.1), (0.2, -0.1), (0.0, 0.15)):
        view._pick(int(np.linalg.norm(centres[:, :2] - [x, y], axis=1).argmin()))
    assert "3 picked" in view.fault.text()
    qtbot.mouseClick(form.draw_trim, Qt.MouseButton.LeftButton)
    settled(qtbot, view, lambda s: len(s.trims) == 1)
    assert area() == pytest.approx(0.5 * 0.4 * 0.25, rel=0.15)
