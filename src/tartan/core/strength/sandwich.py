"""Checks of a sandwich: wrinkling of each face, shear crimping, dimpling, and core shear.

Sources: N. J. Hoff and S. E. Mautner, J. Aeronaut. Sci. 12 (1945) 285–297 (wrinkling on a thick
core); H. G. Allen, Analysis and Design of Structural Sandwich Panels (1969), ch. 8 (thin core,
crimping); C. B. Norris, FPL report 1817 (1964) (dimpling over hexagonal cells).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import StackError
from tartan.core.laminate.constants import membrane
from tartan.core.laminate.response import Load, respond
from tartan.core.laminate.shear import shear_distribution, transverse_moduli
from tartan.core.laminate.stiffness import Laminate
from tartan.core.stack import Stack

Array = NDArray[np.float64]

THICK_CORE = 0.5
"""Usual factor of the thick-core wrinkling formula, below its ideal 0.91 for waviness."""

_PLACES = np.array([-1.0, 0.0, 1.0])


@dataclass(frozen=True)
class FaceCheck:
    """A face in one direction: mean stress and wrinkling stress [Pa], reserve factor [1]."""

    mean_stress: float
    wrinkling_stress: float
    reserve: float


@dataclass(frozen=True)
class SandwichCheck:
    """Faces by name ("bottom_face_x" …), core shear [Pa] in core axes and its reserve factor."""

    faces: dict[str, FaceCheck]
    tau_13: float
    tau_23: float
    core_reserve: float


def face_laminate(laminate: Laminate, plies: slice) -> Laminate:
    """A face alone, about its own middle."""
    stack = Stack("face", laminate.stack.plies[plies])
    return Laminate(stack, laminate.materials[plies])


def core_moduli(laminate: Laminate, core: int) -> tuple[float, float, float]:
    """E3 of the core, and its shear moduli turned into xz and yz [Pa].

    Raises
    ------
    MaterialError
        When one is missing.
    """
    material = laminate.materials[core]
    G = np.array([[material.need(f, "the check of the core") for f in ("G13", "G23")]])
    turned = transverse_moduli(G, laminate.angles[core : core + 1])[0]
    return material.need("E3", "face wrinkling"), float(turned[0, 0]), float(turned[1, 1])


def wrinkling_thick(Ef: float, Ec: float, Gc: float, factor: float = THICK_CORE) -> float:
    """Wrinkling stress of a face on a thick core, ``k (Ef Ec Gc)^(1/3)`` [Pa]."""
    return float(factor * np.cbrt(Ef * Ec * Gc))


def wrinkling_thin(Ef: float, tf: float, Ec: float, tc: float, factor: float = 0.82) -> float:
    """Symmetric wrinkling of a face on a thin core, ``k √(Ef Ec tf / tc)`` [Pa]."""
    return float(factor * np.sqrt(Ef * Ec * tf / tc))


def crimping_load(Gc: float, tc: float, tf: float) -> float:
    """Force per width at which the core crimps in shear, ``Gc d² / tc`` [N/m]."""
    return Gc * (tc + tf) ** 2 / tc


def dimpling_stress(Ef: float, nu: float, tf: float, cell: float) -> float:
    """Stress at which a face dimples into hexagonal cells, ``2 Ef / (1 - ν²) (tf / s)²`` [Pa]."""
    return 2 * Ef / (1 - nu * nu) * (tf / cell) ** 2


def check_sandwich(
    laminate: Laminate, core: int, load: Load, Q: Array, factor: float = THICK_CORE
) -> SandwichCheck:
    """Check both faces for wrinkling in x and y, and the core for shear.

    Parameters
    ----------
    laminate : Laminate
        The whole sandwich.
    core : int
        Its core ply, from 0, with plies below and above.
    load : Load
        Forces and moments.
    Q : ndarray, shape (2,)
        Transverse shear forces Qx, Qy [N/m].
    factor : float
        Of the thick-core wrinkling formula.

    Raises
    ------
    StackError
        When the core is not between two faces.
    MaterialError
        When a modulus or strength of the core is missing.
    """
    if not 0 < core < laminate.count - 1:
        raise StackError(
            "the core must lie between two faces.",
            f"Ply {core + 1}",
            "Name the core ply, with plies below and above it.",
        )
    Ec, Gx, Gy = core_moduli(laminate, core)
    stress = respond(laminate, load).stress_xy[:, 1]
    t = np.diff(laminate.z)
    faces = {}
    for name, plies in (("bottom", slice(0, core)), ("top", slice(core + 1, None))):
        alone = membrane(face_laminate(laminate, plies), kept_flat=True)
        mean = (stress[plies] * t[plies, None]).sum(axis=0) / t[plies].sum()
        for axis, Ef, Gc in ((0, alone.Ex, Gx), (1, alone.Ey, Gy)):
            limit = wrinkling_thick(Ef, Ec, Gc, factor)
            push = -float(mean[axis])
            reserve = limit / push if push > 0 else float("inf")
            faces[f"{name}_face_{'xy'[axis]}"] = FaceCheck(float(mean[axis]), limit, reserve)
    tau = core_shear(laminate, core, Q)
    material = laminate.materials[core]
    limits = [material.need(f, "core shear") for f in ("S13", "S23")]
    with np.errstate(divide="ignore"):
        reserve = float((np.array(limits) / tau).min())
    return SandwichCheck(faces, float(tau[0]), float(tau[1]), reserve)


def core_shear(laminate: Laminate, core: int, Q: Array) -> Array:
    """Largest equilibrium shear stresses in the core, in core axes, shape (2,) [Pa].

    Within a ply they are parabolas, which their values at three places give exactly.
    """
    f = shear_distribution(laminate.Qbar, laminate.z, laminate.compliance, _PLACES)[core]
    c, s = np.cos(laminate.angles[core]), np.sin(laminate.angles[core])
    low, middle, high = (f @ Q) @ np.array([[c, -s], [s, c]])
    bow, slope = (low + high) / 2 - middle, (high - low) / 2
    top = np.clip(np.divide(-slope, 2 * bow, out=np.zeros(2), where=bow != 0), -1.0, 1.0)
    peak = middle + slope * top + bow * top**2
    return np.asarray(np.abs([low, high, peak]).max(axis=0))
