"""Spots of a part checked in three dimensions: agreement, refusals, what is said."""

from __future__ import annotations

import dataclasses
import pickle

import numpy as np
import pytest

from tartan.core.errors import MaterialError, PartError, TartanError
from tartan.core.shell.assembly import finished
from tartan.core.shell.mesh import Pad, Panel, grid_mesh
from tartan.core.shell.shapes import StiffenedPanel
from tartan.core.stack import Ply, Stack
from tartan.pages import spot_solid as page
from tartan.pages.margins import question
from tartan.pages.stack_answers import answer_of
from tartan.project.analysis.inputs import part_inputs
from tartan.project.analysis.jobs import PartAnswer, solve_now
from tartan.project.analysis.solids import least_reserve
from tartan.project.document.model import Project
from tartan.project.document.packed_arrays import pack_mesh, pack_rows
from tartan.project.document.partmodel import (
    Acceleration,
    Case,
    Combination,
    EdgeForce,
    Force,
    OutsideForces,
    Part,
    Pressure,
    ReadSurface,
    Region,
    Rung,
    Support,
    Temperature,
)
from tartan.project.findings.spot_solid import (
    SpotAsk,
    SpotFound,
    question_for,
    solved,
    usual_distance,
    usual_parts,
)
from tests.panels import dish_panel

LAID = Stack("plate", tuple(Ply("UD carbon", a, 0.4e-3) for a in (0, 45, -45, 90, 90, -45, 45, 0)))


def plate(**changes: object) -> Project:
    """A clamped plate, pressed, pulled and colder; a pad with two plies more at one corner."""
    part = Part(
        Panel(0.3, 0.2, pads=(Pad("pad", 0.08, 0.05, 0.03),)),
        0.0125,
        (Rung(stack="plate"), Rung("pad", ply=Ply("UD carbon", 0.0, 0.4e-3))),
    )
    project = dataclasses.replace(
        dish_panel(),
        stacks=(LAID,),
        part=part,
        supports=(Support("left edge", "clamped"), Support("right edge", "clamped")),
        cases=(
            Case("press", (Pressure(2e4),)),
            Case("slide", (EdgeForce("upper edge", (5e3, 0.0, 0.0)),)),
            Case("cold", (Temperature(-40.0),)),
            Case("heavy", (Acceleration((0.0, 0.0, -9810.0)),)),
            Case("both", (Pressure(2e4), Temperature(-40.0, held=True))),
        ),
        combinations=(Combination("sum", (("press", 1.5), ("slide", 1.0))),),
        load_cases=(),
    )
    return dataclasses.replace(project, **changes)  # type: ignore[arg-type]


@pytest.fixture(scope="module")
def answer() -> PartAnswer:
    return solve_now(part_inputs(plate()))


def element_at(answer: PartAnswer, x: float, y: float) -> int:
    centres = answer.layout().mesh.centres()
    return int(np.linalg.norm(centres[:, :2] - [x, y], axis=1).argmin())


def check(answer: PartAnswer, x: float, y: float, case: str, **more: object) -> SpotFound:
    number = answer.inputs.case_names.index(case)
    ask = SpotAsk(element_at(answer, x, y), number, assume=True, **more)  # type: ignore[arg-type]
    return finished(solved(question_for(answer, answer.inputs.criteria.sets, ask)))


@pytest.mark.parametrize("case", ["press", "slide", "cold", "sum", "both", "heavy"])
def test_solids_far_from_edges_say_what_the_shell_says(answer: PartAnswer, case: str) -> None:
    found = check(answer, 0.0, 0.0, case, distance=0.035, parts=2)
    shell, one, plies = found.stresses
    peak = np.abs(plies).max()
    assert peak > 1e4
    np.testing.assert_allclose(shell[..., [0, 1, 3]], plies[..., [0, 1, 3]], atol=0.03 * peak)
    mine, theirs = found.reserves[0], found.reserves[-1]
    assert mine is not None
    assert theirs is not None
    assert mine.value == pytest.approx(theirs.value, rel=0.03)
    # One solid answers what does not bend it, alike all through, as the plies do.
    if case == "slide":
        np.testing.assert_allclose(one, plies, atol=0.03 * peak)


@pytest.mark.parametrize("reference", ["bottom", "top"])
def test_another_reference_surface_is_the_solids_too(reference: str) -> None:
    part = plate().part
    assert part is not None
    moved = plate(part=dataclasses.replace(part, reference_surface=reference))
    found = check(solve_now(part_inputs(moved)), 0.0, 0.0, "both", distance=0.03, parts=2)
    peak = np.abs(found.plies).max()
    np.testing.assert_allclose(
        found.question.shell[..., [0, 1, 3]], found.plies[..., [0, 1, 3]], atol=0.03 * peak
    )


def test_twice_the_distance_says_the_same(answer: PartAnswer) -> None:
    near = check(answer, 0.02, 0.01, "press", distance=0.025, parts=2)
    far = check(answer, 0.02, 0.01, "press", distance=0.05, parts=2)
    peak = np.abs(far.plies).max()
    np.testing.assert_allclose(near.plies, far.plies, atol=0.02 * peak)
    assert far.question.reach > 1.5 * near.question.reach
    assert far.nearer is not None
    assert far.nearer.value == pytest.approx(far.reserves[-1].value, rel=0.03)  # type: ignore[union-attr]


def test_a_combination_is_the_sum_of_its_cases(answer: PartAnswer) -> None:
    each = [check(answer, 0.0, 0.0, c, distance=0.03, parts=2) for c in ("press", "slide", "sum")]
    press, slide, total = (f.plies for f in each)
    peak = np.abs(total).max()
    np.testing.assert_allclose(1.5 * press + slide, total, atol=1e-7 * peak)


def test_what_is_held_stays_where_the_rest_is_scaled(answer: PartAnswer) -> None:
    found = check(answer, 0.0, 0.0, "both", distance=0.03, parts=2)
    held = found.question.held
    assert held is not None
    cold = check(answer, 0.0, 0.0, "cold", distance=0.03, parts=2)
    np.testing.assert_allclose(held, cold.question.shell, atol=1e-6 * np.abs(held).max())
    # At its reserve factor the load and what is held just fail together: more of it does.
    reserve = found.reserves[-1]
    assert reserve is not None
    grown = held + (found.plies - held) * reserve.value
    just = least_reserve(found.question.laminate, found.question.sets, grown, held)
    assert just is not None
    assert just.value == pytest.approx(1.0, rel=1e-6)


def test_the_shells_stresses_are_those_the_margins_page_shows(answer: PartAnswer) -> None:
    element = element_at(answer, 0.0, 0.0)
    asked = question(plate(), answer, element, 0)
    shown = answer_of(asked.laminate, asked.loads)
    found = check(answer, 0.0, 0.0, "press", distance=0.03, parts=2)
    peak = np.abs(shown.total.stress_12).max()
    # One of its points against the mean of all four.
    gap = np.abs(found.question.shell[..., [0, 1, 3]] - shown.total.stress_12).max()
    assert gap < 0.2 * peak


def test_it_ends_where_other_plies_begin_and_says_so(answer: PartAnswer) -> None:
    found = check(answer, 0.08, 0.05, "press", distance=0.03, parts=2)
    assert len(found.plies) == 9
    assert "it ends where other plies begin" in found.question.words
    assert "where other plies begin" in page.words(found)
    assert len(page.ways_of(found, "pad").numbers) == 9


def test_a_free_rim_is_a_free_face(answer: PartAnswer) -> None:
    rim = 0.1 - 0.01
    found = check(answer, 0.0, rim, "press", distance=0.03, parts=2)
    assert "free rim" in page.words(found)
    # A force on that rim is not of the piece: it is refused.
    with pytest.raises(PartError, match="force on an edge"):
        check(answer, 0.0, rim, "slide", distance=0.03, parts=2)


@pytest.mark.parametrize(
    ("x", "y", "case", "more", "words"),
    [
        (-0.14, 0.0, "press", {}, "support"),
        (0.0, 0.0, "press", {"distance": 5.0}, "support|whole component"),
        (0.0, 0.0, "press", {"distance": -1.0}, "none"),
        (0.0, 0.0, "press", {"distance": float("nan")}, "none"),
        (0.0, 0.0, "press", {"distance": 1e-300}, "nearer than the laminate is thick"),
        (0.0, 0.0, "press", {"distance": 3.3e-3, "parts": 1}, "one element wide"),
        (0.0, 0.0, "press", {"per_ply": 0}, "So many"),
        (0.0, 0.0, "press", {"per_ply": 99}, "So many"),
        (0.0, 0.0, "press", {"parts": 3}, "So many"),
    ],
)
def test_what_stands_in_the_way_is_said(
    answer: PartAnswer, x: float, y: float, case: str, more: dict[str, float], words: str
) -> None:
    with pytest.raises(PartError, match=words):
        check(answer, x, y, case, **more)


def test_the_usual_cut_comes_nearer_where_something_lies_within_it(answer: PartAnswer) -> None:
    x = -0.15 + 0.05
    element = element_at(answer, x, 0.0)
    usual = usual_distance(answer.layout(), element)
    assert usual < 0.05
    near = check(answer, -0.15 + 0.9 * usual, 0.0, "press")
    assert near.question.reach < usual
    assert "nearer than usual, as a support lies within" in page.words(near)
    # What is asked for is kept to, or refused.
    with pytest.raises(PartError, match="support"):
        check(answer, -0.15 + 0.9 * usual, 0.0, "press", distance=usual)


def test_a_force_at_a_place_is_refused() -> None:
    forced = Case("poke", (Force("pad", (0.0, 0.0, -100.0)),))
    project = plate(cases=(forced,), combinations=())
    with pytest.raises(PartError, match="force on an edge or a place"):
        check(solve_now(part_inputs(project)), 0.08, 0.05, "poke")


@pytest.mark.parametrize(
    ("surface", "size", "words"),
    [
        # Elements of 27° to one another, and blades that stand on the skin.
        (Panel(0.3, 0.2, radius_y=0.105), 0.05, "folded"),
        (StiffenedPanel(0.3, 0.2, 3, 0.04), 0.02, "Three or more surfaces"),
    ],
)
def test_folds_and_junctions_are_refused(
    surface: Panel | StiffenedPanel, size: float, words: str
) -> None:
    part = Part(surface, size, (Rung(stack="plate"),))
    pressed = (Case("press", (Pressure(1e3),)),)
    answer = solve_now(part_inputs(plate(part=part, cases=pressed, combinations=())))
    centres = answer.layout().mesh.centres()
    element = int(np.linalg.norm(centres - [0.0, 0.01, 0.0], axis=1).argmin())
    ask = SpotAsk(element, 0, distance=0.06, assume=True)
    with pytest.raises(PartError, match=words):
        question_for(answer, answer.inputs.criteria.sets, ask)


def test_a_tie_within_the_distance_is_refused() -> None:
    one = grid_mesh(Panel(0.2, 0.1), 10, 5)
    count = len(one.nodes)
    two = dataclasses.replace(
        one,
        nodes=np.concatenate([one.nodes, one.nodes + np.array([0.2005, 0.0, 0.0])]),
        quads=np.concatenate([one.quads, one.quads + count]),
        places=np.zeros((0, 2)),
        edges={"left edge": one.edges["left edge"]},
    )
    part = Part(ReadSurface("two.vtu", pack_mesh(two)), 0.02, (Rung(stack="plate"),), tie_gap=2e-3)
    pressed = (Case("press", (Pressure(1e3),)),)
    held = (Support("left edge", "clamped"),)
    project = plate(part=part, cases=pressed, supports=held, combinations=())
    answer = solve_now(part_inputs(project))
    with pytest.raises(PartError, match="tie"):
        check(answer, 0.08, 0.0, "press", distance=0.04)
    assert check(answer, 0.0, 0.0, "press", distance=0.04).reserves[-1] is not None


def small(**changes: object) -> Project:
    """A short plate between two clamped edges: small enough to be made solid whole."""
    cases = (
        Case("press", (Pressure(2e5),)),
        Case("slide", (EdgeForce("upper edge", (5e5, 0.0, 0.0)),)),
        Case("poke", (Force("middle", (0.0, 0.0, -500.0)),)),
        Case("cold", (Temperature(-40.0),)),
    )
    part = Part(
        Panel(0.12, 0.1),
        0.008,
        (Rung(stack="plate"),),
        regions=(Region("middle", elements=(82, 83)),),
    )
    return plate(**{"part": part, "cases": cases, "combinations": (), **changes})


@pytest.mark.parametrize(
    ("case", "x", "y"),
    [("press", 0.0, 0.0), ("slide", 0.02, 0.01), ("poke", 0.035, 0.0), ("cold", 0.0, 0.0)],
)
def test_a_whole_small_part_is_made_solid(case: str, x: float, y: float) -> None:
    answer = solve_now(part_inputs(small()))
    found = check(answer, x, y, case, whole=True, per_ply=2)
    q = found.question
    assert len(set(q.patch.quads.ravel())) == len(answer.layout().mesh.nodes)
    shell, plies = found.reserves[0], found.reserves[-1]
    assert shell is not None
    assert plies is not None
    assert shell.value == pytest.approx(plies.value, rel=0.05)
    assert found.nearer is None
    assert "All of the part with these plies is solid" in page.words(found)
    assert "half" not in page.words(found)


def test_what_is_held_and_pushed_of_a_whole_part_moves_as_the_shell_does() -> None:
    answer = solve_now(part_inputs(small()))
    for case, places in (("press", ("left edge", "right edge")), ("slide", ("upper edge",))):
        number = answer.inputs.case_names.index(case)
        q = question_for(
            answer,
            answer.inputs.criteria.sets,
            SpotAsk(element_at(answer, 0.0, 0.0), number, assume=True, whole=True),
        )
        mesh, u = answer.layout().mesh, answer.solution.displacement[number]
        for place in places:
            nodes = mesh.nodes[np.unique(mesh.edges[place])]
            own = np.linalg.norm(q.patch.nodes[:, None] - nodes[None], axis=2).argmin(axis=0)
            assert q.patch.cut[own].all()
            np.testing.assert_array_equal(q.patch.moves[own], u[np.unique(mesh.edges[place])])
        inside = np.abs(q.patch.nodes[:, :2]).max(axis=1) < 0.04
        assert not q.patch.cut[inside].any()


def test_a_whole_part_ends_where_other_plies_begin_and_is_refused_in_words() -> None:
    answer = solve_now(part_inputs(plate()))
    found = check(answer, 0.08, 0.05, "press", whole=True)
    assert "it ends where other plies begin" in page.words(found)
    assert len(found.plies) == 9
    folded = small(part=Part(Panel(0.3, 0.2, radius_y=0.105), 0.05, (Rung(stack="plate"),)))
    folded = dataclasses.replace(folded, cases=folded.cases[:1])
    with pytest.raises(PartError, match="folded"):
        check(solve_now(part_inputs(folded)), 0.0, 0.01, "press", whole=True)
    part = small().part
    assert part is not None
    everywhere = (Region("middle", elements=tuple(range(180))),)
    pushed = small(part=dataclasses.replace(part, regions=everywhere))
    with pytest.raises(PartError, match="All its nodes are held or pushed"):
        check(solve_now(part_inputs(pushed)), 0.0, 0.0, "poke", whole=True)
    large = small(part=Part(Panel(3.0, 2.0), 0.02, (Rung(stack="plate"),)))
    large = dataclasses.replace(large, cases=large.cases[:1])
    with pytest.raises(PartError, match="GB may be taken"):
        check(solve_now(part_inputs(large)), 0.0, 0.0, "press", whole=True, per_ply=8)


def test_forces_of_another_analysis_move_nothing_to_cut_by() -> None:
    project = plate(combinations=())
    count = solve_now(part_inputs(project)).layout().mesh.count
    rows = np.zeros((count, 9))
    rows[:, 0], rows[:, 1] = np.arange(count), 1e4
    read = OutsideForces("other", "other.csv", "element", pack_rows(rows))
    answer = solve_now(part_inputs(dataclasses.replace(project, outside=(read,))))
    with pytest.raises(PartError, match="another analysis"):
        check(answer, 0.0, 0.0, "other")


def test_what_lacks_is_named() -> None:
    answer = solve_now(part_inputs(plate()))
    ask = SpotAsk(element_at(answer, 0.0, 0.0), 0)
    with pytest.raises(MaterialError, match="lacks E₃"):
        question_for(answer, answer.inputs.criteria.sets, ask)


def test_questions_go_to_another_process_whole(answer: PartAnswer) -> None:
    ask = SpotAsk(element_at(answer, 0.0, 0.0), 0, distance=0.03, assume=True)
    question = question_for(answer, answer.inputs.criteria.sets, ask)
    again = pickle.loads(pickle.dumps(question))
    np.testing.assert_allclose(
        finished(solved(again)).plies, finished(solved(question)).plies, rtol=1e-9, atol=1.0
    )


def test_usual_distance_and_size_follow_the_laminate(answer: PartAnswer) -> None:
    layout = answer.layout()
    element = element_at(answer, 0.0, 0.0)
    thick = layout.laminate(element).thickness
    assert usual_distance(layout, element) >= 5 * thick
    size = float(np.sqrt(layout.mesh.areas()[element]))
    assert usual_parts(layout, element) == 4
    assert size / 4 > 0.5 * thick or usual_parts(layout, element) < 4


def test_any_element_of_the_dish_is_answered_or_refused_in_words() -> None:
    project = dish_panel()
    answer = solve_now(part_inputs(project))
    rng = np.random.default_rng(11)
    seen, words = 0, []
    for element in rng.integers(0, answer.layout().mesh.count, 25):
        case = int(rng.integers(len(answer.inputs.case_names)))
        try:
            ask = SpotAsk(int(element), case, parts=1, assume=True)
            question_for(answer, project.governing_sets, ask)
            seen += 1
        except TartanError as error:
            words.append(str(error))
    assert seen > 5
    assert all("Check in 3-D" in w and len(w) > 40 for w in words)
