"""Pieces of a shell's mesh as quadrilaterals alone, finer if asked, with how values go over."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import scipy.sparse as sp
from numpy.typing import NDArray

from tartan.core.shell.mesh import Mesh

Array = NDArray[np.float64]
Index = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Piece:
    """Quadrilaterals cut out of a mesh.

    Attributes
    ----------
    quads : ndarray of int, shape (q, 4)
        Corners, in the order of their elements.
    element : ndarray of int, shape (q,)
        Element of the mesh that each is part of.
    weights : sparse matrix, shape (n, nodes of the mesh)
        Values at the n nodes of the piece from those at the mesh's.
    """

    quads: Index
    element: Index
    weights: Any

    @property
    def count(self) -> int:
        """Number of nodes."""
        return int(self.weights.shape[0])

    def sides(self) -> tuple[Index, Index]:
        """Sides, shape (s, 2) with the lesser node first, and how many quadrilaterals each has."""
        every = np.sort(
            np.stack([self.quads, np.roll(self.quads, -1, axis=1)], axis=-1).reshape(-1, 2), axis=1
        )
        found, count = np.unique(every, axis=0, return_counts=True)
        return found, count


def piece_of(mesh: Mesh, elements: Index, parts: int = 1) -> Piece:
    """Cut elements out of a mesh.

    Parameters
    ----------
    mesh : Mesh
        Quadrilaterals and triangles.
    elements : ndarray of int
        Which; where triangles are among them, all are divided: triangles in three, the others in
        four.
    parts : int
        Each quadrilateral becomes at least so many along each side: 1, 2 or 4.
    """
    corners = [_corners(mesh, int(e)) for e in elements]
    used = np.unique(np.concatenate(corners))
    place = np.full(len(mesh.nodes), -1)
    place[used] = np.arange(len(used))
    weights = sp.coo_matrix(
        (np.ones(len(used)), (np.arange(len(used)), used)), (len(used), len(mesh.nodes))
    ).tocsr()
    shapes = [place[c] for c in corners]
    element = np.asarray(elements, np.int64)
    times = {1: 0, 2: 1, 4: 2}[parts]
    if any(len(c) == 3 for c in shapes):
        times = max(times, 1)
    for _ in range(times):
        shapes, element, weights = _divided(shapes, element, weights)
    return Piece(np.array(shapes), element, weights)


def _corners(mesh: Mesh, element: int) -> Index:
    if element < len(mesh.quads):
        return np.asarray(mesh.quads[element])
    return np.asarray(mesh.triangles[element - len(mesh.quads)])


def _divided(shapes: list[Index], element: Index, weights: Any) -> tuple[list[Index], Index, Any]:
    """Every shape as quadrilaterals from its corners over the middles of its sides to its own."""
    old = weights.shape[0]
    middles: dict[tuple[int, int], int] = {}
    rows: list[Index] = []

    def node(of: Index) -> int:
        rows.append(of)
        return int(old) + len(rows) - 1

    found: list[Index] = []
    parents = []
    for shape, parent in zip(shapes, element, strict=True):
        count = len(shape)
        centre = node(shape)
        beside = []
        for k in range(count):
            a, b = sorted((int(shape[k]), int(shape[(k + 1) % count])))
            if (a, b) not in middles:
                middles[a, b] = node(np.array([a, b]))
            beside.append(middles[a, b])
        for k in range(count):
            found.append(np.array([shape[k], beside[k], centre, beside[k - 1]]))
            parents.append(parent)
    sizes = np.array([len(r) for r in rows])
    fresh = sp.coo_matrix(
        (
            np.repeat(1 / sizes, sizes),
            (np.repeat(np.arange(len(rows)), sizes), np.concatenate(rows)),
        ),
        (len(rows), old),
    ).tocsr()
    return found, np.array(parents), sp.vstack([weights, fresh @ weights]).tocsr()
