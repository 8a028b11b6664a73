"""Engineering constants of a laminate, in three forms.

Source: R. M. Jones, Mechanics of Composite Materials, 2nd ed., section 4.5; from the
compliance blocks, ``Ex = 1/(h a11)``, flexural ``Efx = 12/(h³ d11)``.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.stiffness import Laminate

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Constants:
    """Ex, Ey, Gxy [Pa]; nuxy, nuyx, eta_xy_x, eta_xy_y [1].

    ``eta_xy_x`` is the shear strain per axial strain under a load along x alone.
    """

    Ex: float
    Ey: float
    Gxy: float
    nuxy: float
    nuyx: float
    eta_xy_x: float
    eta_xy_y: float


def _constants(s: Array) -> Constants:
    """From a mean compliance, shape (3, 3) [1/Pa]."""
    return Constants(
        Ex=float(1 / s[0, 0]),
        Ey=float(1 / s[1, 1]),
        Gxy=float(1 / s[2, 2]),
        nuxy=float(-s[0, 1] / s[0, 0]),
        nuyx=float(-s[0, 1] / s[1, 1]),
        eta_xy_x=float(s[0, 2] / s[0, 0]),
        eta_xy_y=float(s[1, 2] / s[1, 1]),
    )


def membrane(laminate: Laminate, *, kept_flat: bool = False) -> Constants:
    """In-plane constants under mean stress.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    kept_flat : bool
        With curvature held at zero (from A alone) instead of free.
    """
    a = np.asarray(np.linalg.inv(laminate.A)) if kept_flat else laminate.compliance[:3, :3]
    return _constants(a * laminate.thickness)


def flexural(laminate: Laminate, *, kept_unstretched: bool = False) -> Constants:
    """Bending constants under moment alone.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    kept_unstretched : bool
        With the reference surface held unstrained (from D alone) instead of free.
    """
    d = np.linalg.inv(laminate.D) if kept_unstretched else laminate.compliance[3:, 3:]
    return _constants(d * laminate.thickness**3 / 12)


def coupling_ratios(laminate: Laminate) -> dict[str, float]:
    """Largest coupling of each sort, against the direct terms.

    Returns
    -------
    dict of str to float
        ``stretch_shear`` (A16, A26), ``bend_twist`` (D16, D26) and ``stretch_bend`` (B), each
        as a share of the geometric mean of the direct terms it couples [1].
    """
    scale = np.sqrt(np.outer(np.diag(laminate.ABD), np.diag(laminate.ABD)))
    ratio = np.abs(laminate.ABD) / scale
    return {
        "stretch_shear": float(ratio[:2, 2].max()),
        "bend_twist": float(ratio[3:5, 5].max()),
        "stretch_bend": float(ratio[:3, 3:].max()),
    }


COUPLES = 0.01
"""Couplings from this share of the direct terms on are worth a word."""

_EFFECTS = (
    ("stretch_bend", "Stretching also bends", "B"),
    ("stretch_shear", "Stretching also shears", "A₁₆, A₂₆"),
    ("bend_twist", "Bending also twists", "D₁₆, D₂₆"),
)


def describe_couplings(laminate: Laminate) -> list[tuple[str, str]]:
    """Couplings in words: what each does, and which terms are how large against the direct ones.

    Returns
    -------
    list of (str, str)
        One pair a coupling of at least `COUPLES`; empty when there is none.
    """
    ratio = coupling_ratios(laminate)
    return [
        (effect, f"{terms} up to {ratio[key]:.0%} of the direct terms")
        for key, effect, terms in _EFFECTS
        if ratio[key] > COUPLES
    ]
