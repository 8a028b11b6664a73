"""Small faults put into the mechanics one at a time, and whether the tests notice them.

Faults are drawn at random from all that the mutation tool can make in the modules below; a run
of everything would take days. Each is made in a copy of the last commit. The table says how many
were noticed, and the survivors are listed with their places; the status is 1 below `LEAST`.
"""

import argparse
import json
import random
import re
import shutil
import sqlite3
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

LEAST = 0.85
"""Share of the faults that the tests have to notice."""

PLACE = Path("build/mutants")
TOOL = Path("build/mutants-env/bin/cosmic-ray").resolve()
PYTHON = Path(".venv/bin/python").absolute()
"""Not resolved: behind the link it would be an interpreter without the libraries."""

STRENGTH = (
    "criteria",
    "strength",
    "practice",
    "sweep",
    "govern",
    "drivers",
    "sandwich_criteria",
    "search",
    "formula",
    "missing_data",
    "laminate_invariants",
)
SHELL = (
    "shell",
    "shell_general",
    "shell_recovery",
    "element",
    "element_contract",
    "seams",
    "strength_convergence",
    "thin_triangles",
)
GROUPS = {
    "criteria": (STRENGTH, ["criteria"]),
    "strength": (STRENGTH, ["strength"]),
    "solution": (SHELL, ["shell/solve.py", "shell/recovery.py", "shell/loads.py"]),
    "between": (
        (
            "interlaminar",
            "across",
            "one_ply",
            "laminate",
            "shears_of",
            "sensitivity",
            "thin_triangles",
        ),
        [
            "laminate/across.py",
            "laminate/one_ply.py",
            "laminate/shear.py",
            "shell/force_gradients.py",
            "shell/patches.py",
            "shell/shear_fit.py",
        ],
    ),
    "zones": (
        ("alike", "one_ply", "shell_recovery", "sweep", "zones"),
        ["shell/alike.py", "shell/governing.py", "shell/zones.py"],
    ),
}
"""Tests that should notice, and the modules of the core that are changed."""


def tool(*words: str) -> str:
    """Run the mutation tool in the copy."""
    done = subprocess.run(
        [str(TOOL), *words], cwd=PLACE, capture_output=True, text=True, check=False
    )
    if done.returncode:
        sys.exit(f"{' '.join(words)}: {done.stderr[-2000:]}")
    return done.stdout


def prepare(group: str) -> str:
    """Write the tool's settings for a group; return the session's file."""
    tests, modules = GROUPS[group]
    files = " ".join(f"tests/core/test_{name}.py" for name in tests)
    command = f"env PYTHONPATH=src:. {PYTHON} -m pytest -x -q -p no:cacheprovider {files}"
    paths = [f"src/tartan/core/{m}" for m in modules]
    (PLACE / f"{group}.toml").write_text(
        "[cosmic-ray]\n"
        f"module-path = {json.dumps(paths)}\n"
        "timeout = 240.0\nexcluded-modules = []\n"
        f"test-command = {json.dumps(command)}\n"
        '[cosmic-ray.distributor]\nname = "local"\n',
        "utf-8",
    )
    # Tests that fail without a fault would notice every fault.
    done = subprocess.run(command.split(), cwd=PLACE, capture_output=True, text=True, check=False)
    if done.returncode:
        sys.exit(f"The tests of {group} fail as they are:\n{done.stdout[-3000:]}")
    tool("init", "--force", f"{group}.toml", f"{group}.sqlite")
    return f"{group}.sqlite"


def _annotates(path: str, row: int) -> bool:
    """Whether a line gives types of arguments: a fault there is none when it runs."""
    line = Path(PLACE, path).read_text("utf-8").splitlines()[row - 1]
    typed = re.search(r":\s*(?:\w+\[[^=]*\||[A-Za-z]\w*(?:\[[^=]*\])?\s*\|)", line)
    return bool(typed) or "->" in line


def draw(session: str, count: int, rng: random.Random) -> int:
    """Keep so many of a session's faults, drawn at random; return how many there were."""
    with sqlite3.connect(PLACE / session) as data:
        specs = data.execute("select job_id, module_path, start_pos_row from mutation_specs")
        jobs = sorted(job for job, path, row in specs if not _annotates(path, row))
        kept = set(rng.sample(jobs, min(count, len(jobs))))
        every = [row[0] for row in data.execute("select job_id from work_items")]
        for job in every:
            if job not in kept:
                data.execute("delete from mutation_specs where job_id = ?", (job,))
                data.execute("delete from work_items where job_id = ?", (job,))
    return len(jobs)


def outcomes(session: str) -> Iterator[tuple[str, str, str]]:
    """Place, outcome and difference of every fault that was tried."""
    for line in tool("dump", session).splitlines():
        item, result = json.loads(line)
        if result is not None:
            made = item["mutations"][0]
            place = f"{made['module_path']}:{made['start_pos'][0]}"
            yield place, str(result["test_outcome"]), result["diff"] or ""


def main() -> int:
    """Run it over all groups."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--count", type=int, default=40, help="faults a group")
    asked.add_argument("--seed", type=int, default=1)
    asked.add_argument("--only", nargs="*", default=list(GROUPS), choices=GROUPS)
    given = asked.parse_args()
    shutil.rmtree(PLACE, ignore_errors=True)
    subprocess.run(["git", "clone", "-q", ".", str(PLACE)], check=True)
    rng, survivors, killed, tried = random.Random(given.seed), [], 0, 0
    print(f"{'':10} {'could be':>9} {'tried':>6} {'noticed':>8}")
    for group in given.only:
        session = prepare(group)
        whole = draw(session, given.count, rng)
        tool("exec", f"{group}.toml", session)
        found = list(outcomes(session))
        dead = [x for x in found if "survived" not in x[1].lower()]
        survivors += [x for x in found if "survived" in x[1].lower()]
        killed, tried = killed + len(dead), tried + len(found)
        print(f"{group:10} {whole:9} {len(found):6} {len(dead):8}", flush=True)
    for place, _, diff in survivors:
        changed = [x for x in diff.splitlines() if x[:1] in "+-" and x[:3] not in ("+++", "---")]
        print(f"\n{place} was not noticed:", *changed, sep="\n    ")
    share = killed / max(tried, 1)
    print(f"\n{killed} of {tried} noticed, {share:.0%}; asked for {LEAST:.0%}")
    return 0 if share >= LEAST else 1


if __name__ == "__main__":
    sys.exit(main())
