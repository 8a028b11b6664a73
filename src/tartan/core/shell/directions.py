"""Reference directions: the 0° of the plies on every element, and consistent laying sides."""

from __future__ import annotations

from collections import deque

import numpy as np
import scipy
import scipy.sparse as sp
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.shell.assembly import groups
from tartan.core.shell.mesh import Mesh

Array = NDArray[np.float64]
Index = NDArray[np.int64]

LEAST_ANGLE = 5.0
"""A reference direction nearer to the normal than this many degrees is undefined."""


def in_plane(vectors: Array, normals: Array) -> Array:
    """What of vectors is across normals, shapes (q, 3); not of unit length."""
    return np.asarray(vectors - (vectors * normals).sum(axis=1, keepdims=True) * normals)


def turned_about(normals: Array, vectors: Array, angle: Array) -> Array:
    """Vectors across normals turned about them by angles, shapes (q, 3) and (q,) [deg]."""
    turn = np.radians(angle)[:, None]
    return np.asarray(np.cos(turn) * vectors + np.sin(turn) * np.cross(normals, vectors))


def angle_about(normals: Array, along: Array, ways: Array) -> Array:
    """Angle from one direction to another about normals, shapes (q, 3) to (q,) [deg].

    What of either is along the normal does not count.
    """
    along = in_plane(along, normals)
    x = np.einsum("qi,qi->q", ways, along)
    y = np.einsum("qi,qi->q", ways, np.cross(normals, along))
    return np.asarray(np.degrees(np.arctan2(y, x)))


def _projected(mesh: Mesh, vectors: Array) -> Array:
    return in_plane(vectors, mesh.normals())


def by_vector(mesh: Mesh, vector: Array) -> Array:
    """One vector for all elements, projected on each, shape (m, 3)."""
    return _projected(mesh, np.broadcast_to(np.asarray(vector, float), (mesh.count, 3)))


def around_axis(mesh: Mesh, origin: Array, axis: Array) -> Array:
    """Hoop direction about an axis, shape (m, 3)."""
    arm = mesh.centres() - np.asarray(origin, float)
    return _projected(mesh, np.cross(np.asarray(axis, float), arm))


def along_axis(mesh: Mesh, origin: Array, axis: Array) -> Array:
    """Meridian direction: across the hoop, towards the axis' own way, shape (m, 3)."""
    hoop = around_axis(mesh, origin, axis)
    along = np.cross(hoop, mesh.normals())
    sense = np.sign((along * np.asarray(axis, float)).sum(axis=1))
    return np.asarray(along * np.where(sense == 0, 1.0, sense)[:, None])


def along_curve(mesh: Mesh, curve: Array) -> Array:
    """Direction of the nearest piece of a polyline, shape (m, 3).

    Raises
    ------
    PartError
        When the curve has fewer than two points.
    """
    curve = np.asarray(curve, float)
    if len(curve) < 2:
        raise PartError(
            "A curve needs two points or more.",
            "Reference direction",
            "Choose an edge or a longer curve.",
        )
    steps = np.diff(curve, axis=0)
    length = np.linalg.norm(steps, axis=1)
    kept = length > 0
    # Many places along every piece, so that the nearest of them finds the nearest piece.
    share = (np.arange(8) + 0.5) / 8
    places = (curve[:-1][kept, None] + share[:, None] * steps[kept, None]).reshape(-1, 3)
    nearest = scipy.spatial.cKDTree(places).query(mesh.centres())[1] // 8
    return _projected(mesh, (steps[kept] / length[kept, None])[nearest])


def undefined(mesh: Mesh, vectors: Array) -> Index:
    """Elements to whose normal the direction stands too near, as indices.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    vectors : ndarray, shape (3,) or (m, 3)
        Directions, projected or not.

    Raises
    ------
    PartError
        When a single direction for all has no length.
    """
    each = np.broadcast_to(np.asarray(vectors, float), (mesh.count, 3))
    length = np.linalg.norm(each, axis=1)
    if np.ndim(vectors) == 1 and not (np.isfinite(length[0]) and length[0] > 0):
        raise PartError(
            "The reference direction has no length.",
            "Reference direction",
            "Enter a vector such as 1, 0, 0.",
        )
    scale = np.where(length > 0, length, 1.0)
    cosine = np.abs((mesh.normals() * each).sum(axis=1)) / scale
    return np.flatnonzero((cosine > np.cos(np.deg2rad(LEAST_ANGLE))) | (length == 0))


def components(mesh: Mesh) -> NDArray[np.int64]:
    """Component of every element: those that share nodes, however they branch, shape (m,)."""
    pairs = [
        np.stack([np.repeat(g.nodes[:, 0], g.nodes.shape[1] - 1), g.nodes[:, 1:].ravel()])
        for g in groups(mesh)
    ]
    a, b = np.concatenate(pairs, axis=1)
    graph = sp.coo_matrix((np.ones(len(a)), (a, b)), (len(mesh.nodes),) * 2)
    label = sp.csgraph.connected_components(graph, directed=False)[1]
    first = np.concatenate([g.nodes[:, 0] for g in groups(mesh)])
    return np.asarray(np.unique(label[first], return_inverse=True)[1])


def _neighbours(mesh: Mesh) -> list[list[tuple[int, bool]]]:
    """Neighbours of every element over its edges of two, and whether their sides differ."""
    sides: dict[tuple[int, int], list[tuple[int, bool]]] = {}
    for group in groups(mesh):
        for number, nodes in zip(group.which.tolist(), group.nodes.tolist(), strict=True):
            for a, b in zip(nodes, nodes[1:] + nodes[:1], strict=True):
                sides.setdefault((min(a, b), max(a, b)), []).append((number, a < b))
    neighbours: list[list[tuple[int, bool]]] = [[] for _ in range(mesh.count)]
    for pair in sides.values():
        if len(pair) == 2:
            (e, one), (f, other) = pair
            neighbours[e].append((f, one == other))
            neighbours[f].append((e, one == other))
    return neighbours


def turned_elements(mesh: Mesh, seeds: Index | None = None) -> Index:
    """Elements to turn so that neighbours agree on the laying side, as indices, shape (q,).

    Across an edge of two elements the corners run in opposite senses when the sides agree; edges
    of three or more (branches) bind nothing. In each such patch the first element, or one of
    `seeds`, keeps its side.
    """
    neighbours = _neighbours(mesh)
    turn = np.full(mesh.count, -1)
    for start in [*(seeds.tolist() if seeds is not None else ()), *range(mesh.count)]:
        if turn[start] >= 0:
            continue
        turn[start] = 0
        queue = deque([start])
        while queue:
            e = queue.popleft()
            for f, differs in neighbours[e]:
                if turn[f] < 0:
                    turn[f] = turn[e] ^ int(differs)
                    queue.append(f)
    return np.flatnonzero(turn == 1)


def turned(mesh: Mesh, which: Index) -> Mesh:
    """Return the mesh with some elements, shape (q,), laid from their other side."""
    return mesh.flipped(which)
