"""Faces cut along curves projected on them: a shape as it is made becomes the part as it is cut.

The cut is made in the geometry, so that elements end at it; what is left out is taken from the
mesh. Runs where gmsh does, in a process of its own.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import DocumentError, PartError
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.mesher import gmsh
from tartan.exchange.length_columns import length_rows
from tartan.exchange.tables import read_rows
from tartan.project.document.partmodel import Trim, Vector

Array = NDArray[np.float64]
Index = NDArray[np.int64]
Named = dict[str, list[int]]

CORNER = 35.0
"""Turn of a curve from which it has a corner there [deg]."""

SAMPLES = 60
"""Points of a stretch of a curve at which it is known which side of it is in."""

CLOSES = 0.02
"""Gap, as a share of their length, within which curves close."""

CUT_EDGE = "trimmed edge"
"""Name of the edges that cuts leave."""


def read_curve(path: Path) -> tuple[Vector, ...]:
    """Points of a closed curve from a table with columns x, y and z, each with its unit.

    Raises
    ------
    DocumentError
        Naming what is missing, and the row and column of what cannot be read.
    """
    points = tuple((x, y, z) for x, y, z in length_rows(read_rows(path), "xyz", path.name))
    if len(points) > 1 and points[0] == points[-1]:
        points = points[:-1]
    if len(points) < 3:
        raise DocumentError(
            "A closed curve has three points or more.", path.name, "Add rows below the header."
        )
    return points


def joined(curves: Sequence[tuple[Vector, ...]]) -> tuple[Vector, ...]:
    """Curves that follow one another as one that closes: each next begins where it is nearest.

    Raises
    ------
    PartError
        Where there are none, or what they come to does not close.
    """
    if not curves:
        raise PartError("No curve is chosen.", "Surface, trim", "Tick those that close.")
    rest = [np.array(c, float) for c in curves]
    chain = rest.pop(0)
    while rest:
        ends = np.array([[c[0], c[-1]] for c in rest])
        gap = np.linalg.norm(ends - chain[-1], axis=2)
        k, end = np.unravel_index(int(gap.argmin()), gap.shape)
        after = rest.pop(int(k))
        after = after[::-1] if end else after
        chain = np.concatenate([chain, after[1:] if gap[k, end] < 1e-9 else after])
    length = float(np.linalg.norm(np.diff(chain, axis=0), axis=1).sum())
    gap_ = float(np.linalg.norm(chain[-1] - chain[0]))
    if gap_ > CLOSES * length:
        raise PartError(
            f"The curves do not close: {gap_:.4g} m are open.",
            "Surface, trim",
            "Tick all that go round.",
        )
    if gap_ <= 1e-6 * length:
        chain = chain[:-1]
    return tuple((float(x), float(y), float(z)) for x, y, z in chain)


def check_trim(trim: Trim, where: str) -> None:
    """Refuse a curve that bounds nothing.

    Raises
    ------
    PartError
        Naming what is wrong.
    """
    points, along = np.array(trim.points, float).reshape(-1, 3), np.array(trim.along, float)
    if not (np.isfinite(points).all() and np.isfinite(along).all() and along.any()):
        raise PartError("Its points or its direction are no places.", where, "Enter figures.")
    if len(points) < 3:
        raise PartError("It has less than three points.", where, "Give three or more.")
    flat = _flat(points, along)
    area = 0.5 * abs(float(_cross(flat, np.roll(flat, -1, axis=0)).sum()))
    size = float(np.ptp(flat, axis=0).max())
    if not area > 1e-6 * size**2:
        raise PartError(
            "Seen along its direction it bounds no area.", where, "Choose another direction."
        )


def cut_faces(
    faces: Named, edges: Named, trims: Sequence[Trim]
) -> tuple[Named, Named, list[Array]]:
    """Cut the faces of the current model; faces and edges by name anew, and the curves as points.

    The curves come back seen along their directions, shape (q, 2) each [m].

    Raises
    ------
    PartError
        Where a curve bounds nothing.
    """
    occ = gmsh.model.occ
    box = np.array(gmsh.model.getBoundingBox(-1, -1)).reshape(2, 3)
    corners = np.array(np.meshgrid(*box.T)).reshape(3, -1).T
    cutters: list[tuple[int, int]] = []
    seen: list[Array] = []
    for number, trim in enumerate(trims, start=1):
        check_trim(trim, f"Surface, trim {number}")
        along = np.array(trim.along, float)
        along /= np.linalg.norm(along)
        height = corners @ along
        margin = 0.05 * float(np.linalg.norm(box[1] - box[0]))
        points = np.array(trim.points, float)
        base = points + (height.min() - margin - points @ along)[:, None] * along
        curves = _curves(base)
        seen.append(_sampled(curves, along))
        way = (np.ptp(height) + 2 * margin) * along
        made = occ.extrude([(1, c) for c in curves], *way)
        cutters += [x for x in made if x[0] == 2]
    own = [(2, t) for each in faces.values() for t in each]
    lines = [(1, t) for each in edges.values() for t in each]
    _, parts = occ.fragment(own + lines, cutters)
    occ.synchronize()
    pieces = dict(zip(own + lines, parts, strict=False))
    new_faces = {n: [t for f in each for _, t in pieces[(2, f)]] for n, each in faces.items()}
    new_edges = {n: [t for c in each for _, t in pieces[(1, c)]] for n, each in edges.items()}
    kept = {t for each in new_faces.values() for t in each}
    gmsh.model.removeEntities([x for x in gmsh.model.getEntities(2) if x[1] not in kept])
    known = {t for each in new_edges.values() for t in each}
    bounds = {t for _, t in gmsh.model.getBoundary([(2, f) for f in kept], False, False)}
    new_edges[CUT_EDGE] = sorted(bounds - known)
    return new_faces, new_edges, seen


def _curves(points: Array) -> list[int]:
    """Curves round a closed polygon: smooth between its corners."""
    occ = gmsh.model.occ
    tags = [occ.addPoint(*p) for p in points]
    before, ahead = points - np.roll(points, 1, axis=0), np.roll(points, -1, axis=0) - points
    cosine = np.einsum("ki,ki->k", before, ahead) / np.maximum(
        np.linalg.norm(before, axis=1) * np.linalg.norm(ahead, axis=1), 1e-300
    )
    corners = np.flatnonzero(cosine < math.cos(math.radians(CORNER))).tolist()
    if not corners:
        return [occ.addSpline([*tags, tags[0]])]
    found = []
    for i, j in pairwise([*corners, corners[0] + len(tags)]):
        stretch = [tags[k % len(tags)] for k in range(i, j + 1)]
        found.append(occ.addLine(*stretch) if len(stretch) == 2 else occ.addSpline(stretch))
    return found


def _sampled(curves: Sequence[int], along: Array) -> Array:
    """Points along curves that follow one another, seen along a direction, shape (q, 2)."""
    gmsh.model.occ.synchronize()
    found = []
    for curve in curves:
        low, high = (float(x[0]) for x in gmsh.model.getParametrizationBounds(1, curve))
        at = np.linspace(low, high, SAMPLES, endpoint=False)
        found.append(np.array(gmsh.model.getValue(1, curve, at.tolist())).reshape(-1, 3))
    return _flat(np.concatenate(found), along)


def _flat(points: Array, along: Array) -> Array:
    """Points seen along a direction, shape (q, 2)."""
    way = along / np.linalg.norm(along)
    other = np.eye(3)[int(np.abs(way).argmin())]
    right = np.cross(other, way)
    right /= np.linalg.norm(right)
    return np.asarray(points @ np.stack([right, np.cross(way, right)]).T)


def _cross(a: Array, b: Array) -> Array:
    return np.asarray(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])


def inside(points: Array, polygon: Array) -> NDArray[np.bool_]:
    """Whether points lie within a closed polygon, shapes (q, 2) and (k, 2): by crossings."""
    found = np.zeros(len(points), bool)
    x, y = points.T
    for a, b in zip(polygon, np.roll(polygon, -1, axis=0), strict=True):
        if a[1] == b[1]:
            continue
        across = (a[1] > y) != (b[1] > y)
        found ^= across & (x < a[0] + (y - a[1]) * (b[0] - a[0]) / (b[1] - a[1]))
    return found


def left(mesh: Mesh, trims: Sequence[Trim], seen: Sequence[Array]) -> Mesh:
    """What trims leave of a mesh whose elements end at their curves.

    Raises
    ------
    PartError
        Where that is nothing.
    """
    keep = np.ones(mesh.count, bool)
    for trim, curve in zip(trims, seen, strict=True):
        within = inside(_flat(mesh.centres(), np.array(trim.along, float)), curve)
        keep &= within if trim.keep == "inside" else ~within
    if not keep.any():
        raise PartError(
            "The trims leave nothing of the surface.",
            "Surface, trims",
            "Keep the other side, or choose another direction.",
        )
    return reduced(mesh, np.flatnonzero(keep))


def reduced(mesh: Mesh, elements: Index) -> Mesh:
    """A mesh of some of its elements, in order, with what is left of its edges and regions."""
    inside_ = np.zeros(mesh.count, bool)
    inside_[elements] = True
    quads = mesh.quads[inside_[: len(mesh.quads)]]
    triangles = mesh.triangles[inside_[len(mesh.quads) :]]
    used = np.unique(np.concatenate([quads.ravel(), triangles.ravel()]))
    back = np.full(len(mesh.nodes), -1)
    back[used] = np.arange(len(used))
    number = np.cumsum(inside_) - 1
    edges = {n: back[chain[back[chain] >= 0]] for n, chain in mesh.edges.items()}
    regions = {n: number[own[inside_[own]]] for n, own in mesh.regions.items()}
    return Mesh(
        mesh.nodes[used].copy(),
        back[quads],
        {n: x for n, x in edges.items() if len(x) > 1},
        triangles=back[triangles],
        regions={n: x for n, x in regions.items() if len(x)},
    )
