"""Shells of revolution by elements against membrane theory and the classical edge solution."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.laminate import Laminate, make_laminate
from tartan.core.materials import isotropic
from tartan.core.shell import directions, loads
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.solve import ShellModel, solve
from tartan.core.shell.surfaces import revolved
from tartan.core.shell.vessel_shape import meridian_of
from tartan.core.stack import Ply, Stack
from tartan.core.vessel.meridian import Dome, Ellipsoid, Torisphere, membrane_forces

Array = NDArray[np.float64]
R, E, NU, P = 0.2, 70e9, 0.3, 1e6
OPENING = 0.04


def wall(thickness: float) -> Laminate:
    metal = isotropic("metal", E, NU)
    return make_laminate(Stack("wall", (Ply("metal", 0.0, thickness),)), {"metal": metal})


def pressed(
    dome: Dome, laminate: Laminate, length: float, counts: tuple[int, int]
) -> tuple[Mesh, Array, Array]:
    """Cylinder and dome under pressure: mesh, N and M of every element.

    Half a vessel: what its other half would do at the cylinder's foot is to hold it along z. What
    is cut out at the pole pulls along the meridian, as the membrane state has it there.
    """
    line = meridian_of(dome, OPENING)
    whole = length + line.length

    def profile(v: Array) -> Array:
        s = v * whole - length
        r, z = line.at(np.clip(s / line.length, 0.0, 1.0))
        return np.stack([r, np.where(s < 0, s, z)], axis=-1)

    mesh = revolved(profile, whole, 1.0, counts=counts)
    along = directions.along_axis(mesh, np.zeros(3), np.array([0.0, 0.0, 1.0]))
    lower, upper = (np.unique(mesh.edges[e]) for e in ("lower edge", "upper edge"))
    fixed = np.zeros((len(mesh.nodes), 6), bool)
    fixed[lower, 2] = True
    # Turns of the foot about x and y are those of a plane of symmetry; three nodes stop the rest.
    fixed[lower, 3] = fixed[lower, 4] = True
    radial = mesh.nodes[lower]
    east, west = int(lower[radial[:, 0].argmax()]), int(lower[radial[:, 0].argmin()])
    north = int(lower[radial[:, 1].argmax()])
    fixed[[east, west], 1] = fixed[north, 0] = True
    force = loads.pressure(mesh, P)
    share = 2 * np.pi * OPENING / len(upper)
    (pull,), _ = membrane_forces(dome, [OPENING], P)
    _, _, dr, dz = dome.pieces(OPENING)[-1].at(np.ones(1))
    way = np.array([dr[0], dz[0]]) / np.hypot(dr[0], dz[0])
    outward = mesh.nodes[upper, :2] / OPENING
    force[upper, :2] += pull * share * way[0] * outward
    force[upper, 2] += pull * share * way[1]
    strains = solve(ShellModel(mesh, laminate, along, fixed), force[None]).strains[0].mean(axis=1)
    N = strains[:, :3] @ laminate.A + strains[:, 3:6] @ laminate.B
    M = strains[:, :3] @ laminate.B + strains[:, 3:6] @ laminate.D
    return mesh, N, M


@pytest.mark.parametrize(
    "dome", [Ellipsoid(R, R), Ellipsoid(R, 0.14), Torisphere(R, 0.3, 0.08)], ids=str
)
def test_away_from_edges_a_dome_is_in_its_membrane_state(dome: Dome) -> None:
    h = 0.2e-3
    mesh, N, _ = pressed(dome, wall(h), 0.05, (64, 200))
    corners = mesh.nodes[mesh.corner_table]
    radius = np.hypot(corners[..., 0], corners[..., 1]).mean(axis=1)
    _, arc = dome.places(np.append(radius, OPENING))
    # Five lengths of decay from the tangent line, the opening, and where curvatures jump.
    reach = 5 * np.sqrt(R * h)
    far = (mesh.centres()[:, 2] > 0) & (arc[:-1] > reach) & (arc[-1] - arc[:-1] > reach)
    for joint in dome.joints(OPENING):
        _, at = dome.places(np.array([joint]))
        far &= np.abs(arc[:-1] - at[0]) > reach
    assert far.sum() > 1000
    along, hoop = membrane_forces(dome, radius[far], P)
    size = np.abs(along).max()
    np.testing.assert_allclose(N[far, 0], along, rtol=0.01, atol=0.003 * size)
    np.testing.assert_allclose(N[far, 1], hoop, rtol=0.01, atol=0.006 * size)


def test_bending_where_a_cylinder_meets_a_hemisphere_is_the_edge_solutions() -> None:
    h = 4e-3
    beta = (3 * (1 - NU**2)) ** 0.25 / np.sqrt(R * h)
    found = []
    for counts in ((64, 120), (96, 240)):
        mesh, N, M = pressed(Ellipsoid(R, R), wall(h), 0.25, counts)
        x = -mesh.centres()[:, 2]
        near = (x > 0) & (x < 3 / beta)
        # Timoshenko and Woinowsky-Krieger, section 116: equal thickness, Q0 = p / (8 β).
        theory = P / (8 * beta**2) * np.exp(-beta * x[near]) * np.sin(beta * x[near])
        most = P / (8 * beta**2) * np.exp(-np.pi / 4) * np.sin(np.pi / 4)
        hoop = P * R * (1 - np.exp(-beta * x[near]) * np.cos(beta * x[near]) / 4)
        found.append(np.abs(np.abs(M[near, 0]) - np.abs(theory)).max() / most)
        if counts[0] == 96:
            assert found[-1] < 0.02
            np.testing.assert_allclose(N[near, 1], hoop, rtol=0.005)
            at = np.abs(M[near, 0]).max()
            assert at == pytest.approx(most, rel=0.02)
    assert found[1] < found[0]
