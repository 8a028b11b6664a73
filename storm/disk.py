"""Disks that fill, refuse or break while something is written, and what is left of old files."""

from __future__ import annotations

import argparse
import errno
import logging
import os
import random
import resource
import signal
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from storm.kills import coarse
from tartan.core.errors import TartanError
from tartan.exchange.exports import TABLES, export
from tartan.exchange.materials_table import write_materials
from tartan.exchange.report.request import ReportRequest
from tartan.exchange.report.write import write_report
from tartan.project.analysis import results
from tartan.project.analysis.jobs import Memory, PartAnswer, SolveRequest, run_solve
from tartan.project.analysis.shellinputs import part_inputs
from tartan.project.document.model import Project
from tartan.project.files import recovery, storage

OLD = b"what stood here before"

Write = Callable[[Path], object]


def writers(answer: PartAnswer) -> dict[str, tuple[str, Write]]:
    """Whatever writes a file: its ending and how it is asked to."""
    project = coarse()
    found: dict[str, tuple[str, Write]] = {
        "project": (storage.SUFFIX, lambda p: storage.save(project, p)),
        "fields": (".vtu", lambda p: export("fields", project, answer, p)),
        "map svg": (".svg", lambda p: export("map", project, answer, p)),
        "map png": (".png", lambda p: export("map", project, answer, p)),
        "report html": (
            ".html",
            lambda p: write_report(ReportRequest(project, (p,), ("stacks", "margins"))),
        ),
        "report pdf": (".pdf", lambda p: write_report(ReportRequest(project, (p,), ("stacks",)))),
    }
    for suffix in (".csv", ".xlsx"):
        found[f"materials {suffix[1:]}"] = (
            suffix,
            lambda p: write_materials(project.materials, p),
        )
        for name in ("stacks", "margins"):
            assert name in TABLES
            found[f"{name} {suffix[1:]}"] = (
                suffix,
                lambda p, n=name: export(n, project, answer, p),
            )  # type: ignore[misc]
    return found


@contextmanager
def filling(rng: random.Random) -> Iterator[None]:
    """No file grows beyond some size, as on a disk that is full."""
    before = resource.getrlimit(resource.RLIMIT_FSIZE)
    signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_FSIZE, (int(10 ** rng.uniform(0, 5)) - 1, before[1]))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, before)


@contextmanager
def breaking(rng: random.Random) -> Iterator[None]:
    """Some step of writing to the disk fails."""
    name = rng.choice(("fsync", "replace", "rename", "open"))
    code = rng.choice((errno.EIO, errno.ENOSPC, errno.EACCES, errno.EROFS))
    genuine = getattr(os, name)
    left = [rng.choice((0, 0, 1))]

    def fails(*arguments: object, **named: object) -> object:
        if left[0] == 0:
            raise OSError(code, os.strerror(code))
        left[0] -= 1
        return genuine(*arguments, **named)

    setattr(os, name, fails)
    try:
        yield
    finally:
        setattr(os, name, genuine)


@contextmanager
def refusing(rng: random.Random) -> Iterator[None]:
    """The folder cannot be written to: no longer the user's, as even root must not come around."""
    del rng
    os.setresgid(65534, 65534, -1)
    os.setresuid(65534, 65534, -1)
    try:
        yield
    finally:
        os.setresuid(0, 0, -1)
        os.setresgid(0, 0, -1)


def troubles() -> dict[str, Callable[[random.Random], object]]:
    """What may go wrong; permissions can be tried by root only, who must put them off."""
    found: dict[str, Callable[[random.Random], object]] = {"full": filling, "broken": breaking}
    return found | ({"refused": refusing} if os.getuid() == 0 else {})


def attempt(
    write: Write, suffix: str, trouble: Callable[[random.Random], object], rng: random.Random
) -> tuple[str, str]:
    """Write over an old file in trouble; say what came of it, and the fault if there is one."""
    with tempfile.TemporaryDirectory(prefix="tartan-disk-") as name:
        place = Path(name)
        place.chmod(0o755)
        path = place / f"old{suffix}"
        path.write_bytes(OLD)
        state = "written"
        try:
            with trouble(rng):  # type: ignore[attr-defined]
                write(path)
        except TartanError as error:
            state = "refused"
            if not error.what or not error.mend:
                return state, f"it does not say how to mend it: {error}"
        except Exception as error:  # noqa: BLE001 - whatever it is, it is what is looked for
            return "fault", f"{type(error).__name__}: {error}"
        left = sorted(p.name for p in place.iterdir())
        if left != [path.name]:
            return "fault", f"left behind: {left}"
        if state == "refused" and path.read_bytes() != OLD:
            return "fault", "refused, and the old file is gone"
        if state == "written" and path.read_bytes() == OLD:
            return "fault", "said to be written, and it is not"
        return state, ""


def solved(project: Project) -> PartAnswer:
    """Answer of a project; results kept on the disk are taken."""
    steps = run_solve(SolveRequest(0, part_inputs(project)), Memory(on_disk=True))
    while True:
        try:
            next(steps)
        except StopIteration as stop:
            answer: PartAnswer = stop.value
            return answer


def _keeping(answer: PartAnswer, rng: random.Random) -> str:
    """Results and recovery files in trouble: never a fault, never a damaged file."""
    inputs = answer.inputs
    for trouble in (filling, breaking):
        with trouble(rng):
            kept = results.keep(inputs, answer.solution)
        try:
            found = results.fetch_checked(inputs)
        except results.UnfitError as error:
            return f"the results are damaged: {error}"
        if kept and found is None:
            return "results are said to be kept, and they are not"
        keeper = recovery.Keeper()
        try:
            with trouble(rng):
                keeper.keep(coarse(), None)
        except TartanError:
            pass
        if recovery.set_aside():
            return "a recovery file is damaged"
        keeper.forget()
    left = list(results.folder().rglob("*.part*"))
    return f"left behind: {left}" if left else ""


def main() -> int:
    """Run it; the status is 1 when anything was lost."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--seconds", type=float, default=60.0)
    asked.add_argument("--seed", type=int, default=int(time.time()))
    given = asked.parse_args()
    rng = random.Random(given.seed)
    logging.disable(logging.CRITICAL)
    counts: dict[str, Counter[str]] = {}
    faults: set[str] = set()
    with tempfile.TemporaryDirectory(prefix="tartan-state-") as state:
        Path(state).chmod(0o777)
        os.environ["TARTAN_STATE"] = state
        answer = solved(coarse())
        every, ways = writers(answer), troubles()
        # Each is tried once in peace: what it needs is loaded before there is trouble.
        for suffix, write in every.values():
            with tempfile.TemporaryDirectory() as place:
                write(Path(place) / f"sound{suffix}")
        end = time.monotonic() + given.seconds
        while time.monotonic() < end:
            quick = rng.random() < 0.9
            name = rng.choice([n for n in every if n.startswith(("report", "map")) != quick])
            suffix, write = every[name]
            how = rng.choice(list(ways))
            came, fault = attempt(write, suffix, ways[how], rng)
            counts.setdefault(f"{name}, {how}", Counter())[came] += 1
            if fault:
                faults.add(f"{name}, disk {how}: {fault}")
            if rng.random() < 0.1 and (fault := _keeping(answer, rng)):
                faults.add(fault)
    total = sum((c for c in counts.values()), Counter())
    print(
        f"disk, seed {given.seed}: {total.total()} tried, {total['refused']} refused, "
        f"{total['written']} written, {len(faults)} kinds of fault"
    )
    for fault in sorted(faults):
        print(fault)
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
