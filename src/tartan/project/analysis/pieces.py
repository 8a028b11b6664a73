"""Cuts that part a ply into pieces: lines on the surface, carried on to the rim."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from tartan.core.drape.net import Laying, drape
from tartan.core.drape.triangles import TriangleSurface
from tartan.core.errors import PartError
from tartan.core.shell.flooding import heights
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.regions import grown
from tartan.core.shell.within import Locator, Traced
from tartan.project.document.partmodel import Vector

Array = NDArray[np.float64]
Index = NDArray[np.int64]

STEP = 0.5
"""Length of a stretch of a cut, as a share of the elements' sides."""

OFF = 0.1
"""How far off the surface points of a cut may lie, as a share of the part's size."""

FARTHEST = 3.0
"""Length of a cut at most, as a multiple of the part's size."""

RINGS = 2
"""Elements to both sides of a cut that are asked on which they lie."""


@lru_cache(maxsize=8)
def locator_of(mesh: Mesh) -> Locator:
    """Finder of a mesh's elements, remembered."""
    return Locator(mesh)


def pieces_of(
    mesh: Mesh, surface: TriangleSurface, elements: Index, cuts: tuple[tuple[Vector, ...], ...]
) -> list[Index]:
    """Parts of some elements that cuts leave, the largest first.

    Parameters
    ----------
    mesh : Mesh
        The part.
    surface : TriangleSurface
        Of those elements.
    elements : ndarray of int
        Of the ply.
    cuts : tuple of tuple of tuple of float
        Lines, each of two points or more [m].

    Raises
    ------
    PartError
        Naming the cut that is no line, lies off the ply, or does not part it.
    """
    links = locator_of(mesh).links
    inside = np.zeros(mesh.count, bool)
    inside[elements] = True
    twin = np.maximum(links.twin, 0)
    linked = (links.twin >= 0) & inside[links.owner] & inside[links.owner[twin]]
    one, other = links.owner, links.owner[twin]
    count = len(_components(mesh.count, one[linked], other[linked], elements))
    for number, cut in enumerate(cuts, start=1):
        side = _sides(mesh, surface, cut, f"Draping, cut {number}")
        parted = linked & ((side[one] * side[other]) < 0)
        if not parted.any():
            raise _idle(f"Draping, cut {number}")
        linked &= ~parted
    found = _components(mesh.count, one[linked], other[linked], elements)
    if len(found) <= count:
        # One seam opens a tube, two part it.
        raise _idle("Draping, cuts")
    return found


def _idle(where: str) -> PartError:
    return PartError(
        "It does not part the ply.",
        where,
        "Draw it across, from rim to rim; a cut that ends inside is carried on straight.",
    )


def _components(count: int, one: Index, other: Index, elements: Index) -> list[Index]:
    graph = coo_array((np.ones(len(one), np.int8), (one, other)), shape=(count, count))
    _, label = connected_components(graph, directed=False)
    own = label[elements]
    found = [elements[own == k] for k in np.unique(own)]
    return sorted(found, key=lambda x: -len(x))


@lru_cache(maxsize=16)
def cut_paths(
    mesh: Mesh, surface: TriangleSurface, cuts: tuple[tuple[Vector, ...], ...]
) -> tuple[Array, ...]:
    """Cuts as they run on the surface from rim to rim, arrays of shape (k, 3) [m], remembered.

    Raises
    ------
    PartError
        As `pieces_of`.
    """
    found = []
    for number, cut in enumerate(cuts, start=1):
        path, _, beyond = _path(mesh, surface, cut, f"Draping, cut {number}")
        found.append(path[beyond <= 0])
    return tuple(found)


def _sides(mesh: Mesh, surface: TriangleSurface, cut: tuple[Vector, ...], where: str) -> Array:
    """Side of a cut that elements about it lie on, shape (m,): 1 left, −1 right, 0 far off."""
    path, up, _ = _path(mesh, surface, cut, where)
    finder = locator_of(mesh)
    known = np.zeros(mesh.count)
    last = len(path) - 2
    at = np.arange(last + 1)
    sides = (
        np.ascontiguousarray(path[:-1]),
        np.ascontiguousarray(path[1:]),
        np.ascontiguousarray(up[:-1]),
        np.maximum(at - 1, 0),
        np.minimum(at + 1, last),
        np.ones(len(at), bool),
    )
    traced = Traced(sides)
    met, _ = finder.places(traced, finder.locate(traced.middles).element)
    near = grown(mesh, met, RINGS)
    found = np.empty(len(near))
    heights(mesh.centres()[near], np.ascontiguousarray(mesh.normals()[near]), sides, found)
    known[near] = np.where(np.nan_to_num(found) >= 0, 1.0, -1.0)
    return known


def _path(
    mesh: Mesh, surface: TriangleSurface, cut: tuple[Vector, ...], where: str
) -> tuple[Array, Array, Array]:
    """A cut on the surface, carried on straight beyond its ends: places, normals, how far out."""
    line = np.array(cut, float).reshape(-1, 3)
    length = float(np.linalg.norm(np.diff(line, axis=0), axis=1).sum()) if len(line) > 1 else 0.0
    if not (np.isfinite(line).all() and length > 0):
        raise PartError("It has no length.", where, "Give two points or more along it.")
    size = float(np.linalg.norm(np.ptp(mesh.nodes, axis=0)))
    step = STEP * surface.size
    many = max(2, math.ceil(FARTHEST * size / step))
    middle = len(line) // 2
    try:
        net = drape(
            surface,
            line[middle],
            line[middle] - line[middle - 1],
            (step, step),
            (many, many, 0, 0),
            Laying(3 * surface.size, OFF * size, line=line),
        )
    except PartError as error:
        raise PartError(error.what, where, error.mend) from error
    laid = np.flatnonzero(net.laid[:, 0])
    return net.places[laid, 0], net.normals[laid, 0], net.beyond[laid, 0]
