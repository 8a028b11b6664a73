"""Critical loads, ply discount, sandwich checks, mixed response, cylinders."""

import dataclasses

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tartan.core.criteria import criterion
from tartan.core.criteria.base import strengths_of
from tartan.core.errors import (
    CriterionError,
    MaterialError,
    PartError,
    StackError,
    TartanError,
)
from tartan.core.laminate import Laminate, make_laminate
from tartan.core.laminate.loadcase import LoadCase
from tartan.core.laminate.response import (
    Load,
    free_resultants,
    respond,
    respond_mixed,
    stress_from_section,
)
from tartan.core.laminate.shear import shear_distribution
from tartan.core.search.candidates import layers_of
from tartan.core.search.plyset import PlySet, Stiffness
from tartan.core.stack import Ply, Stack
from tartan.core.strength.critical import critical_loads
from tartan.core.strength.laminate_reserves import checks_of, reserves
from tartan.core.strength.progressive import ply_discount
from tartan.core.strength.reserve import first_failure, reserve_of_stresses
from tartan.core.strength.sandwich import (
    check_sandwich,
    core_shear,
    crimping_load,
    dimpling_stress,
    wrinkling_thick,
    wrinkling_thin,
)
from tartan.core.vessel.cylinder import CylinderLoad, thick_cylinder, thin_resultants
from tests.conftest import CARBON, FOAM, MATERIALS, STEEL, laminate


@given(st.lists(st.booleans(), min_size=6, max_size=6), st.integers(0, 10**6))
def test_mixed_problems_agree_with_the_whole_solution(flags: list[bool], seed: int) -> None:
    lam = laminate(("carbon", 0, 1e-3), ("glass", 30, 0.7e-3), ("carbon", -50, 0.4e-3))
    rng = np.random.default_rng(seed)
    load = Load(rng.normal(size=3) * 1e4, rng.normal(size=3) * 10, -50.0, 2e3, 0.01)
    whole = respond(lam, load)
    strain = np.concatenate([whole.eps0, whole.kappa])
    values = np.where(flags, strain, np.concatenate([load.N, load.M]))
    found, total = respond_mixed(lam, np.array(flags), values, load)
    np.testing.assert_allclose(
        np.concatenate([found.eps0, found.kappa]),
        strain,
        rtol=1e-7,
        atol=1e-9 * np.abs(strain).max(),
    )
    np.testing.assert_allclose(total, np.concatenate([load.N, load.M]), rtol=1e-6, atol=1e-3)
    np.testing.assert_allclose(found.stress_12, whole.stress_12, rtol=1e-6, atol=10.0)


def test_held_laminate_needs_the_free_resultants() -> None:
    lam = laminate(("carbon", 0, 1e-3), ("carbon", 90, 1e-3))
    load = Load(dT=-80.0)
    _, total = respond_mixed(lam, np.ones(6, bool), np.zeros(6), load)
    np.testing.assert_allclose(total, -free_resultants(lam, load), atol=1e-9)


def test_critical_loads_are_where_the_first_ply_fails(unsymmetric: Laminate) -> None:
    for c in critical_loads(unsymmetric, "puck"):
        vector = np.zeros(6)
        index = ("Nx", "Ny", "Nxy", "Mx", "My", "Mxy").index(c.component)
        vector[index] = c.sign * c.load
        at = first_failure(unsymmetric, Load(vector[:3], vector[3:]), "puck")
        assert at.reserve.min() == pytest.approx(1.0, rel=1e-9)
        assert (at.governing[0], at.label) == (c.ply, c.mode)
        assert c.angle is not None
        assert np.isnan(c.angle) == c.mode.startswith("fibre")
        strain = unsymmetric.compliance @ vector
        assert c.deformation == pytest.approx(strain[index])
    one = laminate(("carbon", 0, 2e-3))
    by_name = {(c.component, c.sign): c for c in critical_loads(one, "max_stress")}
    assert by_name["Nx", 1].stress == pytest.approx(2.1e9)
    assert by_name["My", 1].stress == pytest.approx(55e6)
    assert by_name["Mxy", -1].stress == pytest.approx(85e6)


def test_ply_discount_by_hand() -> None:
    # [0/90/0] under Nx: the 90° ply cracks first, the 0° plies carry all the rest.
    lam = laminate(("carbon", 0, 1e-3), ("carbon", 90, 1e-3), ("carbon", 0, 1e-3))
    for rule in ("full", "mode"):
        history = ply_discount(lam, Load(np.array([1.0, 0, 0])), "max_stress", rule)  # type: ignore[arg-type]
        assert history.steps[0].plies == (1,)
        assert history.steps[0].modes == ("matrix tension",)
        assert history.steps[1].plies == (0, 2)
        assert history.steps[1].modes == ("fibre tension", "fibre tension")
        assert history.last == pytest.approx(2.1e9 * 2e-3, rel=5e-3)
        assert history.first < history.last
    first = first_failure(lam, Load(np.array([1.0, 0, 0])), "max_stress").reserve.min()
    assert history.first == pytest.approx(first)
    nothing = ply_discount(lam, Load(), "tsai_wu")
    assert nothing.steps == ()
    assert np.isinf(nothing.last)
    with pytest.raises(TartanError, match="in-plane"):
        ply_discount(lam, Load(), "core_shear")


def test_residual_stress_brings_first_failure_forward() -> None:
    lam = laminate(*(("carbon", a, 0.125e-3) for a in (0, 90, 90, 0)))
    pull = Load(np.array([1e4, 0, 0]))
    cold = ply_discount(lam, dataclasses.replace(pull, dT=-120.0), "hashin", "mode")
    warm = ply_discount(lam, pull, "hashin", "mode")
    assert cold.first < warm.first
    assert cold.last == pytest.approx(warm.last, rel=0.05)


@pytest.mark.parametrize("faces", [(1e-3, 1e-3), (0.4e-3, 0.6e-3)])
@pytest.mark.parametrize("angle", [0.0, 30.0])
def test_core_shear_is_the_largest_anywhere_in_the_core(
    faces: tuple[float, float], angle: float
) -> None:
    # A core that bends too: its shear is a parabola whose peak lies within, off the middle.
    stiff = dataclasses.replace(FOAM, E1=8e9, E2=5e9)
    plies = (Ply("carbon", 0, faces[0]), Ply("foam", angle, 6e-3), Ply("carbon", 0, faces[1]))
    lam = make_laminate(Stack("s", plies), MATERIALS | {"foam": stiff})
    Q = np.array([2e4, -1e4])
    places = np.linspace(-1, 1, 2001)
    f = shear_distribution(lam.Qbar, lam.z, lam.compliance, places)[1] @ Q
    c, s = np.cos(lam.angles[1]), np.sin(lam.angles[1])
    own = np.abs(f @ np.array([[c, -s], [s, c]]))
    peaks = own.argmax(axis=0)
    assert ((peaks > 0) & (peaks < 2000)).any()
    np.testing.assert_allclose(core_shear(lam, 1, Q), own.max(axis=0), rtol=1e-6)


@pytest.mark.parametrize("dT", [0.0, -120.0])
def test_what_stays_of_a_case_brings_first_failure_as_the_same_load_does(dT: float) -> None:
    lam = laminate(*(("carbon", a, 0.125e-3) for a in (0, 90, 90, 0)))
    pull = np.array([1e4, 0, 0])
    case = ply_discount(lam, LoadCase("c", (*pull, 0.0, 0.0, 0.0), dT=dT), "hashin", "mode")
    assert case.first == pytest.approx(
        ply_discount(lam, Load(pull, dT=dT), "hashin", "mode").first
    )


def sandwich_of(core_angle: float = 0.0) -> Laminate:
    foam = dataclasses.replace(FOAM, E3=70e6)
    stack = Stack(
        "s", (Ply("carbon", 0, 1e-3), Ply("foam", core_angle, 20e-3), Ply("carbon", 0, 1e-3))
    )
    return make_laminate(stack, MATERIALS | {"foam": foam})


def test_sandwich_by_hand() -> None:
    lam = sandwich_of()
    check = check_sandwich(lam, 1, Load(M=np.array([1000.0, 0, 0])), np.array([2000.0, 0.0]))
    # Thin faces: stress M / (t d) in the faces, shear Q / d in the core.
    low, high = check.faces["bottom_face_x"], check.faces["top_face_x"]
    assert low.mean_stress == pytest.approx(-1000 / (1e-3 * 21e-3), rel=3e-3)
    assert np.isinf(high.reserve)
    assert low.wrinkling_stress == pytest.approx(wrinkling_thick(140e9, 70e6, 23e6))
    assert low.reserve == pytest.approx(-low.wrinkling_stress / low.mean_stress)
    assert check.tau_13 == pytest.approx(2000 / 21e-3, rel=3e-3)
    assert check.core_reserve == pytest.approx(0.8e6 / check.tau_13)
    turned = core_shear(sandwich_of(90.0), 1, np.array([2000.0, 0.0]))
    assert turned[1] == pytest.approx(check.tau_13, rel=1e-3)
    assert turned[0] < 1e-3 * turned[1]


def test_both_faces_of_a_sandwich_bear_their_share() -> None:
    lam = sandwich_of()
    pressed = check_sandwich(lam, 1, Load(N=np.array([-1e5, 0, 0])), np.zeros(2)).faces
    assert set(pressed) == {f"{f}_face_{a}" for f in ("bottom", "top") for a in "xy"}
    for name in ("bottom_face_x", "top_face_x"):
        # The core is a thousandth as stiff and ten times as thick as both faces together.
        assert pressed[name].mean_stress == pytest.approx(-1e5 / 2e-3, rel=0.01)
        assert pressed[name].reserve == pytest.approx(
            pressed[name].wrinkling_stress / -pressed[name].mean_stress
        )


def test_a_stress_that_is_no_number_is_told_with_its_place(unsymmetric: Laminate) -> None:
    stress = np.zeros((3, 3, 3))
    stress[1, 2, 0] = np.nan
    with pytest.raises(CriterionError, match="ply 2 at the top is not a number"):
        reserve_of_stresses(unsymmetric, stress, None, "max_stress")


def test_closed_forms_of_a_sandwich() -> None:
    # Allen 1969: a core of 10 MPa, 20 mm, between faces of 1 mm crimps at G d²/tc.
    assert crimping_load(10e6, 20e-3, 1e-3) == pytest.approx(10e6 * 0.021**2 / 0.02)
    # Thin-core wrinkling falls with the core's thickness, thick-core wrinkling does not know it.
    assert wrinkling_thin(70e9, 1e-3, 100e6, 20e-3) == pytest.approx(
        0.82 * np.sqrt(70e9 * 100e6 / 20)
    )
    # Norris 1964: 2 E/(1 - ν²) (t/s)².
    assert dimpling_stress(70e9, 0.3, 0.3e-3, 6e-3) == pytest.approx(2 * 70e9 / 0.91 * 0.0025)


def test_sandwich_refuses_what_is_none() -> None:
    lam = sandwich_of()
    with pytest.raises(StackError, match="between two faces"):
        check_sandwich(lam, 0, Load(), np.zeros(2))
    with pytest.raises(MaterialError, match="E3"):
        check_sandwich(
            laminate(("carbon", 0, 1e-3), ("foam", 0, 2e-2), ("carbon", 0, 1e-3)),
            1,
            Load(),
            np.zeros(2),
        )


TUBE = dataclasses.replace(STEEL, nu13=0.3, nu23=0.3)
WOUND = dataclasses.replace(CARBON, E3=9e9, nu13=0.3, nu23=0.4)


def tube(*plies: tuple[str, float, float]) -> Laminate:
    stack = Stack("tube", tuple(Ply(*p) for p in plies))
    return make_laminate(stack, {"steel": TUBE, "wound": WOUND})


def test_thick_cylinder_is_lames_when_isotropic() -> None:
    # S. P. Timoshenko, J. N. Goodier, Theory of Elasticity, 3rd ed., eq. 45; plane ends free.
    a, b, p = 0.05, 0.08, 100e6
    found = thick_cylinder(
        tube(("steel", 0, 0.01), ("steel", 30, 0.02)), a, CylinderLoad(inside=p)
    )
    k = p * a**2 / (b**2 - a**2)
    r = np.array([[0.05, 0.055, 0.06], [0.06, 0.07, 0.08]])
    np.testing.assert_allclose(found.stress[..., 1], k * (1 + b**2 / r**2), rtol=1e-9)
    np.testing.assert_allclose(found.stress[..., 2], k * (1 - b**2 / r**2), rtol=1e-9, atol=1e-2)
    np.testing.assert_allclose(found.stress[..., 0], 0, atol=1.0)
    assert found.eps_axial == pytest.approx(-2 * 0.3 * k / 210e9)
    assert found.u_outer == pytest.approx(2 * k * b / 210e9)


def test_thick_cylinder_torque_and_caps() -> None:
    a, b = 0.04, 0.05
    lam = tube(("steel", 0, 0.01))
    J = np.pi / 2 * (b**4 - a**4)
    twisted = thick_cylinder(lam, a, CylinderLoad(torque=500.0))
    assert twisted.twist == pytest.approx(500 / (TUBE.G12 * J))
    np.testing.assert_allclose(twisted.stress[0, :, 3], 500 * np.array([a, 0.045, b]) / J)
    capped = thick_cylinder(lam, a, CylinderLoad(inside=1e6, outside=2e5, closed=True))
    assert capped.force == pytest.approx(np.pi * (1e6 * a**2 - 2e5 * b**2))
    hot = thick_cylinder(lam, a, CylinderLoad(dT=50.0, axial_held=True))
    assert hot.eps_axial == pytest.approx(0, abs=1e-15)
    with pytest.raises(PartError, match="radius"):
        thick_cylinder(lam, 0.0, CylinderLoad())


def test_thick_cylinder_tends_to_the_thin_one() -> None:
    plies = [("wound", a, 1e-4) for a in (55, -55, -55, 55)]
    lam, R = tube(*plies), 2.0
    thick = thick_cylinder(lam, R, CylinderLoad(inside=1e5, closed=True))
    N = thin_resultants(R + 2e-4, 1e5, closed=True)
    thin, _ = respond_mixed(
        lam, np.array([False] * 3 + [True] * 3), np.concatenate([N, np.zeros(3)]), Load()
    )
    assert thick.eps_axial == pytest.approx(thin.eps0[0], rel=2e-3)
    assert thick.u_inner / R == pytest.approx(thin.eps0[1], rel=2e-3)
    with pytest.raises(PartError, match="radius"):
        thin_resultants(-1.0, 1.0, closed=True)
    with pytest.raises(MaterialError, match="E3"):
        thick_cylinder(laminate(("carbon", 0, 1e-3)), 1.0, CylinderLoad())


def test_many_loads_agree_with_one_by_one(unsymmetric: Laminate) -> None:
    rng = np.random.default_rng(2)
    loads = rng.normal(size=(5, 6)) * np.array([1e5, 1e5, 5e4, 20, 20, 10])
    fixed = Load(dT=-50.0)
    sets = {"ply": ("tsai_wu", "puck"), "woven": ("tsai_wu", "puck")}
    section = np.zeros((len(loads), 8))
    section[:, :6] = loads @ unsymmetric.compliance
    found = reserves(
        checks_of(unsymmetric, sets),
        stress_from_section(unsymmetric, section),
        residual=respond(unsymmetric, fixed).stress_12,
    )
    for k, row in enumerate(loads):
        for key in ("tsai_wu", "puck"):
            load = dataclasses.replace(fixed, N=row[:3], M=row[3:])
            one = first_failure(unsymmetric, load, key)
            np.testing.assert_allclose(found.of_rule(key)[k], one.reserve, rtol=1e-9)


@pytest.mark.parametrize("key", ["tsai_wu", "hashin", "max_strain", "tsai_hill"])
def test_candidates_agree_with_laminates(key: str) -> None:
    rng = np.random.default_rng(4)
    kinds = [
        Ply("carbon", 0.0, 0.2e-3),
        Ply("steel", 0.0, 0.5e-3),
        Ply("carbon", -45.0, 0.1e-3),
        Ply("carbon", 90.0, 0.2e-3),
        Ply("carbon", 30.0, 0.2e-3),
    ]
    chosen = rng.integers(0, 5, (20, 9))
    loads = np.array([[1e5, -3e4, 2e4, 30.0, -10.0, 5.0], [-2e4, 5e4, 0.0, 10.0, 40.0, 0.0]])
    used = [MATERIALS[p.material] for p in kinds]
    keys = [(key,) if p.material == "carbon" else ("von_mises",) for p in kinds]
    reserve = layers_of(kinds, used, keys).reserves(chosen, loads)
    stiff = Stiffness.of(PlySet(tuple(kinds), (2, 2, 2, 2, 1), symmetric=False), MATERIALS)
    A, B, D = stiff.abd(chosen)
    for k, row in enumerate(chosen):
        lam = laminate(*((kinds[q].material, kinds[q].angle, kinds[q].thickness) for q in row))
        ABD = np.block([[A[k], B[k]], [B[k], D[k]]])
        np.testing.assert_allclose(ABD, lam.ABD, rtol=1e-9, atol=1e-9 * lam.ABD.max())
        each = []
        for name, rule in (("carbon", key), ("steel", "von_mises")):
            own = [i for i, q in enumerate(row) if kinds[q].material == name]
            for load in loads:
                response = respond(lam, Load(load[:3], load[3:])).stress_12[own][:, [0, 2]]
                found = criterion(rule).evaluate(
                    strengths_of(MATERIALS[name], criterion(rule)), response
                )
                each.append(found.reserve.min() if own else np.inf)
        assert reserve[k] == pytest.approx(min(each), rel=1e-8)
    with pytest.raises(StackError, match="thickness"):
        layers_of([dataclasses.replace(kinds[0], thickness=0.0)], used[:1], keys[:1])
    with pytest.raises(CriterionError, match="many stacks"):
        layers_of(kinds[:1], used[:1], [("puck",)])
