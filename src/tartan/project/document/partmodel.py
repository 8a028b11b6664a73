"""Records of the part, its supports, loads and requirements: scalars and tuples, SI units."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from tartan.core.shell.mesher import Finer
from tartan.core.shell.shapes import Shape
from tartan.core.shell.zones import TOLERANCE
from tartan.core.stack import Ply
from tartan.project.document.layingmodel import Draped, Wound
from tartan.project.document.loadmodel import (
    WHOLE,
    Acceleration,
    Case,
    Combination,
    EdgeForce,
    Force,
    Load,
    MappedPressure,
    Movement,
    Pressure,
    PressureTable,
    Side,
    Support,
    SupportSet,
    Temperature,
    Vector,
)

__all__ = [
    "CORNERS",
    "POINT",
    "WHOLE",
    "Acceleration",
    "BucklingRequirement",
    "Case",
    "Combination",
    "Direction",
    "DisplacementRequirement",
    "Draped",
    "EdgeForce",
    "Force",
    "FrequencyRequirement",
    "LeftOut",
    "Level",
    "Load",
    "MappedPressure",
    "MassRequirement",
    "Movement",
    "Near",
    "OutsideForces",
    "Part",
    "Pressure",
    "PressureTable",
    "ReadSurface",
    "Region",
    "Requirement",
    "ReserveRequirement",
    "Rung",
    "Side",
    "Support",
    "SupportSet",
    "Surface",
    "Temperature",
    "Trim",
    "Vector",
    "Way",
    "Wound",
]

Level = Literal["bottom", "middle", "top"]

CORNERS = ("lower left corner", "lower right corner", "upper left corner", "upper right corner")
"""Corners of a panel, where supports can stand."""

POINT = "point"
"""Place of a support or load at a point."""


@dataclass(frozen=True)
class Trim:
    """A closed curve along which a surface is cut, projected on it.

    Attributes
    ----------
    points : tuple of tuple of float
        Of the curve, smooth between its corners; the first is not repeated [m].
    along : tuple of float
        Direction of the projection.
    keep : {"inside", "outside"}
        What is left.
    """

    points: tuple[Vector, ...]
    along: Vector = (0.0, 0.0, 1.0)
    keep: Literal["inside", "outside"] = "inside"


@dataclass(frozen=True)
class ReadSurface:
    """A surface read from a file, kept whole in the project.

    Attributes
    ----------
    file : str
        Name of the file it came from.
    mesh : str
        Its mesh, packed as text.
    geometry : str
        The STEP file it was meshed from, packed as text; empty for a mesh that was read.
    left_out : tuple of str
        Faces that were not meshed.
    trims : tuple of Trim
        Curves that cut it, one after the other.
    """

    file: str
    mesh: str
    geometry: str = ""
    left_out: tuple[str, ...] = ()
    trims: tuple[Trim, ...] = ()
    kind: Literal["read"] = "read"


Surface = Shape | ReadSurface


@dataclass(frozen=True)
class Near:
    """All within a distance of a named edge, or of a point when no edge is named [m]."""

    distance: float
    edge: str = ""
    at: Vector = (0.0, 0.0, 0.0)


@dataclass(frozen=True)
class Region:
    """A named set of elements: faces, what lies near, and picked elements, together.

    Attributes
    ----------
    name : str
        Its name.
    faces : tuple of str
        Faces of the surface.
    near : tuple of Near
        Rules of distance.
    elements : tuple of int
        Picked one by one, from 0; carried over when the mesh changes.
    grow : int
        Rings of elements added, or taken away where negative.
    """

    name: str
    faces: tuple[str, ...] = ()
    near: tuple[Near, ...] = ()
    elements: tuple[int, ...] = ()
    grow: int = 0


Way = Literal["vector", "edge", "around", "along"]


@dataclass(frozen=True)
class Direction:
    """Reference direction of a region: the 0° of its plies.

    Attributes
    ----------
    region : str
        Where; empty is the whole part. Later ones count where several meet.
    way : {"vector", "edge", "around", "along"}
        A vector projected on the surface, the run of a named edge, or around or along an axis.
    vector, origin : tuple of float
        The vector or the axis' way, and a point of the axis [m].
    edge : str
        The edge that is followed.
    """

    region: str = WHOLE
    way: Way = "vector"
    vector: Vector = (1.0, 0.0, 0.0)
    origin: Vector = (0.0, 0.0, 0.0)
    edge: str = ""


@dataclass(frozen=True)
class Rung:
    """A rung of the ladder: a single ply, or a whole stack, laid on a region.

    Attributes
    ----------
    region : str
        Where; empty is the whole part.
    stack : str
        Name of a stack of the project; empty where `ply` is laid.
    ply : Ply or None
        The single ply.
    turn : float
        Added to the angles of the stack [deg].
    active : bool
        Whether it is laid, or switched off for a try.
    wound : Wound or None
        How the ply is wound on a vessel, whose angle then follows from the opening.
    draped : Draped or None
        How its plies are draped, where they do not just lie as projected.
    name : str
        What it is called; may be empty.
    fibres : str
        Its own 0° where a layout that was read gives another than the part's: rows as
        `pack_rows` gives them, of places [m] and directions there; empty for the part's.
    kept : str
        What the layout that it was read from says of it beyond what is known here, as JSON.
    """

    region: str = WHOLE
    stack: str = ""
    ply: Ply | None = None
    turn: float = 0.0
    active: bool = True
    wound: Wound | None = None
    draped: Draped | None = None
    name: str = ""
    fibres: str = ""
    kept: str = ""

    def materials(self) -> tuple[str, ...]:
        """Names of the materials of its single ply and of the resin beside that."""
        filler = (self.wound.filler,) if self.wound is not None and self.wound.filler else ()
        return () if self.ply is None else (self.ply.material, *filler)


@dataclass(frozen=True)
class Part:
    """The shell: a surface, its regions, and what is laid on them.

    Attributes
    ----------
    surface : Surface
        Shape [m].
    mesh_size : float
        Element size [m].
    lay_up : tuple of Rung
        In laying order.
    regions : tuple of Region
        Named sets of elements.
    directions : tuple of Direction
        Reference directions, later ones before earlier ones.
    fallback : tuple of float or None
        Direction where all others stand normal to the surface.
    flipped : tuple of str
        Regions whose laying side is turned round; the empty name is the whole part.
    reference_surface : {"bottom", "middle", "top"}
        Which face of the laminate the surface is.
    offset : float
        Height of that face over the surface, along the laying direction [m].
    finer : tuple of Finer
        Where elements are smaller.
    tie_gap : float
        Components nearer than this are tied; zero ties nothing [m].
    alike : float
        Elements share a section where the angles of their plies agree within this [deg], and the
        thicknesses within as many per cent.
    kept : str
        What the layout that was read says beyond what is known here, as JSON.
    """

    surface: Surface
    mesh_size: float
    lay_up: tuple[Rung, ...] = ()
    regions: tuple[Region, ...] = ()
    directions: tuple[Direction, ...] = (Direction(),)
    fallback: Vector | None = None
    flipped: tuple[str, ...] = ()
    reference_surface: Level = "middle"
    offset: float = 0.0
    finer: tuple[Finer, ...] = ()
    tie_gap: float = 0.0
    alike: float = TOLERANCE
    kept: str = ""

    def stacks(self) -> tuple[str, ...]:
        """Names of the stacks laid, in order, those switched off too."""
        return tuple(dict.fromkeys(r.stack for r in self.lay_up if r.stack))

    def region(self, name: str) -> Region | None:
        """Region of that name, if any."""
        return next((r for r in self.regions if r.name == name), None)


@dataclass(frozen=True)
class OutsideForces:
    """Section forces of another analysis, assessed as a case of their own.

    Attributes
    ----------
    name : str
        Name of the case.
    source : str
        File they were read from.
    by : {"element", "position"}
        How rows find their elements: by number, or by the element whose centre is nearest.
    table : str
        Rows as `pack_rows` gives them: element, or x, y and z [m]; then N, M and Q
        [N/m, N, N/m] along the reference direction and across it.
    """

    name: str
    source: str
    by: Literal["element", "position"]
    table: str


@dataclass(frozen=True)
class LeftOut:
    """Elements that margins leave out.

    Attributes
    ----------
    near : {"supports", "loads", "region"}
        What they are near: supports, forces on edges, points and regions, or a region itself.
    rings : int
        How many elements away they still count as near.
    region : str
        The region.
    distance : float or None
        How far away they still count as near [m], whatever the size of the elements; where it
        is given the number of elements does not count.
    """

    near: Literal["supports", "loads", "region"] = "supports"
    rings: int = 2
    region: str = ""
    distance: float | None = None


@dataclass(frozen=True)
class ReserveRequirement:
    """Least reserve factor in a case; over all of them where none is named."""

    value: float
    kind: Literal["reserve factor"] = "reserve factor"
    case: str = ""


@dataclass(frozen=True)
class DisplacementRequirement:
    """Greatest displacement [m]: its size, or its share along the surface's normal.

    In a case; over all that are solved here where none is named.
    """

    value: float
    case: str
    measure: Literal["size", "normal"] = "size"
    kind: Literal["displacement"] = "displacement"


@dataclass(frozen=True)
class BucklingRequirement:
    """Least factor on the loads of a case at which it buckles; of all where none is named."""

    value: float
    case: str
    kind: Literal["buckling"] = "buckling"


@dataclass(frozen=True)
class FrequencyRequirement:
    """Least natural frequency [Hz], of the part under the loads of a case where one is named."""

    value: float
    case: str = ""
    kind: Literal["frequency"] = "frequency"


@dataclass(frozen=True)
class MassRequirement:
    """Greatest mass of the part [kg]."""

    value: float
    kind: Literal["mass"] = "mass"


Requirement = (
    ReserveRequirement
    | DisplacementRequirement
    | BucklingRequirement
    | FrequencyRequirement
    | MassRequirement
)
