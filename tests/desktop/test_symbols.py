"""Every symbol on screen is told, and every field says what it is."""

import re

import pytest
from PyQt6.QtCore import QEvent
from PyQt6.QtGui import QHelpEvent
from PyQt6.QtWidgets import QApplication, QComboBox, QLabel, QLineEdit, QToolTip, QWidget

from tartan.core.laminate import make_laminate
from tartan.core.laminate.loadcase import LoadCase
from tartan.core.materials import FIELD_NAMES
from tartan.desktop.widgets.controls import UnitLabel
from tartan.desktop.widgets.datatable import DataTable
from tartan.desktop.window import MainWindow
from tartan.pages.ply_results import ply_table
from tartan.pages.stack_answers import Question
from tartan.pages.stations import STATIONS
from tartan.project.wording import units
from tartan.project.wording.symbols import meaning
from tests.desktop.settle import settle
from tests.panels import dish_panel

SYMBOL = re.compile(
    r"^(?:[σετγκν](?:[12xyI]|₁|₂|₃)+|[NMQ]xy?|[NMQ]y|[EG][xy]+|[ABD][126]{2}|RF|d[TC])$"
)


def asked_of(widget: QWidget) -> str:
    """What stands in the tip that the pointer at rest brings."""
    QToolTip.hideText()
    middle = widget.rect().center()
    event = QHelpEvent(QEvent.Type.ToolTip, middle, widget.mapToGlobal(middle))
    QApplication.sendEvent(widget, event)
    return QToolTip.text()


@pytest.mark.parametrize(
    ("words", "part"),
    [
        ("σ₁ [MPa]", "along the fibre; tension is positive, in MPa"),
        ("stress τ₁₂, ply axes", "shear stress in the plane 12"),
        ("γxy", "twice the tensor's"),
        ("E<sub>x</sub>", "modulus of the laminate along x"),
        ("ν12", FIELD_NAMES["nu12"]),
        ("A16", "stiffness of the laminate in its plane"),
        ("σI + σII", "where it is smallest"),
    ],
)
def test_a_symbol_is_told_with_its_sense(words: str, part: str) -> None:
    assert part in meaning(words)


def test_words_without_symbols_have_no_meaning() -> None:
    for words in (
        "force of load 2 z",
        "z",
        "version A",
        "a hot day",
        "lay-up",
        "",
        "E",
        "x",
        "σ",
        "12",
    ):
        assert meaning(words) == ""


def test_units_of_meanings_are_those_in_force() -> None:
    units.use_system(units.SYSTEMS[-1])
    try:
        assert meaning("σ1").endswith(f"in {units.STRESS.unit}")
    finally:
        units.use_system(units.SYSTEMS[0])
    assert meaning("σ1").endswith("in MPa")


@pytest.mark.gl
def test_every_symbol_that_is_shown_is_told(window: MainWindow) -> None:
    unknown: set[tuple[str, str]] = set()
    for station in STATIONS:
        window.session.select(station=station)
        settle()
        page = window.pages[station].view
        said = [w.text() for w in page.findChildren(QLabel) if w.isVisible()]
        for table in page.findChildren(DataTable):
            said += list(table.sorter.sourceModel().table.head)  # type: ignore[union-attr]
        for text in said:
            for token in re.split(r"[\s,;:()\[\]·=/|]+", re.sub(r"<[^>]*>", "", text)):
                if SYMBOL.match(token) and not meaning(token):
                    unknown.add((station, token))
    assert unknown == set()


@pytest.mark.gl
def test_every_field_says_what_it_is(window: MainWindow) -> None:
    silent: list[tuple[str, str]] = []
    for station in STATIONS:
        window.session.select(station=station)
        settle()
        for kind in (QLineEdit, QComboBox):
            for field in window.pages[station].view.findChildren(kind):
                told = not field.isVisible() or asked_of(field)
                silent += [] if told else [(station, field.accessibleName())]
    assert silent == []
    # The symbol beside a field of a material, and the head of a table, are told too.
    window.session.select(station="Materials")
    settle()
    tip = asked_of(window.materials.card.fields["G12"])
    assert "in-plane shear modulus" in tip


def test_the_plies_table_is_told_head_by_head() -> None:
    project = dish_panel()
    stack = project.stacks[0]
    laminate = make_laminate(stack, {m.name: m for m in project.materials})
    loads = LoadCase("pull", (1e4, 0.0, 0.0, 0.0, 0.0, 0.0))
    table = ply_table(Question(laminate, loads, project.criteria[0], 1.0))
    unit = re.compile(r"\[[^\]]*\]")
    plain = {"ply", "angle", "material", "level", "criterion", "mode"}
    silent = [h for h in table.head if not meaning(h) and unit.sub("", h).strip() not in plain]
    assert silent == []


@pytest.mark.gl
def test_units_of_every_page_once_it_is_seen(window: MainWindow) -> None:
    session = window.session
    for station in STATIONS:
        session.select(station=station)
        settle()
    try:
        window.use_units("US customary")
        seen = 0
        for station in STATIONS:
            session.select(station=station)
            settle()
            for each in window.findChildren(UnitLabel):
                if each.isVisible():
                    seen += 1
                    assert each.text() == each.quantity.unit, (station, each.text())
        assert seen > 20
    finally:
        window.use_units(units.SYSTEMS[0])
