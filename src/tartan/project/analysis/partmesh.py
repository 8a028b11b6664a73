"""The part as a mesh: regions, laying sides, reference directions, plies and where they lie."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.shell import directions, regions
from tartan.core.shell.cyclic import FAR, NEAR
from tartan.core.shell.mesh import Mesh, Panel
from tartan.core.shell.mesher import Finer
from tartan.project.analysis.meshes import MESHES
from tartan.project.document.loadmodel import (
    Force,
    MappedPressure,
    Movement,
    Pressure,
    Support,
    places_of,
)
from tartan.project.document.partmodel import (
    CORNERS,
    POINT,
    WHOLE,
    Direction,
    Part,
    Region,
    Surface,
    Vector,
)

Array = NDArray[np.float64]
Index = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Meshed:
    """A part's mesh with everything that is placed on it.

    Attributes
    ----------
    mesh : Mesh
        Normals point to the laying side.
    regions : mapping of str to ndarray of int
        Elements of every face and region by name.
    direction : ndarray, shape (m, 3)
        Reference direction of every element.
    undefined : ndarray of int
        Elements to whose normal it stands too near.
    turned : ndarray of bool, shape (m,)
        Elements whose laying side is not the front of the surface as it came.
    """

    mesh: Mesh
    regions: Mapping[str, Index]
    direction: Array
    undefined: Index
    turned: NDArray[np.bool_]

    def elements(self, region: str, where: str = "Regions") -> Index:
        """Elements of a region, face, or the whole part.

        Raises
        ------
        PartError
            When there is no such region.
        """
        if region == WHOLE:
            return np.arange(self.mesh.count)
        if region not in self.regions:
            raise PartError(
                f"There is no region '{region}'.",
                where,
                f"There are {', '.join(self.regions) or 'none'}.",
            )
        return self.regions[region]

    def zero(self, elements: Index) -> tuple[Array, Array]:
        """The 0° in the planes of elements, unit vectors, and their normals, shapes (q, 3)."""
        n = self.mesh.normals()[elements]
        along = directions.in_plane(self.direction[elements], n)
        size = np.linalg.norm(along, axis=1, keepdims=True)
        return along / np.where(size > 0, size, 1.0), n

    def nodes(self, place: str, at: Vector, where: str, reach: float = 0.0) -> Index:
        """Nodes of an edge, corner, face or region, or near a point.

        Raises
        ------
        PartError
            When there is no such place, or it has no nodes.
        """
        mesh = self.mesh
        if place == POINT:
            distance = np.linalg.norm(mesh.nodes - np.array(at), axis=1)
            near = np.flatnonzero(distance <= reach)
            found = near if len(near) else np.array([int(distance.argmin())])
        elif place in CORNERS:
            found = _corner(mesh, place, where)
        elif place in mesh.edges:
            found = np.unique(mesh.edges[place])
        elif place in self.regions:
            found = regions.nodes_of(mesh, self.regions[place])
        else:
            raise PartError(
                f"There is no place '{place}'.",
                where,
                "Choose an edge, a face or a region of the part.",
            )
        if len(found) == 0:
            raise PartError(f"'{place}' has no elements.", where, "Choose another place.")
        return found

    def nodes_of(self, one: Support | Force | Movement, where: str) -> Index:
        """Nodes of all places that a support, force or movement names, each once.

        Raises
        ------
        PartError
            When there is no such place, or it has no nodes.
        """
        reach = one.reach if isinstance(one, Force) else 0.0
        each = [self.nodes(place, one.at, where, reach) for place in places_of(one)]
        return each[0] if len(each) == 1 else np.unique(np.concatenate(each))

    def elements_of(self, one: Pressure | MappedPressure, where: str = "") -> Index:
        """Elements of all regions that a pressure names, each once.

        Raises
        ------
        PartError
            When there is no such region.
        """
        each = [self.elements(region, where) for region in places_of(one)]
        return each[0] if len(each) == 1 else np.unique(np.concatenate(each))


def _corner(mesh: Mesh, place: str, where: str) -> Index:
    vertical, horizontal, _ = place.split()
    edge = mesh.edges.get(f"{vertical} edge")
    other = mesh.edges.get(f"{horizontal} edge")
    both = np.zeros(0, np.int64) if edge is None or other is None else np.intersect1d(edge, other)
    if len(both) == 0:
        raise PartError(f"This surface has no {place}.", where, "Choose another place.")
    return both[:1]


def places(part: Part) -> list[str]:
    """Places where supports and loads can act, but for points."""
    mesh = base_mesh(part.surface, part.mesh_size, part.finer)
    corners = CORNERS if isinstance(part.surface, Panel) else ()
    return [
        *(n for n in mesh.edges if n not in (NEAR, FAR)),
        *corners,
        *(n for n in mesh.regions if len(mesh.regions) > 1),
        *(r.name for r in part.regions),
    ]


def region_names(part: Part) -> list[str]:
    """Faces and regions on which plies and pressures can lie, after the whole part."""
    mesh = base_mesh(part.surface, part.mesh_size, part.finer)
    faces = [n for n in mesh.regions if len(mesh.regions) > 1]
    return [WHOLE, *faces, *(r.name for r in part.regions)]


def base_mesh(surface: Surface, size: float, finer: tuple[Finer, ...] = ()) -> Mesh:
    """Mesh of a surface as it comes; a read one has its own.

    Raises
    ------
    PartError, DocumentError
        As `Meshes.mesh`.
    """
    return MESHES.mesh((surface, size, finer))


def meshed(part: Part) -> Meshed:
    """Mesh a part and place its regions, sides and directions; the plies do not matter.

    Raises
    ------
    PartError, DocumentError
        Surfaces, regions or directions that cannot be.
    """
    return _meshed(
        Part(
            part.surface,
            part.mesh_size,
            regions=part.regions,
            directions=part.directions,
            fallback=part.fallback,
            flipped=part.flipped,
            finer=part.finer,
        )
    )


@lru_cache(maxsize=8)
def _meshed(part: Part) -> Meshed:
    mesh = base_mesh(part.surface, part.mesh_size, part.finer)
    found: dict[str, Index] = dict(mesh.regions)
    for region in part.regions:
        found[region.name] = region_elements(mesh, region)
    odd = np.zeros(mesh.count, bool)
    for name in part.flipped:
        if name == WHOLE:
            odd ^= True
        elif name in found:
            odd[found[name]] ^= True
        else:
            raise PartError(f"There is no region '{name}'.", "Laying side", "Choose another.")
    if odd.any():
        mesh = directions.turned(mesh, np.flatnonzero(odd))
    vectors = _vectors(part, mesh, found)
    return Meshed(mesh, found, vectors, directions.undefined(mesh, vectors), odd)


def region_elements(mesh: Mesh, region: Region) -> Index:
    """Elements of a region.

    Raises
    ------
    PartError
        Faces or edges that are not there, or elements beyond the mesh.
    """
    where = f"Region '{region.name}'"
    inside = np.zeros(mesh.count, bool)
    for face in region.faces:
        if face not in mesh.regions:
            raise PartError(
                f"There is no face '{face}'.", where, f"There are {', '.join(mesh.regions)}."
            )
        inside[mesh.regions[face]] = True
    for near in region.near:
        if near.edge and near.edge not in mesh.edges:
            raise PartError(
                f"There is no edge '{near.edge}'.", where, f"There are {', '.join(mesh.edges)}."
            )
        chosen = (
            regions.near_chain(mesh, mesh.edges[near.edge], near.distance)
            if near.edge
            else regions.near_point(mesh, np.array(near.at), near.distance)
        )
        inside[chosen] = True
    if any(not 0 <= e < mesh.count for e in region.elements):
        raise PartError("It names elements beyond the mesh.", where, "Pick them anew.")
    inside[np.array(region.elements, np.int64)] = True
    return regions.grown(mesh, np.flatnonzero(inside), region.grow)


def _vectors(part: Part, mesh: Mesh, found: Mapping[str, Index]) -> Array:
    vectors = np.zeros((mesh.count, 3))
    for number, each in enumerate(part.directions, start=1):
        where = f"Reference direction {number}"
        if each.region != WHOLE and each.region not in found:
            raise PartError(f"There is no region '{each.region}'.", where, "Choose another.")
        here = slice(None) if each.region == WHOLE else found[each.region]
        vectors[here] = _way(each, mesh, where)[here]
    if part.fallback is not None:
        lost = directions.undefined(mesh, vectors)
        vectors[lost] = directions.by_vector(mesh, np.array(part.fallback))[lost]
    return vectors


def _way(each: Direction, mesh: Mesh, where: str) -> Array:
    vector, origin = np.array(each.vector), np.array(each.origin)
    if each.way == "edge":
        if each.edge not in mesh.edges:
            raise PartError(
                f"There is no edge '{each.edge}'.", where, f"There are {', '.join(mesh.edges)}."
            )
        return directions.along_curve(mesh, mesh.nodes[mesh.edges[each.edge]])
    if each.way == "around":
        return directions.around_axis(mesh, origin, vector)
    if each.way == "along":
        return directions.along_axis(mesh, origin, vector)
    # Not projected here: how near it stands to the normal is still to be seen.
    return np.broadcast_to(vector / (np.linalg.norm(vector) or 1.0), (mesh.count, 3))


def place_names(whole: Meshed, regions_of: Sequence[str], elements: Sequence[int]) -> list[str]:
    """Say in words where elements lie: the region of each, and the edge it is near.

    Parameters
    ----------
    whole : Meshed
        The part.
    regions_of : sequence of str
        Regions that are told; the last one counts where several hold an element.
    elements : sequence of int
        Of whom it is asked.
    """
    mesh = whole.mesh
    asked = np.asarray(elements, np.int64)
    region = np.full(mesh.count, -1)
    for number, name in enumerate(regions_of):
        region[whole.regions[name]] = number
    centres = mesh.centres()[asked]
    least = np.full(len(asked), 0.04 * float(np.linalg.norm(np.ptp(mesh.nodes, axis=0))))
    nearest = np.full(len(asked), "", object)
    for name, chain in mesh.edges.items():
        if name in (NEAR, FAR) or not len(chain):
            continue
        gap = scipy.spatial.cKDTree(mesh.nodes[chain]).query(centres)[0]
        nearest[gap < least] = name
        least = np.minimum(gap, least)
    inside = [regions_of[k] if k >= 0 else "" for k in region[asked]]
    return [", ".join(filter(None, words)) for words in zip(inside, nearest, strict=True)]
