"""Pieces of shells made solid: divided meshes, uniform states, rigid motions, pressure, heat."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest

from tartan.core.errors import MechanismError, PartError
from tartan.core.laminate import Laminate
from tartan.core.laminate.response import Load, free_resultants, respond
from tartan.core.shell.mesh import Mesh, Panel, grid_mesh
from tartan.core.solid import element, model
from tartan.core.solid.constants import stiffness
from tartan.core.solid.divided import piece_of
from tartan.core.solid.patch import Patch, as_one, solve, stretch_of
from tests.core.test_coupon import BAR
from tests.core.test_solid import PLY, of

T = 0.25e-3
QUASI = ((0.0, T), (45.0, T), (-45.0, T), (90.0, T))
SIDE = 0.02


def mixed() -> Mesh:
    """Two quadrilaterals and two triangles, as a strip."""
    nodes = np.array(
        [[0, 0, 0], [1, 0, 0], [2, 0, 0], [3, 0, 0], [0, 1, 0], [1, 1.2, 0], [2, 1, 0], [3, 1, 0]],
        float,
    )
    quads = np.array([[0, 1, 5, 4], [1, 2, 6, 5]])
    return Mesh(nodes, quads, triangles=np.array([[2, 3, 7], [2, 7, 6]]))


def area_of(nodes: np.ndarray, quads: np.ndarray) -> float:
    x = nodes[quads]
    return float(np.linalg.norm(np.cross(x[:, 2] - x[:, 0], x[:, 3] - x[:, 1]), axis=1).sum() / 2)


@pytest.mark.parametrize(("parts", "count"), [(1, 8 + 6), (2, 8 + 6), (4, 32 + 24)])
def test_a_piece_with_triangles_is_divided_into_quadrilaterals(parts: int, count: int) -> None:
    mesh = mixed()
    piece = piece_of(mesh, np.arange(4), parts)
    assert len(piece.quads) == count
    nodes = piece.weights @ mesh.nodes
    assert area_of(nodes, piece.quads) == pytest.approx(float(mesh.areas().sum()), rel=1e-12)
    # Every part keeps the area of its element, and no side has more than two.
    for number in range(4):
        own = piece.quads[piece.element == number]
        assert area_of(nodes, own) == pytest.approx(float(mesh.areas()[number]), rel=1e-12)
    assert piece.sides()[1].max() == 2
    # What is linear goes over as it is.
    field = mesh.nodes @ [2.0, -3.0, 1.0] + 5
    np.testing.assert_allclose(piece.weights @ field, nodes @ [2.0, -3.0, 1.0] + 5, rtol=1e-12)


def test_quadrilaterals_alone_stay_as_they_are() -> None:
    mesh = mixed()
    piece = piece_of(mesh, np.array([1]))
    np.testing.assert_array_equal(piece.weights @ mesh.nodes, mesh.nodes[[1, 2, 5, 6]])
    assert piece.quads.tolist() == [[0, 1, 3, 2]]


def flat(laminate: Laminate, count: int = 8, *, distorted: bool = True) -> Patch:
    """A square round the origin, its elements out of square."""
    mesh = grid_mesh(Panel(SIDE, SIDE), count, count)
    nodes = mesh.nodes.copy()
    rim = (np.abs(nodes[:, :2]) > SIDE / 2 - 1e-9).any(axis=1)
    if distorted:
        rng = np.random.default_rng(3)
        nodes[~rim, :2] += 0.25 * SIDE / count * rng.uniform(-1, 1, (int((~rim).sum()), 2))
    q = len(mesh.quads)
    return Patch(
        nodes,
        np.tile([0.0, 0.0, 1.0], (len(nodes), 1)),
        mesh.quads,
        np.tile(laminate.z, (len(nodes), 1)),
        np.tile(np.eye(3), (q, 1, 1)),
        (laminate,) * q,
        rim,
        np.zeros((len(nodes), 6)),
        np.zeros((len(nodes), laminate.count, 2)),
        np.zeros((q, 2)),
        np.zeros(2),
        np.zeros(3),
    )


def middle(patch: Patch) -> int:
    centres = patch.nodes[patch.quads].mean(axis=1)
    return int(np.linalg.norm(centres[:, :2], axis=1).argmin())


def moved(patch: Patch, eps: np.ndarray, kappa: np.ndarray) -> Patch:
    """With its cut moved as a shell of uniform strains and curvatures moves."""
    x, y = patch.nodes[:, 0], patch.nodes[:, 1]
    u = np.zeros((len(x), 6))
    u[:, 0] = eps[0] * x + eps[2] / 2 * y
    u[:, 1] = eps[2] / 2 * x + eps[1] * y
    u[:, 2] = -(kappa[0] * x**2 + kappa[1] * y**2 + kappa[2] * x * y) / 2
    # The slope of w turns the normals: about x by w,y and about y by −w,x.
    u[:, 3] = -(2 * kappa[1] * y + kappa[2] * x) / 2
    u[:, 4] = (2 * kappa[0] * x + kappa[2] * y) / 2
    section = np.concatenate([eps, kappa, [0.0, 0.0]])
    stretch = np.tile(stretch_of(patch.laminates[0], section, patch.heat), (len(x), 1, 1))
    return dataclasses.replace(patch, moves=u, stretch=stretch)


@pytest.mark.parametrize("offset", [0.0, 0.4e-3])
def test_uniform_strains_and_curvatures_are_laminate_theory(offset: float) -> None:
    laminate = of(*QUASI).about(offset)
    eps = np.array([1e-3, -4e-4, 6e-4])
    kappa = np.array([0.5, -0.3, 0.4])
    found = solve(moved(flat(laminate, 10), eps, kappa))
    stress = found.column(middle(found.patch))
    N = laminate.ABD @ np.concatenate([eps, kappa])
    theory = respond(laminate, Load(N=N[:3], M=N[3:])).stress_12
    peak = np.abs(theory).max()
    np.testing.assert_allclose(stress[..., [0, 1, 3]], theory, atol=2e-3 * peak)
    np.testing.assert_allclose(stress[..., [2, 4, 5]], 0.0, atol=2e-3 * peak)


def test_uniform_strains_are_laminate_theory_to_the_last_digits_at_every_column() -> None:
    """Also beside the cut: nothing is held that a shell does not hold."""
    laminate = of(*QUASI, *QUASI[::-1])
    eps = np.array([1e-3, -4e-4, 6e-4])
    patch = moved(flat(laminate, 4), eps, np.zeros(3))
    found = solve(patch)
    theory = respond(laminate, Load(N=laminate.A @ eps)).stress_12
    peak = np.abs(theory).max()
    for quad in range(len(patch.quads)):
        stress = found.column(quad)
        np.testing.assert_allclose(stress[..., [0, 1, 3]], theory, atol=1e-7 * peak)
        np.testing.assert_allclose(stress[..., [2, 4, 5]], 0.0, atol=1e-7 * peak)


def test_one_solid_has_the_strains_of_the_plies() -> None:
    laminate = of(*QUASI, *QUASI[::-1])
    eps = np.array([1e-3, -4e-4, 6e-4])
    patch = moved(flat(laminate, 10), eps, np.zeros(3))
    one, plies = as_one(patch), solve(patch)
    at = middle(patch)
    peak = np.abs(plies.column(at)).max()
    np.testing.assert_allclose(one.column(at), plies.column(at), atol=1e-7 * peak)
    assert one.unknowns < plies.unknowns


def test_a_curved_piece_that_moves_as_a_rigid_body_bears_nothing() -> None:
    laminate = of(*QUASI)
    mesh = grid_mesh(Panel(SIDE, SIDE, radius_x=0.03), 6, 6)
    normals = mesh.at_nodes(mesh.normals() * mesh.areas()[:, None])
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    flat_one = flat(laminate, 6, distorted=False)
    corners = mesh.nodes[mesh.quads]
    n = np.cross(corners[:, 2] - corners[:, 0], corners[:, 3] - corners[:, 1])
    n /= np.linalg.norm(n, axis=1, keepdims=True)
    along = np.array([1.0, 0.0, 0.0]) - n[:, :1] * n
    along /= np.linalg.norm(along, axis=1, keepdims=True)
    axes = np.stack([along, np.cross(n, along), n], axis=1)
    shift, turn = np.array([1e-3, -2e-3, 3e-3]), np.array([2e-3, 1e-3, -4e-3])
    moves = np.concatenate(
        [shift + np.cross(turn, mesh.nodes), np.tile(turn, (len(mesh.nodes), 1))], axis=1
    )
    patch = dataclasses.replace(
        flat_one, nodes=mesh.nodes, normals=normals, axes=axes, moves=moves
    )
    stretched = dataclasses.replace(
        patch, moves=moves + 1e-3 * np.pad(mesh.nodes, ((0, 0), (0, 3)))
    )
    bears = np.abs(solve(stretched).column(middle(patch))).max()
    for found in (solve(patch), as_one(patch)):
        assert np.abs(found.column(middle(patch))).max() < 1e-9 * bears


def test_pressure_on_a_face_goes_down_to_nothing_at_the_other() -> None:
    laminate = of((0.0, 1e-3), (0.0, 1e-3), (0.0, 1e-3), material=BAR)
    patch = flat(laminate, 12, distorted=False)
    pressure = np.zeros((len(patch.quads), 2))
    pressure[:, 1] = 2e5
    stress = solve(dataclasses.replace(patch, pressure=pressure), 4).column(middle(patch))
    assert stress[-1, 2, 2] == -2e5
    assert stress[0, 0, 2] == 0.0
    # Half of it in the middle: the pressure is carried off by shear that is symmetric there.
    assert stress[1, 1, 2] == pytest.approx(-1e5, rel=0.02)
    both = solve(dataclasses.replace(patch, pressure=np.full_like(pressure, 2e5)), 4).column(
        middle(patch)
    )
    np.testing.assert_allclose(both[..., 2], -2e5, rtol=0.01)


def test_weight_of_a_hung_column_is_borne_by_its_cut() -> None:
    """Driven along its normals, a thick piece hangs by its rim; upside down it stands on it."""
    heavy = dataclasses.replace(BAR, rho=8000.0)
    laminate = of((0.0, 2e-3), (0.0, 2e-3), material=heavy)
    patch = dataclasses.replace(
        flat(laminate, 6, distorted=False), driven=np.array([0.0, 0.0, -1e4])
    )
    for found in (solve(patch), as_one(patch)):
        mesh, u = found.mesh, found.u
        forces = np.zeros_like(u)
        every = np.arange(len(mesh.bricks))
        np.add.at(forces, mesh.bricks, model.nodal_forces(mesh, u, every))
        weight = 8000.0 * SIDE**2 * laminate.thickness * 1e4
        # The cut pulls up what belongs to the 5 × 5 columns of nodes within; theirs is its own.
        held = np.tile(patch.cut, mesh.nodes.shape[0] // len(patch.nodes))
        assert forces[held, 2].sum() == pytest.approx(weight * 25 / 36, rel=1e-9)
    up = solve(dataclasses.replace(patch, driven=-patch.driven))
    np.testing.assert_allclose(up.u, -solve(patch).u, atol=1e-9 * np.abs(up.u).max())


def test_heat_that_is_free_to_expand_bears_nothing_and_that_is_held_does() -> None:
    hot = dataclasses.replace(BAR, alpha1=1.2e-5, alpha2=1.2e-5)
    laminate = of((0.0, 1e-3), (0.0, 1e-3), material=hot)
    patch = dataclasses.replace(flat(laminate, 8), heat=np.array([50.0, 0.0]))
    at, nothing = middle(patch), np.zeros(3)
    held = solve(moved(patch, nothing, nothing)).column(at)
    free = solve(moved(patch, np.array([1.0, 1.0, 0.0]) * 1.2e-5 * 50.0, nothing)).column(at)
    squeezed = -hot.E1 * 1.2e-5 * 50.0 / (1 - hot.nu12)
    np.testing.assert_allclose(held[..., :2], squeezed, rtol=1e-6)
    assert np.abs(free).max() < 1e-6 * abs(squeezed)
    # A gradient about the middle, held flat: a moment, and nothing in the middle.
    steep = dataclasses.replace(patch, heat=np.array([0.0, 5e4]))
    bent = solve(moved(steep, nothing, nothing)).column(at)
    np.testing.assert_allclose(bent[-1, 2, :2], squeezed, rtol=2e-3)
    np.testing.assert_allclose(bent[0, 0, :2], -squeezed, rtol=2e-3)
    # It does not matter where the reference surface is.
    lifted = dataclasses.replace(flat(laminate.about(1e-3), 8), heat=np.array([0.0, 5e4]))
    other = solve(moved(lifted, nothing, nothing)).column(at)
    np.testing.assert_allclose(other, bent, atol=1e-6 * abs(squeezed))


def test_one_solid_is_warmed_as_its_plies_are() -> None:
    """Held flat, and let go by what a symmetric laminate takes: plies and one solid are alike."""
    warm = dataclasses.replace(PLY, alpha1=-2e-7, alpha2=3e-5)
    laminate = of(*QUASI, *QUASI[::-1], material=warm)
    patch = dataclasses.replace(flat(laminate, 6), heat=np.array([-80.0, 0.0]))
    free = (laminate.compliance @ free_resultants(laminate, Load(dT=-80.0)))[:3]
    at = middle(patch)
    for eps in (np.zeros(3), free):
        asked = moved(patch, eps, np.zeros(3))
        one, plies = as_one(asked).column(at), solve(asked).column(at)
        peak = np.abs(plies).max()
        assert peak > 1e6
        np.testing.assert_allclose(one, plies, atol=1e-6 * peak)
    # Let go it has no force, though its plies bear one another.
    across = (plies[..., [0, 1]].mean(axis=1) * T).sum(axis=0)
    assert abs(across.sum()) < 1e-6 * peak * T


def test_free_strains_of_a_loose_brick_are_its_strains() -> None:
    rng = np.random.default_rng(5)
    # Out of square in its plane and leaning, its faces flat.
    corners = element.CORNERS.copy()
    corners[:4, :2] += 0.3 * rng.uniform(-1, 1, (4, 2))
    corners[4:, :2] = corners[:4, :2] + [0.3, -0.2]
    x = corners[None] * [2e-3, 3e-3, 1e-3]
    C = stiffness(PLY)[None]
    free = rng.normal(size=(1, 6)) * 1e-3
    gradient = np.zeros((3, 3))
    gradient[[0, 1, 2], [0, 1, 2]] = free[0, :3]
    gradient[[0, 0, 1], [1, 2, 2]] = free[0, 3:]
    u = (x[0] @ gradient.T).reshape(1, 24)
    K = element.stiffness(element.operators(x), C)
    both = np.stack([free, free], axis=1)
    forces = element.free_forces(x, C, both)
    scale = np.abs(forces).max()
    np.testing.assert_allclose(np.einsum("mef,mf->me", K, u), forces, atol=1e-9 * scale)
    strains = element.strains(x, C, u, element.GAUSS, both)
    np.testing.assert_allclose(strains[0], np.tile(free, (8, 1)), atol=1e-12)


def test_what_is_not_cut_can_move_and_what_is_too_large_is_refused() -> None:
    patch = flat(of(*QUASI), 4)
    with pytest.raises(MechanismError):
        solve(dataclasses.replace(patch, cut=np.zeros_like(patch.cut)))
    with pytest.raises(PartError, match="GB"):
        model.check_size(10_000_000, 100)
