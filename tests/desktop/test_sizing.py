"""The sizing of a small panel in the window: what may change, the search, taking what it found."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QLineEdit, QPushButton

from tartan.desktop.part.sizing import SizingForm
from tartan.desktop.part.sizingfound import SizingResult
from tartan.desktop.part.view import PartView
from tartan.desktop.window import MainWindow
from tartan.project.document.model import Project
from tartan.project.document.partmodel import DisplacementRequirement, ReserveRequirement
from tartan.project.edits import part_edits
from tartan.project.findings.size_words import best_of
from tests.desktop.conftest import named
from tests.desktop.settle import settle
from tests.desktop.test_winding import choose
from tests.desktop.test_window import press, type_into
from tests.project.test_sized import panel

SKIN = "UD carbon 0° in skin"


def small() -> Project:
    return panel(
        requirements=(ReserveRequirement(2.0), DisplacementRequirement(9e-3, "press")),
    )


def opened(window: MainWindow) -> SizingForm:
    window.session.select(station="Part")
    page = window.pages["Part"].view
    assert isinstance(page, PartView)
    page.open_form("sizing")
    settle()
    return page.sizing


@pytest.fixture
def form(open_window: Callable[..., MainWindow]) -> SizingForm:
    return opened(open_window(small()))


def only(form: SizingForm, *words: str) -> None:
    """Let these change alone, by clicks."""
    for button in form.variables.findChildren(QPushButton):
        if button.isCheckable() and button.isChecked() != (button.text() in words):
            button.click()
            settle()


def sized(qtbot, form: SizingForm) -> None:  # type: ignore[no-untyped-def]
    press(qtbot, form, "size")
    qtbot.waitUntil(lambda: not form.stream.busy, timeout=240_000)
    settle()


def zones_are_told(found: SizingResult) -> None:
    """Both zones of the panel, each with why it is not thinner."""
    zones = {str(row[0]): str(row[3]) for row in found.zones.table.rows}
    assert found.zones.isVisible()
    assert sorted("pad" in z for z in zones) == [False, True]
    assert all("Displacement" in w or "least there is" in w for w in zones.values())


def test_a_panel_is_sized_looked_at_taken_and_taken_back(qtbot, form: SizingForm) -> None:  # type: ignore[no-untyped-def]
    session, before = form.session, form.session.project
    only(form, SKIN, "UD carbon 10° on pad (rung 3)")
    type_into(qtbot, named(form, QLineEdit, f"values of {SKIN}"), "2 to 8 by 2")  # type: ignore[arg-type]
    type_into(qtbot, named(form, QLineEdit, "values of UD carbon 10° on pad (rung 3)"), "0, 1, 2")  # type: ignore[arg-type]
    chosen = {v.kind: v.values for v in form.ask.variables if v.active}
    assert chosen == {"plies": (0.0, 1.0, 2.0)}
    first = next(v for v in form.ask.variables if v.active)
    assert first.values == (2.0, 4.0, 6.0, 8.0)
    sized(qtbot, form)
    assert not form.frame.fault.text()
    assert form.frame.result.isChecked()
    assert "Proved" in form.note.text()
    found = form.found
    best = found.chosen
    assert best is not None
    assert best.holds
    words = [row[3] for row in found.changes.table.rows]
    assert any("Displacement" in str(w) or "least there is" in str(w) for w in words)
    zones_are_told(found)
    needs = {row[0]: row[1:] for row in found.needs.table.rows}
    assert needs["mass"][1] == f"{best.mass:.4g} kg"
    # The row of the history that is clicked is looked at.
    table = found.steps.view
    at = table.visualRect(table.model().index(0, 0)).center()
    qtbot.mouseClick(table.viewport(), Qt.MouseButton.LeftButton, pos=at)
    assert found.chosen is not None
    assert found.chosen.solves == found.steps.table.rows[0][0]
    found.look_at(best)
    press(qtbot, form, "take it")
    settle()
    skin = session.project.stack("skin")
    assert skin is not None
    assert sum(p.angle == 0 for p in skin.plies) == best.values[0]
    qtbot.waitUntil(lambda: session.fresh, timeout=120_000)
    assert session.answer is not None
    assert session.answer.layout().mass() == pytest.approx(best.mass)
    assert session.verdict is not None
    assert session.verdict.state == "holds"
    assert "as it was" in form.note.text()
    session.undo()
    assert (session.project.stacks, session.project.part) == (before.stacks, before.part)


def test_it_is_taken_as_a_version_and_kept_for_the_report(qtbot, form: SizingForm) -> None:  # type: ignore[no-untyped-def]
    session = form.session
    only(form, SKIN)
    sized(qtbot, form)
    press(qtbot, form, "keep for the report")
    kept = session.project.sizing.found
    assert kept is not None
    best = best_of(kept)
    assert best is not None
    press(qtbot, form, "as a version")
    assert session.project.version == "B"
    assert [v.name for v in session.project.versions] == ["A"]
    skin = session.project.stack("skin")
    assert skin is not None
    assert sum(p.angle == 0 for p in skin.plies) == best.values[0]


def test_rules_are_typed_and_refused_in_words(qtbot, form: SizingForm) -> None:  # type: ignore[no-untyped-def]
    session = form.session
    choose(named(form, QComboBox, "what shall be small"), "cost")  # type: ignore[arg-type]
    assert session.project.sizing.least == "cost"
    ends = named(form, QLineEdit, "plies that may end at a border")
    type_into(qtbot, ends, "3")  # type: ignore[arg-type]
    assert session.project.sizing.most_dropped == 3
    type_into(qtbot, ends, "some")  # type: ignore[arg-type]
    assert "no whole number" in form.frame.fault.text()
    assert session.project.sizing.most_dropped == 3
    type_into(qtbot, ends, "any")  # type: ignore[arg-type]
    assert session.project.sizing.most_dropped is None
    values = named(form, QLineEdit, f"values of {SKIN}")
    type_into(qtbot, values, "1.5")  # type: ignore[arg-type]
    assert "whole numbers" in form.frame.fault.text()
    type_into(qtbot, values, "a lot")  # type: ignore[arg-type]
    assert "is no value" in form.frame.fault.text()
    type_into(qtbot, values, "8 to 2")  # type: ignore[arg-type]
    assert "never comes to its end" in form.frame.fault.text()
    session.undo()
    session.undo()
    only(form)
    press(qtbot, form, "size")
    qtbot.waitUntil(lambda: not form.stream.busy, timeout=120_000)
    settle()
    assert "Nothing may change" in form.frame.fault.text()
    assert not form.frame.result.isEnabled()


def test_linked_cores_take_one_unit_and_one_value(qtbot, form: SizingForm) -> None:  # type: ignore[no-untyped-def]
    name = "core honeycomb on pad (rung 4)"
    type_into(qtbot, named(form, QLineEdit, f"values of {name}"), "2, 4, 6")  # type: ignore[arg-type]
    core = next(v for v in form.ask.variables if v.kind == "core")
    assert core.values == (2e-3, 4e-3, 6e-3)
    type_into(qtbot, named(form, QLineEdit, f"link of {name}"), "a")  # type: ignore[arg-type]
    type_into(qtbot, named(form, QLineEdit, f"link of {SKIN}"), "a")  # type: ignore[arg-type]
    assert "not of one kind" in form.frame.fault.text()
    assert [v.link for v in form.ask.variables if v.link] == ["a"]


def test_a_search_that_is_stopped_keeps_what_it_found(qtbot, form: SizingForm) -> None:  # type: ignore[no-untyped-def]
    press(qtbot, form, "size")
    qtbot.waitUntil(lambda: form.progress.value() > 0, timeout=240_000)
    press(qtbot, form, "stop")
    qtbot.waitUntil(lambda: not form.stream.busy, timeout=240_000)
    settle()
    assert not form.frame.fault.text()
    assert form.found.chosen is not None or form.note.text()
    assert form.frame.start_button.isVisible()


def test_another_lay_up_is_followed(qtbot, form: SizingForm) -> None:  # type: ignore[no-untyped-def]
    session = form.session
    assert session.project.part is not None
    before = len(form.ask.variables)
    rungs = session.project.part.lay_up
    session.edit("less", lambda p: part_edits.put_lay_up(p, rungs[:2]))
    settle()
    assert len(form.ask.variables) < before
    assert "honeycomb" not in " ".join(
        b.text() for b in form.variables.findChildren(QPushButton) if b.isVisible()
    )
    # A rung that lies elsewhere is another name.
    session.edit(
        "elsewhere",
        lambda p: part_edits.put_lay_up(p, [dataclasses.replace(r, region="") for r in rungs]),
    )
    settle()
    texts = [b.text() for b in form.variables.findChildren(QPushButton) if b.isVisible()]
    assert "UD carbon 10° on the whole part (rung 3)" in texts


def test_an_empty_project_has_nothing_to_size(
    qtbot, open_window: Callable[..., MainWindow]
) -> None:  # type: ignore[no-untyped-def]
    window = open_window()
    form = opened(window)
    window.session.history.mark_saved()
    qtbot.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    settle()
    form.refresh()
    assert not form.frame.start_button.isEnabled()
    assert not form.ask.variables


def test_another_project_ends_it_at_once_and_can_be_sized(qtbot, form: SizingForm) -> None:  # type: ignore[no-untyped-def]
    press(qtbot, form, "size")
    qtbot.waitUntil(lambda: form.progress.value() > 0, timeout=240_000)
    window = form.window()
    assert isinstance(window, MainWindow)
    window.session.history.mark_saved()
    window.session.open(small(), None)
    settle()
    assert not form.stream.busy
    assert not form.frame.fault.text()
    assert not form.frame.result.isEnabled()
    only(form, SKIN)
    sized(qtbot, form)
    assert not form.frame.fault.text()
    assert form.found.chosen is not None


def test_a_cluster_that_is_not_there_is_said(qtbot, form: SizingForm) -> None:  # type: ignore[no-untyped-def]
    type_into(qtbot, named(form, QLineEdit, "cluster of the sizing"), "tcp://127.0.0.1:9")  # type: ignore[arg-type]
    press(qtbot, form, "size")
    qtbot.waitUntil(lambda: not form.stream.busy, timeout=240_000)
    settle()
    assert "No scheduler answers" in form.frame.fault.text()
    # On this machine it goes on.
    form.cluster.clear()
    only(form, SKIN)
    press(qtbot, form, "size")
    qtbot.waitUntil(lambda: form.progress.value() > 0, timeout=240_000)
    assert not form.frame.fault.text()
    press(qtbot, form, "stop")
    qtbot.waitUntil(lambda: not form.stream.busy, timeout=240_000)
