"""A mesh as a surface that nets are laid on: triangles that curve by the normals at their corners.

Nodes of a mesh lie on the true surface, its flat elements do not. Over each triangle a quadratic
is spanned that meets the normals at its corners, so that surfaces of a mesh of size h are met to
h³. Where faces meet at an edge sharper than `CREASE` each keeps its own normal. Openings are
closed by flat fans, so that yarns find their way over them; beyond the outer rim the surface goes
on as it ran.

Source: T. Nagata, Comput. Aided Geom. Des. 22 (2005) 327–347 (interpolation by normals), of whose
sides the part along the mean normal is taken.
"""

from __future__ import annotations

import math

import numpy as np
import scipy
from numpy.typing import NDArray

from tartan.core.drape.feet import feet
from tartan.core.drape.surface import Foot
from tartan.core.shell.mesh import Mesh

Array = NDArray[np.float64]
Index = NDArray[np.int64]

CREASE = 30.0
"""Angle between faces from which their edge is sharp [deg]."""


OUT_OF_MEASURE = 1e7
"""Coordinate beyond which a point has no foot [m]."""

NEXT = 8
"""Triangles next to a point from which its search begins anew."""


class TriangleSurface:
    """A mesh as a surface.

    Attributes
    ----------
    corners : ndarray of int, shape (t, 3)
        Of its triangles.
    nodes : ndarray, shape (n, 3)
        Of the mesh, and the middles of its openings [m].
    elements : ndarray of int, shape (t,)
        The element that a triangle is of; −1 in an opening.
    size : float
        Mean side of a triangle [m].
    """

    def __init__(self, mesh: Mesh, elements: Index | None = None) -> None:
        quads = mesh.quads
        whole = [quads[:, [0, 1, 2]], quads[:, [0, 2, 3]], mesh.triangles]
        owner = [np.arange(len(quads)), np.arange(len(quads))]
        owner.append(len(quads) + np.arange(len(mesh.triangles)))
        corners, own = np.concatenate(whole), np.concatenate(owner)
        # Of the whole mesh: at a region's rim the surface bends as its neighbours have it.
        normals = _corner_normals(mesh.nodes[corners], corners)
        normals = _at_rims(mesh.nodes[corners], corners, normals)
        if elements is not None:
            chosen = np.isin(own, elements)
            corners, own, normals = corners[chosen], own[chosen], normals[chosen]
        self.nodes, fans = _closed(mesh.nodes, corners)
        self.corners = np.concatenate([corners, fans])
        self.elements = np.concatenate([own, np.full(len(fans), -1)])
        self._beside = _neighbours(self.corners)
        x = self.nodes[self.corners]
        self.size = float(np.linalg.norm(x - np.roll(x, 1, axis=1), axis=2).mean())
        # An opening is flat: nothing is known of how it would curve.
        flat = np.repeat(_faces(x[len(corners) :])[:, None], 3, axis=1)
        self._normals = np.concatenate([normals, flat])
        self._bows = _bows(x, self._normals)
        for t in np.flatnonzero(self.elements < 0):
            # What closes an opening meets its rim as the elements there do.
            mate = self._beside[t, 0]
            side = int(np.flatnonzero(self._beside[mate] == t)[0])
            self._bows[t, 0] = self._bows[mate, side]
        self._rims = _along_rims(self.corners, self._beside)
        self._tree = scipy.spatial.cKDTree(x.mean(axis=1))

    @property
    def arrays(self) -> tuple[Array, Index, Index, Array, Index, Array]:
        """Nodes, corners, neighbours, bows, rims and normals, as compiled searches take them."""
        return (
            *(self.nodes, self.corners, self._beside),
            *(self._bows, self._rims, self._normals),
        )

    def foot(self, points: Array, hint: Index) -> Foot:
        """As `DrapeSurface.foot`; points of shape (q, 3) [m], hints are triangles."""
        points = np.ascontiguousarray(points, float)
        # What lies out of all measure has no foot; a search for it would not end at a triangle.
        known = np.asarray((np.abs(points) < OUT_OF_MEASURE).all(axis=1))
        begin = np.array(hint, np.int64)
        fresh = (begin < 0) & known
        if fresh.any():
            begin[fresh] = self._tree.query(points[fresh])[1]
        begin[~known] = 0
        place, normal = np.empty_like(points), np.empty_like(points)
        beyond = np.empty(len(points))
        points = np.where(known[:, None], points, 0.0)
        feet(points, begin, self.arrays, (place, normal, beyond))
        self._again(points, (begin, place, normal, beyond))
        beyond[~known] = np.inf
        return Foot(place, normal, beyond, begin)

    def _again(self, points: Array, kept: tuple[Index, Array, Array, Array]) -> None:
        """Search anew for points whose walk ran into a corner, from triangles next to them."""
        begin, place, normal, beyond = kept
        lost = np.flatnonzero(beyond < 0)
        if not len(lost):
            return
        near = self._tree.query(points[lost], min(NEXT, len(self.corners)))[1]
        near = near.reshape(len(lost), -1).astype(np.int64)
        for k in range(near.shape[1]):
            left = np.flatnonzero(beyond[lost] < 0)
            if not len(left):
                return
            at, hint = lost[left], near[left, k].copy()
            found = place[at], normal[at], beyond[at]
            feet(points[at], hint, self.arrays, found)
            place[at], normal[at], beyond[at] = found
            begin[at] = hint
        # In a crease no triangle holds it: the last one next to it does.
        beyond[lost] = np.maximum(beyond[lost], 0.0)


def _neighbours(corners: Index) -> Index:
    """Triangle across each side, from its corner to the next one, shape (t, 3); −1 at a rim."""
    sides = np.stack([corners, np.roll(corners, -1, axis=1)], axis=-1).reshape(-1, 2)
    key = np.sort(sides, axis=1)
    order = np.lexsort((key[:, 1], key[:, 0]))
    same = (key[order][1:] == key[order][:-1]).all(axis=1)
    beside = np.full(len(sides), -1, np.int64)
    one, other = order[:-1][same], order[1:][same]
    beside[one], beside[other] = other // 3, one // 3
    return beside.reshape(-1, 3)


def _along_rims(corners: Index, beside: Index) -> Index:
    """Triangle and side before and after every side at a rim, shape (t, 3, 4); −1 for none."""
    found = np.full((*corners.shape, 4), -1, np.int64)
    t, side = np.nonzero(beside < 0)
    first, last = corners[t, side], corners[t, (side + 1) % 3]
    begins = dict(zip(first.tolist(), range(len(t)), strict=True))
    for k, node in enumerate(last.tolist()):
        after = begins.get(node)
        if after is not None:
            found[t[k], side[k], 2:] = t[after], side[after]
            found[t[after], side[after], :2] = t[k], side[k]
    return found


def _faces(x: Array) -> Array:
    """Unit normals of triangles by their corners, shape (t, 3, 3)."""
    face = np.cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0])
    size = np.linalg.norm(face, axis=1, keepdims=True)
    return np.asarray(face / np.where(size > 0, size, 1.0))


def _at_rims(x: Array, corners: Index, normals: Array) -> Array:
    """Corner normals with those at rims, where only one side is known, carried on from within.

    A face's own normal is the mean of its corners': what those within leave of it is the rim's.
    """
    rim = np.zeros(int(corners.max()) + 1, bool)
    rim[np.unique(_rim(corners))] = True
    at = rim[corners]
    count = at.sum(axis=1)
    mixed = np.flatnonzero((count > 0) & (count < 3))
    inner = np.einsum("tci,tc->ti", normals[mixed], ~at[mixed])
    rest = (3 * _faces(x[mixed]) - inner) / count[mixed, None]
    total = np.zeros((len(rim), 3))
    for c in range(3):
        here = at[mixed, c]
        np.add.at(total, corners[mixed[here], c], rest[here])
    size = np.linalg.norm(total, axis=1, keepdims=True)
    total /= np.where(size > 0, size, 1.0)
    carried = total[corners]
    # Only a little: at a crease that meets the rim the faces' own mean stands.
    good = at & (np.einsum("tci,tci->tc", carried, normals) > math.cos(math.radians(CREASE)))
    return np.where(good[..., None], carried, normals)


def _corner_normals(x: Array, corners: Index) -> Array:
    """Normal of every triangle's corners, shape (t, 3, 3): mean of faces that meet smoothly."""
    face = _faces(x)
    one, other = np.roll(x, -1, axis=1) - x, np.roll(x, 1, axis=1) - x
    cosine = (one * other).sum(axis=2) / (
        np.linalg.norm(one, axis=2) * np.linalg.norm(other, axis=2)
    )
    weight = np.arccos(np.clip(cosine, -1, 1)).ravel()
    node, owner = corners.ravel(), np.repeat(np.arange(len(corners)), 3)
    order = np.argsort(node, kind="stable")
    starts = np.searchsorted(node[order], np.arange(node.max() + 2))
    count = np.diff(starts)
    found = np.zeros((len(node), 3))
    sharp = math.cos(math.radians(CREASE))
    # Every corner looks at all others of its node, one after the other; few have many.
    left = np.arange(len(node))
    for k in range(int(count.max(initial=0))):
        left = left[k < count[node[left]]]
        mate = order[starts[node[left]] + k]
        smooth = np.einsum("ci,ci->c", face[owner[left]], face[owner[mate]]) > sharp
        found[left] += np.where(smooth[:, None], weight[mate, None] * face[owner[mate]], 0.0)
    found /= np.linalg.norm(found, axis=1, keepdims=True)
    return found.reshape(len(corners), 3, 3)


def _bows(x: Array, normals: Array) -> Array:
    """How each side bows out of its chord, shape (t, 3, 3) [m]: p = chord − bow · t (1 − t)."""
    made = np.empty_like(x)
    for s in range(3):
        d = x[:, (s + 1) % 3] - x[:, s]
        n, m = normals[:, s], normals[:, (s + 1) % 3]
        # Along the mean of both normals alone: what else would meet them both exactly grows
        # without bound where they are all but one.
        mean = n + m
        mean /= np.linalg.norm(mean, axis=1, keepdims=True)
        bow = np.einsum("ti,ti->t", n - m, d) / 2 / np.einsum("ti,ti->t", mean, n)
        made[:, s] = bow[:, None] * mean
    return made


def _closed(nodes: Array, corners: Index) -> tuple[Array, Index]:
    """Nodes and fans of triangles that close all rims but the longest."""
    rim = _rim(corners)
    loops = _loops(rim)
    if len(loops) < 2:
        return nodes, np.zeros((0, 3), np.int64)
    length = [float(np.linalg.norm(nodes[p] - nodes[np.roll(p, 1)], axis=1).sum()) for p in loops]
    longest = int(np.argmax(length))
    fans, more = [], [nodes]
    for k, loop in enumerate(loops):
        # A rim as long as the longest, as a tube has at its other end, is no opening.
        if k == longest or length[k] > 0.5 * length[longest]:
            continue
        if len(loop) < 3:
            continue
        middle = len(nodes) + len(more) - 1
        more.append(nodes[loop].mean(axis=0)[None])
        ahead = np.roll(loop, -1)
        # Rims run with the faces beside them; what closes them runs the other way.
        fans.append(np.stack([ahead, loop, np.full(len(loop), middle)], axis=1))
    return np.concatenate(more), np.concatenate(fans) if fans else np.zeros((0, 3), np.int64)


def _rim(corners: Index) -> Index:
    """Sides of triangles that no other shares, shape (r, 2), as their triangle runs."""
    sides = np.stack([corners, np.roll(corners, -1, axis=1)], axis=-1).reshape(-1, 2)
    key = np.sort(sides, axis=1)
    _, first, count = np.unique(key, axis=0, return_index=True, return_counts=True)
    return np.asarray(sides[first[np.flatnonzero(count == 1)]])


def _loops(rim: Index) -> list[Index]:
    """Rims as loops of nodes; where rims branch, as at joints, they are left open and out."""
    node, out = np.unique(rim[:, 0], return_counts=True)
    branched = set(node[out > 1].tolist())
    ahead = {int(a): int(b) for a, b in rim if int(a) not in branched}
    found = []
    while ahead:
        start, node_ = next(iter(ahead.items()))
        chain = [start]
        del ahead[start]
        while node_ != start and node_ in ahead:
            chain.append(node_)
            node_ = ahead.pop(node_)
        if node_ == start:
            found.append(np.array(chain))
    return found
