"""Flat slabs of plies as bricks: a grid in the plane, layers through the thickness."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.stiffness import Laminate
from tartan.core.solid.constants import ply_axes, stiffness, turned
from tartan.core.solid.model import SolidMesh, nodal_forces

Array = NDArray[np.float64]
Index = NDArray[np.int64]

NEAR = 4
"""Layers of a ply that a value between them is taken from."""


@dataclass(frozen=True, eq=False)
class Slab:
    """A slab over a grid of lines.

    Attributes
    ----------
    mesh : SolidMesh
        Its bricks, layer by layer from below, in each along x first.
    x, y, z : ndarray
        Lines of the grid [m].
    ply : ndarray of int, shape (layers,)
        Ply of every layer of elements.
    """

    mesh: SolidMesh
    x: Array
    y: Array
    z: Array
    ply: Index

    @property
    def shape(self) -> tuple[int, int, int]:
        """Elements along x, along y and through the thickness."""
        return len(self.x) - 1, len(self.y) - 1, len(self.z) - 1

    def node(self, i: Index | int, j: Index | int, k: Index | int) -> Index:
        """Numbers of nodes by their lines, shape (q,) of (q,) or numbers."""
        across = len(self.x)
        return np.asarray((np.asarray(k) * len(self.y) + j) * across + i)

    def element(self, i: Index | int, j: Index | int, k: Index | int) -> Index:
        """Numbers of elements by their place in the grid, shape (q,) of (q,) or numbers."""
        nx, ny, _ = self.shape
        return np.asarray((np.asarray(k) * ny + j) * nx + i)


def layers_of(thickness: Array, per_ply: int, deepest: float) -> Index:
    """Layers of every ply: at least `per_ply`, and none thicker than a share of the whole.

    Parameters
    ----------
    thickness : ndarray, shape (plies,)
        Of the plies [m].
    per_ply : int
        At least so many.
    deepest : float
        Share of the whole thickness that a layer has at most.
    """
    needed = np.ceil(thickness / (deepest * thickness.sum()) - 1e-9).astype(np.int64)
    return np.asarray(np.maximum(needed, per_ply))


def grid(x: Array, y: Array, z: Array) -> tuple[Array, Index]:
    """Nodes, shape (n, 3), and bricks, shape (m, 8), over lines along the axes.

    Parameters
    ----------
    x, y, z : ndarray
        Lines, ascending [m].
    """
    Z, Y, X = np.meshgrid(z, y, x, indexing="ij")
    nodes = np.stack([X.ravel(), Y.ravel(), Z.ravel()], axis=1)
    nx, ny, nz = len(x) - 1, len(y) - 1, len(z) - 1
    k, j, i = (v.ravel() for v in np.meshgrid(*map(np.arange, (nz, ny, nx)), indexing="ij"))
    row, plane = nx + 1, (nx + 1) * (ny + 1)
    base = k * plane + j * row + i
    below = np.stack([base, base + 1, base + row + 1, base + row], axis=1)
    return nodes, np.concatenate([below, below + plane], axis=1)


def slab(laminate: Laminate, x: Array, y: Array, per_ply: int | Sequence[int]) -> Slab:
    """A slab of a laminate's plies.

    Parameters
    ----------
    laminate : Laminate
        Its plies; heights are those about its reference surface.
    x, y : ndarray
        Lines of the grid, ascending [m].
    per_ply : int or sequence of int
        Elements through every ply.

    Raises
    ------
    MaterialError
        Where a material lacks what three dimensions need.
    """
    each = np.broadcast_to(per_ply, (laminate.count,))
    z = np.concatenate(
        [laminate.z[:1]]
        + [
            np.linspace(low, high, int(n) + 1)[1:]
            for low, high, n in zip(laminate.z[:-1], laminate.z[1:], each, strict=True)
        ]
    )
    ply = np.repeat(np.arange(laminate.count), each)
    nodes, bricks = grid(x, y, z)
    known = {id(m): stiffness(m) for m in laminate.materials}
    axes = ply_axes(laminate.angles)
    C = np.array([turned(known[id(m)], a) for m, a in zip(laminate.materials, axes, strict=True)])
    mesh = SolidMesh(nodes, bricks, np.repeat(C[ply], (len(x) - 1) * (len(y) - 1), axis=0))
    return Slab(mesh, np.asarray(x, float), np.asarray(y, float), z, ply)


def by_ply(z: Array, ply_of: Index, values: Array) -> Array:
    """Values at the middles of the layers as bottom, middle and top of every ply, (plies, 3, …).

    A cubic goes through the four layers of the ply that are nearest, or less through fewer, as
    stresses from elements are best at their middles; of one layer it is that value.

    Parameters
    ----------
    z : ndarray, shape (layers + 1,)
        Heights of the layers' faces [m].
    ply_of : ndarray of int, shape (layers,)
        Ply of every layer.
    values : ndarray, shape (layers, ...)
        At their middles.
    """
    middle = (z[1:] + z[:-1]) / 2
    found = []
    for ply in range(int(ply_of.max()) + 1):
        here = np.flatnonzero(ply_of == ply)
        low, high = z[here[0]], z[here[-1] + 1]
        rows = []
        for height in (low, (low + high) / 2, high):
            near = here[np.argsort(np.abs(middle[here] - height), kind="stable")[:NEAR]]
            at = (middle[near] - height) / (high - low)
            weights = np.linalg.inv(np.vander(at))[-1]
            rows.append(np.tensordot(weights, values[near], axes=1))
        found.append(np.array(rows))
    return np.array(found)


def transmitted(slab_: Slab, u: Array, i: int, ply: int) -> Array:
    """Forces between a ply and the next above along one line across, shape (lines, 3) [N].

    τxz, τyz and σz summed over what belongs to every node of line `i`; positive where the stress
    of the ply above is. They are made of the nodal forces that the elements above have there, and
    balance whatever the mesh is.
    """
    layer = int(np.flatnonzero(slab_.ply == ply + 1)[0])
    j = np.arange(slab_.shape[1])
    found = np.zeros((len(slab_.y), 3))
    # Of the elements before the line its lower corners there, of those behind it theirs.
    for column, corners in ((i - 1, (1, 2)), (i, (0, 3))):
        if not 0 <= column < slab_.shape[0]:
            continue
        which = slab_.element(column, j, layer)
        own = nodal_forces(slab_.mesh, u, which)
        for corner, along in zip(corners, (0, 1), strict=True):
            np.add.at(found, j + along, -own[:, corner])
    return found
