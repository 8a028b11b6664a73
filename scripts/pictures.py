"""Open the window on the sample, print the verdict, and save a picture of every station."""

import json
import math
import os
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest

from tartan.core.laminate.loadcase import LoadCase
from tartan.core.laminate.tube import TubeLoad
from tartan.core.search.plate import Panel
from tartan.core.search.shoprules import ShopRule
from tartan.desktop import theme
from tartan.desktop.app import make_application, make_window
from tartan.desktop.manual import WIDEST
from tartan.desktop.manual import folder as manual_folder
from tartan.desktop.window import MainWindow
from tartan.exchange.patterns import write_patterns
from tartan.exchange.plies.write import layout_data
from tartan.pages.stations import STATIONS
from tartan.project.analysis import beside
from tartan.project.analysis.partmesh import meshed
from tartan.project.document.model import Project
from tartan.project.document.ordermodel import OrderAsk, OrderGoal
from tartan.project.document.samples import light_dish_panel, radome_cap_project
from tartan.project.document.sizingmodel import SizeAsk
from tartan.project.edits import design_edits, order_edits, part_edits, sizing_edits, stack_edits

sys.path.insert(0, str(Path(__file__).parents[1]))

from scripts.sheets import failure_modes, strip
from tests.desktop.whole_job import whole_job

PATIENCE = 120.0


def wait_for_answer(window: MainWindow) -> None:
    """Let the window work until the part is solved."""
    end = time.monotonic() + PATIENCE
    while (window.session.meshing or window.session.solving) and time.monotonic() < end:
        QTest.qWait(20)


def wait_until(done: Callable[[], bool]) -> None:
    """Let the window work until something is so."""
    end = time.monotonic() + PATIENCE
    while not done() and time.monotonic() < end:
        QTest.qWait(20)


def picture(window: MainWindow, path: Path) -> None:
    """Save what stands on the screen, the 3-D view included."""
    QTest.qWait(350)
    screen = window.screen()
    area = window.geometry()
    screen.grabWindow(0, area.x(), area.y(), area.width(), area.height()).save(str(path))
    print(f"  {path}")


def strut(window: MainWindow, folder: Path) -> None:
    """Save the strength of the feed strut, an envelope against a baseline, and the history."""
    window.session.select(station="Stacks", stack="feed strut", plies=())
    window.pin_baseline()
    window.session.edit(
        "turn",
        lambda p: stack_edits.put_plies(
            p,
            "feed strut",
            [
                replace(q, angle=20.0) if i in (2, 7) else q
                for i, q in enumerate(p.stack("feed strut").plies)
            ],
        ),
    )
    for name in ("Strength", "History"):
        next(tab for tab in window.stacks.tabs.buttons() if tab.text() == name).click()
        QTest.qWait(1200)
        picture(window, folder / f"stacks-{name.lower()}.png")
    window.session.undo()
    window.session.undo()


def order(window: MainWindow, folder: Path) -> None:
    """Save a front of two goals for the order of a longer strut's plies."""
    session = window.session
    strut = session.project.stack("feed strut")
    assert strut is not None
    half = [replace(strut.plies[0], angle=a) for a in (0, 0, 45, -45, 90, 0, 45, -45, 90, 0, 0)]
    rules = (ShopRule("run", 3), ShopRule("pairs"), ShopRule("step", 60.0, weight=0.01))
    ask = OrderAsk(
        "feed strut",
        (OrderGoal(), OrderGoal("buckling")),
        panel=Panel((0.4, 0.2), (1e5, 0.0, 3e4)),
    )

    def asked(project: Project) -> Project:
        longer = stack_edits.put_plies(project, "feed strut", [*half, *half[::-1]])
        return order_edits.put_ask(order_edits.put_rules(longer, rules), ask)

    session.edit("a longer strut", asked)
    session.select(station="Stacks", stack="feed strut")
    pane = window.stacks.order
    window.stacks.reveal(pane)
    pane.search()
    wait_until(lambda: not pane.stream.busy)
    QTest.qWait(600)
    place = Path(tempfile.mkdtemp())
    picture(window, place / "order of plies.png")
    session.undo()
    sweep(window, place)
    strip(sorted(place.glob("*.png")), folder / "stacks-order.png")


def sweep(window: MainWindow, folder: Path) -> None:
    """Save the reserve factor of the feed strut over two angles of its plies."""
    window.session.select(station="Stacks", stack="feed strut", plies=())
    pane = window.stacks.sweep
    window.stacks.reveal(pane)
    strut = "stacks[feed strut]"
    pane.over(f"{strut}.plies[3].angle & {strut}.plies[8].angle", "0 to 90 by 5")
    pane.asked.choose([pane._names.index(f"{strut}.reserve")])
    pane.start()
    wait_until(lambda: not pane.stream.busy)
    QTest.qWait(600)
    picture(window, folder / "sweep over angles.png")
    window.stacks.tabs.buttons()[0].click()


def sizing(window: MainWindow, folder: Path) -> None:
    """Save the dish after its sizing, on a coarser mesh."""
    session = window.session

    def coarser(project: Project) -> Project:
        few = sizing_edits.put_sizing(project, SizeAsk(most_solves=30))
        return part_edits.change_part(few, mesh_size=0.1)

    session.edit("coarser", coarser)
    session.select(station="Part", rungs=())
    wait_for_answer(window)
    window.part.open_form("sizing")
    form = window.part.sizing
    form.start()
    wait_until(lambda: not form.stream.busy)
    QTest.qWait(600)
    picture(window, folder / "part-sizing.png")
    window.part.open_form("lay-up")
    session.undo()
    wait_for_answer(window)


def dish_ply(window: MainWindow, folder: Path) -> None:
    """Save the dish's own face draped, with its shear, in the dark appearance."""
    window.session.history.mark_saved()
    window.open_sample("dish panel")
    window.session.select(station="Part", rungs=(0,))
    wait_for_answer(window)
    window.part.lay_up.drape.on.click()
    wait_for_answer(window)
    QTest.qWait(1200)
    picture(window, folder / "part-draped-dish.png")


def versions_and_report(window: MainWindow, folder: Path) -> None:
    """Save the light dish against the released one, and the pages of the report."""
    session = window.session
    window.pin_baseline()
    light = light_dish_panel()
    session.edit("light", lambda p: replace(p, part=light.part))
    wait_for_answer(window)
    session.select(station="Versions")
    wait_until(lambda: session.answer_of("A") is not None)
    QTest.qWait(600)
    picture(window, folder / "versions.png")
    session.select(station="Report")
    window.report.make()
    wait_until(lambda: not window.report.maker.busy)
    QTest.qWait(800)
    picture(window, folder / "report.png")
    session.undo()
    session.undo()
    wait_for_answer(window)


def for_the_manual(folder: Path) -> None:
    """Put smaller copies beside the pages of the manual, which is shipped with the program."""
    for station in STATIONS:
        name = f"{station.lower()}.png"
        made = QImage(str(folder / name))
        small = made.scaledToWidth(WIDEST, Qt.TransformationMode.SmoothTransformation)
        small.save(str(manual_folder() / name))


def job(window: MainWindow, folder: Path) -> None:
    """Do the whole job of the guide by clicks and save its pictures as one strip."""
    window.session.history.mark_saved()
    with tempfile.TemporaryDirectory() as place:
        made = []
        for name in whole_job(window, Path(place)):
            made.append(Path(place) / f"{name}.png")
            picture(window, made[-1])
        strip(made, folder / "job.png")


def tube(window: MainWindow, folder: Path) -> None:
    """Save the feed strut as a tube under pressure, its wall thick."""
    session = window.session
    session.select(station="Stacks", stack="feed strut", plies=())
    carbon = session.project.material("UD carbon")
    assert carbon is not None
    across = replace(carbon, E3=carbon.E2, nu13=carbon.nu12, nu23=0.4)
    session.edit("across", lambda p: stack_edits.put_material(p, carbon.name, across))
    pressed = LoadCase(
        "filled", stack="feed strut", tube=TubeLoad(12e-3, pressure=8e6, force=-2e3, length=0.9)
    )
    session.edit("tube", lambda p: design_edits.add_load_case(p, pressed))
    session.select(load_case="filled")
    next(tab for tab in window.stacks.tabs.buttons() if tab.text() == "Tube").click()
    window.stacks.tube.thick.setChecked(True)
    QTest.qWait(1500)
    picture(window, folder / "stacks-tube.png")
    window.stacks.tube.thick.setChecked(False)
    window.stacks.tabs.buttons()[0].click()
    session.undo()
    session.undo()
    wait_for_answer(window)


def vessel(window: MainWindow, folder: Path) -> None:
    """Save the breathing-air cylinder: as it is wound, and solved."""
    window.session.history.mark_saved()
    window.open_sample("breathing-air cylinder")
    window.session.select(station="Part", rungs=())
    wait_for_answer(window)
    window.part.open_form("winding")
    window.part.winding.pressure.setText("45")
    window.part.winding.pressure.setModified(True)
    QTest.keyClick(window.part.winding.pressure, Qt.Key.Key_Return)
    choose = window.part.winding.chart
    choose.setCurrentText("thickness of a layer")
    choose.textActivated.emit("thickness of a layer")
    QTest.qWait(1200)
    place = Path(tempfile.mkdtemp())
    picture(window, place / "as it is wound.png")
    choose.setCurrentText("section")
    choose.textActivated.emit("section")
    path = window.part.winding.path.layer
    path.setCurrentIndex(2)
    path.textActivated.emit(path.currentText())
    picture(window, place / "the path of a band.png")
    path.setCurrentIndex(0)
    path.textActivated.emit(path.currentText())
    choose.setCurrentText("winding angle")
    window.part.open_form("lay-up")
    window.session.select(station="Margins", element=None)
    QTest.qWait(1500)
    picture(window, place / "solved.png")
    strip(sorted(place.glob("*.png")), folder / "vessel-winding.png")
    window.session.history.mark_saved()


def solids(window: MainWindow, folder: Path) -> None:
    """Save the anchor plate's spot checked in 3-D, and its stack as a coupon."""
    window.session.history.mark_saved()
    window.open_sample("anchor plate")
    window.session.select(station="Margins", element=None)
    wait_for_answer(window)
    QTest.qWait(1200)
    place = Path(tempfile.mkdtemp())
    spot, coupon = window.margins.spot, window.stacks.coupon
    spot.check_solid()
    spot.solid.start()
    wait_until(lambda: not spot.solid.work.busy)
    for name, symbol in (("check in 3-D", "σ₁"), ("the shear across plies", "τ₁₃")):
        spot.solid.stress.setCurrentText(symbol)
        spot.solid.stress.textActivated.emit(symbol)
        QTest.qWait(400)
        picture(window, place / f"{name}.png")
    window.session.select(station="Stacks", stack="anchor plate", plies=())
    next(tab for tab in window.stacks.tabs.buttons() if tab.text() == "Coupon").click()
    coupon.record.change(loading="bending", moment=40.0, width=0.03)
    coupon.start()
    wait_until(lambda: not coupon.work.busy)
    QTest.qWait(600)
    picture(window, place / "coupon three ways.png")
    coupon.record.change(loading="tension", force=40e3)
    coupon.start()
    wait_until(lambda: not coupon.work.busy)
    coupon.pages.turn(1)
    QTest.qWait(600)
    picture(window, place / "its free edge.png")
    strip(sorted(place.glob("*.png")), folder / "solids.png")
    window.stacks.tabs.buttons()[0].click()
    window.session.history.mark_saved()


def radome(window: MainWindow, folder: Path) -> None:
    """Save the radome cap with its cloth draped from beside its top."""
    window.session.history.mark_saved()
    window.open_sample("radome cap")
    window.session.select(station="Part", rungs=(0,))
    wait_for_answer(window)
    part = window.session.project.part
    assert part is not None
    centres = meshed(part).mesh.centres()
    beside = int(np.linalg.norm(centres - [0.16, 0.1, 0.33], axis=1).argmin())
    window.part.lay_up.drape.pick(beside)
    wait_for_answer(window)
    QTest.qWait(1200)
    picture(window, folder / "part-draped.png")
    # Its flat patterns as they are written, in two pieces.
    rim = [0.35 * math.sqrt(max(1 - (x * x + 0.01) / 0.36, 0.0)) for x in (-0.5, 0.0, 0.5)]
    cut = tuple((x, 0.1, z) for x, z in zip((-0.5, 0.0, 0.5), rim, strict=True))
    project = radome_cap_project()
    assert project.part is not None
    rungs = tuple(
        replace(r, draped=replace(r.draped, cuts=(cut,)) if r.draped else None)
        for r in project.part.lay_up[:2]
    )
    write_patterns(part_edits.put_lay_up(project, rungs), folder.parent / "flat-patterns.svg")
    window.session.history.mark_saved()


def layout(window: MainWindow, folder: Path) -> None:
    """Save what a ply layout that came back from its designer would change on the dish."""
    window.session.history.mark_saved()
    window.open_sample("dish panel")
    part = window.session.project.part
    assert part is not None
    names = (
        "inner face",
        "doubler 1",
        "doubler 2",
        "core",
        "doubler 3",
        "doubler 4",
        "outer face",
    )
    rungs = tuple(replace(r, name=n) for r, n in zip(part.lay_up, names, strict=True))
    window.session.edit("names", lambda p: part_edits.put_lay_up(p, rungs))
    wait_for_answer(window)
    data = layout_data(window.session.project)
    plies = data["plies"]
    plies[1]["ply"]["angle"], plies[2]["ply"]["material"] = 45.0, "tape of the designer"
    data["plies"] = [*plies[:5], {**plies[4], "name": "doubler 5"}, *plies[6:]]
    window.session.select(station="Part", rungs=())
    window.part.open_form("ply layout")
    with tempfile.TemporaryDirectory() as place:
        path = Path(place) / "dish.plies.json"
        path.write_text(json.dumps(data), encoding="utf-8")
        form = window.part.layout_file
        form.read(path)
        form.call("tape of the designer", "woven carbon")
        wait_until(lambda: form.listed)
        QTest.qWait(600)
        picture(window, folder / "part-layout.png")
        form.leave_it()
    window.session.history.mark_saved()


def main(folder: Path) -> int:
    """Make the pictures; return 1 when there was no answer in time."""
    folder.mkdir(parents=True, exist_ok=True)
    application = make_application(dark=False)
    window = make_window()
    window.resize(1280, 800)
    window.move(0, 0)
    window.show()
    wait_for_answer(window)
    verdict = window.session.verdict
    print(f"{verdict.figure}. {verdict.sentence}")
    for station in reversed(STATIONS[:5]):
        window.session.select(station=station, plies=(1,) if station == "Stacks" else ())
        QTest.qWait(900 if station == "Stacks" else 0)
        picture(window, folder / f"{station.lower()}.png")
    answered = window.session.fresh and verdict.state in ("holds", "fails")
    window.stacks.whatif.open.setChecked(True)
    strut(window, folder)
    if folder.parts[:1] == ("docs",):
        failure_modes(folder.parent / "failure-modes.png")
        order(window, folder)
        sizing(window, folder)
        versions_and_report(window, folder)
        tube(window, folder)
        window.session.select(station="Margins", element=None)
        window.open_sample("light dish panel")
        wait_for_answer(window)
        picture(window, folder / "margins-failing.png")
        theme.use(application, dark=True)
        window.wear()
        dish_ply(window, folder)
        theme.use(application, dark=False)
        window.wear()
        vessel(window, folder)
        radome(window, folder)
        solids(window, folder)
        layout(window, folder)
        job(window, folder)
        for_the_manual(folder)
    window.shut()
    window.close()
    application.processEvents()
    return 0 if answered else 1


if __name__ == "__main__":
    # Pictures wait for plies that are laid, however slow the machine.
    beside.MOMENT = 60.0
    # Pictures show neither the preferences nor the left work of whoever makes them.
    os.environ["TARTAN_STATE"] = tempfile.mkdtemp()
    sys.exit(main(Path(sys.argv[1] if len(sys.argv) > 1 else "build/demo")))
