"""Faces left out, skins kept, and surfaces cut along curves, from STEP files."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest

from tartan.core.errors import DocumentError, PartError
from tartan.core.shell.mesh import Panel
from tartan.core.shell.shapes import Tube, mesh_of
from tartan.core.shell.skins import patches_of, skins_of
from tartan.exchange.step import curves_of, mesh_step
from tartan.exchange.surfaces import ReadRequest, read_surface, remesh_surface
from tartan.exchange.trims import CUT_EDGE, check_trim, inside, joined, read_curve, reduced
from tartan.project.analysis.meshes import MESHES
from tartan.project.document.partmodel import Trim
from tests.steps import hood, sheet, slab, write_step


@pytest.fixture(scope="module")
def flat(tmp_path_factory: pytest.TempPathFactory) -> str:
    return write_step(tmp_path_factory.mktemp("step") / "sheet.step", sheet)


ANGLES = np.linspace(0, 2 * np.pi, 24, endpoint=False)
ELLIPSE = tuple((0.15 * math.cos(a), 0.1 * math.sin(a), 0.0) for a in ANGLES)
SQUARE = ((-0.4, -0.1, 0.0), (0.1, -0.1, 0.0), (0.1, 0.1, 0.0), (-0.4, 0.1, 0.0))


def test_a_sheet_is_cut_along_a_smooth_curve_and_elements_end_at_it(flat: str) -> None:
    whole = 0.6 * 0.4
    kept = mesh_step(flat, 0.02, trims=(Trim(ELLIPSE),))
    exact = math.pi * 0.15 * 0.1
    # An ellipse of some thirty straight sides.
    assert kept.areas().sum() == pytest.approx(exact, rel=0.006)
    rim = kept.nodes[kept.edges[CUT_EDGE]]
    np.testing.assert_allclose((rim[:, 0] / 0.15) ** 2 + (rim[:, 1] / 0.1) ** 2, 1.0, atol=1e-3)
    np.testing.assert_allclose(kept.nodes[:, 2], 0.1, atol=1e-12)
    rest = mesh_step(flat, 0.02, trims=(Trim(ELLIPSE, keep="outside"),))
    assert rest.areas().sum() == pytest.approx(whole - exact, rel=0.003)
    assert set(rest.edges) == {"edge 1", "edge 2", "edge 3", "edge 4", CUT_EDGE}


def test_corners_stay_corners_and_trims_follow_one_another(flat: str) -> None:
    kept = mesh_step(flat, 0.02, trims=(Trim(SQUARE),))
    assert kept.areas().sum() == pytest.approx(0.4 * 0.2, rel=1e-9)
    # Seen along a slant the same curve comes down elsewhere.
    slanting = mesh_step(flat, 0.02, trims=(Trim(SQUARE, along=(1.0, 0.0, 1.0)),))
    assert slanting.nodes[:, 0].max() == pytest.approx(0.2)
    both = mesh_step(flat, 0.02, trims=(Trim(SQUARE), Trim(ELLIPSE, keep="outside")))
    assert both.areas().sum() < kept.areas().sum() - 0.02


def test_trims_that_cannot_be_are_refused_in_words(flat: str) -> None:
    with pytest.raises(PartError, match="leave nothing"):
        mesh_step(flat, 0.02, trims=(Trim(tuple((x + 5, y, z) for x, y, z in SQUARE)),))
    with pytest.raises(PartError, match=r"trim 2.*bounds no area"):
        mesh_step(flat, 0.02, trims=(Trim(SQUARE), Trim(SQUARE, along=(0.0, 1.0, 0.0))))
    with pytest.raises(PartError, match="less than three points"):
        check_trim(Trim(SQUARE[:2]), "Trim")
    with pytest.raises(PartError, match="no places"):
        check_trim(Trim(SQUARE, along=(0.0, 0.0, 0.0)), "Trim")


def test_curves_of_the_file_are_joined_to_one_that_closes(flat: str) -> None:
    found = curves_of(flat)
    loose = [points for name, points in found.items() if name.startswith("loose")]
    assert len(loose) == 4
    assert next(iter(found)).startswith("loose")
    # In any order, and whichever way each of them runs.
    closed = joined([loose[2], loose[0][::-1], loose[3], loose[1]])
    kept = mesh_step(flat, 0.02, trims=(Trim(closed),))
    assert kept.areas().sum() == pytest.approx(0.2 * 0.1, rel=1e-9)
    with pytest.raises(PartError, match="do not close"):
        joined(loose[:3])
    with pytest.raises(PartError, match="No curve"):
        joined([])


def test_a_curve_is_read_from_a_table_with_its_unit(tmp_path: Path) -> None:
    path = tmp_path / "curve.csv"
    path.write_text("x [mm],y [mm],z [m]\n0,0,0.1\n100,0,0.1\n100,50,0.1\n0,0,0.1\n")
    assert read_curve(path) == ((0.0, 0.0, 0.1), (0.1, 0.0, 0.1), (0.1, 0.05, 0.1))
    path.write_text("x [mm],y [mm]\n0,0\n")
    with pytest.raises(DocumentError, match="no column z"):
        read_curve(path)
    path.write_text("x [mm],y [mm],z [mm]\n0,0,0\n1,two,0\n")
    with pytest.raises(DocumentError, match="row 3, column 2"):
        read_curve(path)
    path.write_text("x [mm],y [mm],z [mm]\n0,0,0\n1,0,0\n")
    with pytest.raises(DocumentError, match="three points"):
        read_curve(path)


def test_points_lie_within_a_polygon_as_its_angles_sum() -> None:
    rng = np.random.default_rng(4)
    angle = np.sort(rng.uniform(0, 2 * np.pi, 17))
    star = np.stack([np.cos(angle), np.sin(angle)], 1) * rng.uniform(0.3, 1, (17, 1))
    points = rng.uniform(-1.2, 1.2, (2000, 2))
    turn = np.zeros(len(points))
    for a, b in zip(star, np.roll(star, -1, axis=0), strict=True):
        p, q = a - points, b - points
        turn += np.arctan2(p[:, 0] * q[:, 1] - p[:, 1] * q[:, 0], (p * q).sum(axis=1))
    np.testing.assert_array_equal(inside(points, star), np.abs(turn) > math.pi)


def test_a_thin_solid_has_two_skins_and_either_can_be_kept(tmp_path: Path) -> None:
    plate = mesh_step(write_step(tmp_path / "slab.step", slab), 0.02)
    assert len(patches_of(plate)) == 6
    assert all(len(x) == 1 for x in skins_of(plate))
    path = tmp_path / "hood.step"
    write_step(path, hood)
    surface, _ = read_surface(ReadRequest(path, size=0.03))
    mesh = MESHES.mesh((surface, 0.03, ()))
    outer, inner = skins_of(mesh)
    for skin, radius in ((outer, 0.21), (inner, 0.2)):
        out = tuple(n for n in mesh.regions if n not in skin)
        kept, _ = remesh_surface(
            type(surface)(surface.file, surface.mesh, surface.geometry, out), 0.03
        )
        nodes = MESHES.mesh((kept, 0.03, ())).nodes
        np.testing.assert_allclose(np.hypot(nodes[:, 1], nodes[:, 2]), radius, atol=1e-6)
    # What is smooth all round has one skin.
    assert skins_of(mesh_of(Tube(0.1, 0.3), 0.02))[1] == ()


def test_a_reduced_mesh_keeps_edges_and_regions_of_what_is_left() -> None:
    mesh = mesh_of(Panel(0.4, 0.2), 0.05)
    left_half = np.flatnonzero(mesh.centres()[:, 0] < 0)
    found = reduced(mesh, left_half)
    assert found.areas().sum() == pytest.approx(0.04)
    assert "right edge" not in found.edges
    np.testing.assert_allclose(found.nodes[found.edges["left edge"]][:, 0], -0.2)
