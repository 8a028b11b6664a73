"""Derivatives of the four-node element's stiffness and strains by its section stiffness.

The enhanced strains are condensed, so a bilinear form of two states varies with the section by the
product of their whole strains alone: the condensed parameters are stationary.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.element import (
    DRILL,
    DRILL_HOURGLASS,
    Operators,
    _enhanced_blocks,
    lift,
    section_strains,
)

Array = NDArray[np.float64]


def lift_slope(C: Array) -> Array:
    """Derivative of `lift` by the section stiffness, shape (m, 8, 8), to be summed with dC."""
    found = np.zeros_like(C)
    i = np.arange(3)
    size = np.trace(C[:, :3, :3], axis1=1, axis2=2)[:, None]
    found[:, i, i] = -lift(C)[:, None] / size
    found[:, i, 3 + i] = found[:, 3 + i, i] = 0.5 / size
    return found


def work(op: Operators, C: Array, v: Array, u: Array) -> Array:
    """Derivative of ``vᵀ K(C) u`` by C, shape (k, m, 8, 8).

    Parameters
    ----------
    op : Operators
        Of m elements.
    C : ndarray, shape (m, 8, 8)
        Section stiffness.
    v, u : ndarray, shape (m, 24, k)
        Pairs of nodal unknowns.

    Returns
    -------
    ndarray, shape (k, m, 8, 8)
        Symmetric; its sum with a symmetric change of C is the change of the form.
    """
    ev, eu = section_strains(op, C, v), section_strains(op, C, u)
    found = np.swapaxes(ev * op.area[None, ..., None], -1, -2) @ eu
    up = lift(C)
    whole = op.area.sum(axis=1)
    turns = []
    for x in (v, u):
        above = op.R_up @ x
        turn = op.R @ x + up[:, None, None] * above
        means = [(op.area[..., None] * t).sum(axis=1) / whole[:, None] for t in (turn, above)]
        turns.append((turn, above, *means))
    (tv, av, mv, bv), (tu, au, mu, bu) = turns
    area, full = DRILL_HOURGLASS * op.area[..., None], DRILL * whole[:, None]
    tie = (area * tv * tu).sum(axis=1) + full * mv * mu
    raised = (area * (av * tu + tv * au)).sum(axis=1) + full * (bv * mu + mv * bu)
    found[:, :, 2, 2] += tie.T
    found += (C[:, 2, 2, None] * raised).T[..., None, None] * lift_slope(C)
    return np.asarray((found + np.swapaxes(found, -1, -2)) / 2)


def pull(op: Operators, C: Array, u: Array, a: Array) -> tuple[Array, Array]:
    """What a gradient by section strains is by nodal unknowns and by the section stiffness.

    Parameters
    ----------
    op : Operators
        Of m elements.
    C : ndarray, shape (m, 8, 8)
        Section stiffness.
    u : ndarray, shape (m, 24, k)
        Nodal unknowns that the strains are of.
    a : ndarray, shape (k, m, 4, 8)
        Gradient by the strains.

    Returns
    -------
    tuple of ndarray
        Gradients by the unknowns, shape (m, 24, k), and by C, shape (k, m, 8, 8), symmetric.
    """
    CB = (C[:, None] * op.area[..., None, None]) @ op.B
    Kae, Kaa = _enhanced_blocks(op, C, CB)
    by_u = np.einsum("mpse,kmps->mek", op.B, a, optimize=True)
    enhanced = np.einsum("mpsa,kmps->mak", op.E, a[..., :3], optimize=True)
    beta = -np.linalg.solve(Kaa, enhanced)
    by_u += np.swapaxes(Kae, 1, 2) @ beta
    strains = section_strains(op, C, u)
    own = np.einsum("mpsa,mak->kmps", op.E, beta, optimize=True) * op.area[None, ..., None]
    by_C = np.zeros((*a.shape[:2], 8, 8))
    by_C[..., :3, :] = np.swapaxes(own, -1, -2) @ strains
    return by_u, np.asarray((by_C + np.swapaxes(by_C, -1, -2)) / 2)
