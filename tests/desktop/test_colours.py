"""Contrast of all text in both appearances, and colours for three deficiencies of sight."""

from __future__ import annotations

import numpy as np
import pytest

from tartan.desktop import theme
from tartan.exchange.maps import colours

TEXT = ("ink", "soft", "accent", "holds", "fails", "stale")
GROUNDS = ("paper", "panel", "well")

SEEN = {
    "as usual": np.eye(3),
    "without red": [
        [0.152286, 1.052583, -0.204868],
        [0.114503, 0.786281, 0.099216],
        [-0.003882, -0.048116, 1.051998],
    ],
    "without green": [
        [0.367322, 0.860646, -0.227968],
        [0.280085, 0.672501, 0.047413],
        [-0.011820, 0.042940, 0.968881],
    ],
    "without blue": [
        [1.255528, -0.076749, -0.178779],
        [-0.078411, 0.930809, 0.147602],
        [0.004733, 0.691367, 0.303900],
    ],
}
"""Linear sRGB as it is seen (G. M. Machado, M. M. Oliveira, L. A. F. Fernandes, IEEE Trans. Vis.
Comput. Graph. 15 (2009) 1291-1298, full severity)."""

_CONES = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ]
)
_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)


def linear(colour: str | np.ndarray) -> np.ndarray:
    """Linear sRGB of #rrggbb or of bytes (IEC 61966-2-1)."""
    given = [int(colour[i : i + 2], 16) for i in (1, 3, 5)] if isinstance(colour, str) else colour
    v = np.asarray(given) / 255
    return np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4)


def contrast(one: str, other: str) -> float:
    """Contrast of two colours (WCAG 2.2)."""
    light = sorted(float(linear(c) @ [0.2126, 0.7152, 0.0722]) for c in (one, other))
    return (light[1] + 0.05) / (light[0] + 0.05)


def apart(one: str | np.ndarray, other: str | np.ndarray, seen: object) -> float:
    """How far two colours lie apart in OKLab; about 0.02 is just seen."""
    both = [np.clip(linear(c) @ np.array(seen).T, 0, 1) for c in (one, other)]
    a, b = (np.cbrt(x @ _CONES.T) @ _LAB.T for x in both)
    return float(np.linalg.norm(a - b))


def test_the_measure_is_that_of_black_on_white() -> None:
    assert contrast("#000000", "#ffffff") == pytest.approx(21.0)
    assert contrast("#777777", "#ffffff") == pytest.approx(4.48, abs=0.01)


@pytest.mark.parametrize("face", [theme.LIGHT, theme.DARK], ids=["light", "dark"])
@pytest.mark.parametrize("text", TEXT)
def test_text_stands_out_from_every_ground(face: theme.Face, text: str) -> None:
    grounds = [*GROUNDS, "accent_wash"] if text in ("ink", "soft", "accent") else GROUNDS
    for ground in grounds:
        assert contrast(getattr(face, text), getattr(face, ground)) >= 4.5, ground
    assert contrast(face.ink, face.fails_wash) >= 4.5


@pytest.mark.parametrize("sight", SEEN)
def test_what_holds_is_told_from_what_fails_by_anyone(sight: str) -> None:
    seen = SEEN[sight]
    ramp = colours.reserve_map(np.array([0.3, 0.6, 0.999, 1.0, 1.7, 3.0]), 1.0)
    for below in ramp[:3]:
        for above in ramp[3:]:
            assert apart(below, above, seen) > 0.05
    change = colours.change_map(np.array([-0.6, 0.6]))
    assert apart(*change, seen) > 0.05
    signed = colours.signed_map(np.array([-0.6, 0.6]))
    assert apart(*signed, seen) > 0.05
    for face in (theme.LIGHT, theme.DARK):
        assert apart(face.holds, face.fails, seen) > 0.05


@pytest.mark.parametrize("sight", SEEN)
def test_directions_of_plies_are_told_apart_by_anyone(sight: str) -> None:
    """They carry their angle in figures too; the colour is the quick way."""
    angles = (0, 45, 90, -45)
    for i, one in enumerate(angles):
        for other in angles[i + 1 :]:
            pair = colours.ply_solid(one), colours.ply_solid(other)
            assert apart(*pair, SEEN[sight]) > 0.025, (one, other)
