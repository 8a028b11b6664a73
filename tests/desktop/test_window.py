"""The window driven by keys and mouse: from an edit to the verdict and back."""

from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QPushButton

from tartan.core.stack.notation_written import context_for, write
from tartan.desktop.window import MainWindow
from tests.desktop.conftest import coarse_sample, named
from tests.desktop.settle import settle

LEFT = Qt.MouseButton.LeftButton
ALT, CTRL, SHIFT = (
    Qt.KeyboardModifier.AltModifier,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
)
Opener = Callable[..., MainWindow]


def type_into(qtbot, field: QLineEdit, text: str) -> None:  # type: ignore[no-untyped-def]
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, text)
    qtbot.keyClick(field, Qt.Key.Key_Return)


def solved(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    qtbot.waitUntil(lambda: not window.session.solving, timeout=120_000)


def press(qtbot, parent, text: str) -> None:  # type: ignore[no-untyped-def]
    def found() -> list[QPushButton]:
        return [b for b in parent.findChildren(QPushButton) if b.text() == text and b.isVisible()]

    # A button just made is shown on a later turn of the event loop.
    qtbot.waitUntil(lambda: len(found()) == 1, timeout=5000)
    qtbot.mouseClick(found()[0], LEFT)
    # Rows that a click makes are shown on the next turn of the event loop.
    settle()


def go(qtbot, window: MainWindow, station: str) -> None:  # type: ignore[no-untyped-def]
    place = window.route.station_rect(station).center().toPoint()
    qtbot.mouseClick(window.route, LEFT, pos=place)
    assert window.session.selection.station == station
    assert window.pages[station].view.isVisible()
    settle()


def sequence(window: MainWindow) -> str:
    stack = window.session.project.stack(window.session.selection.stack)
    assert stack is not None
    thickness = {m.name: m.ply_thickness for m in window.session.project.materials}
    return write(stack.plies, context_for(stack.plies, thickness))


def test_a_ply_typed_over_is_solved_again_and_undone(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session = window.session
    assert session.verdict.state == "holds"
    before = session.verdict
    go(qtbot, window, "Stacks")
    editor = window.stacks.editor
    qtbot.mouseClick(editor, LEFT, pos=editor.rect_of(1).center().toPoint())
    assert session.selection.plies == (1,)
    qtbot.keyClicks(editor, "9")
    entry = named(editor, QLineEdit, "Angle of the picked plies")
    qtbot.keyClicks(entry, "0")
    qtbot.keyClick(entry, Qt.Key.Key_Return)
    plies = session.project.stacks[0].plies
    assert [p.angle for p in plies] == [45, 90, 90, 0, 90, 0, 45]
    assert window.verdict.verdict is not None
    assert window.verdict.verdict.state == "stale"
    assert "Last answer: reserve factor" in window.verdict.verdict.sentence
    assert window.route._lines["Margins"].mark == "stale"
    solved(qtbot, window)
    assert session.verdict != before
    assert session.verdict.state in ("holds", "fails")
    qtbot.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert session.project == coarse_sample()
    assert not session.solving
    assert session.verdict == before
    qtbot.keyClick(window, Qt.Key.Key_Y, CTRL)
    assert session.project.stacks[0].plies == plies
    assert not session.solving


def test_stack_by_keys_only(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, editor = window.session, window.stacks.editor
    qtbot.keyClick(window, Qt.Key.Key_2, ALT)
    session.select(stack="feed strut")
    editor.setFocus()
    qtbot.keyClick(editor, Qt.Key.Key_A, CTRL)
    qtbot.keyClick(editor, Qt.Key.Key_Delete)
    assert "empty" in window.stacks.fault.text()
    qtbot.keyClick(editor, Qt.Key.Key_Return)
    for text in ("45", "-45", "90"):
        qtbot.keyClick(editor, Qt.Key.Key_Return)
        qtbot.keyClicks(editor, text[0])
        entry = named(editor, QLineEdit, "Angle of the picked plies")
        qtbot.keyClicks(entry, text[1:])
        qtbot.keyClick(entry, Qt.Key.Key_Return)
    assert sequence(window) == "[0 woven carbon/±45 woven carbon/90 woven carbon]".replace(
        " woven carbon", ""
    )
    qtbot.keyClick(editor, Qt.Key.Key_Down, ALT)
    assert sequence(window) == "[0/45/90/-45]"
    qtbot.keyClick(editor, Qt.Key.Key_Up, SHIFT)
    assert session.selection.plies == (2, 3)
    qtbot.keyClick(editor, Qt.Key.Key_C, CTRL)
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    assert clipboard.text().splitlines()[1:] == [
        "90\twoven carbon\t0.12",
        "-45\twoven carbon\t0.12",
    ]
    qtbot.keyClick(editor, Qt.Key.Key_V, CTRL)
    assert sequence(window) == "[0/45/(90/-45)2]"
    clipboard.setText("10\tUD carbon\t0.2\n20 \ttin\t1")
    qtbot.keyClick(editor, Qt.Key.Key_V, CTRL)
    assert "row 2, column 2" in window.stacks.fault.text()
    assert sequence(window) == "[0/45/(90/-45)2]"


def test_notation_line_and_its_error(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    go(qtbot, window, "Stacks")
    window.session.select(stack="feed strut")
    view = window.stacks
    type_into(qtbot, view.notation, "[0_2/±45/90]s")
    assert len(window.session.project.stacks[2].plies) == 10
    assert view.notation.text() == "[0_2/±45/90]s"
    before = window.session.project
    type_into(qtbot, view.notation, "[0/45/x]s")
    assert "character 7" in view.fault.text()
    assert view.fault.isVisible()
    assert view.notation.selectionStart() == 6
    assert view.notation.text() == "[0/45/x]s"
    assert window.session.project == before
    qtbot.keyClick(view.notation, Qt.Key.Key_Escape)
    assert view.notation.text() == "[0_2/±45/90]s"
    assert not view.fault.isVisible()


def test_material_edited_in_place(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session = window.session
    go(qtbot, window, "Materials")
    session.select(material="UD carbon")
    field = named(window.materials, QLineEdit, "E1 (modulus along the fibre)")
    type_into(qtbot, field, "20 Msi")
    material = session.project.material("UD carbon")
    assert material is not None
    assert pytest.approx(137.9e9, rel=1e-3) == material.E1
    assert field.text() == "137.9"
    solved(qtbot, window)
    poisson = named(window.materials, QLineEdit, "nu12 (major Poisson's ratio)")
    before = session.project
    for text, word in (("9", "E1/E2"), ("12 kg", "unit"), ("", "number")):
        poisson.setFocus()
        poisson.selectAll()
        qtbot.keyClick(poisson, Qt.Key.Key_Delete)
        qtbot.keyClicks(poisson, text)
        qtbot.keyClick(poisson, Qt.Key.Key_Return)
        assert word in window.materials.fault.text()
        assert session.project == before
        assert poisson.property("fault")
    qtbot.keyClick(poisson, Qt.Key.Key_Escape)
    assert not window.materials.fault.isVisible()


def test_missing_strength_leads_from_the_verdict_to_the_material(
    qtbot, window: MainWindow
) -> None:  # type: ignore[no-untyped-def]
    go(qtbot, window, "Materials")
    session = window.session
    session.select(material="woven carbon")
    field = named(window.materials, QLineEdit, "Yt (tensile strength along 2)")
    field.setFocus()
    field.selectAll()
    qtbot.keyClick(field, Qt.Key.Key_Delete)
    qtbot.keyClick(field, Qt.Key.Key_Return)
    solved(qtbot, window)
    assert session.verdict.state == "blocked"
    assert "woven carbon" in session.verdict.sentence
    assert "Yt" in session.verdict.sentence
    assert window.route._lines["Materials"].mark == "needs"
    go(qtbot, window, "Margins")
    qtbot.mouseClick(window.verdict, LEFT, pos=QPoint(100, 20))
    assert session.selection.station == "Materials"
    qtbot.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert session.verdict.state == "holds"


def test_materials_from_a_table(qtbot, window: MainWindow, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    go(qtbot, window, "Materials")
    path = tmp_path / "m.csv"
    path.write_text("name,E1 [GPa],E2 [GPa],nu12,G12 [GPa]\ncloth,70,69,0.05,4\ntape,x,9,0.3,4\n")
    before = window.session.project
    window.materials.import_file(path)
    assert "row 3, column E1" in window.materials.fault.text()
    assert window.session.project == before
    path.write_text("name,E1 [GPa],E2 [GPa],nu12,G12 [GPa]\ncloth,70,69,0.05,4\n")
    window.materials.import_file(path)
    assert window.session.selection.material == "cloth"
    assert window.materials.name.text() == "cloth"
    press(qtbot, window.materials, "remove")
    assert window.session.project == before
    window.session.select(material="woven carbon")
    press(qtbot, window.materials, "remove")
    assert "reflector sandwich" in window.materials.fault.text()


@pytest.mark.gl
def test_part_shaped_and_refused(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session = window.session
    go(qtbot, window, "Part")
    qtbot.waitUntil(lambda: window.part.pane.scene is not None)
    assert window.part.pane.scene is not None
    press(qtbot, window.part, "surface")
    type_into(qtbot, named(window.part, QLineEdit, "radius along x"), "5 m")
    assert session.project.part is not None
    assert session.project.part.surface.radius_x == 5.0
    before = session.project
    for name, text, word in (
        ("mesh size", "0", "mesh size"),
        ("mesh size", "9 m", "larger than"),
        ("mesh size", "0.01", "elements"),
        ("radius along y", "100", "radius"),
        ("width along y", "-3", "width"),
        ("0° direction", "1, 2", "three figures"),
        ("0° direction", "0, 0, 0", "length"),
    ):
        press(qtbot, window.part, "0°, side" if name == "0° direction" else "surface")
        field = named(window.part, QLineEdit, name)
        type_into(qtbot, field, text)
        assert word in window.part.fault.text(), (name, text)
        assert session.project == before
        qtbot.keyClick(field, Qt.Key.Key_Escape)
    type_into(qtbot, named(window.part, QLineEdit, "0° direction"), "0, 0, 1")
    assert "elements have no 0°" in window.part.directions.state.text()
    assert "have no 0°" in window.part.ready.lines[0].words
    solved(qtbot, window)
    assert session.verdict.station == "Part"
    press(qtbot, window.part, "give them the flattest axis")
    assert session.project.part.fallback is not None
    solved(qtbot, window)
    assert session.verdict.state in ("holds", "fails")
    type_into(qtbot, named(window.part, QLineEdit, "0° direction"), "0, 1, 0")
    press(qtbot, window.part, "surface")
    flat = named(window.part, QLineEdit, "radius along x")
    flat.setFocus()
    flat.selectAll()
    qtbot.keyClick(flat, Qt.Key.Key_Delete)
    qtbot.keyClick(flat, Qt.Key.Key_Return)
    assert session.project.part.surface.radius_x is None
    solved(qtbot, window)
    assert session.verdict.state in ("holds", "fails")


@pytest.mark.gl
def test_cases_supports_and_requirements(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session = window.session
    go(qtbot, window, "Cases")
    type_into(qtbot, named(window.cases, QLineEdit, "pressure"), "6400 Pa")
    solved(qtbot, window)
    assert session.verdict.state == "fails"
    assert "6400" not in window.cases.resultant.text()
    assert "−1.23e" in window.cases.resultant.text() or "−12310" in window.cases.resultant.text()
    type_into(qtbot, named(window.cases, QLineEdit, "limit of reserve factor"), "0.5")
    assert session.verdict.state == "holds"
    type_into(qtbot, named(window.cases, QLineEdit, "limit of reserve factor"), "0")
    assert "greater than zero" in window.cases.fault.text()
    for _ in range(len(session.project.supports)):
        crosses = [
            b
            for b in window.cases.supports.findChildren(QPushButton)
            if b.isVisible() and b.text() == "×"
        ]
        qtbot.mouseClick(crosses[0], LEFT)
        settle()
    assert session.project.supports == ()
    solved(qtbot, window)
    assert "no supports" in session.verdict.sentence
    press(qtbot, window.cases, "+ support")
    solved(qtbot, window)
    assert session.verdict.state == "fails"
    settle()
    kind = named(window.cases, QComboBox, "kind of support 1")
    kind.setFocus()
    qtbot.keyClick(kind, Qt.Key.Key_Down)
    assert session.project.supports[0].kind == "held along x"
    solved(qtbot, window)
    assert "free to" in session.verdict.sentence
    press(qtbot, window.cases, "+ case")
    assert session.selection.case == "case"
    window.cases.new_load.textActivated.emit("force per length")
    assert len(session.project.cases[-1].loads) == 1
