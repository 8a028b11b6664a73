"""Solids of plies: a mesh of bricks, its solution, and stresses."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy.sparse as sp
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.shell.factor import factor
from tartan.core.solid import element

Array = NDArray[np.float64]
Index = NDArray[np.int64]

BLOCK = 2048
"""Elements worked on at a time."""

MOST_BYTES = 8e9
"""Memory that a factor may take; what is estimated to take more is refused."""


@dataclass(frozen=True, eq=False)
class SolidMesh:
    """Bricks with their stiffness.

    Attributes
    ----------
    nodes : ndarray, shape (n, 3)
        Positions [m].
    bricks : ndarray of int, shape (m, 8)
        Corners: four below, then the four above them.
    C : ndarray, shape (m, 6, 6)
        Stiffness of each, order xx, yy, zz, xy, xz, yz [Pa].
    """

    nodes: Array
    bricks: Index
    C: Array

    def corners(self, some: Index | slice = slice(None)) -> Array:
        """Corner positions of some elements, shape (q, 8, 3)."""
        return np.asarray(self.nodes[self.bricks[some]])


def expected_bytes(nodes: int, layers: int) -> float:
    """Memory that the factor of a slab takes, from above [bytes].

    A slab of n columns and l nodes through the thickness is ordered like a plane of n: about
    8 n log2 n blocks of (3 l)² (A. George, SIAM J. Numer. Anal. 10 (1973) 345–363).
    """
    columns = max(nodes / max(layers, 1), 2.0)
    return float(8 * 8 * columns * np.log2(columns) * (3 * layers) ** 2)


def check_size(nodes: int, layers: int, most: float = MOST_BYTES) -> None:
    """Refuse what memory does not hold.

    Raises
    ------
    PartError
        Before anything is tried.
    """
    wanted = expected_bytes(nodes, layers)
    if wanted > most:
        raise PartError(
            f"A solid of {nodes} nodes would take about {wanted / 1e9:.0f} GB, and "
            f"{most / 1e9:.0f} GB may be taken.",
            "Solid",
            "Take a smaller area, larger elements, or fewer of them through each ply.",
        )


def stiffness(mesh: SolidMesh) -> sp.csc_matrix:
    """Sparse stiffness of all unknowns, three a node."""
    count, rows, columns, values = 3 * len(mesh.nodes), [], [], []
    for start in range(0, len(mesh.bricks), BLOCK):
        some = slice(start, start + BLOCK)
        K = element.stiffness(element.operators(mesh.corners(some)), mesh.C[some])
        unknowns = (mesh.bricks[some, :, None] * 3 + np.arange(3)).reshape(len(K), 24)
        rows.append(np.repeat(unknowns[:, :, None], 24, axis=2).ravel())
        columns.append(np.repeat(unknowns[:, None, :], 24, axis=1).ravel())
        values.append(K.ravel())
    whole = sp.coo_matrix(
        (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))), (count, count)
    )
    return whole.tocsc()


def solve(
    mesh: SolidMesh, forces: Array, fixed: NDArray[np.bool_], moves: Array | None = None
) -> Array:
    """Displacements, shape (n, 3) [m].

    Parameters
    ----------
    mesh : SolidMesh
        The solid.
    forces : ndarray, shape (n, 3)
        At the nodes [N].
    fixed : ndarray of bool, shape (n, 3)
        Unknowns that are prescribed.
    moves : ndarray, shape (n, 3), optional
        Their displacements; zero when left out [m].

    Raises
    ------
    MechanismError
        When something can move freely.
    """
    K = stiffness(mesh)
    free = ~fixed.ravel()
    given = np.zeros(fixed.size) if moves is None else np.where(free, 0.0, moves.ravel())
    right = forces.ravel()[free] - (K[free] @ given)
    found = given.copy()
    found[free] = factor(K[free][:, free]).solve(right)
    return found.reshape(-1, 3)


def strains(mesh: SolidMesh, u: Array, which: Index, points: Array) -> Array:
    """Strains of some elements at points, shape (q, p, 6), of displacements (n, 3)."""
    own = u[mesh.bricks[which]].reshape(len(which), 24)
    return element.strains(mesh.corners(which), mesh.C[which], own, points)


def stresses(mesh: SolidMesh, u: Array, which: Index, points: Array) -> Array:
    """Stresses of some elements at points, shape (q, p, 6) [Pa], of displacements (n, 3)."""
    found = strains(mesh, u, which, points)
    return np.asarray(np.einsum("mst,mpt->mps", mesh.C[which], found))


def nodal_forces(mesh: SolidMesh, u: Array, which: Index) -> Array:
    """Forces at the corners of some elements, shape (q, 8, 3) [N], of displacements (n, 3)."""
    K = element.stiffness(element.operators(mesh.corners(which)), mesh.C[which])
    own = u[mesh.bricks[which]].reshape(len(which), 24)
    return np.asarray(np.einsum("mef,mf->me", K, own).reshape(-1, 8, 3))
