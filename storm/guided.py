"""Coverage-guided damage to the readers of text, by a fuzzer that watches which lines are reached.

The fuzzer is installed by `make storm` where it can be; without it this part is passed over.
"""

from __future__ import annotations

import argparse
import contextlib
import subprocess
import sys
import tempfile
import time
from pathlib import Path

TARGETS = ("notation", "formula", "materials csv", "plies csv", "rungs", "project")

OUT = Path("build/storm")

PROGRAM = """\
import sys, tempfile
from pathlib import Path
import atheris
# Compiled loops are read from their cache as they are: they could not be compiled once changed.
LOOPS = ["tartan.core.criteria.program", "tartan.core.criteria.kernels",
         "tartan.core.shell.sweep", "tartan.core.search.candidates"]
with atheris.instrument_imports(include=["tartan"], exclude=LOOPS, enable_loader_override=False):
    from storm.readers import readers
    from tartan.core.errors import TartanError
reader = next(r for r in readers() if r.name == sys.argv[1])
place = Path(tempfile.mkdtemp()) / f"input{reader.suffix}"
corpus = Path(sys.argv[2])
for number, seed in enumerate(reader.seeds):
    (corpus / f"seed-{number}").write_bytes(seed)
def read(data):
    place.write_bytes(data)
    try:
        reader.read(place)
    except TartanError:
        pass
atheris.Setup([sys.argv[0], str(corpus), *sys.argv[3:]], read)
atheris.Fuzz()
"""


def fuzz(name: str, seconds: float, seed: int) -> tuple[int, list[Path], str]:
    """Fuzz one reader for a time; inputs tried, files of faults, and the last words."""
    place = OUT / f"guided-{name.replace(' ', '-')}"
    place.mkdir(parents=True, exist_ok=True)
    before = set(place.iterdir())
    with tempfile.TemporaryDirectory() as corpus:
        called = subprocess.run(
            [
                sys.executable,
                "-c",
                PROGRAM,
                name,
                corpus,
                f"-max_total_time={int(seconds)}",
                f"-seed={seed % 2**31}",
                "-timeout=10",
                "-rss_limit_mb=3000",
                "-max_len=20000",
                f"-artifact_prefix={place}/",
            ],
            capture_output=True,
            text=True,
            errors="replace",
            timeout=seconds + 120,
            check=False,
        )
    tried = 0
    for line in called.stderr.splitlines():
        if line.startswith("#"):
            with contextlib.suppress(ValueError):
                tried = max(tried, int(line[1:].split()[0]))
    made = sorted(set(place.iterdir()) - before)
    said = (
        ""
        if called.returncode == 0
        else "\n".join(
            x for x in called.stderr.splitlines() if x and not x.startswith(("#", "INFO"))
        )[-600:]
    )
    return tried, made, said


def main() -> int:
    """Run it; the status is 1 when there was any fault."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--seconds", type=float, default=60.0)
    asked.add_argument("--seed", type=int, default=int(time.time()))
    given = asked.parse_args()
    try:
        import atheris  # noqa: F401
    except ImportError:
        print("coverage-guided: passed over, no fuzzer is installed here")
        return 0
    faults = 0
    for name in TARGETS:
        tried, made, said = fuzz(name, given.seconds / len(TARGETS), given.seed)
        print(f"coverage-guided {name:16}{tried:9} tried, {len(made)} faults", flush=True)
        if said:
            faults += 1
            print(said, *made, sep="\n")
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
