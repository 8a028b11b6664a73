"""Figures of solids: a 3-D check of a spot against the bare factor and solution of its matrix."""

import subprocess
import sys

import numpy as np
from tests.conftest import CARBON

from bench.figures import Figure, median, timed
from tartan.core.errors import PartError
from tartan.core.laminate import make_laminate
from tartan.core.laminate.across import balanced, stress_across
from tartan.core.laminate.response import shear_from_section
from tartan.core.shell import force_gradients
from tartan.core.shell.factor import factor
from tartan.core.shell.mesh import Panel, grid_mesh
from tartan.core.shell.model import section_matrix
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


def between_plies() -> tuple[float, float, float]:
    """τ13, τ23 and σ3 of a whole field / copying its stresses; both times [s]."""
    n, m, cases = 224, 224 * 224, 16
    mesh = grid_mesh(Panel(2.0, 2.0), n, n)
    section = patch().laminates[0]
    C = section_matrix(section.ABD, section.shear)
    rng = np.random.default_rng(4)
    strains = rng.normal(size=(cases, m, 8)) * np.repeat([1e-3, 0.3, 1e-3], [3, 3, 2])
    stress = np.full((cases, m, PLIES, 3, 3), 1e6)
    copied = median(stress.copy, 3)
    del stress
    x, flat, faces = np.array([1.0, 0.0, 0.0]), np.zeros((m, 3)), np.zeros((m, 2))
    force_gradients.compile_all()

    def whole() -> None:
        fit = force_gradients.force_fit(mesh, x, np.zeros(m, np.int64), C[None])
        forces = strains[..., :6] @ C[:6, :6]
        slopes = fit.slopes(forces, second=True)
        shear_from_section(section, strains, force_gradients.of_slopes(slopes))
        borne = balanced(forces, slopes[..., 2:], flat, np.zeros(m))
        stress_across(section, forces, borne, flat, faces)

    # The first time includes the fit, which is kept with the mesh.
    spent = timed(whole)
    return spent / copied, spent, copied


def memory_against_expected() -> tuple[float, float]:
    """Peak that solving the check adds / what `expected_bytes` said of it; and that peak [GiB]."""
    code = (
        "from bench.solid import *; asked = patch(); "
        "told = lambda key: next(int(x.split()[1]) for x in open('/proc/self/status') "
        "if x.startswith(key)); "
        "before = told('VmRSS'); found = solve(asked); "
        "print(told('VmHWM') - before, len(found.mesh.nodes))"
    )
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    kib, nodes = (int(x) for x in out.stdout.split())
    return kib * 1024 / model.expected_bytes(nodes, PLIES + 1), kib / 2**20


def solid_figures() -> list[Figure]:
    """The check as a ratio, its memory against what is told before, and a field between plies."""
    asked = patch()
    found = solve(asked)
    K = model.stiffness(found.mesh)
    free = ~np.repeat(np.tile(asked.cut, PLIES + 1), 3)
    loose, right = K[free][:, free], np.ones(int(free.sum()))
    bare = median(lambda: factor(loose).solve(right), 3)
    whole = median(lambda: solve(asked), 3)
    try:
        model.check_size(334_000, PLIES + 1)
        told = "10⁶ unknowns are tried"
    except PartError as error:
        told = f"10⁶ unknowns: {error.what}"
    share, peak = memory_against_expected()
    ratio, spent, copied = between_plies()
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
            "peak of that check / what is reckoned with before it is tried",
            share,
            1.0,
            f"{peak:.2f} GiB; {told}",
        ),
        Figure(
            "interlaminar",
            "τ13, τ23, σ3 of 50 000 elements, 24 plies, 16 cases / copying their stresses",
            ratio,
            8.0,
            f"{spent:.1f} s against {copied:.1f} s",
        ),
    ]
