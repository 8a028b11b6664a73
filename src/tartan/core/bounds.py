"""Bounds within which figures make sense, held where they enter.

Squares and cubes of figures within them stay far inside the range of numbers, so that nothing
overflows into a good-looking answer.
"""

from __future__ import annotations

import math

MOST_STRESS = 1e20
"""Pressure, stress, strength or modulus [Pa]: beyond all matter, but for what stands for rigid."""

LEAST_STRESS = 1e-6
"""Strength or modulus [Pa]."""

MOST_LENGTH, LEAST_LENGTH = 1e4, 1e-9
"""Sizes of parts, and thicknesses [m]."""

MOST_FORCE = 1e12
"""Force or moment in any unit of the SI [N, N·m, N/m, N]."""

MOST_FACTOR = 1e9
"""Factor on a load, or multiple of an acceleration."""

MOST_HEAT = 1e5
"""Change of temperature [K], and a hundredth of its gradient [K/m]."""

MATERIAL: dict[str, tuple[float, float]] = {
    **dict.fromkeys(
        ("E1", "E2", "E3", "G12", "G13", "G23", "Xt", "Xc", "Yt", "Yc", "S12", "S13", "S23", "Zc"),
        (LEAST_STRESS, MOST_STRESS),
    ),
    **dict.fromkeys(("eXt", "eXc", "eYt", "eYc", "eS12"), (1e-9, 10.0)),
    **dict.fromkeys(("nu12", "nu13", "nu23"), (-1e3, 1e3)),
    **dict.fromkeys(("alpha1", "alpha2", "alpha3"), (-1.0, 1.0)),
    **dict.fromkeys(("beta1", "beta2"), (-1e3, 1e3)),
    "rho": (1e-3, 1e6),
    "price": (1e-9, 1e12),
    "ply_thickness": (LEAST_LENGTH, MOST_LENGTH),
    "fibre_share": (0.01, 0.99),
    "cell_size": (1e-6, 1.0),
    "locking": (0.1, 89.0),
    "wrinkling_k": (1e-3, 0.91),
    "hashin_alpha": (0.0, 1e3),
    "p_nl_t": (0.0, 10.0),
    "p_nl_c": (0.0, 10.0),
}
"""Least and greatest value of the figures of a material, SI."""

UNITS: dict[str, str] = {
    **dict.fromkeys(
        ("E1", "E2", "E3", "G12", "G13", "G23", "Xt", "Xc", "Yt", "Yc", "S12", "S13", "S23", "Zc"),
        " Pa",
    ),
    "rho": " kg/m³",
    "ply_thickness": " m",
    "cell_size": " m",
    "locking": "°",
    "alpha1": "/K",
    "alpha2": "/K",
    "alpha3": "/K",
}
"""Unit of each as it is written behind a figure."""


def beyond(value: float, most: float) -> bool:
    """Whether a figure is no number, or farther from zero than makes sense."""
    return not (math.isfinite(value) and abs(value) <= most)
