"""Stresses at the free edges of a long strip in tension, ply by ply.

All fields are the same in every section across the strip: one slice of bricks is solved, its two
faces tied to move alike but for the extension. At the very edge stresses between unlike plies grow
without bound, so that they are told as means over a length. What is told between plies is made of
the nodal forces that one side has from the other: it balances whatever the mesh is.

Source: R. B. Pipes, N. J. Pagano, J. Composite Materials 4 (1970) 538–548; means over a length as
in R. Y. Kim, S. R. Soni, J. Composite Materials 18 (1984) 70–80.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy.sparse as sp
from numpy.typing import NDArray

from tartan.core.bounds import MOST_LENGTH
from tartan.core.errors import PartError
from tartan.core.laminate.stiffness import Laminate
from tartan.core.shell.factor import factor
from tartan.core.solid import model
from tartan.core.solid.grid import belonging, shares_from_edge, to_edge
from tartan.core.solid.slab import Slab, slab

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Strip:
    """Half a strip in tension; its middle is at y = 0, its edge at the last line.

    Attributes
    ----------
    slab : Slab
        One slice of elements.
    u : ndarray, shape (n, 3)
        Displacements [m].
    strain : float
        Extension along x [1].
    """

    slab: Slab
    u: Array
    strain: float

    def forces_between(self, ply: int) -> Array:
        """Forces between a ply and the next above by width, shape (lines, 3) [N/m].

        τxz, τyz and σz summed over what belongs to every line along y; positive where the stress
        of the ply above is.

        Raises
        ------
        PartError
            Where no ply lies above.
        """
        s = self.slab
        if not 0 <= ply < int(s.ply.max()):
            raise PartError(
                f"Ply {ply + 1} has none above it.", "Free edge", "Choose one below another."
            )
        layer = int(np.flatnonzero(s.ply == ply + 1)[0])
        which = s.element(0, np.arange(s.shape[1]), layer)
        own = model.nodal_forces(s.mesh, self.u, which)
        found = np.zeros((len(s.y), 3))
        # Their lower corners, of both faces: what comes from the faces themselves cancels.
        for corner in range(4):
            line = np.arange(len(which)) + (1 if corner in (2, 3) else 0)
            np.add.at(found, line, -own[:, corner])
        # At the middle they have what the other half of the strip gives; its slide is nothing.
        found[0, :2] = 0.0
        return np.asarray(found / (s.x[-1] - s.x[0]))

    def between(self, ply: int) -> Array:
        """Stresses τxz, τyz, σz between a ply and the next above at the lines, (lines, 3) [Pa]."""
        return np.asarray(self.forces_between(ply) / belonging(self.slab.y)[:, None])

    def at_middle(self) -> Array:
        """Stresses of the layers beside the middle of the strip, shape (layers, 6) [Pa]."""
        layers = np.arange(len(self.slab.ply))
        which = self.slab.element(0, 0, layers)
        return model.stresses(self.slab.mesh, self.u, which, np.zeros((1, 3)))[:, 0]

    def mean(self, ply: int, length: float) -> Array:
        """Means of τxz, τyz, σz over a length from the edge, above a ply, shape (3,) [Pa].

        Raises
        ------
        PartError
            A length that is none, or more than half the strip.
        """
        y = self.slab.y
        inside = shares_from_edge(y, length)
        return np.asarray(inside / belonging(y) @ self.forces_between(ply) / length)


def in_tension(
    laminate: Laminate, width: float, strain: float, *, across: int = 60, per_ply: int = 6
) -> Strip:
    """Solve a strip that is pulled along x.

    Parameters
    ----------
    laminate : Laminate
        Its plies, such that the half shown is mirrored: symmetric stacks.
    width : float
        Of the whole strip [m].
    strain : float
        Extension [1].
    across : int
        Elements over half the width, crowded towards the edge.
    per_ply : int
        Elements through every ply.

    Raises
    ------
    PartError
        A width that is none.
    MaterialError
        A material without what three dimensions need.
    """
    if not 0 < width <= MOST_LENGTH:
        raise PartError("The strip has no width.", "Strip", "Enter a positive width.")
    if not abs(strain) < 1:
        raise PartError(
            f"A strip cannot be stretched by {strain:.4g}.", "Strip", "Enter less than 100 %."
        )
    y = to_edge(width, across)
    length = float(laminate.thickness)
    made = slab(laminate, np.array([0.0, length]), y, per_ply)
    nodes = made.mesh.nodes
    first = np.flatnonzero(nodes[:, 0] == 0.0)
    place = np.full(len(nodes), -1)
    place[first] = np.arange(len(first))
    # A node of the far face moves as the one before it, and by the extension.
    leads = np.where(nodes[:, 0] == 0.0, np.arange(len(nodes)), np.arange(len(nodes)) - 1)
    rows = np.arange(3 * len(nodes))
    columns = (place[leads][:, None] * 3 + np.arange(3)).ravel()
    T = sp.coo_matrix((np.ones(len(rows)), (rows, columns)), (len(rows), 3 * len(first))).tocsc()
    given = np.zeros((len(nodes), 3))
    given[:, 0] = strain * nodes[:, 0]
    held = np.zeros((len(first), 3), bool)
    # The middle moves neither across nor, as shear of angle plies is antisymmetric, along.
    middle = nodes[first, 1] == 0.0
    held[middle, 1] = held[middle, 0] = True
    held[np.flatnonzero(middle)[0], 2] = True
    free = ~held.ravel()
    K = model.stiffness(made.mesh)
    reduced = (T.T @ K @ T).tocsc()
    right = -(T.T @ (K @ given.ravel()))[free]
    found = np.zeros(3 * len(first))
    found[free] = factor(reduced[free][:, free]).solve(right)
    return Strip(made, (T @ found + given.ravel()).reshape(-1, 3), strain)
