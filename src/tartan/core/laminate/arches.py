"""Shallow arches under a load towards their centre: the exact path, where it turns and forks.

H. L. Schreyer, E. F. Masur, J. Engineering Mechanics Division 92 (1966), 1-19. Loads are per width
and keep their direction; shear across the thickness is neglected.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from tartan.core.errors import StackError
from tartan.core.laminate.strips import GAUSS_NODES, GAUSS_WEIGHTS, Strip

Array = NDArray[np.float64]

WHERE = "Arch"


@dataclass(frozen=True)
class Arch:
    """A shallow arch.

    Attributes
    ----------
    strip : Strip
        Its span and stiffness; of a symmetric stack.
    radius : float
        Of its arc [m].
    clamped : bool
        Whether its ends are held from turning.
    force : bool
        Whether the load is a force in the middle [N/m], in place of a pressure [Pa]; towards the
        centre of the arc.
    """

    strip: Strip
    radius: float
    clamped: bool = False
    force: bool = False

    def __post_init__(self) -> None:
        if not (math.isfinite(self.radius) and self.radius > self.strip.length / 2):
            raise StackError(
                "The arch has no radius greater than half its span.", WHERE, "Enter it."
            )

    @property
    def rise(self) -> float:
        """Height of its middle over its ends [m]."""
        return self.strip.length**2 / (8 * self.radius)


@dataclass(frozen=True)
class ArchPath:
    """The symmetric path of an arch from no load.

    Attributes
    ----------
    limit, limit_deflection : float or None
        First maximum of the load and the deflection of the middle there; None where it grows
        throughout.
    bifurcation, bifurcation_deflection : float or None
        First load at which the arch can also give way to a side.
    bifurcation_first : bool
        Whether the path comes to it before the limit.
    """

    limit: float | None
    limit_deflection: float | None
    bifurcation: float | None
    bifurcation_deflection: float | None
    bifurcation_first: bool


_LEAST = 1e-5
"""λ a at which the path is taken to begin: the thrust is next to nothing then."""

SERIES = 0.05
"""(λ a)² up to which eight terms of a series are exact."""

_DIP = 1e-7
"""Share by which the load falls at least after a maximum."""

_SAMPLES = 1500


class _Symmetric:
    """States of an arch by λ² = thrust / D, two for each."""

    def __init__(self, arch: Arch) -> None:
        self.arch = arch
        a = arch.strip.length / 2
        self.a = a
        self.x, self.weight = (GAUSS_NODES + 1) * a / 2, GAUSS_WEIGHTS * a / 2
        self.end = self._end()

    def shapes(self, square: float) -> tuple[Array, Array, tuple[float, float]]:
        """Slopes of the part that is fixed and of the one that may grow; load of both."""
        a, x, arch = self.a, self.x, self.arch
        root = np.sqrt(complex(square))
        thrust = square * arch.strip.D
        c, s = np.cos(root * a), np.sin(root * a)
        sine = np.sin(root * x)
        if not arch.force:
            load = s / root if arch.clamped else c
            grow = self._growing(square, (x * s - a * sine) / root, x * c - sine / root)
            return (
                np.zeros_like(x),
                grow,
                (thrust / arch.radius, arch.strip.D * float(load.real)),
            )
        # w' = -x/R + C2 sin λx / λ + C3 (1 - cos λx) / λ², C3 = load / 2D.
        first, second = sine / root, 2 * np.sin(root * x / 2) ** 2 / square
        lift = 2 * np.sin(root * a / 2) ** 2 / square
        one, other = (s / root, lift) if arch.clamped else (c, s / root)
        right = (a if arch.clamped else 1.0) / arch.radius
        one, other = float(one.real), float(other.real)
        long = one**2 + (other / a) ** 2
        fixed = right * one / long, right * other / a**2 / long
        way = -other / a, one
        base = -x / arch.radius + fixed[0] * first.real + fixed[1] * second.real
        grow = way[0] * first.real + way[1] / a * second.real
        D2 = 2 * arch.strip.D
        return base, np.asarray(grow), (D2 * fixed[1], D2 * way[1] / a)

    def _growing(self, square: float, clamped: Array, pinned_: Array) -> Array:
        """Slopes of the shape that may grow, by λ²; by their series where they all but vanish."""
        a, x = self.a, self.x
        if abs(square) * a * a > SERIES:
            whole = clamped if self.arch.clamped else pinned_
            return np.asarray(whole.real / square)
        found = np.zeros_like(x)
        for k in range(1, 9):
            size = (-1) ** k * square ** (k - 1)
            odd = math.factorial(2 * k + 1)
            if self.arch.clamped:
                found += size * x * a * (a ** (2 * k) - x ** (2 * k)) / odd
            else:
                found += size * x * (a ** (2 * k) * (2 * k + 1) - x ** (2 * k)) / odd
        return found

    def roots(self, square: float) -> tuple[float, float, float]:
        """Discriminant by its size, and half sum and half gap of the two states."""
        base, grow, _ = self.shapes(square)
        a, arch = self.a, self.arch
        strip = arch.strip
        # ∫ w over half the span is -∫ x w', and ∫ e is what the thrust takes.
        w = self.weight
        lift = self.x / arch.radius
        c2 = float(grow**2 @ w) / 2
        c1 = float((base * grow + lift * grow) @ w)
        c0 = float((base**2 / 2 + lift * base) @ w) + square * strip.D * a / strip.A
        inside = c1 * c1 - 4 * c2 * c0
        return (
            inside / max(c1 * c1 + abs(4 * c2 * c0), 1e-300),
            -c1 / (2 * c2),
            inside / (4 * c2**2),
        )

    def state(self, square: float, sign: float) -> tuple[float, float]:
        """Load and deflection of the middle of one of the two states."""
        _, middle, gap = self.roots(square)
        base, grow, load = self.shapes(square)
        t = middle + sign * math.sqrt(max(gap, 0.0))
        deflection = -float((base + t * grow) @ self.weight)
        return load[0] + t * load[1], deflection

    def _end(self) -> float:
        """λ a up to which the path goes before it turns."""
        last, step = _LEAST, 0.01
        while last < 60:
            new = last + step
            if self.roots((new / self.a) ** 2)[0] < 0:
                return float(
                    scipy.optimize.brentq(
                        lambda v: self.roots((v / self.a) ** 2)[0], last, new, xtol=1e-14
                    )
                )
            last = new
        return last


class _Path:
    """The path by one number: thrust grows and falls to π, then the arch is in tension."""

    def __init__(self, arch: Arch) -> None:
        self.states = _Symmetric(arch)
        square = (_LEAST / self.states.a) ** 2
        far = [abs(self.states.state(square, s)[1]) for s in (1.0, -1.0)]
        self.first = 1.0 if far[0] < far[1] else -1.0

    def at(self, s: float) -> tuple[float, float]:
        """Load and deflection at a place of the path, from 0."""
        a, end = self.states.a, self.states.end
        if s <= math.pi:
            size = max(end * math.sin(s), _LEAST)
            sign = self.first if s <= math.pi / 2 else -self.first
            return self.states.state((size / a) ** 2, sign)
        size = max(end * math.sinh(s - math.pi), _LEAST)
        return self.states.state(-((size / a) ** 2), -self.first)


def arch_path(arch: Arch) -> ArchPath:
    """Limit and bifurcation of an arch's symmetric path."""
    path = _Path(arch)
    s = np.linspace(2e-3, math.pi - 2e-3, _SAMPLES)
    load = np.array([path.at(float(v))[0] for v in s])
    tops = np.flatnonzero((load[1:-1] > load[:-2]) & (load[1:-1] >= load[2:])) + 1
    peak = next((int(k) for k in tops if load[k:].min() < load[k] * (1 - _DIP)), None)
    limit = deflection = place = None
    if peak is not None:
        place = _top(lambda v: path.at(v)[0], float(s[peak - 1]), float(s[peak + 1]))
        limit, deflection = path.at(place)
    side = _tangent() if arch.clamped else math.pi
    meets = side <= path.states.end
    if not meets:
        return ArchPath(limit, deflection, None, None, False)
    at = math.asin(side / path.states.end)
    load_there, deflection_there = path.at(at)
    first = place is None or at < place
    return ArchPath(limit, deflection, load_there, deflection_there, first)


def _tangent() -> float:
    """The first positive root of tan x = x."""
    return float(
        scipy.optimize.brentq(lambda x: math.sin(x) - x * math.cos(x), 4.0, 4.6, xtol=1e-14)
    )


def _top(value: Callable[[float], float], low: float, high: float) -> float:
    """Where a smooth value is greatest, by its derivative."""
    step = (high - low) * 0.05

    def rise(v: float) -> float:
        near = value(v + step) - value(v - step)
        far = value(v + 2 * step) - value(v - 2 * step)
        return 8 * near - far

    inner_low, inner_high = low + 0.1 * (high - low), high - 0.1 * (high - low)
    if rise(inner_low) * rise(inner_high) > 0:
        return (low + high) / 2
    return float(scipy.optimize.brentq(rise, inner_low, inner_high, xtol=1e-14))


def arch_loads(arch: Arch, deflections: Sequence[float]) -> list[float | None]:
    """Load at which the path first has each deflection of the middle; None where it never has."""
    path = _Path(arch)
    s = np.concatenate([np.linspace(1e-6, math.pi, _SAMPLES), math.pi + np.linspace(1e-6, 3, 600)])
    w = np.array([path.at(float(v))[1] for v in s])
    found: list[float | None] = []
    for wanted in deflections:
        if wanted == 0:
            found.append(0.0)
            continue
        over = np.flatnonzero((w[:-1] - wanted) * (w[1:] - wanted) <= 0)
        if not len(over):
            found.append(None)
            continue
        k = int(over[0])
        place = scipy.optimize.brentq(
            lambda v, x=wanted: path.at(v)[1] - x, float(s[k]), float(s[k + 1]), xtol=1e-15
        )
        found.append(path.at(float(place))[0])
    return found
