"""Records of how a ply is made: wound or draped; scalars and tuples, SI units."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from tartan.project.document.loadmodel import Vector


@dataclass(frozen=True)
class Wound:
    """How a layer of a vessel is wound; its ply holds material, and thickness of one ply.

    Attributes
    ----------
    sort : {"helical", "polar", "hoop"}
        Pairs ±α over cylinder and domes, of which polar ones lie in a plane that touches the
        opening at both ends; or hoops on the cylinder.
    opening : float
        Helical: radius of the opening that the band winds round at both ends; 0 for that of the
        vessel, the wider where they differ [m].
    bandwidth : float
        Of the band [m].
    turning : {"edge", "centre"}
        Helical: what of the band touches the opening.
    coverage : float
        Share of the surface that is covered [1].
    count : int
        Pairs of helical plies, or passes of hoops.
    start, end : float
        Hoop: distance from the lower and the upper tangent line, inwards [m].
    step_back : float
        Hoop: by how much each pass ends before the one below it, at both ends [m].
    angle : float
        Helical: on the cylinder, where friction holds it off the geodesic; 0 for that [deg].
    tows : int
        Side by side in the band.
    speed : float
        At which the band is laid [m/s].
    filler : str
        Material of the resin beside its ends; empty for none.
    run_out : float
        Length of that resin as a multiple of its height [1].
    """

    sort: Literal["helical", "polar", "hoop"] = "helical"
    opening: float = 0.0
    bandwidth: float = 0.01
    turning: Literal["edge", "centre"] = "edge"
    coverage: float = 1.0
    count: int = 1
    start: float = 0.0
    end: float = 0.0
    step_back: float = 0.0
    angle: float = 0.0
    tows: int = 1
    speed: float = 0.5
    filler: str = ""
    run_out: float = 3.0


@dataclass(frozen=True)
class Draped:
    """How the plies of a rung are draped: as nets of inextensible yarns from a start.

    Attributes
    ----------
    start : tuple of float
        Where warp and weft cross at a right angle, and the plies' angles hold [m].
    cell : float
        Side of a net's cell; 0 for as long as elements are [m].
    way : {"woven", "tape"}
        A net pinned where its yarns cross, or fibres that keep their distance and slip along
        each other.
    edge : str
        The edge that a yarn follows from the start; empty for none.
    line : tuple of tuple of float
        Points of a line that a yarn follows, where no edge is named [m].
    cuts : tuple of tuple of tuple of float
        Lines that part the ply into pieces, each draped from a start of its own [m].
    starts : tuple of tuple of float
        Starts of further pieces; a piece without one starts at its middle [m].
    """

    start: Vector = (0.0, 0.0, 0.0)
    cell: float = 0.0
    way: Literal["woven", "tape"] = "woven"
    edge: str = ""
    line: tuple[Vector, ...] = ()
    cuts: tuple[tuple[Vector, ...], ...] = ()
    starts: tuple[Vector, ...] = ()
