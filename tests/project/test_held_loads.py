"""Held and growing loads, movements, support sets: as a project has them, against exact values."""

import dataclasses
import json

import numpy as np
import pytest

from tartan.core.errors import DocumentError
from tartan.core.laminate.loadcase import answer as laminate_answer
from tartan.core.laminate.response import Load as LaminateLoad
from tartan.core.laminate.response import respond
from tartan.core.shell.margins import Margins
from tartan.core.shell.mesh import EDGES, Panel
from tartan.core.stack import Ply
from tartan.core.strength.laminate_reserves import Beside, checks_of, reserves
from tartan.project.analysis.caseloads import case_forces
from tartan.project.analysis.inputs import layout_of, part_inputs
from tartan.project.analysis.jobs import PartAnswer, solve_now
from tartan.project.document.model import Project
from tartan.project.document.packed_arrays import pack_rows
from tartan.project.document.partmodel import (
    BucklingRequirement,
    Case,
    Combination,
    EdgeForce,
    FrequencyRequirement,
    Load,
    Movement,
    Near,
    OutsideForces,
    Pressure,
    Region,
    Rung,
    Support,
    SupportSet,
    Temperature,
)
from tartan.project.edits import case_edits, part_edits
from tartan.project.files.storage import from_text, to_text
from tartan.project.findings.chosen_margins import Ask, margins_for
from tartan.project.findings.limits import limits
from tartan.project.findings.spot_laminate import drivers_at, spot_loads
from tartan.project.findings.verdict import statuses, verdict
from tests.project.test_part import plate

ONE = (Rung(ply=Ply("UD carbon", 0.0, 1e-3)),)
CROSS = tuple(Rung(ply=Ply("UD carbon", a, 0.5e-3)) for a in (0.0, 90.0, 0.0))
HELD = (Support("left edge", "clamped"), Support("right edge", "held along x"))
COUPON = [
    Support("lower left corner", "pinned"),
    Support("lower right corner", "held along y"),
    Support("lower right corner", "held along z"),
    Support("upper left corner", "held along z"),
]


def pulled(*edges: tuple[str, float], held: bool = False) -> tuple[Load, ...]:
    ways = {"right": (1, 0), "left": (-1, 0), "upper": (0, 1), "lower": (0, -1)}
    return tuple(
        EdgeForce(f"{e} edge", (ways[e][0] * f, ways[e][1] * f, 0.0), held) for e, f in edges
    )


def coupon(cases: list[Case], combinations: tuple[Combination, ...] = ()) -> Project:
    project = plate(surface=Panel(0.4, 0.2), mesh_size=0.05, lay_up=(Rung(stack="feed strut"),))
    project = case_edits.put_cases(case_edits.put_supports(project, COUPON), cases)
    return case_edits.put_combinations(project, combinations)


def answered(project: Project) -> PartAnswer:
    return solve_now(part_inputs(project))


def least(answer: PartAnswer, case: str) -> float:
    return float(margins_for(answer, Ask((case,))).reserve.min())


def expected(answer: PartAnswer, grows: LaminateLoad, stays: LaminateLoad) -> float:
    lam = answer.layout().laminate(0)
    push, rest = respond(lam, grows).stress_12, respond(lam, stays).stress_12
    return float(reserves(checks_of(lam), push[None], None, rest).reserve.min())


def test_what_is_held_stays_while_the_rest_grows() -> None:
    N = 6e4
    right, left = ("right", N), ("left", N)
    up = pulled(("upper", 5e3), ("lower", 5e3), held=True)
    cases = [
        Case("both grow", (*pulled(right, left), *pulled(("upper", 5e3), ("lower", 5e3)))),
        Case("across held", (*pulled(right, left), *up)),
        Case("cold held", (*pulled(right, left), Temperature(-50.0))),
        Case("cold grows", (*pulled(right, left), Temperature(-50.0, held=False))),
        Case("cold alone", (Temperature(-50.0),)),
        Case(
            "all", (*pulled(right, left), *up, Temperature(-40.0), Temperature(-10.0, held=False))
        ),
    ]
    combinations = (
        Combination("sum", (("across held", 1.5), ("cold alone", 1.0))),
        Combination("pull held", (("both grow", 1.0), ("cold grows", 0.5)), ("both grow",)),
    )
    answer = answered(coupon(cases, combinations))
    x, y = np.array([N, 0, 0]), np.array([0, 5e3, 0])
    zero = LaminateLoad()
    for case, grows, stays in (
        ("both grow", LaminateLoad(x + y), zero),
        ("across held", LaminateLoad(x), LaminateLoad(y)),
        ("cold held", LaminateLoad(x), LaminateLoad(dT=-50.0)),
        ("cold grows", LaminateLoad(x, dT=-50.0), zero),
        ("cold alone", LaminateLoad(dT=-50.0), zero),
        ("all", LaminateLoad(x, dT=-10.0), LaminateLoad(y, dT=-40.0)),
        ("sum", LaminateLoad(1.5 * x), LaminateLoad(1.5 * y, dT=-50.0)),
        ("pull held", LaminateLoad(0.5 * x, dT=-25.0), LaminateLoad(x + y)),
    ):
        exact = expected(answer, grows, stays)
        assert least(answer, case) == pytest.approx(exact, rel=1e-6), case
        # The spot as a laminate asks the same question.
        k = answer.inputs.case_names.index(case)
        loads = spot_loads(answer, 0, k)
        lam = answer.layout().laminate(0)
        found = reserves_of(lam, loads)
        assert found == pytest.approx(exact, rel=1e-6), case


def reserves_of(lam, loads) -> float:  # type: ignore[no-untyped-def]
    from tartan.core.laminate.loadcase import answer as laminate_answer

    found = laminate_answer(lam, loads)
    return float(
        reserves(
            checks_of(lam),
            found.applied.stress_12[None],
            found.shear[None],
            found.residual,
            found.held_shear,
        ).reserve.min()
    )


def test_answers_add_whatever_they_are_made_of() -> None:
    project = plate(
        surface=Panel(0.4, 0.2), mesh_size=0.05, lay_up=CROSS, reference_surface="bottom"
    )
    project = case_edits.put_supports(project, HELD)
    a = Case("a", (Movement("right edge", (1e-3, 0, 0)), Temperature(-30.0, 500.0)))
    b = Case("b", (Pressure(300.0, held=True), Movement("right edge", (-4e-4, 0, 0), held=True)))
    project = case_edits.put_cases(project, [a, b])
    project = case_edits.put_combinations(
        project,
        [Combination("sum", (("a", 1.0), ("b", 1.5))), Combination("twice", (("a", 2.0),))],
    )
    answer = answered(project)
    for name in ("displacement", "strains", "applied", "reaction"):
        one, two, both, twice = getattr(answer.solution, name)
        size = np.abs(both).max()
        np.testing.assert_allclose(both, one + 1.5 * two, atol=1e-12 * size)
        np.testing.assert_allclose(twice, 2 * one, atol=1e-12 * size)
    edge = answer.layout().mesh.edges["right edge"]
    # Heated or pressed, a movement is what was entered.
    np.testing.assert_allclose(answer.solution.displacement[0, edge, 0], 1e-3)
    np.testing.assert_allclose(answer.solution.displacement[2, edge, 0], 1e-3 - 6e-4)
    assert answer.solution.residual < 1e-8
    assert answer.solution.imbalance < 1e-8


def test_an_old_files_movement_goes_into_every_case() -> None:
    project = plate(surface=Panel(0.4, 0.2), mesh_size=0.1, lay_up=ONE, flipped=("",))
    project = case_edits.put_supports(project, HELD)
    cases = [Case("one", (Pressure(100.0),)), Case("two", (Temperature(5.0, 100.0),))]
    data = json.loads(to_text(case_edits.put_cases(project, cases)))
    del data["support_sets"]
    data["supports"][0]["move"] = [0.0, 0.0, 0.0]
    data["supports"][1]["move"] = [2e-3, 0.0, 0.0]
    for case in data["cases"]:
        del case["supports"]
        for load in case["loads"]:
            del load["side"], load["held"]
    read = from_text(json.dumps({**data, "schema": 3}))
    move = Movement("right edge", (2e-3, 0.0, 0.0))
    assert [c.loads[-1] for c in read.cases] == [move, move]
    # What pressed on the turned laying side does so still.
    assert read.cases[0].loads[0] == Pressure(100.0, side="back")
    assert case_forces(layout_of(part_inputs(read)), read.cases[0])[:, 2].sum() > 0
    assert read.cases[1].loads[0] == Temperature(5.0, 100.0, side="back")


def test_gradients_and_pressures_keep_their_side_when_a_region_is_turned() -> None:
    # A cross-ply plate is the same from either side: turning half of it changes nothing.
    project = plate(surface=Panel(0.8, 0.4), mesh_size=0.05, lay_up=CROSS)
    project = part_edits.put_region(project, Region("half", near=(Near(0.4, "right edge"),)))
    loads = (Temperature(-20.0, 3000.0), Pressure(50.0))
    other = (Temperature(1.0, 900.0), *loads[1:])
    project = case_edits.put_cases(project, [Case("c", loads), Case("d", other)])
    symmetric = answered(project)
    turned = answered(part_edits.flip_side(project, "half"))
    one, other_way = (x.solution.displacement for x in (symmetric, turned))
    np.testing.assert_allclose(other_way, one, atol=1e-9 * np.abs(one).max())
    for case in ("c", "d"):
        assert least(turned, case) == pytest.approx(least(symmetric, case), rel=1e-6)


def plate_on_edges(*cases: Case) -> Project:
    project = plate(surface=Panel(0.5, 0.5), mesh_size=0.025, lay_up=(Rung(stack="feed strut"),))
    supports = [
        *(Support(e, "held along z") for e in EDGES),
        Support("lower left corner", "pinned"),
        Support("lower right corner", "held along y"),
    ]
    return case_edits.put_cases(case_edits.put_supports(project, supports), cases)


def value_of(project: Project, kind: str) -> tuple[float, str]:
    found = next(s for s in statuses(project, answered(project)) if s.requirement.kind == kind)
    return found.value, found.amount


def test_buckling_of_a_part_with_temperature_and_held_loads() -> None:
    push = pulled(("right", -500.0), ("left", -500.0))
    cases = [
        Case("push", push),
        Case("push and cool", (*push, Temperature(-20.0))),
        Case("cool", (Temperature(-20.0),)),
        Case("pull", pulled(("right", 500.0), ("left", 500.0))),
        Case("held", (*push, *pulled(("upper", -200.0), ("lower", -200.0), held=True))),
        Case(
            "gone",
            (
                *pulled(("right", -9e7), ("left", -9e7), held=True),
                *pulled(("upper", 1.0), ("lower", 1.0)),
            ),
        ),
    ]
    project = plate_on_edges(*cases)
    found = {}
    for case in cases:
        asked = case_edits.put_requirements(project, [BucklingRequirement(1.5, case.name)])
        found[case.name] = value_of(asked, "buckling")
    push_alone = found["push"][0]
    # A plate free to shrink keeps its load, whatever the temperature.
    assert found["push and cool"][0] == pytest.approx(push_alone, rel=1e-4)
    assert found["cool"][0] == np.inf
    assert "does not buckle" in found["cool"][1]
    assert found["pull"][0] == np.inf
    assert f"reversed load at {push_alone:.3g}"[:20] in found["pull"][1]
    assert 0 < found["held"][0] < push_alone
    assert found["gone"] == (0.0, "0.00 (the held loads buckle it by themselves)")


def test_a_tight_plate_swings_faster() -> None:
    pull = 2e4
    project = plate_on_edges(Case("pull", pulled(("right", pull), ("left", pull))))
    free, tight = (
        value_of(
            case_edits.put_requirements(project, [FrequencyRequirement(1.0, c)]), "frequency"
        )[0]
        for c in ("", "pull")
    )
    # ω² grows by N (π/a)² / (ρ h) in the half wave along the pull (Leissa 1969).
    lam = layout_of(part_inputs(project)).laminate(0)
    gain = pull * (np.pi / 0.5) ** 2 / lam.areal_mass / (2 * np.pi) ** 2
    assert tight**2 - free**2 == pytest.approx(gain, rel=0.02)


def test_a_case_may_stand_on_supports_of_its_own() -> None:
    project = plate(surface=Panel(0.8, 0.4), mesh_size=0.1, lay_up=ONE)
    lifted = SupportSet("lifting", (Support("right edge", "clamped"),))
    project = case_edits.put_support_sets(project, [lifted])
    press = (Pressure(100.0),)
    project = case_edits.put_cases(
        project, [Case("stands", press), Case("hangs", press, "lifting")]
    )
    answer = answered(project)
    mesh, u = answer.layout().mesh, answer.solution.displacement
    assert np.abs(u[0, mesh.edges["left edge"]]).max() == 0
    assert np.abs(u[1, mesh.edges["right edge"]]).max() == 0
    alone = answered(
        case_edits.put_cases(
            case_edits.put_supports(project, lifted.supports), [Case("hangs", press)]
        )
    )
    np.testing.assert_allclose(u[1], alone.solution.displacement[0], rtol=1e-9, atol=1e-15)
    with pytest.raises(DocumentError, match="different supports"):
        case_edits.put_combinations(project, [Combination("x", (("stands", 1.0), ("hangs", 1.0)))])
    gone = case_edits.put_support_sets(project, [])
    assert [c.supports for c in gone.cases] == ["", ""]
    named = case_edits.rename_support_set(project, "lifting", "crane")
    assert named.cases[1].supports == "crane"
    assert from_text(to_text(named)) == named


def test_the_range_of_the_theory_is_said() -> None:
    # 100 kPa bends a clamped thin plate by far more than it is thick.
    project = plate(surface=Panel(0.6, 0.4), mesh_size=0.05, lay_up=ONE)
    project = case_edits.put_cases(
        project, [Case("much", (Pressure(1e5),)), Case("little", (Pressure(1e-2),))]
    )
    answer = answered(project)
    told = limits(answer)
    assert [x.case for x in told] == [0]
    assert "too large for linear theory" in told[0].words
    assert "much" in told[0].words
    assert "Not covered" in verdict(project, answer).sentence
    small = dataclasses.replace(project, cases=project.cases[1:])
    assert limits(answered(small)) == ()


def test_a_core_is_crushed_by_what_presses_on_its_faces() -> None:
    project = plate(
        surface=Panel(0.6, 0.4), mesh_size=0.05, lay_up=(Rung(stack="reflector sandwich"),)
    )
    soft = tuple(
        dataclasses.replace(m, Zc=1.5e5) if m.kind == "core" else m for m in project.materials
    )
    project = dataclasses.replace(project, materials=soft)
    both = tuple(Pressure(1e5, side=side) for side in ("front", "back"))
    kept = tuple(dataclasses.replace(p, held=True) for p in both)
    more = tuple(Pressure(0.25e5, side=side) for side in ("front", "back"))
    project = case_edits.put_cases(
        project,
        [
            Case("squeezed", both),
            Case("held", (*kept, *more)),
            Case("one side", both[:1]),
            Case("pulled", tuple(dataclasses.replace(p, value=-1e5) for p in both)),
        ],
    )
    answer = answered(project)

    def of_case(k: int) -> Margins:
        name = answer.inputs.case_names[k]
        return margins_for(answer, Ask(cases=(name,), criteria=("crushing",)))

    # Pressed from both sides nothing bends: the core alone bears it.
    assert of_case(0).reserve.min() == pytest.approx(1.5, rel=1e-6)
    assert of_case(1).reserve.min() == pytest.approx(2.0, rel=1e-6)
    assert np.isinf(of_case(3).reserve).all()
    # From one side the plate bends too, which adds.
    m = of_case(2)
    worst = int(m.reserve.argmin())
    assert m.reserve[worst] < 1.5
    loads = spot_loads(answer, worst, 2, int(m.point[worst]))
    laminate = answer.layout().laminate(worst)
    response = laminate_answer(laminate, loads)
    checks = checks_of(laminate, answer.inputs.criteria.sets)
    again = reserves(
        checks, response.applied.stress_12[None], response.shear[None], beside=Beside.of(loads)
    )
    assert np.nanmin(again.of_rule("crushing")) == pytest.approx(m.reserve[worst], rel=1e-9)
    key, shares = drivers_at(
        answer, worst, 2, int(m.ply[worst]), 1, "crushing", int(m.point[worst])
    )
    assert key == "crushing"
    pressed = shares.shares[6]
    assert pressed == pytest.approx(m.reserve[worst] / 1.5, rel=1e-6)
    assert shares.shares.sum() == pytest.approx(1.0, rel=1e-6)


def test_a_core_under_forces_of_another_analysis_alone_is_judged() -> None:
    project = plate(
        surface=Panel(0.6, 0.4), mesh_size=0.1, lay_up=(Rung(stack="reflector sandwich"),)
    )
    rows = np.zeros((24, 9))
    rows[:, 0], rows[:, 4] = np.arange(24), 200.0
    read = OutsideForces("other", "other.csv", "element", pack_rows(rows))
    bare = case_edits.put_cases(project, [])
    answer = answered(case_edits.put_outside(bare, [read]))
    crushed = margins_for(answer, Ask(criteria=("crushing",)))
    laminate = answer.layout().laminate(0)
    kappa = respond(laminate, LaminateLoad(M=np.array([200.0, 0.0, 0.0]))).kappa[0]
    core = next(m for m in laminate.materials if m.kind == "core")
    assert core.Zc is not None
    tc = max(p.thickness for p in laminate.stack.plies)
    d = (laminate.thickness + tc) / 2
    assert crushed.reserve.min() == pytest.approx(np.sqrt(core.Zc * d / (200 * kappa)), rel=1e-6)
    assert spot_loads(answer, 0, 0).press == 0.0
