"""A simply supported rectangular plate of plies under a sinusoidal pressure, as bricks.

Source: N. J. Pagano, J. Composite Materials 4 (1970) 20–34, whose exact solution it is held to.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.stiffness import Laminate
from tartan.core.solid import model
from tartan.core.solid.slab import Slab, by_ply, slab

Array = NDArray[np.float64]

MIDDLE = np.zeros((1, 3))


@dataclass(frozen=True, eq=False)
class SolidPlate:
    """Figures of the plate, by ply at its bottom, middle and top.

    Attributes
    ----------
    w_mid, w_top, w_bottom : float
        Deflection of the middle at mid-thickness, top and bottom [m].
    w_center, u_edge, v_edge : ndarray, shape (n, 3)
        Displacements at (a/2, b/2), (0, b/2) and (a/2, 0) [m].
    sigma_x_center, sigma_y_center, sigma_z_center : ndarray, shape (n, 3)
        Stresses at (a/2, b/2) [Pa].
    tau_xy_corner, tau_xz_edge, tau_yz_edge : ndarray, shape (n, 3)
        Shear at (0, 0), (0, b/2) and (a/2, 0) [Pa].
    """

    w_mid: float
    w_top: float
    w_bottom: float
    w_center: Array
    u_edge: Array
    v_edge: Array
    sigma_x_center: Array
    sigma_y_center: Array
    sigma_z_center: Array
    tau_xy_corner: Array
    tau_xz_edge: Array
    tau_yz_edge: Array


def bent(
    laminate: Laminate, a: float, b: float, q0: float, *, across: int = 16, per_ply: int = 6
) -> SolidPlate:
    """Solve a quarter of the plate; its two lines of symmetry are used.

    Parameters
    ----------
    laminate : Laminate
        Its plies, at 0° or 90°: others do not keep the symmetry.
    a, b : float
        Sides [m].
    q0 : float
        Greatest pressure on the top face, along +z [Pa].
    across : int
        Elements along half a side.
    per_ply : int
        Elements through every ply.

    Raises
    ------
    PartError
        What memory does not hold.
    MaterialError
        A material without what three dimensions need.
    """
    count = (across + 1) ** 2 * (per_ply * laminate.count + 1)
    model.check_size(count, per_ply * laminate.count + 1)
    x, y = np.linspace(0, a / 2, across + 1), np.linspace(0, b / 2, across + 1)
    made = slab(laminate, x, y, per_ply)
    nodes = made.mesh.nodes
    fixed = np.zeros((len(nodes), 3), bool)
    # At x = 0: v = w = 0; at y = 0: u = w = 0; u = 0 at a/2 and v = 0 at b/2 by symmetry.
    at_x, at_y = nodes[:, 0] == x[0], nodes[:, 1] == y[0]
    fixed[at_x, 1] = fixed[at_x, 2] = fixed[at_y, 0] = fixed[at_y, 2] = True
    fixed[nodes[:, 0] == x[-1], 0] = fixed[nodes[:, 1] == y[-1], 1] = True
    u = model.solve(made.mesh, _pressed(made, a, b, q0), fixed)
    return _read(made, u)


def _pressed(made: Slab, a: float, b: float, q0: float) -> Array:
    """Nodal forces of the sinusoidal pressure on the top face, integrated exactly."""

    def share(lines: Array, side: float) -> Array:
        """∫ N sin(π s / side) ds over the two sides of every line."""
        k = np.pi / side
        low, high = lines[:-1], lines[1:]
        h = high - low
        whole = (np.cos(k * low) - np.cos(k * high)) / k
        first = (np.sin(k * high) - np.sin(k * low)) / k**2 - (
            high * np.cos(k * high) - low * np.cos(k * low)
        ) / k
        right = (first - low * whole) / h
        found = np.zeros(len(lines))
        found[1:] += right
        found[:-1] += whole - right
        return found

    forces = np.zeros((len(made.mesh.nodes), 3))
    i, j = np.meshgrid(np.arange(len(made.x)), np.arange(len(made.y)), indexing="ij")
    top = made.node(i, j, len(made.z) - 1)
    forces[top, 2] = q0 * share(made.x, a)[:, None] * share(made.y, b)[None]
    return forces


def _read(made: Slab, u: Array) -> SolidPlate:
    nx, ny, nz = made.shape
    layers = np.arange(nz)

    def stress(i: int, j: int) -> Array:
        """At the middles of a column of elements, by ply, shape (n, 3, 6)."""
        which = made.element(i, j, layers)
        return by_ply(made.z, made.ply, model.stresses(made.mesh, u, which, MIDDLE)[:, 0])

    def moved(i: int, j: int, axis: int) -> Array:
        column = u[made.node(i, j, np.arange(nz + 1)), axis]
        found = []
        for ply in range(int(made.ply.max()) + 1):
            here = np.flatnonzero(made.ply == ply)
            low, high = made.z[here[0]], made.z[here[-1] + 1]
            found.append(np.interp([low, (low + high) / 2, high], made.z, column))
        return np.array(found)

    middle, corner = stress(nx - 1, ny - 1), stress(0, 0)
    along, across = stress(0, ny - 1), stress(nx - 1, 0)
    w = moved(nx, ny, 2)
    height = (made.z[0] + made.z[-1]) / 2
    column = u[made.node(nx, ny, np.arange(nz + 1)), 2]
    return SolidPlate(
        float(np.interp(height, made.z, column)),
        float(column[-1]),
        float(column[0]),
        w,
        moved(0, ny, 0),
        moved(nx, 0, 1),
        middle[..., 0],
        middle[..., 1],
        middle[..., 2],
        corner[..., 3],
        along[..., 4],
        across[..., 5],
    )
