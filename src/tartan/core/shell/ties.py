"""Ties between components that share no nodes.

Edges follow by mortar constraints, ``∫ λᵢ (u_s − u_m) ds = 0`` over every follower side, with
multipliers λ that are biorthogonal to the follower's shape functions, so that the constraint is
solved for the following unknowns node by node [1]. Constant membrane and bending states pass
between any two meshes. Nodes of faces that lie on one another follow the nearest point.

Displacements between nodes take the rotations with them: a field of constant curvature is

    u(x) = Σ Nᵢ [uᵢ + ½ n n·(θᵢ × (x − xᵢ))]

exactly, as its slope is linear. A follower at a distance r from the surface it follows moves as
part of it, by θ × r; rigid motions pass every tie unstrained.

[1] B. I. Wohlmuth, SIAM J. Numer. Anal. 38 (2000) 989–1012.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import scipy
import scipy.sparse as sp
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.nearest import nearest_shares

Array = NDArray[np.float64]
Index = NDArray[np.int64]

NEAREST = 24
"""Triangles looked at for the nearest point of a tie."""

_GAUSS = np.array([-np.sqrt(0.6), 0.0, np.sqrt(0.6)])
_WEIGHTS = np.array([5.0, 8.0, 5.0]) / 18
"""Over a piece of unit length."""

_TRACE = 1e-12
"""Shares below it are rounding and lead nothing."""


@dataclass(frozen=True, eq=False)
class Tie:
    """Nodes tied to elements.

    Attributes
    ----------
    nodes : ndarray of int, shape (q,)
        Nodes that follow.
    gaps : ndarray, shape (q,)
        Distance bridged at each [m].
    points : ndarray, shape (q, 3)
        Nearest place of what leads [m].
    unknowns : ndarray of int, shape (r,)
        Unknowns that follow; all six of every node unless some are held instead.
    rows : sparse matrix, shape (r, 6n)
        How they follow from all unknowns.
    length, area : float
        Of the edge and of the face that are tied [m, m²].
    turned : bool
        Whether what follows is turned against what leads, as at the cuts of a ring: motions of
        a rigid body do not all pass such a tie.
    """

    nodes: Index
    gaps: Array
    points: Array
    unknowns: Index
    rows: Any
    length: float = 0.0
    area: float = 0.0
    turned: bool = False

    @property
    def leading(self) -> Index:
        """Unknowns that lead, ascending."""
        return np.unique(self.rows.tocsr().indices).astype(np.int64)

    @property
    def pairs(self) -> Index:
        """Nodes that follow with the nodes that lead them, shape (p, 2)."""
        rows = self.rows.tocoo()
        return np.unique(np.stack([self.unknowns[rows.row] // 6, rows.col // 6], axis=1), axis=0)

    def released(self, fixed: NDArray[np.bool_]) -> Tie:
        """Return the tie without the unknowns, shape (n, 6), that a support holds in its place.

        Where what leads is held too the follower goes on following: then both are still.
        """
        held = fixed.ravel()[self.unknowns]
        if not held.any():
            return self
        rows = self.rows.tocsr()
        led = sp.csr_matrix(
            (fixed.ravel()[rows.indices].astype(float), rows.indices, rows.indptr), rows.shape
        )
        same = sp.coo_matrix(led)
        kind = self.unknowns[same.row] % 6 == same.col % 6
        leads = np.zeros(len(self.unknowns), bool)
        leads[same.row[kind & (same.data > 0)]] = True
        keep = ~held | leads
        return replace(self, unknowns=self.unknowns[keep], rows=rows[keep])


def tie_nodes(mesh: Mesh, nodes: Index, elements: Index, reach: float = np.inf) -> Tie:
    """Tie nodes to elements: edges by mortar constraints, faces and lone nodes to nearest points.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    nodes : ndarray of int
        Nodes that follow; those that belong to the elements are left out. Sides of other
        elements between two of them are followed as a whole.
    elements : ndarray of int
        Elements that lead.
    reach : float
        Nodes farther away than this are refused [m].

    Raises
    ------
    PartError
        When there is nothing to tie, or a node is out of reach.
    """
    corners = triangles_of(mesh, elements)
    nodes = np.setdiff1d(nodes, corners)
    if len(nodes) == 0 or len(corners) == 0:
        raise PartError("There is nothing to tie.", "Tie", "Choose nodes and another component.")
    lead = Leader(mesh, corners)
    here = lead.nearest(mesh.nodes[nodes])
    if (here.gaps > reach).any():
        far = int(here.gaps.argmax())
        raise PartError(
            f"A node is {here.gaps[far]:.4g} m from the component it is tied to.",
            f"Tie, node {int(nodes[far]) + 1}",
            "Move the components together, or allow a larger gap.",
        )
    others = np.setdiff1d(np.arange(mesh.count), elements)
    sides, normals = open_sides(mesh, others, nodes)
    chained = np.unique(sides)
    alone = np.setdiff1d(nodes, chained)
    parts = []
    if len(sides):
        parts.append(tie_sides(mesh, sides, normals, lead))
    if len(alone):
        parts.append(tie_points(mesh, alone, lead))
    return joined(parts)


def joined(parts: list[Tie]) -> Tie:
    """Several ties as one."""
    if len(parts) == 1:
        return parts[0]
    nodes, gaps, points, unknowns = (
        np.concatenate([getattr(p, name) for p in parts])
        for name in ("nodes", "gaps", "points", "unknowns")
    )
    rows = sp.vstack([p.rows for p in parts]).tocsr()
    length, area = sum(p.length for p in parts), sum(p.area for p in parts)
    return Tie(nodes, gaps, points, unknowns, rows, length, area)


def triangles_of(mesh: Mesh, elements: Index) -> Index:
    """Elements as triangles, shape (t, 3)."""
    fans = [
        nodes[:, [0, k, k + 1]]
        for nodes, _ in mesh.parts(elements)
        for k in range(1, nodes.shape[1] - 1)
    ]
    return np.concatenate([np.zeros((0, 3), np.int64), *fans])


def open_sides(mesh: Mesh, elements: Index, nodes: Index) -> tuple[Index, Array]:
    """Sides that belong to one of the elements only, between two of the nodes.

    Returns
    -------
    tuple of ndarray
        Their ends in the sense of their element, shape (s, 2), and the normals of their
        elements, shape (s, 3).
    """
    found, owner = [], []
    for table, mine in mesh.parts(elements):
        found.append(np.stack([table, np.roll(table, -1, axis=1)], axis=2).reshape(-1, 2))
        owner.append(np.repeat(mine, table.shape[1]))
    if not found:
        return np.zeros((0, 2), np.int64), np.zeros((0, 3))
    sides, of = np.concatenate(found), np.concatenate(owner)
    _, which, times = np.unique(
        np.sort(sides, axis=1), axis=0, return_inverse=True, return_counts=True
    )
    chosen = (times[which.ravel()] == 1) & np.isin(sides, nodes).all(axis=1)
    return sides[chosen], mesh.normals()[of[chosen]]


@dataclass(frozen=True, eq=False)
class Places:
    """Nearest places of points: their triangles' corners and shares (g, 3), points, gaps."""

    corners: Index
    shares: Array
    points: Array
    gaps: Array


class Leader:
    """Triangles that lead, and what is nearest to them."""

    def __init__(self, mesh: Mesh, corners: Index) -> None:
        self.mesh, self.corners = mesh, corners
        self.x = mesh.nodes[corners]
        self.middle = self.x.mean(axis=1)
        self.radius = float(np.linalg.norm(self.x - self.middle[:, None], axis=2).max())
        self._tree = scipy.spatial.cKDTree(self.middle)

    def nearest(self, at: Array) -> Places:
        """Nearest place to each point, shape (g, 3)."""
        _, near = self._tree.query(at, k=min(NEAREST, len(self.corners)))
        near = np.asarray(near).reshape(len(at), min(NEAREST, len(self.corners)))
        shares = nearest_shares(at[:, None], self.x[near])
        points = np.einsum("nkc,nkcd->nkd", shares, self.x[near])
        distance = np.linalg.norm(points - at[:, None], axis=2)
        rows = np.arange(len(at))
        best = distance.argmin(axis=1)
        return Places(
            self.corners[near[rows, best]],
            shares[rows, best],
            points[rows, best],
            distance[rows, best],
        )

    def crossings(self, a: Array, b: Array) -> Array:
        """Shares of the way from a to b, shape (3,), that cross triangles' sides, with 0 and 1."""
        half = float(np.linalg.norm(b - a)) / 2
        gap = float(self.nearest(np.array([a, b])).gaps.max())
        near = self._tree.query_ball_point((a + b) / 2, half + self.radius + gap)
        x = self.x[near]
        p = x.reshape(-1, 3)
        q = np.roll(x, -1, axis=1).reshape(-1, 3)
        d, e, r = b - a, q - p, a - p
        dd, ee, de = float(d @ d), (e * e).sum(axis=1), e @ d
        dr, er = r @ d, (e * r).sum(axis=1)
        det = dd * ee - de * de
        fine = det > 1e-10 * dd * ee
        safe = np.where(fine, det, 1.0)
        s, t = (de * er - ee * dr) / safe, (dd * er - de * dr) / safe
        away = np.linalg.norm(r + s[:, None] * d - t[:, None] * e, axis=1)
        good = fine & (s > 1e-9) & (s < 1 - 1e-9) & (t > -1e-9) & (t < 1 + 1e-9)
        good &= away <= 2 * gap + 1e-6 * half
        return np.unique(np.concatenate([[0.0, 1.0], np.round(s[good], 10)]))


def _field(mesh: Mesh, at: Array, places: Places) -> tuple[Any, Any]:
    """Displacement and rotation at points from the leading unknowns, two of shape (3g, 6n)."""
    x = mesh.nodes[places.corners]
    normal = np.cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0])
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    within = _lever(places.points[:, None] - x)
    linked = np.einsum("gc,gd,gkde->gkce", normal, normal, within) / 2
    turn = places.shares[..., None, None] * (linked + _lever(at - places.points)[:, None])
    plain = places.shares[..., None, None] * np.eye(3)
    return (
        _blocks(mesh, places.corners, plain, 0) + _blocks(mesh, places.corners, turn, 3),
        _blocks(mesh, places.corners, plain, 3),
    )


def _lever(a: Array) -> Array:
    """Matrices S with ``S θ = θ × a``, shape (..., 3, 3)."""
    x, y, z = np.moveaxis(a, -1, 0)
    zero = np.zeros_like(x)
    rows = [[zero, z, -y], [-z, zero, x], [y, -x, zero]]
    return np.moveaxis(np.array(rows), (0, 1), (-2, -1))


def _blocks(mesh: Mesh, corners: Index, values: Array, first: int) -> Any:
    """Sparse (3g, 6n) of 3 × 3 blocks at the corners' unknowns that begin with `first`."""
    rows = 3 * np.arange(len(corners))[:, None, None, None] + np.arange(3)[:, None]
    columns = 6 * corners[:, :, None, None] + first + np.arange(3)
    rows, columns = np.broadcast_arrays(rows, columns)
    return sp.coo_matrix(
        (values.ravel(), (rows.ravel(), columns.ravel())), (3 * len(corners), 6 * len(mesh.nodes))
    ).tocsr()


def tie_points(mesh: Mesh, nodes: Index, lead: Leader) -> Tie:
    """Nodes, shape (q,), that follow the nearest points."""
    places = lead.nearest(mesh.nodes[nodes])
    return _tie(mesh, nodes, lead, _field(mesh, mesh.nodes[nodes], places))


@dataclass(frozen=True, eq=False)
class _Samples:
    """Integration points on sides: place (g, 3), weight, side, shares of its ends (g, 2)."""

    at: Array
    weight: Array
    side: Index
    N: Array


def _samples(mesh: Mesh, sides: Index, lead: Leader) -> _Samples:
    """Three points on every piece of a side that lies in one leading triangle."""
    at, weight, share, of = [], [], [], []
    for number, (a, b) in enumerate(mesh.nodes[sides]):
        cuts = lead.crossings(a, b)
        wide = np.diff(cuts)
        s = (cuts[:-1, None] + wide[:, None] * (1 + _GAUSS) / 2).ravel()
        at.append(a + s[:, None] * (b - a))
        weight.append((wide[:, None] * _WEIGHTS).ravel() * float(np.linalg.norm(b - a)))
        share.append(s)
        of.append(np.full(len(s), number))
    s = np.concatenate(share)
    return _Samples(
        np.concatenate(at),
        np.concatenate(weight),
        np.concatenate(of),
        np.stack([1 - s, s], axis=1),
    )


def _multipliers(local: Index, count: int, samples: _Samples) -> tuple[Any, Any, Index]:
    """What the nodes of sides take from the samples, and from the nodes at chain ends.

    Returns
    -------
    tuple of sparse matrix, sparse matrix and ndarray of int
        Shape (3q, 3g); shape (3q, 3e); and the e nodes at the ends of chains, which follow their
        nearest point, so that what is held or pulled at a corner stays there: the multiplier of
        their neighbour takes over, and the sum of all stays one.
    """
    ends, N, w = local[samples.side], samples.N, samples.weight
    dual = np.stack([3 * N[:, 0] - 1, 3 * N[:, 1] - 1], axis=1)
    last = np.bincount(local.ravel(), minlength=count) == 1
    # A single side has no neighbour to take over.
    last[local[last[local].all(axis=1)]] = False
    lost = np.where(last[ends], dual, 0.0)
    dual = dual - lost + np.where(last[ends], 0.0, lost[:, ::-1])
    weighted = w[:, None] * dual
    pairs = np.repeat(ends, 2, axis=1).ravel(), np.tile(ends, (1, 2)).ravel()
    D = sp.coo_matrix(
        ((weighted[:, :, None] * N[:, None, :]).ravel(), pairs), (count, count)
    ).tocsc()
    inverse = np.where(last, 0.0, 1 / np.where(last, 1.0, D.diagonal()))
    at = np.repeat(np.arange(len(w)), 2)
    W = sp.coo_matrix(
        (weighted.ravel() * inverse[ends.ravel()], (ends.ravel(), at)), (count, len(w))
    )
    fixed = np.flatnonzero(last)
    put = sp.identity(count, format="csc")[:, fixed] - sp.diags(inverse) @ D[:, fixed]
    three = sp.identity(3)
    return sp.kron(W, three).tocsr(), sp.kron(put, three).tocsr(), fixed


def tie_sides(mesh: Mesh, sides: Index, normals: Array, lead: Leader) -> Tie:
    """Sides that follow by mortar constraints.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    sides : ndarray of int, shape (s, 2)
        Ends of each.
    normals : ndarray, shape (s, 3)
        Normals of the elements they belong to.
    lead : Leader
        What they follow.
    """
    nodes, local = np.unique(sides, return_inverse=True)
    local = local.reshape(-1, 2)
    samples = _samples(mesh, sides, lead)
    W, put, fixed = _multipliers(local, len(nodes), samples)
    x, ends = samples.at, local[samples.side]
    moved, turned = _field(mesh, x, lead.nearest(x))
    at_ends = mesh.nodes[nodes[fixed]]
    end_moved, end_turned = _field(mesh, at_ends, lead.nearest(at_ends))
    n = normals[samples.side]
    within = _lever(x[:, None] - mesh.nodes[nodes[ends]])
    own = samples.N[..., None, None] * np.einsum("gc,gd,gkde->gkce", n, n, within) / 2
    rows = 3 * np.arange(len(x))[:, None, None, None] + np.arange(3)[:, None]
    rows, columns = np.broadcast_arrays(rows, 3 * ends[:, :, None, None] + np.arange(3))
    linked = sp.coo_matrix(
        (own.ravel(), (rows.ravel(), columns.ravel())), (3 * len(x), 3 * len(nodes))
    ).tocsr()
    turn = W @ turned + put @ end_turned
    move = W @ (moved - linked @ turn) + put @ end_moved
    tie = _tie(mesh, nodes, lead, (move, turn))
    spans = np.linalg.norm(np.diff(mesh.nodes[sides], axis=1)[:, 0], axis=1)
    return replace(tie, length=float(spans.sum()))


def _tie(mesh: Mesh, nodes: Index, lead: Leader, rows: tuple[Any, Any]) -> Tie:
    """Tie of nodes from rows of their displacements and rotations, (3q, 6n) each."""
    places = lead.nearest(mesh.nodes[nodes])
    unknowns = (6 * nodes[:, None] + np.arange(6)).ravel()
    both = sp.vstack(rows).tocsr()
    q = len(nodes)
    order = np.concatenate(
        [
            3 * np.arange(q)[:, None] + np.arange(3),
            3 * q + 3 * np.arange(q)[:, None] + np.arange(3),
        ],
        axis=1,
    )
    both = both[order.ravel()].tocsr()
    both.data[np.abs(both.data) < _TRACE] = 0.0
    both.eliminate_zeros()
    return Tie(nodes, places.gaps, places.points, unknowns, both)
