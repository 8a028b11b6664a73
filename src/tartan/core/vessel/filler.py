"""Resin that fills where a wound layer ends: a fillet that is no steeper than a given slope.

Fibres do not follow a step. Resin gathers beside it until the top of layer and resin falls by no
more than one part in so many along the meridian: the least such top over the layer is

    top(s) = max over s' of  t(s') − |s − s'| / run-out,

taken outside of the ends of hoops, and from a helical layer's crest inwards to the opening.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def beside_hoops(
    s: Array, ends: tuple[Array, Array], pass_thickness: float, run_out: float
) -> Array:
    """Thickness of resin beside hoops.

    Parameters
    ----------
    s : ndarray, shape (q,)
        Length along the meridian [m].
    ends : tuple of ndarray, shape (k,)
        Where each pass begins and ends, from the innermost outwards [m].
    pass_thickness : float
        Of one pass [m].
    run_out : float
        Length of a fillet as a multiple of its height [1].

    Returns
    -------
    ndarray, shape (q,)
        In metres; nothing where the passes lie at their full height.
    """
    first, last = ends
    laid = np.zeros(s.shape)
    top = np.zeros(s.shape)
    for k, (a, b) in enumerate(zip(first, last, strict=True)):
        away = np.maximum(np.maximum(a - s, s - b), 0.0)
        laid += np.where((s >= a) & (s <= b), pass_thickness, 0.0)
        top = np.maximum(top, (k + 1) * pass_thickness - away / run_out)
    return np.asarray(np.maximum(top - laid, 0.0))


def inside_crest(arc: Array, thickness: Array, run_out: float) -> Array:
    """Top of a layer and its resin from its crest inwards.

    Parameters
    ----------
    arc, thickness : ndarray, shape (q,)
        Along the meridian, ascending, to the opening [m].
    run_out : float
        Length of a fillet as a multiple of its height [1].

    Returns
    -------
    ndarray, shape (q,)
        In metres; nothing up to the crest.
    """
    crest = int(thickness.argmax())
    top = np.zeros(thickness.shape)
    inner = thickness[crest:] + arc[crest:] / run_out
    top[crest:] = np.maximum.accumulate(inner) - arc[crest:] / run_out
    return top


def ring_volume(arc: Array, radius: Array, thickness: Array) -> float:
    """Volume of what lies around the axis, arrays of shape (q,) [m³]."""
    return float(2 * math.pi * np.trapezoid(radius * thickness, arc))
