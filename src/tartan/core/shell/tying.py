"""Which components are tied to which: faces that lie on others, and edges that face them.

The smaller component follows the larger one, of two faces the finer one follows. An edge is
tied only where it looks towards the other component and runs along it, so that a wide gap never
ties the far side of a flange, nor its flanks.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.mesh import Mesh
from tartan.core.shell.regions import gaps, nodes_of
from tartan.core.shell.ties import (
    Leader,
    Tie,
    joined,
    open_sides,
    tie_points,
    tie_sides,
    triangles_of,
)

Array = NDArray[np.float64]
Index = NDArray[np.int64]
Mask = NDArray[np.bool_]

FACING = 0.7
"""Cosine within which normals, and the way across a gap, count as along one another."""

ALONG = 0.25
"""Greatest change of the gap along a side that is tied, as a share of its length."""

COARSER = 1.1
"""Elements this much longer than those they lie on lead them."""

_TOUCHING = 1e-6
"""Gaps below this share of a side have no direction."""


@dataclass(frozen=True, eq=False)
class _Side:
    """A component, or several: elements and their nodes."""

    elements: Index
    nodes: Index


def find_ties(mesh: Mesh, gap: float) -> tuple[Tie, ...]:
    """Ties between components that come within a gap of one another.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    gap : float
        Greatest distance that is bridged; zero ties nothing [m].
    """
    if gap <= 0:
        return ()
    parts = gaps(mesh)
    follows, leads = np.zeros((2, len(mesh.nodes)), bool)
    found: list[Tie] = []
    for k in range(1, len(parts)):
        own = _Side(parts[k][0], nodes_of(mesh, parts[k][0]))
        larger = np.concatenate([p for p, _ in parts[:k]])
        others = _Side(larger, nodes_of(mesh, larger))
        tie = _between(mesh, own, others, gap, (follows, leads))
        if tie is not None:
            found.append(tie)
            follows[tie.nodes] = True
            leads[tie.pairs[:, 1]] = True
    return tuple(found)


def _between(
    mesh: Mesh, own: _Side, others: _Side, gap: float, taken: tuple[Mask, Mask]
) -> Tie | None:
    follows, leads = taken
    lead = Leader(mesh, triangles_of(mesh, others.elements))
    lying = _lying(mesh, own, lead, gap)
    parts: list[Tie] = []
    if len(lying):
        face = _face(mesh, own, others, lying, lead, gap, follows | leads)
        if face is not None:
            parts.append(face)
    done = np.zeros(len(mesh.nodes), bool)
    done[nodes_of(mesh, lying)] = True
    edge = _edge(mesh, own, lead, gap, follows | done)
    if edge is not None:
        parts.append(edge)
    if not parts:
        back = Leader(mesh, triangles_of(mesh, own.elements))
        edge = _edge(mesh, others, back, gap, follows | leads)
        parts = [] if edge is None else [edge]
    return joined(parts) if parts else None


def _lying(mesh: Mesh, own: _Side, lead: Leader, gap: float) -> Index:
    """Elements that lie on what leads, all corners within the gap across their normal."""
    near = np.zeros(len(mesh.nodes), bool)
    near[own.nodes] = lead.nearest(mesh.nodes[own.nodes]).gaps <= gap
    table = mesh.corner_table[own.elements]
    chosen = own.elements[near[table].all(axis=1)]
    if len(chosen) == 0:
        return chosen
    x = mesh.nodes[mesh.corner_table[chosen]]
    normal = mesh.normals()[chosen]
    size = np.sqrt(mesh.areas()[chosen])
    # Points inside each element, off its sides, must all have their nearest place straight across.
    inner = x.mean(axis=1, keepdims=True) + 0.8 * (x - x.mean(axis=1, keepdims=True))
    places = lead.nearest(inner.reshape(-1, 3))
    way = (places.points.reshape(x.shape) - inner) / size[:, None, None]
    apart = np.linalg.norm(way, axis=2)
    across = np.abs(np.einsum("ekc,ec->ek", way, normal))
    straight = (across >= FACING * apart) | (apart < _TOUCHING)
    corner = mesh.nodes[places.corners]
    theirs = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    theirs /= np.linalg.norm(theirs, axis=1, keepdims=True)
    parallel = np.abs(np.einsum("ekc,ec->ek", theirs.reshape(x.shape), normal)) >= FACING
    found: Index = chosen[(straight & parallel).all(axis=1)]
    return found


def _face(
    mesh: Mesh, own: _Side, others: _Side, lying: Index, lead: Leader, gap: float, taken: Mask
) -> Tie | None:
    """Of two faces on one another the finer one follows."""
    areas = mesh.areas()
    nodes = nodes_of(mesh, lying)
    under = np.isin(
        mesh.corner_table[others.elements], lead.nearest(mesh.nodes[nodes]).corners
    ).any(axis=1)
    theirs = others.elements[under]
    area = float(areas[lying].sum())
    if np.sqrt(areas[lying].mean()) <= COARSER * np.sqrt(areas[theirs].mean()):
        return replace(tie_points(mesh, nodes, lead), area=area)
    back = Leader(mesh, triangles_of(mesh, lying))
    free = others.nodes[~taken[others.nodes]]
    places = back.nearest(mesh.nodes[free])
    way = places.points - mesh.nodes[free]
    x = mesh.nodes[places.corners]
    normal = np.cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0])
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    across = np.abs((way * normal).sum(axis=1)) >= FACING * places.gaps
    touching = places.gaps < _TOUCHING * np.sqrt(area)
    chosen = free[(places.gaps <= gap) & (across | touching)]
    return replace(tie_points(mesh, chosen, back), area=area) if len(chosen) else None


def _edge(mesh: Mesh, side: _Side, lead: Leader, gap: float, taken: Mask) -> Tie | None:
    """Sides of a rim that look towards what leads and run along it."""
    free = side.nodes[~taken[side.nodes]]
    sides, normals = open_sides(mesh, side.elements, free)
    if len(sides) == 0:
        return None
    a, b = mesh.nodes[sides[:, 0]], mesh.nodes[sides[:, 1]]
    length = np.linalg.norm(b - a, axis=1)
    from_a, from_b, middle = (lead.nearest(p) for p in (a, b, (a + b) / 2))
    near = np.maximum.reduce([from_a.gaps, from_b.gaps, middle.gaps]) <= gap
    level = np.abs(from_a.gaps - from_b.gaps) <= ALONG * length
    outward = np.cross(b - a, normals) / length[:, None]
    way = middle.points - (a + b) / 2
    looks = (way * outward).sum(axis=1) >= -0.2 * middle.gaps
    chosen = near & level & (looks | (middle.gaps < _TOUCHING * length))
    return tie_sides(mesh, sides[chosen], normals[chosen], lead) if chosen.any() else None
