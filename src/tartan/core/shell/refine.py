"""Local refinement of mapped meshes: marked elements in four, their neighbours fitted to them.

A quadrilateral with one or two hanging nodes becomes triangles or two quadrilaterals; one with
more is marked too. Levels are nested, each within the one before, so that fitted elements are not
divided again.

Source: R. E. Bank, A. H. Sherman and A. Weiser, in Scientific Computing (1983) 3–17.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import scipy
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.shell.mesh import MOST_ELEMENTS, Mesh
from tartan.core.shell.mesher import Finer

Array = NDArray[np.float64]
Index = NDArray[np.int64]
Sides = dict[tuple[int, int], int]
Project = Callable[[Array], Array]

MOST_LEVELS = 6
"""Halvings allowed; more asks for a smaller mesh size."""


def refined(mesh: Mesh, finer: Finer, number: int = 1, project: Project | None = None) -> Mesh:
    """Halve elements near an edge or point until they are as small as asked.

    Parameters
    ----------
    mesh : Mesh
        A mesh.
    finer : Finer
        Where, and how small.
    number : int
        Of the refinement, for messages.
    project : callable, optional
        Carries points, shape (q, 3), to the true surface [m].

    Raises
    ------
    PartError
        An edge that does not exist, or sizes that make no sense.
    """
    where = f"Mesh size, refinement {number}"
    usual = float(np.sqrt(np.median(mesh.areas())))
    if not (finer.size > 0 and finer.reach > 0 and np.isfinite(finer.reach)):
        raise PartError("A refinement needs a size and a reach.", where, "Give both in metres.")
    levels = max(0, round(np.log2(usual / finer.size)))
    if levels > MOST_LEVELS:
        raise PartError(
            f"{finer.size:g} m is far below the mesh size {usual:.3g} m.",
            where,
            f"Give {usual / 2**MOST_LEVELS:.2g} m or more.",
        )
    if finer.edge and finer.edge not in mesh.edges:
        raise PartError(
            f"There is no edge '{finer.edge}'.", where, f"There are {', '.join(mesh.edges)}."
        )
    for level in range(levels):
        goal = mesh.nodes[mesh.edges[finer.edge]] if finer.edge else np.array([finer.at])
        distance = _distance(mesh.centres(), goal)
        near = distance < finer.reach * (1 - level / (levels + 1))
        mesh = _divided(mesh, near, project)
    return mesh


def _distance(points: Array, goal: Array) -> Array:
    return np.asarray(scipy.spatial.cKDTree(goal).query(points)[0])


def _divided(mesh: Mesh, marked: NDArray[np.bool_], project: Project | None) -> Mesh:
    cells = [*mesh.quads.tolist(), *mesh.triangles.tolist()]
    chosen = marked.copy()
    while True:
        cut = {
            _key(c, k) for e in np.flatnonzero(chosen) for c in (cells[e],) for k in range(len(c))
        }
        hanging = np.array([sum(_key(c, k) in cut for k in range(len(c))) for c in cells])
        width = np.array([len(c) for c in cells])
        more = ~chosen & (hanging >= np.where(width == 4, 3, 2))
        if not more.any():
            break
        chosen |= more
    if 4 * chosen.sum() + len(cells) > MOST_ELEMENTS:
        raise PartError(
            f"The mesh would have more than {MOST_ELEMENTS:,} elements.",
            "Mesh size",
            "Refine less.",
        )
    ends = np.array(sorted(cut), np.int64).reshape(-1, 2)
    middle = mesh.nodes[ends].mean(axis=1)
    first = len(mesh.nodes)
    between: Sides = {(int(a), int(b)): first + i for i, (a, b) in enumerate(ends.tolist())}
    heart = np.flatnonzero(chosen & (width == 4))
    hearts = {int(e): first + len(ends) + i for i, e in enumerate(heart)}
    centres = mesh.nodes[mesh.quads[heart]].mean(axis=1)
    new = np.concatenate([middle, centres])
    nodes = np.concatenate([mesh.nodes, new if project is None else project(new)])
    quads: list[tuple[list[int], int]] = []
    triangles: list[tuple[list[int], int]] = []
    for e, cell in enumerate(cells):
        for piece in _pieces(cell, between, hearts.get(e)):
            (quads if len(piece) == 4 else triangles).append((piece, e))
    owner = np.array([e for _, e in (*quads, *triangles)])
    regions = {n: np.flatnonzero(np.isin(owner, which)) for n, which in mesh.regions.items()}
    edges = {name: _chain(chain, between) for name, chain in mesh.edges.items()}
    return Mesh(
        nodes,
        np.array([q for q, _ in quads], np.int64).reshape(-1, 4),
        edges,
        triangles=np.array([t for t, _ in triangles], np.int64).reshape(-1, 3),
        regions=regions,
    )


def _key(cell: list[int], k: int) -> tuple[int, int]:
    a, b = cell[k], cell[(k + 1) % len(cell)]
    return (a, b) if a < b else (b, a)


def _pieces(cell: list[int], between: Sides, heart: int | None) -> list[list[int]]:
    """What an element becomes, corners in the same sense."""
    count = len(cell)
    mid = [between.get(_key(cell, k)) for k in range(count)]
    cut = [k for k in range(count) if mid[k] is not None]
    m = [-1 if v is None else v for v in mid]
    if not cut:
        return [cell]
    if count == 4 and heart is not None:
        return [[cell[k], m[k], heart, m[k - 1]] for k in range(4)]
    if count == 3 and len(cut) == 3:
        return [*([cell[k], m[k], m[k - 1]] for k in range(3)), m]
    k = cut[0]
    if count == 4 and len(cut) == 2:
        if cut == [0, 3]:
            k = 3
        a, b, c, d = (cell[(k + i) % 4] for i in range(4))
        if cut[1] - cut[0] == 2:
            return [[a, m[k], m[(k + 2) % 4], d], [m[k], b, c, m[(k + 2) % 4]]]
        p, q = m[k], m[(k + 1) % 4]
        return [[p, b, q], [a, p, d], [p, q, d], [q, c, d]]
    if count == 4:
        a, b, c, d = (cell[(k + i) % 4] for i in range(4))
        return [[a, m[k], d], [m[k], c, d], [m[k], b, c]]
    a, b, c = (cell[(k + i) % 3] for i in range(3))
    return [[a, m[k], c], [m[k], b, c]]


def _chain(chain: Index, between: Sides) -> Index:
    found = chain[:1].tolist()
    for a, b in zip(chain[:-1].tolist(), chain[1:].tolist(), strict=True):
        middle = between.get((min(a, b), max(a, b)))
        found += [b] if middle is None else [middle, b]
    return np.array(found, np.int64)
