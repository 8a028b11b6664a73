"""Eight-node solid for plies: its first four corners lie below the other four.

Thin bricks lock in bending, along their thickness and on curved parts. Here the transverse shears
are sampled at the middles of the sides and interpolated [1], the thickness strain at the corners
[2], and eight enhanced strains [3] free in-plane bending and let the thickness strain vary through
the thickness, as Poisson's ratio asks of it in bending.

[1] E. N. Dvorkin, K.-J. Bathe, Eng. Comput. 1 (1984) 77–88.
[2] P. Betsch, E. Stein, Commun. Numer. Meth. Eng. 11 (1995) 899–909.
[3] J. C. Simo, M. S. Rifai, Int. J. Numer. Meth. Eng. 29 (1990) 1595–1638; for solids of shells
    S. Klinkel, F. Gruttmann, W. Wagner, Comput. Struct. 71 (1999) 43–62.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

CORNERS = np.array(
    [[-1, -1, -1], [1, -1, -1], [1, 1, -1], [-1, 1, -1],
     [-1, -1, 1], [1, -1, 1], [1, 1, 1], [-1, 1, 1]],
    float,
)  # fmt: skip
"""Corners in natural coordinates."""

GAUSS = CORNERS / np.sqrt(3.0)
"""Points of integration, each of weight one."""

_PAIRS = ((0, 0), (1, 1), (2, 2), (0, 1), (0, 2), (1, 2))
_AXES = np.array(_PAIRS).T

MODES = 8
"""Enhanced strains."""


def slopes(at: Array) -> Array:
    """Derivatives of the shape functions at a point, shape (3, 8)."""
    terms = 1 + CORNERS * at
    x, y, z = terms.T
    a, b, c = CORNERS.T
    return np.array([a * y * z, x * b * z, x * y * c]) / 8


def shape(at: Array) -> Array:
    """Shape functions at a point, shape (8,)."""
    return np.asarray((1 + CORNERS * at).prod(axis=1) / 8)


class _Covariant:
    """Covariant strains from the 24 unknowns, each row once at a place however often it is read.

    Those that would lock are read elsewhere than where they are asked for.
    """

    def __init__(self, x: Array) -> None:
        self._x = x
        self._known: dict[tuple[int, float, float, float], Array] = {}

    def row(self, number: int, xi: float, eta: float, zeta: float) -> Array:
        """One row at a place, shape (m, 24)."""
        key = (number, xi, eta, zeta)
        if key not in self._known:
            i, j = _PAIRS[number]
            d = slopes(np.array([xi, eta, zeta]))
            g = d @ self._x
            value = d[j][None, :, None] * g[:, i, None]
            if i != j:
                value = value + d[i][None, :, None] * g[:, j, None]
            self._known[key] = value.reshape(len(self._x), 24)
        return self._known[key]

    def sampled(self, at: Array) -> Array:
        """All rows as they count at a point, shape (m, 6, 24)."""
        xi, eta, zeta = (float(v) for v in at)
        both = (-1.0, 1.0)
        found = np.empty((len(self._x), 6, 24))
        for number in (0, 1, 3):
            found[:, number] = self.row(number, xi, eta, zeta)
        found[:, 4] = sum((1 + s * eta) / 2 * self.row(4, 0.0, s, zeta) for s in both)
        found[:, 5] = sum((1 + s * xi) / 2 * self.row(5, s, 0.0, zeta) for s in both)
        found[:, 2] = sum(
            (1 + s * xi) * (1 + t * eta) / 4 * self.row(2, s, t, 0.0) for s in both for t in both
        )
        return found


def _to_axes(x: Array, at: Array) -> tuple[Array, Array]:
    """What takes covariant strains to the axes, shape (m, 6, 6), and the volume's scale (m,)."""
    J = slopes(at) @ x
    D = np.linalg.inv(J)
    a, b = (axis[:, None] for axis in _AXES)
    i, j = _AXES
    # A shear has both orders of its axes; as an engineering strain it is twice the tensor's.
    found = D[:, a, i] * D[:, b, j] + (i != j) * D[:, a, j] * D[:, b, i]
    found *= np.where(a != b, 2.0, 1.0) * np.where(i != j, 0.5, 1.0)
    return found, np.linalg.det(J)


def _enhanced(at: Array) -> Array:
    """Enhanced covariant strains at a point, shape (6, 8); their mean is zero."""
    xi, eta, zeta = at
    M = np.zeros((6, MODES))
    M[0, 0], M[1, 1], M[3, 2], M[3, 3] = xi, eta, xi, eta
    M[2, 4:] = zeta, zeta * xi, zeta * eta, zeta * xi * eta
    return M


@dataclass(frozen=True, eq=False)
class Operators:
    """Matrices of m elements at p points.

    Attributes
    ----------
    volume : ndarray, shape (m, p)
        Of each point; zero at points that are only looked at [m³].
    B : ndarray, shape (m, p, 6, 24)
        Strains from the unknowns, order xx, yy, zz, xy, xz, yz.
    E : ndarray, shape (m, p, 6, 8)
        Strains from the enhanced parameters.
    """

    volume: Array
    B: Array
    E: Array


def operators(x: Array, points: Array = GAUSS) -> Operators:
    """Strain operators.

    Parameters
    ----------
    x : ndarray, shape (m, 8, 3)
        Corners [m].
    points : ndarray, shape (p, 3)
        In natural coordinates.
    """
    T0, det0 = _to_axes(x, np.zeros(3))
    covariant = _Covariant(x)
    B, E, volume = [], [], []
    for at in points:
        T, det = _to_axes(x, at)
        B.append(T @ covariant.sampled(at))
        E.append((det0 / det)[:, None, None] * (T0 @ _enhanced(at)))
        volume.append(det)
    return Operators(np.stack(volume, axis=1), np.stack(B, axis=1), np.stack(E, axis=1))


def _blocks(op: Operators, C: Array) -> tuple[Array, Array, Array]:
    """Stiffness of the unknowns, of both, and of the enhanced parameters."""
    weighted = C[:, None] * op.volume[..., None, None]
    CB, CE = weighted @ op.B, weighted @ op.E
    m, p = op.volume.shape
    flat, own = op.B.reshape(m, 6 * p, 24), op.E.reshape(m, 6 * p, MODES)
    Kuu = np.swapaxes(flat, 1, 2) @ CB.reshape(m, 6 * p, 24)
    Kau = np.swapaxes(own, 1, 2) @ CB.reshape(m, 6 * p, 24)
    Kaa = np.swapaxes(own, 1, 2) @ CE.reshape(m, 6 * p, MODES)
    return Kuu, Kau, Kaa


def stiffness(op: Operators, C: Array) -> Array:
    """Element stiffness matrices, shape (m, 24, 24), of stiffnesses (m, 6, 6) [Pa]."""
    Kuu, Kau, Kaa = _blocks(op, C)
    K = Kuu - np.swapaxes(Kau, 1, 2) @ _solved(Kaa, Kau)
    return np.asarray((K + np.swapaxes(K, 1, 2)) / 2)


def _solved(Kaa: Array, Kau: Array) -> Array:
    """``Kaa⁻¹ Kau`` of parameters whose sizes differ by powers of the proportions."""
    d = 1 / np.sqrt(np.einsum("mii->mi", Kaa))
    scaled = Kaa * d[:, :, None] * d[:, None, :]
    return np.asarray(d[:, :, None] * np.linalg.solve(scaled, d[:, :, None] * Kau))


def free_at(free: Array, points: Array) -> Array:
    """Free strains at points, shape (m, p, 6), of those at lower and upper faces, (m, 2, 6)."""
    up = (1 + points[:, 2]) / 2
    return np.asarray(
        free[:, None, 0] * (1 - up)[None, :, None] + free[:, None, 1] * up[None, :, None]
    )


def free_forces(x: Array, C: Array, free: Array) -> Array:
    """Corner forces that go with free strains, such as of a temperature, shape (m, 24) [N].

    Parameters
    ----------
    x : ndarray, shape (m, 8, 3)
        Corners [m].
    C : ndarray, shape (m, 6, 6)
        Stiffnesses [Pa].
    free : ndarray, shape (m, 2, 6)
        What each element would take without force, at its lower and upper face [1].
    """
    op = operators(x)
    _, Kau, Kaa = _blocks(op, C)
    bears = np.einsum("mst,mpt->mps", C, free_at(free, GAUSS))
    on_u = np.einsum("mp,mpsu,mps->mu", op.volume, op.B, bears)
    on_a = np.einsum("mp,mpsa,mps->ma", op.volume, op.E, bears)
    return np.asarray(on_u - np.einsum("mau,ma->mu", _solved(Kaa, Kau), on_a))


def strains(x: Array, C: Array, u: Array, points: Array, free: Array | None = None) -> Array:
    """Strains at points of elements, shape (m, p, 6), with the enhanced part.

    Parameters
    ----------
    x : ndarray, shape (m, 8, 3)
        Corners [m].
    C : ndarray, shape (m, 6, 6)
        Stiffnesses [Pa].
    u : ndarray, shape (m, 24)
        Displacements of the corners [m].
    points : ndarray, shape (p, 3)
        In natural coordinates.
    free : ndarray, shape (m, 2, 6), optional
        Free strains, as of `free_forces`; none when left out [1].
    """
    own = operators(x)
    _, Kau, Kaa = _blocks(own, C)
    alpha = -np.einsum("mau,mu->ma", _solved(Kaa, Kau), u)
    if free is not None:
        bears = np.einsum("mst,mpt->mps", C, free_at(free, GAUSS))
        on_a = np.einsum("mp,mpsa,mps->ma", own.volume, own.E, bears)
        alpha += _solved(Kaa, on_a[..., None])[..., 0]
    op = operators(x, points)
    return np.asarray(np.einsum("mpsu,mu->mps", op.B, u) + np.einsum("mpsa,ma->mps", op.E, alpha))
