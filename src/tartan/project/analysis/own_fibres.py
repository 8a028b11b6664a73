"""A ply's own 0°, as a layout that was read gives it at places, on the elements of the part."""

from __future__ import annotations

from typing import Protocol

import numpy as np
import scipy
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.shell.directions import angle_about, in_plane
from tartan.core.shell.mesh import Mesh
from tartan.project.document.packed_arrays import unpack_rows

Array = NDArray[np.float64]
Index = NDArray[np.int64]

NEAREST = 4
"""Places whose directions are taken together, the nearer the more."""


class Directed(Protocol):
    """A mesh with the reference direction of its elements."""

    @property
    def mesh(self) -> Mesh:
        """The mesh."""

    @property
    def direction(self) -> Array:
        """Reference direction of every element, shape (m, 3)."""


def directions_at(places: Array, ways: Array, points: Array) -> Array:
    """Directions at points from those given at places, shape (q, 3); their sign is of no account.

    Weighted by the inverse square of the distance over the nearest places; at a place itself its
    own direction.

    Parameters
    ----------
    places, ways : ndarray, shape (n, 3)
        Where directions are given [m], and they.
    points : ndarray, shape (q, 3)
        Where they are wanted [m].
    """
    many = min(NEAREST, len(places))
    far, near = scipy.spatial.cKDTree(places).query(points, many)
    far, near = far.reshape(-1, many), near.reshape(-1, many)
    found = ways[near]
    # A fibre has no front: all are turned the way of the nearest.
    sign = np.where(np.einsum("qki,qi->qk", found, found[:, 0]) < 0, -1.0, 1.0)
    weight = 1 / np.maximum(far, 1e-9 * max(float(far.max(initial=0.0)), 1e-300)) ** 2
    mean = np.einsum("qk,qki->qi", weight * sign, found)
    size = np.linalg.norm(mean, axis=1, keepdims=True)
    return np.asarray(mean / np.where(size > 0, size, 1.0))


def turn_between(normals: Array, along: Array, ways: Array) -> Array:
    """Angle from the part's 0° to directions at places, −90 to 90, shape (q,) [deg].

    Parameters
    ----------
    normals, along, ways : ndarray, shape (q, 3)
        Of the surface, the part's 0° and the directions there; what of them is normal to it does
        not count.

    Raises
    ------
    PartError
        Where a direction stands normal to the surface.
    """
    flat = np.linalg.norm(in_plane(ways, normals), axis=1) < 1e-6 * np.linalg.norm(ways, axis=1)
    if flat.any():
        raise PartError(
            "A ply's own 0° stands normal to the surface.",
            "Lay-up",
            "Read the layout anew, or lay the ply along the part's 0°.",
        )
    return np.asarray((angle_about(normals, along, ways) + 90.0) % 180.0 - 90.0)


def own_turn(whole: Directed, fibres: str, elements: Index) -> Array:
    """What a ply's own 0° is turned by from the part's on elements, shape (q,) [deg].

    Raises
    ------
    PartError, DocumentError
        Where it stands normal to an element, or is damaged.
    """
    rows = unpack_rows(fibres, 6)
    if not len(rows) or not len(elements):
        return np.zeros(len(elements))
    ways = directions_at(rows[:, :3], rows[:, 3:], whole.mesh.centres()[elements])
    return turn_between(whole.mesh.normals()[elements], whole.direction[elements], ways)
