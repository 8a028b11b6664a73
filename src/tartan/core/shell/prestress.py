"""Stress that is there before a part buckles or swings: mechanical resultants of a solved state.

Source: J. N. Reddy, Mechanics of Laminated Composite Plates and Shells, 2nd ed., sections 3.3.4
(thermal resultants) and 5.2.3 (buckling under temperature).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.response import (
    Load,
    free_resultants,
    free_stress,
    level_heights,
    principal,
)
from tartan.core.laminate.stiffness import Laminate
from tartan.core.shell import eigen
from tartan.core.shell.solve import ShellModel

Array = NDArray[np.float64]

STRESSLESS = 1e-7
"""Resultants below this share of what the strains would cause if held are rounding."""


@dataclass(frozen=True, eq=False)
class Prestress:
    """State of stress whose work in buckling counts.

    Attributes
    ----------
    forces : ndarray, shape (m, p, 9)
        Mechanical N [N/m], M [N] and P = ∫ σ z² dz [N·m]; what free expansion would be resisted
        with is subtracted.
    most : float
        Multiplier beyond which its buckling is no answer [1].
    compresses : bool
        Whether there is compression anywhere, beyond rounding.
    """

    forces: Array
    most: float
    compresses: bool


def prestress(
    model: ShellModel, strains: Array, dT: float | Array = 0.0, gradient: float | Array = 0.0
) -> Prestress:
    """Prestress of a solved state, ``∫ Q (ε + z κ − α ΔT) (1, z, z²) dz``.

    Parameters
    ----------
    model : ShellModel
        The model.
    strains : ndarray, shape (m, p, 8)
        Section strains.
    dT, gradient : float or ndarray, shape (m,)
        Temperature that took part in them: its change at mid-thickness [K], and its growth
        along the laying direction [K/m].
    """
    laminates = (model.laminate,) if model.zones is None else model.zones.laminates
    zone = np.zeros(model.mesh.count, int) if model.zones is None else model.zones.zone
    C = model.section_of(np.arange(model.mesh.count))
    second = np.array([second_stiffness(x) for x in laminates])[zone]
    free = np.zeros((model.mesh.count, 9))
    for value, one in ((dT, Load(dT=1.0)), (gradient, Load(dT_gradient=1.0))):
        each = np.broadcast_to(value, (model.mesh.count,))
        if each.any():
            free += (
                each[:, None]
                * np.array(
                    [np.append(free_resultants(x, one), free_second(x, one)) for x in laminates]
                )[zone]
            )
    operator = np.concatenate([C[:, :6, :6], second], axis=1)
    total = np.einsum("mst,mpt->mps", operator, strains[..., :6])
    forces = total - free[:, None]
    height = np.array([max(abs(x.z[0]), abs(x.z[-1])) for x in laminates])[zone]
    powers = height[:, None] ** np.repeat([0, -1, -2], 3)
    sized, of_total = (np.abs(x) * powers[:, None] for x in (forces, total))
    scale = max(float(of_total.max(initial=0.0)), float((np.abs(free) * powers).max(initial=0.0)))
    if sized.max(initial=0.0) <= STRESSLESS * scale:
        return Prestress(np.zeros_like(forces), eigen.MOST_FACTOR, compresses=False)
    relaxed = _mechanical(C, forces[..., :6])
    thickness = np.array([x.thickness for x in laminates])[zone]
    most = eigen.greatest_factor(relaxed, thickness)
    least = principal(forces[..., :3])[0][..., 1]
    bends = sized[..., 3:6].max(initial=0.0) > STRESSLESS * scale
    compresses = bool(least.min(initial=0.0) < -STRESSLESS * scale) or bool(bends)
    return Prestress(forces, most, compresses)


def _mechanical(C: Array, forces: Array) -> Array:
    """Section strains that resultants N, M cause, shape (m, p, 6)."""
    return np.asarray(np.linalg.solve(C[:, None, :6, :6], forces[..., None])[..., 0])


def second_stiffness(laminate: Laminate) -> Array:
    """∫ Q (1, z) z² dz, shape (3, 6) [N·m, N·m²]."""
    low, high = laminate.z[:-1], laminate.z[1:]
    t, mean = high - low, (high + low) / 2
    D = np.einsum("nij,n->ij", laminate.Qbar, t * (mean**2 + t**2 / 12))
    F = np.einsum("nij,n->ij", laminate.Qbar, t * (mean**3 + mean * t**2 / 4))
    return np.concatenate([D, F], axis=1)


def free_second(laminate: Laminate, heat: Load) -> Array:
    """∫ Q α ΔT z² dz, shape (3,) [N·m]: exact, as the stress is linear within a ply."""
    stress = np.einsum("nji,nsj->nsi", laminate.T, free_stress(laminate, heat))
    z = level_heights(laminate)
    t = laminate.z[1:] - laminate.z[:-1]
    # σ z² is of third degree, which Simpson's rule integrates exactly.
    found: Array = np.einsum("n,s,nsi->i", t / 6, [1.0, 4.0, 1.0], stress * z[..., None] ** 2)
    return found
