"""The obstacle course of shell elements, by name, refined until the displacement settles.

Geometry and figures: R. H. MacNeal and R. L. Harder, Finite Elem. Anal. Des. 1 (1985) 3–20; T.
Belytschko et al., Comput. Meth. Appl. Mech. Eng. 51 (1985) 221–258.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate import Laminate, make_laminate
from tartan.core.materials import isotropic
from tartan.core.shell import loads
from tartan.core.shell.mesh import Mesh, Panel, grid_mesh
from tartan.core.shell.solve import ShellModel, solve
from tartan.core.shell.surfaces import revolved
from tartan.core.stack import Ply, Stack
from tartan.exchange.verify.reading import Inputs, NotYetError

Array = NDArray[np.float64]

SETTLED = 1e-3
"""Displacements of two meshes that differ by less than this share have settled."""


def plate(E: float, nu: float, t: float) -> Laminate:
    """One isotropic layer."""
    stack = Stack("shell", (Ply("shell", 0.0, t),))
    return make_laminate(stack, {"shell": isotropic("shell", E, nu)})


def hold(mesh: Mesh, edge: str, unknowns: tuple[int, ...], fixed: NDArray[np.bool_]) -> None:
    """Hold unknowns along an edge."""
    fixed[np.ix_(mesh.edges[edge], np.array(unknowns))] = True


def free(mesh: Mesh) -> NDArray[np.bool_]:
    """No unknown held."""
    return np.zeros((len(mesh.nodes), 6), bool)


def scordelis_lo(n: int) -> float:
    """Barrel roof under its weight: deflection of a free edge's middle."""
    half = np.deg2rad(40)
    mesh = grid_mesh(Panel(50, 50 * np.sin(half), None, -25), n, 2 * n)
    fixed = free(mesh)
    for edge in ("left edge", "right edge"):
        hold(mesh, edge, (1, 2), fixed)
    fixed[mesh.edges["left edge"][n], 0] = True
    weight = loads.acceleration(mesh, 90.0, np.array([0, 0, -1.0]))
    model = ShellModel(mesh, plate(4.32e8, 0.0, 0.25), np.array([1.0, 0, 0]), fixed)
    found = solve(model, weight[None])
    return float(-found.displacement[0, mesh.edges["lower edge"][n // 2], 2])


def hemisphere_18(n: int) -> float:
    """Quarter of a pinched hemisphere with a hole: displacement under a force."""
    grid = grid_mesh(Panel(1, 1), n, n)
    along, up = (grid.nodes[:, 0] + 0.5) * np.pi / 2, (grid.nodes[:, 1] + 0.5) * np.deg2rad(72)
    nodes = 10 * np.stack([np.cos(up) * np.cos(along), np.cos(up) * np.sin(along), np.sin(up)], 1)
    mesh = Mesh(nodes, grid.quads, grid.edges)
    fixed = free(mesh)
    hold(mesh, "left edge", (1, 3, 5), fixed)
    hold(mesh, "right edge", (0, 4, 5), fixed)
    foot = mesh.edges["lower edge"]
    fixed[foot[n // 2], 2] = True
    force = np.zeros((1, len(nodes), 6))
    force[0, foot[0], 0], force[0, foot[-1], 1] = 1.0, -1.0
    model = ShellModel(mesh, plate(6.825e7, 0.3, 0.04), np.array([1.0, -1.0, 0.1]), fixed)
    return float(solve(model, force).displacement[0, foot[0], 0])


def _twisted(n: int, way: int) -> float:
    """Beam twisted by a right angle: tip displacement along a unit force."""
    grid = grid_mesh(Panel(1, 1), 6 * n, n)
    s, y = grid.nodes[:, 0] + 0.5, grid.nodes[:, 1] * 1.1
    nodes = np.stack([12 * s, y * np.cos(s * np.pi / 2), y * np.sin(s * np.pi / 2)], axis=1)
    mesh = Mesh(nodes, grid.quads, grid.edges)
    fixed = free(mesh)
    hold(mesh, "left edge", (0, 1, 2, 3, 4, 5), fixed)
    tip = mesh.edges["right edge"]
    force = loads.edge_force(mesh, tip, np.eye(3)[way] / 1.1)
    model = ShellModel(mesh, plate(29e6, 0.22, 0.32), np.array([1.0, 0, 0]), fixed)
    return float(solve(model, force[None]).displacement[0, tip[n // 2], way])


def twisted_in_plane(n: int) -> float:
    """Load along the width of the tip section."""
    return _twisted(n, 2)


def twisted_out_of_plane(n: int) -> float:
    """Load along the thickness of the tip section."""
    return _twisted(n, 1)


def pinched_cylinder(n: int) -> float:
    """Eighth of a cylinder with rigid ends, pinched at the middle: displacement under a force."""
    mesh = revolved(
        lambda v: np.stack([np.full_like(v, 300.0), 300.0 * v], axis=-1),
        300.0,
        1.0,
        turn=np.pi / 2,
        counts=(n, n),
    )
    fixed = free(mesh)
    for edge, unknowns in (
        ("lower edge", (2, 3, 4)),
        ("upper edge", (0, 1, 5)),
        ("right edge", (1, 3, 5)),
        ("left edge", (0, 4, 5)),
    ):
        hold(mesh, edge, unknowns, fixed)
    force = np.zeros((1, len(mesh.nodes), 6))
    corner = np.intersect1d(mesh.edges["lower edge"], mesh.edges["right edge"])
    force[0, corner, 0] = -0.25
    model = ShellModel(mesh, plate(3e6, 0.3, 3.0), np.array([0.0, 0.0, 1.0]), fixed)
    return float(-solve(model, force).displacement[0, corner[0], 0])


BENCHMARKS: dict[str, tuple[Callable[[int], float], tuple[int, ...]]] = {
    "scordelis_lo": (scordelis_lo, (8, 12, 16, 24, 32)),
    "hemisphere_18": (hemisphere_18, (8, 16, 24, 32, 40)),
    "twisted_beam_in_plane": (twisted_in_plane, (2, 4, 6, 8)),
    "twisted_beam_out_of_plane": (twisted_out_of_plane, (2, 4, 6, 8, 10)),
    "pinched_cylinder": (pinched_cylinder, (8, 16, 32, 48, 64, 80, 96)),
}
"""Problems by name, with their meshes."""

LITERATURE = {
    "scordelis_lo": 0.3024,
    "hemisphere_18": 0.0940,
    "twisted_beam_in_plane": 5.424e-3,
    "twisted_beam_out_of_plane": 1.754e-3,
    "pinched_cylinder": 1.8248e-5,
}
"""Figures of the course, to which the convergence tables relate their displacements."""


def convergence_lines(name: str) -> Iterator[str]:
    """Displacement on finer and finer meshes as shares of the literature's figure."""
    run, meshes = BENCHMARKS[name]
    yield f"{name.replace('_', ' ')}: literature {LITERATURE[name]:.4g}"
    for n in meshes[:5]:
        found = run(n)
        yield f"  {n:3d} elements a side   {found:.5g}   {found / LITERATURE[name]:.4f}"


def shell_benchmark(inputs: Inputs) -> dict[str, Any]:
    """Answer a problem of the course by its name."""
    name = str(inputs.get("benchmark"))
    if name not in BENCHMARKS:
        raise NotYetError(f"benchmark {name}")
    run, meshes = BENCHMARKS[name]
    last = run(meshes[0])
    for n in meshes[1:]:
        new = run(n)
        if abs(new - last) <= SETTLED * abs(new):
            return {"displacement": new}
        last = new
    return {"displacement": last}
