"""Sets of elements: near a point or edge, grown and shrunk, and carried to another mesh."""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.shell.assembly import groups
from tartan.core.shell.directions import components
from tartan.core.shell.mesh import Mesh

Array = NDArray[np.float64]
Index = NDArray[np.int64]


def near_point(mesh: Mesh, at: Array, distance: float) -> Index:
    """Elements, shape (q,), whose centre lies within a distance [m] of a point, shape (3,)."""
    return np.flatnonzero(np.linalg.norm(mesh.centres() - at, axis=1) <= distance)


def near_chain(mesh: Mesh, chain: Index, distance: float) -> Index:
    """Elements, shape (q,), whose centre lies within a distance [m] of a chain of nodes.

    Raises
    ------
    PartError
        When the chain is empty.
    """
    if len(chain) == 0:
        raise PartError("The edge has no nodes.", "Regions", "Choose another edge.")
    found = scipy.spatial.cKDTree(mesh.nodes[chain]).query(mesh.centres())[0]
    step = np.linalg.norm(np.diff(mesh.nodes[chain], axis=0), axis=1).max(initial=0.0)
    # Between two nodes of the chain the distance to the nearer one is a little too long.
    return np.flatnonzero(np.sqrt(np.maximum(found**2 - (step / 4) ** 2, 0.0)) <= distance)


def grown(mesh: Mesh, elements: Index, rings: int) -> Index:
    """A set, shape (q,), grown over shared nodes by rings of elements; negative ones shrink it."""
    inside = np.zeros(mesh.count, bool)
    inside[elements] = True
    if rings < 0:
        return np.flatnonzero(~_spread(mesh, ~inside, -rings))
    return np.flatnonzero(_spread(mesh, inside, rings))


def _spread(mesh: Mesh, inside: NDArray[np.bool_], rings: int) -> NDArray[np.bool_]:
    for _ in range(rings):
        reached = np.zeros(len(mesh.nodes), bool)
        for group in groups(mesh):
            reached[group.nodes[inside[group.which]].ravel()] = True
        wider = inside.copy()
        for group in groups(mesh):
            wider[group.which] |= reached[group.nodes].any(axis=1)
        if (wider == inside).all():
            # All that hangs together is reached: further rings add nothing.
            break
        inside = wider
    return inside


def carried(old: Mesh, elements: Index, new: Mesh) -> Index:
    """Elements, shape (q,), of a new mesh whose nearest element of the old one was in a set."""
    inside = np.zeros(old.count, bool)
    inside[elements] = True
    nearest = scipy.spatial.cKDTree(old.centres()).query(new.centres())[1]
    return np.flatnonzero(inside[nearest])


def nodes_of(mesh: Mesh, elements: Index) -> Index:
    """Nodes of elements, ascending, shape (q,)."""
    found: Index = np.unique(mesh.corner_table[elements])
    return found


def gaps(mesh: Mesh) -> list[tuple[Index, float]]:
    """Components with the distance from their nearest node to any larger one, largest first.

    Returns
    -------
    list of tuple
        Elements of a component, shape (q,), and its gap [m]; infinite for the largest.
    """
    label = components(mesh)
    size = np.bincount(label, weights=mesh.areas())
    order = np.argsort(-size, kind="stable")
    found: list[tuple[Index, float]] = []
    taken: list[Array] = []
    for one in order:
        elements = np.flatnonzero(label == one)
        points = mesh.nodes[nodes_of(mesh, elements)]
        gap = np.inf
        if taken:
            gap = float(scipy.spatial.cKDTree(np.concatenate(taken)).query(points)[0].min())
        found.append((elements, gap))
        taken += [points, mesh.centres()[elements]]
    return found
