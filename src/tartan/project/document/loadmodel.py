"""Records of supports, loads, load cases and combinations: scalars and tuples, SI units."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Vector = tuple[float, float, float]

WHOLE = ""
"""Name of the region that is the whole part."""


@dataclass(frozen=True)
class Support:
    """A support.

    Attributes
    ----------
    place : str
        An edge, corner, face or region, or "point".
    kind : str
        A key of the core's support kinds.
    at : tuple of float
        The point [m].
    local : bool
        Whether the axes are the reference direction, across it, and the normal.
    also : tuple of str
        Further places that are held alike.
    """

    place: str
    kind: str
    at: Vector = (0.0, 0.0, 0.0)
    local: bool = False
    also: tuple[str, ...] = ()


@dataclass(frozen=True)
class SupportSet:
    """Supports under a name of their own, for cases in which the part stands otherwise."""

    name: str
    supports: tuple[Support, ...] = ()


Side = Literal["front", "back", "laying"]
"""A side of the surface as it came, whose normals look to the front; or the laying side, which
may be turned."""


@dataclass(frozen=True)
class Pressure:
    """Uniform pressure on a side; positive presses on it, negative sucks [Pa].

    Like every load it grows with the factor on its case, or is held.
    """

    value: float
    region: str = WHOLE
    side: Side = "front"
    held: bool = False
    kind: Literal["pressure"] = "pressure"
    also: tuple[str, ...] = ()


@dataclass(frozen=True)
class MappedPressure:
    """Pressure of a table of points, times a factor; positive presses on the side."""

    table: str
    factor: float = 1.0
    region: str = WHOLE
    side: Side = "front"
    held: bool = False
    kind: Literal["pressure table"] = "pressure table"
    also: tuple[str, ...] = ()


@dataclass(frozen=True)
class EdgeForce:
    """Force per length along an edge [N/m]."""

    edge: str
    force: Vector
    held: bool = False
    kind: Literal["edge force"] = "edge force"
    also: tuple[str, ...] = ()


@dataclass(frozen=True)
class Force:
    """Total force [N] and moment [N·m] on a region, edge or point, spread over `reach` [m]."""

    place: str
    force: Vector = (0.0, 0.0, 0.0)
    moment: Vector = (0.0, 0.0, 0.0)
    at: Vector = (0.0, 0.0, 0.0)
    reach: float = 0.0
    held: bool = False
    kind: Literal["force"] = "force"
    also: tuple[str, ...] = ()


@dataclass(frozen=True)
class Acceleration:
    """Mass times acceleration; (0, 0, -9.81) is own weight [m/s²]."""

    vector: Vector
    held: bool = False
    kind: Literal["acceleration"] = "acceleration"


@dataclass(frozen=True)
class Temperature:
    """Change from the stress-free state at mid-thickness [K], and its growth towards a side [K/m].

    It is held unless asked otherwise: reserve factors and buckling scale the other loads.
    """

    dT: float
    gradient: float = 0.0
    side: Side = "front"
    held: bool = True
    kind: Literal["temperature"] = "temperature"


@dataclass(frozen=True)
class Movement:
    """Movement of what a support holds [m].

    Attributes
    ----------
    place : str
        An edge, corner, face or region, or "point".
    move : tuple of float
        Along x, y, z; a component that is zero moves nothing.
    at : tuple of float
        The point [m].
    local : bool
        Whether the axes are the reference direction, across it, and the normal.
    held : bool
        Whether it stays while the case is scaled.
    """

    place: str
    move: Vector = (0.0, 0.0, 0.0)
    at: Vector = (0.0, 0.0, 0.0)
    local: bool = False
    held: bool = False
    kind: Literal["movement"] = "movement"
    also: tuple[str, ...] = ()


def places_of(one: Support | Load) -> tuple[str, ...]:
    """Places, edges or regions that a support or load names; empty for one without a place."""
    first = next((getattr(one, k) for k in PLACE_FIELDS if hasattr(one, k)), None)
    return () if first is None else (first, *getattr(one, "also", ()))


PLACE_FIELDS = ("place", "edge", "region")
"""The field in which a support or load names its first place, whichever it has."""

Load = Pressure | MappedPressure | EdgeForce | Force | Acceleration | Temperature | Movement


@dataclass(frozen=True)
class PressureTable:
    """Pressure known at points: rows of x, y, z [m] and p [Pa]."""

    name: str
    rows: tuple[tuple[float, float, float, float], ...]


@dataclass(frozen=True)
class Case:
    """A load case, on the supports of a set; the project's own where none is named."""

    name: str
    loads: tuple[Load, ...] = ()
    supports: str = ""


@dataclass(frozen=True)
class Combination:
    """Cases added with factors; what is held of them stays while the rest is scaled.

    Attributes
    ----------
    name : str
        Its name.
    factors : tuple of (str, float)
        Cases with their factors.
    held : tuple of str
        Cases that are held with all their loads.
    """

    name: str
    factors: tuple[tuple[str, float], ...] = ()
    held: tuple[str, ...] = ()
