"""Compiled loops: made at their first call, by the names of their modules, and only then."""

import subprocess
import sys
import threading

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
