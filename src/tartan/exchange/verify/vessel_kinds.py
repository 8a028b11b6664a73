"""Thin cylinders by shell elements, beside membrane theory."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate import Laminate
from tartan.core.laminate.response import Load, free_resultants, free_stress, stress_from_section
from tartan.core.shell import directions, loads
from tartan.core.shell.constraints import Held, constrain
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.solve import ShellModel, solve
from tartan.core.shell.surfaces import revolved
from tartan.core.vessel.cylinder import thin_resultants
from tartan.exchange.verify.laminate_kinds import read_load
from tartan.exchange.verify.reading import Inputs, NotYetError, number, read_laminate

Array = NDArray[np.float64]

AROUND = (64, 96)
"""Elements round the cylinder, from mesh to mesh; the answers are extrapolated."""

LONG = 1.5
"""Length of the piece in radii: what its ends disturb has died away in the middle."""


def thin_cylinder(inputs: Inputs) -> dict[str, Any]:
    """Answer by a ring of elements: both ends can swell and twist, but stay upright."""
    laminate, load = read_laminate(inputs), read_load(inputs)
    R = number(inputs.get("R"), "R")
    ends = inputs.get("end", "open")
    if ends not in ("closed", "open"):
        raise NotYetError(f"end {ends}")
    p, F, T = (number(inputs.get(k), k, default=0.0) for k in ("p", "F", "T"))
    Nx, _, Nxy = thin_resultants(R, p, ends == "closed", F, T)
    found = [_ring(laminate, R, p, (Nx, Nxy), load, n) for n in AROUND]
    ratio = (AROUND[-1] / AROUND[-2]) ** 2
    strain, N = ((ratio * b - a) / (ratio - 1) for a, b in zip(*found, strict=True))
    stress = stress_from_section(laminate, strain) - free_stress(laminate, load)
    return {"N": N, "eps": strain[:3], "radial_growth": R * strain[1], "stress_12": stress}


def _ring(
    laminate: Laminate, R: float, p: float, pulled: tuple[float, float], load: Load, around: int
) -> tuple[Array, Array]:
    """Mean section strains, shape (8,), and N, shape (3,), away from the ends."""
    length, rings = LONG * R, around // 4
    mesh = revolved(
        lambda v: np.stack([np.full_like(v, R), length * v], axis=-1),
        length,
        1.0,
        counts=(around, rings),
    )
    z = np.array([0.0, 0.0, 1.0])
    along = directions.along_axis(mesh, np.zeros(3), z)
    lower, upper = (np.unique(mesh.edges[e]) for e in ("lower edge", "upper edge"))
    held = [
        Held(lower, (1, 2, 4), axes=_axes(mesh, lower)),
        Held(upper, (4,), axes=_axes(mesh, upper)),
    ]
    fixed = np.zeros((len(mesh.nodes), 6), bool)
    model = ShellModel(mesh, laminate, along, fixed, constraints=constrain(mesh, held))
    free = free_resultants(laminate, load)
    force = np.zeros((3, len(mesh.nodes), 6))
    force[0] = loads.pressure(mesh, p) + loads.free_strain(mesh, along, free)
    share = 2 * np.pi * R / around
    # y is z × x: against the hoop's own turn about the axis.
    force[1, upper, :3], force[2, upper, :3] = share * z, -share * _axes(mesh, upper)[:, 1]
    strains = solve(model, force).strains.mean(axis=2)
    middle = strains[:, np.abs(mesh.centres()[:, 2] - length / 2) < length / 8].mean(axis=1)
    N = middle[:, :3] @ laminate.A + middle[:, 3:6] @ laminate.B
    N[0] -= free[:3]
    # The ends are pulled and turned until the wall carries the Nx and Nxy of membrane theory: a
    # shell's own torque also has a share of Mxy / R, which that theory leaves out.
    ends = np.array([0, 2])
    size = np.linalg.solve(N[1:][:, ends].T, np.array(pulled) - N[0, ends])
    factors = np.array([1.0, *size])
    return factors @ middle, factors @ N


def _axes(mesh: Mesh, nodes: NDArray[np.int64]) -> Array:
    """Radial, hoop and axial directions at nodes, shape (q, 3, 3)."""
    radial = mesh.nodes[nodes] * [1.0, 1.0, 0.0]
    radial /= np.linalg.norm(radial, axis=1, keepdims=True)
    axial = np.broadcast_to([0.0, 0.0, 1.0], radial.shape)
    return np.stack([radial, np.cross(axial, radial), axial], axis=1)
