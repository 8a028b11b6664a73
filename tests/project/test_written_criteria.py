"""Criteria that a user writes, in the project: kept, chosen, changed, given up, read again."""

import json
from dataclasses import replace
from pathlib import Path

import pytest

from tartan.core.criteria import criterion
from tartan.core.errors import CriterionError, DocumentError
from tartan.project.analysis.jobs import Memory, PartAnswer, SolveRequest, run_solve
from tartan.project.analysis.shellinputs import part_inputs
from tartan.project.document.model import Project
from tartan.project.document.samples import light_dish_panel
from tartan.project.edits import design_edits
from tartan.project.files import storage

TEXT = "max(s1 / Xt, -s1 / Xc) + abs(t12) / S12"


def coarse() -> Project:
    project = light_dish_panel()
    assert project.part is not None
    return replace(project, part=replace(project.part, mesh_size=0.15))


def with_own(project: Project, text: str = TEXT) -> Project:
    project = design_edits.put_formula(project, "own", text)
    first, *others = project.criteria
    for kind in ("ply", "woven"):
        first = design_edits.switched(first, kind, project.formulas[0], on=True)
    return design_edits.put_criteria(project, (first, *others))


def solved(project: Project) -> PartAnswer:
    steps = run_solve(SolveRequest(0, part_inputs(project)), Memory())
    while True:
        try:
            next(steps)
        except StopIteration as stop:
            answer: PartAnswer = stop.value
            return answer


def test_a_written_criterion_is_kept_offered_and_read_again(tmp_path: Path) -> None:
    project = with_own(coarse())
    assert project.offered("ply")[-1].title == "own"
    path = tmp_path / "own.tartan.json"
    storage.save(project, path)
    assert storage.load(path) == project
    assert "own = max(s1 / Xt" in path.read_text("utf-8")


def test_a_change_follows_into_the_sets_and_what_judges_is_not_given_up() -> None:
    project = with_own(coarse())
    changed = design_edits.put_formula(project, "other", "s1 / Xt", project.formulas[0])
    assert dict(changed.criteria[0].rules)["ply"][-1] == "other = s1 / Xt"
    assert changed.formulas == ("other = s1 / Xt",)
    with pytest.raises(CriterionError, match="judges ply layers"):
        design_edits.remove_formula(changed, changed.formulas[0])
    first, *others = changed.criteria
    for kind in ("ply", "woven"):
        first = design_edits.switched(first, kind, changed.formulas[0], on=False)
    idle = design_edits.put_criteria(changed, (first, *others))
    assert design_edits.remove_formula(idle, idle.formulas[0]).formulas == ()


def test_names_are_told_apart() -> None:
    project = design_edits.put_formula(coarse(), "own", TEXT)
    with pytest.raises(CriterionError, match="already"):
        design_edits.put_formula(project, " own ", "s1 / Xt")
    with pytest.raises(CriterionError, match="already"):
        design_edits.put_formula(project, "Hashin", "s1 / Xt")


def test_the_part_is_judged_by_it_as_by_the_one_it_spells_out() -> None:
    text = "max(s1/Xt, -s1/Xc, s2/Yt, -s2/Yc, abs(t12)/S12)"
    project = coarse()
    rules = dict(project.criteria[0].rules)
    key = f"own = {text}"

    def judged(one: str) -> PartAnswer:
        changed = tuple({**rules, "ply": (one,), "woven": (one,)}.items())
        sets = (replace(project.criteria[0], rules=changed),)
        return solved(design_edits.put_criteria(project, sets))

    mine, built_in = judged(key).margins, judged("max_stress").margins
    assert mine.reserve == pytest.approx(built_in.reserve, rel=1e-9)
    assert criterion(mine.checks[0]).title == "own"


def test_the_numerical_way_judges_a_part_too() -> None:
    plain, rough = with_own(coarse()), with_own(coarse(), TEXT.replace("abs(t12)", "sqrt(t12**2)"))
    assert solved(rough).margins.reserve == pytest.approx(solved(plain).margins.reserve, rel=1e-8)


@pytest.mark.parametrize("formulas", [["own = s1 +"], [" = s1 / Xt"], ["own = s1/Xt"] * 2, ["s1"]])
def test_a_file_with_a_criterion_that_cannot_be_is_refused(formulas: list[str]) -> None:
    body = json.loads(storage.to_text(coarse()))
    with pytest.raises(DocumentError):
        storage.from_text(json.dumps({**body, "formulas": formulas}))
