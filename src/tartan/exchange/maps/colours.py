"""Colour codes with a meaning: ply direction, reserve factor, stress.

Made in OKLab, whose equal steps look equal (B. Ottosson, 2020).
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Bytes = NDArray[np.uint8]

_FROM_LAB = np.array(
    [
        [1, 0.3963377774, 0.2158037573],
        [1, -0.1055613458, -0.0638541728],
        [1, -0.0894841775, -1.2914855480],
    ]
)
_TO_RGB = np.array(
    [
        [4.0767416621, -3.3077115913, 0.2309699292],
        [-1.2684380046, 2.6097574011, -0.3413193965],
        [-0.0041960863, -0.7034186147, 1.7076147010],
    ]
)


def oklab_to_srgb(lab: Array) -> Bytes:
    """OKLab to sRGB bytes.

    Parameters
    ----------
    lab : ndarray, shape (..., 3)
        L, a, b.

    Returns
    -------
    ndarray of uint8, shape (..., 3)
        Clipped to the gamut.
    """
    linear = (lab @ _FROM_LAB.T) ** 3 @ _TO_RGB.T
    linear = np.clip(linear, 0, 1)
    curved = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055)
    made: Bytes = np.rint(curved * 255).astype(np.uint8)
    return made


def _lch(lightness: float, chroma: float, hue: float) -> Array:
    h = math.radians(hue)
    return np.array([lightness, chroma * math.cos(h), chroma * math.sin(h)])


def _hex(lab: Array) -> str:
    r, g, b = oklab_to_srgb(lab)
    return f"#{r:02x}{g:02x}{b:02x}"


def _hue(angle: float) -> float:
    """Hue of a ply direction: period 180°, 0° blue, 45° heather, 90° ochre, −45° green."""
    return 250.0 + 2.0 * angle


@lru_cache(maxsize=512)
def ply_solid(angle: float) -> str:
    """Solid colour of a ply direction, as #rrggbb."""
    return _hex(_lch(0.70, 0.105, _hue(angle)))


@lru_cache(maxsize=512)
def ply_band(angle: float, *, dark: bool = False) -> str:
    """Ground of a ply's band."""
    return _hex(_lch(0.34, 0.045, _hue(angle)) if dark else _lch(0.93, 0.035, _hue(angle)))


@lru_cache(maxsize=512)
def ply_stroke(angle: float) -> str:
    """Fibre strokes in a ply's band."""
    return _hex(_lch(0.62, 0.105, _hue(angle)))


CORE_SOLID, CORE_BAND, CORE_BAND_DARK = "#cfc4ae", "#ece4d6", "#4a453c"
ISO_SOLID, ISO_BAND, ISO_BAND_DARK = "#9aa5ad", "#e4e8ea", "#3b4248"

_PALE = _lch(0.93, 0.012, 80)
_TEAL = _lch(0.53, 0.085, 190)
_EMBER = _lch(0.58, 0.165, 43)
_NIGHT = _lch(0.36, 0.12, 320)
_MIST = _lch(0.95, 0.015, 320)
_COOL = _lch(0.52, 0.11, 245)
_WARM = _lch(0.60, 0.12, 75)


def _blend(share: Array, low: Array, high: Array) -> Array:
    return np.asarray(low + share[..., None] * (high - low))


RESERVE_SPAN = 3.0
"""The reserve map ends at the required value times and over this."""


def reserve_map(reserve: Array, required: float, span: float = RESERVE_SPAN) -> Bytes:
    """Colours of reserve factors: palest at the requirement, teal above, ember below.

    Parameters
    ----------
    reserve : ndarray, shape (...)
        Reserve factors, infinity allowed.
    required : float
        Least one asked for.
    span : float
        The colours end at the requirement times and over this; greater than one.

    Returns
    -------
    ndarray of uint8, shape (..., 3)
        Logarithmic in the reserve factor, with a step at the requirement so that holding and
        failing differ at a glance.
    """
    with np.errstate(divide="ignore"):
        t = np.log(np.maximum(reserve, 1e-9) / required) / np.log(span)
    t = np.clip(t, -1, 1)
    above = _blend(0.12 + 0.88 * np.clip(t, 0, 1), _PALE, _TEAL)
    below = _blend(0.30 + 0.70 * np.clip(-t, 0, 1), _PALE, _EMBER)
    return oklab_to_srgb(np.where((t >= 0)[..., None], above, below))


def size_map(share: Array) -> Bytes:
    """Colours of a magnitude, share 0 to 1, pale to deep."""
    return oklab_to_srgb(_blend(np.clip(share, 0, 1), _MIST, _NIGHT))


def signed_map(share: Array) -> Bytes:
    """Colours of a signed value, share -1 to 1: cool below zero, warm above."""
    t = np.clip(share, -1, 1)
    low = _blend(np.clip(-t, 0, 1), _PALE, _COOL)
    high = _blend(np.clip(t, 0, 1), _PALE, _WARM)
    return oklab_to_srgb(np.where((t < 0)[..., None], low, high))


def change_map(share: Array) -> Bytes:
    """Colours of a change, share -1 to 1: ember is worse, teal is better, palest is none."""
    t = np.clip(share, -1, 1)
    worse, better = (_blend(np.clip(s * t, 0, 1), _PALE, c) for s, c in ((-1, _EMBER), (1, _TEAL)))
    return oklab_to_srgb(np.where((t < 0)[..., None], worse, better))


def bare(*, dark: bool = False) -> Bytes:
    """Colour of elements that a map does not cover: plain stone, as bytes."""
    return np.array([87, 83, 74] if dark else [227, 220, 204], np.uint8)


def category_colours(count: int) -> Bytes:
    """Colours of categories, shape (count, 3): hues far apart, three lightnesses in turn."""
    table = np.array(
        [_lch((0.62, 0.74, 0.52)[k % 3], 0.10, 305.0 + 137.5 * k) for k in range(max(count, 1))]
    )
    return oklab_to_srgb(table)


def zone_map(zone: NDArray[np.int64], count: int, *, dark: bool = False) -> Bytes:
    """Colours of zones, numbered from 0: hues a golden angle apart at one lightness."""
    light, chroma = (0.5, 0.07) if dark else (0.84, 0.065)
    table = np.array(
        [_lch(light - 0.05 * (k % 3), chroma, 75.0 + 137.5 * k) for k in range(max(count, 1))]
    )
    return oklab_to_srgb(table[np.asarray(zone, int)])
