"""Three jobs from nothing, done by clicks and keys alone, within a number of actions."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from tartan.core.laminate import make_laminate
from tartan.core.laminate.response import Load
from tartan.core.strength.reserve import first_failure
from tartan.desktop.stacks.strength import StrengthPane
from tartan.desktop.window import MainWindow
from tartan.project.document.model import Project
from tests.desktop.whole_job import Hand

RULES = ("tsai_wu", "hashin")
"""What judges plies unless told otherwise."""

OpenWindow = Callable[..., MainWindow]


@pytest.fixture
def hand(open_window: OpenWindow) -> Hand:
    """A hand at a window in which nothing is."""
    hand = Hand(open_window(Project("nothing"), wait=False))
    hand.key(hand.window, Qt.Key.Key_N, ctrl=True)
    return hand


SHEET = "case\ton\tFx [kN]\tFz [kN]\n" + "".join(
    f"LC{i:02d}\tright edge\t{0.1 * i:.1f}\t{-0.2 if i % 2 else 0.3}\n" for i in range(1, 17)
)
COMBINATIONS = (
    "\ncombination\tLC01\tLC02\tLC03\nstorm\t1.35\t1.5\t\ncalm\t1\t\t0.9 held\n"
    "\nrequirement\tlimit\tcase\nreserve factor\t1.5\tall\ndisplacement\t40 mm\tall\n"
)


def test_sixteen_cases_and_combinations_from_a_spreadsheet(hand: Hand) -> None:
    hand.go("Part")
    hand.press("a flat panel")
    hand.go("Cases")
    hand.press("+ support")
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    clipboard.setText(SHEET + COMBINATIONS)
    hand.entry("table ▾", "paste")
    assert hand.actions <= 12
    project = hand.window.session.project
    assert [c.name for c in project.cases] == [f"LC{i:02d}" for i in range(1, 17)]
    assert project.cases[6].loads[0].force == pytest.approx((700.0, 0.0, -200.0))  # type: ignore[union-attr]
    assert dict(project.combinations[0].factors) == {"LC01": 1.35, "LC02": 1.5}
    assert project.combinations[1].held == ("LC03",)
    assert [r.value for r in project.requirements] == [1.5, 0.04]
    view = hand.window.cases
    assert view.matrix.isVisible()
    assert "16 cases, 2 combinations, 2 requirements" in view.said.text()
    hand.key(hand.window, Qt.Key.Key_Z, ctrl=True)
    assert not hand.window.session.project.cases


def test_a_closed_tube_from_nothing_to_its_verdict(hand: Hand) -> None:
    """The stress is that of the thin vessel, so the reserve is known: N = p r / 2 and p r."""
    hand.go("Materials")
    hand.entry("from the library", "UD carbon")
    hand.go("Stacks")
    hand.type("Now a stack", "[±55]6s")
    hand.go("Part")
    hand.press("a tube")
    hand.press("surface")
    hand.type("radius", "100 mm")
    hand.go("Cases")
    hand.press("+ support")
    hand.choose("kind of support 1", "free only along z")
    hand.press("local")
    hand.press("+ case")
    hand.choose("add a load", "pressure")
    hand.type("pressure", "-1 MPa")
    hand.choose("add a load", "force per length")
    hand.type("force per length z", "50 N/mm")
    hand.solved()
    session = hand.window.session
    assert hand.actions <= 25
    assert session.verdict.state == "holds"
    assert session.answer is not None
    # 0° runs along the tube, so its walls carry half along it of what they carry around.
    carbon = session.project.materials[0]
    laminate = make_laminate(session.project.stacks[0], {carbon.name: carbon})
    load = Load(np.array([50e3, 100e3, 0.0]))
    alone = min(float(first_failure(laminate, load, k).reserve.min()) for k in RULES)
    reached = float(session.answer.margins.reserve.min())
    assert reached == pytest.approx(alone, rel=0.01)
    assert hand.window.session.verdict.figure == f"Reserve factor {reached:.2f}"


def test_the_wrinkling_of_a_sandwich_from_nothing(hand: Hand) -> None:
    hand.go("Materials")
    hand.entry("from the library", "UD carbon")
    hand.entry("+ material ▾", "foam")
    hand.go("Stacks")
    hand.type("Now a stack", "[0/90]")
    hand.type("Stack name", "face")
    hand.press("+ stack")
    hand.type("Notation", '[{face}/0 "foam, light" 20 mm/90/0]')
    hand.press("Strength")
    assert hand.actions <= 18
    shown = hand.window.stacks.findChild(StrengthPane)
    assert shown is not None
    rows = [dict(zip(shown.table.table.head, row, strict=True)) for row in shown.table.table.rows]
    pressed = next(r for r in rows if r["load"] == "Nx compression")
    assert "wrinkling" in str(pressed["mode"])
    # Hoff and Mautner on a thick core, by hand: faces of 0° and 90° in equal shares.
    carbon, foam = hand.window.session.project.materials
    share = 1 - carbon.nu12**2 * carbon.E2 / carbon.E1
    Q11, Q22, Q12 = (x / share for x in (carbon.E1, carbon.E2, carbon.nu12 * carbon.E2))
    mean = (Q11 + Q22) / 2
    face = mean - Q12**2 / mean
    thickness = 2 * carbon.ply_thickness
    limit = 0.5 * np.cbrt(face * foam.E3 * foam.G13)
    whole = 2 * thickness * limit * (1 + foam.E1 * 0.02 / (2 * face * thickness))
    assert pressed["size [N/mm or N]"] == pytest.approx(whole / 1e3, rel=0.01)
