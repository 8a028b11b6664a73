"""Solids of plies: constants, patch tests, bending of thin bricks, plates, coupons."""

import dataclasses

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.errors import MaterialError, MechanismError, PartError
from tartan.core.laminate import Laminate, make_laminate
from tartan.core.laminate.response import Load, respond
from tartan.core.materials import Material
from tartan.core.solid import element, model
from tartan.core.solid.constants import (
    assumed,
    lacking,
    ply_axes,
    stiffness,
    strain_turn,
    turned,
)
from tartan.core.solid.homogenised import effective, engineering
from tartan.core.solid.model import SolidMesh
from tartan.core.solid.plate import bent
from tartan.core.solid.slab import by_ply, slab
from tartan.core.stack import Ply, Stack
from tests.conftest import CARBON, STEEL
from tests.exact_bending import exact_plate

Array = NDArray[np.float64]

PLY = dataclasses.replace(CARBON, E3=9e9, nu13=0.3, nu23=0.4)


def of(*plies: tuple[float, float], material: Material = PLY) -> Laminate:
    stack = Stack("solid", tuple(Ply(material.name, a, t) for a, t in plies))
    return make_laminate(stack, {material.name: material})


# Constants


def test_a_turned_stiffness_keeps_its_invariants_and_comes_back() -> None:
    C = stiffness(PLY)
    rng = np.random.default_rng(1)
    axes, _ = np.linalg.qr(rng.normal(size=(3, 3)))
    axes *= np.sign(np.linalg.det(axes))
    there = turned(C, axes)
    np.testing.assert_allclose(turned(there, axes.T), C, rtol=1e-9, atol=1e-3)
    # Kelvin's form has the same eigenvalues however it is turned.
    k = np.diag([1, 1, 1, *[np.sqrt(2)] * 3])
    np.testing.assert_allclose(
        np.linalg.eigvalsh(k @ there @ k), np.linalg.eigvalsh(k @ C @ k), rtol=1e-9
    )
    strain = rng.normal(size=6)
    tensor = np.array(
        [
            [strain[0], strain[3] / 2, strain[4] / 2],
            [strain[3] / 2, strain[1], strain[5] / 2],
            [strain[4] / 2, strain[5] / 2, strain[2]],
        ]
    )
    new = axes @ tensor @ axes.T
    exact = [new[0, 0], new[1, 1], new[2, 2], 2 * new[0, 1], 2 * new[0, 2], 2 * new[1, 2]]
    np.testing.assert_allclose(strain_turn(axes) @ strain, exact, rtol=1e-12)


def test_steel_is_alike_in_all_directions() -> None:
    C = stiffness(STEEL)
    E, nu = STEEL.E1, STEEL.nu12
    assert C[0, 0] == pytest.approx(E * (1 - nu) / ((1 + nu) * (1 - 2 * nu)))
    assert C[3, 3] == pytest.approx(E / (2 * (1 + nu)))
    axes = ply_axes(np.array(0.7))
    np.testing.assert_allclose(turned(C, axes), C, rtol=1e-9, atol=1e-3)


def test_what_a_ply_lacks_is_named_or_assumed() -> None:
    bare = dataclasses.replace(CARBON, E3=None, nu13=None, nu23=None)
    assert lacking(bare) == ("E3", "nu13", "nu23")
    with pytest.raises(MaterialError, match="E3"):
        stiffness(bare)
    full = assumed(bare)
    assert lacking(full) == ()
    assert (full.E3, full.nu13) == (bare.E2, bare.nu12)
    assert bare.G23 is not None
    assert full.nu23 is not None
    assert pytest.approx(bare.E2 / (2 * (1 + full.nu23))) == full.G23
    # The same all round its fibres.
    axes = np.array([[1, 0, 0], [0, 0.6, 0.8], [0, -0.8, 0.6]])
    np.testing.assert_allclose(turned(stiffness(full), axes), stiffness(full), rtol=1e-9, atol=1e3)
    nothing = assumed(dataclasses.replace(bare, G13=None, G23=None))
    assert np.linalg.eigvalsh(stiffness(nothing))[0] > 0
    with pytest.raises(MaterialError, match="stable"):
        stiffness(dataclasses.replace(PLY, nu23=1.2))


# Elements


def sheet(thickness: float, *, seed: int = 2, n: int = 3) -> tuple[Array, NDArray[np.int64]]:
    """A square of one metre, distorted in its plane, of two layers of bricks."""
    line = np.linspace(0, 1, n + 1)
    z = np.array([0.0, 0.4, 1.0]) * thickness
    Z, Y, X = np.meshgrid(z, line, line, indexing="ij")
    nodes = np.stack([X, Y, Z], axis=-1)
    shift = 0.25 / n * np.random.default_rng(seed).uniform(-1, 1, (n + 1, n + 1, 2))
    shift[[0, -1], :, 1] = shift[:, [0, -1], 0] = shift[[0, -1], :, 0] = shift[:, [0, -1], 1] = 0
    nodes[..., :2] += shift
    k, j, i = (v.ravel() for v in np.meshgrid(range(2), range(n), range(n), indexing="ij"))
    row, plane = n + 1, (n + 1) ** 2
    base = k * plane + j * row + i
    below = np.stack([base, base + 1, base + row + 1, base + row], axis=1)
    return nodes.reshape(-1, 3), np.concatenate([below, below + plane], axis=1)


@pytest.mark.parametrize("thickness", [0.5, 0.0066])
def test_the_patch_test_distorted_and_at_100_to_1(thickness: float) -> None:
    nodes, bricks = sheet(thickness)
    C = turned(stiffness(PLY), ply_axes(np.deg2rad(27.0)))
    mesh = SolidMesh(nodes, bricks, np.broadcast_to(C, (len(bricks), 6, 6)))
    inside = (nodes[:, 0] % 1 > 1e-9) & (nodes[:, 1] % 1 > 1e-9)
    inside &= (nodes[:, 2] > 0) & (nodes[:, 2] < thickness)
    assert inside.sum() == 4
    rng = np.random.default_rng(4)
    for _ in range(6):
        grad = rng.normal(size=(3, 3)) * 1e-3
        u = nodes @ grad.T
        fixed = np.repeat(~inside[:, None], 3, axis=1)
        found = model.solve(mesh, np.zeros_like(u), fixed, u)
        np.testing.assert_allclose(found, u, atol=1e-12 * np.abs(u).max() + 1e-13)
        strain = np.array(
            [
                grad[0, 0],
                grad[1, 1],
                grad[2, 2],
                grad[0, 1] + grad[1, 0],
                grad[0, 2] + grad[2, 0],
                grad[1, 2] + grad[2, 1],
            ]
        )
        own = model.strains(mesh, found, np.arange(len(bricks)), element.GAUSS)
        np.testing.assert_allclose(own, np.broadcast_to(strain, own.shape), atol=1e-9)


@pytest.mark.parametrize("seed", range(5))
def test_rigid_motions_strain_nothing_and_nothing_else_is_free(seed: int) -> None:
    rng = np.random.default_rng(seed)
    size = np.array([1.0, 0.7, 10.0 ** -rng.uniform(0, 2)])
    x = (element.CORNERS + 0.15 * rng.normal(size=(8, 3)))[None] * size / 2
    C = turned(stiffness(PLY), ply_axes(np.array(0.3)))[None]
    K = element.stiffness(element.operators(x), C)[0]
    values = np.linalg.eigvalsh(K)
    assert np.abs(values[:6]).max() < 1e-9 * values[-1]
    assert values[6] > 1e-8 * values[-1]
    spin = np.cross(rng.normal(size=3), x[0]) + rng.normal(size=3)
    assert np.abs(K @ spin.ravel()).max() < 1e-9 * np.abs(K).max() * np.abs(spin).max()
    u = rng.normal(size=24)
    own = element.strains(x, C, u[None], element.GAUSS)[0]
    op = element.operators(x)
    energy = np.einsum("ps,st,pt,p->", own, C[0], own, op.volume[0])
    assert energy == pytest.approx(u @ K @ u)


@pytest.mark.parametrize(("skew", "within"), [(0.0, 0.01), (0.3, 0.03)])
@pytest.mark.parametrize("slender", [5.0, 100.0])
def test_thin_bricks_bend_without_locking(skew: float, within: float, slender: float) -> None:
    """A cantilever of one brick through its thickness, ten along it, against beam theory."""
    n, h = 10, 1.0
    step = width = slender * h
    length = n * step
    x = np.linspace(0, length, n + 1)
    # Without Poisson's ratio the clamp and the width change nothing.
    plain = dataclasses.replace(STEEL, nu12=0.0, nu13=0.0, nu23=0.0, kind="ply")
    half = STEEL.E1 / 2
    plain = dataclasses.replace(plain, G12=half, G13=half, G23=half)
    made = slab(of((0.0, h), material=plain), x, np.array([0.0, width]), 1)
    nodes = made.mesh.nodes.copy()
    # Sides across lean this way and that, as in a mesh that is not made for it.
    lean = skew * step * np.where(np.arange(n + 1) % 2, 1.0, -1.0)
    lean[[0, -1]] = 0
    at = np.searchsorted(x, nodes[:, 0] - 1e-9)
    nodes[:, 0] += lean[at] * (nodes[:, 1] / width - 0.5)
    mesh = dataclasses.replace(made.mesh, nodes=nodes)
    fixed = np.zeros((len(nodes), 3), bool)
    fixed[at == 0] = True
    forces = np.zeros((len(nodes), 3))
    tip = at == n
    forces[tip, 2] = 1.0 / tip.sum()
    w = model.solve(mesh, forces, fixed)[tip, 2].mean()
    inertia = width * h**3 / 12
    exact = length**3 / (3 * plain.E1 * inertia) + length / (half * width * h)
    assert w == pytest.approx(exact, rel=within)


# Plates and coupons


@pytest.mark.parametrize("slender", [4.0, 10.0])
@pytest.mark.parametrize("angles", [(0.0,), (0.0, 90.0), (90.0, 0.0, 0.0, 90.0, 0.0)])
def test_plates_of_cross_plies_are_the_exact_ones(
    angles: tuple[float, ...], slender: float
) -> None:
    a, b, q0 = 1.0, 0.7, 1e5
    t = a / slender / len(angles)
    laminate = of(*((x, t) for x in angles))
    per_ply = max(4, 20 // len(angles))
    found = bent(laminate, a, b, q0, across=14, per_ply=per_ply)
    levels = np.stack([laminate.z[:-1], (laminate.z[:-1] + laminate.z[1:]) / 2, laminate.z[1:]], 1)
    exact = exact_plate(laminate, a, b, q0, levels.ravel()).reshape(-1, 3, 6)
    for name, column, within in (
        ("u_edge", 0, 0.01),
        ("v_edge", 1, 0.01),
        ("w_center", 2, 0.004),
        ("tau_xz_edge", 3, 0.015),
        ("tau_yz_edge", 4, 0.015),
        ("sigma_z_center", 5, 0.02),
    ):
        own, wanted = getattr(found, name), exact[..., column]
        np.testing.assert_allclose(own, wanted, atol=within * np.abs(wanted).max(), err_msg=name)


def test_a_plate_converges_with_the_square_of_its_elements() -> None:
    laminate = of((0.0, 0.05), (90.0, 0.05))
    exact = exact_plate(laminate, 1.0, 1.0, 1e6, np.array([0.0]))[0, 2]
    off = [
        abs(bent(laminate, 1.0, 1.0, 1e6, across=n, per_ply=n).w_mid / exact - 1)
        for n in (3, 6, 12)
    ]
    assert off[0] / off[1] == pytest.approx(4.0, rel=0.2)
    assert off[1] / off[2] == pytest.approx(4.0, rel=0.2)
    assert off[2] < 2e-3


@pytest.mark.parametrize("angles", [(0.0, 90.0), (0.0, 0.0), (90.0, 0.0)])
def test_a_coupon_away_from_its_edges_is_laminate_theory(angles: tuple[float, float]) -> None:
    t = 0.25e-3
    laminate = of(*((a, t) for a in (*angles, *angles[::-1])))
    h = laminate.thickness
    # Graded towards the free edge; the middle is a line of symmetry, twenty thicknesses away.
    y = 20 * h * (1 - np.linspace(1, 0, 41) ** 2.5)
    made = slab(laminate, np.linspace(0, 2 * h, 3), y, 2)
    nodes, strain = made.mesh.nodes, 1e-3
    fixed = np.zeros((len(nodes), 3), bool)
    moves = np.zeros((len(nodes), 3))
    for end, move in ((made.x[0], 0.0), (made.x[-1], strain * made.x[-1])):
        at = nodes[:, 0] == end
        fixed[at, 0], moves[at, 0] = True, move
    fixed[nodes[:, 1] == 0, 1] = True
    fixed[made.node(0, 0, 0), 2] = True
    u = model.solve(made.mesh, np.zeros_like(nodes), fixed, moves)
    which = made.element(0, 0, np.arange(len(made.ply)))
    own = model.stresses(made.mesh, u, which, np.zeros((1, 3)))[:, 0]
    theory = np.linalg.inv(laminate.A)
    N = np.array([strain / theory[0, 0], 0.0, 0.0])
    plies = respond(laminate, Load(N=N)).stress_xy[:, 1]
    peak = np.abs(plies).max()
    np.testing.assert_allclose(own[:, [0, 1, 3]], plies[made.ply], atol=1e-6 * peak)
    np.testing.assert_allclose(own[:, [2, 4, 5]], 0.0, atol=1e-6 * peak)


def test_values_by_ply_are_those_of_a_cubic() -> None:
    made = slab(of((0.0, 1.0), (90.0, 2.0)), np.array([0.0, 1.0]), np.array([0.0, 1.0]), (5, 3))
    middle = (made.z[1:] + made.z[:-1]) / 2
    cubic = np.where(made.ply == 0, middle**3 - middle, 2 + middle**2)
    found = by_ply(made.z, made.ply, cubic[:, None])[..., 0]
    z = [(-1.5, -1.0, -0.5), (-0.5, 0.5, 1.5)]
    np.testing.assert_allclose(found[0], [v**3 - v for v in z[0]], atol=1e-12)
    np.testing.assert_allclose(found[1], [2 + v**2 for v in z[1]], atol=1e-12)


# What is refused


def test_what_memory_does_not_hold_is_refused_before_it_is_tried() -> None:
    with pytest.raises(PartError, match="GB") as caught:
        bent(of(*[(0.0, 1e-3)] * 20), 1.0, 1.0, 1.0, across=200, per_ply=10)
    assert "smaller area" in caught.value.mend
    model.check_size(20_000, 25)


def test_a_solid_that_can_move_is_refused() -> None:
    made = slab(of((0.0, 1e-3)), np.array([0.0, 1.0]), np.array([0.0, 1.0]), 1)
    with pytest.raises(MechanismError):
        model.solve(made.mesh, np.zeros((8, 3)), np.zeros((8, 3), bool))


# One solid in place of many


def test_one_material_is_its_own_mean() -> None:
    C = effective(of((30.0, 1e-3), (30.0, 2e-3)))
    np.testing.assert_allclose(C, turned(stiffness(PLY), ply_axes(np.deg2rad(30.0))), rtol=1e-9)
    found = engineering(effective(of((0.0, 1.0))))
    assert found["Ex"] == pytest.approx(PLY.E1)
    assert found["Ez"] == pytest.approx(PLY.E3)
    assert found["nuxz"] == pytest.approx(PLY.nu13)
    assert found["Gyz"] == pytest.approx(PLY.G23)


def test_in_its_plane_the_mean_is_laminate_theory() -> None:
    laminate = of((0.0, 1e-3), (45.0, 1e-3), (-45.0, 1e-3), (90.0, 0.5e-3))
    S = np.linalg.inv(effective(laminate))
    plane = [0, 1, 3]
    np.testing.assert_allclose(
        np.linalg.inv(S[np.ix_(plane, plane)]), laminate.A / laminate.thickness, rtol=1e-9
    )


@pytest.mark.parametrize("seed", range(4))
def test_the_mean_is_that_of_solids_ply_by_ply(seed: int) -> None:
    """Every ply as a brick: in-plane strain given, the rest found, forces on the faces summed."""
    rng = np.random.default_rng(seed)
    laminate = of(*((float(a), float(t)) for a, t in zip(
        rng.uniform(-90, 90, 4), rng.uniform(0.1, 0.4, 4), strict=True
    )))  # fmt: skip
    C, h = effective(laminate), laminate.thickness
    made = slab(laminate, np.array([0.0, 1.0]), np.array([0.0, 1.0]), 1)
    nodes = made.mesh.nodes
    strain = rng.normal(size=6) * 1e-3
    z = nodes[:, 2] - nodes[0, 2]
    u = np.zeros_like(nodes)
    u[:, 0] = strain[0] * nodes[:, 0] + strain[3] * nodes[:, 1]
    u[:, 1] = strain[1] * nodes[:, 1]
    # All nodes of a level move together: its own displacement is what is free.
    levels = np.searchsorted(made.z, nodes[:, 2] - 1e-9)
    K = model.stiffness(made.mesh).toarray()
    join = np.zeros((nodes.size, 3 * len(made.z)))
    for axis in range(3):
        join[np.arange(len(nodes)) * 3 + axis, levels * 3 + axis] = 1.0
    top = np.array([strain[4], strain[5], strain[2]]) * h
    q = np.zeros(3 * len(made.z))
    q[-3:] = top
    free = np.arange(3, len(q) - 3)
    load = join.T @ K @ (u.ravel() + join @ q)
    q[free] -= np.linalg.solve((join.T @ K @ join)[np.ix_(free, free)], load[free])
    total = K @ (u.ravel() + join @ q)
    # The top face is one square metre: its forces are the stresses across.
    across = (join.T @ total)[-3:]
    np.testing.assert_allclose(across, (C @ strain)[[4, 5, 2]], rtol=1e-8, atol=1e-3)
    energy = (u.ravel() + join @ q) @ total
    assert energy == pytest.approx(strain @ C @ strain * h, rel=1e-8)
    assert z.max() == pytest.approx(h)
