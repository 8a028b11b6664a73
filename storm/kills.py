"""Kills of the window and of the solver at random moments, and what is left behind them."""

from __future__ import annotations

import argparse
import contextlib
import dataclasses
import importlib
import os
import random
import signal
import sys
import tempfile
import time
from dataclasses import dataclass
from itertools import pairwise
from multiprocessing import forkserver
from pathlib import Path

from tartan.core.errors import TartanError
from tartan.project.analysis.shellinputs import part_inputs
from tartan.project.analysis.worker import Event, JobState, SolveRequest, Worker
from tartan.project.document.model import Project
from tartan.project.document.samples import light_dish_panel
from tartan.project.edits import stack_edits
from tartan.project.files import recovery, storage

MOST_LOST = 2.0
"""Seconds of edits that a kill may cost."""

PACE = 0.3
"""Seconds between edits beyond which it is the machine that halts."""

PATIENCE = 90.0
"""Seconds that the solver's answer may take, whatever happened to its process."""


@dataclass
class Told:
    """What the kills came to."""

    tried: int = 0
    faults: int = 0
    most_lost: float = 0.0

    def line(self, name: str) -> str:
        lost = f", at most {self.most_lost:.2f} s of edits lost" if self.most_lost else ""
        return f"{name:24}{self.tried:6} tried, {self.faults} faults{lost}"


def coarse() -> Project:
    """The sample with large elements, as its own answer is not what is looked for."""
    project = light_dish_panel()
    assert project.part is not None
    return dataclasses.replace(project, part=dataclasses.replace(project.part, mesh_size=0.1))


# The window


def _work_on(path: Path, log: int, rng: random.Random) -> None:
    """Edit without a pause and save now and then, writing down when each edit was made."""
    # The helper of the process that this one was forked from is not its own.
    helper = forkserver._forkserver
    helper._forkserver_pid = helper._forkserver_address = helper._forkserver_alive_fd = None
    # Not for the solver's process, which reads this file too.
    from PyQt6.QtCore import QTimer

    from tartan.desktop.app import make_application, make_window

    application = make_application(dark=False)
    window = make_window(path)
    window.show()
    count = [0]

    def edit() -> None:
        count[0] += 1
        name = f"n{count[0]}"
        window.session.edit("rename", lambda p: stack_edits.rename_project(p, name))
        os.write(log, f"{count[0]} {time.monotonic()}\n".encode())
        if rng.random() < 0.02:
            window.save()
        timer.setInterval(rng.choice((1, 20, 60, 200)))

    timer = QTimer()
    timer.timeout.connect(edit)
    timer.start(20)
    application.exec()


def _number(name: str) -> int:
    return int(name[1:]) if name[:1] == "n" and name[1:].isdigit() else 0


def kill_a_window(rng: random.Random, told: Told) -> str:
    """Kill a window at work; a fault in words, or nothing."""
    with tempfile.TemporaryDirectory(prefix="tartan-kill-") as name:
        place = Path(name)
        path = place / "work.tartan.json"
        storage.save(coarse(), path)
        os.environ["TARTAN_STATE"] = str(place / "state")
        read, write = os.pipe()
        child = os.fork()
        if child == 0:
            os.close(read)
            with contextlib.suppress(BaseException):
                _work_on(path, write, rng)
            os._exit(1)
        os.close(write)
        first = os.read(read, 1 << 16)
        time.sleep(rng.uniform(0.0, 3.5))
        end = time.monotonic()
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        text = first
        while more := os.read(read, 1 << 16):
            text += more
        os.close(read)
        made = {int(a): float(b) for a, b in (x.split() for x in text.decode().splitlines())}
        return _what_is_left(path, made, end, told)


def _what_is_left(path: Path, made: dict[int, float], end: float, told: Told) -> str:
    if not made:
        return "the window did not start"
    try:
        kept = _number(storage.load(path).name)
    except TartanError as error:
        return f"the file is damaged: {error}"
    if recovery.set_aside():
        return "a recovery file is damaged"
    for left in recovery.left_behind():
        kept = max(kept, _number(left.project.name))
    after = [at for number, at in made.items() if number > kept]
    lost = end - min(after) if after else 0.0
    # While the machine let nobody work, no edit was made that could be lost.
    moments = [*sorted(after), end]
    lost -= sum(max(0.0, b - a - PACE) for a, b in pairwise(moments))
    told.most_lost = max(told.most_lost, lost)
    return f"{lost:.2f} s of edits are lost" if lost > MOST_LOST else ""


# The solver


def strike_the_solver(rng: random.Random, how: signal.Signals) -> str:
    """Kill or stop the solver at some moment of its work; a fault in words, or nothing."""
    heard: list[Event] = []
    worker = Worker(heard.append)
    try:
        worker.start()
        process = worker._process
        assert process is not None
        pid = process.started()
        project = coarse()
        held = dataclasses.replace(project.materials[0], E1=100e9 + rng.random() * 1e9)
        project = dataclasses.replace(project, materials=(held, *project.materials[1:]))
        number = worker.submit(SolveRequest(0, part_inputs(project)))
        struck, strike = False, time.monotonic() + rng.uniform(0.0, 4.0)
        end = time.monotonic() + PATIENCE
        while time.monotonic() < end:
            worker.poll()
            if not struck and time.monotonic() > strike:
                struck = True
                with contextlib.suppress(ProcessLookupError):
                    os.kill(pid, how)
            ends = [e for e in heard if e.number == number and e.state is not JobState.RUNNING]
            if ends:
                state = ends[0].state
                return "" if state is JobState.DONE else f"the work ends as {state.value}"
            time.sleep(0.005)
        return f"no answer in {PATIENCE:.0f} s"
    finally:
        worker.stop()


def main() -> int:
    """Run it; the status is 1 when anything was lost."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--seconds", type=float, default=120.0)
    asked.add_argument("--seed", type=int, default=int(time.time()))
    given = asked.parse_args()
    # Read once, here, by all windows that come of this process.
    importlib.import_module("tartan.desktop.app")
    rng = random.Random(given.seed)
    print(f"kills, seed {given.seed}")
    windows, kills, stops = Told(), Told(), Told()
    end = time.monotonic() + given.seconds
    turns = [
        (windows, "a killed window", lambda: kill_a_window(rng, windows)),
        (kills, "a killed solver", lambda: strike_the_solver(rng, signal.SIGKILL)),
        (stops, "a stopped solver", lambda: strike_the_solver(rng, signal.SIGSTOP)),
    ]
    weights = (6, 2, 1)
    while time.monotonic() < end:
        told, name, attempt = rng.choices(turns, weights)[0]
        told.tried += 1
        if fault := attempt():
            told.faults += 1
            print(f"{name}: {fault}", flush=True)
    print(windows.line("windows killed"))
    print(kills.line("solvers killed"))
    print(stops.line("solvers stopped"))
    return 1 if windows.faults or kills.faults or stops.faults else 0


if __name__ == "__main__":
    sys.exit(main())
