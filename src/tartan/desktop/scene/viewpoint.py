"""Where a part is looked at from, and where it is cut; what needs no graphics."""

from __future__ import annotations

from dataclasses import dataclass

USUAL = (-0.42, -1.0, 0.82)

VIEWS: dict[str, tuple[float, float, float]] = {
    "usual": USUAL,
    "from +x": (1.0, 0.0, 0.0),
    "from −x": (-1.0, 0.0, 0.0),
    "from +y": (0.0, 1.0, 0.0),
    "from −y": (0.0, -1.0, 0.0),
    "from +z": (0.0, 0.0, 1.0),
    "from −z": (0.0, 0.0, -1.0),
    "from the other side": (0.42, 1.0, -0.82),
}
"""Where the viewer stands, as seen from the part."""


@dataclass(frozen=True)
class Cut:
    """A plane across an axis beyond which nothing is shown.

    Attributes
    ----------
    axis : int
        0 to 2 for x to z.
    share : float
        Where it stands between the part's least and greatest place along the axis, 0 to 1.
    upper : bool
        Whether what lies above it is shown, or what lies below.
    """

    axis: int
    share: float
    upper: bool = False


@dataclass(frozen=True)
class Viewpoint:
    """Where a camera stands, in the part's own measures [m]."""

    position: tuple[float, float, float]
    focus: tuple[float, float, float]
    up: tuple[float, float, float]
    scale: float
