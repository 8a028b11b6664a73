"""Nodal forces of pressures, edge forces and accelerations, consistent with the element."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.element import GAUSS, operators, shape
from tartan.core.shell.mesh import Mesh

Array = NDArray[np.float64]
Index = NDArray[np.int64]


def _area_vectors(mesh: Mesh) -> Array:
    """Normal times area at the sampling points, shape (m, 4, 3) [m²]."""
    _, dN = shape(GAUSS)
    g = np.einsum("pai,mic->mpac", dN, mesh.corners())
    return np.cross(g[:, :, 0], g[:, :, 1])


def _gather(mesh: Mesh, per_corner: Array) -> Array:
    """Sum forces at element corners, shape (m, 4, 3), into nodal unknowns, shape (n, 6)."""
    forces = np.zeros((len(mesh.nodes), 6))
    np.add.at(forces[:, :3], mesh.quads, per_corner)
    return forces


def pressure(mesh: Mesh, value: float | Array) -> Array:
    """Forces of a traction along the laying direction.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    value : float or ndarray, shape (m, 4)
        Traction along the normal, uniform or at the sampling points [Pa].

    Returns
    -------
    ndarray, shape (n, 6)
        Nodal forces [N] and moments (zero).
    """
    N, _ = shape(GAUSS)
    traction = np.broadcast_to(np.asarray(value, float), (len(mesh.quads), 4))
    return _gather(mesh, np.einsum("pi,mp,mpc->mic", N, traction, _area_vectors(mesh)))


def acceleration(mesh: Mesh, areal_mass: float | Array, vector: Array) -> Array:
    """Forces of mass times acceleration.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    areal_mass : float or ndarray, shape (m,)
        Mass per area [kg/m²].
    vector : ndarray, shape (3,)
        Direction in which the mass is driven, (0, 0, -9.81) for weight [m/s²].
    """
    N, _ = shape(GAUSS)
    area = np.linalg.norm(_area_vectors(mesh), axis=-1)
    mass = np.broadcast_to(np.asarray(areal_mass, float), (len(mesh.quads),))
    per_corner = np.einsum("pi,mp,m->mi", N, area, mass)
    return _gather(mesh, per_corner[..., None] * vector)


def free_strain(mesh: Mesh, reference: Array, resultants: Array) -> Array:
    """Forces that make a free shell take on its thermal or moisture strains.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    reference : ndarray, shape (3,)
        Reference direction of the laminate.
    resultants : ndarray, shape (6,)
        What it would take to hold the laminate, uniform over the shell [N/m, N].

    Returns
    -------
    ndarray, shape (n, 6)
        Nodal forces [N] and moments [N·m]. The enhanced strains of an element average to
        nothing, so uniform resultants do no work on them.
    """
    op = operators(mesh.corners(), reference)
    per_element = np.einsum("mp,mpse,s->me", op.area, op.B[:, :, :6], resultants)
    forces = np.zeros((len(mesh.nodes), 6))
    np.add.at(forces, mesh.quads, per_element.reshape(-1, 4, 6))
    return forces


def edge_force(mesh: Mesh, edge: Index, per_length: Array) -> Array:
    """Forces of a line load along a chain of nodes.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    edge : ndarray of int
        Nodes in order.
    per_length : ndarray, shape (3,)
        Force per length [N/m].
    """
    forces = np.zeros((len(mesh.nodes), 6))
    spans = np.linalg.norm(np.diff(mesh.nodes[edge], axis=0), axis=1)
    half = spans[:, None] / 2 * per_length
    np.add.at(forces[:, :3], edge[:-1], half)
    np.add.at(forces[:, :3], edge[1:], half)
    return forces


def resultant(mesh: Mesh, forces: Array) -> Array:
    """Total force [N] and moment about the origin [N·m], shape (6,)."""
    moment = np.cross(mesh.nodes, forces[:, :3]) + forces[:, 3:]
    return np.concatenate([forces[:, :3].sum(axis=0), moment.sum(axis=0)])
