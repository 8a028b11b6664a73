"""Random laminates under random loads against theory written out again, and by invariants.

Nothing of the program is used to build the reference: stiffness by tensor rotation in full index
notation, integrals by Gauss points through the thickness, reserve factors by bisection.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from tartan.core.criteria import REGISTRY
from tartan.core.laminate import Laminate
from tartan.core.laminate.constants import membrane
from tartan.core.laminate.response import Load, respond, respond_mixed
from tartan.core.materials import Material
from tartan.core.strength.critical import critical_loads
from tartan.core.strength.reserve import first_failure
from tests.conftest import CARBON, GLASS, laminate

Array = NDArray[np.float64]
Plies = list[tuple[str, float, float]]

PLIES = st.lists(
    st.tuples(
        st.sampled_from(["carbon", "glass"]),
        st.floats(-90, 90, allow_nan=False),
        st.floats(0.05e-3, 0.8e-3),
    ),
    min_size=1,
    max_size=7,
)
FORCES = st.tuples(*[st.floats(-3e5, 3e5)] * 3)
MOMENTS = st.tuples(*[st.floats(-60, 60)] * 3)
HEAT = st.floats(-150, 150)
OFFSETS = st.floats(-2, 2)
TURNS = st.floats(-180, 180)
IN_PLANE = [k for k, r in REGISTRY.items() if r.stress == "in-plane" and k != "von_mises"]
WORDS = {"carbon": CARBON, "glass": GLASS}


def loads(forces: tuple[float, ...], moments: tuple[float, ...], heat: float = 0.0) -> Load:
    return Load(np.array(forces), np.array(moments), heat)


def tensor(material: Material) -> Array:
    """Plane-stress stiffness Q_ijkl in ply axes, shape (2, 2, 2, 2)."""
    d = 1 - material.nu12**2 * material.E2 / material.E1
    q = np.zeros((2, 2, 2, 2))
    q[0, 0, 0, 0] = material.E1 / d
    q[1, 1, 1, 1] = material.E2 / d
    q[0, 0, 1, 1] = q[1, 1, 0, 0] = material.nu12 * material.E2 / d
    for i, j, k, m in ((0, 1, 0, 1), (0, 1, 1, 0), (1, 0, 0, 1), (1, 0, 1, 0)):
        q[i, j, k, m] = material.G12
    return q


def axes(angle: float) -> Array:
    """Rows are the ply's axes 1 and 2 in x and y."""
    c, s = np.cos(np.deg2rad(angle)), np.sin(np.deg2rad(angle))
    return np.array([[c, s], [-s, c]])


def rotated(q: Array, angle: float) -> Array:
    a = axes(angle)
    return np.einsum("ai,bj,ck,dl,abcd->ijkl", a, a, a, a, q)


def voigt(q: Array) -> Array:
    """3 × 3 matrix for xx, yy, xy with engineering shear."""
    pairs = ((0, 0), (1, 1), (0, 1))
    return np.array([[q[(*a, *b)] for b in pairs] for a in pairs])


def abd(plies: Plies, offset: float) -> Array:
    """A, B and D by three Gauss points a ply, which are exact for z²."""
    points, weights = np.polynomial.legendre.leggauss(3)
    z = -sum(t for *_, t in plies) / 2 + offset
    whole = np.zeros((6, 6))
    for name, angle, t in plies:
        q = voigt(rotated(tensor(WORDS[name]), angle))
        for p, w in zip(points, weights, strict=True):
            at = z + t / 2 * (1 + p)
            whole += np.kron([[1, at], [at, at * at]], q) * w * t / 2
        z += t
    return whole


def blocks(lam: Laminate) -> Array:
    return np.block([[lam.A, lam.B], [lam.B, lam.D]])


def scales(thickness: float) -> Array:
    """Sizes that make entries of ABD comparable."""
    s = np.concatenate([np.ones(3), np.full(3, thickness)])
    return np.outer(s, s)


@given(PLIES, OFFSETS)
def test_stiffness_is_the_integral_of_the_rotated_tensor(plies: Plies, share: float) -> None:
    h = sum(t for *_, t in plies)
    lam = laminate(*plies, offset=share * h)
    exact = abd(plies, share * h) / scales(h)
    np.testing.assert_allclose(blocks(lam) / scales(h), exact, atol=1e-11 * np.abs(exact).max())
    assert np.linalg.eigvalsh(blocks(lam) / scales(h)).min() > 0


@given(PLIES, FORCES, MOMENTS, HEAT)
def test_response_is_that_of_the_integral_and_balances_the_load(
    plies: Plies, forces: tuple[float, ...], moments: tuple[float, ...], heat: float
) -> None:
    lam, load = laminate(*plies), loads(forces, moments, heat)
    found, z = respond(lam, load), -sum(t for *_, t in plies) / 2
    total = np.zeros(6)
    points, weights = np.polynomial.legendre.leggauss(3)
    for name, angle, t in plies:
        material, a = WORDS[name], axes(angle)
        q = voigt(rotated(tensor(material), angle))
        swell = np.diag([material.alpha1 or 0.0, material.alpha2 or 0.0]) * heat
        e = a.T @ swell @ a
        free = np.array([e[0, 0], e[1, 1], 2 * e[0, 1]])
        for p, w in zip(points, weights, strict=True):
            at = z + t / 2 * (1 + p)
            stress = q @ (found.eps0 + at * found.kappa - free)
            total += np.concatenate([stress, at * stress]) * w * t / 2
        z += t
    asked = np.concatenate([load.N, load.M])
    size = np.abs(asked).max() + abs(heat) * 10 + 1e-6
    np.testing.assert_allclose(total, asked, atol=1e-8 * size)


@given(PLIES, FORCES, MOMENTS, HEAT, st.floats(-3, 3))
def test_answers_add_up_and_grow_with_the_load(
    plies: Plies, forces: tuple[float, ...], moments: tuple[float, ...], heat: float, by: float
) -> None:
    lam = laminate(*plies)
    one, other = loads(forces, (0.0, 0.0, 0.0), heat), loads((0.0, 0.0, 0.0), moments)
    both = Load(by * one.N, by * one.M + other.M, by * heat)
    found = respond(lam, both).stress_12
    expected = by * respond(lam, one).stress_12 + respond(lam, other).stress_12
    # What free expansion leaves of E α ΔT is rounding.
    size = np.abs(respond(lam, one).stress_12).max() + np.abs(expected).max() + 1e6
    np.testing.assert_allclose(found, expected, atol=1e-9 * size)


def turned_load(load: Load, turn: float) -> Load:
    """The load seen in axes that turn with the laminate."""
    c, s = np.cos(np.deg2rad(turn)), np.sin(np.deg2rad(turn))

    def turned(n: Array) -> Array:
        whole = np.array([[n[0], n[2]], [n[2], n[1]]])
        r = np.array([[c, -s], [s, c]])
        found = r @ whole @ r.T
        return np.array([found[0, 0], found[1, 1], found[0, 1]])

    return Load(turned(load.N), turned(load.M), load.dT, load.dT_gradient, load.dC)


@given(PLIES, FORCES, MOMENTS, HEAT, TURNS)
def test_a_turned_laminate_under_a_turned_load_has_the_same_ply_stresses(
    plies: Plies,
    forces: tuple[float, ...],
    moments: tuple[float, ...],
    heat: float,
    turn: float,
) -> None:
    load = loads(forces, moments, heat)
    one = respond(laminate(*plies), load).stress_12
    turned = laminate(*((m, a + turn, t) for m, a, t in plies))
    other = respond(turned, turned_load(load, turn)).stress_12
    np.testing.assert_allclose(other, one, atol=1e-8 * (np.abs(one).max() + 1e4))


@given(PLIES, FORCES, MOMENTS, HEAT)
def test_turned_upside_down_the_plies_bear_the_same(
    plies: Plies, forces: tuple[float, ...], moments: tuple[float, ...], heat: float
) -> None:
    """Seen from the other side moments change sign, and bottom and top exchange."""
    load = loads(forces, moments, heat)
    one = respond(laminate(*plies), load).stress_12
    mirrored = Load(load.N, -load.M, load.dT)
    other = respond(laminate(*plies[::-1]), mirrored).stress_12[::-1, ::-1]
    np.testing.assert_allclose(other, one, atol=1e-8 * (np.abs(one).max() + 1e4))


@given(PLIES, FORCES, MOMENTS, HEAT, OFFSETS)
def test_the_reference_surface_is_a_way_of_speaking(
    plies: Plies,
    forces: tuple[float, ...],
    moments: tuple[float, ...],
    heat: float,
    share: float,
) -> None:
    """The same forces in space, with moments about the moved surface: the same stresses."""
    e = share * sum(t for *_, t in plies)
    load = loads(forces, moments, heat)
    one = respond(laminate(*plies), load).stress_12
    # Heat is uniform here; its gradient is counted from mid-thickness.
    moved = Load(load.N, load.M + e * load.N, load.dT)
    other = respond(laminate(*plies, offset=e), moved).stress_12
    np.testing.assert_allclose(other, one, atol=1e-7 * (np.abs(one).max() + 1e4))


@given(PLIES, st.lists(st.booleans(), min_size=6, max_size=6), FORCES, MOMENTS)
def test_prescribed_strains_and_forces_undo_each_other(
    plies: Plies, known: list[bool], forces: tuple[float, ...], moments: tuple[float, ...]
) -> None:
    """What a load causes, prescribed in part as deformation, asks for that load again."""
    lam, load = laminate(*plies), loads(forces, moments)
    found = respond(lam, load)
    strain = np.concatenate([found.eps0, found.kappa])
    resultants = np.concatenate([load.N, load.M])
    mask = np.array(known)
    again, asked = respond_mixed(lam, mask, np.where(mask, strain, resultants), Load())
    s = np.concatenate([np.ones(3), np.full(3, lam.thickness)])
    size = np.abs(resultants / s).max() + 1.0
    np.testing.assert_allclose(asked / s, resultants / s, atol=1e-6 * size)
    stress = np.abs(found.stress_12).max() + 1.0
    np.testing.assert_allclose(again.stress_12, found.stress_12, atol=1e-6 * stress)


def fails(key: str, material: Material, stress: Array) -> bool:
    """Whether criteria written out here have a state beyond failure."""
    s1, s2, t = stress
    m = material
    x = m.Xt if s1 >= 0 else m.Xc
    y = m.Yt if s2 >= 0 else m.Yc
    forms: dict[str, Callable[[], float]] = {
        "max_stress": lambda: max(abs(s1) / x, abs(s2) / y, abs(t) / m.S12),
        "tsai_hill": lambda: (s1 / x) ** 2 - s1 * s2 / x**2 + (s2 / y) ** 2 + (t / m.S12) ** 2,
        "hoffman": lambda: (
            s1**2 / (m.Xt * m.Xc)
            + s2**2 / (m.Yt * m.Yc)
            - s1 * s2 / (m.Xt * m.Xc)
            + (1 / m.Xt - 1 / m.Xc) * s1
            + (1 / m.Yt - 1 / m.Yc) * s2
            + (t / m.S12) ** 2
        ),
        "tsai_wu": lambda: (
            s1**2 / (m.Xt * m.Xc)
            + s2**2 / (m.Yt * m.Yc)
            - s1 * s2 / np.sqrt(m.Xt * m.Xc * m.Yt * m.Yc)
            + (1 / m.Xt - 1 / m.Xc) * s1
            + (1 / m.Yt - 1 / m.Yc) * s2
            + (t / m.S12) ** 2
        ),
    }
    return forms[key]() > 1


@settings(max_examples=40)
@given(
    PLIES,
    FORCES,
    MOMENTS,
    HEAT,
    st.sampled_from(["max_stress", "tsai_hill", "hoffman", "tsai_wu"]),
)
def test_the_reserve_factor_is_where_a_growing_load_fails_a_ply(
    plies: Plies, forces: tuple[float, ...], moments: tuple[float, ...], heat: float, key: str
) -> None:
    """Heat stays while the load grows; the first ply fails at the factor and not before."""
    lam, load = laminate(*plies), loads(forces, moments, 0.2 * heat)
    held = respond(lam, Load(dT=load.dT)).stress_12
    grows = respond(lam, Load(load.N, load.M)).stress_12
    materials = [WORDS[name] for name, *_ in plies]

    def any_fails(factor: float) -> bool:
        states = held + factor * grows
        return any(fails(key, m, s) for m, ply in zip(materials, states, strict=True) for s in ply)

    reserve = float(first_failure(lam, load, key).reserve.min())
    if any_fails(0.0):
        assert reserve == 0.0
        return
    if not np.isfinite(reserve) or reserve > 1e6:
        assert not any_fails(1e5)
        return
    assert not any_fails(reserve * (1 - 1e-6))
    assert any_fails(reserve * (1 + 1e-6))


@settings(max_examples=30)
@given(PLIES, st.sampled_from(IN_PLANE))
def test_critical_loads_are_where_the_reserve_factor_is_one(plies: Plies, key: str) -> None:
    lam = laminate(*plies)
    found = critical_loads(lam, key)
    assert len(found) > 0
    names = ("Nx", "Ny", "Nxy", "Mx", "My", "Mxy")
    assert {(f.component, f.sign) for f in found} == {(n, s) for n in names for s in (1, -1)}
    for each in found:
        assert np.isfinite(each.load)
        resultants = np.zeros(6)
        resultants[names.index(each.component)] = each.sign * each.load
        least = first_failure(lam, Load(resultants[:3], resultants[3:]), key).reserve.min()
        assert least == pytest.approx(1.0, rel=1e-6)


@given(st.floats(-90, 90), st.floats(0.1e-3, 5e-3))
def test_a_single_ply_has_the_moduli_of_its_direction(angle: float, t: float) -> None:
    """1/Ex = c⁴/E1 + (1/G12 − 2 ν12/E1) c² s² + s⁴/E2, from the compliance's rotation."""
    c, s, m = np.cos(np.deg2rad(angle)), np.sin(np.deg2rad(angle)), CARBON
    form = membrane(laminate(("carbon", angle, t)))
    mixed = 1 / m.G12 - 2 * m.nu12 / m.E1
    assert 1 / form.Ex == pytest.approx(c**4 / m.E1 + mixed * c**2 * s**2 + s**4 / m.E2, rel=1e-9)
    assert 1 / form.Ey == pytest.approx(s**4 / m.E1 + mixed * c**2 * s**2 + c**4 / m.E2, rel=1e-9)
    shear = 2 * (2 / m.E1 + 2 / m.E2 + 4 * m.nu12 / m.E1 - 1 / m.G12) * c**2 * s**2
    assert 1 / form.Gxy == pytest.approx(shear + (c**4 + s**4) / m.G12, rel=1e-9)


@given(PLIES, st.integers(2, 4))
def test_plies_cut_into_thinner_ones_change_nothing(plies: Plies, parts: int) -> None:
    cut = [(m, a, t / parts) for m, a, t in plies for _ in range(parts)]
    one, other = laminate(*plies), laminate(*cut)
    s = scales(one.thickness)
    size = np.abs(blocks(one) / s).max()
    np.testing.assert_allclose(blocks(other) / s, blocks(one) / s, atol=1e-11 * size)
    np.testing.assert_allclose(other.shear, one.shear, atol=1e-8 * np.abs(one.shear).max())
