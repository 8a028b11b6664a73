"""A laminate as a tube in the window, from an empty project on: entered, read, changed, taken."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from pathlib import Path

import numpy as np
import openpyxl
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog

from tartan.core.materials import Material
from tartan.desktop.window import MainWindow
from tartan.project.document.model import Project
from tartan.project.edits import stack_edits
from tartan.project.files import storage
from tests.desktop.settle import settle
from tests.desktop.test_window import press, type_into

E1, E2, NU12, G12, XT, YT = 140e9, 9e9, 0.3, 5e9, 2100e6, 55e6
TAPE = Material(
    "tape",
    E1,
    E2,
    NU12,
    G12,
    "ply",
    G13=5e9,
    G23=3e9,
    Xt=XT,
    Xc=1300e6,
    Yt=YT,
    Yc=200e6,
    S12=85e6,
    S23=60e6,
    rho=1600.0,
    ply_thickness=0.25e-3,
)


@pytest.fixture
def window(open_window: Callable[..., MainWindow], qtbot) -> MainWindow:  # type: ignore[no-untyped-def]
    """From Ctrl+N: a material, and plies typed as a line."""
    window = open_window()
    QTest.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    assert window.session.project == Project("new project")
    window.session.edit("tape", lambda p: stack_edits.add_materials(p, (TAPE,)))
    window.session.select(station="Stacks")
    field = window.stacks.notation
    type_into(qtbot, field, "[90_4/0_2/90_4]")
    assert window.stacks.stack is not None
    press(qtbot, window.stacks, "Tube")
    return window


def fact(window: MainWindow, name: str) -> tuple[float, str, str]:
    worked_out(window)
    rows = {r[0]: r for r in window.stacks.tube.facts.table.rows}
    _, value, unit, where = rows[name]
    return float(value), str(unit), str(where)  # type: ignore[arg-type]


def worked_out(window: MainWindow) -> None:
    """Burst and buckling are worked out apart from the window."""
    while window.stacks.tube.background.busy:
        settle()


def enter(qtbot, window: MainWindow, **typed: str) -> None:  # type: ignore[no-untyped-def]
    for key, text in typed.items():
        type_into(qtbot, window.stacks.loads.tube_fields.fields[key], text)


def test_a_tube_is_entered_and_its_growth_burst_and_buckling_are_read(
    qtbot, window: MainWindow
) -> None:  # type: ignore[no-untyped-def]
    press(qtbot, window.stacks.tube, "enter this load case as a tube")
    enter(qtbot, window, radius="100", pressure="2", length="500 mm")
    loads = window.stacks.loads.loads
    assert loads is not None
    assert loads.tube is not None
    assert loads.tube.pressure == 2e6
    # By hand: hoops take Ny, axial plies Nx, across each other through their matrix.
    q = 1 - NU12**2 * E2 / E1
    A = np.array(
        [
            [(0.5e-3 * E1 + 2e-3 * E2) / q, NU12 * E2 / q * 2.5e-3],
            [NU12 * E2 / q * 2.5e-3, (2e-3 * E1 + 0.5e-3 * E2) / q],
        ]
    )
    axial, hoop = np.linalg.solve(A, [1e5, 2e5])
    value, unit, _ = fact(window, "growth of radius")
    assert (value, unit) == (pytest.approx(0.1 * hoop * 1e3, rel=1e-9), "mm")
    assert fact(window, "growth of length")[0] == pytest.approx(0.5 * axial * 1e3, rel=1e-9)
    # The matrix of the hoops, pulled along the tube, cracks first.
    across = E2 / q * (axial + NU12 * hoop)
    first, unit, where = fact(window, "burst, first ply")
    assert "matrix tension" in where
    assert "90°" in where
    assert (first, unit) == (pytest.approx(2 * YT / across, rel=1e-6), "MPa")
    last, _, where = fact(window, "burst, last ply")
    # What the fibres carry alone: along, Xt of half a millimetre, twice p R / 2 of it.
    assert last == pytest.approx(2 * XT * 0.5e-3 / 0.1 / 1e6, rel=0.02)
    assert "fibre tension" in where
    long, _, shape = fact(window, "buckling p, long")
    D22 = window.stacks.tube._chosen.laminate.D[1, 1]  # type: ignore[union-attr]
    assert long == pytest.approx(3 * D22 / 0.1**3 / 1e6, rel=1e-3)
    assert shape.startswith("2 waves round")
    assert fact(window, "buckling p, length")[0] > long
    # The pressure entered is inside: it buckles nothing.
    assert "never buckles" in {r[3] for r in window.stacks.tube.facts.table.rows}


def test_a_hoop_ply_helps_and_the_figures_are_taken_along(
    qtbot, window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:  # type: ignore[no-untyped-def]
    press(qtbot, window.stacks, "as a tube")
    enter(qtbot, window, radius="100", pressure="2")
    before = fact(window, "growth of radius")[0]
    type_into(qtbot, window.stacks.notation, "[90_5/0_2/90_5]")
    after = fact(window, "growth of radius")[0]
    assert after < before
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert fact(window, "growth of radius")[0] == before
    path = tmp_path / "tube.xlsx"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    window.stacks.tube.table.ask_save()
    rows = list(openpyxl.load_workbook(path).active.values)  # type: ignore[union-attr]
    assert "stack as a tube under tube" in str(rows[0][0])
    head = [str(h) for h in rows[1]]
    assert head[:5] == ["ply", "angle [°]", "level", "r [mm]", "RF"]
    assert len(rows) == 2 + 30
    first = dict(zip(head, rows[2], strict=True))
    assert first["r [mm]"] == pytest.approx(100 - 1.25)
    # Hoop stress summed through the wall is p R.
    hoop = np.array([float(r[head.index("hoop [MPa]")]) for r in rows[2:]]).reshape(10, 3)  # type: ignore[arg-type]
    assert hoop[:, 1].sum() * 0.25 == pytest.approx(2 * 100, rel=1e-9)
    window.stacks.tube.facts.copy()
    board = QApplication.clipboard()
    assert board is not None
    assert "growth of radius\t" in board.text()


def test_the_thick_wall_says_what_it_lacks_and_then_where_it_differs(
    qtbot, window: MainWindow
) -> None:  # type: ignore[no-untyped-def]
    press(qtbot, window.stacks, "as a tube")
    enter(qtbot, window, radius="6", pressure="20")
    pane = window.stacks.tube
    press(qtbot, pane, "thick wall")
    assert "E3" in pane.fault.text()
    assert "radial [MPa]" not in pane.table.table.head
    window.session.edit(
        "through the thickness",
        lambda p: stack_edits.put_material(
            p, "tape", dataclasses.replace(TAPE, E3=9e9, nu13=0.3, nu23=0.4)
        ),
    )
    assert pane.fault.text() == ""
    assert "thick" in pane.words.text()
    table = pane.table.table
    radial = [r[table.head.index("radial [MPa]")] for r in table.rows]
    assert radial[0] == pytest.approx(-20)
    assert radial[-1] == pytest.approx(0, abs=1e-6)
    enter(qtbot, window, radius="2000", pressure="0.1")
    assert "Thin-wall theory does here" in pane.words.text()
    enter(qtbot, window, radius="1")
    assert "no room" in pane.fault.text()
    assert not pane.facts.isVisible()
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert pane.facts.isVisible()


def test_wrong_figures_stay_in_the_field_and_a_tube_turns_flat_and_is_kept(
    qtbot, window: MainWindow
) -> None:  # type: ignore[no-untyped-def]
    loads = window.stacks.loads
    press(qtbot, window.stacks, "as a tube")
    for key, text, words in (
        ("radius", "-3", "radius"),
        ("radius", "0", "radius"),
        ("knock_down", "1.2", "knock-down"),
        ("length", "-5", "length"),
        ("pressure", "1e40", "pressure"),
        ("force", "spam", "spam"),
    ):
        held = loads.loads
        type_into(qtbot, loads.tube_fields.fields[key], text)
        assert words in loads.tube_fields.fields[key].toolTip()
        assert loads.loads == held
        QTest.keyClick(loads.tube_fields.fields[key], Qt.Key.Key_Escape)
    enter(qtbot, window, radius="50", pressure="3", torque="100")
    kept = loads.loads
    project = storage.from_text(storage.to_text(window.session.project))
    assert project.load_cases[0] == kept
    press(qtbot, window.stacks, "as a tube")
    flat = loads.loads
    assert flat is not None
    assert flat.tube is None
    assert flat.values[:2] == (75e3, 150e3)
    assert flat.values[2] == pytest.approx(100 / (2 * np.pi * 0.05**2), rel=1e-5)
    assert loads.tiles["Nx"].isVisible()
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert loads.loads == kept
