"""From the document to the verdict, in this process and in the worker."""

import dataclasses
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest

from tartan.core.errors import TartanError
from tartan.core.shell.mesh import Panel
from tartan.project.analysis.jobs import (
    Memory,
    PartAnswer,
    Progress,
    SolveRequest,
    run_solve,
    solve_now,
)
from tartan.project.analysis.shellinputs import layout_of, part_inputs
from tartan.project.analysis.worker import Event, JobState, Worker
from tartan.project.document.model import Project
from tartan.project.document.partmodel import (
    Acceleration,
    Case,
    Direction,
    DisplacementRequirement,
    EdgeForce,
    Part,
    Pressure,
    PressureTable,
    Rung,
)
from tartan.project.edits import case_edits, part_edits, stack_edits
from tartan.project.findings.verdict import blocked, stale, statuses, verdict
from tests.panels import dish_panel, light_dish_panel


def coarse(project: Project, size: float = 0.15) -> Project:
    assert project.part is not None
    return part_edits.put_part(project, dataclasses.replace(project.part, mesh_size=size))


def solved(project: Project) -> PartAnswer:
    return solve_now(part_inputs(project))


def test_samples_hold_and_fail_at_any_reasonable_mesh() -> None:
    for make, state in ((dish_panel, "holds"), (light_dish_panel, "fails")):
        factors = []
        for size in (0.08, 0.04, 0.025):
            project = coarse(make(), size)
            answer = solved(project)
            assert verdict(project, answer).state == state
            factors.append(float(answer.margins.reserve.min()))
        assert max(factors) / min(factors) < 1.1
    assert answer.solution.imbalance < 1e-9


def test_verdict_names_the_whole_address() -> None:
    project = coarse(light_dish_panel(), 0.05)
    answer = solved(project)
    said = verdict(project, answer)
    assert said.address is not None
    case, element = said.address.case, said.address.element
    ply = [x.ply for x in answer.layout().laid][said.address.ply or 0]
    words = (
        answer.inputs.case_names[case],
        f"ply {(said.address.ply or 0) + 1}",
        answer.margins.mode_label(element),
        "Needs 1.25",
    )
    for word in words:
        assert word.lower() in said.sentence.lower()
    assert ply.material in [m.name for m in answer.inputs.materials]
    assert said.figure == f"Reserve factor {answer.margins.reserve.min():.2f}"


def test_the_least_met_requirement_governs() -> None:
    project = coarse(dish_panel())
    tight = case_edits.put_requirements(
        project, [*project.requirements, DisplacementRequirement(1e-3, "operating wind")]
    )
    answer = solved(tight)
    said, found = verdict(tight, answer), statuses(tight, answer)
    assert said.state == "fails"
    assert said.figure.startswith("Displacement")
    assert [s.met for s in found] == [False, True, True]
    sizes = np.linalg.norm(answer.solution.displacement[0, :, :3], axis=1)
    assert found[0].value == pytest.approx(sizes.max())
    assert found[0].ratio == pytest.approx(1e-3 / sizes.max())
    none_asked = case_edits.put_requirements(project, [])
    assert "Needs 1.00" in verdict(none_asked, answer).sentence
    assert "Last answer: displacement" in stale(said).sentence


def test_loads_mean_what_they_say() -> None:
    project = coarse(dish_panel())
    flat = part_edits.put_part(
        project, Part(Panel(1.6, 1.2), 0.2, (Rung(stack="reflector sandwich"),))
    )
    cases = [
        Case("press", (Pressure(1000.0),)),
        Case("weight", (Acceleration((0, 0, -9.81)),)),
        Case("pull", (EdgeForce("right edge", (500.0, 0.0, 0.0)),)),
    ]
    project = case_edits.put_cases(flat, cases)
    answer = solved(project)
    mass = sum(
        p.thickness * (project.material(p.material).rho or 0)  # type: ignore[union-attr]
        for p in [x.ply for x in answer.layout().laid]
    )
    expected = [[0, 0, -1920.0], [0, 0, -9.81 * mass * 1.92], [600.0, 0, 0]]
    np.testing.assert_allclose(answer.solution.applied[:, :3], expected, atol=1e-6)
    down = dataclasses.replace(project.part, flipped=("",))  # type: ignore[type-var]
    turned = solved(part_edits.put_part(project, down))  # type: ignore[arg-type]
    # A pressure stays on the side that it was entered on, whichever side is laid from.
    np.testing.assert_allclose(turned.solution.applied[0, 2], -1920.0)
    back = case_edits.put_cases(project, [Case("press", (Pressure(1000.0, side="back"),))])
    np.testing.assert_allclose(solved(back).solution.applied[0, 2], 1920.0)


def test_reference_surface_shifts_the_laminate() -> None:
    project = coarse(dish_panel(), 0.2)
    lowest = []
    for level, share in (("bottom", 0.0), ("middle", -0.5), ("top", -1.0)):
        part = dataclasses.replace(project.part, reference_surface=level)  # type: ignore[type-var]
        lam = layout_of(part_inputs(part_edits.put_part(project, part))).laminate(0)  # type: ignore[arg-type]
        lowest.append(lam.z[0] / lam.thickness)
        assert lam.z[0] / lam.thickness == pytest.approx(share)
    assert len(set(lowest)) == 3


def test_strengths_are_judged_anew_without_solving() -> None:
    memory = Memory()

    def run(project: Project) -> PartAnswer:
        steps = run_solve(SolveRequest(1, part_inputs(project)), memory)
        while True:
            try:
                assert isinstance(next(steps), Progress)
            except StopIteration as end:
                return end.value  # type: ignore[no-any-return]

    project = coarse(dish_panel())
    first = run(project)
    woven = project.material("woven carbon")
    assert woven is not None
    halved = {f: getattr(woven, f) / 2 for f in ("Xt", "Xc", "Yt", "Yc", "S12", "S23")}
    weaker = stack_edits.put_material(project, woven.name, dataclasses.replace(woven, **halved))
    second = run(weaker)
    assert first.resolved
    assert not second.resolved
    skins = [e for e in range(len(first.margins.reserve)) if first.margins.ply[e] in (0, 6)]
    np.testing.assert_allclose(second.margins.reserve[skins], first.margins.reserve[skins] / 2)
    softer = dataclasses.replace(woven, E1=woven.E1 / 2)
    assert run(stack_edits.put_material(project, woven.name, softer)).resolved
    stiffer = stack_edits.put_plies(project, "reflector sandwich", project.stacks[0].plies[:-1])
    assert run(stiffer).resolved


@pytest.mark.parametrize(
    ("change", "words", "station"),
    [
        (lambda p: case_edits.put_supports(p, []), "no supports", "Cases"),
        (lambda p: stack_edits.put_plies(p, "reflector sandwich", []), "empty", "Stacks"),
        (lambda p: case_edits.put_cases(p, []), "no load case", "Cases"),
        (
            lambda p: stack_edits.put_material(
                p, "woven carbon", dataclasses.replace(p.materials[0], Yc=None, eYc=None)
            ),
            "Yc",
            "Materials",
        ),
        (
            lambda p: stack_edits.put_material(
                p, "honeycomb", dataclasses.replace(p.materials[3], G13=None)
            ),
            "G13",
            "Materials",
        ),
        (
            lambda p: stack_edits.put_material(
                p, "UD carbon", dataclasses.replace(p.materials[1], rho=None)
            ),
            "rho",
            "Materials",
        ),
        (
            lambda p: part_edits.put_part(
                p, dataclasses.replace(p.part, directions=(Direction(vector=(0.0, 0.0, 1.0)),))
            ),
            "undefined",
            "Part",
        ),
    ],
)
def test_what_stands_in_the_way_is_said_and_placed(
    change: Callable[[Project], Project], words: str, station: str
) -> None:
    project = change(coarse(dish_panel()))
    with pytest.raises(TartanError) as caught:
        solved(project)
    said = blocked(caught.value)
    assert words in said.sentence
    assert said.station == station
    assert said.state == "blocked"


def test_no_load_is_said() -> None:
    project = case_edits.put_cases(coarse(dish_panel()), [Case("calm")])
    assert "No case loads the part" in verdict(project, solved(project)).sentence


@pytest.fixture
def heard() -> Iterator[tuple[Worker, list[Event]]]:
    events: list[Event] = []
    worker = Worker(events.append)
    yield worker, events
    worker.stop()


def until_end(worker: Worker, events: list[Event], number: int) -> Event:
    end = time.monotonic() + 60
    while time.monotonic() < end:
        worker.poll()
        ends = [e for e in events if e.number == number and e.state is not JobState.RUNNING]
        if ends:
            return ends[0]
        time.sleep(0.005)
    raise AssertionError("no end")


def test_every_job_ends_exactly_once(heard: tuple[Worker, list[Event]]) -> None:
    worker, events = heard
    project, big = coarse(dish_panel()), coarse(dish_panel(), 0.02)
    done = until_end(worker, events, first := worker.submit(SolveRequest(0, part_inputs(project))))
    assert done.state is JobState.DONE
    assert done.answer is not None
    here = solved(project)
    np.testing.assert_allclose(done.answer.margins.reserve, here.margins.reserve, rtol=1e-9)
    assert done.answer.inputs == part_inputs(project)
    assert not done.answer.solution.strains.flags.writeable

    unheld = case_edits.put_supports(project, [])
    failed = until_end(
        worker, events, second := worker.submit(SolveRequest(0, part_inputs(unheld)))
    )
    assert failed.state is JobState.FAILED
    assert "no supports" in str(failed.error)

    third = worker.submit(SolveRequest(0, part_inputs(big)))
    fourth = worker.submit(SolveRequest(0, part_inputs(project)))  # supersedes the third
    assert until_end(worker, events, fourth).state is JobState.DONE
    assert until_end(worker, events, third).state is JobState.CANCELLED

    fifth = worker.submit(SolveRequest(0, part_inputs(big)))
    worker.cancel()
    assert until_end(worker, events, fifth).state is JobState.CANCELLED

    sixth = worker.submit(SolveRequest(0, part_inputs(big)))
    for _ in range(2):  # the first loss is made good by another process, the second is told
        assert worker._process is not None
        before = worker._process.started()
        worker._process.kill()
        worker._process.join(10)
        worker.poll()
        assert worker._process is None or worker._process.started() != before
    lost = until_end(worker, events, sixth)
    assert lost.state is JobState.LOST
    assert "F5" in str(lost.error)
    seventh = worker.submit(SolveRequest(0, part_inputs(project)))
    assert until_end(worker, events, seventh).state is JobState.DONE
    for number in (first, second, third, fourth, fifth, sixth, seventh):
        ends = [e for e in events if e.number == number and e.state is not JobState.RUNNING]
        assert len(ends) == 1


def test_a_job_that_does_not_heed_a_cancel_is_ended(
    heard: tuple[Worker, list[Event]], monkeypatch: pytest.MonkeyPatch
) -> None:
    import signal

    worker, events = heard
    monkeypatch.setattr("tartan.project.analysis.worker.GRACE", 0.1)
    number = worker.submit(SolveRequest(0, part_inputs(coarse(dish_panel(), 0.02))))
    assert worker._process is not None
    os.kill(worker._process.started(), signal.SIGSTOP)
    worker.cancel()
    assert until_end(worker, events, number).state is JobState.CANCELLED
    assert not worker.busy


@pytest.mark.parametrize(
    ("floor", "without"),
    [
        ("tartan.core.shell.margins", ("json", "pydantic", "pint", "PyQt6", "vtkmodules")),
        (
            "tartan.project.analysis.worker",
            ("PyQt6", "vtkmodules", "pyvista", "matplotlib", "tartan.desktop"),
        ),
        ("tartan.exchange.verify", ("PyQt6", "vtkmodules", "pyvista", "tartan.desktop")),
        ("tartan.cli", ("PyQt6", "vtkmodules", "numpy")),
    ],
)
def test_floors_stand_without_those_above(floor: str, without: tuple[str, ...]) -> None:
    # NumPy and SciPy load json themselves; what matters is that nothing heavy comes along.
    listed = [w for w in without if w != "json"]
    code = (
        f"import sys, importlib; importlib.import_module('{floor}'); "
        f"print([m for m in {listed!r} if m in sys.modules])"
    )
    found = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, check=True
    )
    assert found.stdout.strip() == "[]"


def test_a_stopped_process_holds_nobody_up_and_its_work_goes_to_another(
    heard: tuple[Worker, list[Event]],
) -> None:
    worker, events = heard
    project = coarse(dish_panel())
    first = worker.submit(SolveRequest(0, part_inputs(project)))
    assert until_end(worker, events, first).state is JobState.DONE
    assert worker._process is not None
    old = worker._process.started()
    assert old is not None
    os.kill(old, signal.SIGSTOP)
    # A request larger than any pipe: asking returns at once though nobody reads.
    rows = tuple((float(i), 0.0, 0.0, 1.0) for i in range(30_000))
    table = PressureTable("large", rows)
    large = dataclasses.replace(
        case_edits.put_cases(project, [Case("c", (Pressure(10.0),))]), tables=(table,)
    )
    inputs = dataclasses.replace(part_inputs(large), tables=(table,))
    start = time.monotonic()
    number = worker.submit(SolveRequest(0, inputs))
    worker.poll()
    assert time.monotonic() - start < 0.5
    done = until_end(worker, events, number)
    assert done.state is JobState.DONE
    assert worker._process is not None
    assert worker._process.started() != old
    with pytest.raises(ProcessLookupError):
        os.kill(old, 0)


def test_the_work_of_a_killed_process_goes_to_another(
    heard: tuple[Worker, list[Event]],
) -> None:
    worker, events = heard
    project = coarse(dish_panel())
    number = worker.submit(SolveRequest(0, part_inputs(project)))
    assert worker._process is not None
    worker._process.kill()
    done = until_end(worker, events, number)
    assert done.state is JobState.DONE
    assert done.answer is not None
    here = solved(project)
    np.testing.assert_allclose(done.answer.margins.reserve, here.margins.reserve, rtol=1e-9)


def test_a_process_that_is_stopped_again_and_again_is_told(
    heard: tuple[Worker, list[Event]], monkeypatch: pytest.MonkeyPatch
) -> None:
    worker, events = heard
    monkeypatch.setattr("tartan.project.analysis.worker.STALL", 0.2)
    monkeypatch.setattr("tartan.project.analysis.worker.LOOK", 0.05)
    number = worker.submit(SolveRequest(0, part_inputs(coarse(dish_panel(), 0.02))))
    end = time.monotonic() + 120
    while not any(e.state is JobState.LOST for e in events):
        assert time.monotonic() < end
        process = worker._process
        if process is not None and process.pid and process.is_alive():
            os.kill(process.pid, signal.SIGSTOP)
        worker.poll()
        time.sleep(0.02)
    lost = next(e for e in events if e.state is JobState.LOST)
    assert lost.number == number
    assert lost.error is not None


def test_a_killed_window_leaves_no_solver_behind() -> None:
    code = (
        "import time\n"
        "from tartan.project.analysis.worker import Worker\n"
        "from tartan.project.analysis.jobs import SolveRequest\n"
        "from tartan.project.analysis.shellinputs import part_inputs\n"
        "from tartan.project.edits import part_edits\n"
        "import dataclasses\n"
        "from tartan.project.document.samples import dish_panel\n"
        "if __name__ == '__main__':\n"
        "    p = dish_panel()\n"
        "    p = part_edits.put_part(p, dataclasses.replace(p.part, mesh_size=0.012))\n"
        "    w = Worker(lambda e: None)\n"
        "    w.submit(SolveRequest(0, part_inputs(p)))\n"
        "    print(w._process.started(), flush=True)\n"
        "    time.sleep(600)\n"
    )
    child = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True)
    assert child.stdout is not None
    pid = int(child.stdout.readline())
    time.sleep(1.5)
    child.kill()
    child.wait()
    child.stdout.close()
    end = time.monotonic() + 30
    while Path(f"/proc/{pid}").exists() and time.monotonic() < end:
        stat = Path(f"/proc/{pid}/stat").read_text("ascii", "replace")
        if stat.rpartition(")")[2].split()[0] == "Z":
            break
        time.sleep(0.05)
    assert time.monotonic() < end
