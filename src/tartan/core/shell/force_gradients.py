"""Gradients of the section forces in every element, from its neighbours.

What shears plies apart follows from how all stresses in their planes grow along the surface. The
forces are fitted over patches of like sections; what grows of Nx and Mx along x and of Ny and My
along y is taken from balance, with the transverse force that the element has, so that nothing is
left over at the faces.

Source: fit as in `patches`; what follows through the thickness in `laminate.shear` and
`laminate.across`.
"""

from __future__ import annotations

from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from tartan.core.compiled import compiled, prange
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.patches import BLOCK, Pairs, axes_of, patches, slopes, turns

Array = NDArray[np.float64]
Index = NDArray[np.int64]

ALIKE = 0.1
"""Share by which stiffnesses may differ for sections to be of one patch, such as draped ones."""


@dataclass(frozen=True, eq=False)
class ForceFit:
    """How the slopes of section forces follow from the forces around.

    Attributes
    ----------
    starts : ndarray of int, shape (m + 1,)
        Where the neighbours of every element begin; none where too few are alike.
    other : ndarray of int, shape (pairs,)
        The neighbours, an element itself among them.
    share : ndarray, shape (pairs, 5)
        Of each in ∂1, ∂2 [1/m] and ∂11, ∂12, ∂22 [1/m²].
    turn : ndarray, shape (pairs, 2)
        Cosine and sine of its first axis.
    """

    starts: Index
    other: Index
    share: Array
    turn: Array

    def slopes(self, forces: Array, which: Index | None = None, *, second: bool = False) -> Array:
        """Slopes of section forces as they are fitted.

        Parameters
        ----------
        forces : ndarray, shape (k, m, 6)
            N and M of k cases in the elements' axes [N/m, N].
        which : ndarray of int, shape (q,), optional
            Elements; all when left out.
        second : bool
            Whether second slopes are told too.

        Returns
        -------
        ndarray, shape (k, q, 6, 2 or 5)
            ∂1, ∂2, then ∂11, ∂12, ∂22.
        """
        which = np.arange(len(self.starts) - 1) if which is None else which
        found = np.zeros((len(forces), len(which), 6, 5 if second else 2))
        _sum(
            self.starts,
            self.other,
            self.share,
            self.turn,
            np.ascontiguousarray(forces),
            which,
            found,
        )
        return found

    def growth(self, forces: Array, which: Index | None = None) -> Array:
        """What grows of section forces beside their transverse force.

        Parameters
        ----------
        forces : ndarray, shape (k, m, 6)
            N and M of k cases [N/m, N].
        which : ndarray of int, shape (q,), optional
            Elements; all when left out.

        Returns
        -------
        ndarray, shape (k, q, 8)
            In the order of `laminate.shear.GROWTH`; zero where nothing can be fitted.
        """
        return of_slopes(self.slopes(forces, which))


def of_slopes(slope: Array) -> Array:
    """Growth, shape (..., 8), of the first slopes of N and M, shape (..., 6, 2 or more)."""
    found = [slope[..., k + c, d] for k in (0, 3) for c, d in ((1, 0), (0, 1), (2, 0), (2, 1))]
    return np.stack(found, axis=-1)


_kept: WeakKeyDictionary[Mesh, tuple[bytes, ForceFit]] = WeakKeyDictionary()


def force_fit(mesh: Mesh, reference: Array, zone: Index, stiffness: Array) -> ForceFit:
    """What gives slopes of section forces; remembered with the mesh.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    reference : ndarray, shape (3,) or (m, 3)
        Reference direction.
    zone : ndarray of int, shape (m,)
        Zones of the elements.
    stiffness : ndarray, shape (z, 6, 6) or (z, 8, 8)
        Their section stiffness, of which ABD counts; a fit reaches over sections that are `ALIKE`.
    """
    axes = axes_of(mesh, reference)
    chosen = []
    for rows, (local, f) in patches(mesh):
        same = _alike(zone[rows[local]], zone[f], stiffness)
        chosen.append((rows, (local[same], f[same])))
    key = axes[:, 0].tobytes() + b"".join(p[1].tobytes() for _, p in chosen)
    known = _kept.get(mesh)
    if known is None or known[0] != key:
        known = _kept[mesh] = (key, _fitted(mesh, axes, chosen))
    return known[1]


def force_fit_at(
    mesh: Mesh, reference: Array, zone: Index, stiffness: Array, element: int
) -> ForceFit:
    """The same of one element alone, which takes no time: others have nothing to be fitted by.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    reference, zone, stiffness : ndarray, shapes (3,) or (m, 3), (m,) and (z, 6, 6)
        As of `force_fit`.
    element : int
        Which.
    """
    rows, (local, other) = patches(mesh)[element // BLOCK]
    f = other[local == element - rows[0]]
    f = f[_alike(np.full(len(f), zone[element]), zone[f], stiffness)]
    pairs, one = (np.zeros(len(f), np.int64), f), np.array([element])
    axes = axes_of(mesh, reference)
    share, usable = slopes(mesh, axes, one, pairs)
    starts = np.zeros(mesh.count + 1, np.int64)
    starts[element + 1 :] = len(f) if usable[0] else 0
    return ForceFit(starts, f, share, turns(axes, one, pairs))


def _fitted(mesh: Mesh, axes: Array, chosen: list[tuple[Index, Pairs]]) -> ForceFit:
    counts, others, shares, turned = [], [], [], []
    for rows, pairs in chosen:
        share, usable = slopes(mesh, axes, rows, pairs)
        inside = usable[pairs[0]]
        counts.append(np.bincount(pairs[0][inside], minlength=len(rows)))
        others.append(pairs[1][inside])
        shares.append(share[inside])
        turned.append(turns(axes, rows, pairs)[inside])
    starts = np.concatenate([[0], np.cumsum(np.concatenate(counts))])
    return ForceFit(starts, np.concatenate(others), np.concatenate(shares), np.concatenate(turned))


def _alike(one: Index, other: Index, stiffness: Array) -> NDArray[np.bool_]:
    """Whether sections by their zones, shape (pairs,) each, may be of one patch."""
    same = one == other
    if same.all():
        return np.asarray(same)
    count = len(stiffness)
    codes, which = np.unique(one[~same] * count + other[~same], return_inverse=True)
    C = stiffness[:, :6, :6].copy()
    # In units of its own thickness, so that N and M count alike.
    high = np.sqrt(np.trace(C[:, 3:, 3:], 0, 1, 2) / np.trace(C[:, :3, :3], 0, 1, 2))
    first, second = codes // count, codes % count
    D, E = C[first], C[second]
    for x in (D, E):
        x[:, 3:] /= high[first, None, None]
        x[:, :, 3:] /= high[first, None, None]
    away = np.linalg.norm(D - E, axis=(1, 2)) / np.linalg.norm(D, axis=(1, 2))
    same[~same] = (away < ALIKE)[which.ravel()]
    return np.asarray(same)


@compiled(error_model="numpy", parallel=True, nogil=True)
def _sum(
    starts: Index,
    other: Index,
    share: Array,
    turn: Array,
    forces: Array,
    which: Index,
    out: Array,
) -> None:
    deep = out.shape[3]
    for q in prange(len(which)):
        e = which[q]
        for p in range(starts[e], starts[e + 1]):
            f, c, s = other[p], turn[p, 0], turn[p, 1]
            cc, ss, cs = c * c, s * s, c * s
            for k in range(len(forces)):
                for b in (0, 3):
                    x, y, t = forces[k, f, b], forces[k, f, b + 1], forces[k, f, b + 2]
                    tx = cc * x + ss * y - 2 * cs * t
                    ty = ss * x + cc * y + 2 * cs * t
                    txy = cs * (x - y) + (cc - ss) * t
                    for d in range(deep):
                        w = share[p, d]
                        out[k, q, b, d] += w * tx
                        out[k, q, b + 1, d] += w * ty
                        out[k, q, b + 2, d] += w * txy


def compile_all() -> None:
    """Compile the loop, or load it from its cache, so that no first answer waits for it."""
    one, none = np.zeros(1, np.int64), np.zeros((1, 5))
    alone = np.array([0, 1])
    for deep in (2, 5):
        _sum(
            alone,
            one,
            none,
            none[:, :2].copy(),
            np.zeros((1, 1, 6)),
            one,
            np.zeros((1, 1, 6, deep)),
        )
