"""Tape draped on surfaces, and nets along lines, against exact geometry."""

from __future__ import annotations

import math

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.drape.net import Laying, Net, drape
from tartan.core.drape.pattern import NetFinder
from tartan.core.drape.surface import DrapeSurface, cone, cylinder, graph, sphere
from tartan.core.drape.triangles import TriangleSurface
from tartan.core.errors import PartError
from tartan.core.shell import surfaces
from tartan.core.shell.mesh import Mesh

Array = NDArray[np.float64]
TAPE = Laying(tape=True)
R = 0.5


def test_on_a_sphere_fibres_are_circles_of_latitude_about_the_first() -> None:
    cell, count = 0.01, 30
    net = drape(
        sphere(R), np.array([R, 0, 0]), np.array([0, 1.0, 0]), (cell,) * 2, (count,) * 4, TAPE
    )
    assert net.laid.all()
    x = net.places
    # The lines across are meridians of the longitude of their foot, fibres circles of latitude.
    u, v = net.lengths
    longitude = np.arctan2(x[..., 1], x[..., 0])
    latitude = np.arcsin(x[..., 2] / R)
    np.testing.assert_allclose(
        longitude, np.broadcast_to(u[:, None] / R, longitude.shape), atol=1e-9
    )
    np.testing.assert_allclose(latitude, np.broadcast_to(v[None] / R, latitude.shape), atol=1e-9)
    # Lengths along the fibre are those of the circles; they slip by what the circles are shorter.
    exact = R * np.cos(latitude) * longitude
    assert net.along_fibre is not None
    # Chords of 10 mm of circles that turn in the surface by up to 1/R are short by 5e-6 of them.
    np.testing.assert_allclose(net.along_fibre, exact, atol=2e-6)
    shear = np.degrees(np.arctan(-np.sin(latitude) * longitude))
    np.testing.assert_allclose(net.shear()[:, 1:-1], shear[:, 1:-1], atol=0.02)


@pytest.mark.parametrize("surface", [cylinder(0.2), cone(0.3)], ids=["cylinder", "cone"])
def test_tape_does_not_slip_on_what_unrolls(surface: DrapeSurface) -> None:
    start = np.array([0, 0.2, 0.0]) if surface is not cone else np.zeros(3)
    if surface.foot(np.array([[0, 0.2, 0.6]]), np.array([-1])).place[0, 2] > 0.3:
        start = surface.foot(np.array([[0, 0.2, 0.6]]), np.array([-1])).place[0]
    net = drape(surface, start, np.array([1.0, 0.1, 0.3]), (4e-3,) * 2, (25,) * 4, TAPE)
    assert net.laid.all()
    assert np.abs(net.shear()).max() < 2e-3
    # What does not slip is a pinned net too.
    pinned = drape(surface, start, np.array([1.0, 0.1, 0.3]), (4e-3,) * 2, (25,) * 4)
    assert np.nanmax(np.linalg.norm(net.places - pinned.places, axis=2)) < 4e-6


def test_fibres_keep_their_distance_and_each_slides_to_where_it_slips_least() -> None:
    def height(x: Array, y: Array) -> tuple[Array, Array, Array]:
        return 0.4 * x * x - 0.7 * x * y + 0.2 * y, 0.8 * x - 0.7 * y, -0.7 * x + 0.2

    net = drape(
        graph(height), np.zeros(3), np.array([1.0, 0.4, 0.2]), (0.01,) * 2, (30, 10, 20, 20), TAPE
    )
    assert net.along_fibre is not None
    x = net.places
    across = np.linalg.norm(np.diff(x, axis=1), axis=2)
    np.testing.assert_allclose(across, 0.01, rtol=2e-4)
    # Gauss: lines across stay at right angles to the fibres.
    right = np.einsum("pqi,pqi->pq", net.along(0), net.along(1))
    assert np.abs(right[1:-1, 1:-1]).max() < 2e-3
    slip = np.diff(net.along_fibre, axis=1)
    assert np.abs(slip.mean(axis=0)).max() < 1e-12
    # Any other way to slide them shears more.
    rng = np.random.default_rng(5)
    for _ in range(20):
        other = slip + rng.normal(0, 1e-4, slip.shape[1])
        assert (other**2).sum() > (slip**2).sum()


def test_lines_across_that_meet_end_the_tape() -> None:
    # On a sphere all lines across a great circle meet at its poles, a quarter round.
    net = drape(
        sphere(0.1),
        np.array([0.1, 0, 0]),
        np.array([0, 1.0, 0]),
        (5e-3,) * 2,
        (10, 10, 45, 45),
        TAPE,
    )
    high = np.degrees(np.arcsin(np.clip(net.places[..., 2] / 0.1, -1, 1)))
    assert np.nanmax(high) < 90
    assert np.nanmax(high) > 80
    assert not net.laid[:, -1].any()


def test_a_mesh_is_taped_as_its_surface_is() -> None:
    mesh = surfaces.dome(R, R, 0.02)
    start, way = np.array([0, 0, R]), np.array([1.0, 0.2, 0])
    net = drape(TriangleSurface(mesh), start, way, (0.02,) * 2, (14,) * 4, Laying(0.1, tape=True))
    exact = drape(sphere(R), start, way, (0.02,) * 2, (14,) * 4, TAPE)
    on = net.laid & (net.beyond <= 0)
    assert on.sum() > 500
    assert np.linalg.norm((net.places - exact.places)[on], axis=1).max() < 2e-4
    found = NetFinder(net).at(mesh.centres()[mesh.centres()[:, 2] > 0.43])
    assert found.covered.all()
    np.testing.assert_array_equal(found.factor, 1.0)


def _ring(height: float, count: int = 90) -> Array:
    r = math.sqrt(R * R - height * height)
    a = np.linspace(0, 2 * np.pi, count, endpoint=False)
    return np.stack([r * np.cos(a), r * np.sin(a), np.full(count, height)], axis=1)


@pytest.mark.parametrize("tape", [False, True], ids=["woven", "tape"])
def test_a_yarn_follows_a_line(tape: bool) -> None:
    # A circle of latitude, well off a great circle.
    height = 0.3
    line = _ring(height)[:40]
    start = line[15]
    way = line[16] - line[14]
    net = drape(sphere(R), start, way, (0.01,) * 2, (10, 10, 12, 12), Laying(tape=tape, line=line))
    first = net.places[:, net.start[1]]
    np.testing.assert_allclose(first[:, 2], height, atol=2e-5)
    r = math.sqrt(R * R - height * height)
    step = np.linalg.norm(np.diff(first, axis=0), axis=1)
    np.testing.assert_allclose(2 * r * np.arcsin(step / 2 / r), 0.01, rtol=1e-3)
    if tape:
        # Its parallels are circles of latitude as well.
        spread = np.ptp(net.places[..., 2], axis=0)
        assert spread.max() < 1e-4
    # Across it the weft begins at a right angle.
    across = net.places[net.start[0], net.start[1] + 1] - net.places[net.start]
    assert abs(across @ (line[16] - line[14])) < 0.02 * np.linalg.norm(across) * np.linalg.norm(
        way
    )


def test_the_weft_follows_a_line_across_the_warp_and_a_slanting_ply_is_refused() -> None:
    line = _ring(0.3)[:40]
    start, along = line[15], line[16] - line[14]
    normal = start / R
    net = drape(
        sphere(R), start, np.cross(along, normal), (0.01,) * 2, (8,) * 4, Laying(line=line)
    )
    np.testing.assert_allclose(net.places[net.start[0], :, 2], 0.3, atol=2e-5)
    slanting = along / np.linalg.norm(along) + np.cross(normal, along) / np.linalg.norm(along)
    with pytest.raises(PartError, match=r"4[45].*off the line"):
        drape(sphere(R), start, slanting, (0.01,) * 2, (8,) * 4, Laying(line=line))
    with pytest.raises(PartError, match="no fibre can follow"):
        drape(
            sphere(R),
            start,
            np.cross(normal, along),
            (0.01,) * 2,
            (8,) * 4,
            Laying(tape=True, line=line),
        )
    with pytest.raises(PartError, match="no length"):
        drape(sphere(R), start, along, (0.01,) * 2, (8,) * 4, Laying(line=line[:1]))
    with pytest.raises(PartError, match="off the surface"):
        drape(sphere(R), start, along, (0.01,) * 2, (8,) * 4, Laying(reach=0.01, line=1.2 * line))


def test_a_ring_is_followed_half_round_either_way_and_an_end_is_gone_on_from() -> None:
    ring = _ring(0.3)
    r = math.sqrt(R * R - 0.09)
    cell = math.pi * r / 40.5
    net = drape(
        sphere(R), ring[3], ring[4] - ring[2], (cell,) * 2, (60, 60, 3, 3), Laying(line=ring)
    )
    first = net.places[:, net.start[1]]
    on = np.isfinite(first[:, 0])
    on[on] = np.abs(first[on, 2] - 0.3) < 1e-4
    assert on.sum() == 81
    # A short line ends, and the yarn goes on straight: off the circle, on a great one.
    line = ring[:10]
    net = drape(
        sphere(R), line[5], line[6] - line[4], (0.01,) * 2, (40, 5, 2, 2), Laying(line=line)
    )
    first = net.places[:, net.start[1]]
    assert np.isfinite(first).all()
    last = first[-12:]
    plane = np.cross(last[0], last[-1])
    assert np.abs(last @ (plane / np.linalg.norm(plane))).max() < 1e-6
    assert np.abs(last[:, 2] - 0.3).max() > 1e-3


def _flat_net(line: Array, start: Array, tape: bool) -> Net:
    plane = graph(lambda x, y: (0 * x, 0 * x, 0 * x))
    return drape(
        plane, start, np.array([1.0, 0, 0]), (0.02,) * 2, (30,) * 4, Laying(tape=tape, line=line)
    )


@pytest.mark.parametrize("tape", [False, True], ids=["woven", "tape"])
def test_a_yarn_ends_where_its_line_turns_a_corner_and_goes_on_straight(tape: bool) -> None:
    line = np.array([[-0.3, 0, 0], [-0.1, 0, 0], [0.1, 0, 0], [0.2, 0, 0], [0.2, 0.3, 0]])
    net = _flat_net(line, np.array([-0.2, 0.0, 0.0]), tape)
    first = net.places[:, net.start[1]]
    np.testing.assert_allclose(first[:, 1:], 0.0, atol=1e-9)
    assert np.nanmax(first[:, 0]) > 0.3
    assert np.abs(net.shear()[1:-1, 1:-1]).max() < 1e-6


def test_a_line_that_bends_back_gives_no_thickness_below_that_of_the_cloth() -> None:
    rng = np.random.default_rng(3)
    for _ in range(30):
        line = np.concatenate([np.cumsum(rng.normal(0, 0.1, (6, 2)), axis=0), np.zeros((6, 1))], 1)
        try:
            net = _flat_net(line, line[2], False)
        except PartError:
            # It starts too far off any yarn.
            continue
        step = np.linalg.norm(np.diff(net.places, axis=0), axis=2)
        assert np.nanmax(step) < 0.02 * 1.02 + 1e-9
        places = np.concatenate([rng.uniform(-0.4, 0.4, (400, 2)), np.zeros((400, 1))], axis=1)
        factor = NetFinder(net).at(places).factor
        assert np.nanmin(np.append(factor, 1.0)) >= 1 - 1e-12


def test_a_flat_sheet_is_taped_whatever_its_mesh() -> None:
    rng = np.random.default_rng(1)
    mesh = surfaces.panel_with_hole(0.8, 0.5, 0.2, 0.03)
    inner = np.abs(mesh.nodes[:, 0]) < 0.38
    nodes = mesh.nodes + np.where(inner[:, None], rng.normal(0, 1e-3, mesh.nodes.shape), 0) * [
        1,
        1,
        0,
    ]
    mesh = Mesh(nodes, mesh.quads, mesh.edges, triangles=mesh.triangles)
    net = drape(
        TriangleSurface(mesh),
        np.array([0.2, 0.15, 0]),
        np.array([1.0, 0.5, 0]),
        (0.02,) * 2,
        (50,) * 4,
        Laying(0.5, tape=True),
    )
    found = NetFinder(net).at(mesh.centres())
    assert found.covered.all()
    assert np.abs(found.shear).max() < 1e-6
    a = math.atan2(0.5, 1.0)
    turn = np.array([[math.cos(a), math.sin(a)], [-math.sin(a), math.cos(a)]])
    exact = (mesh.centres()[:, :2] - [0.2, 0.15]) @ turn.T
    shift = found.lengths - exact
    assert np.ptp(shift, axis=0).max() < 1e-9
