"""Where plate theory ends: faces that bend on their own over a soft core.

First-order shear theory lets the faces turn with the section. Over a soft core, or a short load,
they bend for themselves: of a moment that varies as a half wave of length L they take

    β = Df / (Df + Ds / (1 + φ)),   φ = π² Ds / (S L²)

on their own stiffness Df beside the sandwich's Ds, with the shear stiffness S = G d² / tc of the
core. What theory shows is low by the ratio of both face stresses.

Source: H. G. Allen, Analysis and Design of Structural Sandwich Panels (1969), chapter 4 (thick
faces).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tartan.core.laminate.stiffness import Laminate
from tartan.core.strength.cores import cores_of, sandwich_of


@dataclass(frozen=True)
class SoftCore:
    """How far face stresses are understated.

    Attributes
    ----------
    low : float
        Share by which bending stresses at the outer faces are low [1].
    flexibility : float
        φ, the core's shear flexibility against the sandwich's bending stiffness [1].
    """

    low: float
    flexibility: float


def soft_core(laminate: Laminate, length: float, axis: int) -> SoftCore | None:
    """Estimate how low face stresses are for moments that vary over a half wave.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    length : float
        Half wave along the axis [m].
    axis : int
        0 is x, 1 is y.

    Returns
    -------
    SoftCore or None
        None without a single core between two faces whose shear moduli are known.
    """
    found = cores_of(laminate)
    if len(found) != 1 or not (len(found[0].below) and len(found[0].above)):
        return None
    core = found[0]
    body = sandwich_of(laminate, core)
    if body.G is None:
        return None
    faces = [_face(laminate, plies, axis) for plies in (core.below, core.above)]
    (a1, d1, t1), (a2, d2, t2) = faces
    Df, d = d1 + d2, body.distance
    Ds = d * d * a1 * a2 / (a1 + a2)
    S = float(body.G[axis, axis]) * d * d / body.tc
    phi = np.pi**2 * Ds / (S * length**2)
    own = Df / (Df + Ds / (1 + phi))
    lows = []
    for a, t in ((a1, t1), (a2, t2)):
        modulus = a / t
        true = (1 - own) / (d * t) + own * modulus * t / 2 / Df
        reach = d * (a1 + a2 - a) / (a1 + a2) + t / 2
        shown = modulus * reach / (Df + Ds)
        lows.append(1 - shown / true)
    return SoftCore(float(max(lows)), float(phi))


def _face(laminate: Laminate, plies: range, axis: int) -> tuple[float, float, float]:
    """Membrane and own bending stiffness of a face along an axis, and its thickness."""
    z = laminate.z[plies.start : plies.stop + 1]
    t = np.diff(z)
    middle = (z[:-1] + z[1:]) / 2 - (z[0] + z[-1]) / 2
    Q = laminate.Qbar[plies, axis, axis]
    return float(Q @ t), float(Q @ (t * (middle**2 + t**2 / 12))), float(t.sum())
