"""What acts between plies of a shell, from how its section forces grow, against exact plates."""

import dataclasses

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.laminate import Laminate
from tartan.core.laminate.across import balanced, stress_across
from tartan.core.laminate.response import shear_from_section
from tartan.core.shell.force_gradients import ForceFit, force_fit, force_fit_at
from tartan.core.shell.loads import point_places, pressure
from tartan.core.shell.mesh import Mesh, Panel, grid_mesh
from tartan.core.shell.model import ShellModel
from tartan.core.shell.patches import axes_of, patches, turns
from tartan.core.shell.shear_fit import shear_fit
from tartan.core.shell.solve import solve
from tests.exact_bending import (
    X,
    cylindrical,
    endless_plate,
    exact_plate,
    in_ply_axes,
    levels,
    plies,
)

Array = NDArray[np.float64]

LENGTH, Q0 = 1.0, 1e5
ANGLES = [(30.0, -30.0), (30.0, -30.0, -30.0, 30.0), (0.0, 90.0, 0.0), (45.0, 0.0, -45.0, 90.0)]


@dataclasses.dataclass
class Field:
    """Section forces of one state of a shell, and what is fitted to them."""

    mesh: Mesh
    fit: ForceFit
    forces: Array
    strains: Array

    @classmethod
    def of(cls, model: ShellModel, load: Array) -> "Field":
        mesh, section = model.mesh, model.section_of(np.arange(model.mesh.count))
        strains = mesh.point_mean(solve(model, load).strains)
        fit = force_fit(mesh, model.reference, np.zeros(mesh.count, np.int64), model.stiffness())
        return cls(mesh, fit, np.einsum("mst,kmt->kms", section, strains), strains[0])

    @classmethod
    def given(cls, mesh: Mesh, laminate: Laminate, forces: Array, along: Array = X) -> "Field":
        none = np.zeros((len(mesh.nodes), 6), bool)
        C = ShellModel(mesh, laminate, along, none).stiffness()
        fit = force_fit(mesh, along, np.zeros(mesh.count, np.int64), C)
        return cls(mesh, fit, forces, np.linalg.solve(C[0], forces[0].T).T)

    def shears(self, laminate: Laminate) -> Array:
        """By element, ply and level, 13 and 23."""
        return shear_from_section(laminate, self.strains, self.fit.growth(self.forces[..., :6])[0])

    def across(self, laminate: Laminate, faces: Array, curved: Array | None = None) -> Array:
        """σ3 by element, ply and level, under pressures on both faces, shape (m, 2)."""
        N = self.forces[0, :, :6]
        curved = np.zeros((len(N), 3)) if curved is None else curved
        second = self.fit.slopes(self.forces[..., :6], second=True)[0, ..., 2:]
        borne = balanced(N, second, curved, faces[:, 0] - faces[:, 1])
        return stress_across(laminate, N, borne, curved, faces)


def strip(nx: int = 20, ny: int = 8, jitter: float = 0.0, *, split: bool = False) -> Mesh:
    width = LENGTH * ny / nx
    mesh = grid_mesh(Panel(LENGTH, width), nx, ny)
    nodes = mesh.nodes.copy()
    inner = (np.abs(nodes[:, 0]) < 0.499 * LENGTH) & (np.abs(nodes[:, 1]) < 0.499 * width)
    rng = np.random.default_rng(1)
    nodes[inner, :2] += rng.uniform(-jitter, jitter, (inner.sum(), 2)) * LENGTH / nx
    mesh = dataclasses.replace(mesh, nodes=nodes)
    return mesh.split() if split else mesh


def off(laminate: Laminate, mesh: Mesh) -> tuple[Array, Array, Array]:
    """Errors of shears with and without growth, and of σ3, by element, as shares of the peaks."""
    found = Field.of(*endless_plate(laminate, mesh, LENGTH, Q0))
    exact = cylindrical(laminate, LENGTH, Q0, levels(laminate).ravel()).reshape(-1, 3, 6)
    shear = in_ply_axes(laminate, exact[..., 3:5])
    x = np.pi * (mesh.centres()[:, 0] / LENGTH + 0.5)
    wanted = shear * np.cos(x)[:, None, None, None]
    plain = shear_from_section(laminate, found.strains)
    faces = np.zeros((mesh.count, 2))
    faces[:, 1] = -Q0 * np.sin(x)
    peel = found.across(laminate, faces) - exact[..., 5] * np.sin(x)[:, None, None]
    size = np.abs(shear).max()
    first, second = (
        np.abs(v - wanted).max(axis=(1, 2, 3)) / size for v in (found.shears(laminate), plain)
    )
    return first, second, np.abs(peel).max(axis=(1, 2)) / Q0


@pytest.mark.parametrize("slender", [10.0, 30.0])
@pytest.mark.parametrize("angles", ANGLES, ids=str)
def test_bent_angle_plies_have_the_exact_stresses_between_them(
    angles: tuple[float, ...], slender: float
) -> None:
    laminate = plies(*angles, thickness=LENGTH / slender)
    shear, plain, peel = off(laminate, strip())
    assert shear.max() < 0.015
    assert peel.max() < 0.02
    # One assumed distribution is what it was: right for cross-plies alone.
    assert (plain.max() > 0.035) == (90.0 not in angles or 45.0 in angles)


@pytest.mark.parametrize("angles", ANGLES, ids=str)
def test_distorted_elements_have_them_too(angles: tuple[float, ...]) -> None:
    laminate = plies(*angles, thickness=LENGTH / 10)
    shear, _, peel = off(laminate, strip(jitter=0.25))
    assert shear.max() < 0.05
    assert np.median(shear) < 0.015
    assert peel.max() < 0.05


def test_triangles_have_them_away_from_the_rim() -> None:
    laminate = plies(30.0, -30.0, -30.0, 30.0, thickness=LENGTH / 10)
    mesh = strip(24, 12, 0.1, split=True)
    shear, plain, peel = off(laminate, mesh)
    inside = np.abs(mesh.centres()[:, :2] / [LENGTH, LENGTH / 2]).max(axis=1) < 0.4
    assert shear[inside].max() < 0.05
    assert np.median(shear) < 0.03
    assert plain.max() > 0.15
    assert peel[inside].max() < 0.02


def test_finer_elements_come_nearer() -> None:
    # So thin that nothing is left of what the theory of shells leaves out.
    laminate = plies(45.0, 0.0, -45.0, 90.0, thickness=LENGTH / 200)
    errors = [off(laminate, strip(n, 6))[0].max() for n in (16, 32, 64)]
    assert errors[2] < errors[1] / 3 < errors[0] / 9


@pytest.mark.parametrize("angles", [(0.0, 90.0, 0.0), (90.0, 0.0)])
def test_a_plate_in_two_ways_bent_has_the_exact_ones(angles: tuple[float, ...]) -> None:
    a, b, n = 1.0, 0.8, 24
    laminate = plies(*angles, thickness=a / 12)
    mesh = grid_mesh(Panel(a, b), n, n)
    fixed = np.zeros((len(mesh.nodes), 6), bool)
    for names, held in ((("left", "right"), (1, 2, 3)), (("lower", "upper"), (0, 2, 4))):
        for name in names:
            fixed[np.ix_(mesh.edges[f"{name} edge"], np.array(held))] = True
    at = point_places(mesh)
    wave = np.cos(np.pi * at[..., 0] / a) * np.cos(np.pi * at[..., 1] / b)
    found = Field.of(ShellModel(mesh, laminate, X, fixed), pressure(mesh, Q0 * wave)[None])
    exact = exact_plate(laminate, a, b, Q0, levels(laminate).ravel()).reshape(-1, 3, 6)
    x, y = np.pi * (mesh.centres()[:, :2] / [a, b] + 0.5).T
    shape = np.stack([np.cos(x) * np.sin(y), np.sin(x) * np.cos(y)], axis=1)
    wanted = exact[None, ..., 3:5] * shape[:, None, None]
    got = found.shears(laminate)
    peak = np.abs(exact[..., 3:5]).max()
    assert np.abs(got - in_ply_axes(laminate, wanted)).max() < 0.04 * peak
    faces = np.zeros((mesh.count, 2))
    faces[:, 1] = -Q0 * np.sin(x) * np.sin(y)
    peel = found.across(laminate, faces) - exact[..., 5] * (np.sin(x) * np.sin(y))[:, None, None]
    assert np.abs(peel).max() < 0.03 * Q0


# What must not matter


def in_balance(mesh: Mesh, seed: int) -> Array:
    """Forces of quadratic growth that need no load in the plane, shape (1, m, 8)."""
    rng = np.random.default_rng(seed)
    x, y = mesh.centres()[:, 0], mesh.centres()[:, 1]
    # N of a stress function of the fourth degree; M of any quadratics, Q as they grow.
    a = rng.normal(size=(5, 5)) * 1e3
    N = np.zeros((3, mesh.count))
    for i in range(5):
        for j in range(5 - i):
            N[0] += a[i, j] * j * (j - 1) * x**i * y ** max(j - 2, 0)
            N[1] += a[i, j] * i * (i - 1) * x ** max(i - 2, 0) * y**j
            N[2] -= a[i, j] * i * j * x ** max(i - 1, 0) * y ** max(j - 1, 0)
    b = rng.normal(size=(3, 6)) * 10
    M = b @ np.stack([np.ones_like(x), x, y, x * x, x * y, y * y])
    by_x, by_y = (
        b[:, [k]] + 2 * b[:, [s]] * u + b[:, [4]] * v
        for k, s, u, v in ((1, 3, x, y), (2, 5, y, x))
    )
    Q = np.stack([by_x[0] + by_y[2], by_x[2] + by_y[1]])
    return np.concatenate([N, M, Q]).T[None]


def test_the_reference_direction_does_not_matter() -> None:
    turn = np.deg2rad(37.0)
    mesh = strip(12, 6, 0.2)
    one = plies(30.0, -50.0, 10.0, thickness=0.05)
    other = plies(30.0 - 37.0, -50.0 - 37.0, 10.0 - 37.0, thickness=0.05)
    forces = in_balance(mesh, 4)
    c, s = np.cos(turn), np.sin(turn)
    back = np.array(
        [[c * c, s * s, 2 * c * s], [s * s, c * c, -2 * c * s], [-c * s, c * s, c * c - s * s]]
    )
    turned = np.concatenate(
        [forces[..., :3] @ back.T, forces[..., 3:6] @ back.T, forces[..., 6:] @ [[c, -s], [s, c]]],
        axis=-1,
    )
    each = [
        Field.given(mesh, laminate, N, along)
        for laminate, N, along in ((one, forces, X), (other, turned, np.array([c, s, 0.0])))
    ]
    got = each[1].shears(other)
    np.testing.assert_allclose(got, each[0].shears(one), atol=1e-9 * np.abs(got).max())
    faces = np.zeros((mesh.count, 2))
    peel = [f.across(x, faces) for f, x in zip(each, (one, other), strict=True)]
    np.testing.assert_allclose(*peel, atol=1e-9 * np.abs(peel[0]).max())


def turned_by(forces: Array, angle: Array) -> Array:
    """Forces of every element, shape (m, 8), in axes turned by an angle of its own, (m,) [rad]."""
    c, s = np.cos(angle), np.sin(angle)
    found = np.empty_like(forces)
    for k in (0, 3):
        x, y, t = forces[:, k : k + 3].T
        found[:, k] = c * c * x + s * s * y + 2 * c * s * t
        found[:, k + 1] = s * s * x + c * c * y - 2 * c * s * t
        found[:, k + 2] = c * s * (y - x) + (c * c - s * s) * t
    found[:, 6] = c * forces[:, 6] + s * forces[:, 7]
    found[:, 7] = c * forces[:, 7] - s * forces[:, 6]
    return found


def test_every_element_may_have_axes_of_its_own() -> None:
    mesh, laminate = strip(10, 8, 0.25), plies(30.0, -50.0, 10.0, thickness=0.05)
    forces = in_balance(mesh, 9)
    plain = Field.given(mesh, laminate, forces)
    angle = np.random.default_rng(10).uniform(-1.0, 1.0, mesh.count)
    along = np.stack([np.cos(angle), np.sin(angle), np.zeros_like(angle)], axis=1)
    own = turned_by(forces[0], angle)
    # Slopes of quadratics are exact, in whichever axes each neighbour tells them.
    fit = force_fit(mesh, along, np.zeros(mesh.count, np.int64), np.eye(8)[None])
    slope = fit.slopes(own[None, :, :6])[0]
    for k in (3, 0):
        told = np.stack(
            [slope[:, k, 0] + slope[:, k + 2, 1], slope[:, k + 2, 0] + slope[:, k + 1, 1]], axis=1
        )
        wanted = own[:, 6:] if k else np.zeros((mesh.count, 2))
        size = np.abs(plain.fit.slopes(forces[..., :6])[0, :, k : k + 3]).max()
        np.testing.assert_allclose(told, wanted, atol=1e-8 * size)
    # The transverse force of thin elements is taken from the same.
    thin = shear_fit(mesh, along, np.zeros(mesh.count, np.int64))
    assert thin is not None
    Q = (thin.operator @ own[:, 3:6].ravel()).reshape(-1, 2)
    np.testing.assert_allclose(Q, own[thin.elements, 6:], atol=1e-8 * np.abs(own[:, 6:]).max())


def test_axes_of_neighbours_on_a_curved_surface_are_turned_and_not_shortened() -> None:
    mesh = grid_mesh(Panel(1.0, 1.0, 1.2, 0.9), 8, 8)
    axes = axes_of(mesh, np.array([0.6, 0.8, 0.0]))
    ((rows, pairs),) = patches(mesh)
    found = turns(axes, rows, pairs)
    np.testing.assert_allclose(np.hypot(*found.T), 1.0, rtol=1e-12)
    same = pairs[0] == pairs[1]
    np.testing.assert_allclose(found[same], [[1.0, 0.0]] * mesh.count, atol=1e-12)


def test_sections_are_alike_in_stretching_and_in_bending() -> None:
    mesh, rng = strip(8, 6), np.random.default_rng(3)
    forces = rng.normal(size=(1, mesh.count, 6))
    zone = np.arange(mesh.count) % 2
    base = plies(0.0, 90.0, 90.0, 0.0, thickness=2e-3).ABD
    whole = force_fit(mesh, X, 0 * zone, base[None]).growth(forces)
    for block in (slice(0, 3), slice(3, 6)):
        for more, together in ((1.03, True), (1.5, False)):
            other = base.copy()
            other[block, block] *= more
            found = force_fit(mesh, X, zone, np.array([base, other])).growth(forces)
            assert np.allclose(found, whole) == together


def test_the_reference_surface_does_not_matter() -> None:
    mesh = strip(12, 6, 0.2)
    middle = plies(30.0, -50.0, 10.0, thickness=0.05)
    shifted = plies(30.0, -50.0, 10.0, thickness=0.05, offset=0.025)
    model, load = endless_plate(middle, mesh, LENGTH, Q0)
    first = Field.of(model, load)
    # The same state of strain, told about another surface.
    lift, strains = 0.025, first.strains.copy()
    strains[:, :3] -= lift * strains[:, 3:6]
    C = dataclasses.replace(model, laminate=shifted).stiffness()[0]
    second = Field(mesh, first.fit, (strains @ C.T)[None], strains)
    got = second.shears(shifted)
    np.testing.assert_allclose(got, first.shears(middle), atol=1e-9 * np.abs(got).max())


def test_an_even_state_and_one_element_have_no_growth() -> None:
    mesh = strip(8, 6, 0.2)
    fit = force_fit(mesh, X, np.zeros(mesh.count, np.int64), np.eye(8)[None])
    even = np.broadcast_to(np.array([3.0, -1, 2, 5, 4, -6]), (1, mesh.count, 6))
    assert (np.diff(fit.starts) >= 9).all()
    assert np.abs(fit.growth(even)).max() < 1e-9
    # An element by itself, in a zone like no other, has nothing to be fitted to.
    zone = np.zeros(mesh.count, np.int64)
    zone[20] = 1
    apart = force_fit(mesh, X, zone, np.array([np.eye(8), 2 * np.eye(8)]))
    assert (np.diff(apart.starts) > 0).sum() == mesh.count - 1
    rng = np.random.default_rng(2)
    found = apart.growth(rng.normal(size=(1, mesh.count, 6)))[0]
    assert not found[20].any()
    assert found[[19, 21]].all()


def test_alike_sections_are_fitted_together() -> None:
    mesh, rng = strip(8, 6), np.random.default_rng(3)
    forces = rng.normal(size=(2, mesh.count, 6))
    C = np.array([np.eye(8), 1.05 * np.eye(8)])
    every = np.arange(mesh.count) % 2
    one = force_fit(mesh, X, np.zeros(mesh.count, np.int64), C).growth(forces)
    np.testing.assert_array_equal(force_fit(mesh, X, every, C).growth(forces), one)
    assert not np.allclose(force_fit(mesh, X, every, C * [[[1]], [[1.2]]]).growth(forces), one)


def test_one_element_alone_is_fitted_as_all_are() -> None:
    mesh, rng = strip(9, 7, 0.2, split=True), np.random.default_rng(8)
    zone = (np.arange(mesh.count) > 70).astype(np.int64)
    C = np.array([np.eye(8), 2 * np.eye(8)])
    along = np.array([0.8, 0.6, 0.0])
    forces = rng.normal(size=(2, mesh.count, 6))
    every = force_fit(mesh, along, zone, C).slopes(forces, second=True)
    for e in (0, 33, 70, 71, mesh.count - 1):
        one = force_fit_at(mesh, along, zone, C, e)
        np.testing.assert_allclose(
            one.slopes(forces, np.array([e]), second=True)[:, 0], every[:, e], rtol=1e-9
        )
        assert (np.diff(one.starts) > 0).sum() == 1
