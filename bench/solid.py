"""Figures of solids: a 3-D check of a spot against the bare factor and solution of its matrix."""

import numpy as np
from tests.conftest import CARBON

from bench.figures import Figure, median
from tartan.core.errors import PartError
from tartan.core.laminate import make_laminate
from tartan.core.shell.factor import factor
from tartan.core.shell.mesh import Panel, grid_mesh
from tartan.core.solid import model
from tartan.core.solid.constants import assumed
from tartan.core.solid.patch import Patch, solve
from tartan.core.stack import Ply, Stack

PLIES, COUNT, SIDE = 24, 20, 0.05


def patch() -> Patch:
    """A spot of 20 × 20 elements and 24 plies, stretched and bent by its cut."""
    ply = assumed(CARBON)
    stack = Stack("bench", tuple(Ply(ply.name, a, 0.125e-3) for a in (0, 45, -45, 90) * 6))
    laminate = make_laminate(stack, {ply.name: ply})
    mesh = grid_mesh(Panel(SIDE, SIDE), COUNT, COUNT)
    n, q = len(mesh.nodes), len(mesh.quads)
    cut = (np.abs(mesh.nodes[:, :2]) > SIDE / 2 - 1e-9).any(axis=1)
    moves = np.zeros((n, 6))
    moves[:, 0], moves[:, 4] = 1e-3 * mesh.nodes[:, 0], mesh.nodes[:, 0]
    return Patch(
        mesh.nodes,
        np.tile([0.0, 0.0, 1.0], (n, 1)),
        mesh.quads,
        np.tile(laminate.z, (n, 1)),
        np.tile(np.eye(3), (q, 1, 1)),
        (laminate,) * q,
        cut,
        moves,
        np.zeros((n, PLIES, 2)),
        np.zeros((q, 2)),
        np.zeros(2),
        np.zeros(3),
    )


def solid_figures() -> list[Figure]:
    """The check as a ratio, and whether a million unknowns are held by memory or refused."""
    asked = patch()
    found = solve(asked)
    K = model.stiffness(found.mesh)
    free = ~np.repeat(np.tile(asked.cut, PLIES + 1), 3)
    loose, right = K[free][:, free], np.ones(int(free.sum()))
    bare = median(lambda: factor(loose).solve(right), 3)
    whole = median(lambda: solve(asked), 3)
    nodes, layers = 334_000, PLIES + 1
    try:
        model.check_size(nodes, layers)
        told = "10⁶ unknowns are tried"
    except PartError as error:
        told = f"10⁶ unknowns: {error.what}"
    taken = model.expected_bytes(nodes, layers) / 8 / 2**30
    return [
        Figure(
            "solid_check",
            "3-D check of a 24-ply spot of 20 × 20 elements / its factor and solution",
            whole / bare,
            2.0,
            f"{found.unknowns} unknowns, {whole:.1f} s",
        ),
        Figure(
            "solid_memory",
            "memory of 10⁶ unknowns / 8 GiB, 0 where it is refused",
            0.0 if taken > 1 else taken,
            1.0,
            told,
        ),
    ]
