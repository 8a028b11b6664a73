"""Unidirectional tape on a surface: fibres that do not stretch, keep their distance, and slip.

The first fibre is a geodesic, or follows a line. Tape neither laps nor gapes, so every further
fibre keeps its distance from the one before: they are the geodesic parallels of the first, and the
lines across them are geodesics. What is left to a curved surface is to slip along the fibres. Of
all nets of such fibres this one shears least along them: each fibre is slid to where its mean slip
against the one before is none.

Sources: A. J. M. Spencer, Deformations of Fibre-reinforced Materials, Oxford 1972 (fibres that do
not stretch in a sheet that keeps its area stay parallel, lines normal to them straight);
D. J. Struik, Lectures on Classical Differential Geometry, 2nd ed., 1961, ch. 4 (geodesic
parallels).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Mask = NDArray[np.bool_]


def folded(places: Array, normals: Array, start: tuple[int, int], least: float) -> Mask:
    """Joints beyond where neighbouring lines across the fibres meet, shape (p, q).

    Parameters
    ----------
    places, normals : ndarray, shape (p, q, 3)
        Joints by line and fibre [m], and the surface's normals there.
    start : tuple of int
        Numbers of the first fibre's start.
    least : float
        Distance of two lines along a fibre from which they have met [m].
    """
    step = places[1:] - places[:-1]
    across = np.gradient(places, axis=1)[:-1] if places.shape[1] > 1 else np.zeros_like(step)
    along = np.cross(across, normals[:-1])
    size = np.linalg.norm(along, axis=2)
    gap = np.einsum("pqi,pqi->pq", step, along) / np.where(size > 0, size, np.nan)
    met = np.nan_to_num(gap, nan=1.0) < least
    lost = np.zeros(places.shape[:2], bool)
    lost[:-1] |= met
    lost[1:] |= met
    # What lies farther out than a meeting point is over what lies there already.
    at = start[1]
    lost[:, at:] = np.logical_or.accumulate(lost[:, at:], axis=1)
    lost[:, : at + 1] = np.logical_or.accumulate(lost[:, at::-1], axis=1)[:, ::-1]
    lost[:, at] = False
    return lost


def slip_of(places: Array, normals: Array, beyond: Array, start: tuple[int, int]) -> Array:
    """Length along its fibre at which every joint lies, shape (p, q) [m]; NaN where none is.

    Parameters
    ----------
    places, normals : ndarray, shape (p, q, 3)
        Joints by line and fibre [m], and the surface's normals there.
    beyond : ndarray, shape (p, q)
        How far beyond the rim they lie: only what is on the surface counts in the mean [m].
    start : tuple of int
        Numbers of the start's joint.
    """
    step = places[1:] - places[:-1]
    chord = np.linalg.norm(step, axis=2)
    bend = np.einsum("pqi,pqi->pq", step, normals[1:] - normals[:-1])
    sine = np.clip(bend / np.where(chord > 0, chord, 1.0) / 2, -0.9, 0.9)
    turn = np.arcsin(sine)
    # The arc is longer than its chord by as much as the normals at its ends tell.
    length = chord * np.where(np.abs(sine) > 1e-9, turn / np.where(sine, sine, 1.0), 1.0)
    i, j = start
    found: Array = np.full(places.shape[:2], np.nan)
    there = np.isfinite(places[..., 0])
    found[i] = np.where(there[i], 0.0, np.nan)
    found[i + 1 :] = np.cumsum(length[i:], axis=0)
    found[:i] = -np.cumsum(length[:i][::-1], axis=0)[::-1]
    on = beyond <= 0
    slid = np.zeros(found.shape[1])
    for way in (1, -1):
        last = found.shape[1] - 1 if way > 0 else 0
        for k in range(j + way, last + way, way):
            slip = found[:, k] - found[:, k - way]
            counts = np.isfinite(slip) & on[:, k] & on[:, k - way]
            slid[k] = slid[k - way] - (slip[counts].mean() if counts.any() else 0.0)
    return found + slid


def slip_angle(along_fibre: Array, pitch: float) -> Array:
    """Angle by which fibres shear against each other, shape (p, q) [deg].

    Parameters
    ----------
    along_fibre : ndarray, shape (p, q)
        As `slip_of` gives it [m].
    pitch : float
        Distance of the fibres [m].
    """
    slip = np.full(along_fibre.shape, np.nan)
    slip[:, 1:-1] = (along_fibre[:, 2:] - along_fibre[:, :-2]) / 2
    # To one side at the rim.
    one = np.diff(along_fibre, axis=1)
    for side in (slip[:, :-1], slip[:, 1:]):
        lost = ~np.isfinite(side)
        side[lost] = one[lost]
    return np.asarray(np.degrees(np.arctan(slip / pitch)))
