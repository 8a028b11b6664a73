"""Thick cylinders against Lekhnitskii's closed form, from very thin walls to great exponents."""

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.laminate import Laminate, make_laminate
from tartan.core.materials import Material, isotropic
from tartan.core.stack import Ply, Stack
from tartan.core.vessel.cylinder import CylinderLoad, stiffness_3d, thick_cylinder

Array = NDArray[np.float64]


def wall(thickness: float, exponent: float, count: int = 1) -> Laminate:
    """Hoop wall whose radial solutions are r^±exponent."""
    E3 = 5e9
    material = Material(
        "wall", E3, E3 * exponent**2, 1e-3 / exponent**2, 4e9, E3=E3, nu13=0.0, nu23=0.0
    )
    plies = tuple(Ply("wall", 0.0, thickness / count) for _ in range(count))
    return make_laminate(Stack("wall", plies), {"wall": material})


def closed_form(lam: Laminate, inner: float, p: float, heights: Array) -> tuple[Array, Array]:
    """Radial and hoop stress under inner pressure in plane strain, without losing digits."""
    C, _ = stiffness_3d(lam.materials[0], 0.0)
    k = np.sqrt(C[1, 1] / C[2, 2])
    whole = np.log1p(lam.thickness / inner)
    # ln(r / outer), and c = inner / outer.
    log_rho = np.log1p(heights / inner) - whole
    front = p * np.exp(-(k + 1) * whole) / -np.expm1(-2 * k * whole) / np.exp(log_rho)
    radial = front * 2 * np.sinh(k * log_rho)
    hoop = front * 2 * k * np.cosh(k * log_rho)
    return radial, hoop


@pytest.mark.parametrize("exponent", [1.0001, 3.0, 60.0, 300.0])
@pytest.mark.parametrize("ratio", [1e-5, 1e-3, 0.05, 1.0])
def test_one_orthotropic_wall(ratio: float, exponent: float) -> None:
    inner, p = 0.3, 2e6
    for count in (1, 3):
        lam = wall(ratio * inner, exponent, count)
        found = thick_cylinder(
            lam, inner, CylinderLoad(inside=p, axial_held=True, twist_held=True)
        )
        t = lam.thickness / count
        heights = np.array([[i, i + 0.5, i + 1] for i in range(count)]) * t
        radial, hoop = closed_form(lam, inner, p, heights)
        np.testing.assert_allclose(
            found.stress[..., 1], hoop, rtol=1e-8, atol=1e-8 * np.abs(hoop).max()
        )
        np.testing.assert_allclose(found.stress[..., 2], radial, rtol=0, atol=1e-8 * p)


@pytest.mark.parametrize("ratio", [1e-5, 1e-2, 1.0])
def test_lame_with_closed_ends_torque_and_heat(ratio: float) -> None:
    E, nu, alpha, p, inner = 70e9, 0.3, 23e-6, 3e6, 0.2
    metal = isotropic("metal", E, nu, alpha=alpha)
    lam = make_laminate(Stack("m", (Ply("metal", 0.0, ratio * inner),)), {"metal": metal})
    t, outer = lam.thickness, inner + lam.thickness
    span = t * (inner + outer)
    load = CylinderLoad(inside=p, torque=500.0, dT=30.0, closed=True)
    found = thick_cylinder(lam, inner, load)
    axial = p * inner**2 / span
    r = np.array([inner, inner + t / 2, outer])
    np.testing.assert_allclose(found.stress[0, :, 0], axial, rtol=1e-8)
    np.testing.assert_allclose(found.stress[0, :, 1], axial * (1 + (outer / r) ** 2), rtol=1e-8)
    polar = np.pi / 2 * span * (inner**2 + outer**2)
    np.testing.assert_allclose(found.stress[0, :, 3], 500.0 * r / polar, rtol=1e-8)
    # Free expansion stresses nothing and adds α ΔT to every strain.
    strain = (axial * (1 + (outer / inner) ** 2) - nu * (axial - p)) / E + alpha * 30
    assert found.u_inner == pytest.approx(inner * strain, rel=1e-8)
    hoop = axial * (1 + (outer / inner) ** 2)
    assert found.eps_axial == pytest.approx((axial - nu * (hoop - p)) / E + alpha * 30, rel=1e-8)
    assert found.force == pytest.approx(np.pi * inner**2 * p, rel=1e-8)


def test_walls_beyond_resolution_are_refused() -> None:
    with pytest.raises(PartError, match="too steep"):
        thick_cylinder(wall(0.3, 1e4), 0.3, CylinderLoad(inside=1.0))
    for inner in (0.0, -1.0, float("nan"), float("inf")):
        with pytest.raises(PartError, match="inner radius"):
            thick_cylinder(wall(0.01, 2.0), inner, CylinderLoad(inside=1.0))
