"""Flat patterns: true areas, outlines without saw-tooth, rolls, and files that are read back."""

from __future__ import annotations

import math
import re
from dataclasses import replace
from pathlib import Path

import ezdxf
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tartan.core.drape.net import Laying, drape
from tartan.core.drape.outline import FlatPattern, flat_pattern, nest, smooth
from tartan.core.drape.pattern import NetFinder, area_of
from tartan.core.drape.triangles import TriangleSurface
from tartan.core.errors import TartanError
from tartan.core.shell import surfaces
from tartan.core.shell.shapes import Tube
from tartan.core.stack import Ply
from tartan.exchange.exports import export
from tartan.exchange.patterns import cuts_of, on_roll, patterns_table, write_patterns
from tartan.project.analysis.inputs import part_inputs
from tartan.project.analysis.jobs import solve_now
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Draped, Near, Part, Region, Rung
from tartan.project.document.samples import radome_cap_project


def cap() -> tuple[Project, Part]:
    project = radome_cap_project()
    assert project.part is not None
    return project, project.part


@pytest.mark.parametrize("turn", [0.0, 20.0, 63.0])
def test_a_sheet_of_a_tube_keeps_its_area(turn: float) -> None:
    mesh = surfaces.tube(0.3, 0.5, 0.02)
    centres = mesh.centres()
    azimuth = np.arctan2(centres[:, 1], centres[:, 0])
    own = np.flatnonzero((np.abs(azimuth) < 0.8) & (np.abs(centres[:, 2] - 0.25) < 0.15))
    a = math.radians(turn)
    way = np.array([0, math.sin(a), math.cos(a)])
    net = drape(
        TriangleSurface(mesh, own),
        np.array([0.3, 0, 0.25]),
        way,
        (0.01,) * 2,
        (60,) * 4,
        Laying(0.2),
    )
    made = flat_pattern(mesh, own, NetFinder(net))
    corners = mesh.nodes[np.unique(mesh.quads[own])]
    around = np.arctan2(corners[:, 1], corners[:, 0])
    exact = 0.3 * np.ptp(around) * np.ptp(corners[:, 2])
    assert made.area == pytest.approx(exact, rel=1e-6)
    assert made.around == pytest.approx(
        2 * (0.3 * np.ptp(around) + np.ptp(corners[:, 2])), rel=1e-4
    )
    assert not made.holes


def test_an_opening_is_cut_out_and_what_has_no_rim_is_refused() -> None:
    mesh = surfaces.panel_with_hole(0.8, 0.5, 0.2, 0.02)
    own = np.arange(mesh.count)
    net = drape(
        TriangleSurface(mesh),
        np.array([0.2, 0.1, 0]),
        np.array([1.0, 0.3, 0]),
        (0.01,) * 2,
        (90,) * 4,
        Laying(0.5),
    )
    made = flat_pattern(mesh, own, NetFinder(net))
    assert len(made.holes) == 1
    # The hole's rim is smooth again, not the polygon of its elements.
    assert -area_of(made.holes[0]) == pytest.approx(math.pi * 0.01, rel=2e-4)
    assert made.area == pytest.approx(0.4 - math.pi * 0.01, rel=1e-4)
    ball = surfaces.tube(0.1, 0.2, 0.05)
    closed = replace_rims(ball)
    with pytest.raises(TartanError, match="closes in itself"):
        flat_pattern(closed, np.arange(closed.count), NetFinder(net))


def replace_rims(mesh: surfaces.Mesh) -> surfaces.Mesh:
    """The tube turned into a ring that closes: its last ring of nodes is its first."""
    low, high = mesh.edges["lower edge"], mesh.edges["upper edge"]
    order = {int(b): int(a) for a, b in zip(low, high, strict=True)}
    quads = np.array([[order.get(int(n), int(n)) for n in q] for q in mesh.quads])
    return surfaces.Mesh(mesh.nodes, quads, {}, np.zeros((0, 2)), mesh.triangles, {})


def test_the_saw_tooth_of_elements_is_smoothed_and_corners_are_kept() -> None:
    a = np.linspace(0, 2 * math.pi, 240, endpoint=False)
    steps = np.round(np.stack([np.cos(a), np.sin(a)], axis=1) * 12) / 12
    steps = steps[np.linalg.norm(steps - np.roll(steps, 1, axis=0), axis=1) > 0]
    ahead = np.roll(steps, -1, axis=0)
    corner = np.stack([steps[:, 0], ahead[:, 1]], axis=1)
    stair = np.stack([steps, corner], axis=1).reshape(-1, 2)
    stair = stair[np.linalg.norm(stair - np.roll(stair, 1, axis=0), axis=1) > 0]
    made = smooth(stair)
    assert area_of(made) == pytest.approx(area_of(stair), rel=0.03)
    side = np.roll(made, -1, axis=0) - made
    heading = np.unwrap(np.arctan2(side[:, 1], side[:, 0]))
    assert np.degrees(np.abs(np.diff(heading))).mean() < 12
    square = np.array(
        [(x, 0.0) for x in np.arange(0, 1, 0.1)] + [(1.0, y) for y in np.arange(0, 1, 0.1)]
    )
    square = np.concatenate([square, 1 - square])
    assert area_of(smooth(square)) == pytest.approx(1.0, abs=1e-12)


def test_plies_alike_are_one_pattern_cut_as_often(tmp_path: Path) -> None:
    project = cap()[0]
    cuts = cuts_of(project)
    assert [(c.name, c.angle, c.count) for c in cuts] == [
        ("ply 1, 4", 0.0, 2),
        ("ply 2, 3", 45.0, 2),
    ]
    table = patterns_table(project)
    assert table.rows[0][:4] == ("ply 1, 4", "radome fabric", 0.0, 2)
    area = float(table.rows[0][4])  # type: ignore[arg-type]
    # A cap's cloth is larger than the cap, by what its yarns shear.
    h, R = 0.35, 0.6
    e = math.sqrt(1 - (h / R) ** 2)
    surface = math.pi * R**2 * (1 + (h / R) ** 2 / e * math.atanh(e))
    assert 1.01 * surface < area < 1.2 * surface
    laid = write_patterns(project, tmp_path / "cap.dxf")
    drawing = ezdxf.readfile(tmp_path / "cap.dxf")
    assert drawing.header["$INSUNITS"] == 4
    outlines = [x for x in drawing.modelspace() if x.dxf.layer == "cut"]
    assert len(outlines) == 4
    first = np.array([p[:2] for p in outlines[0].get_points()])
    assert abs(area_of(first)) * 1e-6 == pytest.approx(area, rel=1e-9)
    assert first[:, 1].max() <= 1600 + 1e-6
    words = [x.dxf.text for x in drawing.modelspace() if x.dxf.layer == "words"]
    assert words[0] == "ply 1, 4 · radome fabric · 0° · × 2"
    assert laid.waste == pytest.approx(
        1 - 2 * sum(c.pattern.area for c in cuts) / (laid.length * 1.6)
    )
    answer = solve_now(part_inputs(project))
    export("patterns", project, answer, tmp_path / "cap.svg")
    text = (tmp_path / "cap.svg").read_text()
    paths = re.findall(r'd="M ([^"]+) Z"', text)
    points = np.array([[float(v) for v in p.split()] for p in paths[0].split(" L ")])
    assert abs(area_of(points)) * 1e-6 == pytest.approx(area, rel=1e-6)
    assert re.search(r'width="[\d.]+mm" height="1600\.000mm"', text)
    export("patterns", project, answer, tmp_path / "cap.csv")
    assert "radome fabric" in (tmp_path / "cap.csv").read_text()


def test_what_cannot_be_cut_is_refused_in_words(tmp_path: Path) -> None:
    project, part = cap()
    with pytest.raises(TartanError, match="wide, the roll"):
        write_patterns(project, tmp_path / "cap.dxf", 0.5)
    assert not (tmp_path / "cap.dxf").exists()
    with pytest.raises(TartanError, match="no kind of drawing"):
        write_patterns(project, tmp_path / "cap.pdf")
    bare = replace(part, lay_up=tuple(replace(r, draped=None) for r in part.lay_up))
    with pytest.raises(TartanError, match="No ply is draped"):
        cuts_of(replace(project, part=bare))


def test_a_ply_all_round_a_tube_has_no_pattern_in_one_piece() -> None:
    project, part = cap()
    ply = Rung(ply=Ply("radome fabric", 30.0, 0.4e-3), draped=Draped((0.25, 0.0, 0.3)))
    tube = replace(part, surface=Tube(0.25, 0.6), mesh_size=0.03, lay_up=(ply,))
    with pytest.raises(TartanError, match="comes round upon itself"):
        cuts_of(replace(project, part=tube))


def test_a_patch_on_a_tube_keeps_the_area_of_its_elements() -> None:
    project, part = cap()
    patch = Region("patch", near=(Near(0.11, at=(0.25, 0.0, 0.3)),))
    ply = Rung("patch", ply=Ply("radome fabric", 30.0, 0.4e-3), draped=Draped((0.25, 0.0, 0.3)))
    tube = replace(part, surface=Tube(0.25, 0.6), mesh_size=0.015, regions=(patch,), lay_up=(ply,))
    (cut,) = cuts_of(replace(project, part=tube))
    # Its rim is that of whole elements: smooth, within a few per cent of the circle.
    assert cut.pattern.area == pytest.approx(math.pi * 0.11**2, rel=0.06)
    length, width = cut.pattern.size
    assert length == pytest.approx(0.22, abs=0.02)
    assert width == pytest.approx(0.22, abs=0.02)


@settings(max_examples=80)
@given(
    st.lists(st.tuples(st.floats(0.01, 2), st.floats(0.01, 1.2)), min_size=1, max_size=25),
    st.floats(0, 0.05),
)
def test_pieces_on_a_roll_do_not_overlap_and_stay_on_it(
    sizes: list[tuple[float, float]], gap: float
) -> None:
    placed, length = nest(sizes, 1.25, gap)
    boxes = [(p.x, p.y, p.x + sizes[p.number][0], p.y + sizes[p.number][1]) for p in placed]
    assert [p.number for p in placed] == list(range(len(sizes)))
    for k, (a, b, c, d) in enumerate(boxes):
        assert a >= 0
        assert c <= length + 1e-9
        assert b >= 0
        assert d <= 1.25 + 1e-9
        for e, f, g, h in boxes[:k]:
            apart = max(e - c, a - g, f - d, b - h)
            assert apart >= gap - 1e-9
    cut = FlatPattern(np.array([(0, 0), (sizes[0][0], 0), sizes[0], (0, sizes[0][1])]))
    assert cut.size == pytest.approx(sizes[0])
    assert on_roll((), 1.0).length == 0.0
