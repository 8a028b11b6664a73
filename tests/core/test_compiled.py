"""Compiled loops: made at their first call, by the names of their modules, and only then."""

import os
import subprocess
import sys
import threading
from pathlib import Path

import numpy as np
import pytest

from tartan.core.compiled import Compiled, compiled, prange


@compiled(error_model="numpy")
def _half(x: float) -> float:
    return x / 2


@compiled(error_model="numpy", parallel=True)
def _halves(given: np.ndarray, found: np.ndarray) -> None:
    for i in prange(len(given)):
        found[i] = _half(given[i])


@compiled()
def _steps(n: int) -> int:
    return 0 if n <= 1 else 1 + _steps(n // 2)


def test_compiled_code_calls_compiled_code_and_shares_out_ranges() -> None:
    given = np.arange(1000.0)
    found = np.empty(1000)
    _halves(given, found)
    assert (found == given / 2).all()


def test_one_that_calls_itself() -> None:
    assert _steps(1024) == 10


def test_a_division_by_zero_is_what_its_model_of_errors_says() -> None:
    @compiled(error_model="numpy")
    def over(x: float) -> float:
        return 1 / x

    @compiled(error_model="python")
    def refused(x: float) -> float:
        return 1 / x

    assert over(0.0) == np.inf
    with pytest.raises(ZeroDivisionError):
        refused(0.0)


def test_threads_that_call_it_first_at_once_get_one() -> None:
    @compiled()
    def twice(x: float) -> float:
        return 2 * x

    made = []
    begin = threading.Barrier(4)

    def ask() -> None:
        begin.wait()
        made.append((twice.machine(), twice(4.0)))

    threads = [threading.Thread(target=ask) for _ in range(4)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert len({id(m) for m, _ in made}) == 1
    assert [x for _, x in made] == [8.0] * 4


def test_it_keeps_its_name_and_words() -> None:
    @compiled()
    def named(x: float) -> float:
        """What it says."""
        return x

    assert isinstance(named, Compiled)
    assert (named.__name__, named.__doc__) == ("named", "What it says.")


def test_the_compiler_is_not_loaded_with_the_program() -> None:
    code = "import sys, tartan.cli, tartan.project.analysis.jobs; print('numba' in sys.modules)"
    said = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert said.stdout.strip() == "False"


INNER = """
from tartan.core.compiled import compiled
{constants}
@compiled(error_model="numpy")
def inner(x):
    {words}
    return {body}
"""

OUTER = """
from inner import inner
from numbers_of import SHARE
from tartan.core.compiled import compiled
@compiled(error_model="numpy")
def outer(x):
    return inner(x) + SHARE
print(outer(3.0), sum(outer.machine().stats.cache_hits.values()))
"""


def said_by(place: Path) -> list[str]:
    """What a process says that has its compiled code beside these sources."""
    env = os.environ | {"PYTHONPATH": os.pathsep.join([str(place), *sys.path])}
    run = subprocess.run(
        [sys.executable, "-B", str(place / "outer.py")],
        capture_output=True,
        text=True,
        check=True,
        env=env,
    )
    return run.stdout.split()


def test_kept_code_is_of_the_sources_as_they_stand(tmp_path: Path) -> None:
    """The compiler itself looks at a function's own file: what is called from there is in it."""

    def write(body: str = "2 * x", share: float = 0.5, words: str = "'w'", **more: str) -> None:
        constants = more.get("constants", "FACTOR = 1.0")
        source = INNER.format(body=body, words=words, constants=constants)
        (tmp_path / "inner.py").write_text(source, "utf-8")
        (tmp_path / "numbers_of.py").write_text(f"SHARE = {share}\n", "utf-8")

    (tmp_path / "outer.py").write_text(OUTER, "utf-8")
    write()
    assert said_by(tmp_path) == ["6.5", "0"]
    # What is called, what that reads, and a number of another file.
    write(body="FACTOR * x", constants="FACTOR = 7.0")
    assert said_by(tmp_path) == ["21.5", "0"]
    write(body="FACTOR * x", constants="FACTOR = 8.0")
    assert said_by(tmp_path) == ["24.5", "0"]
    write(body="FACTOR * x", constants="FACTOR = 8.0", share=0.25)
    assert said_by(tmp_path) == ["24.25", "0"]
    # Words and places are no part of it.
    write(body="FACTOR * x", constants="\n\nFACTOR = 8.0", share=0.25, words="'other'  # words")
    assert said_by(tmp_path) == ["24.25", "1"]


STAMPS = """
import sys
from importlib import import_module
from tartan.core.compiled import Compiled
from tartan.core.loops import WITH_LOOPS
for module in WITH_LOOPS:
    import_module(f"tartan.core.{module}")
for name, module in sorted(sys.modules.items()):
    if name.startswith("tartan.core"):
        for key, value in sorted(vars(module).items()):
            if isinstance(value, Compiled):
                print(name, key, value._stamp())
"""


def test_every_loop_is_found_again_by_another_process() -> None:
    """Sets have another order there, and things another place: neither may be in a digest."""
    said = [
        subprocess.run(
            [sys.executable, "-c", STAMPS],
            capture_output=True,
            text=True,
            check=True,
            env=os.environ | {"PYTHONHASHSEED": seed},
        ).stdout
        for seed in ("1", "2")
    ]
    assert said[0] == said[1]
    digests = [line.split()[-1] for line in said[0].splitlines()]
    assert len(set(digests)) > 50
