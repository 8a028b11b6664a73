"""Strokes drawn on the part: reference direction, laying side, supports and loads. Arrays only.

Every function returns line segments, shape (n, 2, 3) [m], sized against the part.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.mesh import Mesh
from tartan.core.shell.supports import SUPPORT_KINDS
from tartan.project.model import Acceleration, Case, EdgeForce, Pressure, Support
from tartan.project.shellinputs import place_nodes

Array = NDArray[np.float64]

_NONE = np.zeros((0, 2, 3))


def part_size(mesh: Mesh) -> float:
    """Diagonal of the part's box [m]."""
    return float(np.linalg.norm(np.ptp(mesh.nodes, axis=0)))


def spread(mesh: Mesh, across: int = 3, along: int = 2) -> NDArray[np.int64]:
    """Return a few elements spread over the panel, as indices."""
    xs = (np.arange(across) + 0.5) / across
    ys = (np.arange(along) + 0.5) / along
    targets = np.array([[x, y] for y in ys for x in xs])
    distance = np.linalg.norm(mesh.places[None] - targets[:, None], axis=2)
    return np.unique(distance.argmin(axis=1))


def centres(mesh: Mesh, elements: NDArray[np.int64]) -> Array:
    """Centres of elements, shape (n, 3) [m]."""
    return np.asarray(mesh.corners()[elements].mean(axis=1))


def reference_strokes(mesh: Mesh, reference: Array, elements: NDArray[np.int64]) -> Array:
    """The 0° direction as a stroke through an element's centre."""
    n = mesh.normals()[elements]
    t = reference - (n @ reference)[:, None] * n
    length = np.linalg.norm(t, axis=1, keepdims=True)
    good = length[:, 0] > 1e-6
    t = t[good] / length[good]
    at = centres(mesh, elements)[good] + 0.004 * part_size(mesh) * n[good]
    half = 0.055 * part_size(mesh) * t
    return np.stack([at - half, at + half], axis=1)


def laying_strokes(mesh: Mesh, elements: NDArray[np.int64]) -> Array:
    """Arrow towards the laying side: a shaft and two barbs."""
    n = mesh.normals()[elements]
    return arrows(centres(mesh, elements), 0.075 * part_size(mesh) * n)


def arrows(tails: Array, vectors: Array, *, to_head: bool = False) -> Array:
    """Arrows as a shaft and four barbs.

    Parameters
    ----------
    tails : ndarray, shape (n, 3)
        Tail of each, or head with `to_head` [m].
    vectors : ndarray, shape (n, 3)
        From tail to head [m].
    to_head : bool
        `tails` are heads: the arrow pushes on its point.
    """
    if len(tails) == 0:
        return _NONE
    head = tails if to_head else tails + vectors
    start = head - vectors
    length = np.linalg.norm(vectors, axis=1, keepdims=True)
    unit = vectors / np.where(length > 0, length, 1)
    aside = np.cross(unit, np.array([0.31, 0.77, 0.55]))
    aside /= np.linalg.norm(aside, axis=1, keepdims=True)
    other = np.cross(unit, aside)
    parts = [np.stack([start, head], axis=1)]
    parts += [
        np.stack([head, head - 0.28 * length * unit + 0.11 * length * way], axis=1)
        for way in (aside, -aside, other, -other)
    ]
    return np.concatenate(parts)


def support_strokes(mesh: Mesh, supports: tuple[Support, ...]) -> tuple[Array, Array]:
    """Supports: a peg along each held displacement, a small cross where rotations are held.

    Returns
    -------
    tuple of ndarray
        Pegs and crosses.
    """
    size = 0.022 * part_size(mesh)
    pegs, crosses = [_NONE], [_NONE]
    for support in supports:
        nodes = place_nodes(mesh, support.place)
        if len(nodes) > 9:
            nodes = nodes[np.linspace(0, len(nodes) - 1, 9).round().astype(int)]
        at = mesh.nodes[nodes]
        outward = at - mesh.nodes.mean(axis=0)
        held = SUPPORT_KINDS[support.kind]
        for axis in (a for a in held if a < 3):
            way = np.zeros((len(at), 3))
            # Pegs along z stand below; those in the plane stand outside the part.
            way[:, axis] = -1.0 if axis == 2 else np.where(outward[:, axis] >= 0, 1.0, -1.0)
            foot = at + size * way
            side = np.zeros(3)
            side[(axis + 1) % 3] = 0.4 * size
            pegs += [np.stack([at, foot], axis=1), np.stack([foot - side, foot + side], axis=1)]
        if any(a >= 3 for a in held):
            for u, v in ((0.35, 0.35), (0.35, -0.35)):
                d = np.array([u, v, 0.0]) * size
                crosses.append(np.stack([at - d, at + d], axis=1))
    return np.concatenate(pegs), np.concatenate(crosses)


def load_strokes(mesh: Mesh, case: Case) -> Array:
    """Loads of a case as arrows; the length shows the sort of load, not its size."""
    size = 0.07 * part_size(mesh)
    found = [_NONE]
    for load in case.loads:
        if isinstance(load, Pressure) and load.value:
            elements = spread(mesh, 6, 5)
            push = -np.sign(load.value) * mesh.normals()[elements] * size
            found.append(arrows(centres(mesh, elements), push, to_head=load.value > 0))
        elif isinstance(load, EdgeForce) and any(load.force):
            nodes = mesh.edges[load.edge]
            nodes = nodes[np.linspace(0, len(nodes) - 1, min(7, len(nodes))).round().astype(int)]
            way = np.array(load.force) / np.linalg.norm(load.force)
            found.append(arrows(mesh.nodes[nodes], np.tile(way * size, (len(nodes), 1))))
        elif isinstance(load, Acceleration) and any(load.vector):
            way = np.array(load.vector) / np.linalg.norm(load.vector)
            found.append(
                arrows(mesh.nodes.mean(axis=0)[None], 2.2 * way[None] * size, to_head=True)
            )
    return np.concatenate(found)
