"""Supports in any axes, prescribed displacements and ties, all by elimination.

All unknowns follow from the kept ones, ``u = T q + g``; the matrix ``Tᵀ K T`` stays positive
definite. A tied node moves as the point of the other component that is nearest to it, with the
offset between the two: rigid motions of the whole pass through a tie unstrained.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import scipy.sparse as sp
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from tartan.core.errors import MechanismError, PartError
from tartan.core.shell.directions import components
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.supports import join_words, motion_names, null_motions, rigid_rows

Array = NDArray[np.float64]
Index = NDArray[np.int64]

NEAREST = 12
"""Elements looked at for the nearest point of a tie."""


@dataclass(frozen=True, eq=False)
class Held:
    """Nodes held, or moved by a given amount.

    Attributes
    ----------
    nodes : ndarray of int
        Where.
    unknowns : tuple of int
        0 to 2 displacements, 3 to 5 rotations, along the axes.
    values : tuple of float
        Prescribed displacement [m] or rotation [rad] of each; zero when left out.
    axes : ndarray, shape (3, 3) or (len(nodes), 3, 3), optional
        Rows are the axes; global ones by default.
    """

    nodes: Index
    unknowns: tuple[int, ...]
    values: tuple[float, ...] = ()
    axes: Array | None = None


@dataclass(frozen=True, eq=False)
class Tie:
    """Nodes tied to points of elements.

    Attributes
    ----------
    nodes : ndarray of int
        Nodes that follow.
    corners : ndarray of int, shape (len(nodes), 3)
        Nodes that lead.
    weights : ndarray, shape (len(nodes), 3)
        Shares of each in the nearest point.
    gaps : ndarray, shape (len(nodes),)
        Distance bridged [m].
    """

    nodes: Index
    corners: Index
    weights: Array
    gaps: Array


@dataclass(frozen=True, eq=False)
class Constraints:
    """Elimination ``u = T q + g`` of a mesh of n nodes.

    Attributes
    ----------
    T : sparse matrix, shape (6n, q)
        How all unknowns follow from the kept ones.
    g : ndarray, shape (6n,)
        Prescribed part.
    held : tuple of Held
        Supports it was made of.
    ties : tuple of Tie
        Ties it was made of.
    """

    T: Any
    g: Array
    held: tuple[Held, ...] = field(default=())
    ties: tuple[Tie, ...] = field(default=())


def tie_nodes(mesh: Mesh, nodes: Index, elements: Index, reach: float = np.inf) -> Tie:
    """Tie nodes to the nearest points of elements.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    nodes : ndarray of int
        Nodes that follow; those that belong to the elements are left out.
    elements : ndarray of int
        Elements that lead.
    reach : float
        Nodes farther away than this are refused [m].

    Raises
    ------
    PartError
        When there is nothing to tie, or a node is out of reach.
    """
    corners = _triangles(mesh, elements)
    nodes = np.setdiff1d(nodes, corners)
    if len(nodes) == 0 or len(corners) == 0:
        raise PartError("There is nothing to tie.", "Tie", "Choose nodes and another component.")
    x = mesh.nodes[corners]
    tree = cKDTree(x.mean(axis=1))
    _, near = tree.query(mesh.nodes[nodes], k=min(NEAREST, len(corners)))
    near = near.reshape(len(nodes), -1)
    weights = _nearest_weights(mesh.nodes[nodes][:, None], x[near])
    points = np.einsum("nkc,nkcd->nkd", weights, x[near])
    distance = np.linalg.norm(points - mesh.nodes[nodes][:, None], axis=2)
    best = distance.argmin(axis=1)
    rows = np.arange(len(nodes))
    gaps = distance[rows, best]
    if (gaps > reach).any():
        far = int(gaps.argmax())
        raise PartError(f"A node is {gaps[far]:.4g} m from the component it is tied to.",
                        f"Tie, node {int(nodes[far]) + 1}",
                        "Move the components together, or allow a larger gap.")  # fmt: skip
    return Tie(nodes, corners[near[rows, best]], weights[rows, best], gaps)


def _triangles(mesh: Mesh, elements: Index) -> Index:
    """Elements as triangles, shape (t, 3)."""
    quads = mesh.quads[elements[elements < len(mesh.quads)]]
    rest = mesh.triangles[elements[elements >= len(mesh.quads)] - len(mesh.quads)]
    return np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]], rest])


def _nearest_weights(p: Array, x: Array) -> Array:
    """Area coordinates of the points of triangles nearest to p, shape (..., 3)."""
    a, b, c = x[..., 0, :], x[..., 1, :], x[..., 2, :]
    best = _barycentric(p, a, b, c)
    inside = (best >= 0).all(axis=-1)
    distance = np.where(inside, np.linalg.norm(_point(best, x) - p, axis=-1), np.inf)
    for i, j in ((0, 1), (1, 2), (2, 0)):
        start, side = x[..., i, :], x[..., j, :] - x[..., i, :]
        share = ((p - start) * side).sum(axis=-1) / (side**2).sum(axis=-1)
        share = np.clip(share, 0.0, 1.0)
        weight = np.zeros(best.shape)
        weight[..., i], weight[..., j] = 1 - share, share
        gap = np.linalg.norm(_point(weight, x) - p, axis=-1)
        nearer = gap < distance
        best = np.where(nearer[..., None], weight, best)
        distance = np.where(nearer, gap, distance)
    return best


def _point(weight: Array, x: Array) -> Array:
    return np.asarray((weight[..., None] * x).sum(axis=-2))


def _barycentric(p: Array, a: Array, b: Array, c: Array) -> Array:
    u, v, w = b - a, c - a, p - a
    uu, uv, vv = (u * u).sum(-1), (u * v).sum(-1), (v * v).sum(-1)
    wu, wv = (w * u).sum(-1), (w * v).sum(-1)
    d = uu * vv - uv * uv
    s, t = (vv * wu - uv * wv) / d, (uu * wv - uv * wu) / d
    return np.stack([1 - s - t, s, t], axis=-1)


def constrain(mesh: Mesh, held: Sequence[Held], ties: Sequence[Tie] = ()) -> Constraints:
    """Make the elimination of supports and ties.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    held : sequence of Held
        Supports; where two hold the same unknown in the same axes the later value counts.
    ties : sequence of Tie
        Ties.

    Raises
    ------
    PartError
        When a support stands on nothing or on a tied node, unlike axes meet at a node, or a
        leading node is itself tied.
    MechanismError
        When a component can still move.
    """
    count = len(mesh.nodes)
    axes = np.broadcast_to(np.eye(3), (count, 3, 3)).copy()
    turned = np.zeros(count, bool)
    fixed = np.zeros((count, 6), bool)
    values = np.zeros((count, 6))
    for number, one in enumerate(held, start=1):
        _apply(one, f"Support {number}", (axes, turned, fixed, values))
    follows = np.zeros(count, bool)
    for tie in ties:
        follows[tie.nodes] = True
    if any(follows[tie.corners].any() for tie in ties):
        raise PartError("A node that others are tied to is itself tied.", "Ties",
                        "Tie all of them to one component.")  # fmt: skip
    if fixed[follows].any():
        raise PartError("A support stands on nodes that are tied.", "Supports",
                        "Hold the component they are tied to.")  # fmt: skip
    check_free_motions(mesh, held, ties)
    blocks = np.zeros((count, 6, 6))
    blocks[:, :3, :3] = blocks[:, 3:, 3:] = np.swapaxes(axes, 1, 2)
    local = sp.bsr_matrix((blocks, np.arange(count), np.arange(count + 1))).tocsr()
    local.eliminate_zeros()
    keep = ~fixed & ~follows[:, None]
    selection = sp.identity(6 * count, format="csc")[:, np.flatnonzero(keep.ravel())]
    T = (local @ selection).tocsr()
    g = local @ values.ravel()
    for tie in ties:
        T, g = _follow(mesh, tie, T, g)
    return Constraints(T.tocsc(), g, tuple(held), tuple(ties))


def _apply(one: Held, where: str, state: tuple[Array, NDArray[np.bool_], NDArray[np.bool_], Array]
           ) -> None:  # fmt: skip
    axes, turned, fixed, values = state
    if len(one.nodes) == 0:
        raise PartError("The support stands on nothing.", where, "Choose an edge or region.")
    if one.axes is not None:
        own = np.broadcast_to(one.axes, (len(one.nodes), 3, 3))
        clash = turned[one.nodes] | fixed[one.nodes].any(axis=1)
        if (clash & ~np.isclose(axes[one.nodes], own).all(axis=(1, 2))).any():
            raise PartError("Supports in unlike axes meet at a node.", where,
                            "Give both the same axes there.")  # fmt: skip
        axes[one.nodes], turned[one.nodes] = own, True
    for k, unknown in enumerate(one.unknowns):
        fixed[one.nodes, unknown] = True
        values[one.nodes, unknown] = one.values[k] if one.values else 0.0


def _follow(mesh: Mesh, tie: Tie, T: Any, g: Array) -> tuple[Any, Array]:
    """Rows of tied nodes put in terms of the nodes that lead them."""
    count = len(mesh.nodes)
    point = np.einsum("nc,ncd->nd", tie.weights, mesh.nodes[tie.corners])
    r = mesh.nodes[tie.nodes] - point
    # u_s = Σ w (u + θ × r) and θ × r = -[r]× θ.
    zero = np.zeros(len(r))
    cross = np.moveaxis(np.array([[zero, r[:, 2], -r[:, 1]], [-r[:, 2], zero, r[:, 0]],
                                  [r[:, 1], -r[:, 0], zero]]), -1, 0)  # fmt: skip
    block = np.zeros((len(r), 6, 6))
    block[:] = np.eye(6)
    block[:, :3, 3:] = cross
    full = tie.weights[:, :, None, None] * block[:, None]
    rows = (tie.nodes[:, None, None, None] * 6 + np.arange(6)[:, None]) + np.zeros(
        (1, 3, 1, 6), int
    )
    columns = tie.corners[:, :, None, None] * 6 + np.zeros((1, 1, 6, 1), int) + np.arange(6)
    follow = sp.coo_matrix((full.ravel(), (rows.ravel(), columns.ravel())),
                           (6 * count, 6 * count)).tocsr()  # fmt: skip
    stays = np.ones(6 * count)
    stays[(tie.nodes[:, None] * 6 + np.arange(6)).ravel()] = 0.0
    keep = sp.diags(stays) + follow
    return (keep @ T).tocsr(), keep @ g


def check_free_motions(mesh: Mesh, held: Sequence[Held], ties: Sequence[Tie] = ()) -> None:
    """Raise when a component, or components tied together, can move as a rigid body.

    Raises
    ------
    MechanismError
        Naming the component by an element of it, and the motion.
    """
    if not held:
        raise MechanismError("The part has no supports.", "Supports",
                             "Add one in Cases, such as clamped along an edge.")  # fmt: skip
    for motion in free_motions_of(mesh, held, ties):
        whole = len(motion.elements) == mesh.count
        what = "the part" if whole else f"the component of element {int(motion.elements[0]) + 1}"
        mend = "Hold that motion in Cases." if whole else "Hold it in Cases, or tie it."
        raise MechanismError(f"The supports leave {what} free to {join_words(motion.names)}.",
                             "Supports", mend)  # fmt: skip


@dataclass(frozen=True, eq=False)
class FreeMotion:
    """How a component, or components tied together, can move as a rigid body.

    Attributes
    ----------
    elements : ndarray of int
        The component.
    names : tuple of str
        Its free motions in words.
    shapes : ndarray, shape (q, n, 3)
        Displacement of every node of the mesh in each free motion; its largest is 1.
    """

    elements: Index
    names: tuple[str, ...]
    shapes: Array


def free_motions_of(mesh: Mesh, held: Sequence[Held], ties: Sequence[Tie] = ()
                    ) -> list[FreeMotion]:  # fmt: skip
    """Find components that can move as rigid bodies; none when the part is held."""
    label = components(mesh)
    node_label = np.full(len(mesh.nodes), -1)
    for nodes, first in ((mesh.quads, 0), (mesh.triangles, len(mesh.quads))):
        node_label[nodes] = label[first : first + len(nodes), None]
    parent = _joined(label, node_label, ties)
    groups = parent[label]
    found = []
    for group in np.unique(groups):
        mine = (node_label >= 0) & (parent[np.maximum(node_label, 0)] == group)
        rows, centre, size = _held_rows(mesh, mine, held)
        free = null_motions(rows)
        if len(free) == 0:
            continue
        rigid = rigid_rows((mesh.nodes - centre) / size)[:, :3]
        shapes = np.einsum("nci,qi->qnc", rigid, free) * mine[:, None]
        shapes /= np.linalg.norm(shapes, axis=2).max(axis=1)[:, None, None]
        found.append(
            FreeMotion(np.flatnonzero(groups == group), tuple(motion_names(rows)), shapes)
        )
    return found


def _joined(label: Index, node_label: Index, ties: Sequence[Tie]) -> Index:
    """Least component of each set of components that ties join, by component."""
    count = int(label.max()) + 1
    pairs = [np.stack([np.repeat(node_label[t.nodes], 3), node_label[t.corners].ravel()])
             for t in ties]  # fmt: skip
    if not pairs:
        return np.arange(count)
    a, b = np.concatenate(pairs, axis=1)
    graph = sp.coo_matrix((np.ones(len(a)), (a, b)), (count, count))
    return np.asarray(sp.csgraph.connected_components(graph, directed=False)[1])


def _held_rows(mesh: Mesh, mine: NDArray[np.bool_], held: Sequence[Held]
               ) -> tuple[Array, Array, float]:  # fmt: skip
    """What held directions feel of the rigid motions of some nodes; their middle and size."""
    nodes = mesh.nodes[mine]
    centre = nodes.mean(axis=0)
    size = float(np.abs(nodes - centre).max()) or 1.0
    rows = []
    for one in held:
        inside = mine[one.nodes]
        rigid = rigid_rows((mesh.nodes[one.nodes[inside]] - centre) / size)
        if one.axes is not None:
            own = np.broadcast_to(one.axes, (len(one.nodes), 3, 3))[inside]
            rigid = np.concatenate([own @ rigid[:, :3], own @ rigid[:, 3:]], axis=1)
        rows.append(rigid[:, list(one.unknowns)].reshape(-1, 6))
    return np.concatenate([np.zeros((0, 6)), *rows]), centre, size
