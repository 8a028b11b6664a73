"""Load cases, criteria, conditions, sub-laminates and the baseline: edits and what they touch."""

import dataclasses
import json

import pytest

from tartan.core.errors import CriterionError, DocumentError, MaterialError, TartanError
from tartan.core.laminate.loadcase import LoadCase, answer
from tartan.core.stack import Ply
from tartan.core.stack.groups import bare, sub_laminates
from tartan.core.stack.notation import parse
from tartan.core.stack.notation_written import context_for, write
from tartan.core.strength.govern import checks_of, reserves
from tartan.project.analysis.shellinputs import laminate_for
from tartan.project.document.model import AppliedCondition, CriteriaSet, Project
from tartan.project.document.partmodel import Acceleration, Case, LeftOut, Pressure, Rung
from tartan.project.edits import case_edits, design_edits, part_edits, stack_edits, versions
from tartan.project.files.storage import from_text, to_text
from tartan.project.findings.differences import differences
from tests.panels import dish_panel

STRENGTHS = ("Xt", "Xc", "Yt", "Yc", "S12", "S13", "S23")


def least_reserve(project: Project, name: str) -> float:
    stack = project.stack(name)
    assert stack is not None
    laminate = laminate_for(stack, project.materials_of(stack))
    found = []
    for loads in project.loads_on(name):
        a = answer(laminate, loads)
        checks = checks_of(laminate, project.governing_sets)
        judged = reserves(checks, a.applied.stress_12[None], a.shear[None], a.residual)
        found.append(judged.governing().reserve)
    return min(found)


def test_a_condition_on_all_strengths_scales_the_reserve_factor() -> None:
    project = dish_panel()
    project = design_edits.put_load_cases(
        project, [s for s in project.load_cases if not s.dT and s.stack == "feed strut"]
    )
    before = least_reserve(project, "feed strut")
    wet = AppliedCondition("wet", tuple((f, 0.5) for f in STRENGTHS), ("UD carbon",))
    knocked = design_edits.put_conditions(project, [wet])
    assert least_reserve(knocked, "feed strut") == pytest.approx(before / 2)
    off = design_edits.put_conditions(knocked, [dataclasses.replace(wet, active=False)])
    assert least_reserve(off, "feed strut") == before
    elsewhere = design_edits.put_conditions(
        knocked, [dataclasses.replace(wet, materials=("woven carbon",))]
    )
    assert least_reserve(elsewhere, "feed strut") == before


def test_conditions_and_criteria_follow_a_material() -> None:
    project = design_edits.put_conditions(
        dish_panel(), [AppliedCondition("wet", (("Xc", 0.8),), ("UD carbon",))]
    )
    own = CriteriaSet("own", (*project.criteria[0].rules, ("UD carbon", ("puck",))))
    project = design_edits.put_criteria(project, [own])
    carbon = project.material("UD carbon")
    assert carbon is not None
    renamed = stack_edits.put_material(
        project, "UD carbon", dataclasses.replace(carbon, name="tape")
    )
    assert renamed.conditions[0].materials == ("tape",)
    assert renamed.criteria[0].sets["tape"] == ("puck",)
    free = stack_edits.remove_stack(stack_edits.put_plies(renamed, "feed strut", ()), "feed strut")
    free = stack_edits.remove_stack(free, "light sandwich")
    free = stack_edits.put_plies(free, "reflector sandwich", [Ply("honeycomb", 0.0, 5e-3)])
    gone = stack_edits.remove_material(free, "tape")
    assert gone.conditions[0].materials == ()
    assert "tape" not in gone.criteria[0].sets
    assert from_text(to_text(renamed)) == renamed


@pytest.mark.parametrize(
    ("change", "error", "words"),
    [
        (
            lambda p: design_edits.put_load_cases(p, [LoadCase("a"), LoadCase("a ")]),
            DocumentError,
            "already a load case 'a'",
        ),
        (
            lambda p: design_edits.put_load_cases(p, [LoadCase("a", stack="none")]),
            DocumentError,
            "no stack 'none'",
        ),
        (lambda p: design_edits.put_criteria(p, []), DocumentError, "must be a set"),
        (
            lambda p: design_edits.put_criteria(p, [CriteriaSet("x", (("ply", ()),))]),
            CriterionError,
            "no criterion",
        ),
        (
            lambda p: design_edits.put_criteria(p, [CriteriaSet("x", (("ply", ("best",)),))]),
            CriterionError,
            "Unknown criterion",
        ),
        (
            lambda p: design_edits.put_conditions(p, [AppliedCondition("w", (("Xq", 0.5),))]),
            MaterialError,
            "Xq",
        ),
        (
            lambda p: design_edits.put_conditions(
                p, [AppliedCondition("w", (("nu12", 20.0),), ("UD carbon",))]
            ),
            MaterialError,
            "not admissible",
        ),
        (
            lambda p: versions.rename_version(versions.pin_baseline(p), "A"),
            DocumentError,
            "already a version",
        ),
    ],
)
def test_what_cannot_stand_is_refused_in_words(
    change,
    error: type[TartanError],
    words: str,  # type: ignore[no-untyped-def]
) -> None:
    with pytest.raises(error, match=words):
        change(dish_panel())


def test_a_pinned_baseline_stays_while_work_goes_on() -> None:
    project = dish_panel()
    pinned = versions.pin_baseline(project)
    assert pinned.baseline is not None
    assert (pinned.baseline.name, pinned.version) == ("A", "B")
    changed = stack_edits.put_plies(pinned, "feed strut", [Ply("UD carbon", 0.0, 1e-3)])
    assert changed.baseline is not None
    assert changed.baseline.stack("feed strut") == project.stack("feed strut")
    renamed = stack_edits.rename_stack(changed, "feed strut", "strut")
    assert renamed.baseline is not None
    assert renamed.baseline.stack("strut") is not None
    assert {s.stack for s in renamed.load_cases} == {"reflector sandwich", "strut"}
    assert from_text(to_text(renamed)) == renamed
    assert versions.unpin_baseline(renamed).baseline is None
    assert [versions.next_version(n) for n in ("A", "Y", "Z", "wide", "wide 2")] == [
        "B",
        "Z",
        "Z 2",
        "wide 2",
        "wide 3",
    ]


def test_a_sub_laminate_changes_wherever_it_is_laid() -> None:
    project, face = stack_edits.add_stack(
        dish_panel(), "face", [Ply("UD carbon", a, 8e-5) for a in (0.0, 45.0)]
    )
    thickness = {m.name: m.ply_thickness for m in project.materials}
    stacks = {s.name: s.plies for s in project.stacks}
    context = dataclasses.replace(context_for((), thickness), default="UD carbon", stacks=stacks)
    laid = parse("[{face}/90/-45]s", context)
    project, name = stack_edits.add_stack(project, "whole", laid)
    assert write(laid, context) == "[{face}/90/-45]s"
    found = sub_laminates(laid, stacks)
    assert [(g.first, g.count, g.reversed) for g in found] == [(0, 2, False), (6, 2, True)]
    changed = stack_edits.put_plies(
        project, face, [Ply("UD carbon", a, 8e-5) for a in (10.0, 20, 30)]
    )
    whole = changed.stack(name)
    assert whole is not None
    assert [p.angle for p in whole.plies] == [10, 20, 30, 90, -45, -45, 90, 30, 20, 10]
    # A ply edited by hand makes that run plain; the other follows on.
    edited = [dataclasses.replace(whole.plies[0], angle=5.0), *whole.plies[1:]]
    again = stack_edits.put_plies(
        stack_edits.put_plies(changed, name, edited), face, [Ply("UD carbon", 60.0, 8e-5)]
    )
    last = again.stack(name)
    assert last is not None
    assert [p.angle for p in last.plies] == [5, 20, 30, 90, -45, -45, 90, 60]


def test_stacks_laid_in_each_other_do_not_run_away() -> None:
    ply = Ply("UD carbon", 0.0, 8e-5)
    project, _ = stack_edits.add_stack(dish_panel(), "one", [ply])
    project, _ = stack_edits.add_stack(project, "two", [dataclasses.replace(ply, sub="one")])
    project = stack_edits.put_plies(project, "one", [dataclasses.replace(ply, sub="two")])
    changed = stack_edits.put_plies(project, "two", [ply, ply])
    assert [len(s.plies) for s in changed.stacks if s.name in ("one", "two")] == [2, 2]
    made = stack_edits.make_sub_laminate(changed, "feed strut", (1, 2, 3))
    assert bare(made.stack("feed strut").plies) == changed.stack("feed strut").plies  # type: ignore[union-attr]
    assert len(made.stack("sub-laminate").plies) == 3  # type: ignore[union-attr]


def test_versions_are_kept_switched_renamed_and_deleted() -> None:
    project = dish_panel()
    first = versions.clone_version(project)
    assert versions.version_names(first) == ["A", "B"]
    assert first.version == "B"
    thin = stack_edits.put_plies(first, "feed strut", [Ply("UD carbon", 0.0, 1e-3)])
    back = versions.switch_version(thin, "A")
    assert back.stack("feed strut") == project.stack("feed strut")
    assert versions.switch_version(back, "B") == dataclasses.replace(
        thin, versions=(versions.as_version(back),)
    )
    against = versions.compare_with(back, "B")
    assert against.baseline is not None
    assert versions.switch_version(against, "B").baseline is None  # it is the baseline itself
    named = versions.rename_version(against, "thin strut", "B")
    assert named.against == "thin strut"
    assert from_text(to_text(named)) == named
    left = versions.delete_version(named, "thin strut")
    assert (left.versions, left.against) == ((), "")
    for bad, words in (
        (lambda: versions.delete_version(named, "A"), "at work"),
        (lambda: versions.clone_version(named, "thin strut"), "already"),
        (lambda: versions.compare_with(named, "Z"), "no version"),
    ):
        with pytest.raises(DocumentError, match=words):
            bad()


def test_what_differs_is_said_in_words_with_units() -> None:
    project = versions.pin_baseline(dish_panel())
    assert project.baseline is not None
    assert differences(project.baseline, project) == []
    ud = project.material("UD carbon")
    assert ud is not None
    changed = stack_edits.put_material(project, "UD carbon", dataclasses.replace(ud, Yt=45e6))
    plies = project.stack("feed strut").plies  # type: ignore[union-attr]
    changed = stack_edits.put_plies(changed, "feed strut", plies[:-1])
    assert changed.part is not None
    changed = part_edits.put_lay_up(changed, [Rung(stack="light sandwich", turn=10.0)])
    changed = case_edits.put_cases(
        changed,
        [
            Case("operating wind", (Pressure(2500.0), Acceleration((0.0, 0.0, -9.81)))),
            Case("snow", (Pressure(500.0),)),
        ],
    )
    changed = case_edits.put_left_out(changed, [LeftOut("supports", 3)])
    said = [(d.station, d.what, d.words) for d in differences(project.baseline, changed)]
    assert ("Materials", "UD carbon", "Yt 52 → 45 MPa") in said
    assert (
        "Part",
        "lay-up",
        "reflector sandwich on the whole part → light sandwich turned 10° on the whole part",
    ) in said
    assert ("Cases", "operating wind", "3.2 kPa → 2.5 kPa") in said
    assert ("Cases", "snow", "added") in said
    assert ("Cases", "own weight", "removed") in said
    assert ("Margins", "left out", "within 3 elements of a support added") in said
    stack = next(w for s, n, w in said if n == "feed strut")
    assert stack.endswith(", 1 ply fewer")
    assert len(said) == 8  # and a requirement that went with its case
    # Read backwards, what was added is removed.
    back = {(d.what, d.words) for d in differences(changed, project.baseline)}
    assert ("snow", "removed") in back
    assert ("UD carbon", "Yt 45 → 52 MPa") in back


def test_a_baseline_of_an_older_file_becomes_a_version() -> None:
    project = versions.pin_baseline(dish_panel())
    data = json.loads(to_text(project))
    old = {
        k: v for k, v in data.items() if k not in ("versions", "against", "left_out", "outside")
    }
    base = {k: data["versions"][0][k] for k in ("name", "materials", "stacks", "conditions")}
    for loads in old["load_cases"]:
        del loads["held"], loads["scales_temperature"]
    for requirement in old["requirements"]:
        if requirement["kind"] == "reserve factor":
            del requirement["case"]
    read = from_text(json.dumps({**old, "schema": 2, "baseline": base}))
    assert read.baseline is not None
    assert read.baseline.stacks == project.stacks
    assert read.baseline.part is None
    # Cores of old files are judged for their stability too.
    assert "wrinkling" in read.criteria[0].sets["core"]
    same = {"versions": (), "against": "", "criteria": ()}
    assert dataclasses.replace(read, **same) == dataclasses.replace(project, **same)
