"""Derivative of how section forces grow at an element, which `force_gradients` takes of many."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.force_gradients import ForceFit, of_slopes
from tartan.core.shell.model import ShellModel
from tartan.core.shell.sensitivity.shear import Unsettled, own_strains, unsettled
from tartan.core.shell.sensitivity.zonesums import zone_of

Array = NDArray[np.float64]
Index = NDArray[np.int64]


def through_growth(
    model: ShellModel, fit: ForceFit, u: Array, where: tuple[int, Array], grad: Array
) -> tuple[list[Unsettled], Array]:
    """Gradient by the growth at an element as ones by the strains of those around it.

    Parameters
    ----------
    model : ShellModel
        The model.
    fit : ForceFit
        What the growth is of.
    u : ndarray, shape (n, 6)
        State.
    where : tuple of int and ndarray, shape (2,)
        Element, and the mean of its transverse shear strains as they are told.
    grad : ndarray, shape (8,)
        Gradient by the growth.

    Returns
    -------
    tuple of list and ndarray
        By strains; and by the N and M of all elements, shape (m, 6), whatever they are of.
    """
    element, gamma = where
    pairs = slice(int(fit.starts[element]), int(fit.starts[element + 1]))
    near = fit.other[pairs]
    every = np.zeros((model.mesh.count, 6))
    if len(near) == 0 or not grad.any():
        return [], every
    zone, count = zone_of(model)
    C = np.array(model.section_of(near))
    by_slope, by_Q = _by_slopes(grad)
    by_force = _turned_back(
        fit.turn[pairs], np.einsum("sd,pd->ps", by_slope, fit.share[pairs, :2])
    )
    every[near] = by_force

    strains, corners = own_strains(model, u, near)
    inside = np.arange(4) < corners[:, None]
    mean = (strains[..., :6] * inside[..., None]).sum(axis=1) / corners[:, None]
    found = np.zeros((len(near), 4, 8))
    by_mean = np.einsum("pst,ps->pt", C[:, :6, :6], by_force)
    found[..., :6] = by_mean[:, None] * inside[..., None] / corners[:, None, None]

    by_C = np.zeros((count, 8, 8))
    outer = np.einsum("ps,pt->pst", by_force, mean)
    np.add.at(by_C[:, :6, :6], zone[near], (outer + np.swapaxes(outer, 1, 2)) / 2)
    mine = int(np.flatnonzero(near == element)[0])
    outer = np.outer(by_Q, gamma)
    by_C[zone[element], 6:, 6:] += (outer + outer.T) / 2
    each = [Unsettled(near, found, by_C)]
    own = np.zeros(8)
    own[6:] = C[mine, 6:, 6:] @ by_Q / corners[mine]
    each += [unsettled(model, u, element, point, own) for point in range(int(corners[mine]))]
    return each, every


def _by_slopes(grad: Array) -> tuple[Array, Array]:
    """Gradient by the growth as one by slopes, shape (6, 2), and by the transverse force, (2,)."""
    steps = np.eye(14)
    rows = of_slopes(steps[:, :12].reshape(14, 6, 2), steps[:, 12:], np.ones(14, bool)) @ grad
    return rows[:12].reshape(6, 2), rows[12:]


def _turned_back(turn: Array, by_force: Array) -> Array:
    """Gradients by forces in an element's axes as ones in their own, shape (p, 6)."""
    c, s = turn.T
    rows = np.array(
        [
            [c * c, s * s, -2 * c * s],
            [s * s, c * c, 2 * c * s],
            [c * s, -c * s, c * c - s * s],
        ]
    )
    halves = by_force.reshape(-1, 2, 3)
    return np.asarray(np.einsum("ijp,pbi->pbj", rows, halves).reshape(-1, 6))
