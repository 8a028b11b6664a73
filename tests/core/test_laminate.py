"""Stiffness, shear and response by exact identities."""

import dataclasses

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tartan.core.errors import MaterialError, StackError
from tartan.core.laminate import Laminate, make_laminate
from tartan.core.laminate.constants import coupling_ratios, describe_couplings, flexural, membrane
from tartan.core.laminate.polar import polar_moduli
from tartan.core.laminate.response import (
    Load,
    respond,
    shear_from_section,
    stress_from_section,
)
from tartan.core.stack import Stack, operations
from tests.conftest import CARBON, FOAM, MATERIALS, laminate

ANGLES = st.lists(st.floats(-90, 90), min_size=1, max_size=8)


def of_angles(angles: list[float], offset: float = 0.0) -> Laminate:
    return laminate(*(("carbon", a, 0.2e-3) for a in angles), offset=offset)


@given(ANGLES)
def test_symmetric_stack_has_no_coupling(angles: list[float]) -> None:
    lam = of_angles([*angles, *angles[::-1]])
    assert np.abs(lam.B).max() < 1e-12 * np.abs(lam.A).max() * lam.thickness
    assert coupling_ratios(lam)["stretch_bend"] < 1e-9


@given(ANGLES)
def test_reversal_turns_coupling_round(angles: list[float]) -> None:
    one, other = of_angles(angles), of_angles(angles[::-1])
    np.testing.assert_allclose(other.A, one.A, rtol=1e-12, atol=1e-15 * one.A.max())
    np.testing.assert_allclose(other.D, one.D, rtol=1e-10, atol=1e-12 * one.D.max())
    np.testing.assert_allclose(other.B, -one.B, atol=1e-12 * one.A.max() * one.thickness)


@given(ANGLES, st.floats(-180, 180))
def test_rotation_is_a_change_of_axes(angles: list[float], turn: float) -> None:
    lam = of_angles(angles)
    turned = make_laminate(
        Stack("t", operations.rotate(lam.stack.plies, turn)), MATERIALS
    )  # every ply turned by +turn: the same laminate seen from axes turned by -turn
    from tartan.core.laminate.stiffness import strain_rotation

    T = strain_rotation(np.deg2rad(turn))
    for block in ("A", "B", "D"):
        seen = T.T @ getattr(lam, block) @ T
        scale = np.abs(lam.A).max() * lam.thickness ** {"A": 0, "B": 1, "D": 2}[block]
        np.testing.assert_allclose(getattr(turned, block), seen, atol=1e-9 * scale)


def test_reference_surface_moves_by_the_parallel_axis_rule(unsymmetric: Laminate) -> None:
    e = 0.8e-3
    moved = Laminate(unsymmetric.stack, unsymmetric.materials, e)
    np.testing.assert_allclose(moved.A, unsymmetric.A)
    np.testing.assert_allclose(moved.B, unsymmetric.B + e * unsymmetric.A)
    np.testing.assert_allclose(
        moved.D, unsymmetric.D + 2 * e * unsymmetric.B + e**2 * unsymmetric.A
    )
    np.testing.assert_allclose(moved.shear, unsymmetric.shear, rtol=1e-9)
    np.testing.assert_allclose(moved.compliance @ moved.ABD, np.eye(6), atol=1e-7)
    assert flexural(moved).Ex == pytest.approx(flexural(unsymmetric).Ex)


def test_shear_factor_is_five_sixths_when_homogeneous() -> None:
    one = laminate(("steel", 0, 3e-3))
    split = laminate(*(("steel", 0, 1e-3),) * 3)
    np.testing.assert_allclose(one.shear, np.eye(2) * 5 / 6 * MATERIALS["steel"].G12 * 3e-3)
    np.testing.assert_allclose(split.shear, one.shear, rtol=1e-12)


def test_shear_of_a_soft_core_is_that_of_the_core(sandwich: Laminate) -> None:
    # Thin stiff faces: H = G d²/tc (H. G. Allen 1969, eq. 2.17), exact as the core goes soft.
    d, tc = 21e-3, 20e-3
    assert FOAM.G13 is not None
    assert FOAM.G23 is not None
    assert sandwich.shear[0, 0] == pytest.approx(FOAM.G13 * d**2 / tc, rel=2e-3)
    assert sandwich.shear[1, 1] == pytest.approx(FOAM.G23 * d**2 / tc, rel=2e-2)


def test_constants_of_a_single_ply_are_its_own() -> None:
    lam = laminate(("carbon", 0, 2e-3))
    for form in (membrane(lam), flexural(lam), membrane(lam, kept_flat=True)):
        assert (form.Ex, form.Ey, form.Gxy) == pytest.approx((140e9, 9e9, 4.8e9))
        assert (form.nuxy, form.nuyx) == pytest.approx((0.3, 0.3 * 9 / 140))


def test_polar_moduli_are_the_constants_of_the_turned_laminate() -> None:
    lam = of_angles([30, -10, 75])
    for turn in (0.0, 25.0, 90.0, -60.0):
        turned = make_laminate(Stack("t", operations.rotate(lam.stack.plies, -turn)), MATERIALS)
        for bending, form in ((False, membrane), (True, flexural)):
            E, G = polar_moduli(lam, np.deg2rad(turn), bending=bending)
            assert (float(E), float(G)) == pytest.approx((form(turned).Ex, form(turned).Gxy))
    quasi = of_angles([0, 45, -45, 90, 90, -45, 45, 0])
    E, G = polar_moduli(quasi, np.linspace(0, np.pi, 7))
    np.testing.assert_allclose(E, E[0])
    np.testing.assert_allclose(G, G[0])


def test_couplings_in_words() -> None:
    assert describe_couplings(of_angles([0, 90, 90, 0])) == []
    words = dict(describe_couplings(of_angles([0, 90])))
    assert list(words) == ["Stretching also bends"]
    both = [effect for effect, _ in describe_couplings(of_angles([45, 0, 45]))]
    assert both == ["Stretching also shears", "Bending also twists"]


def integrate(lam: Laminate, values: np.ndarray, power: int) -> np.ndarray:
    """∫ values z^power dz; Simpson's rule is exact for these piecewise polynomials."""
    t = np.diff(lam.z)
    z = np.stack([lam.z[:-1], lam.z[:-1] + t / 2, lam.z[1:]], axis=1)
    weight = t[:, None] / 6 * np.array([1, 4, 1])
    return np.einsum("ns,nsi->i", weight * z**power, values)


@pytest.mark.parametrize("offset", [0.0, 1e-3])
def test_ply_stresses_add_up_to_the_load(unsymmetric: Laminate, offset: float) -> None:
    lam = Laminate(unsymmetric.stack, unsymmetric.materials, offset)
    load = Load(np.array([1e5, -2e4, 3e4]), np.array([10.0, 5.0, -7.0]), -80.0, 3e3, 0.01)
    result = respond(lam, load)
    np.testing.assert_allclose(integrate(lam, result.stress_xy, 0), load.N, rtol=1e-9, atol=1e-4)
    np.testing.assert_allclose(integrate(lam, result.stress_xy, 1), load.M, rtol=1e-9, atol=1e-7)
    section = np.concatenate([result.eps0, result.kappa, [0, 0]])
    without_heat = respond(lam, dataclasses.replace(load, dT=0.0, dT_gradient=0.0, dC=0.0))
    assert not np.allclose(result.stress_12, without_heat.stress_12)
    mechanical = np.concatenate([without_heat.eps0, without_heat.kappa, [0, 0]])
    np.testing.assert_allclose(stress_from_section(lam, mechanical), without_heat.stress_12)
    assert section.shape == (8,)


def test_free_expansion_of_one_ply_is_stress_free() -> None:
    result = respond(laminate(("carbon", 0, 1e-3)), Load(dT=-100.0))
    np.testing.assert_allclose(result.eps0, [0.3e-4, -28e-4, 0], atol=1e-12)
    np.testing.assert_allclose(result.stress_12, 0, atol=1e-3)


def test_interlaminar_shear_is_in_equilibrium(unsymmetric: Laminate) -> None:
    Q = np.array([1200.0, -700.0])
    section = np.concatenate([np.zeros(6), np.linalg.solve(unsymmetric.shear, Q)])
    tau_12 = shear_from_section(unsymmetric, section)
    c, s = np.cos(unsymmetric.angles), np.sin(unsymmetric.angles)
    back = np.moveaxis(np.array([[c, -s], [s, c]]), -1, 0)
    tau = np.einsum("nij,nsj->nsi", back, tau_12)
    np.testing.assert_allclose(integrate(unsymmetric, tau, 0), Q, rtol=1e-9)
    np.testing.assert_allclose(tau[0, 0], 0, atol=1e-6)
    np.testing.assert_allclose(tau[-1, 2], 0, atol=1e-6 * np.abs(tau).max())
    np.testing.assert_allclose(tau[:-1, 2], tau[1:, 0], rtol=1e-9)


def test_what_is_missing_is_named() -> None:
    bare = {"carbon": dataclasses.replace(CARBON, G23=None, rho=None)}
    lam = make_laminate(Stack("s", laminate(("carbon", 0, 1e-3)).stack.plies), bare)
    with pytest.raises(MaterialError, match="G23"):
        _ = lam.shear
    with pytest.raises(MaterialError, match="rho"):
        _ = lam.areal_mass
    with pytest.raises(StackError, match="finite"):
        respond(lam, Load(np.array([np.nan, 0, 0])))
    with pytest.raises(StackError, match="offset"):
        laminate(("carbon", 0, 1e-3), offset=float("nan"))
