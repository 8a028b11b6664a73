"""One of several equal parts of a ring: what leaves it at one cut comes in at the other, turned.

Nodes of the far cut move as those of the near one do, turned about z by the part's angle. What is
found is what repeats from part to part; of forces and moments of the whole ring only those along
the axis remain.

Source: D. L. Thomas, Int. J. Numer. Methods Eng. 14 (1979) 81–102, for waves of number zero.
"""

from __future__ import annotations

import math

import numpy as np
import scipy.sparse as sp
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.ties import Tie

Array = NDArray[np.float64]

NEAR, FAR = "right cut", "left cut"
"""Edges at which a part of a ring is cut, in the way of the azimuth."""

FITS = 1e-6
"""Share of the part's size within which nodes of both cuts meet when they are turned."""


def turn_about_z(angle: float) -> Array:
    """Rotation about z by an angle [rad], shape (3, 3)."""
    c, s = math.cos(angle), math.sin(angle)
    return np.array([[c, -s, 0.0], [s, c, 0.0], [0.0, 0.0, 1.0]])


def cyclic_tie(mesh: Mesh, parts: int) -> Tie:
    """Tie of the far cut of a part of a ring to its near one.

    Parameters
    ----------
    mesh : Mesh
        One part, from azimuth 0 on, with the edges `NEAR` and `FAR`.
    parts : int
        Equal parts of the whole ring, 2 or more.

    Raises
    ------
    PartError
        Where the nodes of the cuts do not meet.
    """
    near, far = (np.unique(mesh.edges[name]) for name in (NEAR, FAR))
    R = turn_about_z(2 * math.pi / parts)
    gap = np.linalg.norm((mesh.nodes[near] @ R.T)[:, None] - mesh.nodes[far][None], axis=2)
    leader = gap.argmin(axis=0)
    size = float(np.ptp(mesh.nodes, axis=0).max())
    if len(near) != len(far) or gap.min(axis=0).max() > FITS * size:
        raise PartError(
            "The cuts of the ring's part do not meet when they are turned.",
            "Surface, parts of the ring",
            "Choose another number of parts, or the whole ring.",
        )
    leads = near[leader]
    blocks = np.tile(R, (2 * len(far), 1, 1))
    # Displacements turn with displacements, rotations with rotations.
    whole = sp.bsr_matrix(
        (
            blocks,
            (2 * leads[:, None] + np.arange(2)).ravel(),
            np.arange(2 * len(far) + 1),
        ),
        (6 * len(far), 6 * len(mesh.nodes)),
    ).tocsr()
    whole.eliminate_zeros()
    unknowns = (6 * far[:, None] + np.arange(6)).ravel()
    return Tie(far, np.zeros(len(far)), mesh.nodes[leads], unknowns, whole, turned=True)
