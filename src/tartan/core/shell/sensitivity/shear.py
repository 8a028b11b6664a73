"""Derivative of the shear strains that `shear_fit` takes from the equilibrium of moments."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.assembly import Part, groups
from tartan.core.shell.element import lift
from tartan.core.shell.model import ShellModel
from tartan.core.shell.sensitivity.quad import lift_slope
from tartan.core.shell.sensitivity.zonesums import zone_of
from tartan.core.shell.shear_fit import THICK, ShearFit, shear_fit

Array = NDArray[np.float64]
Index = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Unsettled:
    """A gradient by the strains that are told, as one by those of the elements themselves.

    Attributes
    ----------
    which : ndarray of int, shape (q,)
        Elements whose strains matter.
    strains : ndarray, shape (q, 4, 8)
        Gradient by their strains at the sampling points.
    stiffness : ndarray, shape (z, 8, 8)
        Gradient by the section stiffnesses beside that.
    """

    which: Index
    strains: Array
    stiffness: Array


def unsettled(model: ShellModel, u: Array, element: int, point: int, grad: Array) -> Unsettled:
    """Gradient by the strains at one point of an element, before its shear was settled.

    Parameters
    ----------
    model : ShellModel
        The model.
    u : ndarray, shape (n, 6)
        State.
    element, point : int
        Where.
    grad : ndarray, shape (8,)
        Gradient by the section strains there.
    """
    zone, count = zone_of(model)
    by_C = np.zeros((count, 8, 8))
    own = np.zeros((1, 4, 8))
    own[0, point] = grad
    plain = Unsettled(np.array([element]), own, by_C)
    if not grad[6:].any():
        return plain
    fit = shear_fit(model.mesh, model.reference, zone)
    at = np.flatnonzero(fit.elements == element) if fit is not None else np.zeros(0, int)
    if fit is None or len(at) == 0:
        return plain
    return _through(model, u, (element, point, int(at[0])), grad, fit)


def _through(
    model: ShellModel, u: Array, where: tuple[int, int, int], grad: Array, fit: ShearFit
) -> Unsettled:
    element, point, at = where
    mesh, (zone, count) = model.mesh, zone_of(model)
    rows = fit.operator[2 * at : 2 * at + 2].toarray().reshape(2, mesh.count, 3)
    which = np.flatnonzero(rows.any(axis=(0, 2)) | (np.arange(mesh.count) == element))
    C = np.array(model.section_of(which[:1]))[0]
    up, slope = float(lift(C[None])[0]), lift_slope(C[None])[0]
    strains, corners = own_strains(model, u, which)
    mine = int(np.flatnonzero(which == element)[0])
    inside = np.arange(4) < corners[:, None]
    mean = (strains[..., :6] * inside[..., None]).sum(axis=1) / corners[:, None]
    lifted = C[3:6, :6] - up * C[:3, :6]
    Q = np.einsum("afb,bs,fs->a", rows[:, which], lifted, mean)
    H = C[6:, 6:]
    gamma, own = np.linalg.solve(H, Q), strains[mine, point, 6:]
    bend = max(float(np.trace(C[3:6, 3:6]) - up**2 * np.trace(C[:3, :3])), 0.0)
    slide = float(np.trace(H))
    room = THICK * slide * float(mesh.areas()[element])
    share = 1 / (1 + bend / room)
    pulled = share * np.linalg.solve(H, grad[6:])

    found = np.zeros((len(which), 4, 8))
    by_moment = np.einsum("a,afb->fb", pulled, rows[:, which])
    by_mean = by_moment @ lifted
    found[..., :6] = by_mean[:, None] * inside[..., None] / corners[:, None, None]
    found[mine, point, :6] += grad[:6]
    found[mine, point, 6:] += (1 - share) * grad[6:]

    by_C = np.zeros((8, 8))
    outer = by_moment.T @ mean
    by_C[3:6, :6] += outer
    by_C[:3, :6] -= up * outer
    by_C -= float((outer * C[:3, :6]).sum()) * slope
    by_C[6:, 6:] -= np.outer(pulled, gamma)
    by_share = float(grad[6:] @ (gamma - own)) * -(share**2)
    i = np.arange(3)
    if bend > 0:
        by_C[3 + i, 3 + i] += by_share / room
        by_C[i, i] -= by_share * up**2 / room
        by_C -= by_share * 2 * up * float(np.trace(C[:3, :3])) / room * slope
    by_C[[6, 7], [6, 7]] -= by_share * bend / room / slide
    whole = np.zeros((count, 8, 8))
    whole[zone[element]] = (by_C + by_C.T) / 2
    return Unsettled(which, found, whole)


def own_strains(model: ShellModel, u: Array, which: Index) -> tuple[Array, Index]:
    """Strains of elements before their shear is settled, and how many of their points count.

    Parameters
    ----------
    model : ShellModel
        The model.
    u : ndarray, shape (n, 6)
        State.
    which : ndarray of int, shape (q,)
        Elements, each once.

    Returns
    -------
    tuple of ndarray
        Shapes (q, 4, 8) and (q,).
    """
    place = np.full(model.mesh.count, -1)
    place[which] = np.arange(len(which))
    found, corners = np.zeros((len(which), 4, 8)), np.zeros(len(which), np.int64)
    flat = u.ravel()
    for group in groups(model.mesh):
        inside = place[group.which] >= 0
        if not inside.any():
            continue
        some = Part(group.nodes[inside], group.which[inside], group.form)
        op = some.operators(model.mesh, model.reference)
        C = np.ascontiguousarray(model.section_of(some.which))
        found[place[some.which]] = some.form.section_strains(
            op, C, flat[some.unknowns][..., None]
        )[0]
        corners[place[some.which]] = some.nodes.shape[1]
    return found, corners
