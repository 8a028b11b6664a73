"""Eigenvalues, pressure vessels, temperature, and what is recovered from stored strains."""

import dataclasses
import math

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.laminate import Laminate
from tartan.core.laminate.response import Load, respond, stress_from_section
from tartan.core.shell import directions, eigen, loads, recovery
from tartan.core.shell.constraints import Held, constrain
from tartan.core.shell.inertia import mass_moments
from tartan.core.shell.mesh import Panel, grid_mesh
from tartan.core.shell.solve import (
    ShellModel,
    geometric_matrix,
    mass_matrix,
    solve,
    stiffness_matrix,
)
from tartan.core.shell.surfaces import revolved, stiffened_panel
from tartan.core.shell.zones import LaidPly, zones_of
from tartan.core.strength.govern import govern
from tartan.exchange.verify import obstacles
from tests.conftest import MATERIALS, laminate
from tests.core.test_shell_general import ALL, X, free, mixed_patch

Array = NDArray[np.float64]


@pytest.mark.parametrize("split", [False, True], ids=["quads", "triangles"])
def test_a_column_buckles_and_swings_as_a_beam(split: bool) -> None:
    # Narrow strip without lateral contraction: Euler's load, and a beam's frequencies.
    E, t, b, length, rho = 70e9, 2e-3, 0.01, 0.4, 2700.0
    lam = dataclasses.replace(obstacles.plate(E, 0.0, t))
    material = dataclasses.replace(lam.materials[0], rho=rho)
    lam = Laminate(lam.stack, (material,))
    mesh = grid_mesh(Panel(length, b), 48, 2)
    mesh = mesh.split() if split else mesh
    fixed = free(mesh)
    for edge in ("left edge", "right edge"):
        fixed[mesh.edges[edge], 2] = True
    fixed[mesh.edges["left edge"], 0] = True
    fixed[:, 1] = fixed[:, 3] = fixed[:, 5] = True
    model = ShellModel(mesh, lam, X, fixed)
    K = stiffness_matrix(model)
    push = np.zeros((mesh.count, 4, 6))
    push[..., 0] = -1.0
    found = eigen.run(eigen.buckling(K, geometric_matrix(model, push), 2))
    euler = math.pi**2 * E * t**3 / 12 / length**2 * np.array([1.0, 4.0])
    np.testing.assert_allclose(found.values, euler, rtol=6e-3)
    assert found.complete
    swing = eigen.run(eigen.modes(K, mass_matrix(model), 3))
    beam = math.pi / 2 * np.array([1, 4, 9]) / length**2 * math.sqrt(E * t**2 / 12 / rho)
    np.testing.assert_allclose(swing.frequencies, beam, rtol=1.5e-2)
    assert swing.complete
    assert mass_moments(lam) == pytest.approx([rho * t, 0, rho * t**3 / 12])


def test_a_free_part_has_six_rigid_modes_and_its_own_mass(sandwich: Laminate) -> None:
    mesh = stiffened_panel(0.6, 0.4, 0.1, 1, 0.08)
    model = ShellModel(mesh, sandwich, X, free(mesh))
    reference = np.broadcast_to(X, (mesh.count, 3))
    assert len(directions.undefined(mesh, reference)) == 0
    K, M = stiffness_matrix(model), mass_matrix(model)
    found = eigen.run(eigen.modes(K, M, 8, shift=1e4))
    assert (found.frequencies[:6] < 1e-3 * found.frequencies[6]).all()
    assert found.frequencies[6] > 1.0
    ones = np.zeros((len(mesh.nodes), 6))
    ones[:, 2] = 1.0
    assert ones.ravel() @ M @ ones.ravel() == pytest.approx(
        sandwich.areal_mass * mesh.areas().sum()
    )


def test_a_tube_under_pressure_and_pull_ply_by_ply() -> None:
    # Membrane theory away from the ends: Ny = p R, Nx = F / (2 π R); the twist is free.
    R, p, F = 0.2, 1e5, 4e4
    lam = laminate(
        ("carbon", 55, 0.5e-3),
        ("carbon", -55, 0.5e-3),
        ("carbon", -55, 0.5e-3),
        ("carbon", 55, 0.5e-3),
    )
    mesh = revolved(
        lambda v: np.stack([np.full_like(v, R), 0.8 * v], axis=-1), 0.8, 0.02, counts=(96, 40)
    )
    along = directions.along_axis(mesh, np.zeros(3), np.array([0, 0, 1.0]))
    lower, upper = (np.unique(mesh.edges[e]) for e in ("lower edge", "upper edge"))
    held = [Held(lower, (2,)), Held(lower[:1], (0, 1)), Held(lower[40:41], (0,))]
    force = loads.pressure(mesh, p) + loads.edge_force(
        mesh, mesh.edges["upper edge"], np.array([0, 0, F / (2 * math.pi * R)])
    )
    model = ShellModel(mesh, lam, along, free(mesh), constraints=constrain(mesh, held))
    strains = solve(model, force[None]).strains[0].mean(axis=1)
    middle = np.abs(mesh.centres()[:, 2] - 0.4) < 0.05
    N = np.array([F / (2 * math.pi * R), p * R, 0.0])
    exact = respond(lam, Load(N=N))
    stress = stress_from_section(lam, strains[middle])
    error = np.abs(stress[..., 1, :] - exact.stress_12[:, 1]).max()
    assert error < 6e-3 * np.abs(exact.stress_12).max()
    assert len(upper) == 96


def heated_coupon(lam: Laminate, dT: float, N: Array) -> tuple[ShellModel, Array]:
    """Free plate under a temperature (first case) and a uniform pull along x (second)."""
    mesh = grid_mesh(Panel(0.2, 0.1), 6, 4)
    held = [Held(np.array([17]), ALL)]
    model = ShellModel(mesh, lam, X, free(mesh), constraints=constrain(mesh, held))
    pull = sum(
        loads.edge_force(mesh, mesh.edges[e], s * np.array([N[0], N[2], 0.0]))
        for e, s in (("right edge", 1), ("left edge", -1))
    )
    side = sum(
        loads.edge_force(mesh, mesh.edges[e], s * np.array([N[2], N[1], 0.0]))
        for e, s in (("upper edge", 1), ("lower edge", -1))
    )
    return model, np.stack([recovery.thermal_forces(model, dT, 2e3), pull + side])


def test_a_heated_part_keeps_its_residual_stress_while_the_load_grows(
    unsymmetric: Laminate,
) -> None:
    N = np.array([3e4, -5e3, 4e3])
    model, forces = heated_coupon(unsymmetric, -60.0, N)
    solution = solve(model, forces)
    heat = Load(dT=-60.0, dT_gradient=2e3)
    zones = zones_of([LaidPly(p, np.arange(24)) for p in unsymmetric.stack.plies], 24, MATERIALS)
    found = recovery.assess_zones(
        zones, solution.strains[1:], residual=solution.strains[0], temperature=heat
    )
    # The laminate core alone, for the same load and temperature.
    exact = govern(unsymmetric, dataclasses.replace(heat, N=N))
    np.testing.assert_allclose(found.reserve, exact.reserve, rtol=1e-6)
    assert (found.ply == exact.ply).all()
    assert found.checks[found.check[0]] == exact.criterion
    both = recovery.combined(solution, np.array([1.0, 2.0]))
    again = solve(model, (forces[0] + 2 * forces[1])[None])
    np.testing.assert_allclose(both.strains, again.strains, atol=1e-12)
    with pytest.raises(PartError, match="2 factors"):
        recovery.combined(solution, np.array([1.0]))
    forces_there = recovery.section_forces(model, solution.strains[1:])
    np.testing.assert_allclose(
        forces_there[0, :, :, :3], np.broadcast_to(N, (24, 4, 3)), atol=1e-6 * N[0]
    )


def test_nodes_are_smoothed_within_zones_only() -> None:
    mesh = mixed_patch()
    zone = np.array([0, 0, 1, 1, 1, 1, 1])
    strains = np.zeros((2, mesh.count, 4, 8))
    strains[0] = np.where(zone == 0, 1.0, 5.0)[:, None, None]
    found = recovery.at_nodes(mesh, zone, strains)
    np.testing.assert_allclose(
        found.values[0], np.where(found.zones == 0, 1.0, 5.0)[:, None] * np.ones(8)
    )
    shared = np.flatnonzero(np.bincount(found.nodes) == 2)
    assert len(shared) > 0


def test_neighbours_are_one_spot_and_supports_can_be_left_out() -> None:
    mesh = grid_mesh(Panel(1.0, 1.0), 10, 10)
    reserve = np.full(100, 2.0)
    reserve[[0, 1, 10, 55, 99]] = [0.5, 0.6, 0.7, 0.9, 0.8]
    found = recovery.spots(mesh, reserve, 1.0)
    assert [(s.element, len(s.elements)) for s in found] == [(0, 3), (99, 1), (55, 1)]
    assert found[0].area == pytest.approx(0.03)
    near = recovery.near_nodes(mesh, mesh.edges["left edge"], 2)
    assert sorted(near.tolist()) == sorted(10 * j + i for j in range(10) for i in (0, 1))
    assert [s.element for s in recovery.spots(mesh, reserve, 1.0, near)] == [99, 55]
    assert recovery.spots(mesh, reserve, 0.1) == []
    with pytest.raises(PartError, match="negative"):
        recovery.near_nodes(mesh, near, -1)


def test_what_lies_within_a_distance_of_nodes_is_measured_from_centres() -> None:
    mesh = grid_mesh(Panel(1.0, 1.0), 10, 10)
    corner = np.array([0, 5])
    away = np.linalg.norm(mesh.centres()[:, None] - mesh.nodes[corner][None], axis=2).min(axis=1)
    for distance in (0.08, 0.2, 0.43, 3.0):
        found = recovery.within_distance(mesh, corner, distance)
        np.testing.assert_array_equal(found, np.flatnonzero(away <= distance))
    assert len(recovery.within_distance(mesh, corner, 0.01)) == 0
    assert len(recovery.within_distance(mesh, corner[:0], 0.2)) == 0
    for none in (0.0, -1.0, float("nan")):
        with pytest.raises(PartError, match="not greater than zero"):
            recovery.within_distance(mesh, corner, none)


def test_a_pushed_cylinder_buckles_at_the_classical_load() -> None:
    # σ = E t / (R √(3 (1 − ν²))), Timoshenko and Gere, Theory of Elastic Stability, 2nd ed.,
    # art. 11.1; the edges keep their circle, which raises it by a few per cent.
    E, nu, R, t, length = 70e9, 0.3, 0.1, 1e-3, 0.12
    mesh = revolved(
        lambda v: np.stack([np.full_like(v, R), length * v], axis=-1),
        length,
        0.01,
        turn=math.pi / 2,
        counts=(36, 28),
    )
    lam = obstacles.plate(E, nu, t)
    along = directions.along_axis(mesh, np.zeros(3), np.array([0, 0, 1.0]))
    held = [
        Held(
            np.unique(np.concatenate([mesh.edges["lower edge"], mesh.edges["upper edge"]])), (0, 1)
        ),
        Held(mesh.edges["right edge"], (1, 3, 5)),
        Held(mesh.edges["left edge"], (0, 4, 5)),
        Held(mesh.edges["lower edge"], (2,)),
    ]
    model = ShellModel(mesh, lam, along, free(mesh), constraints=constrain(mesh, held))
    push = np.zeros((mesh.count, 4, 6))
    push[..., 0] = -1.0
    found = eigen.run(eigen.buckling(stiffness_matrix(model), geometric_matrix(model, push), 1))
    classical = E * t * t / (R * math.sqrt(3 * (1 - nu**2)))
    assert found.complete
    assert found.values[0] == pytest.approx(classical, rel=0.05)


def test_a_pinched_cylinder_converges() -> None:
    # MacNeal and Harder (1985): R = 300, L = 600, t = 3, E = 3e6, ν = 0.3; 1.8248e-5.
    coarse, fine = (obstacles.pinched_cylinder(n) / 1.8248e-5 for n in (8, 32))
    assert abs(fine - 1) < 0.015
    assert abs(fine - 1) < abs(coarse - 1) / 3
