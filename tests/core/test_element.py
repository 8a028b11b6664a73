"""The four-node element: rigid motions, patches, and the obstacle course."""

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.laminate import Laminate
from tartan.core.shell import element, loads
from tartan.core.shell.mesh import Panel, grid_mesh
from tartan.core.shell.solve import ShellModel, section_matrix, solve
from tartan.exchange.verify.obstacles import (
    hemisphere_18,
    hold,
    plate,
    scordelis_lo,
    twisted_in_plane,
    twisted_out_of_plane,
)
from tests.conftest import laminate

X = np.array([1.0, 0.0, 0.0])
Array = NDArray[np.float64]

# Five distorted elements on 0.24 × 0.12, R. H. MacNeal and R. L. Harder, Finite Elem. Anal.
# Des. 1 (1985) 3-20, fig. 3.
PATCH_NODES = np.array(
    [
        [0, 0, 0],
        [0.24, 0, 0],
        [0.24, 0.12, 0],
        [0, 0.12, 0],
        [0.04, 0.02, 0],
        [0.18, 0.03, 0],
        [0.16, 0.08, 0],
        [0.08, 0.08, 0],
    ]
)
PATCH_QUADS = np.array([[0, 1, 5, 4], [1, 2, 6, 5], [2, 3, 7, 6], [3, 0, 4, 7], [4, 5, 6, 7]])


def stiff(lam: Laminate, count: int) -> Array:
    return np.broadcast_to(section_matrix(lam.ABD, lam.shear), (count, 8, 8))


@pytest.mark.parametrize("warp", [0.0, 0.15])
def test_exactly_six_zero_modes(warp: float, unsymmetric: Laminate) -> None:
    x = np.array([[[0, 0, 0], [1, 0.1, warp], [1.2, 1.1, -warp], [-0.1, 0.9, 2 * warp]]]) * 0.1
    K = element.stiffness(element.operators(x, X), stiff(unsymmetric, 1))[0]
    # Rotations are scaled by the size so that one tolerance serves all unknowns.
    scale = np.tile([1, 1, 1, 10, 10, 10], 4)
    values = np.linalg.eigvalsh(K * np.outer(scale, scale))
    # The softest true mode is the weak drilling tie, 1e-4 of the in-plane shear stiffness.
    assert np.abs(values[:6]).max() < 1e-12 * values[-1]
    assert values[6] > 1e-8 * values[-1]


def prescribe(lam: Laminate, u: Array) -> tuple[Array, Array]:
    """Hold the patch's outer nodes at `u`, shape (8, 6); return all unknowns and strains."""
    op = element.operators(PATCH_NODES[PATCH_QUADS], X)
    C = stiff(lam, 5)
    K = np.zeros((48, 48))
    for k, quad in zip(element.stiffness(op, C), PATCH_QUADS, strict=True):
        at = (quad[:, None] * 6 + np.arange(6)).ravel()
        K[np.ix_(at, at)] += k
    outer, inner = np.arange(24), np.arange(24, 48)
    full = u.ravel().copy()
    full[inner] = np.linalg.solve(K[np.ix_(inner, inner)], -K[np.ix_(inner, outer)] @ full[outer])
    found = full.reshape(8, 6)
    strains = element.section_strains(op, C, found[PATCH_QUADS].reshape(5, 24, 1))[0]
    return found, strains


def test_constant_membrane_and_bending_patch(unsymmetric: Laminate) -> None:
    # Coupling (B ≠ 0) ties the two together; any constant strain state is in equilibrium.
    x, y = PATCH_NODES[:, 0], PATCH_NODES[:, 1]
    e1, e2, g, k1, k2, k12 = 1e-3, -4e-4, 6e-4, 0.02, -0.05, 0.03
    u = np.zeros((8, 6))
    u[:, 0], u[:, 1] = e1 * x + g * y / 2, e2 * y + g * x / 2
    u[:, 2] = -(k1 * x**2 + k2 * y**2 + k12 * x * y) / 2
    u[:, 3], u[:, 4] = -(k2 * y + k12 * x / 2), k1 * x + k12 * y / 2
    found, strains = prescribe(unsymmetric, u)
    np.testing.assert_allclose(found, u, atol=1e-12)
    expected = np.array([e1, e2, g, k1, k2, k12, 0, 0])
    np.testing.assert_allclose(strains, np.broadcast_to(expected, strains.shape), atol=1e-11)


def test_constant_shear_is_seen_by_every_element(unsymmetric: Laminate) -> None:
    u = np.zeros((8, 6))
    u[:, 2] = PATCH_NODES @ np.array([2e-3, -1e-3, 0])
    op = element.operators(PATCH_NODES[PATCH_QUADS], X)
    strains = element.section_strains(op, stiff(unsymmetric, 5), u[PATCH_QUADS].reshape(5, 24, 1))
    np.testing.assert_allclose(strains[..., 6], 2e-3, rtol=1e-12)
    np.testing.assert_allclose(strains[..., 7], -1e-3, rtol=1e-12)
    np.testing.assert_allclose(strains[..., :6], 0, atol=1e-15)


def test_enhanced_strains_average_to_nothing() -> None:
    op = element.operators(PATCH_NODES[PATCH_QUADS], X)
    mean = np.einsum("mp,mpsa->msa", op.area, op.E)
    np.testing.assert_allclose(mean, 0, atol=1e-14)


def test_in_plane_bending_does_not_lock() -> None:
    # Slender cantilever of rectangles six times as long as high, tip moment by a force pair:
    # pure bending, exact for the enhanced element.
    t, h, length, E = 0.01, 0.1, 3.0, 1e9
    mesh = grid_mesh(Panel(length, h), 5, 1)
    fixed = np.zeros((len(mesh.nodes), 6), bool)
    hold(mesh, "left edge", (0, 2, 3, 4), fixed)
    fixed[mesh.edges["left edge"][0], 1] = True
    force = np.zeros((1, len(mesh.nodes), 6))
    low, high = mesh.edges["right edge"]
    force[0, low, 0], force[0, high, 0] = 100.0, -100.0
    found = solve(ShellModel(mesh, plate(E, 0.0, t), X, fixed), force)
    exact = 100.0 * h * length**2 / (2 * E * t * h**3 / 12)
    assert found.displacement[0, high, 1] == pytest.approx(exact, rel=1e-2)


def test_scordelis_lo_roof_converges() -> None:
    # Thin-shell theory gives 0.3006, which is 0.994 of the usual reference.
    coarse, fine = (scordelis_lo(n) / 0.3024 for n in (8, 24))
    assert abs(coarse - 0.994) < 0.02
    assert abs(fine - 0.994) < 0.006


def test_pinched_hemisphere_converges() -> None:
    # Literature spreads from 0.0930 to 0.0940; thin-shell theory gives 0.09351.
    assert abs(hemisphere_18(8) / 0.0940 - 0.995) < 0.03
    assert abs(hemisphere_18(24) / 0.0940 - 0.995) < 0.006


def test_twisted_beam_converges() -> None:
    for run, exact in ((twisted_in_plane, 5.424e-3), (twisted_out_of_plane, 1.754e-3)):
        assert abs(run(2) / exact - 1) < 0.03
        assert abs(run(6) / exact - 1) < 0.006


def test_flipped_mesh_flips_the_stack_with_it() -> None:
    # The same stack laid from the other side bends the other way under the same stretch.
    lam = laminate(("carbon", 0, 1e-3), ("glass", 0, 1e-3))
    mesh = grid_mesh(Panel(0.4, 0.1), 8, 2)
    fixed = np.zeros((len(mesh.nodes), 6), bool)
    hold(mesh, "left edge", (0, 1, 2, 3, 4, 5), fixed)
    tip = mesh.edges["right edge"]
    pull = loads.edge_force(mesh, tip, np.array([1e4, 0, 0]))[None]
    up = solve(ShellModel(mesh, lam, X, fixed), pull).displacement[0, tip[1], 2]
    down = solve(ShellModel(mesh.flipped(), lam, X, fixed), pull).displacement[0, tip[1], 2]
    assert up == pytest.approx(-down, rel=1e-6)
    assert abs(up) > 1e-5
