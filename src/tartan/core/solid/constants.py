"""Three-dimensional stiffness of a ply.

Source: R. M. Jones, Mechanics of Composite Materials, 2nd ed., eqs. 2.22–2.25 (compliance of an
orthotropic material) and 2.28 (transverse isotropy).
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import MaterialError
from tartan.core.materials import Material

Array = NDArray[np.float64]

NEEDED = ("E3", "nu13", "nu23", "G13", "G23")
"""Constants of a ply that three dimensions ask for beside those in its plane."""


MATRIX_NU = 0.3
"""Poisson's ratio of a matrix, where nothing is known of it."""


def lacking(material: Material) -> tuple[str, ...]:
    """Constants that three dimensions need and a material does not have."""
    return tuple(f for f in NEEDED if getattr(material, f) is None)


def assumed(material: Material) -> Material:
    """The material with what it lacks estimated, as far as its kind lets it be.

    A ply is taken as transversely isotropic about its fibres: E3 = E2, nu13 = nu12, G13 = G12, and
    nu23 by G23 = E2 / 2 (1 + nu23); where G23 is missing too, nu23 is nu12 (1 − nu12 E2 / E1) /
    (1 − nu12), which a stiff fibre leaves to the matrix (R. M. Christensen, J. Eng. Mater.
    Technol. 110 (1988) 183–191). Across a fabric the matrix bears: E3 is that of an isotropic
    material of its shear modulus across, of Poisson's ratio 0.3. A core's E3 follows from nothing
    that is known of it and stays missing.
    """
    m = material
    known: dict[str, float] = {}
    if m.kind in ("woven", "core"):
        shear = [g for g in (m.G13, m.G23) if g is not None] or [m.G12]
        if m.kind == "woven":
            known["E3"] = 2 * (1 + MATRIX_NU) * sum(shear) / len(shear)
        nu = MATRIX_NU if m.kind == "woven" else 0.0
        known |= {"nu13": nu, "nu23": nu, "G13": shear[0], "G23": shear[-1]}
    else:
        nu23 = m.nu12 * (1 - m.nu12 * m.E2 / m.E1) / (1 - m.nu12)
        if m.nu23 is not None:
            nu23 = m.nu23
        elif m.G23 is not None:
            nu23 = min(max(m.E2 / (2 * m.G23) - 1, -0.9), 0.9)
        known = {"E3": m.E2, "nu13": m.nu12, "G13": m.G12, "nu23": nu23}
        known["G23"] = m.E2 / (2 * (1 + nu23))
    missing = {f: v for f, v in known.items() if getattr(m, f) is None}
    return replace(m, **missing)  # type: ignore[arg-type]


def stiffness(material: Material) -> Array:
    """Stiffness in ply axes, shape (6, 6), order 11, 22, 33, 12, 13, 23 [Pa].

    Raises
    ------
    MaterialError
        Where a constant is missing, or they are of no stable material.
    """
    E3, n13, n23, G13, G23 = (material.need(f, "three dimensions") for f in NEEDED)
    m = material
    S = np.zeros((6, 6))
    S[:3, :3] = normal_compliance(m, E3, n13, n23)
    S[3, 3], S[4, 4], S[5, 5] = 1 / m.G12, 1 / G13, 1 / G23
    d = np.sqrt(np.diag(S))
    if np.linalg.eigvalsh(S / np.outer(d, d))[0] <= 1e-9:
        raise MaterialError(
            f"The constants of '{m.name}' are of no stable material.",
            f"Material '{m.name}', nu13, nu23",
            "Lessen a Poisson's ratio.",
        )
    return np.asarray(np.linalg.inv(S))


def normal_compliance(material: Material, E3: float, nu13: float, nu23: float) -> Array:
    """Strains along 1, 2 and 3 of stresses along them, shape (3, 3) [1/Pa] (Jones, eq. 2.22)."""
    m = material
    return np.array(
        [
            [1 / m.E1, -m.nu12 / m.E1, -nu13 / m.E1],
            [-m.nu12 / m.E1, 1 / m.E2, -nu23 / m.E2],
            [-nu13 / m.E1, -nu23 / m.E2, 1 / E3],
        ]
    )


def expansion(material: Material) -> tuple[float, float, float]:
    """Thermal expansion along 1, 2 and 3; across as across the fibres where it is not known."""
    m = material
    return m.alpha1, m.alpha2, m.alpha2 if m.alpha3 is None else m.alpha3


def strain_turn(axes: Array) -> Array:
    """What takes strains from axes to others, shape (..., 6, 6), order 11, 22, 33, 12, 13, 23.

    Parameters
    ----------
    axes : ndarray, shape (..., 3, 3)
        Rows are the new axes in the old ones.
    """
    pairs = ((0, 0), (1, 1), (2, 2), (0, 1), (0, 2), (1, 2))
    found = np.empty((*axes.shape[:-2], 6, 6))
    for r, (a, b) in enumerate(pairs):
        for c, (i, j) in enumerate(pairs):
            value = axes[..., a, i] * axes[..., b, j]
            if i != j:
                value = value + axes[..., a, j] * axes[..., b, i]
            # Engineering shears are twice the tensor's.
            scale = (2.0 if a != b else 1.0) * (0.5 if i != j else 1.0)
            found[..., r, c] = scale * value
    return found


def turned(C: Array, axes: Array) -> Array:
    """Stiffness of ply axes in those that they are given in, shape (..., 6, 6) of (6, 6)."""
    T = strain_turn(axes)
    return np.asarray(np.swapaxes(T, -1, -2) @ C @ T)


def ply_axes(angle: Array) -> Array:
    """Axes 1, 2, 3 of plies at angles from x towards y [rad], shape (..., 3, 3)."""
    c, s = np.cos(angle), np.sin(angle)
    zero, one = np.zeros_like(c), np.ones_like(c)
    rows = [[c, s, zero], [-s, c, zero], [zero, zero, one]]
    return np.moveaxis(np.array(rows), (0, 1), (-2, -1))
