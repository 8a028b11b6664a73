"""Plates whose stresses in three dimensions are known, by solutions written out for the tests."""

from __future__ import annotations

import dataclasses

import numpy as np
import scipy.sparse as sp
from numpy.typing import NDArray
from scipy.linalg import expm

from tartan.core.laminate import Laminate, make_laminate
from tartan.core.shell.constraints import Held, constrain
from tartan.core.shell.loads import point_places, pressure
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.model import ShellModel
from tartan.core.shell.ties import Tie
from tartan.core.solid.constants import ply_axes, stiffness, turned
from tartan.core.stack import Ply, Stack
from tests.conftest import CARBON

Array = NDArray[np.float64]

X = np.array([1.0, 0.0, 0.0])
PLY = dataclasses.replace(CARBON, E3=9e9, nu13=0.3, nu23=0.4)


def plies(*angles: float, thickness: float, offset: float = 0.0) -> Laminate:
    """Laminate of equal plies."""
    each = thickness / len(angles)
    stack = Stack("plies", tuple(Ply(PLY.name, a, each) for a in angles))
    return make_laminate(stack, {PLY.name: PLY}, offset)


def levels(laminate: Laminate) -> Array:
    """Heights of bottom, middle and top of every ply, shape (n, 3)."""
    z = laminate.z
    return np.stack([z[:-1], (z[:-1] + z[1:]) / 2, z[1:]], axis=1)


def in_ply_axes(laminate: Laminate, shear: Array) -> Array:
    """Shears xz and yz, shape (..., n, 3, 2), as 13 and 23."""
    c, s = np.cos(laminate.angles), np.sin(laminate.angles)
    turn = np.moveaxis(np.array([[c, s], [-s, c]]), -1, 0)
    return np.asarray(np.einsum("nij,...nsj->...nsi", turn, shear))


def exact_plate(laminate: Laminate, a: float, b: float, q0: float, z: Array) -> Array:
    """N. J. Pagano's plate, J. Composite Materials 4 (1970) 20, by its equations anew.

    Amplitudes U, V, W, X, Y, Z of displacements and of the stresses on a level, at heights, shape
    (k, 6): ply by ply they follow from those below by a matrix exponential.
    """
    p, q = np.pi / a, np.pi / b
    rates = []
    for material, angle in zip(laminate.materials, laminate.angles, strict=True):
        C = turned(stiffness(material), ply_axes(angle))
        M = np.zeros((6, 6))
        M[0, 2], M[0, 3] = -p, 1 / C[4, 4]
        M[1, 2], M[1, 4] = -q, 1 / C[5, 5]
        M[2] = np.array([C[0, 2] * p, C[1, 2] * q, 0, 0, 0, 1]) / C[2, 2]
        shear = C[3, 3] * np.array([q, p, 0, 0, 0, 0])
        for row, k, line in ((3, p, 0), (4, q, 1)):
            along = np.array([-C[line, 0] * p, -C[line, 1] * q, 0, 0, 0, 0]) + C[line, 2] * M[2]
            M[row] = -k * along + (q if line == 0 else p) * shear
        M[5, 3], M[5, 4] = p, q
        rates.append(M)
    return _through(rates, laminate, q0, z)


def _through(rates: list[Array], laminate: Laminate, q0: float, z: Array) -> Array:
    """Amplitudes at heights, of rates of growth ply by ply; q0 pulls on the upper face."""
    states = [np.eye(6)]
    for M, t in zip(rates, np.diff(laminate.z), strict=True):
        states.append(expm(M * t) @ states[-1])
    start = np.zeros(6)
    start[:3] = np.linalg.solve(states[-1][3:, :3], [0.0, 0.0, q0])
    found = []
    for height in z:
        ply = min(int(np.searchsorted(laminate.z[1:], height - 1e-12)), laminate.count - 1)
        rest = height - laminate.z[ply]
        found.append(expm(rates[ply] * rest) @ states[ply] @ start)
    return np.array(found)


def cylindrical(laminate: Laminate, length: float, q0: float, z: Array) -> Array:
    """Bending of an endless plate of any plies, q0 sin(πx/length) pulling on its upper face.

    N. J. Pagano, J. Composite Materials 3 (1969) 398–411, and for plies at any angle 4 (1970)
    330–343, by their equations anew: all is the same along y, and the amplitudes U, V, W of
    displacements (cos, cos, sin) and τxz, τyz, σz (cos, cos, sin) at heights, shape (k, 6), follow
    ply by ply from those below by a matrix exponential.
    """
    p = np.pi / length
    rates = []
    for material, angle in zip(laminate.materials, laminate.angles, strict=True):
        C = turned(stiffness(material), ply_axes(angle))
        S = np.linalg.inv(C[4:, 4:])
        M = np.zeros((6, 6))
        M[0, 2], M[0, 3:5] = -p, S[0]
        M[1, 3:5] = S[1]
        # σz = C33 w,z + C13 u,x + C36 v,x
        M[2] = np.array([C[0, 2] * p, C[2, 3] * p, 0, 0, 0, 1]) / C[2, 2]
        for row, line in ((3, 0), (4, 3)):
            stress = np.array([-C[line, 0] * p, -C[line, 3] * p, 0, 0, 0, 0])
            M[row] = -p * (stress + C[line, 2] * M[2])
        M[5, 3] = p
        rates.append(M)
    return _through(rates, laminate, q0, z)


def endless_plate(
    laminate: Laminate, mesh: Mesh, length: float, q0: float
) -> tuple[ShellModel, Array]:
    """A strip of that plate as a shell, x = 0 in its middle, and its nodal forces, (1, n, 6).

    Nodes of its upper edge follow those of its lower one, whatever lies between.
    """
    low, up = (np.unique(mesh.edges[name]) for name in ("lower edge", "upper edge"))
    low, up = (e[np.argsort(mesh.nodes[e, 0])] for e in (low, up))
    np.testing.assert_allclose(mesh.nodes[low, 0], mesh.nodes[up, 0], atol=1e-12)
    follow, lead = ((6 * e[:, None] + np.arange(6)).ravel() for e in (up, low))
    rows = sp.csr_matrix(
        (np.ones(len(lead)), (np.arange(len(lead)), lead)), (len(lead), 6 * len(mesh.nodes))
    )
    tie = Tie(up, np.zeros(len(up)), mesh.nodes[low], follow, rows, turned=True)
    ends = np.concatenate([mesh.edges["left edge"], mesh.edges["right edge"]])
    held = (
        Held(np.setdiff1d(ends, up), (2,)),
        Held(low[len(low) // 2 : len(low) // 2 + 1], (0, 1)),
    )
    none = np.zeros((len(mesh.nodes), 6), bool)
    model = ShellModel(mesh, laminate, X, none, constraints=constrain(mesh, held, (tie,)))
    pull = q0 * np.cos(np.pi * point_places(mesh)[..., 0] / length)
    return model, pressure(mesh, pull)[None]
