"""Cores of a laminate with the faces that they carry, as the sandwich criteria see them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria.sandwich import Sandwich
from tartan.core.laminate.shear import transverse_moduli
from tartan.core.laminate.stiffness import Laminate, reduced_stiffness

Array = NDArray[np.float64]

SIMPSON = np.array([1.0, 4.0, 1.0]) / 6


@dataclass(frozen=True)
class Core:
    """Neighbouring core plies with the faces below and above, as ranges of plies."""

    plies: range
    below: range
    above: range


def cores_of(laminate: Laminate) -> list[Core]:
    """Cores of a laminate, bottom to top; a face reaches to the next core or the outside."""
    kinds = [m.kind == "core" for m in laminate.materials]
    blocks: list[range] = []
    for i, core in enumerate(kinds):
        if core and i > 0 and kinds[i - 1]:
            blocks[-1] = range(blocks[-1].start, i + 1)
        elif core:
            blocks.append(range(i, i + 1))
    found = []
    for k, block in enumerate(blocks):
        low = blocks[k - 1].stop if k else 0
        high = blocks[k + 1].start if k + 1 < len(blocks) else laminate.count
        found.append(Core(block, range(low, block.start), range(block.stop, high)))
    return found


def sandwich_of(laminate: Laminate, core: Core) -> Sandwich:
    """Stiffnesses and sizes of a core and its faces."""
    t = np.diff(laminate.z)
    tc = float(t[core.plies].sum())
    faces = tuple(_face(laminate, f, t) for f in (core.below, core.above))
    tf = [f[1] for f in faces if f is not None]
    # Core plies lie on one another: their flexibilities add.
    Ec: float | None = None
    moduli = [laminate.materials[i].E3 for i in core.plies]
    if all(m is not None for m in moduli):
        Ec = tc / sum(
            float(t[i]) / float(E)
            for i, E in zip(core.plies, moduli, strict=True)
            if E is not None
        )
    G: Array | None = None
    shears = [(laminate.materials[i].G13, laminate.materials[i].G23) for i in core.plies]
    if all(g is not None for pair in shears for g in pair):
        turned = transverse_moduli(np.array(shears, float), laminate.angles[core.plies])
        G = np.linalg.inv(np.einsum("n,nij->ij", t[core.plies] / tc, np.linalg.inv(turned)))
    return Sandwich((faces[0], faces[1]), tc, tc + sum(tf) / 2, Ec, G)


def _face(laminate: Laminate, plies: range, t: Array) -> tuple[Array, float] | None:
    if len(plies) == 0:
        return None
    A = np.einsum("n,nij->ij", t[plies], laminate.Qbar[plies])
    return np.linalg.inv(A), float(t[plies].sum())


def gather(laminate: Laminate, core: Core, reads: str) -> Array:
    """What a sandwich criterion reads, from the plies' stresses, shape (3, c, n, 3, 3).

    Indices are the level of the core, the component read, then ply, level and component of the
    in-plane stresses in ply axes.
    """
    t, n = np.diff(laminate.z), laminate.count
    back = np.swapaxes(laminate.T, 1, 2)
    if reads == "bending":
        return _bending(laminate, t, back)
    found = np.zeros((3, 3, n, 3, 3))
    groups = {1: range(n)} if reads == "forces" else {0: core.below, 2: core.above}
    for level, plies in groups.items():
        if len(plies):
            whole = 1.0 if reads == "forces" else float(t[plies].sum())
            weight = t[plies][:, None, None, None] * SIMPSON[None, :, None, None] / whole
            found[level][:, plies] = np.moveaxis(weight * back[plies][:, None], 2, 0)
    return found


def _bending(laminate: Laminate, t: Array, back: Array) -> Array:
    """Moments about the middle, and curvatures from the strains of the outer faces."""
    n = laminate.count
    middle = float(laminate.z[0] + laminate.z[-1]) / 2
    found = np.zeros((3, 6, n, 3, 3))
    low, high = laminate.z[:-1] - middle, laminate.z[1:] - middle
    z = np.stack([low, (low + high) / 2, high], axis=1)
    weight = t[:, None] * SIMPSON * z
    found[1, :3] = np.moveaxis(weight[:, :, None, None] * back[:, None], 2, 0)
    for ply, level, sign in ((0, 0, -1.0), (n - 1, 2, 1.0)):
        compliance = np.linalg.inv(reduced_stiffness(laminate.materials[ply]))
        strain = np.linalg.inv(laminate.T[ply]) @ compliance
        found[1, 3:, ply, level] += sign * strain / laminate.thickness
    return found
