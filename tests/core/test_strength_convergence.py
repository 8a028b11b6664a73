"""Ply stresses and reserve factors converge on exact ones, not only displacements.

A specially orthotropic, simply supported rectangle under uniform pressure: Navier's series with
shear deformation gives the section strains everywhere [1]; ply stresses and the reserve factor
follow by formulas that are written out here and use nothing of the program.

[1] J. N. Reddy, Mechanics of Laminated Composite Plates and Shells, 2nd ed., section 7.2.
"""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.shell.margins import assess
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.solve import solve
from tests.conftest import CARBON
from tests.core.test_shell import simply_supported

A, B, PRESSURE = 0.2, 0.3, 1e4
LAYERS = ((0.0, -4e-3, -2e-3), (90.0, -2e-3, 2e-3), (0.0, 2e-3, 4e-3))
Array = NDArray[np.float64]
Answers = dict[int, tuple[Mesh, Array, Array, float]]


def reduced() -> Array:
    """Q of a unidirectional ply in its own axes."""
    nu21 = CARBON.nu12 * CARBON.E2 / CARBON.E1
    d = 1 - CARBON.nu12 * nu21
    return np.array(
        [
            [CARBON.E1 / d, CARBON.nu12 * CARBON.E2 / d, 0.0],
            [CARBON.nu12 * CARBON.E2 / d, CARBON.E2 / d, 0.0],
            [0.0, 0.0, CARBON.G12],
        ]
    )


def layer_stiffness(angle: float) -> Array:
    """Q in plate axes; 90° exchanges the directions."""
    q = reduced()
    return q if angle == 0 else q[np.ix_([1, 0, 2], [1, 0, 2])]


def bending() -> Array:
    return np.array(sum(layer_stiffness(t) * (up**3 - low**3) / 3 for t, low, up in LAYERS))


def curvatures(points: Array, shear: Array, terms: int = 79) -> Array:
    """κx, κy, κxy of the exact solution at points, shape (q, 3) [1/m]."""
    D, found = bending(), np.zeros((len(points), 3))
    x, y = points[:, 0] + A / 2, points[:, 1] + B / 2
    for m in range(1, terms + 1, 2):
        for n in range(1, terms + 1, 2):
            p, r = m * np.pi / A, n * np.pi / B
            K = np.array(
                [
                    [shear[0, 0] * p * p + shear[1, 1] * r * r, shear[0, 0] * p, shear[1, 1] * r],
                    [
                        shear[0, 0] * p,
                        D[0, 0] * p * p + D[2, 2] * r * r + shear[0, 0],
                        (D[0, 1] + D[2, 2]) * p * r,
                    ],
                    [
                        shear[1, 1] * r,
                        (D[0, 1] + D[2, 2]) * p * r,
                        D[2, 2] * p * p + D[1, 1] * r * r + shear[1, 1],
                    ],
                ]
            )
            _, turn_x, turn_y = np.linalg.solve(K, [16 * PRESSURE / (np.pi**2 * m * n), 0, 0])
            sines = np.sin(p * x) * np.sin(r * y)
            found[:, 0] -= turn_x * p * sines
            found[:, 1] -= turn_y * r * sines
            found[:, 2] += (turn_x * r + turn_y * p) * np.cos(p * x) * np.cos(r * y)
    return found


def ply_stresses(kappa: Array, layer: int, z: float) -> Array:
    """σ1, σ2, τ12 in ply axes at a height, shape (q, 3)."""
    angle = LAYERS[layer][0]
    stress = z * kappa @ layer_stiffness(angle).T
    return stress if angle == 0 else stress[:, [1, 0, 2]] * np.array([1.0, 1.0, -1.0])


def tsai_wu_reserve(stress: Array) -> Array:
    """Factor at which F1 s1 + F2 s2 + F11 s1² + F22 s2² + F66 t² + 2 F12 s1 s2 is 1."""
    s1, s2, t = stress.T
    c = CARBON
    f11, f22, f66 = 1 / (c.Xt * c.Xc), 1 / (c.Yt * c.Yc), 1 / c.S12**2
    f12 = -0.5 * np.sqrt(f11 * f22)
    b = (1 / c.Xt - 1 / c.Xc) * s1 + (1 / c.Yt - 1 / c.Yc) * s2
    a = f11 * s1**2 + f22 * s2**2 + f66 * t**2 + 2 * f12 * s1 * s2
    return np.asarray((-b + np.sqrt(b * b + 4 * a)) / (2 * a))


def sampled(mesh: Mesh) -> Array:
    """The four sampling points of every quad, at ±1/√3, shape (4m, 2)."""
    g = 1 / np.sqrt(3)
    signs = np.array([(-g, -g), (g, -g), (g, g), (-g, g)])
    corners = mesh.nodes[mesh.quads][..., :2]
    middle, half = corners.mean(axis=1), np.ptp(corners, axis=1) / 2
    return (middle[:, None] + signs * half[:, None]).reshape(-1, 2)


def exact_least(n: int, shear: Array) -> float:
    """Least exact reserve factor over a grid of points, all layers and both faces of each."""
    g = np.linspace(-0.5, 0.5, 2 * n + 1)
    points = np.array([(A * x, B * y) for x in g for y in g])
    kappa = curvatures(points, shear)
    least = np.inf
    for k, (_, low, up) in enumerate(LAYERS):
        for z in (low, up):
            stress = ply_stresses(kappa, k, z)
            live = np.abs(stress).max(axis=1) > 1.0
            least = min(least, float(tsai_wu_reserve(stress[live]).min()))
    return least


@pytest.fixture(scope="module")
def answers() -> Answers:
    """Mesh, section strains, shear stiffness and least reserve factor by elements a side."""
    found = {}
    for n in (8, 16, 32):
        model, force = simply_supported(n)
        strains = solve(model, force).strains
        margins = assess(model.laminate, strains, {"ply": ("tsai_wu",)})
        found[n] = (model.mesh, strains[0], model.laminate.shear, float(margins.reserve.min()))
    return found


def stress_error(here: Array, exact: Array) -> float:
    """Error of ply stresses in the mean over places, layers and both faces of each."""
    error = size = 0.0
    for k, (_, low, up) in enumerate(LAYERS):
        for z in (low, up):
            one, other = ply_stresses(here, k, z), ply_stresses(exact, k, z)
            error += float(((one - other) ** 2).sum())
            size += float((other**2).sum())
    return float(np.sqrt(error / size))


def orders(errors: list[float]) -> Array:
    return np.log2(np.array(errors[:-1]) / np.array(errors[1:]))


def test_ply_stresses_converge_everywhere(answers: Answers) -> None:
    """Curvatures are linear across an element only one way: first order at its points, and
    second order in its mean."""
    points, means = [], []
    for mesh, strains, shear, _ in answers.values():
        exact = curvatures(sampled(mesh), shear)
        here = strains.reshape(-1, 8)[:, 3:6]
        points.append(stress_error(here, exact))
        means.append(stress_error(here.reshape(-1, 4, 3).mean(1), exact.reshape(-1, 4, 3).mean(1)))
    assert points[-1] < 0.04
    assert means[-1] < 0.003
    assert (orders(points) > 0.9).all()
    assert (orders(means) > 1.9).all()


def test_the_least_reserve_factor_converges(answers: Answers) -> None:
    shear = next(iter(answers.values()))[2]
    exact = exact_least(24, shear)
    errors = [abs(least / exact - 1) for *_, least in answers.values()]
    assert errors[-1] < 0.015
    assert (orders(errors) > 0.9).all()


def test_the_exact_solution_is_in_equilibrium() -> None:
    """A slip in the reference would be seen: moments carry the load, −Mxx″ − … = q inside."""
    model, _ = simply_supported(2)
    D, h = bending(), 1e-3
    steps = np.array(list(itertools.product((-1, 0, 1), repeat=2)))
    found = curvatures(np.array([0.02, -0.03]) + h * steps, model.laminate.shear, terms=199)
    moment = {(x, y): D @ k for (x, y), k in zip(steps.tolist(), found, strict=True)}
    mxx = (moment[1, 0][0] - 2 * moment[0, 0][0] + moment[-1, 0][0]) / h**2
    myy = (moment[0, 1][1] - 2 * moment[0, 0][1] + moment[0, -1][1]) / h**2
    twist = moment[1, 1] - moment[1, -1] - moment[-1, 1] + moment[-1, -1]
    mxy = twist[2] / (4 * h**2)
    assert abs((mxx + 2 * mxy + myy) / PRESSURE) == pytest.approx(1.0, abs=0.05)
