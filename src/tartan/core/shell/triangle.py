"""Three-node flat shell element, six unknowns a node, a companion of the four-node one.

- membrane with drilling rotations: the optimal triangle of Felippa, a mean-strain part that
  passes the patch test and a deviatoric part whose mean over the element is zero [1];
- director motions with a cubic bubble, condensed, and the assumed transverse shear that goes
  with it, which does not lock however thin the plate [2]; it has no work with the deviatoric
  membrane strain, as both average to nothing.

Point, director, section strains and axes are those of `element`; the director is the normal of
the flat element.

[1] C. A. Felippa, Comput. Meth. Appl. Mech. Eng. 192 (2003) 2125–2168.
[2] Y. Lee, P.-S. Lee, K.-J. Bathe, Comput. Struct. 138 (2014) 12–23.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.element import lift
from tartan.core.shell.mesh import Mesh

Array = NDArray[np.float64]

POINTS = np.array(
    [[2 / 3, 1 / 6, 1 / 6], [1 / 6, 2 / 3, 1 / 6], [1 / 6, 1 / 6, 2 / 3], [1 / 3, 1 / 3, 1 / 3]]
)
"""Area coordinates of the sampling points; the last, the centre, carries no weight."""

WEIGHTS = np.array([1 / 3, 1 / 3, 1 / 3, 0.0])

CURL = 1e-2
"""Stiffness against a turning of the directors in the element's plane, as a share of that
against twisting.

The assumed shear does not see such a turning; thin plates have none, as their directors follow a
slope. Sampling it as shear [2] would lock very thin plates or leave it free in thick ones.
"""

_ALPHA = 1.5
_BETA = (1.0, 2.0, 1.0, 0.0, 1.0, -1.0, -1.0, -1.0, -2.0)
_LEAST_BETA = 0.01


@dataclass(frozen=True, eq=False)
class Operators:
    """Matrices of m triangles at the four sampling points.

    Attributes
    ----------
    area : ndarray, shape (m, 4)
        Surface area of each point [m²]; zero at the centre.
    B : ndarray, shape (m, 4, 8, 18)
        Section strains from the 18 nodal unknowns; the deviatoric membrane part is kept apart.
    D, D_up : ndarray, shape (m, 4, 3, 18)
        Deviatoric membrane strains, before their factor that depends on the section, and what
        those of a surface one metre above add [1/m].
    S : ndarray, shape (m, 2, 2)
        Transverse shear strains of the bubble's two parameters.
    bending : ndarray, shape (m, 3, 3, 2, 2)
        What the bubble's curvatures integrate to, by pairs of curvatures [1].
    curl : ndarray, shape (m, 18)
        Turning of the directors in the element's plane [1/m].
    """

    area: Array
    B: Array
    D: Array
    D_up: Array
    S: Array
    bending: Array
    curl: Array


def frames(x: Array, reference: Array) -> tuple[Array, Array]:
    """Axes t1, t2, n as rows, shape (m, 3, 3), and areas, shape (m,) [m²]."""
    n = np.cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0])
    double = np.linalg.norm(n, axis=1)
    n = n / double[:, None]
    along = np.broadcast_to(reference, n.shape)
    t1 = along - (n * along).sum(axis=1, keepdims=True) * n
    t1 = t1 / np.linalg.norm(t1, axis=1, keepdims=True)
    return np.stack([t1, np.cross(n, t1), n], axis=1), double / 2


def operators(x: Array, reference: Array, curved: Array | None = None) -> Operators:
    """Strain operators of a block of triangles.

    Parameters
    ----------
    x : ndarray, shape (m, 3, 3)
        Corner positions [m].
    reference : ndarray, shape (3,) or (m, 3)
        Direction of the laminate's x axis.
    curved : ndarray, shape (m, 3), optional
        1 where a side may curve with the corners' rotations, 0 where it stays straight; sides
        12, 23, 31. Beside a quadrilateral, whose sides are straight in the plane, and at free
        edges they must be, or constant states would leave moments there. All curve by default.
    """
    m = len(x)
    axes, area = frames(x, reference)
    flat = np.einsum("mac,mic->mia", axes[:, :2], x - x.mean(axis=1, keepdims=True))
    X, Y = flat[..., 0], flat[..., 1]
    alpha = _ALPHA * (np.ones((m, 3)) if curved is None else curved)
    basic, deviatoric, twisted = _membrane(X, Y, area, alpha)
    # In-plane unknowns u, v, θn of a corner, from its six global ones.
    corner = np.zeros((m, 3, 3, 3, 6))
    for i in range(3):
        corner[:, i, :2, i, :3] = axes[:, :2]
        corner[:, i, 2, i, 3:] = axes[:, 2]
    to_plane = corner.reshape(m, 9, 18)
    B = np.zeros((m, 4, 8, 18))
    B[:, :, :3] = (basic @ to_plane)[:, None]
    B[:, :, 3:6] = _curvature(X, Y, area, axes)[:, None]
    shear = _shear(X, Y, axes)
    B[:, :, 6:] = shear[:, None, :, :18]
    D = np.einsum("mpae,mef->mpaf", deviatoric, to_plane)
    curl = _curl(X, Y, area, axes)
    D_up = twisted[..., None] * curl[:, None, None]
    return Operators(
        area[:, None] * WEIGHTS, B, D, D_up, shear[..., 18:], _bubble(X, Y, area), curl
    )


def gradients(X: Array, Y: Array, area: Array) -> Array:
    """Derivatives of the area coordinates by x and y, shape (m, 2, 3)."""
    y = np.stack([Y[:, 1] - Y[:, 2], Y[:, 2] - Y[:, 0], Y[:, 0] - Y[:, 1]], axis=1)
    x = np.stack([X[:, 2] - X[:, 1], X[:, 0] - X[:, 2], X[:, 1] - X[:, 0]], axis=1)
    return np.stack([y, x], axis=1) / (2 * area[:, None, None])


def _membrane(X: Array, Y: Array, area: Array, alpha: Array) -> tuple[Array, Array, Array]:
    """Mean strain (m, 3, 9), deviatoric strain at the points (m, 4, 3, 9), and that of a curl.

    The last, shape (m, 4, 3), is the deviatoric strain by a unit of `_curl` of a surface above.
    """

    def dx(i: int, j: int) -> Array:
        return X[:, i - 1] - X[:, j - 1]

    def dy(i: int, j: int) -> Array:
        return Y[:, i - 1] - Y[:, j - 1]

    zero = np.zeros_like(area)
    columns = []
    for i, j, k in ((1, 2, 3), (2, 3, 1), (3, 1, 2)):
        # Corner i with opposite side jk; its moments come from the sides ki and ij it ends.
        yjk, xkj = dy(j, k), dx(k, j)
        before, after = alpha[:, k - 1], alpha[:, i - 1]
        columns += [
            [yjk, zero, xkj],
            [zero, xkj, yjk],
            [
                (before * dy(k, i) ** 2 - after * dy(i, j) ** 2) / 6,
                (before * dx(k, i) ** 2 - after * dx(i, j) ** 2) / 6,
                (after * dx(i, j) * dy(i, j) - before * dx(k, i) * dy(k, i)) / 3,
            ],
        ]
    L = np.moveaxis(np.array(columns), -1, 0) / 2
    basic = np.swapaxes(L, 1, 2) / area[:, None, None]

    spin = np.stack(
        [dx(3, 2), dy(3, 2), zero, dx(1, 3), dy(1, 3), zero, dx(2, 1), dy(2, 1), zero], axis=1
    ) / (4 * area[:, None])
    turn = np.repeat(spin[:, None], 3, axis=1)
    for i in range(3):
        turn[:, i, 3 * i + 2] += 1.0

    sides = np.stack(
        [
            dx(2, 1) ** 2 + dy(2, 1) ** 2,
            dx(3, 2) ** 2 + dy(3, 2) ** 2,
            dx(1, 3) ** 2 + dy(1, 3) ** 2,
        ],
        axis=1,
    )
    Te = np.array(
        [
            [dy(2, 3) * dy(1, 3), dy(3, 1) * dy(2, 1), dy(1, 2) * dy(3, 2)],
            [dx(2, 3) * dx(1, 3), dx(3, 1) * dx(2, 1), dx(1, 2) * dx(3, 2)],
            [
                dy(2, 3) * dx(3, 1) + dx(3, 2) * dy(1, 3),
                dy(3, 1) * dx(1, 2) + dx(1, 3) * dy(2, 1),
                dy(1, 2) * dx(2, 3) + dx(2, 1) * dy(3, 2),
            ],
        ]
    )
    Te = np.moveaxis(Te, -1, 0) * sides[:, None] / (4 * area[:, None, None] ** 2)
    b = _BETA
    Q1 = np.array([b[0:3], b[3:6], b[6:9]])
    Q2 = np.array([[b[8], b[6], b[7]], [b[2], b[0], b[1]], [b[5], b[3], b[4]]])
    Q3 = np.array([[b[4], b[5], b[3]], [b[7], b[8], b[6]], [b[1], b[2], b[0]]])
    Q = np.einsum("pq,qij->pij", POINTS, np.array([Q1, Q2, Q3]))
    scaled = 2 / 3 * area[:, None, None, None] * Q / sides[:, None, :, None]
    deviatoric_of = 1.5 * np.einsum("mab,mpbc->mpac", Te, scaled)
    deviatoric = deviatoric_of @ turn[:, None]
    # Directors that turn in the plane turn a surface above by as much a metre.
    twisted = -deviatoric_of.sum(axis=-1) / 2
    return basic, deviatoric, twisted


def _curvature(X: Array, Y: Array, area: Array, axes: Array) -> Array:
    """Curvatures from nodal unknowns, constant over the element, shape (m, 3, 18)."""
    d = gradients(X, Y, area)
    t1, t2, n = axes[:, 0], axes[:, 1], axes[:, 2]
    # w = θ × n, and t·(θ × n) = θ·(n × t).
    b1, b2 = np.cross(n, t1), np.cross(n, t2)
    B = np.zeros((len(X), 3, 3, 6))
    B[:, 0, :, 3:] = d[:, 0, :, None] * b1[:, None]
    B[:, 1, :, 3:] = d[:, 1, :, None] * b2[:, None]
    B[:, 2, :, 3:] = d[:, 1, :, None] * b1[:, None] + d[:, 0, :, None] * b2[:, None]
    return B.reshape(len(X), 3, 18)


def _shear(X: Array, Y: Array, axes: Array) -> Array:
    """Transverse shear of the nodes and of the bubble, constant, shape (m, 2, 20)."""
    m = len(X)
    sides = np.stack(
        [np.stack([X[:, i] - X[:, 0], Y[:, i] - Y[:, 0]], axis=1) for i in (1, 2)], axis=1
    )
    dN = np.array([[-1.0, 1.0, 0.0], [-1.0, 0.0, 1.0]])
    n = axes[:, 2]
    turned = np.cross(n[:, None], np.einsum("mab,mbc->mac", sides, axes[:, :2]))

    def covariant(direction: int, r: float, s: float) -> Array:
        """e_rt or e_st at a place, shape (m, 20)."""
        N = np.array([1 - r - s, r, s])
        row = np.zeros((m, 3, 6))
        row[:, :, :3] = dN[direction][None, :, None] * n[:, None]
        row[:, :, 3:] = N[None, :, None] * turned[:, direction, None]
        return np.concatenate([row.reshape(m, 18), 27 * N.prod() * sides[:, direction]], axis=1)

    (rA, sA), (rB, sB), (rC, sC) = (
        [covariant(k, *at) for k in (0, 1)]
        for at in ((1 / 6, 2 / 3), (2 / 3, 1 / 6), (1 / 6, 1 / 6))
    )
    e = np.stack(
        [2 / 3 * (rB - sB / 2) + (rC + sC) / 3, 2 / 3 * (sA - rA / 2) + (rC + sC) / 3], axis=1
    )
    found: Array = np.linalg.inv(sides) @ e
    return found


def _curl(X: Array, Y: Array, area: Array, axes: Array) -> Array:
    """Turning of the directors ``w2,1 − w1,2`` from nodal unknowns, shape (m, 18)."""
    d = gradients(X, Y, area)
    b1, b2 = np.cross(axes[:, 2], axes[:, 0]), np.cross(axes[:, 2], axes[:, 1])
    row = np.zeros((len(X), 3, 6))
    row[:, :, 3:] = d[:, 0, :, None] * b2[:, None] - d[:, 1, :, None] * b1[:, None]
    return row.reshape(len(X), 18)


def _bubble(X: Array, Y: Array, area: Array) -> Array:
    """Integral of products of the bubble's curvatures, shape (m, 3, 3, 2, 2).

    With ``k = G b``, ∫ Gᵀ D G = Σ D_st [s, t]; the cubic bubble gives ∫ φ,a φ,b =
    4.05 A Σᵢ gᵢa gᵢb with the gradients gᵢ of the area coordinates.
    """
    d = gradients(X, Y, area)
    zero = np.zeros_like(d[:, 0])
    G = np.array([[d[:, 0], zero], [zero, d[:, 1]], [d[:, 1], d[:, 0]]])
    found: Array = 4.05 * area[:, None, None, None, None] * np.einsum("sami,tbmi->mstab", G, G)
    return found


def _deviatoric_factor(C: Array) -> Array:
    """Square root of β0 = ½ (1 − 4 ν²), with ν² as the section's ν12 ν21, shape (m,)."""
    squared = C[:, 0, 1] ** 2 / (C[:, 0, 0] * C[:, 1, 1])
    return np.sqrt(np.maximum((1 - 4 * squared) / 2, _LEAST_BETA))


def _bending(C: Array) -> Array:
    """Bending stiffness about the middle of stiffness, shape (m, 3, 3)."""
    up = lift(C)[:, None, None]
    found: Array = C[:, 3:6, 3:6] - up * (C[:, :3, 3:6] + C[:, 3:6, :3]) + up**2 * C[:, :3, :3]
    return found


def _bubble_of(op: Operators, C: Array) -> tuple[Array, Array]:
    """Stiffness of the bubble (m, 2, 2), and how it follows the nodal unknowns, (m, 2, 18)."""
    weighted = np.swapaxes(op.S, 1, 2) @ C[:, 6:, 6:] * op.area.sum(axis=1)[:, None, None]
    Kbb = np.einsum("mst,mstab->mab", _bending(C), op.bending) + weighted @ op.S
    Kbu = weighted @ op.B[:, 0, 6:]
    return Kbb, -np.linalg.solve(Kbb, Kbu)


def whole(op: Operators, C: Array) -> Array:
    """Section strain operators with the deviatoric part, shape (m, 4, 8, 18)."""
    B = op.B.copy()
    factor, up = (v[:, None, None, None] for v in (_deviatoric_factor(C), lift(C)))
    B[:, :, :3] += factor * (op.D + up * op.D_up)
    return B


def stiffness(op: Operators, C: Array) -> Array:
    """Element stiffness matrices, shape (m, 18, 18), for section stiffness C, shape (m, 8, 8)."""
    B = whole(op, C)
    CB = (C[:, None] * op.area[..., None, None]) @ B
    K = np.einsum("mpse,mpsf->mef", B, CB, optimize=True)
    Kbb, follow = _bubble_of(op, C)
    K -= np.swapaxes(follow, 1, 2) @ Kbb @ follow
    strength = CURL * _bending(C)[:, 2, 2] * op.area.sum(axis=1)
    K += strength[:, None, None] * op.curl[:, :, None] * op.curl[:, None, :]
    return np.asarray((K + np.swapaxes(K, 1, 2)) / 2)


def section_strains(op: Operators, C: Array, u: Array) -> Array:
    """Section strains at the points for unknowns (m, 18, k), shape (k, m, 4, 8).

    The bubble's curvature averages to nothing over the element and is left out, as that of any
    incompatible mode; its share of the shear strain is not.
    """
    B = whole(op, C)
    _, follow = _bubble_of(op, C)
    B[:, :, 6:] += (op.S @ follow)[:, None]
    return np.asarray(np.einsum("mpse,mek->kmps", B, u, optimize=True))


def block_operators(
    mesh: Mesh, nodes: NDArray[np.int64], which: NDArray[np.int64], along: Array
) -> Operators:
    """Operators of triangles of a mesh; see `forms.ElementForm` for the shapes.

    Sides between two triangles may curve with the corners' rotations.
    """
    return operators(mesh.nodes[nodes], along, mesh.curved_sides[which - len(mesh.quads)])


def points(x: Array) -> tuple[Array, Array]:
    """Shape functions (p, 3) and normal times area at the sampling points (m, p, 3) [m²]."""
    cross = np.cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0]) / 2
    return POINTS, cross[:, None] * WEIGHTS[:, None]


def surface(x: Array, reference: Array) -> tuple[Array, Array, Array, Array]:
    """Shape functions (p, 3), areas (m, p), derivatives (m, p, 2, 3), corner normals (m, 3, 3)."""
    axes, area = frames(x, reference)
    flat = np.einsum("mac,mic->mia", axes[:, :2], x - x.mean(axis=1, keepdims=True))
    d = gradients(flat[..., 0], flat[..., 1], area)
    return (
        POINTS,
        area[:, None] * WEIGHTS,
        np.repeat(d[:, None], 4, axis=1),
        np.repeat(axes[:, None, 2], 3, axis=1),
    )
