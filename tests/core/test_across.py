"""Through the thickness: distributions of shear, and the stress across the plies."""

import dataclasses

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.errors import StackError
from tartan.core.laminate import Laminate
from tartan.core.laminate.across import balanced, stress_across
from tartan.core.laminate.loadcase import LoadCase, answer, check_load_case
from tartan.core.laminate.shear import GROWTH, growth_distribution, shear_distribution
from tartan.core.laminate.tube import TubeLoad
from tartan.core.vessel.thick import CylinderLoad, thick_cylinder
from tests.conftest import laminate as of
from tests.exact_bending import levels, plies

Array = NDArray[np.float64]


def numbers(laminate: Laminate, x: Array, y: Array, count: int = 4000) -> tuple[Array, Array]:
    """Shears xz, yz from forces' slopes along x and y, by sums over thin slices; and heights."""
    S = laminate.compliance
    height = laminate.z[-1] - laminate.z[0]
    edges = laminate.z[0] + np.linspace(0, height, count + 1)
    middle = (edges[1:] + edges[:-1]) / 2
    ply = np.clip(np.searchsorted(laminate.z, middle) - 1, 0, laminate.count - 1)
    sx, sy = (
        np.einsum("qij,qj->qi", laminate.Qbar[ply], (S @ v)[:3] + middle[:, None] * (S @ v)[3:])
        for v in (x, y)
    )
    rate = -np.stack([sx[:, 0] + sy[:, 2], sx[:, 2] + sy[:, 1]], axis=1)
    sums = np.concatenate([np.zeros((1, 2)), np.cumsum(rate, axis=0)]) * height / count
    return sums, edges


def test_distributions_are_sums_of_the_stresses_in_the_plane() -> None:
    laminate = of(("carbon", 20, 1e-3), ("foam", 0, 4e-3), ("glass", -35, 0.7e-3), offset=1.3e-3)
    rng = np.random.default_rng(5)
    Q, growth = rng.normal(size=2) * 1e3, rng.normal(size=8) * np.repeat([1e5, 1e2], 4)
    g = dict(zip(GROWTH, growth, strict=True))
    x = np.array([-g["Nxy,y"], g["Ny,x"], g["Nxy,x"], Q[0] - g["Mxy,y"], g["My,x"], g["Mxy,x"]])
    y = np.array([g["Nx,y"], -g["Nxy,x"], g["Nxy,y"], g["Mx,y"], Q[1] - g["Mxy,x"], g["Mxy,y"]])
    sums, heights = numbers(laminate, x, y)
    places = np.array([-1.0, 0.0, 1.0])
    given = laminate.Qbar, laminate.z, laminate.compliance, places
    found = shear_distribution(*given) @ Q + growth_distribution(*given) @ growth
    size = np.abs(sums).max()
    at = levels(laminate)
    for c in (0, 1):
        wanted = np.interp(at.ravel(), heights, sums[:, c]).reshape(-1, 3)
        np.testing.assert_allclose(found[..., c], wanted, atol=2e-3 * size)
    assert np.abs(found[[0, -1], [0, -1]]).max() < 1e-9 * size
    # Their sum is the transverse force, whatever grows beside it.
    means = (found[:, 0] + 4 * found[:, 1] + found[:, 2]) / 6
    force = (np.diff(laminate.z)[:, None] * means).sum(axis=0)
    np.testing.assert_allclose(force, Q, rtol=1e-9)


def test_what_presses_on_both_faces_is_what_ends_at_them() -> None:
    laminate = of(("carbon", 20, 1e-3), ("glass", -35, 0.7e-3), offset=-0.4e-3)
    rng = np.random.default_rng(6)
    forces = rng.normal(size=(30, 6)) * np.repeat([1e5, 1e2], 3)
    second = rng.normal(size=(30, 6, 3)) * np.repeat([1e7, 1e4], 3)[:, None]
    curved, faces = rng.normal(size=(30, 3)), rng.normal(size=(30, 2)) * 1e5
    borne = balanced(forces, second, curved, faces[:, 0] - faces[:, 1])
    for k in (0, 3):
        left = borne[:, k, 0] + 2 * borne[:, k + 2, 1] + borne[:, k + 1, 2]
        wanted = 0.0 if k == 0 else (curved * forces[:, :3]).sum(1) - faces[:, 0] + faces[:, 1]
        np.testing.assert_allclose(left, wanted, atol=1e-6 * np.abs(second[:, k]).max())
    found = stress_across(laminate, forces, borne, curved, faces)
    size = np.abs(found).max()
    np.testing.assert_allclose(found[:, 0, 0], -faces[:, 0], atol=1e-9 * size)
    np.testing.assert_allclose(found[:, -1, 2], -faces[:, 1], atol=1e-9 * size)
    np.testing.assert_allclose(found[:, 0, 2], found[:, 1, 0], atol=1e-9 * size)


def test_a_bent_bar_that_is_curved_is_peeled_as_the_formula_says() -> None:
    # A. Wahl's limit of Lekhnitskii's bar: 3 M / (2 R h) in the middle of a thin one.
    laminate = plies(0.0, 0.0, thickness=4e-3)
    forces = np.array([0.0, 0, 0, 50.0, 0, 0])
    curved = np.array([1 / 0.1, 0.0, 0.0])
    borne = balanced(forces, np.zeros((6, 3)), curved, np.array(0.0))
    found = stress_across(laminate, forces, borne, curved, np.zeros(2))
    # Tension above, where it bulges, is a moment that bends it further: its plies press.
    assert found[0, 2] == pytest.approx(-1.5 * 50.0 / (0.1 * 4e-3))
    assert found[0, 0] == pytest.approx(0, abs=1)
    assert found[1, 2] == pytest.approx(0, abs=1)


def test_a_tube_under_pressure_is_pressed_as_a_thick_one() -> None:
    inner, h, p = 0.3, 3e-3, 2e6
    wall = plies(55.0, -55.0, 10.0, 90.0, thickness=h)
    middle = inner + h / 2
    strain = np.linalg.solve(wall.ABD[:3, :3], [0.0, p * inner, 0.0])
    forces = wall.ABD[:, :3] @ strain
    curved = np.array([0.0, 1 / middle, 0.0])
    borne = balanced(forces, np.zeros((6, 3)), curved, np.array(p))
    found = stress_across(wall, forces, borne, curved, np.array([p, 0.0]))
    exact = thick_cylinder(wall, inner, CylinderLoad(inside=p)).stress[..., 2]
    np.testing.assert_allclose(found, exact, atol=0.015 * p)
    assert exact[0, 0] == pytest.approx(-p)


def test_the_wall_of_a_tube_has_no_growth() -> None:
    flat = LoadCase("spot", Q=(1e3, 0.0), growth=(0.0,) * 4 + (2e3, 0.0, -1e3, 0.0))
    assert flat.grows
    tube = dataclasses.replace(flat, tube=TubeLoad(0.1))
    assert not tube.grows
    assert not tube.shearing.any()
    assert not tube.held_shearing.any()
    wall = plies(20.0, -40.0, 20.0, thickness=3e-3)
    assert np.abs(answer(wall, flat).shear).max() > 0
    assert not answer(wall, tube).shear.any()


@pytest.mark.parametrize("value", [np.nan, np.inf, 1e300])
def test_growth_beyond_sense_is_refused(value: float) -> None:
    for field in ("growth", "held_growth"):
        loads = LoadCase("spot", **{field: (value, *(0.0,) * 7)})
        with pytest.raises(StackError, match=r"finite|beyond"):
            check_load_case(loads)
