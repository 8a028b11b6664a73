"""Pressure known at scattered points, carried to a surface.

Linear on a triangulation of the points projected along one direction, nearest value outside it;
the share of area that is extrapolated and the resultants before and after are reported.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import Delaunay, QhullError, cKDTree

from tartan.core.errors import PartError
from tartan.core.shell.loads import point_places, pressure, resultant
from tartan.core.shell.mesh import Mesh

Array = NDArray[np.float64]

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
        normals turned to the part's side [N]; NaN when the points span no surface.
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
        raise PartError("A pressure table needs three points or more with a value each.",
                        "Pressure table", "Give rows of x, y, z, p.")  # fmt: skip
    if not (np.isfinite(points).all() and np.isfinite(values).all()):
        row = int(np.flatnonzero(~np.isfinite(np.column_stack([points, values])).all(axis=1))[0])
        raise PartError("A value is not a finite number.", f"Pressure table, row {row + 1}",
                        "Mend it.")  # fmt: skip
    places = point_places(mesh)
    flat = places.reshape(-1, 3)
    _check_near(points, flat)
    normals = mesh.normals() * mesh.areas()[:, None]
    way = normals.sum(axis=0) if along is None else np.asarray(along, float)
    basis = _across(way / max(float(np.linalg.norm(way)), 1e-300))
    plane, target = points @ basis.T, flat @ basis.T
    nearest = values[cKDTree(plane).query(target)[1]]
    given = np.full(3, np.nan)
    inside = np.zeros(len(flat), bool)
    found = nearest
    try:
        net = Delaunay(plane)
    except QhullError:
        # All points on one line: only the nearest value is left.
        net = None
    if net is not None:
        simplex = net.find_simplex(target)
        inside = simplex >= 0
        found = np.where(inside, _linear(net, simplex, target, values), nearest)
        given = _given_force(points, values, net.simplices, way)
    mapped = found.reshape(mesh.count, 4)
    area = np.broadcast_to(mesh.areas()[:, None] / 4, (mesh.count, 4))
    outside = float((area * ~inside.reshape(mesh.count, 4)).sum() / area.sum())
    return Mapped(mapped, outside, resultant(mesh, pressure(mesh, mapped)), given)


def _check_near(points: Array, flat: Array) -> None:
    low, high = flat.min(axis=0), flat.max(axis=0)
    size = float(np.linalg.norm(high - low))
    gap = np.maximum(np.maximum(low - points.max(axis=0), points.min(axis=0) - high), 0.0)
    if float(np.linalg.norm(gap)) > FAR * size:
        raise PartError("The points of the pressure table lie far from the part.",
                        "Pressure table",
                        "Check their unit and their axes against the part's.")  # fmt: skip


def _across(way: Array) -> Array:
    """Two unit vectors across a direction, shape (2, 3)."""
    helper = np.eye(3)[int(np.abs(way).argmin())]
    first = np.cross(way, helper)
    first /= np.linalg.norm(first)
    return np.stack([first, np.cross(way, first)])


def _linear(net: Delaunay, simplex: NDArray[np.intp], target: Array, values: Array) -> Array:
    chosen = np.maximum(simplex, 0)
    transform = net.transform[chosen]
    part = np.einsum("nij,nj->ni", transform[:, :2], target - transform[:, 2])
    weights = np.column_stack([part, 1 - part.sum(axis=1)])
    return np.asarray((weights * values[net.simplices[chosen]]).sum(axis=1))


def _given_force(points: Array, values: Array, simplices: NDArray[np.intp], way: Array) -> Array:
    x = points[simplices]
    cross = np.cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0]) / 2
    cross *= np.sign(cross @ way)[:, None]
    return np.asarray((values[simplices].mean(axis=1)[:, None] * cross).sum(axis=0))
