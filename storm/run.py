"""Run the campaign for a given time and print what was tried, refused, taken, and broken."""

from __future__ import annotations

import argparse
import contextlib
import hashlib
import logging
import multiprocessing
import os
import random
import resource
import signal
import tempfile
import time
import traceback
import warnings
from collections import Counter
from pathlib import Path
from typing import Any

from storm.readers import Reader, readers
from tartan.core.errors import TartanError

HANG = 10
"""Seconds after which a reader hangs."""

MEMORY = 2 << 30
"""Bytes that a reader may take beside what the process has."""

OUT = Path("build/storm")


class _HangError(Exception):
    """A reader took too long."""


def _alarm(*_: object) -> None:
    raise _HangError


def try_one(reader: Reader, data: bytes, path: Path) -> tuple[str, str]:
    """Read one input; say whether it was refused, taken or a fault, and which."""
    path.write_bytes(data)
    signal.alarm(HANG)
    try:
        reader.read(path)
    except TartanError as error:
        said = bool(error.what) and str(error) != ""
        return ("refused", "") if said else ("fault", "an empty refusal")
    except _HangError:
        return "fault", f"hangs for {HANG} s"
    except MemoryError:
        return "fault", "takes too much memory"
    except BaseException as error:  # noqa: BLE001 - whatever it is, it is what is looked for
        at = traceback.extract_tb(error.__traceback__)[-1]
        return "fault", f"{type(error).__name__} at {Path(at.filename).name}:{at.lineno}"
    finally:
        signal.alarm(0)
    return "taken", ""


def _work(seed: int, seconds: float, results: Any) -> None:
    """Try inputs until the time is over; what is being tried lies on the disk all the while."""
    warnings.simplefilter("ignore")
    logging.disable(logging.CRITICAL)
    signal.signal(signal.SIGALRM, _alarm)
    # Foreign readers talk, some of them past Python.
    nothing = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nothing, 1)
    os.dup2(nothing, 2)
    every, rng = readers(), random.Random(seed)
    used = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
    resource.setrlimit(resource.RLIMIT_AS, (used + MEMORY + (2 << 30),) * 2)
    end = time.monotonic() + seconds
    with tempfile.TemporaryDirectory() as place:
        while time.monotonic() < end:
            reader = rng.choice(every)
            data = rng.choice(reader.seeds)
            for _ in range(rng.choice((1, 1, 2, 3))):
                # What the damage itself stumbles over is no fault of the reader.
                with contextlib.suppress(Exception):
                    data = rng.choice(reader.ways)(data, rng)
            path = Path(place) / f"storm{reader.suffix}"
            (OUT / f"now-{seed}").write_bytes(reader.name.encode() + b"\n" + data)
            state, what = try_one(reader, data, path)
            results.put(
                (reader.name, state, what, data if state == "fault" else b"", reader.suffix)
            )
    (OUT / f"now-{seed}").unlink(missing_ok=True)
    results.put(None)


def campaign(
    seconds: float, seed: int, workers: int = 2
) -> tuple[dict[str, Counter[str]], dict[str, Path]]:
    """Damaged input for a time; counts by reader, and one file for each kind of fault."""
    OUT.mkdir(parents=True, exist_ok=True)
    context = multiprocessing.get_context("fork")
    results = context.SimpleQueue()
    counts: dict[str, Counter[str]] = {r.name: Counter() for r in readers()}
    faults: dict[str, Path] = {}
    end = time.monotonic() + seconds
    processes = {}
    for k in range(workers):
        processes[k] = context.Process(target=_work, args=(seed + k, seconds, results))
        processes[k].start()
    going = workers
    while going:
        while results.empty() and any(p.is_alive() for p in processes.values()):
            time.sleep(0.01)
            for k, process in list(processes.items()):
                if not process.is_alive() and process.exitcode:
                    _fallen(seed + k, process.exitcode, counts, faults)
                    left = end - time.monotonic()
                    again = (seed + 1000 + k + int(left), left, results)
                    processes[k] = context.Process(target=_work, args=again)
                    processes[k].start()
        if results.empty():
            break
        told = results.get()
        if told is None:
            going -= 1
            continue
        name, state, what, data, suffix = told
        counts[name][state] += 1
        if state == "fault":
            _keep(f"{name}: {what}", data, suffix, faults)
    return counts, faults


def _keep(what: str, data: bytes, suffix: str, faults: dict[str, Path]) -> None:
    if what not in faults:
        name = hashlib.sha256(data).hexdigest()[:10]
        faults[what] = OUT / f"{what.partition(':')[0].replace(' ', '-')}-{name}{suffix}"
        faults[what].write_bytes(data)


def _fallen(
    seed: int, code: int, counts: dict[str, Counter[str]], faults: dict[str, Path]
) -> None:
    """A reader took its process with it: what it was reading lies on the disk."""
    with contextlib.suppress(OSError):
        name, _, data = (OUT / f"now-{seed}").read_bytes().partition(b"\n")
        counts[name.decode()]["fault"] += 1
        suffix = next(r.suffix for r in readers() if r.name == name.decode())
        _keep(f"{name.decode()}: ends the process ({code})", data, suffix, faults)


def main() -> int:
    """Run it; the status is 1 when there was any fault."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--seconds", type=float, default=600.0)
    asked.add_argument("--seed", type=int, default=int(time.time()))
    given = asked.parse_args()
    print(f"seed {given.seed}, {given.seconds:.0f} s")
    counts, faults = campaign(given.seconds, given.seed)
    print(f"{'':16}{'tried':>9}{'refused':>9}{'taken':>9}{'faults':>9}")
    total: Counter[str] = Counter()
    for name, c in counts.items():
        total.update(c)
        print(f"{name:16}{sum(c.values()):9}{c['refused']:9}{c['taken']:9}{c['fault']:9}")
    print(
        f"{'all':16}{sum(total.values()):9}{total['refused']:9}{total['taken']:9}"
        f"{total['fault']:9}"
    )
    for what, path in faults.items():
        print(f"{what}   {path}")
    return 1 if faults else 0


if __name__ == "__main__":
    raise SystemExit(main())
