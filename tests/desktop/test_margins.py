"""The Margins station driven by mouse and keys: from the verdict to what drives it, and back."""

import dataclasses

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QCheckBox, QComboBox, QLineEdit

from tartan.desktop.margins import judging
from tartan.desktop.margins.stage import FRAME
from tartan.desktop.margins.view import MarginsView
from tartan.desktop.widgets.datatable import DataTable
from tartan.desktop.window import MainWindow
from tartan.exchange.maps.fields import View, values
from tartan.exchange.maps.mapped import required
from tartan.project.document.samples import dish_panel as real_dish
from tartan.project.edits import case_edits, part_edits, stack_edits
from tartan.project.findings.chosen_margins import Ask, margins_for
from tests.desktop.conftest import named
from tests.desktop.settle import settle
from tests.desktop.test_window import ALT, CTRL, LEFT, Opener, press, solved, type_into

pytestmark = pytest.mark.gl


def ready(qtbot, window: MainWindow) -> MarginsView:  # type: ignore[no-untyped-def]
    view = window.margins
    qtbot.waitUntil(lambda: view.scene is not None and view.scene.view.width() > 200)
    return view


def judged_now(qtbot, view: MarginsView) -> None:  # type: ignore[no-untyped-def]
    qtbot.waitUntil(lambda: not view.choosers.judging.busy, timeout=60_000)


def click_row(qtbot, table: DataTable, line: int) -> None:  # type: ignore[no-untyped-def]
    at = table.view.visualRect(table.sorter.index(line, 1)).center()
    qtbot.mouseClick(table.view.viewport(), LEFT, pos=at)


def show(view: MarginsView, title: str) -> np.ndarray:
    view.choosers.shown.setCurrentText(title)
    view.choosers.shown.textActivated.emit(title)
    assert view.scene is not None
    return np.asarray(view.scene._surface.cell_data["rgb"]).copy()


def test_from_the_verdict_to_the_driving_stress_in_two_clicks(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, view = window.session, ready(qtbot, window)
    answer = session.answer
    assert answer is not None
    qtbot.keyClick(window, Qt.Key.Key_1, ALT)
    assert session.selection.station == "Materials"
    # First click: the verdict leads to the spot, its ply and what drives it.
    qtbot.mouseClick(window.verdict, LEFT, pos=QPoint(80, window.verdict.height() // 2))
    qtbot.waitUntil(view.isVisible)
    assert session.verdict.address is not None
    assert session.selection.element == session.verdict.address.element
    element, ply = session.selection.element, session.selection.spot_ply
    assert element is not None
    assert ply == answer.margins.ply[element]
    lines = view.drivers.lines
    assert sum(d.share for d in lines) == pytest.approx(1)
    assert lines[0].leads
    assert answer.margins.checks[answer.margins.check[element]].replace("_", "–") in (
        view.driven.text().lower().replace("tsai–wu", "tsai–wu")
    )
    # Second click: the working of that ply's reserve factor, down to stresses and strengths.
    picture = view.spot.section
    column = picture._column_rects()[-1]
    band = picture.rect_of(answer.layout().plies(element).index(ply))
    qtbot.mouseClick(picture, LEFT, pos=QPoint(int(column.left()) + 12, int(band.center().y())))
    assert view.spot.working.isVisible()
    value = f"{answer.margins.reserve[element]:.6g}"
    assert value in view.spot.working.text.toPlainText()
    press(qtbot, view.spot, "back")
    assert view.spot.section.isVisible()
    # From there one click to its rung, and one to its stack.
    press(qtbot, view.spot, "its place in the lay-up")
    assert (session.selection.station, session.selection.rungs) == ("Part", (0,))
    session.select(station="Margins")
    press(qtbot, view.spot, "open this ply")
    assert session.selection.station == "Stacks"
    assert session.selection.plies == (ply,)


def test_a_pick_on_the_part_or_in_a_list_is_one_selection(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, view = window.session, ready(qtbot, window)
    scene, answer = view.scene, session.answer
    assert scene is not None
    assert answer is not None
    target = 40
    qtbot.mouseClick(scene.view, LEFT, pos=scene.place_of(target))
    assert session.selection.element == target
    assert f"element {target + 1}" in view.spot.where.text()
    m = answer.margins
    assert view.spot.bars.reserve.min() == pytest.approx(m.reserve[target], rel=1e-9)
    assert view.spot.bars.reserve.argmin() == m.ply[target] == session.selection.spot_ply
    assert view.spot.first.text() == f"first ply fails at {m.reserve[target]:.2f} × this case"
    bar = view.spot.bars.rect_of(2).center().toPoint()
    qtbot.mouseClick(view.spot.bars, LEFT, pos=bar)
    assert session.selection.spot_ply == 2
    click_row(qtbot, view.hot.table, 2)
    assert session.selection.element == view.hot.elements[2] == answer.spots[2]
    # Sorted by place the row still leads to its own element; the copy has the whole address.
    view.hot.table.view.sortByColumn(1, Qt.SortOrder.DescendingOrder)
    click_row(qtbot, view.hot.table, 0)
    shown = view.hot.table.shown()
    assert session.selection.element == shown.rows[0][7] - 1  # type: ignore[operator]
    view.hot.table.view.setFocus()
    qtbot.keyClick(view.hot.table.view, Qt.Key.Key_C, CTRL)
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    head, *lines = clipboard.text().splitlines()
    assert head.split("\t")[:2] == ["RF", "where"]
    assert len(lines) == len(answer.spots)
    assert min(float(x.split("\t")[0]) for x in lines) == m.reserve.min()
    view.hot.group.setCurrentText("ply")
    view.hot.group.textActivated.emit("ply")
    assert len(view.hot.elements) == len(np.unique(m.ply[np.isfinite(m.reserve)]))
    press(qtbot, view.tabs, "by case")
    judged_now(qtbot, view)
    rows = {r[0]: r[1] for r in view.by_case.table.table.rows}
    for name in answer.inputs.case_names:
        assert rows[name] == margins_for(answer, Ask((name,))).reserve.min()
    click_row(qtbot, view.by_case.table, 1)
    assert session.selection.case == answer.inputs.case_names[1]


def test_a_choice_that_takes_a_while_is_judged_beside_the_window(
    qtbot, window: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:  # type: ignore[no-untyped-def]
    monkeypatch.setattr(judging, "AT_ONCE", 0)
    session, view = window.session, ready(qtbot, window)
    answer = session.answer
    assert answer is not None
    before = view.hot.table.table.rows
    view.choosers.levels.choose((0,))
    # What was shown stays, and says that it is being judged.
    assert view.choosers.judging.busy
    assert view.choosers.ask == Ask()
    assert view.hot.table.table.rows == before
    assert "Judging" in view.stage.note.text()
    # Another choice meanwhile: only the last one counts.
    view.choosers.levels.choose((2,))
    judged_now(qtbot, view)
    assert view.choosers.ask == Ask(levels=(2,))
    own = margins_for(answer, Ask(levels=(2,)))
    assert view.hot.table.table.rows[0][0] == own.reserve.min()
    assert "Judging" not in view.stage.note.text()
    # Another project while it is judged: nothing of the one before is shown.
    view.choosers.levels.choose((1,))
    session.history.mark_saved()
    window.new_project()
    qtbot.waitUntil(lambda: session.answer is None, timeout=20_000)
    qtbot.waitUntil(lambda: not view.choosers.judging.busy, timeout=60_000)
    assert not window.faults.faults


def test_maps_over_a_choice_and_of_a_ply(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, view = window.session, ready(qtbot, window)
    answer, scene = session.answer, view.scene
    assert answer is not None
    assert scene is not None
    titles = (
        "failure index",
        "governing ply",
        "displacement",
        "section moment Mx",
        "ply stress τ₁₂",
        "reserve factor",
    )
    assert len({show(view, t).tobytes() for t in titles}) == len(titles)
    # One case alone: ticked in the list that the button opens.
    view.choosers.cases.click()
    popup = view.choosers.cases._popup
    assert popup is not None
    boxes = popup.findChildren(QCheckBox)
    qtbot.mouseClick(boxes[1], LEFT, pos=QPoint(8, boxes[1].height() // 2))
    popup.close()
    judged_now(qtbot, view)
    assert view.choosers.ask == Ask((answer.inputs.case_names[1],))
    own = margins_for(answer, view.choosers.ask)
    assert view.hot.table.table.rows[0][0] == own.reserve.min()
    assert {r[2] for r in view.hot.table.table.rows} == {answer.inputs.case_names[1]}
    view.choosers.cases.choose(())
    view.choosers.plies.choose((3,))
    judged_now(qtbot, view)
    core = margins_for(answer, Ask(plies=(3,)))
    assert view.hot.table.table.rows[0][0] == core.reserve.min()
    assert "ply 4 (core)" in view.driven.text()
    view.choosers.plies.choose(())
    # A ply at a spot; the keys step from ply to ply.
    session.select(element=20, spot_ply=2, case=answer.inputs.case_names[0])
    before = show(view, "ply stress σ₁")
    qtbot.keyClick(window, Qt.Key.Key_PageUp)
    assert session.selection.spot_ply == 3
    qtbot.keyClick(window, Qt.Key.Key_PageUp)
    qtbot.keyClick(window, Qt.Key.Key_PageDown)
    qtbot.keyClick(window, Qt.Key.Key_PageDown)
    assert session.selection.spot_ply == 2
    after = np.asarray(scene._surface.cell_data["rgb"])
    np.testing.assert_array_equal(before, after)


def test_a_pinned_reading_is_of_the_answer_that_is_shown(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, view = window.session, ready(qtbot, window)
    scene = view.scene
    assert scene is not None
    assert session.answer is not None
    case = session.answer.inputs.case_names[0]
    session.select(element=20, spot_ply=2, case=case)
    show(view, "ply stress σ₁")
    press(qtbot, view.stage, "pin")

    def said() -> float:
        text = dict(scene.callouts.lines)[20]
        assert text.startswith("σ₁ ")
        assert text.endswith("MPa · ply 3")
        return float(text.split()[1].replace("−", "-")) * 1e6

    def value() -> float:
        assert session.answer is not None
        return float(values(session.answer, View("s1", case=case, ply=2))[20])

    first = value()
    assert said() == pytest.approx(first, rel=1e-3)
    session.edit(
        "turn",
        lambda p: stack_edits.put_plies(
            p,
            "reflector sandwich",
            [dataclasses.replace(q, angle=q.angle + 20.0) for q in p.stacks[0].plies],
        ),
    )
    assert scene.callouts.lines == ()  # stale: not told
    solved(qtbot, window)
    assert value() != pytest.approx(first, rel=1e-2)
    assert said() == pytest.approx(value(), rel=1e-3)
    # It stays beside the part while another place is looked at, until it is let go.
    session.select(element=30)
    assert set(dict(scene.callouts.lines)) == {20, 30}
    press(qtbot, view.stage, "unpin all")
    assert set(dict(scene.callouts.lines)) == {30}


def test_labels_stand_in_the_margin(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, view = window.session, ready(qtbot, window)
    answer, scene = session.answer, view.scene
    assert answer is not None
    assert scene is not None
    assert scene.mesh is not None
    press(qtbot, view.stage, "deformed")
    show(view, "governing mode")
    press(qtbot, view, "labels")
    told = dict(scene.callouts.lines)
    assert set(told) == set(answer.spots)
    assert told == {e: answer.margins.mode_label(e) for e in answer.spots}
    # Once drawn, every line of words is in a margin, off the part, and no two on one another.
    qtbot.waitUntil(lambda: scene.callouts.placed is not None)
    ends = scene.callouts.placed.ends
    assert len(np.unique(ends, axis=0)) == len(told)
    ratio = scene.view.devicePixelRatioF()
    part = scene.on_screen(scene.mesh.nodes)[:, 0] * ratio
    right = scene.callouts.placed.right
    assert (ends[right, 0] > part.max()).all()
    assert (ends[~right, 0] < part.min()).all()
    press(qtbot, view, "labels")
    assert set(dict(scene.callouts.lines)) == {view.picked(answer).element}


def test_the_shape_and_what_fails(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, view = window.session, ready(qtbot, window)
    answer, scene = session.answer, view.scene
    assert answer is not None
    assert scene is not None
    assert scene.mesh is not None
    scale = named(view, QLineEdit, "Magnification")
    type_into(qtbot, scale, "250")
    case = view.picked(answer).case
    moved = scene.mesh.nodes + 250 * answer.solution.displacement[case, :, :3]
    np.testing.assert_allclose(scene._surface.points, moved, rtol=1e-5, atol=1e-7)
    press(qtbot, view.stage, "outline")
    assert "undeformed" in scene._extras
    press(qtbot, view.stage, "swing")
    first = np.asarray(scene._surface.points).copy()
    qtbot.waitUntil(lambda: not np.allclose(first, scene._surface.points), timeout=20 * FRAME)
    press(qtbot, view.stage, "swing")
    press(qtbot, view.stage, "deformed")
    np.testing.assert_allclose(scene._surface.points, scene.mesh.nodes, rtol=1e-6)
    show(view, "reserve factor")
    session.edit(
        "strict",
        lambda p: case_edits.put_requirements(
            p,
            [
                dataclasses.replace(
                    p.requirements[0], value=float(np.median(answer.margins.reserve))
                )
            ],
        ),
    )
    press(qtbot, view, "only what fails")
    rgb = np.asarray(scene._surface.cell_data["rgb"])
    failing = answer.margins.reserve < required(session.project)
    bare = rgb[~failing]
    assert (bare == bare[0]).all()
    assert (rgb[failing] != bare[0]).any(axis=1).all()
    assert "50" in view.stage.note.text()


def test_a_changed_allowable_is_judged_at_once_old_beside_new(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, view = window.session, ready(qtbot, window)
    old = session.answer
    assert old is not None
    press(qtbot, view.tabs, "criteria")
    worst = view.picked(old)
    material = old.layout().laid[worst.ply].ply.material
    chooser = named(view, QComboBox, "Material of the allowables")
    chooser.setCurrentText(material)
    chooser.textActivated.emit(material)
    for field in ("Xt", "Xc", "Yt", "Yc", "S12"):
        now = getattr(session.project.material(material), field)
        type_into(qtbot, named(view, QLineEdit, f"{field} of {material}"), f"{now / 2e6} MPa")
    solved(qtbot, window)
    new = session.answer
    assert new is not None
    assert not new.resolved
    assert new.margins.reserve.min() < old.margins.reserve.min()
    words = view.criteria.effect.text()
    assert words == (
        f"reserve factor {new.margins.reserve.min():.2f}, "
        f"was {session.previous.margins.reserve.min():.2f}"
    )  # type: ignore[union-attr]
    press(qtbot, view.tabs, "hot spots")
    assert view.hot.table.table.head[:2] == ("RF", "was")
    # A criterion more: von Mises makes no sense for a woven ply, and says what it lacks.
    press(qtbot, view.tabs, "criteria")
    box = named(view, QCheckBox, "Puck for woven layers")
    box.click()
    qtbot.waitUntil(lambda: not session.solving, timeout=120_000)
    assert "puck" in dict(session.project.criteria[0].rules)["woven"]
    box.click()
    solved(qtbot, window)
    assert session.fresh
    settle()  # the fields were built anew
    type_into(qtbot, named(view, QLineEdit, f"Xt of {material}"), "-4")
    assert named(view, QLineEdit, f"Xt of {material}").toolTip()
    assert session.project.material(material).Xt > 0  # type: ignore[union-attr,operator]


def test_one_change_at_the_spot_is_applied_and_undone(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, view = window.session, ready(qtbot, window)
    before = session.answer
    assert before is not None
    session.select(element=before.spots[0], spot_ply=int(before.margins.ply[before.spots[0]]))
    press(qtbot, view.spot, "what one change would do")
    rank = view.spot.what_if
    qtbot.waitUntil(lambda: not rank.slices.busy and bool(rank.best), timeout=120_000)
    assert rank.best[0].reserve == max(r.reserve for r in rank.best)
    project = session.project
    rank.table.view.setFocus()
    click_row(qtbot, rank.table, 0)
    press(qtbot, rank, "apply")
    assert session.project != project
    assert session.history.undo_label == rank.best[0].change.words
    solved(qtbot, window)
    assert session.answer is not None
    assert (
        session.answer.margins.reserve[before.spots[0]] > before.margins.reserve[before.spots[0]]
    )
    session.undo()
    assert session.project == project
    assert session.answer is before


def test_requirements_lead_to_their_places(qtbot, open_window: Opener) -> None:  # type: ignore[no-untyped-def]
    project = real_dish()
    assert project.part is not None
    window = open_window(
        part_edits.put_part(project, dataclasses.replace(project.part, mesh_size=0.1))
    )
    session, view = window.session, ready(qtbot, window)
    press(qtbot, view.tabs, "requirements")
    rows = view.board.table.table.rows
    assert len(rows) == 4
    line = next(i for i, r in enumerate(rows) if str(r[0]).startswith("surface deviation"))
    click_row(qtbot, view.board.table, line)
    assert session.statuses[line].address is not None
    assert session.selection.element == session.statuses[line].address.element
    assert view.choosers.shown.currentText() == "displacement"
    # A temperature is held unless asked otherwise, and is told among what drives.
    case = next(c for c in project.combinations)
    session.select(case=case.name, element=session.answer.spots[0], spot_ply=None)  # type: ignore[union-attr]
    assert any("what is held" in d.words for d in view.drivers.lines)


def test_the_map_fades_while_it_is_stale(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, view = window.session, ready(qtbot, window)
    assert view.scene is not None
    press(qtbot, view.tabs, "requirements")
    fresh = np.asarray(view.scene._surface.cell_data["rgb"]).copy()
    session.edit(
        "ply", lambda p: stack_edits.put_plies(p, "reflector sandwich", p.stacks[0].plies[1:])
    )
    stale = np.asarray(view.scene._surface.cell_data["rgb"]).copy()
    assert np.ptp(stale.astype(int), axis=0).max() < 0.5 * np.ptp(fresh.astype(int), axis=0).max()
    assert "stale" in view.stage.note.text()
    assert view.board.note.text() == "stale"
    assert view.spot.section.faded
    assert view.spot.bars.faded
    assert view.drivers.faded
