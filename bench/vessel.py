"""Figures of wound vessels: a changed layer to its repainted charts, and the solved shell."""

import dataclasses
import time

import numpy as np
from PyQt6.QtTest import QTest

from bench.figures import median
from bench.shell import bare, cases
from tartan.core.stack import Ply
from tartan.core.vessel import plan
from tartan.desktop.app import make_application
from tartan.desktop.session import Session
from tartan.desktop.window import MainWindow
from tartan.project.analysis.jobs import solve_now
from tartan.project.analysis.shellinputs import part_inputs, shell_model
from tartan.project.analysis.winding import (
    along_meridian,
    mandrel_of,
    numbered_layers,
    vessel_of,
)
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Rung, Wound
from tartan.project.document.samples import breathing_air_cylinder
from tartan.project.edits import part_edits


def forty_layers() -> Project:
    """The sample's vessel with twenty hoops and twenty helical layers."""
    project = breathing_air_cylinder()
    assert project.part is not None
    tow = Ply("UD carbon", 0.0, 0.1e-3)
    rungs = [project.part.lay_up[0]]
    for k in range(20):
        rungs.append(Rung(ply=tow, wound=Wound("hoop")))
        opening = 0.022 + 0.0002 * k
        rungs.append(Rung(ply=tow, wound=Wound(bandwidth=0.012, opening=opening)))
    return part_edits.put_part(project, dataclasses.replace(project.part, lay_up=tuple(rungs)))


def changed(project: Project, opening: float) -> Project:
    """The plan with another opening of one layer, and so another angle."""
    assert project.part is not None
    rungs = list(project.part.lay_up)
    rungs[8] = dataclasses.replace(rungs[8], wound=Wound(bandwidth=0.012, opening=opening))
    return part_edits.put_lay_up(project, rungs)


def change_ratio() -> tuple[float, float]:
    """A changed layer to repainted charts / laying the plan alone; the first in seconds."""
    application = make_application(dark=False)
    project = forty_layers()
    window = MainWindow(Session(project))
    window.show()
    window.session.select(station="Part")
    QTest.qWait(500)
    window.part.open_form("winding")
    QTest.qWait(500)
    openings = iter(np.linspace(0.024, 0.034, 40))

    def edit() -> None:
        value = float(next(openings))
        window.session.edit("opening", lambda p: changed(p, value))
        application.processEvents()

    edit()
    took = median(edit, 7)
    part = project.part
    assert part is not None
    stacks = {s.name: s for s in project.stacks}
    shape = vessel_of(part.surface, "")
    mandrel = mandrel_of(shape)
    layers = [layer for _, layer in numbered_layers(part, stacks, shape)]
    along = along_meridian(part, stacks, "lower")

    def bare_plan() -> None:
        plan.wound.cache_clear()
        plan.planned.cache_clear()
        plan.lay_plan(mandrel, layers, along.radius, -along.z)

    alone = median(bare_plan, 7)
    window.session.history.mark_saved()
    window.shut()
    window.close()
    application.processEvents()
    return took / alone, took


def shell_ratio() -> tuple[float, int]:
    """The vessel's answer / CHOLMOD's factorisation and solves of that matrix; the unknowns."""
    project = breathing_air_cylinder()
    assert project.part is not None
    project = part_edits.put_part(project, dataclasses.replace(project.part, mesh_size=0.006))
    inputs = part_inputs(project)
    solve_now(inputs)
    start = time.perf_counter()
    answer = solve_now(inputs)
    took = time.perf_counter() - start
    model = shell_model(inputs, "")
    alone = min(bare(model, cases(model, len(inputs.cases))) for _ in range(2))
    return took / alone, answer.solution.unknowns
