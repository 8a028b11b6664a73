"""A piece of a shell as solids, its cut faces moved as the shell says.

Every quadrilateral becomes a column of bricks, ply by ply, along the normals at its corners. Where
the piece was cut out of the shell, all nodes of the cut move with the shell's displacement and
turn; a rim of the shell is a free face.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.response import level_heights
from tartan.core.laminate.stiffness import Laminate
from tartan.core.solid import element, model
from tartan.core.solid.constants import expansion, ply_axes, stiffness, strain_turn, turned
from tartan.core.solid.homogenised import effective, effective_expansion
from tartan.core.solid.model import SolidMesh
from tartan.core.solid.reading import LEVELS_OF_LAYER, of_column, of_one
from tartan.core.solid.slab import layers_of

Array = NDArray[np.float64]
Index = NDArray[np.int64]


DEEPEST = 1 / 8
"""Share of the thickness that a layer has at most: a core needs several to bend its shear."""


@dataclass(frozen=True, eq=False)
class Patch:
    """What is made solid.

    Attributes
    ----------
    nodes, normals : ndarray, shape (n, 3)
        On the reference surface [m], and the directions that plies are stacked along.
    quads : ndarray of int, shape (q, 4)
        Corners, counter-clockwise about the normals.
    z : ndarray, shape (n, plies + 1)
        Heights of the faces of the plies over the nodes [m].
    axes : ndarray, shape (q, 3, 3)
        Rows are 0°, 90° and the normal of every quadrilateral.
    laminates : tuple of Laminate
        Of the quadrilaterals, all of the same plies at whatever angles.
    cut : ndarray of bool, shape (n,)
        Nodes that move with the shell.
    moves : ndarray, shape (n, 6)
        Displacements [m] and turns [rad] of the shell.
    stretch : ndarray, shape (n, plies, 2)
        Strain across every ply at its bottom and top, as `stretch_of` gives: plies of a shell
        become thinner as they are pulled, and the cut does not keep them from it.
    pressure : ndarray, shape (q, 2)
        On the lower and the upper face, positive inwards [Pa].
    heat : ndarray, shape (2,)
        Temperature change at mid-thickness [K], and its growth along the normals [K/m].
    driven : ndarray, shape (3,)
        Acceleration that drives the mass, (0, 0, -9.81) for weight [m/s²].
    """

    nodes: Array
    normals: Array
    quads: Index
    z: Array
    axes: Array
    laminates: tuple[Laminate, ...]
    cut: NDArray[np.bool_]
    moves: Array
    stretch: Array
    pressure: Array
    heat: Array
    driven: Array

    @property
    def plies(self) -> int:
        """Number of plies."""
        return int(self.z.shape[1]) - 1


@dataclass(frozen=True, eq=False)
class SolidPatch:
    """A patch, solved.

    Attributes
    ----------
    mesh : SolidMesh
        Bricks, layer by layer from below, in each in the order of the quadrilaterals.
    ply : ndarray of int, shape (layers,)
        Ply of every layer.
    z : ndarray, shape (n, layers + 1)
        Heights of the layers' faces over the nodes [m].
    u : ndarray, shape (nodes, 3)
        Displacements [m].
    free : ndarray, shape (bricks, 2, 6)
        Free strains of a temperature, at the lower and upper faces.
    unknowns : int
        Unknowns that were solved for.
    """

    patch: Patch
    mesh: SolidMesh
    ply: Index
    z: Array
    u: Array
    free: Array
    unknowns: int

    def column(self, quad: int) -> Array:
        """Stresses over a quadrilateral by ply and level in ply axes, (plies, 3, 6) [Pa]."""
        patch = self.patch
        if len(self.ply) < patch.plies:
            return self._of_one(quad)
        which = np.arange(len(self.ply)) * len(patch.quads) + quad
        strain = element.strains(
            self.mesh.corners(which),
            self.mesh.C[which],
            self.u[self.mesh.bricks[which]].reshape(len(which), 24),
            LEVELS_OF_LAYER,
            self.free[which],
        )
        bears = strain - element.free_at(self.free[which], LEVELS_OF_LAYER)
        stress = np.einsum("mst,mpt->mps", self.mesh.C[which], bears)
        # Stress goes with the inverse transpose of what strain goes with.
        local = stress @ np.linalg.inv(strain_turn(patch.axes[quad]))
        z = self.z[patch.quads[quad]].mean(axis=0)
        faces = np.zeros((2, 3))
        faces[:, 0] = -patch.pressure[quad]
        return of_column(patch.laminates[quad], z, self.ply, local, faces)

    def _of_one(self, quad: int) -> Array:
        """The same of one layer in place of all plies."""
        laminate = self.patch.laminates[quad]
        natural = (2 * (level_heights(laminate) - laminate.z[0]) / laminate.thickness - 1).ravel()
        points = np.stack([np.zeros_like(natural), np.zeros_like(natural), natural], axis=1)
        which = np.array([quad])
        own = self.u[self.mesh.bricks[which]].reshape(1, 24)
        found = element.strains(
            self.mesh.corners(which), self.mesh.C[which], own, points, self.free[which]
        )[0]
        turn = strain_turn(self.patch.axes[quad])
        strain = (found @ turn.T).reshape(laminate.count, 3, 6)
        return of_one(laminate, strain, self.patch.heat)


def stretch_of(laminate: Laminate, section: Array, heat: Array) -> Array:
    """Strain across the plies of a shell's section strains, at their bottoms and tops.

    Nothing acts across the plies of a shell: what they are stretched within and warmed by is what
    they are stretched by across.

    Parameters
    ----------
    laminate : Laminate
        The plies.
    section : ndarray, shape (8,)
        Strains and curvatures, and transverse shear.
    heat : ndarray, shape (2,)
        As of `Patch`.

    Returns
    -------
    ndarray, shape (n, 2)
    """
    z = np.stack([laminate.z[:-1], laminate.z[1:]], axis=1)
    within = section[:3] + z[..., None] * section[3:6]
    own = np.einsum("nij,nlj->nli", laminate.T, within)
    warm = heat[0] + heat[1] * (z - (laminate.z[0] + laminate.z[-1]) / 2)
    found = np.empty(z.shape)
    for k, m in enumerate(laminate.materials):
        C = stiffness(m)
        a1, a2, a3 = expansion(m)
        share = C[2, 0] * (own[k, :, 0] - a1 * warm[k]) + C[2, 1] * (own[k, :, 1] - a2 * warm[k])
        found[k] = a3 * warm[k] - share / C[2, 2]
    return found


def _swelling(patch: Patch, z: Array, ply: Index) -> Array:
    """How far the faces of layers go along the normals at the nodes, (n, layers + 1) [m]."""
    found = np.zeros_like(z)
    for k in range(patch.plies):
        faces = np.concatenate([np.flatnonzero(ply == k), [np.flatnonzero(ply == k)[-1] + 1]])
        low, high = patch.z[:, k, None], patch.z[:, k + 1, None]
        share = (z[:, faces] - low) / (high - low)
        bottom, top = patch.stretch[:, k, :1], patch.stretch[:, k, 1:]
        own = (high - low) * (bottom * share + (top - bottom) * share**2 / 2)
        found[:, faces] = found[:, faces[:1]] + own
    # What the shell moves is its reference surface, or the face nearest to it.
    for node, heights in enumerate(z):
        found[node] -= np.interp(0.0, heights, found[node])
    return found


def _layers(patch: Patch, per_ply: int) -> tuple[Array, Index]:
    """Heights of the faces of layers over the nodes, (n, layers + 1), and their plies."""
    counts = layers_of(np.diff(patch.z, axis=1).mean(axis=0), per_ply, DEEPEST)
    found = [patch.z[:, :1]]
    for k, count in enumerate(counts):
        low, high = patch.z[:, k, None], patch.z[:, k + 1, None]
        found.append(low + (high - low) * np.arange(1, count + 1) / count)
    return np.concatenate(found, axis=1), np.repeat(np.arange(patch.plies), counts)


def _bricks(patch: Patch, z: Array) -> tuple[Array, Index]:
    """Nodes, layer line by layer line, and bricks."""
    n, layers = len(patch.nodes), z.shape[1] - 1
    nodes = patch.nodes[None] + z.T[:, :, None] * patch.normals[None]
    below = patch.quads[None] + n * np.arange(layers)[:, None, None]
    bricks = np.concatenate([below, below + n], axis=2)
    return nodes.reshape(-1, 3), bricks.reshape(-1, 8)


def _plies(patch: Patch, ply: Index, z: Array) -> tuple[Array, Array]:
    """Stiffness and free strains of the bricks of plies, in global axes."""
    angles = np.array([x.angles for x in patch.laminates])
    materials = patch.laminates[0].materials
    faces = z[patch.quads].mean(axis=1)
    over = faces - (faces[:, :1] + faces[:, -1:]) / 2
    C, free = [], []
    known = {id(m): stiffness(m) for m in materials}
    for layer, p in enumerate(ply):
        axes = ply_axes(angles[:, p]) @ patch.axes
        C.append(turned(known[id(materials[p])], axes))
        m = materials[p]
        alpha = np.array([*expansion(m), 0.0, 0.0, 0.0])
        warm = patch.heat[0] + patch.heat[1] * over[:, layer : layer + 2]
        back = np.linalg.inv(strain_turn(axes))
        free.append(np.einsum("qst,t->qs", back, alpha)[:, None] * warm[..., None])
    return np.concatenate(C), np.concatenate(free)


def _forces(patch: Patch, mesh: SolidMesh, ply: Index, free: Array) -> Array:
    """Nodal forces of pressures, temperature and acceleration, shape (nodes, 3) [N]."""
    found = np.zeros((len(mesh.nodes), 3))
    n = len(patch.nodes)
    for face, (nodes, sign) in enumerate(((mesh.nodes[:n], 1.0), (mesh.nodes[-n:], -1.0))):
        corners = nodes[patch.quads]
        first = 0 if face == 0 else len(mesh.nodes) - n
        for at in np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) / np.sqrt(3.0):
            share, along, over = _on_face(at)
            area = np.cross(
                np.einsum("k,qki->qi", along, corners), np.einsum("k,qki->qi", over, corners)
            )
            push = sign * patch.pressure[:, face, None] * area
            np.add.at(found, first + patch.quads, share[None, :, None] * push[:, None])
    if free.any():
        for start in range(0, len(mesh.bricks), model.BLOCK):
            some = slice(start, start + model.BLOCK)
            own = element.free_forces(mesh.corners(some), mesh.C[some], free[some])
            np.add.at(found, mesh.bricks[some], own.reshape(-1, 8, 3))
    if patch.driven.any():
        # A corner bears the mass that the shape function of the brick gives it.
        density = np.repeat(_densities(patch, ply), len(patch.quads))
        for at in element.GAUSS:
            volume = np.linalg.det(element.slopes(at) @ mesh.corners())
            mass = (density * volume)[:, None] * element.shape(at)
            np.add.at(found, mesh.bricks, mass[..., None] * patch.driven)
    return found


def _densities(patch: Patch, ply: Index) -> Array:
    """Density of every layer; of one layer in place of all plies the mean [kg/m³]."""
    laminate = patch.laminates[0]
    if len(ply) < patch.plies:
        return np.array([laminate.areal_mass / laminate.thickness])
    return np.array([laminate.materials[p].need("rho", "the acceleration") for p in ply])


def _on_face(at: Array) -> tuple[Array, Array, Array]:
    """Shape functions of a face at a point, and their slopes along and over."""
    xi, eta = np.array([-1, 1, 1, -1]), np.array([-1, -1, 1, 1])
    along, over = xi * (1 + at[1] * eta) / 4, eta * (1 + at[0] * xi) / 4
    return (1 + at[0] * xi) * (1 + at[1] * eta) / 4, along, over


def check_room(laminate: Laminate, nodes: int, per_ply: int = 1) -> None:
    """Refuse a piece of so many nodes of the shell that memory will not hold, before it is cut.

    Raises
    ------
    PartError
        As `solve`.
    """
    layers = int(layers_of(np.diff(laminate.z), per_ply, DEEPEST).sum()) + 1
    model.check_size(nodes * layers, layers)


def solve(patch: Patch, per_ply: int = 1) -> SolidPatch:
    """Solve a patch ply by ply, with at least so many layers through every ply.

    Raises
    ------
    PartError
        What memory does not hold.
    MaterialError
        A material without what three dimensions need.
    MechanismError
        A piece that can move: nothing of it was cut.
    """
    z, ply = _layers(patch, per_ply)
    model.check_size(z.size, z.shape[1])
    swelling = _swelling(patch, z, ply)
    nodes, bricks = _bricks(patch, z)
    C, free = _plies(patch, ply, z)
    return _solved(patch, SolidMesh(nodes, bricks, C), (z, swelling), (ply, free))


def _solved(
    patch: Patch, mesh: SolidMesh, heights: tuple[Array, Array], of: tuple[Index, Array]
) -> SolidPatch:
    (z, swelling), (ply, free) = heights, of
    fixed = np.repeat(np.tile(patch.cut, z.shape[1])[:, None], 3, axis=1)
    arm = z.T[:, :, None] * patch.normals[None]
    moves = patch.moves[None, :, :3] + np.cross(patch.moves[None, :, 3:], arm)
    moves = moves + swelling.T[:, :, None] * patch.normals[None]
    u = model.solve(mesh, _forces(patch, mesh, ply, free), fixed, moves.reshape(-1, 3))
    return SolidPatch(patch, mesh, ply, z, u, free, int((~fixed).sum()))


def as_one(patch: Patch) -> SolidPatch:
    """Solve a patch of one homogenised layer.

    Raises
    ------
    PartError, MaterialError, MechanismError
        As `solve`.
    """
    model.check_size(2 * len(patch.nodes), 2)
    z, ply = _layers(patch, 1)
    swelling = _swelling(patch, z, ply)[:, [0, -1]]
    z = z[:, [0, -1]]
    nodes, bricks = _bricks(patch, z)
    # Quadrilaterals share laminates: each is worked out once.
    each = {id(x): x for x in patch.laminates}
    known = {k: effective(x) for k, x in each.items()}
    C = np.array(
        [turned(known[id(x)], a) for x, a in zip(patch.laminates, patch.axes, strict=True)]
    )
    half = (z[:, -1] - z[:, 0])[patch.quads].mean(axis=1) / 2
    alpha = {k: effective_expansion(x) for k, x in each.items()}
    back = np.linalg.inv(strain_turn(patch.axes))
    own = np.array([back[q] @ alpha[id(x)] for q, x in enumerate(patch.laminates)])
    warm = patch.heat[0] + patch.heat[1] * np.stack([-half, half], axis=1)
    free = own[:, None] * warm[..., None]
    of = np.zeros(1, np.int64), free
    return _solved(patch, SolidMesh(nodes, bricks, C), (z, swelling), of)
