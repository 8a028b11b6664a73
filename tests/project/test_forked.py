"""A command's solving beside itself: it says what solving here says, whatever happens to it."""

import dataclasses
import os
import subprocess
import sys
from multiprocessing.connection import Connection
from pathlib import Path

import numpy as np
import pytest

from tartan.core.errors import MaterialError, TartanError
from tartan.project.analysis import forked
from tartan.project.analysis.forked import solve_forked
from tartan.project.analysis.inputs import PartInputs
from tartan.project.analysis.jobs import PartAnswer, solve_now
from tartan.project.analysis.partmesh import meshed
from tartan.project.analysis.shellinputs import part_inputs
from tartan.project.document.model import Project
from tartan.project.document.packed_arrays import pack_rows
from tartan.project.document.partmodel import OutsideForces
from tartan.project.document.samples import SAMPLES
from tartan.project.edits import case_edits, part_edits
from tartan.project.files import storage


def coarse(name: str, size: float) -> Project:
    project = SAMPLES[name]()
    assert project.part is not None
    return part_edits.put_part(project, dataclasses.replace(project.part, mesh_size=size))


def held() -> Project:
    """The dish with the cold held in its combination, so that strains stay as well as grow."""
    project = coarse("dish panel", 0.12)
    both = project.combinations[0]
    return case_edits.put_combinations(
        project, (dataclasses.replace(both, held=("60 K colder",)), *project.combinations[1:])
    )


def outside() -> Project:
    """Nothing of our own to solve: forces that are read."""
    project = coarse("dish panel", 0.15)
    assert project.part is not None
    count = meshed(project.part).mesh.count
    forces = np.random.default_rng(5).normal(0, [2e4, 2e4, 9e3, 20, 20, 9, 500, 500], (count, 8))
    rows = np.column_stack([np.arange(count), forces])
    read = OutsideForces("gust", "gust.csv", "element", pack_rows(rows))
    bare = dataclasses.replace(project, cases=(), combinations=(), requirements=())
    return case_edits.put_outside(bare, [read])


@pytest.fixture(autouse=True)
def two_cores(monkeypatch: pytest.MonkeyPatch) -> None:
    """Compiled loops have run here; the fork calls none."""
    monkeypatch.setattr(forked, "_alone", lambda: False)


def same(found: PartAnswer, here: PartAnswer) -> None:
    np.testing.assert_array_equal(found.solution.strains, here.solution.strains)
    np.testing.assert_array_equal(found.solution.displacement, here.solution.displacement)
    np.testing.assert_array_equal(found.resting, here.resting)
    np.testing.assert_array_equal(found.margins.reserve, here.margins.reserve)
    np.testing.assert_array_equal(found.margins.ply, here.margins.ply)
    assert found.spots == here.spots
    assert found.resolved == here.resolved
    for mine, theirs in ((found.buckling, here.buckling), (found.modes, here.modes)):
        assert [s.case for s in mine] == [s.case for s in theirs]
        for a, b in zip(mine, theirs, strict=True):
            np.testing.assert_allclose(a.values, b.values, rtol=1e-9)


@pytest.mark.parametrize("make", [held, outside, lambda: coarse("anchor plate", 0.02)])
def test_it_says_what_solving_here_says(make, monkeypatch: pytest.MonkeyPatch) -> None:  # type: ignore[no-untyped-def]
    inputs = part_inputs(make())
    here = solve_now(inputs)

    def refuse(_: PartInputs) -> PartAnswer:
        raise AssertionError

    # The fork has answered, or this would have been asked.
    monkeypatch.setattr(forked, "solve_now", refuse)
    same(solve_forked(inputs), here)


def test_a_fork_that_falls_leaves_the_work_here(monkeypatch: pytest.MonkeyPatch) -> None:
    inputs = part_inputs(coarse("dish panel", 0.15))

    def fall(theirs: Connection, inputs: PartInputs) -> None:
        os._exit(9)

    monkeypatch.setattr(forked, "_solve", fall)
    same(solve_forked(inputs), solve_now(inputs))


def test_what_cannot_be_solved_or_judged_is_refused_as_here() -> None:
    loose = case_edits.put_supports(coarse("dish panel", 0.15), ())
    project = coarse("dish panel", 0.15)
    without = tuple(dataclasses.replace(m, Xt=None, Xc=None) for m in project.materials)
    for bad, kind in (
        (part_inputs(loose), TartanError),
        (dataclasses.replace(part_inputs(project), materials=without), MaterialError),
    ):
        with pytest.raises(kind) as here:
            solve_now(bad)
        with pytest.raises(kind) as there:
            solve_forked(bad)
        assert str(there.value) == str(here.value)
        assert type(there.value) is type(here.value)


def test_nothing_that_a_command_loads_before_it_is_compiled(tmp_path: Path) -> None:
    """Else the command would not fork, and no answer would tell."""
    path = tmp_path / "dish.tartan"
    storage.save(SAMPLES["dish panel"](), path)
    code = (
        "import sys\nfrom pathlib import Path\nimport tartan.cli\n"
        "from tartan.project.analysis.forked import _alone\n"
        "from tartan.project.analysis.shellinputs import part_inputs\n"
        "from tartan.project.files import storage\n"
        "part_inputs(storage.load(Path(sys.argv[1])))\n"
        "assert 'numba' not in sys.modules\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", code, str(path)], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
