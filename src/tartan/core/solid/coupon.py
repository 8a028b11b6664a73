"""A coupon of a stack three ways: as a shell, as one homogenised solid, as solids ply by ply.

A coupon is gripped: its end faces move as rigid ones do, one of them held, the other loaded. With
the six motions of that end solved for, every way of loading it is a small system of its own. In
four-point bending the ends are free; it lies on two lines and is pressed on two others.
"""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tartan.core.bounds import LEAST_LENGTH, MOST_LENGTH
from tartan.core.errors import PartError
from tartan.core.laminate.stiffness import Laminate
from tartan.core.shell.assembly import groups, make_pattern
from tartan.core.shell.factor import factor
from tartan.core.shell.matrices import stiffness_matrices
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.model import ShellModel
from tartan.core.solid import model
from tartan.core.solid.grid import belonging, shares_from_edge, to_both_edges
from tartan.core.solid.homogenised import effective
from tartan.core.solid.model import SolidMesh
from tartan.core.solid.reading import by_homogenised, by_shell, by_solids
from tartan.core.solid.slab import Slab, grid, layers_of, slab, transmitted

Array = NDArray[np.float64]
Index = NDArray[np.int64]

GRIPS: dict[str, tuple[int, tuple[int, ...]]] = {
    "tension": (0, (1, 2, 3, 4, 5)),
    "bending": (4, ()),
    "shear": (1, (2, 3, 4, 5)),
    "torsion": (3, (1, 2, 4, 5)),
}
"""For every way of loading a gripped end: what it is loaded by, and what it is held in; of three
displacements and three turns. What is neither is free."""

FOUR_POINT = "four-point bending"

LOADINGS = (*GRIPS, FOUR_POINT)

DEEPEST = 1 / 12
"""Share of the thickness that a layer has at most, where nothing else is asked."""

MOST_ACROSS = 80
"""Elements along or across at most."""


@dataclass(frozen=True)
class Coupon:
    """How a coupon is made and loaded.

    Attributes
    ----------
    length, width : float
        Between the grips, and across [m].
    loading : str
        One of `LOADINGS`.
    amount : float
        Force [N] or moment [N·m]; in four-point bending the force of both lines together,
        pressing the top.
    outer, inner : float
        Distance of the two lines it lies on, and of those it is pressed by [m].
    along, across : int
        Elements over half the length and half the width.
    per_ply : int
        Elements through every ply; 0 for as many as `DEEPEST` asks for.
    """

    length: float
    width: float
    loading: str = "tension"
    amount: float = 1.0
    outer: float = 0.0
    inner: float = 0.0
    along: int = 14
    across: int = 14
    per_ply: int = 0

    def layers(self, laminate: Laminate) -> Index:
        """Elements through every ply, shape (plies,)."""
        if self.per_ply:
            return np.full(laminate.count, self.per_ply)
        return layers_of(np.diff(laminate.z), 1, DEEPEST)


@dataclass(frozen=True, eq=False)
class Idealised:
    """What one of the three says.

    Attributes
    ----------
    stress : ndarray, shape (n, 3, 6)
        In the middle of the coupon by ply and level in ply axes, order 1, 2, 3, 12, 13, 23 [Pa].
    moved : float
        How far the loaded end moves or turns along its load, or the middle of one in four-point
        bending goes down [m or rad].
    """

    stress: Array
    moved: float


@dataclass(frozen=True, eq=False)
class Edge:
    """What acts between plies across the middle of the coupon, of the solids ply by ply.

    Attributes
    ----------
    y : ndarray, shape (lines,)
        From one edge to the other [m].
    between : ndarray, shape (n - 1, lines, 3)
        τxz, τyz, σz above every ply but the last [Pa].
    """

    y: Array
    between: Array

    def mean(self, ply: int, length: float) -> Array:
        """Means of τxz, τyz, σz over a length from the edge at +y, above a ply, shape (3,) [Pa].

        Raises
        ------
        PartError
            A length that is none, or more than half the width.
        """
        half = len(self.y) // 2
        lines = self.y[half:]
        shares = shares_from_edge(lines, length)
        return np.asarray(shares @ self.between[ply, half:] / length)


@dataclass(frozen=True, eq=False)
class CouponAnswer:
    """The coupon three ways, and its free edge; none where the stack has one ply."""

    shell: Idealised
    homogenised: Idealised
    plies: Idealised
    edge: Edge | None


def check(coupon: Coupon, laminate: Laminate) -> None:
    """Refuse a coupon that cannot be made.

    Raises
    ------
    PartError
        With what to mend.
    """
    where = "Coupon"
    for value, words in ((coupon.length, "length"), (coupon.width, "width")):
        if not LEAST_LENGTH <= value <= MOST_LENGTH:
            raise PartError(f"Its {words} is no length.", where, "Enter a positive length.")
    if coupon.loading not in LOADINGS:
        raise PartError(f"It cannot be loaded in '{coupon.loading}'.", where, "Choose another.")
    if not np.isfinite(coupon.amount) or abs(coupon.amount) > 1e15:
        raise PartError("Its load is not a finite number.", where, "Enter a force or moment.")
    if coupon.loading == FOUR_POINT and not 0 < coupon.inner < coupon.outer < coupon.length:
        raise PartError(
            "The lines of four-point bending do not lie one within the other on the coupon.",
            where,
            "Give an inner distance less than the outer, and the outer less than the length.",
        )
    for count in (coupon.along, coupon.across):
        if not 2 <= count <= MOST_ACROSS:
            raise PartError(
                f"{count} elements over half a side cannot be.", where, f"Give 2 to {MOST_ACROSS}."
            )
    if not 0 <= coupon.per_ply <= 8:
        raise PartError("That many elements through a ply cannot be.", where, "Give 0 to 8.")
    if coupon.length < laminate.thickness or coupon.width < laminate.thickness:
        raise PartError(
            "It is thicker than it is long or wide.", where, "Make it longer and wider."
        )
    layers = int(coupon.layers(laminate).sum()) + 1
    nodes = (2 * coupon.along + 1) * (2 * coupon.across + 1) * layers
    model.check_size(nodes, layers)


def solve(laminate: Laminate, coupon: Coupon) -> Generator[str, None, CouponAnswer]:
    """Solve a coupon three ways; tells what it is at.

    Raises
    ------
    PartError
        As `check`.
    MaterialError
        A material without what three dimensions need.
    """
    check(coupon, laminate)
    x, y = _lines(coupon), to_both_edges(coupon.width, coupon.across)
    middle = np.array([[i, j] for i in _beside(x) for j in _beside(y)])
    yield "as a shell"
    shell = _shell(laminate, coupon, x, y, middle)
    yield "as one solid"
    one = _one_layer(laminate, x, y)
    u, moved = _solid(one, coupon)
    homogenised = Idealised(by_homogenised(laminate, one, u, middle), moved)
    yield "as solids ply by ply"
    whole = slab(laminate, x, y, coupon.layers(laminate).tolist())
    u, moved = _solid(whole, coupon)
    plies = Idealised(by_solids(laminate, whole, u, middle), moved)
    edge = None
    if laminate.count > 1:
        at = int(_beside(x)[1])
        each = [transmitted(whole, u, at, k) for k in range(laminate.count - 1)]
        area = belonging(y) * belonging(x)[at]
        edge = Edge(y, np.array(each) / area[:, None])
    return CouponAnswer(shell, homogenised, plies, edge)


def _lines(coupon: Coupon) -> Array:
    """Lines along the coupon about its middle, at those of four-point bending too."""
    half = coupon.length / 2
    if coupon.loading != FOUR_POINT:
        return np.linspace(-half, half, 2 * coupon.along + 1)
    ends = np.array([0.0, coupon.inner / 2, coupon.outer / 2, half])
    parts = [np.zeros(1)]
    for low, high in pairwise(ends):
        count = max(2, round(coupon.along * (high - low) / half))
        parts.append(np.linspace(low, high, count + 1)[1:])
    right = np.concatenate(parts)
    return np.concatenate([-right[:0:-1], right])


def _beside(lines: Array) -> Index:
    """The two elements beside the middle line."""
    middle = len(lines) // 2
    return np.array([middle - 1, middle])


def _one_layer(laminate: Laminate, x: Array, y: Array) -> Slab:
    """The slab as one homogenised layer."""
    z = laminate.z[[0, -1]]
    nodes, bricks = grid(x, y, z)
    C = np.broadcast_to(effective(laminate), (len(bricks), 6, 6))
    return Slab(SolidMesh(nodes, bricks, C), x, y, z, np.zeros(1, np.int64))


def _motions(nodes: Array, centre: Array) -> Array:
    """Displacements of nodes by the six motions of a rigid face, shape (n, 3, 6)."""
    arm = nodes - centre
    found = np.zeros((len(nodes), 3, 6))
    found[:, :, :3] = np.eye(3)
    for k in range(3):
        found[:, :, 3 + k] = np.cross(np.eye(3)[k], arm)
    return found


def _gripped(K: Any, first: Index, last: Index, motions: Array, loading: str) -> tuple[Array, Any]:
    """Unknowns by unit load, and how far the loaded end goes along it.

    Parameters
    ----------
    K : sparse matrix, shape (N, N)
        Of all unknowns.
    first, last : ndarray of int
        Unknowns of the held and of the loaded end.
    motions : ndarray, shape (len(last), 6)
        Those of the loaded end by its six motions.
    loading : str
        One of `GRIPS`.
    """
    free = np.ones(K.shape[0], bool)
    free[first] = free[last] = False
    U = np.zeros((K.shape[0], 6))
    U[last] = motions
    right = -(K[free] @ U)
    U[free] = factor(K[free][:, free]).solve(right)
    stiff = motions.T @ (K[last] @ U)
    stiff = (stiff + stiff.T) / 2
    loaded, held = GRIPS[loading]
    moves = [k for k in range(6) if k not in held]
    # Displacements and turns differ in size: scaled, their equations are of one.
    scale = 1 / np.sqrt(np.diag(stiff)[moves])
    small = stiff[np.ix_(moves, moves)] * np.outer(scale, scale)
    load = np.array([1.0 if k == loaded else 0.0 for k in moves])
    q = scale * np.linalg.solve(small, scale * load)
    return U[:, moves] @ q, q[moves.index(loaded)]


def _lines_of(coupon: Coupon, x: Array) -> tuple[tuple[int, int], tuple[int, int]]:
    """Numbers of the lines that it lies on, and of those that press it."""

    def at(value: float) -> int:
        return int(np.abs(x - value).argmin())

    return (
        (at(-coupon.outer / 2), at(coupon.outer / 2)),
        (at(-coupon.inner / 2), at(coupon.inner / 2)),
    )


def _solid(made: Slab, coupon: Coupon) -> tuple[Array, float]:
    """Displacements of a slab, and how far it moves along its load."""
    nodes = made.mesh.nodes
    if coupon.loading == FOUR_POINT:
        return _pressed(made, coupon)
    first, last = (np.flatnonzero(nodes[:, 0] == made.x[k]) for k in (0, -1))
    # Turns are about the middle of the section, which is where a shell's reference surface is.
    height = (made.z[0] + made.z[-1]) / 2
    motions = _motions(nodes[last], np.array([made.x[-1], 0.0, height])).reshape(-1, 6)
    ends = [(3 * n[:, None] + np.arange(3)).ravel() for n in (first, last)]
    u, moved = _gripped(model.stiffness(made.mesh), ends[0], ends[1], motions, coupon.loading)
    return coupon.amount * u.reshape(-1, 3), coupon.amount * float(moved)


def _pressed(made: Slab, coupon: Coupon) -> tuple[Array, float]:
    lies, presses = _lines_of(coupon, made.x)
    j = np.arange(len(made.y))
    share = belonging(made.y) / coupon.width
    forces = np.zeros((len(made.mesh.nodes), 3))
    fixed = np.zeros(forces.shape, bool)
    for i in presses:
        forces[made.node(i, j, len(made.z) - 1), 2] = -coupon.amount / 2 * share
    for i in lies:
        fixed[made.node(i, j, 0), 2] = True
    middle = len(made.y) // 2
    fixed[made.node(lies[0], middle, 0), :2] = True
    fixed[made.node(lies[1], middle, 0), 1] = True
    u = model.solve(made.mesh, forces, fixed)
    column = made.node(len(made.x) // 2, middle, np.arange(len(made.z)))
    return u, -float(u[column, 2].mean())


def _shell(laminate: Laminate, coupon: Coupon, x: Array, y: Array, middle: Index) -> Idealised:
    nx, ny = len(x) - 1, len(y) - 1
    Y, X = np.meshgrid(y, x, indexing="ij")
    nodes = np.stack([X.ravel(), Y.ravel(), np.zeros(X.size)], axis=1)
    j, i = (v.ravel() for v in np.meshgrid(np.arange(ny), np.arange(nx), indexing="ij"))
    base = j * (nx + 1) + i
    mesh = Mesh(nodes, np.stack([base, base + 1, base + nx + 2, base + nx + 1], axis=1))
    centred = laminate.about(0.0)
    fixed = np.zeros((len(nodes), 6), bool)
    shell = ShellModel(mesh, centred, np.array([1.0, 0.0, 0.0]), fixed)
    K = make_pattern(mesh, fixed).sparse(stiffness_matrices(shell))
    if coupon.loading == FOUR_POINT:
        flat, moved = _pressed_shell(coupon, K, x, y)
    else:
        ends = [np.flatnonzero(nodes[:, 0] == x[k]) for k in (0, -1)]
        motions = np.zeros((len(ends[1]), 6, 6))
        motions[:, :3] = _motions(nodes[ends[1]], np.array([x[-1], 0.0, 0.0]))
        motions[:, 3:, 3:] = np.eye(3)
        first, last = ((6 * n[:, None] + np.arange(6)).ravel() for n in ends)
        flat, along = _gripped(K, first, last, motions.reshape(-1, 6), coupon.loading)
        flat, moved = coupon.amount * flat, coupon.amount * float(along)
    which = middle[:, 1] * nx + middle[:, 0]
    section = _section_strains(shell, flat)[which].mean(axis=(0, 1))
    return Idealised(by_shell(centred, section), moved)


def _pressed_shell(coupon: Coupon, K: Any, x: Array, y: Array) -> tuple[Array, float]:
    lies, presses = _lines_of(coupon, x)
    line = np.arange(len(y)) * len(x)
    share = belonging(y) / coupon.width
    forces, fixed = np.zeros((len(x) * len(y), 6)), np.zeros((len(x) * len(y), 6), bool)
    for i in presses:
        forces[line + i, 2] = -coupon.amount / 2 * share
    for i in lies:
        fixed[line + i, 2] = True
    middle = line[len(y) // 2]
    fixed[middle + lies[0], [0, 1, 5]] = True
    free = ~fixed.ravel()
    u = np.zeros(fixed.size)
    u[free] = factor(K[free][:, free]).solve(forces.ravel()[free])
    return u, -float(u[6 * (middle + len(x) // 2) + 2])


def _section_strains(shell: ShellModel, flat: Array) -> Array:
    """Section strains at the sampling points, shape (m, 4, 8)."""
    found = np.empty((shell.mesh.count, 4, 8))
    for part in groups(shell.mesh):
        op = part.operators(shell.mesh, shell.reference)
        own = flat[part.unknowns][..., None]
        found[part.which] = part.form.section_strains(op, shell.section_of(part.which), own)[0]
    return found
