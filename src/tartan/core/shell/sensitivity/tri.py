"""Derivatives of the three-node element's stiffness and strains by its section stiffness.

Beside the section stiffness itself, the factor of its deviatoric strains, the height of the middle
of stiffness and the stiffness of its bubble depend on the section.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.element import lift
from tartan.core.shell.sensitivity.quad import lift_slope
from tartan.core.shell.triangle import (
    _LEAST_BETA,
    CURL,
    Operators,
    _bubble_of,
    _deviatoric_factor,
    section_strains,
    whole,
)

Array = NDArray[np.float64]


def _factor_slope(C: Array) -> Array:
    """Derivative of the deviatoric factor, shape (m, 8, 8)."""
    found = np.zeros_like(C)
    factor = _deviatoric_factor(C)
    a, b, c = C[:, 0, 0], C[:, 1, 1], C[:, 0, 1]
    squared = c**2 / (a * b)
    # Of √((1 − 4 ν²)/2); where that is at its floor it stays.
    k = np.where((1 - 4 * squared) / 2 > _LEAST_BETA, -1.0 / factor, 0.0)
    found[:, 0, 0], found[:, 1, 1] = -k * squared / a, -k * squared / b
    found[:, 0, 1] = found[:, 1, 0] = k * c / (a * b)
    return found


def _bending_slope(C: Array, W: Array) -> Array:
    """Derivative of ``Σ Wst Dst`` by C, D about the middle of stiffness, shape (k, m, 8, 8)."""
    up = lift(C)[:, None, None]
    W = (W + np.swapaxes(W, -1, -2)) / 2
    found = np.zeros((*W.shape[:2], 8, 8))
    found[..., 3:6, 3:6] = W
    found[..., :3, 3:6] = found[..., 3:6, :3] = -up * W
    found[..., :3, :3] = up**2 * W
    B, A = C[:, :3, 3:6], C[:, :3, :3]
    raised = (W * (2 * up * A - B - np.swapaxes(B, 1, 2))).sum(axis=(-1, -2))
    found += raised[..., None, None] * lift_slope(C)
    return found


def work(op: Operators, C: Array, v: Array, u: Array) -> Array:
    """Derivative of ``vᵀ K(C) u`` by C, shape (k, m, 8, 8); see `quad.work`, with 18 unknowns."""
    ev, eu = section_strains(op, C, v), section_strains(op, C, u)
    found = np.swapaxes(ev * op.area[None, ..., None], -1, -2) @ eu
    # The bubble takes its part of the shear once, of the cross terms membrane-shear nothing.
    B = whole(op, C)
    nv, nu = (np.einsum("mpse,mek->kmps", B, x, optimize=True) for x in (v, u))
    cross = np.swapaxes(nv * op.area[None, ..., None], -1, -2) @ nu
    found[..., :6, :] = cross[..., :6, :]
    found[..., :, :6] = cross[..., :, :6]
    _, follow = _bubble_of(op, C)
    bv, bu = follow @ v, follow @ u
    W = np.einsum("mak,mstab,mbk->kmst", bv, op.bending, bu, optimize=True)
    area = op.area.sum(axis=1)
    tv, tu = (np.einsum("me,mek->mk", op.curl, x) for x in (v, u))
    W[..., 2, 2] += (CURL * area[:, None] * tv * tu).T
    found += _bending_slope(C, W)
    sv, su = (
        np.einsum("mst,kmpt->kmps", C[:, :3], x) * op.area[None, ..., None] for x in (nv, nu)
    )
    by_factor, by_up = 0.0, 0.0
    up, factor = lift(C), _deviatoric_factor(C)
    for x, s in ((v, su), (u, sv)):
        flat, raised = (np.einsum("mpse,mek->kmps", D, x, optimize=True) for D in (op.D, op.D_up))
        by_factor = by_factor + (s * (flat + up[:, None, None] * raised)).sum(axis=(-1, -2))
        by_up = by_up + factor * (s * raised).sum(axis=(-1, -2))
    found += np.asarray(by_factor)[..., None, None] * _factor_slope(C)
    found += np.asarray(by_up)[..., None, None] * lift_slope(C)
    return np.asarray((found + np.swapaxes(found, -1, -2)) / 2)


def pull(op: Operators, C: Array, u: Array, a: Array) -> tuple[Array, Array]:
    """Gradient by strains (k, m, 4, 8) as one by unknowns and by C; see `quad.pull`, with 18."""
    B = whole(op, C)
    Kbb, follow = _bubble_of(op, C)
    by_u = np.einsum("mpse,kmps->mek", B, a, optimize=True)
    # Shear of the bubble: S b with Kbb b = −Kbu u.
    pulled = np.einsum("mst,kmps->mtk", op.S, a[..., 6:], optimize=True)
    by_u += np.swapaxes(follow, 1, 2) @ pulled
    beta, bubble = np.linalg.solve(Kbb, pulled), follow @ u
    area = op.area.sum(axis=1)
    slid = op.B[:, 0, 6:] @ u + op.S @ bubble
    by_C = np.zeros((*a.shape[:2], 8, 8))
    by_C[..., 6:, 6:] = -np.einsum("m,msk,mtk->kmst", area, op.S @ beta, slid, optimize=True)
    W = np.einsum("mak,mstab,mbk->kmst", beta, op.bending, bubble, optimize=True)
    by_C -= _bending_slope(C, W)
    up, factor = lift(C), _deviatoric_factor(C)
    flat, raised = (np.einsum("mpse,mek->kmps", D, u, optimize=True) for D in (op.D, op.D_up))
    by_factor = (a[..., :3] * (flat + up[:, None, None] * raised)).sum(axis=(-1, -2))
    by_up = factor * (a[..., :3] * raised).sum(axis=(-1, -2))
    by_C += by_factor[..., None, None] * _factor_slope(C)
    by_C += by_up[..., None, None] * lift_slope(C)
    return by_u, np.asarray((by_C + np.swapaxes(by_C, -1, -2)) / 2)
