"""What acts between the plies of a part: margins, maps and spots read the same growth."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.laminate.loadcase import answer as of_laminate
from tartan.core.shell.mesh import Panel
from tartan.core.stack import Ply, Stack
from tartan.core.strength.under import reserves_under
from tartan.exchange.maps.fields import FIELDS, View, values
from tartan.project.analysis.core_pressure import curvature_of
from tartan.project.analysis.force_growth import growth_at, growth_in, shears_plies
from tartan.project.analysis.inputs import part_inputs
from tartan.project.analysis.jobs import PartAnswer, solve_now
from tartan.project.document.model import CriteriaSet, Project
from tartan.project.document.packed_arrays import pack_rows
from tartan.project.document.partmodel import (
    Case,
    Combination,
    EdgeForce,
    OutsideForces,
    Part,
    Pressure,
    Rung,
    Support,
    Temperature,
)
from tartan.project.findings.spot_laminate import about_middle, spot_drivers, spot_loads
from tests.project.test_spot_solid import check, element_at, plate

Array = NDArray[np.float64]

ANGLES = Stack("angles", tuple(Ply("UD carbon", a, 0.4e-3) for a in (35, -20, -70, 35)))


def shell(**changes: object) -> Project:
    """A curved panel of angle plies, pressed on either side, pulled, and cold as long as it is."""
    project = dataclasses.replace(
        plate(),
        stacks=(ANGLES,),
        part=Part(Panel(0.3, 0.24, 0.8), 0.015, (Rung(stack="angles"),)),
        cases=(
            Case("press", (Pressure(3e4),)),
            Case("from behind", (Pressure(3e4, side="back"),)),
            Case("slide", (EdgeForce("upper edge", (5e3, 0.0, 0.0)),)),
            Case("cold", (Temperature(-40.0, 3e3),)),
            Case("both", (Pressure(3e4), Temperature(-40.0, held=True))),
            Case("stays", (Pressure(3e4, held=True), EdgeForce("upper edge", (5e3, 0.0, 0.0)))),
        ),
        combinations=(Combination("sum", (("press", 1.5), ("cold", -0.4)), ("cold",)),),
        criteria=(CriteriaSet("between", (("ply", ("interlaminar",)),)),),
    )
    return dataclasses.replace(project, **changes)  # type: ignore[arg-type]


@pytest.fixture(scope="module")
def answer() -> PartAnswer:
    return solve_now(part_inputs(shell()))


def shown(answer: PartAnswer, field: str, case: str, ply: int, level: int) -> Array:
    return values(answer, View(field, case=case, ply=ply, level=level))


def test_margins_judge_what_a_spot_as_a_laminate_has(answer: PartAnswer) -> None:
    sets = answer.inputs.criteria.sets
    m = answer.margins
    rng = np.random.default_rng(1)
    for element in rng.choice(len(m.reserve), 25, replace=False):
        e = int(element)
        laminate = answer.layout().laminate(e)
        loads = spot_loads(answer, e, int(m.case[e]))
        assert any(loads.growth) or any(loads.held_growth)
        found = reserves_under(laminate, loads, sets).governing()
        assert (found.reserve, found.ply) == (pytest.approx(m.reserve[e]), m.ply[e])
        # Told about the middle of the laminate it is the same state.
        centred = dataclasses.replace(laminate, offset=0.0)
        moved = about_middle(laminate, loads)
        same = of_laminate(centred, moved).shear
        np.testing.assert_allclose(
            same, of_laminate(laminate, loads).shear, atol=1e-6 * np.abs(same).max()
        )
        key, shares = spot_drivers(answer, e)
        assert key == "interlaminar"
        assert shares.shares.sum() + shares.held == pytest.approx(1.0)


@pytest.mark.parametrize("reference", ["bottom", "top"])
def test_the_reference_surface_changes_no_stress_between_plies(reference: str) -> None:
    flat = Part(Panel(0.3, 0.24), 0.02, (Rung(stack="angles"),))
    each = []
    for place in ("middle", reference):
        part = dataclasses.replace(flat, reference_surface=place)
        # Held by what the middle surface does, the same plate bends in the same way.
        ends = [Support(e, "held along z") for e in ("left edge", "right edge")]
        corners = [Support("lower left corner", "held along x")]
        corners += [Support(f"lower {c} corner", "held along y") for c in ("left", "right")]
        project = shell(
            part=part,
            supports=(*ends, *corners),
            cases=(Case("press", (Pressure(3e4),)),),
            combinations=(),
        )
        each.append(solve_now(part_inputs(project)))
    one, other = (shown(a, "t23", "press", 1, 2) for a in each)
    np.testing.assert_allclose(one, other, atol=0.02 * np.abs(one).max())


def test_a_combination_is_the_sum_of_its_cases(answer: PartAnswer) -> None:
    names = answer.inputs.case_names
    press, cold, total = (growth_in(answer, names.index(n)) for n in ("press", "cold", "sum"))
    size = np.abs(total).max(axis=0)
    assert (np.abs(1.5 * press - 0.4 * cold - total).max(axis=0) <= 1e-9 * size).all()
    for field in ("t13", "t23", "s3"):
        parts = [shown(answer, field, n, 1, 2) for n in ("press", "cold", "sum")]
        np.testing.assert_allclose(
            1.5 * parts[0] - 0.4 * parts[1], parts[2], atol=1e-7 * np.abs(parts[2]).max()
        )


@pytest.mark.parametrize("case", ["both", "stays", "sum"])
def test_what_grows_and_what_stays_are_told_apart(answer: PartAnswer, case: str) -> None:
    number = answer.inputs.case_names.index(case)
    whole = growth_in(answer, number)
    for element in (3, 77, 150):
        grows, stays = growth_at(answer, element, number)
        assert grows.any()
        assert stays.any()
        np.testing.assert_allclose(grows + stays, whole[element], rtol=1e-9, atol=1e-6)


def test_the_stress_across_is_the_pressure_on_either_face(answer: PartAnswer) -> None:
    top = answer.layout().zones.laminates[0].count - 1
    assert (answer.layout().signs > 0).all()
    for case, low, high in (
        ("press", 0.0, -3e4),
        ("from behind", -3e4, 0.0),
        ("slide", 0.0, 0.0),
        ("stays", 0.0, -3e4),
    ):
        np.testing.assert_allclose(shown(answer, "s3", case, 0, 0), low, atol=1.0)
        np.testing.assert_allclose(shown(answer, "s3", case, top, 2), high, atol=1.0)


def test_a_cap_under_pressure_is_pressed_evenly_through_its_wall() -> None:
    """Where a wall only stretches, σ3 goes along a straight line from the pressure to nothing."""
    even = Stack("even", tuple(Ply("UD carbon", a, 0.5e-3) for a in (0, 60, -60, -60, 60, 0)))
    part = Part(Panel(0.4, 0.4, 1.0, 1.0), 0.02, (Rung(stack="even"),))
    project = shell(
        stacks=(even,), part=part, cases=(Case("press", (Pressure(3e4),)),), combinations=()
    )
    project = dataclasses.replace(
        project,
        supports=tuple(
            Support(f"{e} edge", "clamped") for e in ("left", "right", "lower", "upper")
        ),
    )
    answer = solve_now(part_inputs(project))
    middle = element_at(answer, 0.0, 0.0)
    curved = curvature_of(answer.layout())[middle]
    np.testing.assert_allclose(np.abs(curved[:2]), 1.0, rtol=0.02)
    found = np.array(
        [[shown(answer, "s3", "press", p, s)[middle] for s in range(3)] for p in range(6)]
    )
    at = np.linspace(0, 1, 7)
    line = -3e4 * np.stack([at[:-1], (at[:-1] + at[1:]) / 2, at[1:]], axis=1)
    np.testing.assert_allclose(found, line, atol=0.1 * 3e4)


def test_solids_say_the_same_between_the_plies() -> None:
    answer = solve_now(part_inputs(plate()))
    found = check(answer, 0.08, 0.02, "press", distance=0.025, parts=2, per_ply=4)
    shell_says, _, plies = found.stresses
    shear = np.abs(plies[..., 4:]).max()
    np.testing.assert_allclose(shell_says[..., 4:], plies[..., 4:], atol=0.03 * shear)
    fine = check(answer, 0.08, 0.02, "press", distance=0.025, parts=4, per_ply=2)
    np.testing.assert_allclose(fine.stresses[0][..., 2], fine.plies[..., 2], atol=0.05 * 2e4)


def test_forces_of_another_analysis_tell_shears_and_no_stress_across() -> None:
    project = shell(combinations=())
    inputs = part_inputs(project)
    count = solve_now(inputs).layout().mesh.count
    rows = np.zeros((count, 9))
    rows[:, 0], rows[:, 7] = np.arange(count), 2e3
    read = OutsideForces("other", "other.csv", "element", pack_rows(rows))
    answer = solve_now(part_inputs(dataclasses.replace(project, outside=(read,))))
    assert np.isnan(shown(answer, "s3", "other", 1, 1)).all()
    t13 = shown(answer, "t13", "other", 1, 1)
    assert np.isfinite(t13).all()
    assert np.abs(t13).max() > 0
    # Forces that are the same everywhere do not grow: what is left is the one distribution.
    number = answer.inputs.case_names.index("other")
    assert np.abs(growth_in(answer, number)).max() < 1e-6


def test_nothing_is_fitted_where_no_criterion_asks() -> None:
    plain = part_inputs(shell(criteria=(CriteriaSet("plain", (("ply", ("tsai_wu",)),)),)))
    assert not shears_plies(plain)
    assert shears_plies(part_inputs(shell()))


def test_the_field_is_in_the_chooser_with_its_unit() -> None:
    (field,) = (f for f in FIELDS if f.key == "s3")
    assert (field.title, field.sort) == ("stress across plies σ₃", "ply")
    assert field.quantity is not None
    assert field.quantity.unit == "MPa"
