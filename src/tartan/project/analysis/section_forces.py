"""Section forces of another analysis laid on the part's elements and turned into strains."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy
from numpy.typing import NDArray

from tartan.core.errors import LoadError
from tartan.core.shell.mesh import Mesh
from tartan.project.analysis.shellinputs import Layout
from tartan.project.document.packed_arrays import unpack_rows
from tartan.project.document.partmodel import OutsideForces

Array = NDArray[np.float64]
Index = NDArray[np.int64]

FORCES = 8
"""Nx, Ny, Nxy, Mx, My, Mxy, Qx, Qy."""


@dataclass(frozen=True, eq=False)
class Matched:
    """Rows laid on elements.

    Attributes
    ----------
    forces : ndarray, shape (m, 8)
        N, M, Q; zero where no row fell [N/m, N, N/m].
    found : ndarray of bool, shape (m,)
        Elements that have a row; several on one are averaged.
    farthest : float
        Longest way from a row to the centre of its element; 0 by number [m].
    """

    forces: Array
    found: NDArray[np.bool_]
    farthest: float


@dataclass(frozen=True, eq=False)
class OutsideStrains:
    """Section strains of outside forces, shape (m, 4, 8), and how they were matched."""

    strains: Array
    matched: Matched


@lru_cache(maxsize=16)
def match(mesh: Mesh, outside: OutsideForces) -> Matched:
    """Lay rows on elements.

    Raises
    ------
    PartError
        When a number is not one of an element, or a place is farther from the part than the
        elements are large.
    """
    keys = 1 if outside.by == "element" else 3
    rows = unpack_rows(outside.table, keys + FORCES)
    where = f"Case '{outside.name}', {outside.source}"
    farthest = 0.0
    if outside.by == "element":
        element = rows[:, 0].astype(np.int64)
        strange = (rows[:, 0] != element) | (element < 0) | (element >= mesh.count)
        if strange.any():
            raise LoadError(
                f"There is no element {rows[strange, 0][0] + 1:g}.",
                where,
                f"The part has {mesh.count} elements. Match by position after "
                "another mesh was made.",
            )
    else:
        gap, element = scipy.spatial.cKDTree(mesh.centres()).query(rows[:, :3])
        farthest = float(gap.max())
        size = float(np.sqrt(mesh.areas().max()))
        if farthest > size:
            worst = int(gap.argmax())
            raise LoadError(
                f"Row {worst + 1} lies {farthest * 1e3:.4g} mm from the part.",
                where,
                "Check the unit of length and the axes.",
            )
    total, count = np.zeros((mesh.count, FORCES)), np.zeros(mesh.count)
    np.add.at(total, element, rows[:, keys:])
    np.add.at(count, element, 1.0)
    forces = total / np.maximum(count, 1.0)[:, None]
    return Matched(forces, count > 0, farthest)


def outside_strains(layout: Layout, outside: OutsideForces) -> OutsideStrains:
    """Strains that the forces cause in each element's own section.

    Raises
    ------
    PartError
        As `match`.
    """
    matched = match(layout.mesh, outside)
    strains = np.zeros((layout.mesh.count, FORCES))
    zone = layout.zones.zone
    for number, laminate in enumerate(layout.zones.laminates):
        here = zone == number
        forces = matched.forces[here]
        strains[here, :6] = np.linalg.solve(laminate.ABD, forces[:, :6].T).T
        strains[here, 6:] = np.linalg.solve(laminate.shear, forces[:, 6:].T).T
    return OutsideStrains(np.repeat(strains[:, None], 4, axis=1), matched)
