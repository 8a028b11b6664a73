"""Solutions kept on disk: found again by what they depend on, and by nothing else."""

import dataclasses
from pathlib import Path

import numpy as np
import pytest

from tartan import __version__
from tartan.project.analysis import results
from tartan.project.analysis.jobs import Memory, PartAnswer, SolveRequest, run_solve
from tartan.project.analysis.shellinputs import part_inputs
from tartan.project.document.model import CriteriaSet, Project
from tartan.project.edits import design_edits, part_edits, stack_edits
from tests.panels import dish_panel


@pytest.fixture(autouse=True)
def state(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("TARTAN_STATE", str(tmp_path))
    return tmp_path / "results"


def coarse() -> Project:
    project = dish_panel()
    assert project.part is not None
    return part_edits.put_part(project, dataclasses.replace(project.part, mesh_size=0.2))


def run(project: Project) -> PartAnswer:
    """Answer in a process that remembers nothing but what is on disk."""
    job = run_solve(SolveRequest(0, part_inputs(project)), Memory(on_disk=True))
    while True:
        try:
            next(job)
        except StopIteration as end:
            answer: PartAnswer = end.value
            return answer


def test_a_changed_allowable_or_criterion_never_solves_again() -> None:
    project = coarse()
    first = run(project)
    assert first.resolved
    again = run(project)
    assert not again.resolved
    np.testing.assert_array_equal(again.solution.strains, first.solution.strains)
    np.testing.assert_array_equal(again.margins.reserve, first.margins.reserve)
    tape = project.material("UD carbon")
    assert tape is not None
    weaker = stack_edits.put_material(
        project, "UD carbon", dataclasses.replace(tape, Yt=20e6, Yc=60e6)
    )
    assert not run(weaker).resolved
    other = CriteriaSet(
        "other", (("ply", ("max_stress",)), ("woven", ("max_stress",)), ("core", ("core_shear",)))
    )
    assert not run(design_edits.put_criteria(project, [other])).resolved
    assert not run(stack_edits.rename_stack(project, "reflector sandwich", "faces")).resolved
    stack = project.stacks[0]
    turned = [dataclasses.replace(stack.plies[0], angle=44.0), *stack.plies[1:]]
    assert run(stack_edits.put_plies(project, stack.name, turned)).resolved
    stiffer = stack_edits.put_material(project, "UD carbon", dataclasses.replace(tape, E1=137e9))
    assert run(stiffer).resolved


def test_damaged_results_are_passed_over_and_old_ones_go(state: Path) -> None:
    inputs = part_inputs(coarse())
    first = run(coarse())
    path = state / f"{results.digest(inputs)}.h5"
    whole = path.read_bytes()
    for damaged in (b"", whole[:2000], b"no" * 500):
        path.write_bytes(damaged)
        assert results.fetch(inputs) is None
    assert run(coarse()).resolved
    for number in range(20):
        (state / f"{number}.h5").write_bytes(b"x")
    assert results.keep(inputs, first.solution)
    assert len(list(state.glob("*.h5"))) <= results.MOST_FILES
    assert results.fetch(inputs) is not None
    assert list(state.glob("*.part")) == []


def test_a_disk_that_refuses_costs_nothing(state: Path) -> None:
    state.write_text("a file where the folder should be")
    assert run(coarse()).resolved
    assert run(coarse()).resolved


def test_results_of_another_state_of_the_program_are_solved_anew(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    project = coarse()
    assert run(project).resolved
    assert not run(project).resolved
    monkeypatch.setattr(results, "program", lambda: f"{__version__} of yesterday")
    with pytest.raises(results.UnfitError, match="version"):
        results.fetch_checked(part_inputs(project))
    assert run(project).resolved
    assert not run(project).resolved
