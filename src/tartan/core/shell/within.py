"""Elements that lie within outlines given by places alone, whatever mesh they came from.

Elements that an outline runs through are judged by the share of their area that lies to its left;
all others by what is linked to those. An outline may lie a little off the surface.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import scipy
from numpy.typing import NDArray

from tartan.core.shell.crossings import crossing
from tartan.core.shell.flooding import flood, heights, judge, rings
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.outlines import Links, Outline, links_of, outlines
from tartan.core.shell.walking import walk

Array = NDArray[np.float64]
Index = NDArray[np.int64]

CANDIDATES = 6
"""Elements that are looked at for every place: the nearest one may be of another sheet."""

FINE = 1.5
"""Spacing of the places along an outline in widths of the elements there."""


ALONG = 0.1
"""Share of an element's radius within which an outline runs along its side."""


@dataclass(frozen=True, eq=False)
class Located:
    """Elements that places are on, shape (q,), and how far off they lie, shape (q,) [m]."""

    element: Index
    off: Array


@dataclass(frozen=True, eq=False)
class Traced:
    """Outlines ready to be looked up: their sides, and places along them.

    Attributes
    ----------
    sides : tuple of ndarray
        As `heights` takes them.
    """

    sides: tuple[Array, Array, Array, Index, Index, NDArray[np.bool_]]

    @property
    def middles(self) -> Array:
        """Of the sides, shape (s, 3) [m]."""
        return np.asarray((self.sides[0] + self.sides[1]) / 2)


class Locator:
    """Finds elements of one mesh by place."""

    def __init__(self, mesh: Mesh) -> None:
        self.mesh = mesh
        self._centres = mesh.centres()
        self._normals = np.ascontiguousarray(mesh.normals())
        self._tree = scipy.spatial.cKDTree(self._centres)
        self._radius = np.linalg.norm(
            mesh.nodes[mesh.corner_table] - self._centres[:, None], axis=2
        ).max(axis=1)
        # A square's side; of what is long and thin about its width.
        self._width = mesh.areas() / (math.sqrt(2) * self._radius)

    @property
    def size(self) -> float:
        """Diagonal of the box about the mesh [m]."""
        return float(np.linalg.norm(np.ptp(self.mesh.nodes, axis=0)))

    @cached_property
    def links(self) -> Links:
        """Of the elements across their sides."""
        return links_of(self.mesh)

    @cached_property
    def _sides(self) -> tuple[Index, Index, Index, Index, Index]:
        """Sides as `walk` takes them."""
        links = self.links
        count = np.bincount(links.owner, minlength=self.mesh.count)
        begins = np.concatenate([[0], np.cumsum(count)]).astype(np.int64)
        return links.first, links.last, links.owner, links.twin, begins

    @cached_property
    def _neighbours(self) -> tuple[Index, Index]:
        return self.links.neighbours

    @cached_property
    def _corners(self) -> Index:
        table = np.asarray(self.mesh.corner_table, np.int64)
        return np.ascontiguousarray(table)

    @cached_property
    def _arrays(self) -> tuple[Index, Array, Array, Index, Index]:
        """The mesh as `judge` takes it."""
        node = self._corners.ravel()
        order = np.argsort(node, kind="stable")
        count = np.bincount(node, minlength=len(self.mesh.nodes))
        starts = np.concatenate([[0], np.cumsum(count)]).astype(np.int64)
        around = rings(self._corners, starts, order // 4)
        return self._corners, np.ascontiguousarray(self.mesh.nodes), self._normals, *around

    def locate(self, places: Array) -> Located:
        """Elements that hold places, shape (q, 3) [m], or are nearest to them on their sheet."""
        many = min(CANDIDATES, self.mesh.count)
        far, near = self._tree.query(places, many)
        far, near = far.reshape(-1, many), near.reshape(-1, many)
        gap = np.einsum("qki,qki->qk", places[:, None] - self._centres[near], self._normals[near])
        aside = np.sqrt(np.maximum(far**2 - gap**2, 0.0))
        off = np.hypot(gap, np.maximum(aside - self._radius[near], 0.0))
        # Of the right sheet; that it holds the place is another matter where elements are thin.
        element = near[np.arange(len(places)), off.argmin(axis=1)].astype(np.int64)
        found = np.empty(len(places))
        mesh = np.ascontiguousarray(self.mesh.nodes), self._normals
        walk(np.ascontiguousarray(places, float), element, mesh, self._sides, found)
        return Located(element, found)

    def trace(self, found: Sequence[Outline]) -> Traced:
        """Make outlines ready; without any, what closes in itself is meant."""
        if not found:
            none, whole = np.zeros((0, 3)), np.zeros(0, np.int64)
            return Traced((none, none, none, whole, whole, np.zeros(0, bool)))
        begin = np.concatenate([x.points for x in found])
        end = np.concatenate([np.roll(x.points, -1, axis=0) for x in found])
        up = np.concatenate([x.normals for x in found])
        counts = [len(x.points) for x in found]
        base = np.repeat(np.cumsum([0, *counts[:-1]]), counts)
        within = np.arange(len(begin)) - base
        long = np.repeat(counts, counts)
        before, after = base + (within - 1) % long, base + (within + 1) % long
        on = ~_cancelled(begin, end, up)
        arrays = (np.ascontiguousarray(x) for x in (begin, end, up, before, after))
        return Traced((*arrays, on))  # type: ignore[arg-type]

    def places(self, traced: Traced, on: Index) -> tuple[Index, Index]:
        """Elements along outlines, and their sides, so near together that none is missed.

        Parameters
        ----------
        traced : Traced
            The outlines.
        on : ndarray of int, shape (s,)
            Elements of the middles of their sides.
        """
        begin, end = traced.sides[:2]
        length = np.linalg.norm(end - begin, axis=1)
        pieces = np.maximum(np.ceil(length / (FINE * self._width[on])), 1).astype(np.int64)
        pieces[~traced.sides[5]] = 0
        whole = np.flatnonzero(pieces == 1)
        pieces[whole] = 0
        if not pieces.any():
            return on[whole], whole
        side = np.repeat(np.arange(len(begin)), pieces)
        step = np.arange(len(side)) - np.repeat(np.cumsum(pieces) - pieces, pieces)
        share = ((step + 0.5) / pieces[side])[:, None]
        more = self.locate(begin[side] * (1 - share) + end[side] * share).element
        return np.concatenate([on[whole], more]), np.concatenate([whole, side])

    def within(self, traced: Traced, on: Index, seeds: Index) -> Index:
        """Elements within outlines.

        Parameters
        ----------
        traced : Traced
            The outlines.
        on : ndarray of int, shape (s,)
            Elements of the middles of their sides.
        seeds : ndarray of int
            Elements that are known to be within, for what no outline bounds.

        Returns
        -------
        ndarray of int
            Those of whose area more than half lies within, in order.
        """
        known = np.full(self.mesh.count, -1, np.int8)
        lost = judge(*self.places(traced, on), self._arrays, traced.sides, known)
        self._end_at_creases(known, lost, traced)
        flood(known, *self._neighbours, False)
        if len(seeds) and (known[seeds] < 0).any():
            flood(known, *self._neighbours, True)
            known[seeds[known[seeds] < 0]] = 1
            flood(known, *self._neighbours, True)
        return np.flatnonzero(known == 1)

    def _end_at_creases(self, known: NDArray[np.int8], lost: Index, traced: Traced) -> None:
        """Put outside what an outline along a crease parts from its own sheet."""
        if not len(lost):
            return
        links = self.links
        unknown = np.zeros(self.mesh.count, bool)
        unknown[lost] = True
        other = links.twin
        across = links.owner[np.maximum(other, 0)]
        at = np.flatnonzero((other >= 0) & unknown[across] & (known[links.owner] >= 0))
        if not len(at):
            return
        ends = self.mesh.nodes[np.stack([links.first[at], links.last[at]])].reshape(-1, 3)
        found = np.empty(len(ends))
        heights(ends, np.tile(self._normals[links.owner[at]], (2, 1)), traced.sides, found)
        near = np.abs(found.reshape(2, -1)).max(axis=0) < ALONG * self._radius[links.owner[at]]
        known[across[at[near]]] = 0


def _cancelled(begin: Array, end: Array, up: Array) -> NDArray[np.bool_]:
    """Sides that another one undoes, since both have the other's outside within, shape (s,)."""
    out = np.zeros(len(begin), bool)
    middle = begin + end
    order = np.lexsort(middle.T)
    same = np.flatnonzero((middle[order][1:] == middle[order][:-1]).all(axis=1))
    if not len(same):
        return out
    i, j = order[same], order[same + 1]
    way = end - begin
    inward = np.cross(up, way)
    along = np.abs(np.einsum("qi,qi->q", way[i], way[j]))
    alike = along > (1 - 1e-6) * np.einsum("qi,qi->q", way[i], way[i])
    undone = alike & (np.einsum("qi,qi->q", inward[i], inward[j]) < 0)
    out[i[undone]] = out[j[undone]] = True
    return out


def compile_all() -> None:
    """Compile the loops that find elements by place, or read them from their cache."""
    x = np.array([[0.0, 0, 0], [1, 0, 0], [2, 0, 0], [0, 1, 0], [1, 1, 0], [2, 1, 0]])
    mesh = Mesh(x, np.array([[0, 1, 4, 3], [1, 2, 5, 4]]))
    locator = Locator(mesh)
    found = outlines(mesh, np.array([0]), locator.links)
    crossing(found)
    traced = locator.trace(found)
    locator.within(traced, locator.locate(traced.middles).element, np.zeros(0, np.int64))
    heights(locator.locate(x).off[:, None] + x, np.zeros_like(x), traced.sides, np.empty(len(x)))
