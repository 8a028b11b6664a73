"""One contract for every element form: what any shell element has to do, on any shape of it."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from tartan.core.laminate import Laminate
from tartan.core.shell import inertia
from tartan.core.shell.forms import FORMS
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.solve import section_matrix
from tests.conftest import laminate

Array = NDArray[np.float64]
SEEDS = st.integers(0, 10_000)
EVERY = pytest.mark.parametrize("corners", list(FORMS))

LAMINATE = laminate(("carbon", 30, 0.4e-3), ("glass", -50, 0.9e-3), ("carbon", 80, 0.3e-3))
THICK = laminate(("carbon", 30, 0.25), ("glass", -50, 0.55), ("carbon", 80, 0.2))


def corners_of(count: int, rng: np.random.Generator, warp: float = 0.0) -> Array:
    """Corners of a crooked element with edges of about 1, anywhere in space, shape (c, 3)."""
    turn = 2 * np.pi * np.arange(count) / count
    flat = np.stack([np.cos(turn), np.sin(turn), np.zeros(count)], axis=1)
    flat[:, :2] += rng.uniform(-0.2, 0.2, (count, 2))
    flat[:, 2] += warp * rng.uniform(-1, 1, count)
    return np.asarray(flat @ rotation(rng).T + rng.uniform(-3, 3, 3))


def rotation(rng: np.random.Generator) -> Array:
    q, _ = np.linalg.qr(rng.normal(size=(3, 3)))
    return np.asarray(q * np.sign(np.linalg.det(q)))


def mesh_of(x: Array) -> Mesh:
    nodes = np.arange(len(x))[None]
    none = {n: np.zeros((0, n), np.int64) for n in FORMS}
    both = none | {len(x): nodes}
    return Mesh(x, both[4], triangles=both[3])


def section(lam: Laminate, count: int = 1) -> Array:
    return np.broadcast_to(section_matrix(lam.ABD, lam.shear), (count, 8, 8))


def operators(x: Array, along: Array) -> object:
    mesh = mesh_of(x)
    (block,) = mesh.blocks
    return FORMS[len(x)].block_operators(mesh, block.nodes, np.array([0]), along[None])


def stiffness(x: Array, along: Array, lam: Laminate = LAMINATE) -> Array:
    return FORMS[len(x)].stiffness(operators(x, along), section(lam))[0]


def strains(x: Array, along: Array, u: Array, lam: Laminate = LAMINATE) -> Array:
    """Section strains of a motion of the corners, shape (c, 6), at the sampling points."""
    found = FORMS[len(x)].section_strains(operators(x, along), section(lam), u.reshape(1, -1, 1))
    return found[0, 0]


def along_of(x: Array, rng: np.random.Generator) -> Array:
    """A direction well off the normal."""
    side = x[1] - x[0]
    other = x[-1] - x[0]
    return np.asarray(side * rng.uniform(0.4, 1.0) + other * rng.uniform(-0.3, 0.5))


def rigid(x: Array, rng: np.random.Generator) -> Array:
    shift, turn = rng.normal(size=(2, 3))
    return np.concatenate([shift + np.cross(turn, x), np.tile(turn, (len(x), 1))], axis=1)


@EVERY
@given(SEEDS, st.floats(0, 0.2))
def test_rigid_motions_strain_nothing(corners: int, seed: int, warp: float) -> None:
    rng = np.random.default_rng(seed)
    x = corners_of(corners, rng, warp)
    along, u = along_of(x, rng), rigid(x, rng)
    K = stiffness(x, along)
    np.testing.assert_allclose(K @ u.ravel(), 0.0, atol=1e-9 * np.abs(K).max() * np.abs(u).max())
    np.testing.assert_allclose(strains(x, along, u), 0.0, atol=1e-10 * np.abs(u).max())


@EVERY
@given(SEEDS, st.floats(0, 0.2))
def test_everything_else_costs_energy(corners: int, seed: int, warp: float) -> None:
    """Symmetric, and six zero eigenvalues: no hourglass is left and none is negative."""
    rng = np.random.default_rng(seed)
    x = corners_of(corners, rng, warp)
    # As thick as it is wide, bending and stretching cost alike.
    K = stiffness(x, along_of(x, rng), THICK)
    np.testing.assert_allclose(K, K.T, atol=1e-9 * np.abs(K).max())
    values = np.linalg.eigvalsh(K)
    assert np.abs(values[:6]).max() < 1e-12 * values[-1]
    # The weakest is the tie of the rotation about the normal at the points, weak by design.
    assert values[6] > 1e-8 * values[-1]


@EVERY
@given(SEEDS)
def test_constant_states_are_exact_on_any_flat_shape(corners: int, seed: int) -> None:
    """Constant membrane strain, and constant curvature with the rotations that belong to it."""
    rng = np.random.default_rng(seed)
    x = corners_of(corners, rng)
    along = along_of(x, rng)
    normal = np.cross(x[1] - x[0], x[-1] - x[0])
    normal /= np.linalg.norm(normal)
    e1 = along - (along @ normal) * normal
    e1 /= np.linalg.norm(e1)
    e2 = np.cross(normal, e1)
    axes = np.array([e1, e2, normal])
    flat = (x - x.mean(axis=0)) @ axes.T
    X, Y = flat[:, 0], flat[:, 1]
    ex, ey, gxy, kx, ky, kxy = rng.normal(size=6) * 1e-3
    u = np.zeros((corners, 6))
    u[:, 0], u[:, 1] = ex * X + gxy / 2 * Y, gxy / 2 * X + ey * Y
    # w,x = −βx with κ = β' by the plates' convention: θ turns the normal.
    u[:, 2] = -(kx * X**2 + ky * Y**2 + kxy * X * Y) / 2
    u[:, 3] = -(ky * Y + kxy * X / 2)
    u[:, 4] = kx * X + kxy * Y / 2
    turned = np.concatenate([u[:, :3] @ axes, u[:, 3:] @ axes], axis=1)
    found = strains(x, along, turned)
    np.testing.assert_allclose(found[:, :3], np.tile([ex, ey, gxy], (4, 1)), atol=1e-12)
    np.testing.assert_allclose(found[:, 3:6], np.tile([kx, ky, kxy], (4, 1)), atol=1e-11)


@EVERY
@given(SEEDS)
def test_a_turned_element_is_the_same_element(corners: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    x = corners_of(corners, rng, 0.1)
    along, R = along_of(x, rng), rotation(rng)
    turn = np.kron(np.eye(2 * corners), R)
    K, turned = stiffness(x, along), stiffness(x @ R.T, R @ along)
    np.testing.assert_allclose(turned, turn @ K @ turn.T, atol=1e-9 * np.abs(K).max())


@EVERY
@given(SEEDS, st.integers(1, 3))
def test_it_does_not_matter_which_corner_is_the_first(corners: int, seed: int, by: int) -> None:
    rng = np.random.default_rng(seed)
    x = corners_of(corners, rng, 0.1)
    along = along_of(x, rng)
    order = np.roll(np.arange(corners), -by)
    unknowns = (order[:, None] * 6 + np.arange(6)).ravel()
    K, other = stiffness(x, along), stiffness(x[order], along)
    np.testing.assert_allclose(other, K[np.ix_(unknowns, unknowns)], atol=1e-8 * np.abs(K).max())


@EVERY
@given(SEEDS, st.floats(0.2, 5))
def test_stiffness_grows_with_the_material_and_not_with_the_place(
    corners: int, seed: int, factor: float
) -> None:
    rng = np.random.default_rng(seed)
    x = corners_of(corners, rng, 0.1)
    along = along_of(x, rng)
    K, mesh = stiffness(x, along), mesh_of(x)
    (block,) = mesh.blocks
    op = FORMS[corners].block_operators(mesh, block.nodes, np.array([0]), along[None])
    scaled = FORMS[corners].stiffness(op, factor * section(LAMINATE))[0]
    np.testing.assert_allclose(scaled, factor * K, rtol=1e-9, atol=1e-9 * np.abs(K).max())
    moved = stiffness(x + rng.uniform(-10, 10, 3), along)
    np.testing.assert_allclose(moved, K, atol=1e-8 * np.abs(K).max())


@EVERY
@given(SEEDS)
def test_its_points_have_the_area_and_the_normal_of_the_surface(corners: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    x = corners_of(corners, rng)
    N, area = FORMS[corners].points(x[None])
    np.testing.assert_allclose(N.sum(axis=1), 1.0)
    total = np.linalg.norm(area[0], axis=1).sum()
    fan = [np.cross(x[k] - x[0], x[k + 1] - x[0]) / 2 for k in range(1, corners - 1)]
    assert total == pytest.approx(np.linalg.norm(np.sum(fan, axis=0)))
    np.testing.assert_allclose(area[0].sum(axis=0), np.sum(fan, axis=0), atol=1e-12)
    # Weighted by their areas the points lie at the centroid: linear fields are integrated.
    weight = np.linalg.norm(area[0], axis=1)
    centres = [(x[0] + x[k] + x[k + 1]) / 3 for k in range(1, corners - 1)]
    sizes = [np.linalg.norm(f) for f in fan]
    np.testing.assert_allclose(
        weight @ N @ x / total, np.average(centres, axis=0, weights=sizes), atol=1e-12
    )


@EVERY
@given(SEEDS, st.floats(0, 0.15))
def test_its_surface_is_that_of_its_points(corners: int, seed: int, warp: float) -> None:
    """Derivatives of a linear field are its own; normals stand on the surface."""
    rng = np.random.default_rng(seed)
    x = corners_of(corners, rng, warp)
    along = along_of(x, rng)
    N, area, d, normals = FORMS[corners].surface(x[None], along[None])
    assert N.shape[1] == corners
    _, vectors = FORMS[corners].points(x[None])
    np.testing.assert_allclose(area[0], np.linalg.norm(vectors[0], axis=1), rtol=1e-12)
    np.testing.assert_allclose(d[0].sum(axis=-1), 0.0, atol=1e-12)
    np.testing.assert_allclose(np.linalg.norm(normals[0], axis=1), 1.0)
    slopes = d[0] @ x
    # The derivative of position along an axis is the axis: a unit vector in the surface.
    np.testing.assert_allclose(np.linalg.norm(slopes, axis=-1), 1.0, rtol=1e-9)
    np.testing.assert_allclose((slopes[:, 0] * slopes[:, 1]).sum(axis=-1), 0.0, atol=1e-9)


@EVERY
@given(SEEDS, st.floats(0, 0.1))
def test_mass_is_all_there_and_moves_as_one(corners: int, seed: int, warp: float) -> None:
    """A rigid velocity has the kinetic energy of the plate's mass and moment of inertia."""
    rng = np.random.default_rng(seed)
    x = corners_of(corners, rng, warp)
    rho, h = 1600.0, 0.02
    M = inertia.mass(x[None], np.array([[rho * h, 0.0, rho * h**3 / 12]]))[0]
    np.testing.assert_allclose(M, M.T, atol=1e-12 * np.abs(M).max())
    values = np.linalg.eigvalsh(M)
    assert values.min() > -1e-10 * values.max()
    _, vectors = FORMS[corners].points(x[None])
    area = float(np.linalg.norm(vectors[0], axis=1).sum())
    for axis in range(3):
        u = np.zeros((corners, 6))
        u[:, axis] = 1.0
        assert u.ravel() @ M @ u.ravel() == pytest.approx(rho * h * area, rel=1e-9)


@EVERY
@given(SEEDS)
def test_weight_is_mass_times_acceleration(corners: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    x, g = corners_of(corners, rng), rng.normal(size=3)
    moments = np.array([[30.0, 0.4, 0.02]])
    forces = inertia.driven(x[None], moments, g)[0].reshape(corners, 6)
    _, vectors = FORMS[corners].points(x[None])
    area = float(np.linalg.norm(vectors[0], axis=1).sum())
    np.testing.assert_allclose(forces[:, :3].sum(axis=0), 30.0 * area * g, atol=1e-9)
    # It is M times the acceleration as a motion of all corners.
    M = inertia.mass(x[None], moments)[0]
    u = np.zeros((corners, 6))
    u[:, :3] = g
    np.testing.assert_allclose((M @ u.ravel()).reshape(corners, 6), forces, atol=1e-9 * area * 30)


@EVERY
@settings(max_examples=40)
@given(SEEDS)
def test_stress_stiffens_by_the_second_order_strain(corners: int, seed: int) -> None:
    """½ uᵀ G u = ½ ∫ N w,x² for a tension N and a slope w,x, exactly on a flat element."""
    rng = np.random.default_rng(seed)
    x = corners_of(corners, rng)
    along = along_of(x, rng)
    _, area, d, normals = FORMS[corners].surface(x[None], along[None])
    normal = normals[0, 0]
    w = rng.normal(size=corners) * 1e-3
    u = np.zeros((corners, 6))
    u[:, :3] = w[:, None] * normal
    tension = 500.0
    forces = np.zeros((1, area.shape[1], 9))
    forces[..., 0] = tension
    G = inertia.geometric(x[None], along[None], forces, normal_only=True)[0]
    slopes = d[0, :, 0] @ w
    assert u.ravel() @ G @ u.ravel() == pytest.approx(
        tension * float((area[0] * slopes**2).sum()), rel=1e-9
    )
