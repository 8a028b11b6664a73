"""Nodal forces of pressures, edge forces and accelerations, consistent with the element."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.shell.assembly import blocks, groups
from tartan.core.shell.inertia import driven
from tartan.core.shell.mesh import Mesh

Array = NDArray[np.float64]
Index = NDArray[np.int64]


def point_places(mesh: Mesh) -> Array:
    """Positions of the sampling points of all elements, shape (m, 4, 3) [m]."""
    found = np.empty((mesh.count, 4, 3))
    for part in groups(mesh):
        N, _ = part.form.points(mesh.nodes[part.nodes])
        found[part.which] = np.einsum("pi,mic->mpc", N, mesh.nodes[part.nodes])
    return found


def traction(mesh: Mesh, vectors: Array) -> Array:
    """Forces of a traction.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    vectors : ndarray, shape (m, 4, 3) or broadcast to it
        Force per area at the sampling points, in global axes [Pa].

    Returns
    -------
    ndarray, shape (n, 6)
        Nodal forces [N] and moments (zero).
    """
    each = np.broadcast_to(vectors, (mesh.count, 4, 3))
    forces = np.zeros((len(mesh.nodes), 6))
    for part in groups(mesh):
        N, area = part.form.points(mesh.nodes[part.nodes])
        size = np.linalg.norm(area, axis=-1)
        per_corner = np.einsum("pi,mp,mpc->mic", N, size, each[part.which])
        np.add.at(forces[:, :3], part.nodes, per_corner)
    return forces


def pressure(mesh: Mesh, value: float | Array) -> Array:
    """Forces of a traction along the laying direction; it follows the face, not its bending.

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
    each = np.broadcast_to(np.asarray(value, float), (mesh.count, 4))
    forces = np.zeros((len(mesh.nodes), 6))
    for part in groups(mesh):
        N, area = part.form.points(mesh.nodes[part.nodes])
        np.add.at(
            forces[:, :3], part.nodes, np.einsum("pi,mp,mpc->mic", N, each[part.which], area)
        )
    return forces


def acceleration(mesh: Mesh, moments: float | Array, vector: Array) -> Array:
    """Forces of mass times acceleration, consistent with the mass matrix.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    moments : float or ndarray, shape (m,) or (m, 3)
        I0, I1, I2 about the reference surface, as `mass_moments` gives [kg/m², kg/m, kg]; or
        the mass per area alone, which then lies in the reference surface. What lies beside it
        turns it by I1 times the acceleration.
    vector : ndarray, shape (3,)
        Direction in which the mass is driven, (0, 0, -9.81) for weight [m/s²].
    """
    given = np.asarray(moments, float)
    if given.ndim < 2:
        given = np.broadcast_to(given, (mesh.count,))[:, None] * np.array([1.0, 0.0, 0.0])
    each = np.broadcast_to(given, (mesh.count, 3))
    forces = np.zeros(len(mesh.nodes) * 6)
    for part in blocks(mesh):
        found = driven(mesh.nodes[part.nodes], each[part.which], np.asarray(vector))
        np.add.at(forces, part.unknowns, found)
    return forces.reshape(-1, 6)


def free_strain(mesh: Mesh, reference: Array, resultants: Array) -> Array:
    """Forces that make a free shell take on its thermal or moisture strains.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    reference : ndarray, shape (3,) or (m, 3)
        Reference direction of the laminate.
    resultants : ndarray, shape (6,) or (m, 6)
        What it would take to hold each element's laminate, uniform over the element [N/m, N].

    Returns
    -------
    ndarray, shape (n, 6)
        Nodal forces [N] and moments [N·m]. Enhanced and deviatoric strains of an element average
        to nothing, so uniform resultants do no work on them.
    """
    each = np.broadcast_to(resultants, (mesh.count, 6))
    forces = np.zeros(len(mesh.nodes) * 6)
    for part in blocks(mesh):
        op = part.operators(mesh, reference)
        per_element = np.einsum("mp,mpse,ms->me", op.area, op.B[:, :, :6], each[part.which])
        np.add.at(forces, part.unknowns, per_element)
    return forces.reshape(-1, 6)


def spread(mesh: Mesh, nodes: Index, force: Array, moment: Array | None = None) -> Array:
    """Total force and moment spread over nodes, by the area that belongs to each.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    nodes : ndarray of int
        Where they act: a region, an edge, or the neighbours of a point.
    force, moment : ndarray, shape (3,)
        Total force [N], and moment [N·m] about the nodes' middle.

    Raises
    ------
    PartError
        When there are no nodes, or they cannot carry the moment as forces.
    """
    if len(nodes) == 0:
        raise PartError("The load acts on nothing.", "Load", "Choose an edge, region or point.")
    weight = node_areas(mesh)[nodes]
    weight = weight / weight.sum()
    forces = np.zeros((len(mesh.nodes), 6))
    forces[nodes, :3] = weight[:, None] * force
    if moment is None or not np.any(moment):
        return forces
    if len(nodes) == 1:
        forces[nodes, 3:] = moment
        return forces
    arm = mesh.nodes[nodes] - weight @ mesh.nodes[nodes]
    # Forces f = w (a × r) with J a = moment: they have no resultant force.
    J = np.einsum("n,nij->ij", weight, _inertia(arm))
    values = np.linalg.eigvalsh(J)
    if values[0] < 1e-9 * values[-1]:
        # Nodes on a line carry a moment about it as nodal moments.
        forces[nodes, 3:] = weight[:, None] * moment
        return forces
    forces[nodes, :3] += weight[:, None] * np.cross(np.linalg.solve(J, moment), arm)
    return forces


def node_areas(mesh: Mesh) -> Array:
    """Area that belongs to every node, shape (n,) [m²]."""
    found = np.zeros(len(mesh.nodes))
    areas = mesh.areas()
    for part in groups(mesh):
        width = part.nodes.shape[1]
        np.add.at(found, part.nodes, np.repeat(areas[part.which, None] / width, width, axis=1))
    return found


def _inertia(arm: Array) -> Array:
    square = (arm**2).sum(axis=1)
    return np.asarray(square[:, None, None] * np.eye(3) - arm[:, :, None] * arm[:, None, :])


def neighbours(mesh: Mesh, at: Array, reach: float) -> Index:
    """Nodes, shape (q,), within a distance [m] of a point, shape (3,); the nearest if none is."""
    distance = np.linalg.norm(mesh.nodes - at, axis=1)
    near = np.flatnonzero(distance <= reach)
    return near if len(near) else np.array([int(distance.argmin())])


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
    spans *= _are_sides(mesh, edge)
    half = spans[:, None] / 2 * per_length
    np.add.at(forces[:, :3], edge[:-1], half)
    np.add.at(forces[:, :3], edge[1:], half)
    return forces


def _are_sides(mesh: Mesh, chain: Index) -> NDArray[np.bool_]:
    """Whether neighbours in a chain are joined by an element's side: edges may be of pieces."""
    count = len(mesh.nodes)
    ends = [
        np.stack([p.nodes, np.roll(p.nodes, -1, axis=1)], axis=2).reshape(-1, 2)
        for p in groups(mesh)
    ]
    sides = np.sort(np.concatenate(ends), axis=1)
    own = np.sort(np.stack([chain[:-1], chain[1:]], axis=1), axis=1)
    return np.isin(own[:, 0] * count + own[:, 1], sides[:, 0] * count + sides[:, 1])


def resultant(mesh: Mesh, forces: Array) -> Array:
    """Total force [N] and moment about the origin [N·m], shape (6,)."""
    moment = np.cross(mesh.nodes, forces[:, :3]) + forces[:, 3:]
    return np.concatenate([forces[:, :3].sum(axis=0), moment.sum(axis=0)])
