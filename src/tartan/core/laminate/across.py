"""Stress across the plies, σ3, from the equilibrium of a field of section forces.

Along the normal ``σ3,z = b : σ − τx,x − τy,y``, where b is the curvature of the surface: what the
faces bear of pressure, what shear sheds, and what bent fibres press on each other. Summed twice
through the thickness it starts from the pressure on the lower face and, where the forces are in
balance, ends at that on the upper.

Source: J. N. Reddy, Mechanics of Laminated Composite Plates and Shells, 2nd ed., section 3.4.4;
the share of curvature as in S. G. Lekhnitskii, Anisotropic Plates (1968), curved bars, for shells
thin against their radius.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.shear import grown
from tartan.core.laminate.stiffness import Laminate, of_one_count

Array = NDArray[np.float64]

_PLACES = np.array([-1.0, 0.0, 1.0])

_EVEN = np.zeros((6, 3))
"""Second slopes of moments, per unit of their divergence, that no direction is preferred by."""
_EVEN[3, 0] = _EVEN[4, 2] = 1 / 3
_EVEN[5, 1] = 1 / 6


def balanced(forces: Array, second: Array, curved: Array, pressed: Array) -> Array:
    """Second slopes of section forces, made to bear what presses on the faces.

    What is amiss is shared out alike in all directions.

    Parameters
    ----------
    forces : ndarray, shape (..., 6)
        N and M [N/m, N].
    second : ndarray, shape (..., 6, 3)
        Their ∂xx, ∂xy and ∂yy.
    curved : ndarray, shape (..., 3)
        Curvature xx, yy and twice xy of the unloaded surface, positive where it bulges upwards
        [1/m].
    pressed : ndarray, shape (...)
        Pressure on the lower face less that on the upper [Pa].

    Returns
    -------
    ndarray, shape (..., 6, 3)
        With ``Nab,ab = 0`` and ``Mab,ab = b : N − p``.
    """
    found = np.array(second, float)
    for k, wanted in ((0, 0.0), (3, (curved * forces[..., :3]).sum(axis=-1) - pressed)):
        own = second[..., k, 0] + 2 * second[..., k + 2, 1] + second[..., k + 1, 2]
        missing = (wanted - own)[..., None, None]
        found[..., k : k + 3, :] += missing * _EVEN[3:]
    return found


def stress_across(
    laminate: Laminate, forces: Array, second: Array, curved: Array, faces: Array
) -> Array:
    """Stress across the plies by ply and level.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    forces, second, curved : ndarray, shapes (..., 6), (..., 6, 3) and (..., 3)
        As of `balanced`, which has been at them.
    faces : ndarray, shape (..., 2)
        Pressure on the lower and the upper face [Pa].

    Returns
    -------
    ndarray, shape (..., n, 3)
        σ3, tension positive [Pa]; less the lower pressure at the bottom face.
    """
    operator = across_operator(laminate)
    found = second.reshape(*second.shape[:-2], 18) @ operator[:, :18].T
    if curved.any():
        # A curved section bears by itself; every surface has one curvature for all plies.
        own = curved[..., None] * forces[..., None, :]
        found = found + own.reshape(*own.shape[:-2], 18) @ operator[:, 18:].T
    return np.asarray(found.reshape(*found.shape[:-1], -1, 3) - faces[..., :1, None])


def across_operator(laminate: Laminate) -> Array:
    """What σ3 is per second slope of the forces, and per force times curvature.

    Returns
    -------
    ndarray, shape (3n, 36)
        Plies by level; forces by slope, then curvatures by force.
    """
    found = _operators(laminate.Qbar, laminate.z, laminate.compliance)
    return found.reshape(3 * laminate.count, 36)


def across_at(laminates: Sequence[Laminate], places: Sequence[int], level: int) -> Array:
    """The same of one ply in each of many laminates, all worked out together.

    Parameters
    ----------
    laminates : sequence of Laminate
        Sections, such as the zones of a draped part.
    places : sequence of int
        The ply's place in each, from 0.
    level : int
        0, 1 and 2 are its bottom, middle and top.

    Returns
    -------
    ndarray, shape (k, 36)
        As a row of `across_operator`.
    """
    found = np.empty((len(laminates), 36))
    for rows, some in of_one_count(laminates):
        Qbar, z, ABD = (np.array([getattr(x, n) for x in some]) for n in ("Qbar", "z", "ABD"))
        every = _operators(Qbar, z, np.linalg.inv(ABD))
        found[rows] = every[np.arange(len(rows)), [places[k] for k in rows], level]
    return found


def _operators(Qbar: Array, z: Array, S: Array) -> Array:
    """Rows by ply and level, shape (..., n, 3, 36)."""
    G = grown(Qbar, z, S, _PLACES)
    low, t = z[..., :-1, None, None, None], np.diff(z)
    h = (t[..., None] * (1 + _PLACES) / 2)[..., None, None]
    # ∫ over the ply of what `grown` is there: the start, and the stress summed twice.
    b, d = ((Qbar @ S[..., None, k : k + 3, :])[..., None, :, :] for k in (0, 3))
    within = G[..., :1, :, :] * h + h**2 / 2 * b + (h**3 / 6 + low * h**2 / 2) * d
    whole = within[..., 2, :, :]
    P = (np.cumsum(whole, axis=-3) - whole)[..., None, :, :] + within
    # σ3 grows by Pxx Rxx,xx and so on: x with ∂xx, y with ∂yy, xy with twice ∂xy.
    by = np.stack([P[..., 0, :], 2 * P[..., 2, :], P[..., 1, :]], axis=-1)
    shape = (*by.shape[:-2], 18)
    return np.concatenate([by.reshape(shape), G.reshape(shape)], axis=-1)
