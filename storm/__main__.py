"""All parts of the campaign, one after the other; the status is 1 when any found a fault."""

from __future__ import annotations

import argparse
import subprocess
import sys
import time

PARTS = {"run": 0.3, "guided": 0.15, "disk": 0.1, "names": 0.1, "kills": 0.15, "window": 0.2}
"""Modules, and the share of the time that each has."""


def main() -> int:
    """Run them."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--seconds", type=float, default=600.0)
    asked.add_argument("--seed", type=int, default=int(time.time()))
    given = asked.parse_args()
    failed = []
    for name, share in PARTS.items():
        called = [
            sys.executable,
            "-m",
            f"storm.{name}",
            "--seed",
            str(given.seed),
            "--seconds",
            f"{share * given.seconds:.0f}",
        ]
        if subprocess.run(called, check=False).returncode:
            failed.append(name)
        sys.stdout.flush()
    print(
        f"storm, seed {given.seed}: "
        + (f"faults in {', '.join(failed)}" if failed else "no fault")
    )
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
