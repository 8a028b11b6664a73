"""Pages that make their panes when they are first shown, and frames drawn once a change."""

from collections.abc import Callable

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QPushButton, QWidget

from tartan.desktop.part.form import PartForm
from tartan.desktop.scene.frameview import FrameView
from tartan.desktop.stacks.panes import PANES
from tartan.desktop.widgets.latepanes import Late, LatePanes
from tartan.desktop.window import MainWindow
from tests.desktop.settle import settle

LEFT = Qt.MouseButton.LeftButton


class Page(QWidget):
    first = Late[QLabel]("first")
    second = Late[QPushButton]("second")

    def __init__(self) -> None:
        super().__init__()
        self.made: list[str] = []
        self.panes = LatePanes({"first": lambda: QLabel("1"), "second": lambda: QPushButton("2")})
        self.panes.made.connect(self.made.append)


def test_a_pane_is_made_once_when_it_is_asked_for(qtbot) -> None:  # type: ignore[no-untyped-def]
    page = Page()
    qtbot.addWidget(page)
    assert (page.made, list(page.panes.standing()), page.panes.names) == (
        [],
        [],
        ("first", "second"),
    )
    assert page.second.text() == "2"
    assert page.second is page.second
    assert page.made == ["second"]
    # Asked for, it is not yet in sight.
    assert page.panes.name == "first"
    assert page.panes.show_pane("second") is page.second
    assert (page.panes.name, page.panes.holding(page.second)) == ("second", "second")
    assert page.panes.holding(page) == ""
    assert page.panes.make_one()
    assert page.made == ["second", "first"]
    assert not page.panes.make_one()


def test_stacks_makes_what_is_looked_at(window: MainWindow, qtbot) -> None:  # type: ignore[no-untyped-def]
    window.session.select(station="Stacks")
    view = window.stacks
    assert len(list(view.panes.standing())) == 1
    for name in PANES[1:]:
        qtbot.mouseClick(next(t for t in view.tabs.buttons() if t.text() == name), LEFT)
        settle()
        assert view.panes.name == name
    assert len(list(view.panes.standing())) == len(PANES)
    # What was made late is filled as what stood from the start.
    assert view.strength.isHidden() is False
    assert not window.stacks.make_one()


def test_margins_makes_what_is_turned_to_and_the_brush_goes_with_its_form(
    window: MainWindow,
    qtbot,  # type: ignore[no-untyped-def]
) -> None:
    window.session.select(station="Margins")
    view = window.margins
    assert len(list(view.panes.standing())) == len(list(view.spot.panes.standing())) == 1
    for number, name in enumerate(view.panes.names):
        qtbot.mouseClick(view.tabs.buttons[number], LEFT)
        settle()
        assert view.panes.name == name
        if name == "left out":
            view.left_out.brush.setChecked(True)
            assert view.stage.view().mode == "brush"
    qtbot.mouseClick(view.tabs.buttons[0], LEFT)
    assert not view.left_out.brush.isChecked()
    assert view.stage.view().mode == "look"
    # Rows stand in a form that was made late as in one made from the start.
    assert view.by_case.table.table.rows
    # The palette finds what is still to be made, and closing goes back to the section.
    while view.make_one():
        pass
    assert len(list(view.spot.panes.standing())) == len(view.spot.panes.names)
    view.spot.panes.show_pane("places compared")
    view.spot.kept.closed.emit()
    assert view.spot.panes.name == "section"


def test_every_form_of_the_part_tells_its_faults(window: MainWindow) -> None:
    window.session.select(station="Part")
    view = window.part
    assert len(list(view.panes.standing())) == 1
    for name in view.panes.names:
        form = view.panes.pane(name)
        assert isinstance(form, PartForm)
        form.told.emit(f"a fault of {name}")
        assert view.fault.text() == f"a fault of {name}"


def test_the_part_is_drawn_once_a_change_of_size(
    window: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    drawn: list[int] = []
    real = FrameView.draw
    monkeypatch.setattr(
        FrameView, "draw", lambda view: (drawn.append(view.width()), real(view))[1]
    )
    view = window.margins.scenes[0].view
    widths = set()
    for width in (1300, 1200, 1260):
        drawn.clear()
        window.resize(width, 820)
        settle()
        # Never at a size on the way, and at last at the one that stays.
        assert set(drawn) == {view.width()}
        widths.add(view.width())
    assert len(widths) == 3
    picture = view.frame()
    assert picture.width() == round(view.width() * view.devicePixelRatioF())
    bits = picture.constBits()
    assert bits is not None
    bits.setsize(picture.sizeInBytes())
    colours = np.unique(np.frombuffer(bits, np.uint32))
    assert len(colours) > 50


def test_a_frame_is_drawn_anew_only_where_something_changed(window: MainWindow) -> None:
    view = window.margins.scenes[0].view
    settle()
    drawn: list[str] = []
    mark = view.renderer.AddObserver("EndEvent", lambda *_: drawn.append("frame"))
    before = view.frame()
    drawn.clear()
    # As where a menu that lay over it goes.
    for _ in range(3):
        view.repaint()
    assert drawn == []
    assert view.frame() == before
    # What is shown is otherwise: one frame, and it shows it.
    scene = window.margins.scenes[0]
    scene.frame_part((1.0, 0.2, 0.1))
    scene.redraw_now()
    settle()
    assert len(drawn) == 1
    assert view.frame() != before
    view.renderer.RemoveObserver(mark)


def test_a_part_is_drawn_bare_once_and_once_with_its_answer(
    open_window: Callable[..., MainWindow], monkeypatch: pytest.MonkeyPatch
) -> None:
    """One frame more is left for a layout that takes two steps; there were four."""
    drawn: list[bool] = []
    draw = FrameView.draw

    def counted(view: FrameView) -> None:
        drawn.append(view.window().margins.stage.shown is not None)  # type: ignore[union-attr]
        draw(view)

    monkeypatch.setattr(FrameView, "draw", counted)
    window = open_window()
    assert window.margins.stage.shown is not None
    assert drawn.count(False) == 1
    assert 1 <= drawn.count(True) <= 2
