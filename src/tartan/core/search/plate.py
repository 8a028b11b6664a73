"""A rectangular plate, simply supported all round: buckling, deflection and frequency of many.

Thin plate; sines along both sides. Where D16 and D26 are none the forms are exact; where they
are not, Ritz's method with the same sines gives the answer, never above those forms (J. N. Reddy,
Mechanics of Laminated Composite Plates and Shells, 2nd ed., sections 5.3 and 6.6; J. M. Whitney,
Structural Analysis of Laminated Anisotropic Plates, section 5.6).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import StackError

Array = NDArray[np.float64]

WAVES = 6
"""Half waves each way of the closed forms."""

TERMS = 8
"""Sines each way of Ritz's method."""

MOST = 1e15
"""Size that no figure of a panel has [SI]."""

WHERE = "Panel"


@dataclass(frozen=True)
class Panel:
    """A plate and what is on it.

    Attributes
    ----------
    sides : tuple of float
        Along x and y [m].
    pressed : tuple of float
        Nx, Ny and Nxy; Nx and Ny positive in compression [N/m].
    pressure : float
        On its face [Pa].
    """

    sides: tuple[float, float] = (0.0, 0.0)
    pressed: tuple[float, float, float] = (0.0, 0.0, 0.0)
    pressure: float = 0.0

    def measured(self) -> Panel:
        """Return a panel whose figures can be, entered or not yet.

        Raises
        ------
        StackError
            A figure out of measure.
        """
        every = (*self.sides, *self.pressed, self.pressure)
        good = all(math.isfinite(x) and abs(x) < MOST for x in every) and min(self.sides) >= 0
        if not good:
            raise StackError("A figure of the panel is out of measure.", WHERE, "Enter it anew.")
        return self

    def checked(self, wants: str = "") -> Panel:
        """Return a panel that can be, with what a figure wants: ``load`` or ``pressure``.

        Raises
        ------
        StackError
            Sides that are none, or missing loads.
        """
        self.measured()
        if not min(self.sides) > 1e-6:
            raise StackError("The panel has no sides.", WHERE, "Enter its length and width.")
        pushed = max(self.pressed[:2]) > 0 or self.pressed[2] != 0
        if wants == "load" and not pushed:
            raise StackError(
                "Nothing presses on the panel.",
                WHERE,
                "Enter Nx or Ny, positive in compression, or Nxy.",
            )
        if wants == "pressure" and self.pressure == 0:
            raise StackError("No pressure is on the panel.", WHERE, "Enter one.")
        return self


def modes(panel: Panel) -> tuple[Array, Array, Array]:
    """Half waves (m, n), D11, D12 + 2 D66 and D22's factors (q, 3), and work of Nx, Ny (q,)."""
    waves = np.arange(1, WAVES + 1)
    m, n = (x.ravel() for x in np.meshgrid(waves, waves, indexing="ij"))
    x, y = (math.pi * m / panel.sides[0]) ** 2, (math.pi * n / panel.sides[1]) ** 2
    held = np.stack([x**2, 2 * x * y, y**2], axis=1)
    return np.stack([m, n], axis=1), held, panel.pressed[0] * x + panel.pressed[1] * y


def _held(panel: Panel, D: Array) -> Array:
    """Strain energy of the modes (k, q) [N/m³]."""
    mixed = D[:, 0, 1] + 2 * D[:, 2, 2]
    return np.asarray(np.stack([D[:, 0, 0], mixed, D[:, 1, 1]], axis=1) @ modes(panel)[1].T)


def buckling(panel: Panel, D: Array) -> Array:
    """Least multiplier of Nx and Ny at which plates buckle; D16, D26 and Nxy neglected, (k,)."""
    _, _, work = modes(panel)
    on = work > 0
    if not on.any():
        return np.full(len(D), np.inf)
    return np.asarray((_held(panel, D)[:, on] / work[on]).min(axis=1))


def frequency(panel: Panel, D: Array, mass: Array) -> Array:
    """First natural frequency by mass per area (k,) [kg/m²]; D16 and D26 neglected, (k,) [Hz]."""
    return np.asarray(np.sqrt(_held(panel, D).min(axis=1) / mass) / (2 * math.pi))


def deflection(panel: Panel, D: Array) -> Array:
    """Deflection of the middle under the pressure, (k,) [m]; by Navier where D16, D26 are none."""
    K = _ritz(panel).stiffness(D)
    load = _ritz(panel).pressure * panel.pressure
    middle = _ritz(panel).middle
    found = np.linalg.solve(K, np.broadcast_to(load, K.shape[:2])[..., None])[..., 0]
    return np.asarray(np.abs(found @ middle))


def exact_buckling(panel: Panel, D: Array) -> Array:
    """Least positive multiplier of Nx, Ny and Nxy by Ritz's method, (k,)."""
    ritz = _ritz(panel)
    L = np.linalg.cholesky(ritz.stiffness(D))
    half = np.linalg.solve(L, np.broadcast_to(ritz.work, L.shape))
    turned = np.linalg.solve(L, np.swapaxes(half, 1, 2))
    most = np.linalg.eigvalsh((turned + np.swapaxes(turned, 1, 2)) / 2)[:, -1]
    return np.asarray(np.where(most > 0, 1 / np.where(most > 0, most, 1.0), np.inf))


def exact_frequency(panel: Panel, D: Array, mass: Array) -> Array:
    """First natural frequency by Ritz's method, (k,) [Hz]."""
    ritz = _ritz(panel)
    area = panel.sides[0] * panel.sides[1] / 4
    least = np.linalg.eigvalsh(ritz.stiffness(D))[:, 0]
    return np.asarray(np.sqrt(least / (mass * area)) / (2 * math.pi))


@dataclass(frozen=True, eq=False)
class _Ritz:
    """Matrices of the sines: by D's components, work of the loads, pressure, the middle."""

    parts: Array
    work: Array
    pressure: Array
    middle: Array

    def stiffness(self, D: Array) -> Array:
        """Of plates, shape (k, q, q) [N/m]."""
        each = np.stack([D[:, i, j] for i, j in ((0, 0), (0, 1), (1, 1), (2, 2), (0, 2), (1, 2))])
        return np.asarray(np.einsum("rk,rij->kij", each, self.parts))


@lru_cache(maxsize=8)
def _ritz(panel: Panel) -> _Ritz:
    a, b = panel.sides
    waves = np.arange(1, TERMS + 1)
    m, n = (x.ravel() for x in np.meshgrid(waves, waves, indexing="ij"))
    x, y = math.pi * m / a, math.pi * n / b
    # w,xx and w,yy are sines, w,xy cosines; ∫ sin² = a/2, ∫ sin cos is not zero for odd m + p.
    along, across = _sine_cosine(m) * a, _sine_cosine(n) * b
    equal = a * b / 4
    bent = np.stack([-(x**2), -(y**2)])
    twist = x * y
    both = along * across

    def mixed(rows: Array) -> Array:
        one = rows[:, None] * twist[None, :] * both
        return np.asarray(2 * (one + one.T))

    parts = np.stack(
        [
            np.diag(bent[0] ** 2 * equal),
            np.diag(2 * bent[0] * bent[1] * equal),
            np.diag(bent[1] ** 2 * equal),
            np.diag(4 * twist**2 * equal),
            mixed(bent[0]),
            mixed(bent[1]),
        ]
    )
    nx, ny, nxy = panel.pressed
    # w,x is a cosine along x and a sine along y; w,y the other way round. A shear force along
    # +x on the face of +y works against w,x w,y where compression works with w,x².
    shear = x[:, None] * y[None, :] * along.T * across
    work = np.diag((nx * x**2 + ny * y**2) * equal) - nxy * (shear + shear.T)
    odd = (1 - (-1.0) ** m) * (1 - (-1.0) ** n)
    pressure = odd * a * b / (math.pi**2 * m * n)
    middle = np.sin(m * math.pi / 2) * np.sin(n * math.pi / 2)
    return _Ritz(parts, work, pressure, middle)


def _sine_cosine(m: NDArray[np.int64]) -> Array:
    """∫ sin(mπs) cos(pπs) ds from 0 to 1, shape (q, q)."""
    one, other = m[:, None].astype(float), m[None, :].astype(float)
    odd = (m[:, None] + m[None, :]) % 2 == 1
    gap = np.where(odd, one**2 - other**2, 1.0)
    return np.asarray(np.where(odd, 2 * one / (math.pi * gap), 0.0))
