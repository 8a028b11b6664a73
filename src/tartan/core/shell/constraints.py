"""Supports in any axes, prescribed displacements and ties, all by elimination.

All unknowns follow from the kept ones, ``u = T q + g``; the matrix ``Tᵀ K T`` stays positive
definite.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import scipy.sparse as sp
from numpy.typing import NDArray

from tartan.core.errors import MechanismError, PartError
from tartan.core.shell.directions import components
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.supports import join_words, motion_names, null_motions, rigid_rows
from tartan.core.shell.ties import Tie, tie_nodes

__all__ = [
    "Constraints",
    "FreeMotion",
    "Held",
    "Tie",
    "check_free_motions",
    "constrain",
    "free_motions_of",
    "tie_nodes",
]

Array = NDArray[np.float64]
Index = NDArray[np.int64]


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
    held_rows, held_axes : sparse matrix, shape (6n, h)
        How all unknowns follow from the held ones, and the held ones at their own nodes alone.
    held_alone : ndarray of bool, shape (6n,)
        Unknowns held and not tied to others that are held.
    fixed : ndarray of bool, shape (n, 6)
        All unknowns held, in the axes of their nodes.
    axes : ndarray, shape (n, 3, 3)
        Those axes, as rows.
    """

    T: Any
    g: Array
    held: tuple[Held, ...]
    ties: tuple[Tie, ...]
    held_rows: Any
    held_axes: Any
    held_alone: NDArray[np.bool_]
    fixed: NDArray[np.bool_]
    axes: Array

    def moved(self, moves: Sequence[Held]) -> Array:
        """Prescribed part of a case's movements, shape (6n,) [m, rad]; the later value counts.

        Raises
        ------
        PartError
            Where an unknown is moved that no support holds, or in other axes than it is held in.
        """
        values = np.zeros(self.fixed.shape)
        for number, one in enumerate(moves, start=1):
            where = f"Movement {number}"
            own = np.eye(3) if one.axes is None else one.axes
            own = np.broadcast_to(own, (len(one.nodes), 3, 3))
            for unknown, value in zip(one.unknowns, one.values, strict=True):
                if not self.fixed[one.nodes, unknown].all():
                    raise PartError(
                        "It moves what no support holds.",
                        where,
                        "Hold that direction there first.",
                    )
                values[one.nodes, unknown] = value
            if not np.allclose(self.axes[one.nodes], own):
                raise PartError(
                    "It moves along other axes than its support holds.",
                    where,
                    "Give both the same axes there.",
                )
        return np.asarray(self.held_rows @ values.ravel()[self.held_alone])


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
        When a support stands on nothing, a turned one on a tied node, unlike axes meet at a
        node, or a leading node is itself tied.
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
    released = [tie.released(fixed) for tie in ties]
    follows = _following(released, count)
    held_alone = fixed.ravel() & ~follows
    tied = np.unique(np.flatnonzero(follows) // 6)
    if (turned[tied] & held_alone.reshape(-1, 6)[tied].any(axis=1)).any():
        raise PartError(
            "A support in its own axes stands on nodes that are tied.",
            "Supports",
            "Hold the component they are tied to.",
        )
    check_free_motions(mesh, held, ties)
    blocks = np.zeros((count, 6, 6))
    blocks[:, :3, :3] = blocks[:, 3:, 3:] = np.swapaxes(axes, 1, 2)
    local = sp.bsr_matrix((blocks, np.arange(count), np.arange(count + 1))).tocsr()
    local.eliminate_zeros()
    keep = ~fixed.ravel() & ~follows
    identity = sp.identity(6 * count, format="csc")
    # Tied nodes follow in global axes.
    held_axes = (local @ identity[:, np.flatnonzero(held_alone)]).tocsr()
    T, rows = (local @ identity[:, np.flatnonzero(keep)]).tocsr(), held_axes
    for tie in released:
        T, rows = _follow(tie, T, count), _follow(tie, rows, count)
    g = rows @ values.ravel()[held_alone]
    return Constraints(
        T.tocsc(),
        g,
        tuple(held),
        tuple(ties),
        rows.tocsc(),
        held_axes.tocsc(),
        held_alone,
        fixed,
        axes,
    )


def _following(ties: Sequence[Tie], count: int) -> NDArray[np.bool_]:
    """Unknowns that follow others; a tie may lead on what an earlier one makes follow."""
    follows = np.zeros(6 * count, bool)
    for tie in ties:
        if follows[tie.unknowns].any():
            raise PartError("A node is tied twice.", "Ties", "Tie it to one component.")
        follows[tie.unknowns] = True
    later = np.zeros(6 * count, bool)
    for tie in reversed(ties):
        later[tie.unknowns] = True
        if later[tie.leading].any():
            raise PartError(
                "A node that others are tied to is itself tied.",
                "Ties",
                "Tie all of them to one component.",
            )
    return follows


def _apply(
    one: Held, where: str, state: tuple[Array, NDArray[np.bool_], NDArray[np.bool_], Array]
) -> None:
    axes, turned, fixed, values = state
    if len(one.nodes) == 0:
        raise PartError("The support stands on nothing.", where, "Choose an edge or region.")
    if one.axes is not None:
        own = np.broadcast_to(one.axes, (len(one.nodes), 3, 3))
        clash = turned[one.nodes] | fixed[one.nodes].any(axis=1)
        if (clash & ~np.isclose(axes[one.nodes], own).all(axis=(1, 2))).any():
            raise PartError(
                "Supports in unlike axes meet at a node.", where, "Give both the same axes there."
            )
        axes[one.nodes], turned[one.nodes] = own, True
    for k, unknown in enumerate(one.unknowns):
        fixed[one.nodes, unknown] = True
        values[one.nodes, unknown] = one.values[k] if one.values else 0.0


def _follow(tie: Tie, T: Any, count: int) -> Any:
    """Rows of following unknowns put in terms of the unknowns that lead them."""
    stays = np.ones(6 * count)
    stays[tie.unknowns] = 0.0
    pick = sp.coo_matrix(
        (np.ones(len(tie.unknowns)), (tie.unknowns, np.arange(len(tie.unknowns)))),
        (6 * count, len(tie.unknowns)),
    )
    return ((sp.diags(stays) + pick @ tie.rows) @ T).tocsr()


def check_free_motions(mesh: Mesh, held: Sequence[Held], ties: Sequence[Tie] = ()) -> None:
    """Raise when a component, or components tied together, can move as a rigid body.

    Raises
    ------
    MechanismError
        Naming the component by an element of it, and the motion.
    """
    if not held:
        raise MechanismError(
            "The part has no supports.",
            "Supports",
            "Add one in Cases, such as clamped along an edge.",
        )
    for motion in free_motions_of(mesh, held, ties):
        whole = len(motion.elements) == mesh.count
        what = "the part" if whole else f"the component of element {int(motion.elements[0]) + 1}"
        mend = "Hold that motion in Cases." if whole else "Hold it in Cases, or tie it."
        raise MechanismError(
            f"The supports leave {what} free to {join_words(motion.names)}.", "Supports", mend
        )


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


def free_motions_of(
    mesh: Mesh, held: Sequence[Held], ties: Sequence[Tie] = ()
) -> list[FreeMotion]:
    """Find components that can move as rigid bodies; none when the part is held."""
    label = components(mesh)
    node_label = np.full(len(mesh.nodes), -1)
    for block in mesh.blocks:
        node_label[block.nodes] = label[block.which, None]
    parent = _joined(label, node_label, ties)
    groups = parent[label]
    found = []
    for group in np.unique(groups):
        mine = (node_label >= 0) & (parent[np.maximum(node_label, 0)] == group)
        rows, centre, size = _held_rows(mesh, mine, held)
        x = (mesh.nodes - centre) / size
        rows = np.concatenate([rows, *(_turned_rows(x, t) for t in ties if t.turned)])
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
    pairs = [node_label[t.pairs].T for t in ties]
    if not pairs:
        return np.arange(count)
    a, b = np.concatenate(pairs, axis=1)
    graph = sp.coo_matrix((np.ones(len(a)), (a, b)), (count, count))
    return np.asarray(sp.csgraph.connected_components(graph, directed=False)[1])


def _turned_rows(x: Array, tie: Tie) -> Array:
    """What a tie that turns feels of the rigid motions of nodes at x: what does not fit it."""
    rigid = rigid_rows(x).reshape(-1, 6)
    return np.asarray(tie.rows @ rigid - rigid[tie.unknowns])


def _held_rows(
    mesh: Mesh, mine: NDArray[np.bool_], held: Sequence[Held]
) -> tuple[Array, Array, float]:
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
