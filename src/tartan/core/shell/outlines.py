"""Outlines of sets of elements as closed polylines, with the surface's side: left of them is in.

Elements are linked across the sides they share. Where more than two meet at one side, as at a
stiffener's foot, the two that run on most straightly are linked and the others end there.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.mesh import Mesh

Array = NDArray[np.float64]
Index = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Outline:
    """A closed polyline; what it bounds lies to its left, seen from where the normals point to.

    Attributes
    ----------
    points : ndarray, shape (q, 3)
        Its corners, the first not repeated [m].
    normals : ndarray, shape (q, 3)
        Of the surface at the side from each point to the next, all to one side of it.
    """

    points: Array
    normals: Array

    @property
    def length(self) -> float:
        """All round [m]."""
        ahead = np.roll(self.points, -1, axis=0) - self.points
        return float(np.linalg.norm(ahead, axis=1).sum())


@dataclass(frozen=True, eq=False)
class Links:
    """Sides of all elements and how they are linked; a side is numbered by element and corner.

    Attributes
    ----------
    first, last : ndarray of int, shape (s,)
        Nodes of each side, as its element runs round.
    owner : ndarray of int, shape (s,)
        Its element.
    ahead, behind : ndarray of int, shape (s,)
        The next side round the element, and the one before.
    twin : ndarray of int, shape (s,)
        The linked side of the neighbour; −1 where there is none.
    """

    first: Index
    last: Index
    owner: Index
    ahead: Index
    behind: Index
    twin: Index

    @property
    def neighbours(self) -> tuple[Index, Index]:
        """Linked elements in compressed rows: where each one's begin, and their numbers."""
        on = self.twin >= 0
        count = int(self.owner.max(initial=-1)) + 1
        starts = np.concatenate([[0], np.cumsum(np.bincount(self.owner[on], minlength=count))])
        order = np.argsort(self.owner[on], kind="stable")
        return starts.astype(np.int64), self.owner[self.twin[on][order]]


def links_of(mesh: Mesh) -> Links:
    """Link the elements of a mesh."""
    first, last, owner, ahead, behind = [], [], [], [], []
    base = 0
    for block in mesh.blocks:
        q, c = block.nodes.shape
        numbers = base + np.arange(q * c).reshape(q, c)
        first.append(block.nodes.ravel())
        last.append(np.roll(block.nodes, -1, axis=1).ravel())
        owner.append(np.repeat(block.first + np.arange(q), c))
        ahead.append(np.roll(numbers, -1, axis=1).ravel())
        behind.append(np.roll(numbers, 1, axis=1).ravel())
        base += q * c
    a, b = np.concatenate(first), np.concatenate(last)
    own = np.concatenate(owner)
    around = np.concatenate(ahead), np.concatenate(behind)
    return Links(a, b, own, *around, _twins(mesh, a, b, own))


def _twins(mesh: Mesh, a: Index, b: Index, own: Index) -> Index:
    key = np.minimum(a, b) * np.int64(len(mesh.nodes)) + np.maximum(a, b)
    order = np.argsort(key, kind="stable")
    begins = np.flatnonzero(np.concatenate([[True], np.diff(key[order]) != 0]))
    counts = np.diff(np.concatenate([begins, [len(key)]]))
    twin = np.full(len(key), -1, np.int64)
    pairs = begins[counts == 2]
    twin[order[pairs]], twin[order[pairs + 1]] = order[pairs + 1], order[pairs]
    for begin in np.flatnonzero(counts > 2):
        sides = order[begins[begin] : begins[begin] + counts[begin]]
        one, other = _straightest(mesh, a, b, own, sides)
        twin[one], twin[other] = other, one
    return twin


def _straightest(mesh: Mesh, a: Index, b: Index, own: Index, sides: Index) -> tuple[int, int]:
    """Of the sides along one line, the two whose elements run on most straightly."""
    middle = (mesh.nodes[a[sides]] + mesh.nodes[b[sides]]) / 2
    along = mesh.nodes[b[sides[0]]] - mesh.nodes[a[sides[0]]]
    along = along / np.linalg.norm(along)
    away = mesh.centres()[own[sides]] - middle
    away = away - (away @ along)[:, None] * along
    away /= np.linalg.norm(away, axis=1, keepdims=True)
    i, j = np.triu_indices(len(sides), 1)
    best = int(np.einsum("ki,ki->k", away[i], away[j]).argmin())
    return int(sides[i[best]]), int(sides[j[best]])


def outlines(mesh: Mesh, elements: Index, links: Links | None = None) -> list[Outline]:
    """Outlines of some elements, the longest first; none where they close in themselves.

    Parameters
    ----------
    mesh : Mesh
        Whose normals give the side.
    elements : ndarray of int
        Which.
    links : Links, optional
        Of the mesh, where they are known.

    Returns
    -------
    list of Outline
        Through the mesh's own nodes.
    """
    links = links or links_of(mesh)
    inside = np.zeros(mesh.count, bool)
    inside[elements] = True
    own = inside[links.owner]
    twin = links.twin
    linked = own & (twin >= 0) & inside[links.owner[np.maximum(twin, 0)]]
    left = dict.fromkeys(np.flatnonzero(own & ~linked).tolist())
    found = []
    normals = mesh.normals()
    while left:
        chain, senses = [], []
        side, ahead = next(iter(left)), True
        while side in left:
            chain.append(side)
            senses.append(ahead)
            del left[side]
            side, ahead = _next(links, linked, side, ahead)
        loop, sense = np.array(chain), np.array(senses)
        begin = np.where(sense, links.first[loop], links.last[loop])
        up = np.where(sense, 1.0, -1.0)[:, None] * normals[links.owner[loop]]
        found.append(Outline(mesh.nodes[begin], up))
    return sorted(found, key=lambda x: -x.length)


def _next(links: Links, linked: NDArray[np.bool_], side: int, ahead: bool) -> tuple[int, bool]:
    """Next side of a rim: about the node, through what is in, to the one that ends it.

    Neighbours that are turned over run along their side the same way: one then walks on against
    the way their sides run.
    """
    first, last, twin = links.first, links.last, links.twin
    side = int(links.ahead[side] if ahead else links.behind[side])
    while linked[side]:
        other = int(twin[side])
        if first[side] != last[other]:
            ahead = not ahead
        side = int(links.ahead[other] if ahead else links.behind[other])
    return side, ahead
