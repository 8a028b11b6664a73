"""The Stacks and Materials benches driven by mouse and keys."""

from pathlib import Path

import openpyxl
import pytest
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtWidgets import QApplication, QLineEdit

from tartan.core.errors import TartanError
from tartan.core.stack import Ply
from tartan.desktop.stacks.context import chosen
from tartan.desktop.widgets.bands import paint_band
from tartan.desktop.widgets.picture import save_picture
from tartan.desktop.window import MainWindow
from tartan.exchange.tables import write_table
from tartan.pages.shown import Row
from tartan.pages.stack_answers import worst_of
from tartan.project.edits import stack_edits
from tartan.project.files import recovery
from tartan.project.wording import units
from tests.desktop.conftest import coarse_sample, named
from tests.desktop.settle import settle
from tests.desktop.test_window import CTRL, LEFT, Opener, go, press, sequence, type_into


@pytest.fixture
def strut(qtbot, window: MainWindow) -> MainWindow:  # type: ignore[no-untyped-def]
    go(qtbot, window, "Stacks")
    window.session.select(stack="feed strut")
    settle()
    return window


def test_a_ply_is_dragged_and_the_drag_taken_back(qtbot, strut: MainWindow) -> None:  # type: ignore[no-untyped-def]
    editor, session = strut.stacks.editor, strut.session
    before = session.project
    qtbot.mouseClick(editor, LEFT, pos=editor.rect_of(2).center().toPoint())

    def drag(to: float) -> None:
        start = editor.rect_of(2).center().toPoint()
        qtbot.mousePress(editor, LEFT, pos=start)
        for y in (start.y() - 8, int(to)):
            qtbot.mouseMove(editor, QPoint(start.x(), y))
            settle()

    drag(editor.rect_of(9).top() + 2)
    assert editor._drop == 10
    qtbot.keyClick(editor, Qt.Key.Key_Escape)
    qtbot.mouseRelease(editor, LEFT, pos=editor.rect_of(9).center().toPoint())
    assert session.project == before
    drag(editor.rect_of(9).top() + 2)
    qtbot.mouseRelease(editor, LEFT, pos=editor.rect_of(9).center().toPoint())
    assert sequence(strut) == "[0_2/-45/90_2/∓45/0_2/45]"
    assert session.selection.plies == (9,)
    qtbot.keyClick(strut, Qt.Key.Key_Z, CTRL)
    assert session.project == before


def test_plies_pasted_from_a_spreadsheet_and_a_wrong_unit(qtbot, strut: MainWindow) -> None:  # type: ignore[no-untyped-def]
    editor, session = strut.stacks.editor, strut.session
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    editor.setFocus()
    qtbot.keyClick(editor, Qt.Key.Key_A, CTRL)
    qtbot.keyClick(editor, Qt.Key.Key_Delete)
    clipboard.setText("ply\tangle\tmaterial\tthickness [mm]\n1\t30\tUD carbon\t0.1\n2\t-30\t\t\n")
    qtbot.keyClick(editor, Qt.Key.Key_V, CTRL)
    assert "row 3, column 3" in strut.stacks.fault.text()
    assert session.project.stack("feed strut").plies == ()  # type: ignore[union-attr]
    clipboard.setText(
        "angle\tmaterial\tthickness [in]\n30\tUD carbon\t0.01\n-30\twoven carbon\t\n"
    )
    qtbot.keyClick(editor, Qt.Key.Key_V, CTRL)
    plies = session.project.stack("feed strut").plies  # type: ignore[union-attr]
    assert plies == (Ply("UD carbon", 30.0, 0.254e-3), Ply("woven carbon", -30.0, 0.12e-3))
    field = named(strut.stacks, QLineEdit, "Thickness")
    type_into(qtbot, field, "2 kg")
    assert "kg" in strut.stacks.fault.text()
    assert session.project.stack("feed strut").plies == plies  # type: ignore[union-attr]
    type_into(qtbot, field, "0.3 mm")
    assert {p.thickness for p in session.project.stack("feed strut").plies} == {0.3e-3}  # type: ignore[union-attr]


def test_a_load_case_is_typed_and_its_way_of_giving_changed(qtbot, strut: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, strip = strut.session, strut.stacks.loads
    assert strip.name.text() == "sway"
    type_into(qtbot, strip.fields["Nx"], "1 kip/in")
    loads = session.project.loads_on("feed strut")[0]
    assert loads.values[0] == pytest.approx(175126.8, rel=1e-6)
    before = chosen(session)
    assert before is not None
    assert before.question is not None
    strip.give_as(0, "strain")
    assert session.project.loads_on("feed strut")[0].ways[0] == "strain"
    assert strip.unit_labels["Nx"].text() == "µε"
    after = chosen(session)
    assert after is not None
    assert after.laminate is not None
    one = worst_of(before.laminate, [before.loads], before.criteria)  # type: ignore[arg-type]
    other = worst_of(after.laminate, [after.loads], after.criteria)
    assert one is not None
    assert other is not None
    assert other.found.reserve == pytest.approx(one.found.reserve, rel=1e-4)
    type_into(qtbot, strip.fields["dT"], "-40 °C")
    assert session.project.loads_on("feed strut")[0].dT == pytest.approx(-40)
    press(qtbot, strip, "from the part")
    new = session.project.load_cases[-1]
    assert new.stack == "reflector sandwich"
    assert session.selection.stack == "reflector sandwich"
    here = chosen(session)
    assert here is not None
    worst = worst_of(here.laminate, [new], here.criteria)  # type: ignore[arg-type]
    assert worst is not None
    assert session.answer is not None
    least = float(session.answer.margins.reserve.min())
    assert worst.found.reserve == pytest.approx(least, rel=1e-3)
    # What it grew by there can be seen, let go of and had back.
    assert new.grows
    assert strip.grown.isVisible()
    press(qtbot, strip, "growth")
    assert not session.project.load_cases[-1].grows
    assert not strip.grown.isVisible()
    session.undo()
    assert session.project.load_cases[-1] == new
    assert strip.grown.isVisible()


def test_the_ranking_is_applied_and_undone(qtbot, strut: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, pane = strut.session, strut.stacks.whatif
    qtbot.waitUntil(lambda: bool(pane.best_first) and not pane.slices.busy, timeout=120_000)
    before, best = session.project, pane.best_first[0]
    gains = [r.reserve for r in pane.best_first]
    assert gains == sorted(gains, reverse=True)
    pane.table.view.setFocus()
    pane.table.view.selectRow(0)
    qtbot.keyClick(pane.table.view, Qt.Key.Key_Return)
    assert session.project.stack("feed strut").plies == best.change.plies  # type: ignore[union-attr]
    assert session.history.undo_label == f"{best.change.words}, feed strut"
    here = chosen(session)
    assert here is not None
    worst = worst_of(here.laminate, session.project.loads_on("feed strut"), here.criteria)  # type: ignore[arg-type]
    assert worst is not None
    assert worst.found.reserve == pytest.approx(best.reserve)
    qtbot.keyClick(strut, Qt.Key.Key_Z, CTRL)
    assert session.project == before
    strut.stacks.whatif.order.setCurrentIndex(1)
    pane._fill()
    costly = [r for r in pane.best_first if r.mass > pane._here.mass + 1e-9]  # type: ignore[union-attr]
    rates = [(r.reserve - pane._here.reserve) / (r.mass - pane._here.mass) for r in costly]  # type: ignore[union-attr]
    assert rates == sorted(rates, reverse=True)


def test_the_baseline_shows_what_changed(qtbot, strut: MainWindow) -> None:  # type: ignore[no-untyped-def]
    view, session = strut.stacks, strut.session
    qtbot.keyClick(strut, Qt.Key.Key_B, CTRL)
    assert "against A" in strut.baseline.text()
    assert "same" in view.change.text()
    type_into(qtbot, view.notation, "[0_2/±45/90_2]s")
    figure = view.stiffness.figures["Ex", "membrane"]
    assert "−" in figure.text()
    assert "+0.25 kg/m²" in view.change.text()
    assert len(view.editor.before) == 10
    qtbot.keyClick(strut, Qt.Key.Key_Z, CTRL)
    qtbot.keyClick(strut, Qt.Key.Key_Z, CTRL)
    assert session.project.baseline is None
    assert view.change.text() == ""


def test_every_figure_opens_its_working(qtbot, strut: MainWindow) -> None:  # type: ignore[no-untyped-def]
    view = strut.stacks
    picture = view.stiffness.matrix
    qtbot.mouseClick(picture, LEFT, pos=picture._cell("D", 0, 2).center().toPoint())
    assert "D16 of feed strut" in view.working.text.toPlainText()
    press(qtbot, view.working, "keep for the report")
    assert "D16" in strut.session.project.workings[0].text
    press(qtbot, view.working, "copy")
    assert "D16" in QApplication.clipboard().text()  # type: ignore[union-attr]
    press(qtbot, view.working, "back")
    qtbot.mouseClick(view.stiffness.figures["Ey", "kept flat"], LEFT)
    assert "kept flat" in view.working.text.toPlainText()
    qtbot.keyClick(view.working.text, Qt.Key.Key_Escape)
    area = view.editor._column_rects()[-1]
    spot = QPointF(area.center().x(), view.editor.rect_of(4).center().y()).toPoint()
    qtbot.mouseClick(view.editor, LEFT, pos=spot)
    text = view.working.text.toPlainText()
    shown = view.editor.columns[-1].values[4]
    assert "reserve factor of ply 5" in text
    assert float(text.splitlines()[0].split("=")[1].split()[0]) == pytest.approx(shown)
    press(qtbot, view.working, "back")
    for name in ("Strength", "Envelope", "History", "Plies"):
        press(qtbot, view, name)
        settle()
    qtbot.mouseClick(next(b for b in view.tabs.buttons() if b.text() == "Strength"), LEFT)
    loads = view.strength.picture
    qtbot.mouseClick(loads, LEFT, pos=QPoint(loads.width() - 20, 40))
    assert "reserve factor of ply" in view.working.text.toPlainText()


def test_tables_sort_filter_copy_and_save(qtbot, strut: MainWindow, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    view = strut.stacks
    press(qtbot, view, "Plies")
    table = view.results.table
    assert len(table.shown().rows) == 30
    rf = table.table.head.index("RF")
    table.view.sortByColumn(rf, Qt.SortOrder.AscendingOrder)
    values = [row[rf] for row in table.shown().rows]
    assert values == sorted(values)  # type: ignore[type-var]
    qtbot.keyClicks(table.filter, "matrix Bottom")
    wanted = [r for r in table.table.rows if "matrix" in str(r[6]) and r[3] == "bottom"]
    assert len(wanted) > 1
    assert sorted(table.shown().rows) == sorted(wanted)
    table.view.setFocus()
    qtbot.keyClick(table.view, Qt.Key.Key_C, CTRL)
    lines = QApplication.clipboard().text().splitlines()  # type: ignore[union-attr]
    # Above the head stands what the answers are of.
    assert "feed strut under" in lines[0]
    assert lines[1].startswith("ply\tangle [°]")
    assert len(lines) == 2 + len(wanted)
    write_table(table.shown(), tmp_path / "t.xlsx")
    sheet = openpyxl.load_workbook(tmp_path / "t.xlsx").active
    assert sheet is not None
    assert sheet.cell(1, 1).value == lines[0]
    assert sheet.cell(3, rf + 1).value == pytest.approx(table.shown().rows[0][rf])


def test_pictures_are_saved_as_lines_and_text(qtbot, strut: MainWindow, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    for name, widget in (
        ("section", strut.stacks.editor),
        ("polar", strut.stacks.stiffness.polar),
        ("matrix", strut.stacks.stiffness.matrix),
    ):
        save_picture(widget, tmp_path / f"{name}.svg")
        drawn = (tmp_path / f"{name}.svg").read_text("utf-8")
        assert "<image" not in drawn
        assert drawn.count("<path") + drawn.count("<poly") > 5
        assert "<text" in drawn
        save_picture(widget, tmp_path / f"{name}.png")
        assert (tmp_path / f"{name}.png").read_bytes()[:4] == b"\x89PNG"
    with pytest.raises(TartanError, match="cannot be written"):
        save_picture(strut.stacks.editor, tmp_path / "none" / "a.svg")


def test_units_of_the_whole_window(qtbot, strut: MainWindow) -> None:  # type: ignore[no-untyped-def]
    before = strut.session.project
    strut.use_units("US customary")
    assert strut.stacks.stiffness.figures["Ex", "membrane"].text().startswith("9.99")
    assert strut.stacks.loads.unit_labels["Nx"].text() == "lbf/in"
    strut.stacks.editor.setFocus()
    qtbot.mouseClick(
        strut.stacks.editor, LEFT, pos=strut.stacks.editor.rect_of(0).center().toPoint()
    )
    field = named(strut.stacks, QLineEdit, "Thickness")
    assert field.text() == "0.00315"
    assert strut.session.project == before
    strut.use_units(units.SYSTEMS[0])
    assert field.text() == "0.08"


def test_a_sub_laminate_is_made_folded_and_follows(qtbot, strut: MainWindow) -> None:  # type: ignore[no-untyped-def]
    view, session = strut.stacks, strut.session
    session.select(plies=(2, 3))
    view.actions_.make_sub()
    assert view.notation.text() == "[0_2/{sub-laminate}/90_2/∓45/0_2]"
    fold = view.editor.folds[0]
    assert (fold.first, fold.count, fold.folded) == (2, 2, False)
    edge = QPointF(view.editor.left - 6, view.editor.rect_of(2).center().y()).toPoint()
    qtbot.mouseClick(view.editor, LEFT, pos=edge)
    assert view.editor.folds[0].folded
    assert len(view.editor._slots()) == 9
    session.edit(
        "x", lambda p: stack_edits.put_plies(p, "sub-laminate", [Ply("UD carbon", 15.0, 8e-5)])
    )
    assert view.notation.text() == "[0_2/{sub-laminate}/90_2/∓45/0_2]"
    assert session.project.stack("feed strut").plies[2].angle == 15  # type: ignore[union-attr]


def test_a_material_is_judged_while_typed_and_knocked_down(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    view, session = window.materials, window.session
    go(qtbot, window, "Materials")
    session.select(material="UD carbon")
    field = named(view, QLineEdit, "nu12 (major Poisson's ratio)")
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, "5")
    assert "nu12" in view.fault.text()
    assert session.project.material("UD carbon").nu12 == 0.31  # type: ignore[union-attr]
    qtbot.keyClick(field, Qt.Key.Key_Escape)
    assert view.fault.text() == ""
    empty = named(view, QLineEdit, "eXt (tensile strain allowable along 1)")
    assert empty.placeholderText() == "15074"
    press(qtbot, view, "+ condition")
    settle()
    assert "Xc 992 MPa" in view.conditions.in_force.text()
    factors = named(view, QLineEdit, "Factors of condition hot, wet")
    type_into(qtbot, factors, "Xc 0.5; Yq 0.3")
    assert "Yq" in view.fault.text()
    type_into(qtbot, factors, "Xc 0.5")
    assert "Xc 620 MPa" in view.conditions.in_force.text()
    qtbot.waitUntil(lambda: not session.solving, timeout=120_000)
    while session.history.undo_label is not None:
        session.undo()
        if session.history.at == 0:
            break
    assert session.project == coarse_sample()


def test_what_was_left_behind_is_offered_and_brought_back(qtbot, open_window: Opener) -> None:  # type: ignore[no-untyped-def]
    window = open_window()
    changed = stack_edits.rename_project(coarse_sample(), "left behind")
    file = recovery.folder() / f"1-a{recovery.SUFFIX}"
    keeper = recovery.Keeper()
    keeper.keep(changed, None)
    text = keeper.file.read_text("utf-8").replace(recovery.started(recovery.os.getpid()), "1")
    keeper.forget()
    file.write_text(text, "utf-8")
    window.recovery.offer(recovery.left_behind())
    assert window.recovery.isVisible()
    press(qtbot, window.recovery, "bring it back")
    assert window.session.project == changed
    assert window.session.history.modified
    assert not window.recovery.isVisible()
    assert not file.exists()


@pytest.mark.parametrize("kind", ["ply", "woven", "core", "isotropic"])
@pytest.mark.parametrize("height", [0.5, 3.0, 9.9, 10.0, 11.0, 40.0])
def test_bands_of_any_height_are_drawn(qapp: QApplication, kind: str, height: float) -> None:
    # What is raised while painting ends the program: thin cores once had no cells to draw.
    for width in (0.0, 60.0, 230.0):
        image = QImage(240, 60, QImage.Format.Format_ARGB32)
        image.fill(0)
        painter = QPainter(image)
        row = Row(37.5, 1e-3, "a material of a long name", kind)
        paint_band(painter, QRectF(2, 2, width, height), 11, row, selected=width > 100)
        painter.end()
        assert width == 0.0 or image.pixelColor(4, 2 + int(height / 2)).alpha() > 0


def test_a_paste_without_heads_is_shown_before_it_is_laid(qtbot, strut: MainWindow) -> None:  # type: ignore[no-untyped-def]
    editor, session, bar = strut.stacks.editor, strut.session, strut.stacks.paste_bar
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    before = session.project
    editor.setFocus()
    qtbot.keyClick(editor, Qt.Key.Key_A, CTRL)
    clipboard.setText("1\t30\t0.25\n2\t-30\t0.25\n3\t90\t0.5\n")
    qtbot.keyClick(editor, Qt.Key.Key_V, CTRL)
    assert bar.isVisible()
    assert "ply number (passed over), angle [°], thickness [mm]" in bar.words.text()
    assert session.project == before
    qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Escape)
    assert not bar.isVisible()
    assert session.project == before
    editor.setFocus()
    qtbot.keyClick(editor, Qt.Key.Key_V, CTRL)
    qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    stack = session.project.stack("feed strut")
    assert stack is not None
    assert [(p.angle, p.thickness) for p in stack.plies[-3:]] == [
        (30.0, 0.25e-3),
        (-30.0, 0.25e-3),
        (90.0, 0.5e-3),
    ]
    assert editor.hasFocus()
    qtbot.keyClick(strut, Qt.Key.Key_Z, CTRL)
    assert session.project == before
    # A plain column of angles leaves no doubt and is laid at once.
    editor.setFocus()
    clipboard.setText("0\n45\n-45\n90\n")
    qtbot.keyClick(editor, Qt.Key.Key_V, CTRL)
    assert not bar.isVisible()
    stack = session.project.stack("feed strut")
    assert stack is not None
    assert [p.angle for p in stack.plies[-4:]] == [0, 45, -45, 90]


def test_notation_is_judged_while_it_is_typed_and_names_are_completed(
    qtbot, strut: MainWindow
) -> None:  # type: ignore[no-untyped-def]
    stacks, session = strut.stacks, strut.session
    field = stacks.notation
    before = session.project
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, "[0/x/90]s")
    assert "character 4" in stacks.fault.text()
    assert session.project == before
    field.selectAll()
    qtbot.keyClicks(field, "[0/45 wo")
    # An unfinished name is no fault: it is offered whole.
    assert not stacks.fault.isVisible()
    popup = field.names.popup()
    assert popup is not None
    assert popup.isVisible()
    assert {field.names.currentCompletion()} <= {"woven carbon", "woven glass"}
    qtbot.keyClick(popup, Qt.Key.Key_Down)
    chosen = popup.currentIndex().data()
    qtbot.keyClick(popup, Qt.Key.Key_Return)
    assert field.text() == f"[0/45 {chosen}"
    qtbot.keyClicks(field, "]s")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    stack = session.project.stack("feed strut")
    assert stack is not None
    assert [p.material for p in stack.plies[1:3]] == [chosen, chosen]
    assert not stacks.fault.isVisible()
