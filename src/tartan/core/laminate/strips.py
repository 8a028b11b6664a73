"""Strips in cylindrical bending with deflections that are not small: exact solutions.

A cantilever as the elastica (K. E. Bisshopp, D. C. Drucker, Quarterly of Applied Mathematics 3
(1945), 272-275); a strip between hinges that do not move, whose stack need not be symmetric, by
von Kármán (C. T. Sun, H. Chin, AIAA Journal 26 (1988), 91-98). Loads are per width and keep their
direction; shear across the thickness is neglected.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from tartan.core.errors import StackError

Array = NDArray[np.float64]

WHERE = "Strip"

GAUSS_NODES, GAUSS_WEIGHTS = np.polynomial.legendre.leggauss(240)


@dataclass(frozen=True)
class Strip:
    """Length [m] and stiffness per width: A [N/m], B [N] and D [N·m] along x."""

    length: float
    A: float
    D: float
    B: float = 0.0

    def __post_init__(self) -> None:
        good = min(self.length, self.A, self.D) > 0 and self.A * self.D > self.B**2
        if not (good and all(map(math.isfinite, (self.length, self.A, self.B, self.D)))):
            raise StackError("The strip has no length or stiffness.", WHERE, "Enter them.")

    @property
    def left(self) -> float:
        """Bending stiffness where the strip is free to stretch, D - B²/A [N·m]."""
        return self.D - self.B**2 / self.A


@dataclass(frozen=True)
class Tip:
    """Of a cantilever: deflection towards the load, shortening [m], rotation [rad], moment [N]."""

    deflection: float
    shortening: float
    rotation: float
    moment: float


def cantilever_force(strip: Strip, force: float) -> Tip:
    """A force at the tip, at right angles to the strip as it was [N/m]."""
    size = abs(force)
    if size == 0:
        return Tip(0.0, 0.0, 0.0, 0.0)
    wanted = strip.length * math.sqrt(size / strip.D)

    def parts(z: float) -> tuple[float, float, float]:
        """∫ ds, ∫ sin θ ds and ∫ (1 - cos θ) ds, all by one scale, at sin θ = 1/(1 + e⁻ᶻ) there.

        In the amplitude's place stands t, tan ψ = √(rest/2) sinh t, in which nothing peaks.
        """
        top, rest = _logistic(z)
        end = math.asinh(math.sqrt(2 * top / rest))
        u = (GAUSS_NODES + 1) * end / 2
        tangent = rest / 2 * np.sinh(u) ** 2
        sine = top - (1 + top) * tangent / (1 + tangent)
        weight = GAUSS_WEIGHTS * end / 2 / np.sqrt(1 + tangent)
        short = sine**2 / (1 + np.sqrt(np.maximum(1 - sine**2, 0.0)))
        return float(weight.sum()), float(sine @ weight), float(short @ weight)

    z = float(scipy.optimize.brentq(lambda v: parts(v)[0] - wanted, -80.0, 70.0, xtol=1e-13))
    top, rest = _logistic(z)
    _, across, short = parts(z)
    scale = strip.length / wanted
    return Tip(
        scale * across,
        scale * short,
        math.atan2(top, math.sqrt(rest * (1 + top))),
        size * scale * math.sqrt(2 * top),
    )


def _logistic(z: float) -> tuple[float, float]:
    return 1 / (1 + math.exp(-z)), 1 / (1 + math.exp(z))


def cantilever_moment(strip: Strip, moment: float) -> Tip:
    """A moment at the tip [N]: the strip becomes an arc."""
    size = abs(moment)
    turn = size * strip.length / strip.D
    if turn == 0:
        return Tip(0.0, 0.0, 0.0, 0.0)
    half = math.sin(turn / 2) / (turn / 2)
    return Tip(
        strip.length * half * math.sin(turn / 2),
        strip.length - strip.length * half * math.cos(turn / 2),
        turn,
        size,
    )


@dataclass(frozen=True)
class Pinned:
    """Between hinges: deflection of the middle [m], tension [N/m], moment there [N], end slope."""

    deflection: float
    tension: float
    moment: float
    slope: float


def pinned(strip: Strip, pressure: float) -> Pinned:
    """A strip between hinges that do not move, under pressure along +z [Pa].

    The branch is followed from no load.

    Raises
    ------
    StackError
        Where it cannot be followed.
    """
    state, done, step = 0.0, 0.0, 0.02
    slope = 0.0
    while done < 1.0:
        size = min(step, 1.0 - done)
        found = _newton(strip, pressure * (done + size), state + slope * size)
        if found is None:
            step /= 4
            if step < 1e-9:
                raise StackError(
                    "The strip snaps before it has this pressure.", WHERE, "Give it less."
                )
            continue
        slope = (found - state) / size
        state, done = found, done + size
        step = min(step * 1.6, 0.1)
    a = strip.length / 2
    x, weight = (GAUSS_NODES + 1) * a / 2, GAUSS_WEIGHTS * a / 2
    turn = _turn(strip, pressure, state, x)
    bend = _bend(strip, pressure, state)
    end = float(_turn(strip, pressure, state, np.array([a]))[0])
    return Pinned(
        -float(turn @ weight),
        state,
        strip.B * state / strip.A - strip.left * bend,
        -end,
    )


def _newton(strip: Strip, pressure: float, guess: float) -> float | None:
    """The tension at which the ends stay where they are, near a guess; None where it is lost."""
    scale = strip.left / strip.length**2
    now = guess
    for _ in range(40):
        size = 1e-6 * max(abs(now), scale)
        miss = _gap(strip, pressure, now)
        rise = (_gap(strip, pressure, now + size) - _gap(strip, pressure, now - size)) / (2 * size)
        if not rise or not math.isfinite(miss):
            return None
        way = -miss / rise
        if abs(way) > 0.3 * max(abs(guess), scale):
            return None
        now += way
        if abs(way) < 1e-12 * max(abs(now), scale):
            return now
    return None


def _gap(strip: Strip, pressure: float, tension: float) -> float:
    """By how much the ends would draw together, by length."""
    a = strip.length / 2
    x, weight = (GAUSS_NODES + 1) * a / 2, GAUSS_WEIGHTS * a / 2
    turn = _turn(strip, pressure, tension, x)
    end = float(_turn(strip, pressure, tension, np.array([a]))[0])
    stretch = tension * a / strip.A + strip.B / strip.A * end - float(turn**2 @ weight) / 2
    return stretch / a


def _turn(strip: Strip, pressure: float, tension: float, x: Array) -> Array:
    """Slope of the deflection at distances from the middle."""
    a, D = strip.length / 2, strip.left
    square = tension / D
    edge = strip.B * tension / (strip.A * D)
    if abs(square) * a * a < 1e-4:
        y = square
        part = x * (1 + y * x**2 / 6 + y**2 * x**4 / 120)
        part = part * (1 - y * a**2 / 2 + 5 * y**2 * a**4 / 24)
        rest = x * (
            x**2 / 6
            - a**2 / 2
            + y * (x**4 / 120 - a**2 * x**2 / 12 + 5 * a**4 / 24)
            + y**2 * (x**6 / 5040 - a**2 * x**4 / 240 + 5 * a**4 * x**2 / 144 - 61 * a**6 / 720)
        )
        return np.asarray(edge * part + pressure / D * rest)
    root = np.sqrt(complex(square))
    part = (np.exp(root * (x - a)) - np.exp(-root * (x + a))) / (1 + np.exp(-2 * root * a)) / root
    return np.asarray(edge * part.real + pressure / D * (part.real - x) / square)


def _bend(strip: Strip, pressure: float, tension: float) -> float:
    """Second derivative of the deflection in the middle [1/m]."""
    a, D = strip.length / 2, strip.left
    square = tension / D
    edge = strip.B * tension / (strip.A * D)
    if abs(square) * a * a < 1e-4:
        y = square * a * a
        one = 1 - y / 2 + 5 * y**2 / 24
        return edge * one + pressure / D * a * a * (-1 / 2 + 5 * y / 24 - 61 * y**2 / 720)
    root = np.sqrt(complex(square))
    one = float((2 * np.exp(-root * a) / (1 + np.exp(-2 * root * a))).real)
    return edge * one + pressure / D * (one - 1) / square
