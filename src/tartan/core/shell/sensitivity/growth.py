"""Derivative of how section forces grow at an element, which `force_gradients` takes of many."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.force_gradients import ForceFit, of_slopes
from tartan.core.shell.model import ShellModel
from tartan.core.shell.sensitivity.shear import Unsettled, own_strains
from tartan.core.shell.sensitivity.zonesums import zone_of

Array = NDArray[np.float64]
Index = NDArray[np.int64]


def through_growth(
    model: ShellModel, fit: ForceFit, u: Array, element: int, grad: Array
) -> tuple[Unsettled, Array]:
    """Gradient by the growth at an element as one by the strains of those around it.

    Parameters
    ----------
    model : ShellModel
        The model.
    fit : ForceFit
        What the growth is of.
    u : ndarray, shape (n, 6)
        State.
    element : int
        Where.
    grad : ndarray, shape (8,)
        Gradient by the growth.

    Returns
    -------
    tuple of Unsettled and ndarray
        By strains; and by the N and M of all elements, shape (m, 6), whatever they are of.
    """
    pairs = slice(int(fit.starts[element]), int(fit.starts[element + 1]))
    near = fit.other[pairs]
    zone, count = zone_of(model)
    C = np.array(model.section_of(near))[:, :6, :6]
    # Growth picks slopes, so that its gradient by them is where they are picked from.
    by_slope = (of_slopes(np.eye(12).reshape(12, 6, 2)) @ grad).reshape(6, 2)
    by_force = _turned_back(
        fit.turn[pairs], np.einsum("sd,pd->ps", by_slope, fit.share[pairs, :2])
    )
    every = np.zeros((model.mesh.count, 6))
    every[near] = by_force

    strains, corners = own_strains(model, u, near)
    inside = np.arange(4) < corners[:, None]
    mean = (strains[..., :6] * inside[..., None]).sum(axis=1) / corners[:, None]
    found = np.zeros((len(near), 4, 8))
    by_mean = np.einsum("pst,ps->pt", C, by_force)
    found[..., :6] = by_mean[:, None] * inside[..., None] / corners[:, None, None]

    by_C = np.zeros((count, 8, 8))
    outer = np.einsum("ps,pt->pst", by_force, mean)
    np.add.at(by_C[:, :6, :6], zone[near], (outer + np.swapaxes(outer, 1, 2)) / 2)
    return Unsettled(near, found, by_C), every


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
