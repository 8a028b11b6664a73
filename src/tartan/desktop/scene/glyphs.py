"""Strokes drawn on the part: reference direction, laying side, supports and loads. Arrays only.

Every function returns line segments, shape (n, 2, 3) [m], sized against the part.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import TartanError
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.supports import SUPPORT_KINDS
from tartan.core.shell.ties import Tie
from tartan.exchange.maps import colours
from tartan.project.analysis.caseloads import map_table, pressing
from tartan.project.analysis.inputs import Layout
from tartan.project.analysis.partmesh import Meshed
from tartan.project.analysis.shellinputs import local_axes
from tartan.project.document.loadmodel import places_of
from tartan.project.document.partmodel import (
    Acceleration,
    Case,
    EdgeForce,
    Force,
    Load,
    MappedPressure,
    Movement,
    Pressure,
    PressureTable,
    Support,
)
from tartan.project.wording import units
from tartan.project.wording.document_words import load_words

Array = NDArray[np.float64]

_NONE = np.zeros((0, 2, 3))


@lru_cache(maxsize=8)
def part_size(mesh: Mesh) -> float:
    """Diagonal of the part's box [m]."""
    return float(np.linalg.norm(np.ptp(mesh.nodes, axis=0)))


@lru_cache(maxsize=8)
def rim_strokes(mesh: Mesh) -> Array:
    """Free edges of the surface, shape (q, 2, 3)."""
    pairs = np.sort(mesh.sides, axis=1)
    unique, count = np.unique(pairs, axis=0, return_counts=True)
    return np.asarray(mesh.nodes[unique[count == 1]])


@lru_cache(maxsize=8)
def spread(mesh: Mesh, count: int = 6) -> NDArray[np.int64]:
    """Return a few elements far from each other: each the farthest from those before."""
    at = mesh.centres()
    chosen = [int(np.linalg.norm(at - at.mean(axis=0), axis=1).argmin())]
    distance = np.linalg.norm(at - at[chosen[0]], axis=1)
    while len(chosen) < min(count, mesh.count):
        chosen.append(int(distance.argmax()))
        distance = np.minimum(distance, np.linalg.norm(at - at[chosen[-1]], axis=1))
    return np.array(chosen)


def inner(mesh: Mesh, count: int = 6) -> NDArray[np.int64]:
    """Elements spread over the part but for the first pick at its very rim."""
    return spread(mesh, 3 * count)[:: 3 if mesh.count > 3 * count else 1][:count]


def centres(mesh: Mesh, elements: NDArray[np.int64]) -> Array:
    """Centres of elements, shape (n, 3) [m]."""
    return np.asarray(mesh.centres()[elements])


def reference_strokes(mesh: Mesh, direction: Array, elements: NDArray[np.int64]) -> Array:
    """The 0° direction as a stroke through an element's centre; none where it is undefined."""
    n, t, good = _along(mesh, direction, elements)
    at = centres(mesh, elements)[good] + 0.004 * part_size(mesh) * n
    half = 0.055 * part_size(mesh) * t
    return np.stack([at - half, at + half], axis=1)


def _along(
    mesh: Mesh, direction: Array, elements: NDArray[np.int64]
) -> tuple[Array, Array, NDArray[np.bool_]]:
    """Normals and unit projected directions of the elements that have one, and which do."""
    n, d = mesh.normals()[elements], direction[elements]
    t = d - (n * d).sum(axis=1, keepdims=True) * n
    length = np.linalg.norm(t, axis=1, keepdims=True)
    size = np.linalg.norm(d, axis=1, keepdims=True)
    good = (length > 0.087 * np.where(size > 0, size, 1))[:, 0]
    return n[good], t[good] / length[good], good


def fibre_strokes(
    mesh: Mesh,
    direction: Array,
    angle: float | Array,
    elements: NDArray[np.int64],
    most: int = 900,
) -> Array:
    """Fibres of a ply on its elements, a stroke each, thinned out to `most`.

    The angle [deg] is one, or one for each element, shape (q,).
    """
    each = np.broadcast_to(np.asarray(angle, float), elements.shape)
    if len(elements) > most:
        few = np.linspace(0, len(elements) - 1, most).astype(int)
        elements, each = elements[few], each[few]
    n, t, good = _along(mesh, direction, elements)
    kept = elements[good]
    a = np.deg2rad(each[good])[:, None]
    way = np.cos(a) * t + np.sin(a) * np.cross(n, t)
    area = mesh.areas()[kept][:, None]
    at = centres(mesh, kept) + 0.003 * part_size(mesh) * n
    half = 0.36 * np.sqrt(area) * way
    return np.stack([at - half, at + half], axis=1)


def laying_strokes(mesh: Mesh, direction: Array, elements: NDArray[np.int64]) -> Array:
    """The laying side: a stair of bars that widen away from the surface, along 0°.

    The narrow bar lies on the face that was laid first; the wide one is the last-laid face.
    """
    n, t, good = _along(mesh, direction, elements)
    at, size = centres(mesh, elements)[good], 0.07 * part_size(mesh)
    parts = [np.stack([at, at + size * n], axis=1)]
    for share, wide in ((0.34, 0.16), (0.67, 0.3), (1.0, 0.44)):
        foot = at + share * size * n
        parts.append(np.stack([foot - wide * size * t, foot + wide * size * t], axis=1))
    return np.concatenate(parts)


def arrows(tails: Array, vectors: Array, *, to_head: bool = False) -> Array:
    """Arrows as a shaft and four barbs.

    Parameters
    ----------
    tails : ndarray, shape (n, 3)
        Tail of each, or head with `to_head` [m].
    vectors : ndarray, shape (n, 3)
        From tail to head [m].
    to_head : bool
        `tails` are heads: the arrow pushes on its point.
    """
    some = np.linalg.norm(vectors, axis=1) > 0
    tails, vectors = tails[some], vectors[some]
    if len(tails) == 0:
        return _NONE
    head = tails if to_head else tails + vectors
    start = head - vectors
    length = np.linalg.norm(vectors, axis=1, keepdims=True)
    unit = vectors / np.where(length > 0, length, 1)
    aside = np.cross(unit, np.array([0.31, 0.77, 0.55]))
    aside /= np.linalg.norm(aside, axis=1, keepdims=True)
    other = np.cross(unit, aside)
    parts = [np.stack([start, head], axis=1)]
    parts += [
        np.stack([head, head - 0.28 * length * unit + 0.11 * length * way], axis=1)
        for way in (aside, -aside, other, -other)
    ]
    return np.concatenate(parts)


def support_strokes(whole: Meshed, supports: tuple[Support, ...]) -> tuple[Array, Array]:
    """Supports: a peg along each held displacement, a small cross where rotations are held.

    Returns
    -------
    tuple of ndarray
        Pegs and crosses.
    """
    mesh = whole.mesh
    size = 0.026 * part_size(mesh)
    pegs, crosses = [_NONE], [_NONE]
    for support in supports:
        try:
            nodes = whole.nodes_of(support, "")
            if support.local:
                local_axes(whole, nodes)
        except TartanError:
            # Said among what is to be settled; there is nothing to draw.
            continue
        inside = all(p in whole.regions for p in places_of(support))
        many = 5 if inside else 9
        if len(nodes) > many:
            nodes = nodes[np.linspace(0, len(nodes) - 1, many).round().astype(int)]
        at = mesh.nodes[nodes]
        axes = local_axes(whole, nodes) if support.local else np.tile(np.eye(3), (len(at), 1, 1))
        outward = at - mesh.nodes.mean(axis=0)
        held = SUPPORT_KINDS[support.kind]
        for axis in (a for a in held if a < 3):
            way = axes[:, axis]
            # Pegs across the surface stand below an edge and above a region, where they are seen;
            # those along it stand outside the part.
            sense = np.where((outward * way).sum(axis=1, keepdims=True) >= 0, 1.0, -1.0)
            up = 1.0 if inside else -1.0
            way = up * way if axis == 2 else sense * way
            foot, side = at + size * way, 0.4 * size * axes[:, (axis + 1) % 3]
            pegs += [np.stack([at, foot], axis=1), np.stack([foot - side, foot + side], axis=1)]
        if any(a >= 3 for a in held):
            for u, v in ((0.35, 0.35), (0.35, -0.35)):
                d = size * (u * axes[:, 0] + v * axes[:, 1])
                crosses.append(np.stack([at - d, at + d], axis=1))
    return np.concatenate(pegs), np.concatenate(crosses)


def tie_strokes(mesh: Mesh, tie: Tie) -> Array:
    """From every tied node to what leads it; a short stroke both ways where they touch."""
    at, to = mesh.nodes[tie.nodes], tie.points
    size = 0.02 * part_size(mesh)
    way = to - at
    length = np.linalg.norm(way, axis=1, keepdims=True)
    middle = at.mean(axis=0)
    along = np.where(
        length > 0.2 * size,
        way / np.where(length > 0, length, 1.0),
        (at - middle) / (np.linalg.norm(at - middle, axis=1, keepdims=True) + 1e-30),
    )
    reach = np.maximum(length, size) * along
    return np.stack([at - 0.3 * size * along, at + reach], axis=1)


@dataclass(frozen=True, eq=False)
class LoadGlyphs:
    """Strokes of a case's loads, and a word with the magnitude at each."""

    strokes: Array
    places: Array
    words: tuple[str, ...]


def load_glyphs(layout: Layout, case: Case, tables: tuple[PressureTable, ...]) -> LoadGlyphs:
    """Loads of a case; arrows of a pressure table are as long as its pressure asks."""
    size = 0.07 * part_size(layout.mesh)
    found, places, words = [_NONE], [], []
    for load in case.loads:
        try:
            strokes, place = _load_strokes(layout, load, tables, size)
        except TartanError:
            continue
        found.append(strokes)
        if len(strokes):
            places.append(place)
            words.append(load_words(load) + _peak(layout, load, tables))
    at = np.array(places).reshape(-1, 3)
    return LoadGlyphs(np.concatenate(found), at, tuple(words))


def _peak(layout: Layout, load: Load, tables: tuple[PressureTable, ...]) -> str:
    """Greatest pressure of a table, in words; empty for other loads."""
    if not isinstance(load, MappedPressure):
        return ""
    value = map_table(layout, load, tables, "").values
    peak = float(value.flat[int(np.abs(value).argmax())])
    return f", up to {units.show(peak, units.PRESSURE)}"


def _load_strokes(
    layout: Layout, load: Load, tables: tuple[PressureTable, ...], size: float
) -> tuple[Array, Array]:
    """Arrows of one load, and where its word stands."""
    mesh, whole = layout.mesh, layout.whole
    if isinstance(load, Pressure | MappedPressure):
        inside = whole.elements_of(load)
        inside = inside[np.linspace(0, len(inside) - 1, min(28, len(inside))).round().astype(int)]
        value = pressing(layout, load, tables, "").mean(axis=1)
        peak = float(np.abs(value).max()) or 1.0
        push = -(value[inside] / peak)[:, None] * mesh.normals()[inside] * size
        at = centres(mesh, inside)
        # An arrow that presses ends on the surface, one that sucks begins there.
        tails = np.where((value[inside] > 0)[:, None], at - push, at)
        top = int(np.abs(value[inside]).argmax())
        return arrows(tails, push), tails[top]
    if isinstance(load, Acceleration):
        way = np.array(load.vector) / (np.linalg.norm(load.vector) or 1.0)
        middle = mesh.nodes.mean(axis=0)
        return arrows(
            middle[None], 2.2 * way[None] * size, to_head=True
        ), middle - 2.2 * way * size
    if isinstance(load, Movement):
        nodes = whole.nodes_of(load, "")
        nodes = nodes[np.linspace(0, len(nodes) - 1, min(7, len(nodes))).round().astype(int)]
        if not any(load.move):
            return _NONE, np.zeros(3)
        ways = np.tile(np.array(load.move), (len(nodes), 1))
        if load.local:
            ways = np.einsum("nba,nb->na", local_axes(whole, nodes), ways)
        ways *= size / np.linalg.norm(load.move)
        tips = mesh.nodes[nodes] + ways
        return arrows(mesh.nodes[nodes], ways), tips[len(tips) // 2]
    if isinstance(load, EdgeForce | Force):
        nodes = (
            np.concatenate([np.ravel(mesh.edges[e]) for e in places_of(load)])
            if isinstance(load, EdgeForce)
            else whole.nodes_of(load, "")
        )
        nodes = nodes[np.linspace(0, len(nodes) - 1, min(7, len(nodes))).round().astype(int)]
        vector = np.array(
            load.force if any(load.force) or isinstance(load, EdgeForce) else load.moment
        )
        if not np.any(vector):
            return _NONE, np.zeros(3)
        way = vector / np.linalg.norm(vector) * size
        tips = mesh.nodes[nodes] + way
        return arrows(mesh.nodes[nodes], np.tile(way, (len(nodes), 1))), tips[len(tips) // 2]
    return _NONE, np.zeros(3)


def pressure_colours(
    layout: Layout, case: Case, tables: tuple[PressureTable, ...]
) -> tuple[NDArray[np.uint8] | None, str]:
    """Pressure of a case's loads in colour, and its range in words; None where it has none."""
    total = np.zeros(layout.mesh.count)
    any_ = False
    for load in case.loads:
        if not isinstance(load, Pressure | MappedPressure):
            continue
        total += pressing(layout, load, tables, "").mean(axis=1)
        any_ = True
    if not any_:
        return None, "no pressure in this case"
    low, high = (units.show(float(v), units.PRESSURE) for v in (total.min(), total.max()))
    peak = float(np.abs(total).max()) or 1.0
    return colours.signed_map(total / peak), f"pressure on the laying side from {low} to {high}"
