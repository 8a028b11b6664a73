"""The path of a band on a vessel: its centre line, and the pattern in which circuits close.

A circuit of a helical layer runs up the cylinder, round the upper opening, down again and round
the lower one. On the way it gains an azimuth; circuits close evenly where as many as cover the
surface come to whole turns without meeting sooner. What is lacking is dwelt at the openings.

Source: S. T. Peters (ed.), Composite Filament Winding (ASM International, 2011), ch. 4.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.vessel.meridian import Dome
from tartan.core.vessel.plan import Hoop, Mandrel, check_hoop, wound
from tartan.core.vessel.winding import Helical, WoundDome

Array = NDArray[np.float64]

ON_DOME, ON_CYLINDER = 90, 40
"""Points of a path from the equator to its turn, and along the cylinder."""

PER_TURN, MOST_TURNS = 72, 10_000
"""Points of a turn of hoops, and turns that are drawn at most."""


@dataclass(frozen=True)
class Pattern:
    """How the circuits of one pair of a helical layer close.

    Attributes
    ----------
    circuits : int
        That cover the surface.
    turns : int
        Whole turns that they come to.
    advance : float
        Azimuth that a circuit gains by itself [rad].
    dwell : float
        What it stays at both openings together, so that all close [rad].
    length : float
        Of a circuit without it [m].
    """

    circuits: int
    turns: int
    advance: float
    dwell: float
    length: float


def pattern_of(mandrel: Mandrel, layer: Helical) -> Pattern:
    """Pattern of a helical layer on the bare mandrel.

    Raises
    ------
    PartError
        Where the layer does not fit.
    """
    domes = [wound(dome, layer) for dome in mandrel.domes]
    R = mandrel.radius
    alpha = float(domes[0].angle(np.array(R)))
    advance = 2 * sum(d.turn_angle for d in domes) + 2 * mandrel.length * math.tan(alpha) / R
    length = 2 * sum(d.path_length for d in domes) + 2 * mandrel.length / math.cos(alpha)
    needed = 2 * math.pi * R * math.cos(alpha) * layer.coverage / layer.bandwidth
    circuits = max(1, math.ceil(needed * (1 - 1e-12)))
    turns = math.ceil(advance * circuits / (2 * math.pi) * (1 - 1e-12))
    while math.gcd(turns, circuits) != 1:
        turns += 1
    dwell = 2 * math.pi * turns / circuits - advance
    return Pattern(circuits, turns, advance, max(dwell, 0.0), length)


def tow_path(mandrel: Mandrel, layer: Helical, circuits: int = 1) -> Array:
    """Centre line of the band of a helical layer on the bare mandrel.

    Parameters
    ----------
    mandrel : Mandrel
        Its axis is z, its lower tangent line at z = 0.
    layer : Helical
        The layer.
    circuits : int
        How many follow each other, from the lower tangent line on.

    Returns
    -------
    ndarray, shape (q, 3)
        Points [m].

    Raises
    ------
    PartError
        Where the layer does not fit.
    """
    pattern = pattern_of(mandrel, layer)
    dwell = pattern.dwell / 2
    lower, upper = (_to_turn(wound(dome, layer)) for dome in mandrel.domes)
    L, R = mandrel.length, mandrel.radius
    gain = (pattern.advance - 2 * (lower[2][-1] + upper[2][-1])) / 2
    along = np.linspace(0.0, 1.0, ON_CYLINDER)
    up = (np.full(ON_CYLINDER, R), L * along, gain * along)
    down = (up[0], L * (1 - along), up[2])
    pieces = [up, *_round(upper, dwell, L, 1.0), down, *_round(lower, dwell, 0.0, -1.0)]
    r, z, turned = [], [], []
    now = 0.0
    for radius, height, gained in pieces:
        # Pieces meet: the first point of each is the last of the one before.
        r.append(radius[1:])
        z.append(height[1:])
        turned.append(now + gained[1:])
        now += float(gained[-1])
    r, z, turned = [pieces[0][0][:1], *r], [pieces[0][1][:1], *z], [np.zeros(1), *turned]
    once = np.concatenate(r), np.concatenate(z), np.concatenate(turned)
    return _places(
        *(_repeated(x, circuits, step) for x, step in zip(once, (0, 0, now), strict=True))
    )


def hoop_path(mandrel: Mandrel, layer: Hoop, bandwidth: float) -> Array:
    """Centre line of the band of hoops, pass after pass, to and fro; shape (q, 3) [m].

    Raises
    ------
    PartError
        Where the layer does not fit, or the band [m] is too narrow for its path to be drawn.
    """
    check_hoop(layer, mandrel.length)
    covered = mandrel.length - layer.start - layer.end
    if not covered * layer.passes < MOST_TURNS * bandwidth:
        raise PartError(
            f"A band {bandwidth:g} m wide goes round more than {MOST_TURNS:,} times.",
            "Winding, path",
            "Draw the path of a wider band.",
        )
    z: list[Array] = []
    for k in range(layer.passes):
        back = layer.step_back * k
        low, high = layer.start + back, mandrel.length - layer.end - back
        half = min(bandwidth, high - low) / 2
        turns = max((high - low - 2 * half) / bandwidth, 1.0)
        run = np.linspace(low + half, high - half, max(2, math.ceil(turns * PER_TURN)))
        z.append(run if k % 2 == 0 else run[::-1])
    height = np.concatenate(z)
    turned: Array = 2 * math.pi / PER_TURN * np.arange(len(height), dtype=np.float64)
    return _places(np.full(len(height), mandrel.radius), height, turned)


Piece = tuple[Array, Array, Array]


def _to_turn(made: WoundDome) -> Piece:
    """Radius, height over the tangent line and azimuth gained, from the equator to the turn."""
    dome, r0 = made.dome, made.turning_radius
    # Close at both ends: there the path runs on with little change of radius.
    share = np.linspace(0.0, 1.0, ON_DOME)
    r = _between(dome.R, r0, share)
    middle = _between(dome.R, r0, (share[1:] + share[:-1]) / 2)
    step = math.pi / 2 * (dome.R - r0) * np.sin(np.pi * (share[1:] + share[:-1]) / 2)
    step *= np.diff(share)
    c = made.clairaut(middle)
    rate = c * dome.slant(middle, r0) / (middle * np.sqrt(middle**2 - c**2))
    turned = np.concatenate([[0.0], np.cumsum(rate * step)])
    # The sum of so few pieces is a trace off; the whole is known.
    return r, _heights(dome, r0, r), turned * (made.turn_angle / turned[-1])


def _between(start: float, end: float, share: Array) -> Array:
    return end + (start - end) * (1 + np.cos(np.pi * share)) / 2


def _heights(dome: Dome, end: float, radii: Array) -> Array:
    """Height over the tangent line at radii down to an end [m]."""
    z = np.zeros(radii.shape)
    for piece in dome.pieces(end):
        within = (radii <= piece.start * (1 + 1e-12)) & (radii >= piece.end * (1 - 1e-12))
        if within.any():
            z[within] = piece.height(np.clip(piece.of_radius(radii[within]), 0.0, 1.0))
    return z


def _round(to_turn: Piece, dwell: float, start: float, way: float) -> list[Piece]:
    """Over a dome: to the turn, its dwell, and back."""
    r, z, turned = to_turn
    z = start + way * z
    arc = np.linspace(0.0, dwell, max(2, math.ceil(dwell * PER_TURN / math.pi)))
    stay = (np.full(len(arc), r[-1]), np.full(len(arc), z[-1]), arc)
    return [(r, z, turned), stay, (r[::-1], z[::-1], turned[-1] - turned[::-1])]


def _repeated(once: Array, circuits: int, step: float) -> Array:
    rest = [once[1:] + k * step for k in range(1, circuits)]
    return np.concatenate([once, *rest])


def _places(r: Array, z: Array, turned: Array) -> Array:
    return np.stack([r * np.cos(turned), r * np.sin(turned), z], axis=-1)
