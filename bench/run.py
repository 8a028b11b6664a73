"""Figures that matter, as ratios measured in one run; a table, and build/bench.json."""

import contextlib
import dataclasses
import json
import statistics
import sys
import time
import traceback
from collections.abc import Sequence
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QTimer
from PyQt6.QtTest import QTest

from bench.core_figures import core_figures, criteria_figures, laminate_figures, shell_figures
from bench.drape import longest_move, net_ratio
from bench.figures import GAP, RUNS, Figure, sized
from bench.margins import envelope_memory, envelope_ratio, report_gap, stepping_figures
from bench.part import angle_figures, step_figure, view_figures
from bench.plies import reading_ratio
from bench.seams import one_more_support_set, tied_factor
from bench.search import search_figures
from bench.solid import solid_figures
from bench.stacks import edit_ratios, ranking_ratio
from bench.start import start_figures
from bench.vessel import change_ratio, shell_ratio
from tartan.core.criteria import kernels
from tartan.desktop.app import make_application
from tartan.desktop.session import Session
from tartan.desktop.window import MainWindow
from tartan.project.edits import stack_edits


def longest_gap(window: MainWindow, turn: float) -> float:
    """Longest pause of the event loop from a changed ply to the repainted answer [s]."""
    ticks: list[float] = []
    timer = QTimer()
    timer.timeout.connect(lambda: ticks.append(time.perf_counter()))
    timer.start(1)
    window.session.edit(
        "turn",
        lambda p: stack_edits.put_plies(
            p,
            "reflector sandwich",
            [dataclasses.replace(q, angle=q.angle + turn) for q in p.stacks[0].plies],
        ),
    )
    while window.session.solving:
        QTest.qWait(5)
    QTest.qWait(400)
    timer.stop()
    return float(np.diff(ticks).max())


def window_figures() -> list[Figure]:
    """Event-loop gaps while a 40 000-unknown model is solved, in each station."""
    application = make_application(dark=False)
    window = MainWindow(Session(sized(0.017)))
    window.show()
    window.session.refresh_answer()
    while window.session.solving:
        QTest.qWait(20)
    assert window.session.answer is not None
    unknowns = window.session.answer.solution.unknowns
    found = []
    for station in ("Margins", "Stacks"):
        window.session.select(station=station)
        QTest.qWait(500)
        gaps = [longest_gap(window, 3.0) for _ in range(RUNS)]
        found.append(
            Figure(
                f"loop_gap_{station.lower()}",
                f"longest event-loop gap in {station} / 100 ms",
                statistics.median(gaps) / GAP,
                1.0,
                f"{unknowns} unknowns, worst of {RUNS} runs {max(gaps) * 1e3:.0f} ms",
            )
        )
    window.session.history.mark_saved()
    window.shut()
    window.close()
    application.processEvents()
    return found


def seam_figures() -> list[Figure]:
    """One more support set, and the factor of tied components."""
    return [
        Figure(
            "shell_support_set",
            "what a second support set adds, cases kept / a factorisation",
            one_more_support_set(),
            1.1,
        ),
        Figure("shell_ties", "factor of two tied plates / of one", tied_factor(), 1.2),
    ]


def stacks_figures() -> list[Figure]:
    """An edit of a 200-ply stack, what follows it, and the ranking of a 48-ply stack."""
    application = make_application(dark=False)
    kernels.compile_all()
    ratio, took, gap = edit_ratios()
    ranking, first, count = ranking_ratio()
    application.processEvents()
    return [
        Figure(
            "edit_200_plies",
            "Enter to repainted window / the same answers bare",
            ratio,
            2.5,
            f"{took * 1e3:.0f} ms, columns and critical loads shown",
        ),
        Figure(
            "edit_gap",
            "longest event-loop gap after the edit / 50 ms",
            gap / 0.050,
            1.0,
            "envelope, history and ranking of 200 plies under way",
        ),
        Figure(
            "ranking",
            "ranking in the window / the core for the same candidates",
            ranking,
            1.3,
            f"{count} candidates, 8 load cases, 3 criteria",
        ),
        Figure("ranking_first", "ten best shown / all done", first, 1.0, "share of the time"),
    ]


def part_figures() -> list[Figure]:
    """The 3-D view of the Part bench, a changed angle, and a STEP file."""
    application = make_application(dark=False)
    gap, frame, count = view_figures()
    angle, angle_gap, elements = angle_figures()
    step, faces = step_figure()
    application.processEvents()
    return [
        Figure(
            "part_gap",
            "longest event-loop gap pointing, turning, switching / 150 ms",
            gap / 0.150,
            1.0,
            f"{count} elements, {gap * 1e3:.0f} ms",
        ),
        Figure("part_frame", "a frame of the bench / VTK alone with the same mesh", frame, 1.5),
        Figure(
            "part_angle",
            "a ply's angle to the repainted map / the solver for that change",
            angle,
            2.0,
            f"{elements} elements, longest gap {angle_gap * 1e3:.0f} ms",
        ),
        Figure(
            "part_step",
            "reading and meshing a STEP file / gmsh alone",
            step,
            1.3,
            f"{faces} faces",
        ),
    ]


def margins_figures() -> list[Figure]:
    """A large envelope, stepping through plies, and the report in the background."""
    application = make_application(dark=False)
    ratio, spent, copied = envelope_ratio()
    step, took, alone, count = stepping_figures()
    gap, drawn = report_gap()
    application.processEvents()
    return [
        Figure(
            "envelope",
            "50 000 elements, 24 plies, 3 levels, 16 cases, Tsai–Wu and Hashin, "
            "with addresses / copying those stresses",
            ratio,
            6.0,
            f"{spent:.2f} s against {copied:.2f} s",
        ),
        Figure(
            "envelope_memory",
            "peak of that envelope / 1.5 GiB",
            envelope_memory() / (1.5 * 2**30),
            1.0,
        ),
        Figure(
            "ply_step",
            "from ply to ply to the repainted map / VTK's repaint alone",
            step,
            1.5,
            f"{count} elements, {took * 1e3:.0f} against {alone * 1e3:.0f} ms",
        ),
        Figure(
            "report_gap",
            "longest event-loop gap while the report is made / 100 ms",
            gap / GAP,
            1.0,
            f"{drawn} pictures",
        ),
    ]


def vessel_figures() -> list[Figure]:
    """A wound vessel of forty layers changed, and one solved."""
    change, took = change_ratio()
    shell, unknowns = shell_ratio()
    return [
        Figure(
            "vessel_change",
            "a changed layer of 40 to repainted charts / laying the plan alone",
            change,
            3.0,
            f"{took * 1e3:.0f} ms, 301 places along the meridian",
        ),
        Figure(
            "vessel_shell",
            "the vessel's answer / CHOLMOD's factorisation and solves of that matrix",
            shell,
            3.0,
            f"{unknowns} unknowns, 2 cases",
        ),
    ]


def drape_figures() -> list[Figure]:
    """A net of 20 000 joints, and a start that is moved over the sample."""
    ratio, took = net_ratio()
    return [
        Figure(
            "drape_net",
            "20 000 joints of a net on a mesh / places and normals of as many by NumPy",
            ratio,
            20.0,
            f"{took * 1e3:.0f} ms",
        ),
        Figure(
            "drape_move",
            "longest halt while a start is moved over the sample / 100 ms",
            longest_move() / 0.1,
            1.0,
            "the radome cap, 3150 elements",
        ),
    ]


def plies_figures() -> list[Figure]:
    """A ply layout of 200 plies read onto 50 000 elements."""
    ratio, took = reading_ratio()
    return [
        Figure(
            "plies_read",
            "200 plies of a file read onto 50 000 elements / locating their centres once",
            ratio,
            5.0,
            f"{took:.2f} s",
        )
    ]


ROOMS = (
    criteria_figures,
    laminate_figures,
    core_figures,
    shell_figures,
    seam_figures,
    stacks_figures,
    part_figures,
    vessel_figures,
    drape_figures,
    plies_figures,
    search_figures,
    solid_figures,
    margins_figures,
    window_figures,
    start_figures,
)


def main(asked: Sequence[str]) -> int:
    """Measure everything, or the rooms that are named; return 1 when a goal is missed.

    Each figure is told as it is there. A room that falls is told, and the others are measured.
    """
    found: list[Figure] = []
    fallen: list[str] = []
    print(f"{'id':22} {'ratio':>7} {'goal':>6}  met   what is divided by what")
    for room in ROOMS:
        name = room.__name__.removesuffix("_figures")
        if asked and name not in asked:
            continue
        try:
            figures = room()
        except Exception:  # noqa: BLE001 - told, and counted as missed
            traceback.print_exc()
            fallen.append(name)
            continue
        for f in figures:
            met = "yes" if f.met else "NO "
            words = f"{f.divides} ({f.note})"
            print(f"{f.id:22} {f.ratio:7.2f} {f.goal:6.2f}  {met:3}   {words}", flush=True)
        found += figures
    out = Path("build")
    out.mkdir(exist_ok=True)
    rows = [dataclasses.asdict(f) | {"met": f.met} for f in found]
    (out / "bench.json").write_text(json.dumps(rows, indent=1) + "\n", "utf-8")
    for name in fallen:
        print(f"{name}: not measured")
    return 0 if not fallen and all(f.met for f in found) else 1


if __name__ == "__main__":
    with contextlib.suppress(KeyboardInterrupt):
        sys.exit(main(sys.argv[1:]))
