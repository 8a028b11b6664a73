"""Pressure known at scattered points, carried to a surface.

Linear on a triangulation of the points projected along one direction, nearest value outside it.
A surface that no one direction sees whole, such as a tube, is mapped in pieces, each along its own
normal and from the points that lie on it and round it. A point at an element's centre gives that
element its mean. The share of area that is extrapolated and the resultants before and after are
reported.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
import scipy.sparse as sp
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.shell.assembly import groups
from tartan.core.shell.loads import point_places, pressure, resultant
from tartan.core.shell.mesh import Mesh

Array = NDArray[np.float64]
Index = NDArray[np.int64]

SEEN = 0.5
"""A surface whose normals all lie within this cosine of one direction is mapped along it."""

ROUND = 0.3
"""Points on elements within this cosine of a piece's direction take part in its mapping."""

AT_CENTRE = 1e-6
"""Points this near to an element's centre, as a share of its size, stand for the element."""

_GRID = np.stack(np.meshgrid(*[[-1.0, 0.0, 1.0]] * 3), axis=-1).reshape(-1, 3)
_GRID = _GRID[np.abs(_GRID).any(axis=1)]
_WAYS = _GRID / np.linalg.norm(_GRID, axis=1, keepdims=True)

FAR = 0.5
"""Points whose box is farther from the part than this share of its size miss it."""


@dataclass(frozen=True, eq=False)
class Mapped:
    """A mapped pressure.

    Attributes
    ----------
    values : ndarray, shape (m, 4)
        Pressure at the sampling points [Pa].
    outside : float
        Share of the area where the nearest value was taken [1].
    force : ndarray, shape (6,)
        Force [N] and moment about the origin [N·m] of the mapped pressure along the normal.
    given : ndarray, shape (3,)
        Force of the table itself: pressures on the triangles between its points, along their
        normals turned to the part's side [N]; NaN when the points span no surface. Of a surface
        mapped in pieces every point stands for the area nearest to it.
    """

    values: Array
    outside: float
    force: Array
    given: Array


def map_pressure(mesh: Mesh, points: Array, values: Array, along: Array | None = None) -> Mapped:
    """Carry scattered pressures to a surface.

    Parameters
    ----------
    mesh : Mesh
        The surface.
    points : ndarray, shape (q, 3)
        Where the pressure is known [m].
    values : ndarray, shape (q,)
        Pressure, positive along the laying direction [Pa].
    along : ndarray, shape (3,), optional
        Direction of projection; the mean normal by default.

    Raises
    ------
    PartError
        Fewer than three points, values that are not finite, or points that miss the part.
    """
    points, values = np.asarray(points, float), np.asarray(values, float)
    if points.ndim != 2 or len(points) < 3 or len(points) != len(values):
        raise PartError(
            "A pressure table needs three points or more with a value each.",
            "Pressure table",
            "Give rows of x, y, z, p.",
        )
    if not (np.isfinite(points).all() and np.isfinite(values).all()):
        row = int(np.flatnonzero(~np.isfinite(np.column_stack([points, values])).all(axis=1))[0])
        raise PartError(
            "A value is not a finite number.", f"Pressure table, row {row + 1}", "Mend it."
        )
    places = point_places(mesh)
    flat = places.reshape(-1, 3)
    _check_near(points, flat)
    found, inside = np.empty(len(flat)), np.zeros(len(flat), bool)
    given = np.full(3, np.nan)
    pieces = _pieces(mesh, points, along)
    for piece in pieces:
        rows = (4 * piece.elements[:, None] + np.arange(4)).ravel()
        own = piece.points
        found[rows], inside[rows], net = _interpolated(
            points[own], values[own], flat[rows], piece.way
        )
        if net is not None and len(pieces) == 1:
            given = _given_force(points[own], values[own], net.simplices, piece.way)
    if len(pieces) > 1:
        # No one triangulation spans the table: each point stands for the part nearest to it.
        nearest = values[scipy.spatial.cKDTree(points).query(flat)[1]].reshape(mesh.count, 4)
        given = resultant(mesh, pressure(mesh, nearest))[:3]
    mapped = _centred(mesh, points, values, found.reshape(mesh.count, 4))
    area = np.broadcast_to(mesh.areas()[:, None] / 4, (mesh.count, 4))
    outside = float((area * ~inside.reshape(mesh.count, 4)).sum() / area.sum())
    return Mapped(mapped, outside, resultant(mesh, pressure(mesh, mapped)), given)


@dataclass(frozen=True, eq=False)
class _Piece:
    """Elements mapped along one direction, and the points that they are mapped from."""

    elements: Index
    points: Index
    way: Array


def _pieces(mesh: Mesh, points: Array, along: Array | None) -> list[_Piece]:
    """Cut the surface into pieces that their own direction sees whole."""
    normals, every = mesh.normals(), np.arange(mesh.count)
    mean = (normals * mesh.areas()[:, None]).sum(axis=0)
    way = mean if along is None else np.asarray(along, float)
    length = float(np.linalg.norm(way))
    if along is not None or (length > 0 and (normals @ way / length > SEEN).all()):
        return [_Piece(every, np.arange(len(points)), way / max(length, 1e-300))]
    cosines = normals @ _WAYS.T
    best = cosines.argmax(axis=1)
    nearest = scipy.spatial.cKDTree(mesh.centres()).query(points)[1]
    touches = _touches(mesh)
    beside = (touches @ touches.T).tocsr()
    found = []
    for number in np.unique(best):
        of = best == number
        seen = cosines[:, number] > ROUND
        label = sp.csgraph.connected_components(beside[of][:, of], directed=False)[1]
        for one in np.unique(label):
            elements = np.flatnonzero(of)[label == one]
            near = _grown(beside, elements, seen)
            own = np.flatnonzero(near[nearest])
            if len(own) == 0:
                own = np.arange(len(points))
            found.append(_Piece(elements, own, _WAYS[number]))
    return found


def _grown(beside: sp.csr_matrix, elements: Index, seen: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Elements joined to some within those that are seen."""
    label = np.full(len(seen), -1)
    where = np.flatnonzero(seen)
    label[where] = sp.csgraph.connected_components(beside[where][:, where], directed=False)[1]
    found: NDArray[np.bool_] = np.isin(label, label[elements]) & seen
    return found


def _touches(mesh: Mesh) -> sp.csr_matrix:
    rows = np.concatenate([np.repeat(g.which, g.nodes.shape[1]) for g in groups(mesh)])
    nodes = np.concatenate([g.nodes.ravel() for g in groups(mesh)])
    return sp.coo_matrix(
        (np.ones(len(rows)), (rows, nodes)), (mesh.count, len(mesh.nodes))
    ).tocsr()


def _interpolated(
    points: Array, values: Array, target: Array, way: Array
) -> tuple[Array, NDArray[np.bool_], scipy.spatial.Delaunay | None]:
    """Values at targets, which of them lie among the points, and the points' triangulation."""
    nearest = values[scipy.spatial.cKDTree(points).query(target)[1]]
    basis = _across(way)
    plane, flat = points @ basis.T, target @ basis.T
    try:
        net = scipy.spatial.Delaunay(plane)
    except (scipy.spatial.QhullError, ValueError):
        # All points on one line, or too few: only the nearest value is left.
        return nearest, np.zeros(len(target), bool), None
    found = scipy.interpolate.LinearNDInterpolator(net, values)(flat)
    inside = np.isfinite(found)
    return np.where(inside, found, nearest), inside, net


def _centred(mesh: Mesh, points: Array, values: Array, mapped: Array) -> Array:
    """Shift elements with a point at their centre so that its value is their mean."""
    gap, near = scipy.spatial.cKDTree(points).query(mesh.centres())
    at = np.flatnonzero(gap <= AT_CENTRE * np.sqrt(mesh.areas()))
    # The fourth point of a triangle is its centre and carries no weight.
    mean = mesh.point_mean(mapped[..., None])[at, 0]
    found = mapped.copy()
    found[at] += (values[near[at]] - mean)[:, None]
    return found


def _check_near(points: Array, flat: Array) -> None:
    low, high = flat.min(axis=0), flat.max(axis=0)
    size = float(np.linalg.norm(high - low))
    gap = np.maximum(np.maximum(low - points.max(axis=0), points.min(axis=0) - high), 0.0)
    if float(np.linalg.norm(gap)) > FAR * size:
        raise PartError(
            "The points of the pressure table lie far from the part.",
            "Pressure table",
            "Check their unit and their axes against the part's.",
        )


def _across(way: Array) -> Array:
    """Two unit vectors across a direction, shape (2, 3)."""
    helper = np.eye(3)[int(np.abs(way).argmin())]
    first = np.cross(way, helper)
    first /= np.linalg.norm(first)
    return np.stack([first, np.cross(way, first)])


def _given_force(points: Array, values: Array, simplices: NDArray[np.intp], way: Array) -> Array:
    x = points[simplices]
    cross = np.cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0]) / 2
    cross *= np.sign(cross @ way)[:, None]
    return np.asarray((values[simplices].mean(axis=1)[:, None] * cross).sum(axis=0))
