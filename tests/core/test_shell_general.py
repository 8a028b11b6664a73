"""Triangles, mixed meshes, zones, directions, supports in any axes, ties, loads, eigenvalues."""

import dataclasses
import math

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.errors import MechanismError, PartError, StackError
from tartan.core.laminate import Laminate
from tartan.core.shell import directions, loads, triangle
from tartan.core.shell.constraints import Held, constrain, tie_nodes
from tartan.core.shell.mesh import Mesh, Panel, grid_mesh
from tartan.core.shell.pressure_map import map_pressure
from tartan.core.shell.solve import (
    ShellModel,
    section_matrix,
    solve,
)
from tartan.core.shell.surfaces import (
    cone,
    dome,
    panel_with_hole,
    quality,
    stiffened_panel,
    tube,
)
from tartan.core.shell.zones import LaidPly, zones_of
from tartan.core.stack import Ply
from tartan.exchange.verify import obstacles
from tests.conftest import CARBON, MATERIALS, laminate
from tests.core.test_element import PATCH_NODES, PATCH_QUADS

Array = NDArray[np.float64]
X = np.array([1.0, 0.0, 0.0])
ALL = (0, 1, 2, 3, 4, 5)


def free(mesh: Mesh) -> NDArray[np.bool_]:
    return np.zeros((len(mesh.nodes), 6), bool)


def mixed_patch() -> Mesh:
    """The distorted patch with two of its five elements made triangles."""
    keep, cut = PATCH_QUADS[[0, 2, 4]], PATCH_QUADS[[1, 3]]
    triangles = np.concatenate([cut[:, [0, 1, 2]], cut[:, [0, 2, 3]]])
    return Mesh(PATCH_NODES.astype(float), keep, triangles=triangles)


def triangle_stiffness(lam: Laminate, x: Array) -> Array:
    C = np.broadcast_to(section_matrix(lam.ABD, lam.shear), (len(x), 8, 8))
    return triangle.stiffness(triangle.operators(x, np.array([1.0, 0.2, 0.1])), C)


def test_a_triangle_has_exactly_six_zero_modes(unsymmetric: Laminate) -> None:
    x = np.random.default_rng(0).normal(size=(6, 3, 3))
    for K in triangle_stiffness(unsymmetric, x):
        values = np.linalg.eigvalsh(K)
        assert np.abs(values[:6]).max() < 1e-13 * values[-1]
        assert values[6] > 1e-10 * values[-1]


@pytest.mark.parametrize("split", [False, True], ids=["mixed", "triangles"])
def test_constant_states_of_a_mixed_patch(split: bool, unsymmetric: Laminate) -> None:
    # Coupling (B ≠ 0) ties stretching to bending; supports prescribe the outer nodes.
    mesh = mixed_patch().split() if split else mixed_patch()
    x, y = PATCH_NODES[:, 0], PATCH_NODES[:, 1]
    e1, e2, g, k1, k2, k12 = 1e-3, -4e-4, 6e-4, 0.02, -0.05, 0.03
    u = np.zeros((8, 6))
    u[:, 0], u[:, 1] = e1 * x + g * y / 2, e2 * y + g * x / 2
    u[:, 2] = -(k1 * x**2 + k2 * y**2 + k12 * x * y) / 2
    u[:, 3], u[:, 4] = -(k2 * y + k12 * x / 2), k1 * x + k12 * y / 2
    held = [Held(np.array([n]), ALL, tuple(u[n])) for n in range(4)]
    model = ShellModel(mesh, unsymmetric, X, free(mesh), constraints=constrain(mesh, held))
    found = solve(model, np.zeros((1, 8, 6)))
    np.testing.assert_allclose(found.displacement[0], u, atol=1e-12)
    expected = np.array([e1, e2, g, k1, k2, k12, 0, 0])
    np.testing.assert_allclose(
        found.strains[0], np.broadcast_to(expected, (mesh.count, 4, 8)), atol=1e-11
    )


@pytest.mark.parametrize(
    ("run", "exact", "meshes"),
    [
        (obstacles.scordelis_lo, 0.3024 * 0.994, (16, 32)),
        (obstacles.twisted_in_plane, 5.424e-3, (2, 6)),
        (obstacles.twisted_out_of_plane, 1.754e-3, (2, 6)),
    ],
    ids=["roof", "twisted in plane", "twisted out of plane"],
)
def test_triangles_run_the_obstacle_course(
    run,
    exact: float,
    meshes: tuple[int, int],  # type: ignore[no-untyped-def]
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(
        obstacles, "ShellModel", lambda mesh, *rest: ShellModel(mesh.split(), *rest)
    )
    # Free edges stay straight, so that constant states are exact: coarse meshes are stiffer for
    # it. The error falls by more than a first-order element's would.
    coarse, fine = (abs(run(n) / exact - 1) for n in meshes)
    assert fine < 0.008
    assert fine < 0.75 * coarse * meshes[0] / meshes[1]


def test_surfaces_have_their_exact_area_and_agree_on_a_side() -> None:
    made = {
        "tube": (tube(1, 2, 0.1), 4 * math.pi),
        "cone": (cone(1, 0, 1, 0.1), math.pi * 2**0.5),
        "dome": (dome(1, 1, 0.08), 2 * math.pi),
        "hole": (panel_with_hole(2, 1, 0.4, 0.08), 2 - 0.04 * math.pi),
        "blades": (stiffened_panel(1, 0.6, 0.05, 3, 0.05), 0.6 + 3 * 0.05),
        "hats": (
            stiffened_panel(1, 0.6, 0.05, 2, 0.05, 0.1),
            0.6 + 2 * (0.05 + 2 * math.hypot(0.025, 0.05)),
        ),
    }
    for name, (mesh, area) in made.items():
        assert mesh.areas().sum() == pytest.approx(area, rel=2e-3), name
        assert len(directions.turned_elements(mesh)) == 0, name
        assert directions.components(mesh).max() == 0, name
        assert quality(mesh).warp.max() < 0.02, name
        assert sum(len(r) for r in mesh.regions.values()) == mesh.count, name
    outwards = made["tube"][0]
    assert ((outwards.normals() * outwards.centres())[:, :2].sum(axis=1) > 0.9).all()
    for bad in (
        lambda: tube(-1, 1, 0.1),
        lambda: tube(1, 1, 0),
        lambda: dome(1, 1, 0.1, 2),
        lambda: panel_with_hole(1, 1, 2, 0.1),
        lambda: stiffened_panel(1, 1, 0.1, 2, 0.1, 1),
        lambda: tube(1, 1, 1e-4),
    ):
        with pytest.raises(PartError):
            bad()


def test_sides_are_made_to_agree_and_branches_bind_nothing() -> None:
    mesh = tube(1, 2, 0.2)
    odd = np.random.default_rng(3).choice(mesh.count, 60, replace=False)
    upset = directions.turned(mesh, odd)
    seed = np.setdiff1d(np.arange(mesh.count), odd)[:1]
    again = directions.turned(upset, directions.turned_elements(upset, seed))
    np.testing.assert_array_equal(again.quads, mesh.quads)
    branched = stiffened_panel(1, 0.6, 0.1, 2, 0.1)
    blades = branched.regions["stiffeners"]
    flipped = directions.turned(branched, blades)
    assert len(directions.turned_elements(flipped)) == 0


def test_directions_on_a_tube() -> None:
    mesh = tube(1, 2, 0.2)
    z = np.array([0.0, 0.0, 1.0])
    hoop = directions.around_axis(mesh, np.zeros(3), z)
    along = directions.along_axis(mesh, np.zeros(3), z)
    arm = mesh.centres() * [1, 1, 0]
    np.testing.assert_allclose((hoop * arm).sum(axis=1), 0, atol=1e-12)
    assert (np.cross(arm, hoop)[:, 2] > 0).all()
    np.testing.assert_allclose(
        along / np.linalg.norm(along, axis=1, keepdims=True),
        np.broadcast_to(z, along.shape),
        atol=1e-12,
    )
    curve = np.array([[2.0, 0, 0], [2, 0, 2]])
    np.testing.assert_allclose(directions.along_curve(mesh, curve)[:, 2], 1.0, atol=1e-12)
    across = directions.undefined(mesh, X)
    # Within 5° of ±x the vector stands normal to the tube.
    angle = np.rad2deg(np.arctan2(mesh.centres()[:, 1], mesh.centres()[:, 0]))
    near = np.minimum(np.abs(angle), 180 - np.abs(angle)) < 5
    np.testing.assert_array_equal(across, np.flatnonzero(near))
    assert len(across) > 0
    with pytest.raises(PartError, match="two points"):
        directions.along_curve(mesh, curve[:1])


def test_zones_are_found_counted_and_know_their_plies() -> None:
    mesh = grid_mesh(Panel(1, 1), 6, 4)
    every, some = np.arange(24), np.arange(8)
    base = Ply("carbon", 0.0, 0.125e-3)
    turn = np.where(every < 12, 10.0, 10.004)
    lay_up = [
        LaidPly(base, every, turn),
        LaidPly(dataclasses.replace(base, angle=45.0), some),
        LaidPly(base, every, factor=np.where(every < 20, 1.0, 1.5)),
    ]
    zones = zones_of(lay_up, mesh.count, MATERIALS, reference=-1.0)
    assert [len(s.stack.plies) for s in zones.laminates] == [3, 2, 2]
    assert zones.plies == ((0, 1, 2), (0, 2), (0, 2))
    assert np.bincount(zones.zone).tolist() == [8, 12, 4]
    assert [p.angle for p in zones.laminates[0].stack.plies] == [10.0, 45.0, 0.0]
    assert zones.laminates[2].stack.plies[1].thickness == pytest.approx(1.5 * 0.125e-3)
    # The reference surface is the bottom: the middle lies half a thickness above it.
    assert zones.laminates[0].offset == pytest.approx(zones.laminates[0].thickness / 2)
    with pytest.raises(StackError, match="4 of 24 elements have no ply"):
        zones_of([LaidPly(base, np.arange(20))], 24, MATERIALS)
    with pytest.raises(StackError, match="do not exist"):
        zones_of([LaidPly(base, np.arange(30))], 24, MATERIALS)


def test_zones_in_series_each_strain_as_their_own_laminate(unsymmetric: Laminate) -> None:
    # Strips one behind the other under the same Nx, held wide: each has its own εx = Nx / A11.
    mesh = grid_mesh(Panel(0.4, 0.1), 8, 2)
    left = np.flatnonzero(mesh.centres()[:, 0] < 0)
    ply = Ply("carbon", 0.0, 1e-3)
    lay_up = [LaidPly(ply, np.arange(mesh.count)), LaidPly(ply, left)]
    zones = zones_of(lay_up, mesh.count, {"carbon": CARBON}, reference=0.0)
    fixed = free(mesh)
    fixed[:, [1, 2, 3, 4, 5]] = True
    fixed[mesh.edges["left edge"], 0] = True
    pull = loads.edge_force(mesh, mesh.edges["right edge"], np.array([1e4, 0, 0]))
    model = ShellModel(mesh, zones.laminates[0], X, fixed, zones=zones)
    strains = solve(model, pull[None]).strains[0, :, :, 0]
    for number, lam in enumerate(zones.laminates):
        np.testing.assert_allclose(strains[zones.zone == number], 1e4 / lam.A[0, 0], rtol=1e-9)


def cantilever(mesh: Mesh, lam: Laminate, reference: Array, held: Held, tip: Array) -> Array:
    model = ShellModel(mesh, lam, reference, free(mesh), constraints=constrain(mesh, [held]))
    found = solve(model, tip[None])
    assert found.imbalance < 1e-9
    return found.displacement[0]


def test_a_turned_part_with_supports_in_turned_axes_answers_turned(sandwich: Laminate) -> None:
    axis = np.array([1.0, 2.0, -0.5]) / np.linalg.norm([1.0, 2.0, -0.5])
    K = np.cross(np.eye(3), -axis)
    R = np.eye(3) + math.sin(0.7) * K + (1 - math.cos(0.7)) * K @ K
    mesh = grid_mesh(Panel(0.5, 0.2, 2.0), 6, 3)
    edge = mesh.edges["left edge"]
    tip = loads.edge_force(mesh, mesh.edges["right edge"], np.array([0, 50.0, 100.0]))
    straight = cantilever(mesh, sandwich, X, Held(edge, (0, 1, 2, 4, 5)), tip)
    turned_mesh = dataclasses.replace(mesh, nodes=mesh.nodes @ R.T)
    turned_tip = np.concatenate([tip[:, :3] @ R.T, tip[:, 3:] @ R.T], axis=1)
    # Rows of the axes are the turned global ones; all but the turn about its x is held.
    held = Held(edge, (0, 1, 2, 4, 5), axes=R.T)
    turned = cantilever(turned_mesh, sandwich, R @ X, held, turned_tip)
    np.testing.assert_allclose(
        turned[:, :3], straight[:, :3] @ R.T, atol=1e-8 * np.abs(straight).max()
    )


def test_a_prescribed_stretch_gives_the_laminates_force() -> None:
    cross_ply = laminate(("carbon", 0, 1e-3), ("carbon", 90, 1e-3))
    mesh = grid_mesh(Panel(0.3, 0.1), 6, 2)
    sides = np.arange(len(mesh.nodes))
    held = [
        Held(sides, (1, 2, 3, 4, 5)),
        Held(mesh.edges["left edge"], (0,)),
        Held(mesh.edges["right edge"], (0,), (3e-4,)),
    ]
    model = ShellModel(mesh, cross_ply, X, free(mesh), constraints=constrain(mesh, held))
    found = solve(model, np.zeros((1, len(mesh.nodes), 6)))
    np.testing.assert_allclose(found.strains[0, :, :, 0], 1e-3, rtol=1e-9)
    energy = 0.5 * cross_ply.A[0, 0] * 1e-3**2 * 0.03
    assert found.energy[0] == pytest.approx(energy, rel=1e-9)


def two_plates(gap: float = 0.0) -> tuple[Mesh, NDArray[np.int64], NDArray[np.int64]]:
    """Two plates end to end with meshes that do not match."""
    one, other = grid_mesh(Panel(0.5, 0.2), 10, 4), grid_mesh(Panel(0.5, 0.2), 14, 7)
    nodes = np.concatenate(
        [one.nodes - np.array([0.25, 0, 0]), other.nodes + np.array([0.25, 0, gap])]
    )
    quads = np.concatenate([one.quads, other.quads + len(one.nodes)])
    mesh = Mesh(
        nodes,
        quads,
        {
            "left edge": one.edges["left edge"],
            "right edge": other.edges["right edge"] + len(one.nodes),
        },
    )
    return mesh, other.edges["left edge"] + len(one.nodes), np.arange(len(one.quads))


def test_tied_plates_answer_as_one(sandwich: Laminate) -> None:
    mesh, follow, lead = two_plates()
    rules = constrain(mesh, [Held(mesh.edges["left edge"], ALL)], [tie_nodes(mesh, follow, lead)])
    tip = loads.edge_force(mesh, mesh.edges["right edge"], np.array([0, 0, 100.0]))
    tied = solve(ShellModel(mesh, sandwich, X, free(mesh), constraints=rules), tip[None])
    whole = grid_mesh(Panel(1.0, 0.2), 24, 6)
    one = constrain(whole, [Held(whole.edges["left edge"], ALL)])
    force = loads.edge_force(whole, whole.edges["right edge"], np.array([0, 0, 100.0]))
    single = solve(ShellModel(whole, sandwich, X, free(whole), constraints=one), force[None])
    ends = [
        s.displacement[0, m.edges["right edge"], 2].mean()
        for s, m in ((tied, mesh), (single, whole))
    ]
    assert ends[0] == pytest.approx(ends[1], rel=5e-3)
    assert tied.imbalance < 1e-9


def test_a_tie_over_a_gap_lets_rigid_motions_pass(sandwich: Laminate) -> None:
    mesh, follow, lead = two_plates(gap=0.01)
    tie = tie_nodes(mesh, follow, lead)
    np.testing.assert_allclose(tie.gaps, 0.01, rtol=1e-9)
    turn, shift = np.array([0.01, -0.02, 0.03]), np.array([1e-3, 2e-3, -1e-3])
    edge = mesh.edges["left edge"]
    held = [
        Held(np.array([n]), ALL, (*(shift + np.cross(turn, mesh.nodes[n])), *turn)) for n in edge
    ]
    model = ShellModel(mesh, sandwich, X, free(mesh), constraints=constrain(mesh, held, [tie]))
    found = solve(model, np.zeros((1, len(mesh.nodes), 6)))
    rigid = shift + np.cross(turn, mesh.nodes)
    np.testing.assert_allclose(found.displacement[0, :, :3], rigid, atol=1e-9)
    assert np.abs(found.strains).max() < 1e-9
    with pytest.raises(PartError, match=r"is (0\.01 m|10 mm) from"):
        tie_nodes(mesh, follow, lead, reach=0.005)


def test_what_can_move_is_named_before_solving() -> None:
    mesh, follow, lead = two_plates()
    left = mesh.edges["left edge"]
    with pytest.raises(MechanismError, match="component of element 41 free to move along x"):
        constrain(mesh, [Held(left, ALL)])
    constrain(mesh, [Held(left, ALL)], [tie_nodes(mesh, follow, lead)])
    with pytest.raises(MechanismError, match="no supports"):
        constrain(mesh, [])
    with pytest.raises(MechanismError, match="free to turn about y"):
        constrain(grid_mesh(Panel(1, 1), 2, 2), [Held(np.array([0, 3, 6]), (0, 1, 2))])
    with pytest.raises(PartError, match="stands on nothing"):
        constrain(mesh, [Held(np.zeros(0, int), ALL)])


def test_spread_loads_have_the_resultant_asked_for() -> None:
    mesh = tube(0.3, 1.0, 0.1)
    end = np.unique(mesh.edges["upper edge"])
    force, moment = np.array([10.0, -5.0, 3.0]), np.array([2.0, 1.0, -4.0])
    total = loads.resultant(mesh, loads.spread(mesh, end, force, moment))
    middle = mesh.nodes[end].mean(axis=0)
    np.testing.assert_allclose(total[:3], force, atol=1e-12)
    np.testing.assert_allclose(total[3:], moment + np.cross(middle, force), atol=1e-12)
    with pytest.raises(PartError, match="on nothing"):
        loads.spread(mesh, end[:0], force)
    near = loads.neighbours(mesh, np.array([0.3, 0, 0.5]), 0.12)
    assert len(near) > 1
    line = np.array([0])
    alone = loads.resultant(mesh, loads.spread(mesh, line, np.zeros(3), moment))
    np.testing.assert_allclose(alone[3:], moment, atol=1e-12)


def test_a_moment_is_carried_by_forces_where_nodes_allow_it() -> None:
    mesh, moment = tube(0.3, 1.0, 0.1), np.array([2.0, 1.0, -4.0])
    ring = loads.spread(mesh, np.unique(mesh.edges["upper edge"]), np.zeros(3), moment)
    assert not ring[:, 3:].any()
    assert np.abs(ring[:, :3]).max() > 0.1
    np.testing.assert_allclose(ring[:, :3].sum(axis=0), 0, atol=1e-12)
    # Nodes on one line cannot carry what turns them about it.
    plate = grid_mesh(Panel(1.0, 0.5), 8, 4)
    edge = np.unique(plate.edges["lower edge"])
    line = loads.spread(plate, edge, np.zeros(3), moment)
    assert not line[:, :3].any()
    np.testing.assert_allclose(line[:, 3:].sum(axis=0), moment)
    np.testing.assert_allclose(loads.resultant(plate, line)[3:], moment)
    # A strip of them in a plane can, however little it is bent.
    strip = np.unique(plate.quads[:8])
    carried = loads.spread(plate, strip, np.zeros(3), moment)
    assert not carried[:, 3:].any()
    total, middle = loads.resultant(plate, carried), plate.nodes[strip].mean(axis=0)
    np.testing.assert_allclose(total[3:], moment + np.cross(middle, total[:3]), atol=1e-12)


@pytest.mark.parametrize("split", [False, True])
def test_a_linear_pressure_is_mapped_exactly_and_its_resultant_told(split: bool) -> None:
    mesh = grid_mesh(Panel(1.0, 0.5), 12, 7)
    mesh = mesh.split() if split else mesh
    rng = np.random.default_rng(1)
    inner = rng.uniform([-0.5, -0.25], [0.5, 0.25], (60, 2))
    corners = np.array([[-0.5, -0.25], [0.5, -0.25], [0.5, 0.25], [-0.5, 0.25]])
    at = np.column_stack([np.concatenate([inner, corners]), np.full(64, 0.02)])
    p = 1000 + 300 * at[:, 0] - 800 * at[:, 1]
    found = map_pressure(mesh, at, p)
    places = loads.point_places(mesh)
    np.testing.assert_allclose(
        found.values, 1000 + 300 * places[..., 0] - 800 * places[..., 1], rtol=1e-9
    )
    assert found.outside < 1e-9
    np.testing.assert_allclose(found.force[:3], [0, 0, 500], atol=1e-6)
    np.testing.assert_allclose(found.given, [0, 0, 500], atol=1e-6)
    half = at[at[:, 0] < 0]
    assert 0.4 < map_pressure(mesh, half, p[at[:, 0] < 0]).outside < 0.65


@pytest.mark.parametrize(
    ("points", "values", "words"),
    [
        ([[0, 0, 0]] * 2, [1, 1], "three points"),
        ([[0, 0, 0]] * 3, [1, 2, math.nan], "row 3"),
        ([[900, 0, 0], [901, 0, 0], [900, 1, 0]], [1, 1, 1], "far from the part"),
    ],
)
def test_a_pressure_table_that_makes_no_sense_is_refused(
    points: list[list[float]], values: list[float], words: str
) -> None:
    with pytest.raises(PartError) as caught:
        map_pressure(grid_mesh(Panel(1, 1), 3, 3), np.array(points, float), np.array(values))
    assert words in str(caught.value)


def test_a_mesh_without_elements_has_no_sides() -> None:
    empty = Mesh(np.zeros((3, 3)), np.zeros((0, 4), np.int64))
    assert empty.blocks == ()
    assert empty.sides.shape == (0, 2)
    assert empty.parts(np.zeros(0, np.int64)) == []
