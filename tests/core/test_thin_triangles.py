"""Triangles of any thickness, pattern and shape against Navier's exact plate."""

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.laminate import Laminate
from tartan.core.shell import triangle
from tartan.core.shell.loads import point_places, pressure
from tartan.core.shell.mesh import Mesh, Panel, grid_mesh
from tartan.core.shell.mesher import Finer
from tartan.core.shell.recovery import section_forces
from tartan.core.shell.refine import refined
from tartan.core.shell.solve import ShellModel, Solution, section_matrix, solve
from tartan.exchange.verify.shell_kinds import simple_supports
from tests.conftest import laminate

Array = NDArray[np.float64]
X = np.array([1.0, 0.0, 0.0])
N = 16


def plate(slenderness: float) -> Laminate:
    t = 0.25 / slenderness
    return laminate(*(("carbon", angle, t) for angle in (0, 90, 90, 0)))


def navier(lam: Laminate) -> Array:
    """w and the two rotations of a unit square under sin sin pressure (Reddy, eq. 6.3.15)."""
    D, H, p = lam.D, lam.shear, np.pi
    K = np.array(
        [
            [(H[0, 0] + H[1, 1]) * p**2, H[0, 0] * p, H[1, 1] * p],
            [H[0, 0] * p, (D[0, 0] + D[2, 2]) * p**2 + H[0, 0], (D[0, 1] + D[2, 2]) * p**2],
            [H[1, 1] * p, (D[0, 1] + D[2, 2]) * p**2, (D[2, 2] + D[1, 1]) * p**2 + H[1, 1]],
        ]
    )
    return np.linalg.solve(K, [1.0, 0.0, 0.0])


def distorted(mesh: Mesh, amount: float) -> Mesh:
    nodes = mesh.nodes.copy()
    inner = (np.abs(nodes[:, :2]) < 0.5 - 1e-9).all(axis=1)
    shift = np.random.default_rng(3).uniform(-amount, amount, (inner.sum(), 2)) / N
    nodes[inner, :2] += shift
    return Mesh(nodes, mesh.quads, mesh.edges, triangles=mesh.triangles)


def patterned(mesh: Mesh, pattern: str) -> Mesh:
    """Quadrilaterals as triangles by some pattern of diagonals."""
    q = mesh.quads
    i, j = np.arange(len(q)) % N, np.arange(len(q)) // N
    if pattern == "cross":
        middle = len(mesh.nodes) + np.arange(len(q))
        four = [np.stack([q[:, k], q[:, (k + 1) % 4], middle], axis=1) for k in range(4)]
        nodes = np.concatenate([mesh.nodes, mesh.nodes[q].mean(axis=1)])
        return Mesh(nodes, np.zeros((0, 4), np.int64), mesh.edges, triangles=np.concatenate(four))
    rising = {
        "rising": i >= 0,
        "falling": i < 0,
        "union": (i + j) % 2 == 0,
        "rows": i % 2 == 0,
        "symmetric": (i < N // 2) == (j < N // 2),
        "random": np.random.default_rng(1).random(len(q)) < 0.5,
    }[pattern]
    first = np.where(rising[:, None], q[:, [0, 1, 2]], q[:, [0, 1, 3]])
    second = np.where(rising[:, None], q[:, [0, 2, 3]], q[:, [1, 2, 3]])
    return Mesh(
        mesh.nodes,
        np.zeros((0, 4), np.int64),
        mesh.edges,
        triangles=np.concatenate([first, second]),
    )


def solved(mesh: Mesh, lam: Laminate) -> tuple[ShellModel, Solution]:
    at = point_places(mesh)
    waves = np.cos(np.pi * at[..., 0]) * np.cos(np.pi * at[..., 1])
    model = ShellModel(mesh, lam, X, simple_supports(mesh, "SS1"))
    return model, solve(model, pressure(mesh, waves)[None])


@pytest.mark.parametrize("slenderness", [5, 100, 1e3, 1e5])
@pytest.mark.parametrize(
    "pattern", ["rising", "falling", "union", "rows", "symmetric", "random", "cross"]
)
def test_triangles_do_not_lock(pattern: str, slenderness: float) -> None:
    lam = plate(slenderness)
    exact = navier(lam)[0]
    for amount, least in ((0.0, 0.97), (0.35, 0.95)):
        mesh = patterned(distorted(grid_mesh(Panel(1.0, 1.0), N, N), amount), pattern)
        middle = int(np.linalg.norm(mesh.nodes, axis=1).argmin())
        w = solved(mesh, lam)[1].displacement[0, middle, 2] / exact
        assert least < w < 1.01


@pytest.mark.parametrize("thickness", [1e-3, 0.03, 1.0, 100.0])
def test_a_triangle_has_six_zero_modes_at_any_thickness(thickness: float) -> None:
    lam = laminate(("carbon", 20, 0.7 * thickness), ("glass", -30, 0.3 * thickness))
    x = np.array([[[0.0, 0, 0], [1.0, 0.2, 0.1], [0.3, 0.8, -0.2]]])
    op = triangle.operators(x, X)
    C = section_matrix(lam.ABD, lam.shear)[None]
    K = triangle.stiffness(op, C)[0]
    values = np.linalg.eigvalsh(K)
    least = np.diag(C[0])[[2, 5, 6]].min()
    assert np.abs(values[:6]).max() < 1e-12 * values[-1]
    assert values[6] > 1e-3 * least


# Two elements from the transition the quadratic fit's own error counts at the thinnest.
@pytest.mark.parametrize(
    ("slenderness", "n", "away_from"), [(100, 24, 2), (1e3, 24, 2), (1e4, 32, 3)]
)
def test_shear_and_moment_at_the_edge_of_a_refinement(
    slenderness: float, n: int, away_from: int
) -> None:
    lam = plate(slenderness)
    mesh = refined(grid_mesh(Panel(1.0, 1.0), n, n), Finer(1 / n / 4, 0.25, at=(0.05, 0.1, 0.0)))
    model, solution = solved(mesh, lam)
    forces = section_forces(model, solution.strains)[0]
    mean = forces.mean(axis=1)
    mean[len(mesh.quads) :] = forces[len(mesh.quads) :, :3].mean(axis=1)
    w, p1, p2 = navier(lam)
    x, y = (mesh.centres()[:, :2] + 0.5).T * np.pi
    cs, sc = np.cos(x) * np.sin(y), np.sin(x) * np.cos(y)
    ss, cc = np.sin(x) * np.sin(y), np.cos(x) * np.cos(y)
    Q = np.stack(
        [lam.shear[0, 0] * (p1 + np.pi * w) * cs, lam.shear[1, 1] * (p2 + np.pi * w) * sc], axis=1
    )
    k = np.pi * np.stack([-p1 * ss, -p2 * ss, (p1 + p2) * cc], axis=1)
    M = k @ lam.D
    off_Q = (np.abs(mean[:, 6:] - Q) / np.abs(Q).max(axis=0)).max(axis=1)
    off_M = (np.abs(mean[:, 3:6] - M) / np.abs(M).max(axis=0)).max(axis=1)
    away = rings_from_triangles(mesh)
    assert max(off_Q.max(), off_M.max()) < 0.25
    assert off_Q[away >= away_from].max() < 0.05
    assert off_M[away >= 2].max() < 0.05


def rings_from_triangles(mesh: Mesh) -> NDArray[np.int64]:
    found = np.zeros(mesh.count, np.int64)
    reached = np.zeros(len(mesh.nodes), bool)
    reached[mesh.triangles] = True
    quads = np.arange(len(mesh.quads))
    left = np.ones(len(quads), bool)
    for ring in range(1, 99):
        new = left & reached[mesh.quads].any(axis=1)
        found[quads[new]] = ring
        left &= ~new
        reached[mesh.quads[new]] = True
        if not left.any():
            break
    return found
