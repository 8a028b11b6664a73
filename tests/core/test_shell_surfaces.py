"""Trimmed panels, read surfaces, motions that supports leave, and progress of long steps."""

import dataclasses
import math
import subprocess
import sys
from pathlib import Path

import gmsh
import meshio
import numpy as np
import pytest

from tartan.core.errors import PartError, TartanError
from tartan.core.laminate import Laminate
from tartan.core.shell import directions, mesher, shapes
from tartan.core.shell.constraints import Held, constrain, free_motions_of
from tartan.core.shell.mesh import Mesh, Opening, Pad, Panel, grid_mesh
from tartan.core.shell.mesher import Finer
from tartan.core.shell.solve import ShellModel, solution_steps, solve
from tartan.core.shell.surfaces import quality
from tartan.exchange.meshfiles import free_edges, read_mesh
from tartan.exchange.step import mesh_step, read_step
from tartan.exchange.verify import obstacles
from tests.core.test_shell_general import X, free

DISH = Panel(
    1.6,
    1.2,
    9.0,
    9.0,
    (Opening("cut-out", -0.3, 0.0, 0.3, 0.24),),
    (Pad("mount 1", 0.5, -0.35, 0.16), Pad("mount 2", 0.5, 0.35, 0.16)),
)


def test_a_dish_has_its_area_its_pads_and_its_rim() -> None:
    mesh = shapes.mesh_of(DISH, 0.04)
    flat = 1.6 * 1.2 - math.pi * 0.3 * 0.24 / 4
    # The slope x / R lengthens each way; to first order the area grows by the mean of slope² / 2.
    lift = 1 + (1.6**2 + 1.2**2) / 12 / 9**2 / 2
    assert mesh.areas().sum() == pytest.approx(flat * lift, rel=2e-3)
    pad = mesh.areas()[mesh.regions["mount 1"]].sum()
    around = len(mesh.edges["rim of mount 1"]) - 1
    polygon = around / 2 * math.sin(2 * math.pi / around) * 0.08**2
    assert pad == pytest.approx(polygon, rel=5e-3)
    assert sum(map(len, mesh.regions.values())) == mesh.count
    rim = mesh.nodes[mesh.edges["cut-out"]]
    ellipse = ((rim[:, 0] + 0.3) / 0.15) ** 2 + (rim[:, 1] / 0.12) ** 2
    np.testing.assert_allclose(ellipse, 1.0, atol=1e-6)
    assert (mesh.normals()[:, 2] > 0.9).all()
    measured = quality(mesh)
    assert measured.aspect.max() < 5
    assert (measured.warp < 0.02).all()
    # On the surface everywhere: both arcs add.
    height = 2 * 9 * np.sin(np.arcsin(mesh.nodes[:, :2] / 9) / 2) ** 2
    np.testing.assert_allclose(mesh.nodes[:, 2], height.sum(axis=1), atol=1e-12)


def test_refinement_acts_where_it_is_asked() -> None:
    fine = shapes.mesh_of(
        DISH, 0.06, (Finer(0.015, 0.2, "cut-out"), Finer(0.015, 0.2, at=(0.5, 0.0, 0.0)))
    )
    size = np.sqrt(fine.areas())
    centre = fine.centres()
    near = np.linalg.norm(centre[:, :2] - [0.5, 0.0], axis=1) < 0.03
    assert 0.6 * 0.015 < size[near].mean() < 1.5 * 0.015
    far = (np.abs(centre[:, :2] - [-0.7, 0.5]) < 0.1).all(axis=1)
    assert size[far].mean() > 0.045
    assert len(fine.edges["cut-out"]) > 50


@pytest.mark.parametrize(
    "change",
    [
        {"openings": (Opening("hole", 0.75, 0.0, 0.3, 0.2),)},
        {"openings": (Opening("hole", 0.5, -0.35, 0.1, 0.1),)},
        {"pads": (Pad("left edge", 0.0, 0.3, 0.1),)},
        {"openings": (Opening("hole", 0.0, 0.0, -0.3, 0.2),)},
    ],
    ids=["over the edge", "in a pad", "taken name", "negative"],
)
def test_cut_outs_that_cannot_be_are_refused(change: dict[str, object]) -> None:
    with pytest.raises(PartError) as caught:
        shapes.mesh_of(dataclasses.replace(DISH, **change), 0.05)  # type: ignore[arg-type]
    assert caught.value.where.startswith("Surface")
    assert caught.value.mend


def test_finer_than_what_is_refused() -> None:
    for finer in (Finer(0.2, 0.1, "cut-out"), Finer(0.01, 0.1, "rim"), Finer(0.01, -1.0)):
        with pytest.raises(PartError, match="refinement 1"):
            shapes.mesh_of(DISH, 0.05, (finer,))
        with pytest.raises(PartError, match="refinement 1"):
            shapes.mesh_of(shapes.Tube(0.2, 0.5), 0.05, (dataclasses.replace(finer, size=1e-6),))


@pytest.mark.parametrize(
    "shape",
    [
        shapes.Tube(0.2, 0.5),
        shapes.Cone(0.3, 0.1, 0.4),
        shapes.Dome(0.3, 0.2, 0.05),
        shapes.StiffenedPanel(0.6, 0.4, 2, 0.05, 0.08),
    ],
    ids=lambda s: s.kind,
)
def test_mapped_surfaces_are_refined_without_gaps(
    shape: shapes.Tube, unsymmetric: Laminate
) -> None:
    plain = shapes.mesh_of(shape, 0.04)
    mesh = shapes.mesh_of(shape, 0.04, (Finer(0.01, 0.12, "lower edge"),))
    fine = np.sqrt(mesh.areas())
    foot = np.zeros(len(mesh.nodes), bool)
    foot[mesh.edges["lower edge"]] = True
    at_foot = foot[mesh.quads].any(axis=1)
    assert fine[: len(mesh.quads)][at_foot].max() < 0.016
    assert np.median(fine) < 0.5 * np.sqrt(np.median(plain.areas()))
    assert mesh.areas().sum() == pytest.approx(plain.areas().sum(), rel=0.03)
    # No hanging node: free sides are the named edges alone, as before.
    ends = sum(
        np.linalg.norm(np.diff(mesh.nodes[chain], axis=0), axis=1).sum()
        for chain in free_edges(mesh).values()
    )
    before = sum(
        np.linalg.norm(np.diff(plain.nodes[chain], axis=0), axis=1).sum()
        for chain in free_edges(plain).values()
    )
    assert ends == pytest.approx(before, rel=0.01)
    assert len(directions.turned_elements(mesh)) == len(directions.turned_elements(plain)) == 0
    # A pull along the surface still gives uniform strains across the transition.
    if isinstance(shape, shapes.StiffenedPanel):
        x = mesh.nodes
        edge = np.isclose(np.abs(x[:, 0]), 0.3)
        nodes = np.flatnonzero(edge)
        values = [tuple(v) for v in np.column_stack([1e-3 * x[nodes, 0], np.zeros(len(nodes))])]
        held = [Held(np.array([n]), (0, 1), v) for n, v in zip(nodes, values, strict=True)]
        rules = constrain(mesh, [*held, Held(nodes, (2, 3, 4, 5))])
        found = solve(
            ShellModel(mesh, obstacles.plate(70e9, 0.0, 2e-3), X, free(mesh), constraints=rules),
            np.zeros((1, len(x), 6)),
        )
        np.testing.assert_allclose(found.displacement[0, :, 0], 1e-3 * x[:, 0], atol=1e-9)


def write_bracket(path: Path, holes: int = 3) -> None:
    """Plate of 200 × 100 × 10 mm with holes of 5 mm radius, written in millimetres."""
    gmsh.initialize(interruptible=False)
    gmsh.option.setNumber("General.Terminal", 0)
    gmsh.option.setString("Geometry.OCCTargetUnit", "MM")
    occ = gmsh.model.occ
    plate = occ.addBox(0, 0, 0, 200, 100, 10)
    tools = [
        (3, occ.addCylinder(20 + 160 * i / max(holes - 1, 1), 50, -5, 0, 0, 20, 5))
        for i in range(holes)
    ]
    occ.cut([(3, plate)], tools)
    occ.synchronize()
    gmsh.write(str(path))
    gmsh.finalize()


def test_a_step_file_in_millimetres(tmp_path: Path, capfd: pytest.CaptureFixture[str]) -> None:
    file = tmp_path / "bracket.step"
    write_bracket(file)
    capfd.readouterr()
    read = read_step(file)
    assert len(read.faces) == 6 + 3
    mesh = mesh_step(read.text, 0.01)
    # Six sides of the box, less six discs, and three walls of the holes.
    exact = 2 * (0.2 * 0.1 + 0.2 * 0.01 + 0.1 * 0.01) - 6 * math.pi * 0.005**2
    exact += 3 * math.pi * 0.01 * 0.01
    assert mesh.areas().sum() == pytest.approx(exact, rel=5e-3)
    assert set(mesh.regions) == set(read.faces)
    assert len(mesh.triangles) < 0.05 * mesh.count
    # Sides agree all round: a closed surface has the volume its normals enclose.
    volume = abs((mesh.centres() * mesh.normals()).sum(axis=1) @ mesh.areas()) / 3
    assert volume == pytest.approx(0.2 * 0.1 * 0.01 - 3 * math.pi * 0.005**2 * 0.01, rel=0.01)
    some = mesh_step(read.text, 0.01, leave_out=read.faces[1:])
    assert set(some.regions) == {read.faces[0]}
    assert capfd.readouterr().out == ""
    with pytest.raises(PartError, match="mesh size"):
        mesh_step(read.text, 5.0)


def test_without_the_mesher_only_trimmed_surfaces_are_refused(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(mesher, "gmsh", None)
    assert shapes.mesh_of(Panel(1.0, 1.0), 0.25).count == 16
    with pytest.raises(PartError, match="system packages"):
        shapes.mesh_of(DISH, 0.1)


def test_what_is_no_step_file_is_refused(tmp_path: Path) -> None:
    for name, text in (
        ("a.step", "hello"),
        ("b.step", "ISO-10303-21;\nHEADER;\nENDSEC;\nnonsense"),
    ):
        file = tmp_path / name
        file.write_text(text)
        with pytest.raises(TartanError) as caught:
            read_step(file)
        assert name in caught.value.where
    with pytest.raises(TartanError, match="cannot be read"):
        read_step(tmp_path / "none.step")


@pytest.mark.parametrize("suffix", ["vtu", "stl", "obj", "ply", "msh", "xdmf"])
def test_open_mesh_formats_are_read(tmp_path: Path, suffix: str) -> None:
    panel = grid_mesh(Panel(400, 200), 8, 4)
    mesh = panel.split() if suffix == "stl" else panel
    cells = [("quad", mesh.quads)] if len(mesh.quads) else [("triangle", mesh.triangles)]
    file = tmp_path / f"panel.{suffix}"
    form = {"file_format": "gmsh"} if suffix == "msh" else {}
    meshio.write(file, meshio.Mesh(mesh.nodes, cells), **form)
    found = read_mesh(file, "mm")
    assert found.count == mesh.count
    assert found.areas().sum() == pytest.approx(0.4 * 0.2)
    assert len(np.unique(found.edges["free edge 1"])) == 2 * (8 + 4)
    with pytest.raises(TartanError, match="unit"):
        read_mesh(file, "furlong")
    file.write_bytes(b"\x00damaged")
    with pytest.raises(TartanError):
        read_mesh(file)


def test_a_loose_component_is_found_with_its_motions() -> None:
    one = grid_mesh(Panel(1.0, 1.0), 2, 2)
    nodes = np.concatenate([one.nodes, one.nodes + np.array([0, 0, 1.0])])
    mesh = Mesh(nodes, np.concatenate([one.quads, one.quads + 9]))
    held = [Held(np.arange(9), (0, 1, 2)), Held(np.array([9, 10]), (0, 1, 2))]
    (motion,) = free_motions_of(mesh, held)
    assert motion.elements.tolist() == [4, 5, 6, 7]
    # Two held points leave a turn about the line through them.
    assert motion.names == ("turn about x",)
    assert np.abs(motion.shapes[0, :9]).max() == 0
    assert np.abs(motion.shapes[0, [9, 10, 11]]).max() < 1e-9
    assert np.linalg.norm(motion.shapes[0], axis=1).max() == pytest.approx(1.0)
    assert free_motions_of(mesh, [*held, Held(np.array([17]), (2,))]) == []


def test_long_steps_tell_their_progress(unsymmetric: Laminate) -> None:
    mesh = grid_mesh(Panel(1.0, 1.0), 60, 60)
    rules = constrain(mesh, [Held(mesh.edges["left edge"], tuple(range(6)))])
    model = ShellModel(mesh, unsymmetric, X, free(mesh), constraints=rules)
    force = np.zeros((1, len(mesh.nodes), 6))
    force[0, -1, 2] = 1.0
    told = list(solution_steps(model, force))
    shares = [share for _, share in told]
    assert shares == sorted(shares)
    assert [doing for doing, _ in told].count("assembling") >= 4
    assert [doing for doing, _ in told].count("recovering") >= 4


def test_a_broken_pipe_stays_an_error_after_meshing() -> None:
    """The mesher's library lets SIGPIPE end the process; then a dead solver ended the window."""
    code = (
        "import os, threading\n"
        "from tartan.core.shell.mesh import Opening, Panel\n"
        "from tartan.core.shell.shapes import mesh_of\n"
        "panel = Panel(0.4, 0.3, openings=(Opening('cut', 0.0, 0.0, 0.1, 0.1),))\n"
        "t = threading.Thread(target=lambda: mesh_of(panel, 0.1))\n"
        "t.start(); t.join(); mesh_of(panel, 0.09)\n"
        "read, write = os.pipe()\n"
        "os.close(read)\n"
        "try:\n"
        "    os.write(write, b'x')\n"
        "except BrokenPipeError:\n"
        "    print('an error')\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, check=False, timeout=120
    )
    assert done.returncode == 0
    assert done.stdout.strip() == "an error"


def test_a_fine_trimmed_panel_has_square_elements_and_its_own_area() -> None:
    panel = Panel(1.0, 0.8, openings=(Opening("hole", 0.1, 0.05, 0.3, 0.3),))
    size = 0.01
    assert shapes.expected_elements(panel, size) > shapes.MANY
    mesh = shapes.mesh_of(panel, size)
    assert len(mesh.triangles) == 0
    around = mesh.nodes[mesh.edges["hole"]]
    radius = np.hypot(around[:, 0] - 0.1, around[:, 1] - 0.05)
    np.testing.assert_allclose(radius, 0.15, rtol=1e-9)
    turns = np.unique(np.round(np.arctan2(around[:, 1] - 0.05, around[:, 0] - 0.1), 9))
    step = np.diff(np.append(turns, turns[0] + 2 * np.pi))
    hole = 0.5 * 0.15**2 * np.sin(step).sum()
    assert mesh.areas().sum() == pytest.approx(0.8 - hole, rel=1e-9)
    corners = mesh.nodes[mesh.quads]
    ahead = np.roll(corners, -1, axis=1) - corners
    behind = np.roll(corners, 1, axis=1) - corners
    cosine = (ahead * behind).sum(axis=2) / (
        np.linalg.norm(ahead, axis=2) * np.linalg.norm(behind, axis=2)
    )
    assert np.degrees(np.arccos(cosine)).min() > 30
    assert np.degrees(np.arccos(cosine)).max() < 150


def test_a_refinement_without_end_is_refused_before_it_is_meshed() -> None:
    panel = Panel(1.0, 0.8, openings=(Opening("hole", 0.1, 0.05, 0.3, 0.3),))
    with pytest.raises(PartError, match="would have about"):
        shapes.mesh_of(panel, 0.05, (Finer(1e-6, 0.05, "hole"),))
