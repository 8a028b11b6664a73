"""Netting: what the fibres of a wound cylinder carry alone, and layers that burst together.

Source: S. T. Peters (ed.), Composite Filament Winding (ASM International, 2011).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from tartan.core.errors import PartError


@dataclass(frozen=True)
class Netting:
    """Thicknesses that carry a burst pressure by their fibres alone.

    Attributes
    ----------
    hoop_to_helical : float
        Thickness of hoop over that of helical layers [1].
    helical, hoop : float
        Thicknesses on the cylinder [m].
    """

    hoop_to_helical: float
    helical: float
    hoop: float


def netting(
    R: float, alpha: float, burst: float, strength: float, Vf: float, ratio: float = 1.0
) -> Netting:
    """Helical and hoop layers that burst together.

    Parameters
    ----------
    R : float
        Radius of the cylinder [m].
    alpha : float
        Angle of the helical layers from the axis [rad].
    burst : float
        Pressure [Pa].
    strength : float
        Of the hoop fibres at burst [Pa].
    Vf : float
        Share of fibres of the volume [1].
    ratio : float
        Stress of helical over that of hoop fibres at burst [1].

    Raises
    ------
    PartError
        Where a figure makes no sense, or the helical layers carry the hoop force alone.
    """
    for name, value in (
        ("radius", R),
        ("burst pressure", burst),
        ("fibre strength", strength),
        ("fibre share", Vf),
        ("stress ratio", ratio),
    ):
        if not 0 < value < np.inf:
            raise PartError(f"A {name} of {value:g} is none.", "Netting", "Enter one above 0.")
    c2 = math.cos(alpha) ** 2
    share = ratio * (3 * c2 - 1)
    if not share >= 0:
        raise PartError(
            f"Helical layers at {math.degrees(alpha):.4g}° carry more than the hoop force.",
            "Netting",
            "Choose an angle below 54.7°.",
        )
    helical = burst * R / (2 * ratio * strength * Vf * c2)
    return Netting(share, helical, share * helical)


@dataclass(frozen=True)
class NettingStress:
    """Stress of layers whose fibres alone carry a pressure.

    Attributes
    ----------
    helical, hoop : float
        Of the layers along their fibres [Pa]; NaN where there is none of them.
    """

    helical: float
    hoop: float

    @property
    def ratio(self) -> float:
        """Stress of the helical layers over that of the hoops [1]."""
        return self.helical / self.hoop if self.hoop else math.nan


def netting_stress(
    R: float, pressure: float, helical: Sequence[tuple[float, float]], hoop: float
) -> NettingStress:
    """What the layers of a cylinder carry by their fibres alone.

    Parameters
    ----------
    R : float
        Radius of the cylinder [m].
    pressure : float
        Inside [Pa].
    helical : sequence of (float, float)
        Angle from the axis [rad] and thickness [m] of each; they are pulled alike.
    hoop : float
        Thickness of all hoops [m].

    Raises
    ------
    PartError
        Without helical layers, which alone pull along the axis.
    """
    along = sum(t * math.cos(a) ** 2 for a, t in helical)
    around = sum(t * math.sin(a) ** 2 for a, t in helical)
    if not along > 0:
        raise PartError(
            "No helical layer pulls along the vessel.", "Netting", "Wind a helical layer."
        )
    stress = pressure * R / 2 / along
    left = pressure * R - stress * around
    return NettingStress(stress, left / hoop if hoop > 0 else math.nan)
