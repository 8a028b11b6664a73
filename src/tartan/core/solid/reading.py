"""Stresses of plies in their own axes, read of solids through the thickness.

What acts across the plies (σ3, τ13, τ23) is continuous from ply to ply: it is taken from the
middles of all layers, and from the faces, which are known. What acts within them jumps: it is
taken ply by ply.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.response import level_heights, shear_from_section, stress_from_section
from tartan.core.laminate.stiffness import Laminate
from tartan.core.solid import model
from tartan.core.solid.constants import ply_axes, stiffness, strain_turn, turned
from tartan.core.solid.homogenised import (
    ACROSS,
    WITHIN,
    effective,
    effective_expansion,
    parted,
    ply_expansion,
)
from tartan.core.solid.slab import Slab, by_ply

Array = NDArray[np.float64]
Index = NDArray[np.int64]

PLY_ORDER = ("1", "2", "3", "12", "13", "23")
"""Components of a stress in ply axes, in their order."""

NO_HEAT = np.zeros(2)

LEVELS_OF_LAYER = np.array([[0.0, 0.0, -1.0], [0.0, 0.0, 0.0], [0.0, 0.0, 1.0]])


def in_ply_axes(laminate: Laminate, stress: Array) -> Array:
    """Stresses xx, yy, zz, xy, xz, yz by ply and level, shape (n, 3, 6), in ply axes [Pa]."""
    # Stress goes with the inverse transpose of what strain goes with.
    turn = np.linalg.inv(strain_turn(ply_axes(laminate.angles)))
    return np.asarray(np.einsum("nts,nlt->nls", turn, stress))


def by_shell(laminate: Laminate, section: Array) -> Array:
    """Stresses of a shell's section strains, shape (8,), by ply and level, (n, 3, 6) [Pa]."""
    found = np.zeros((laminate.count, 3, 6))
    found[..., [0, 1, 3]] = stress_from_section(laminate, section)
    found[..., [4, 5]] = shear_from_section(laminate, section)
    return found


def by_solids(laminate: Laminate, slab: Slab, u: Array, columns: Index) -> Array:
    """Stresses of solids ply by ply, the mean over columns of elements, (n, 3, 6) [Pa].

    Parameters
    ----------
    laminate : Laminate
        The plies of the slab.
    slab : Slab
        Its elements; its faces bear nothing there.
    u : ndarray, shape (nodes, 3)
        Displacements [m].
    columns : ndarray of int, shape (c, 2)
        Places of the columns in the grid, along x and y.
    """
    layers = np.arange(len(slab.ply))
    each = [
        model.stresses(slab.mesh, u, slab.element(i, j, layers), LEVELS_OF_LAYER)
        for i, j in columns
    ]
    return of_column(laminate, slab.z, slab.ply, np.mean(each, axis=0), np.zeros((2, 3)))


def of_column(laminate: Laminate, z: Array, ply: Index, stress: Array, faces: Array) -> Array:
    """Stresses in ply axes by ply and level, (n, 3, 6), of a column of layers [Pa].

    Parameters
    ----------
    laminate : Laminate
        The plies.
    z : ndarray, shape (layers + 1,)
        Heights of the layers' faces [m].
    ply : ndarray of int, shape (layers,)
        Ply of every layer.
    stress : ndarray, shape (layers, 3, 6)
        At bottom, middle and top of the layers in laminate axes [Pa].
    faces : ndarray, shape (2, 3)
        σz, τxz, τyz on the bottom and the top face [Pa].
    """
    found = np.empty((laminate.count, 3, 6))
    for number in range(laminate.count):
        own = np.flatnonzero(ply == number)
        found[number, 0], found[number, 2] = stress[own[0], 0], stress[own[-1], 2]
        half = len(own) // 2
        middle = stress[own[half], 1] if len(own) % 2 else stress[own[half], 0]
        if len(own) % 2 == 0:
            middle = (middle + stress[own[half - 1], 2]) / 2
        found[number, 1] = middle
    found[..., ACROSS] = across(z, ply, stress[:, 1][:, ACROSS], faces)
    return in_ply_axes(laminate, found)


def across(z: Array, ply: Index, middles: Array, faces: Array) -> Array:
    """What is continuous, from the middles of layers, by ply and level, (n, 3, 3) [Pa].

    A cubic of each ply's own layers where there are enough of them, else straight lines between
    the middles of all and the faces.

    Parameters
    ----------
    z, ply, faces : ndarray
        As of `of_column`, shapes (layers + 1,), (layers,) and (2, 3).
    middles : ndarray, shape (layers, 3)
        At the middles of the layers [Pa].
    """
    plies = int(ply.max()) + 1
    if len(ply) >= 4 * plies:
        found = by_ply(z, ply, middles)
        for k in range(plies - 1):
            found[k, 2] = found[k + 1, 0] = (found[k, 2] + found[k + 1, 0]) / 2
        found[0, 0], found[-1, 2] = faces
        return found
    heights = np.concatenate([z[:1], (z[1:] + z[:-1]) / 2, z[-1:]])
    values = np.concatenate([faces[:1], middles, faces[1:]])
    found = np.empty((plies, 3, 3))
    for k in range(plies):
        own = np.flatnonzero(ply == k)
        low, high = z[own[0]], z[own[-1] + 1]
        for level, at in enumerate((low, (low + high) / 2, high)):
            found[k, level] = [np.interp(at, heights, values[:, c]) for c in range(3)]
    return found


def by_homogenised(laminate: Laminate, slab: Slab, u: Array, columns: Index) -> Array:
    """Stresses of plies that one homogenised solid says, by ply and level, (n, 3, 6) [Pa].

    Every ply has the solid's strains within its plane and its stresses across it.
    """
    z = level_heights(laminate)
    bottom, top = slab.z[0], slab.z[-1]
    natural = 2 * (z.ravel() - bottom) / (top - bottom) - 1
    points = np.stack([np.zeros_like(natural), np.zeros_like(natural), natural], axis=1)
    each = [
        model.strains(slab.mesh, u, np.array([slab.element(i, j, 0)]), points)[0]
        for i, j in columns
    ]
    return of_one(laminate, np.mean(each, axis=0).reshape(laminate.count, 3, 6))


def of_one(laminate: Laminate, strain: Array, heat: Array = NO_HEAT) -> Array:
    """Stresses of plies in ply axes from strains of one homogenised solid, (n, 3, 6) [Pa].

    Parameters
    ----------
    laminate : Laminate
        The plies.
    strain : ndarray, shape (n, 3, 6)
        At the levels of the plies in laminate axes, order xx, yy, zz, xy, xz, yz [1].
    heat : ndarray, shape (2,)
        Temperature change at mid-thickness [K], and its growth with height [K/m].
    """
    z = level_heights(laminate)
    warm = heat[0] + heat[1] * (z - (laminate.z[0] + laminate.z[-1]) / 2)
    bears = (strain - effective_expansion(laminate) * warm[..., None]) @ effective(laminate).T
    known = {id(m): stiffness(m) for m in laminate.materials}
    found = np.empty_like(strain)
    axes, alpha = ply_axes(laminate.angles), ply_expansion(laminate)
    for k, material in enumerate(laminate.materials):
        within, coupled, _ = parted(turned(known[id(material)], axes[k]))
        own = strain[k][:, WITHIN] - alpha[k, WITHIN] * warm[k][:, None]
        found[k][:, WITHIN] = own @ within.T + bears[k][:, ACROSS] @ coupled.T
        found[k][:, ACROSS] = bears[k][:, ACROSS]
    return in_ply_axes(laminate, found)
