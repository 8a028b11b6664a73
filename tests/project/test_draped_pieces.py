"""Draped plies in pieces, along edges and lines, of tape: what elements and files get of them."""

from __future__ import annotations

import json
import math
from dataclasses import replace

import numpy as np
import pytest

from tartan.core.errors import PartError, TartanError
from tartan.core.shell.mesh import Panel
from tartan.core.shell.shapes import Dome, StiffenedPanel, Tube
from tartan.core.stack import Ply
from tartan.exchange.patterns import cuts_of, pattern_of
from tartan.exchange.plies.read import layout_from
from tartan.exchange.plies.take import take_layout
from tartan.exchange.plies.write import layout_data
from tartan.project.analysis.draping import draping_of, surface_of
from tartan.project.analysis.inputs import layout_of, part_inputs
from tartan.project.analysis.laying import laid_plies
from tartan.project.analysis.partmesh import meshed
from tartan.project.analysis.pieces import pieces_of
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Draped, Part, Rung
from tartan.project.document.samples import radome_cap_project
from tartan.project.edits import part_edits
from tartan.project.files import storage

ACROSS = ((-0.4, 0.02, 0.2), (0.0, 0.02, 0.35), (0.4, 0.02, 0.2))


def cap(**draped: object) -> tuple[Project, Part]:
    """The radome cap with its plies draped otherwise."""
    project = radome_cap_project()
    part = project.part
    assert part is not None
    rungs = tuple(
        replace(r, draped=replace(r.draped, **draped))  # type: ignore[arg-type, type-var]
        for r in part.lay_up
    )
    made = part_edits.put_lay_up(project, rungs)
    assert made.part is not None
    return made, made.part


def test_a_cut_parts_a_ply_and_each_piece_shears_less() -> None:
    whole_part = cap()[1]
    whole = meshed(whole_part)
    own = np.arange(whole.mesh.count)
    one = draping_of(whole, own.tobytes(), whole_part.lay_up[0].draped, 0.0)
    project, part = cap(cuts=(ACROSS,), start=(0.0, -0.3, 0.303), starts=((0.0, 0.3, 0.303),))
    two = draping_of(whole, own.tobytes(), part.lay_up[0].draped, 0.0)
    assert len(two.pieces) == 2
    np.testing.assert_array_equal(np.sort(np.concatenate(two.pieces)), own)
    y = whole.mesh.centres()[:, 1]
    upper = next(p for p in two.pieces if y[p].mean() > 0)
    # All beyond the cut are of one piece, but for elements that it runs through.
    assert y[upper].min() > 0.02 - 0.02
    assert np.setdiff1d(np.flatnonzero(y > 0.04), upper).size == 0
    assert np.nanmax(np.abs(two.found.shear)) < 0.75 * np.nanmax(np.abs(one.found.shear))
    # Both have flat patterns, which are told apart, and no more cloth than elements take.
    cuts = cuts_of(project)
    assert [c.name.rsplit(" · ", 1)[1] for c in cuts[:2]] == ["piece 1", "piece 2"]
    patterns = pattern_of(replace(part, lay_up=()), "", part.lay_up[0].draped, 0.0)
    cloth = whole.mesh.areas() * two.found.factor
    assert sum(x.area for x in patterns) == pytest.approx(cloth.sum(), rel=0.004)
    for piece, flat in zip(two.pieces, patterns, strict=True):
        # Elements that the cut runs through are of one piece whole.
        assert flat.area == pytest.approx(cloth[piece].sum(), rel=0.02)
        # Its edges are curves: no turn but at the two ends of the cut.
        side = np.diff(np.concatenate([flat.outline, flat.outline[:2]]), axis=0)
        turn = np.diff(np.unwrap(np.arctan2(side[:, 1], side[:, 0])))
        assert (np.abs(turn) > math.radians(25)).sum() <= 4


def test_a_cut_that_ends_inside_is_carried_on_and_one_that_parts_nothing_is_refused() -> None:
    short = ((0.05, 0.0, 0.35), (0.12, 0.0, 0.345))
    part = cap(cuts=(short,))[1]
    whole = meshed(part)
    made = draping_of(whole, np.arange(whole.mesh.count).tobytes(), part.lay_up[0].draped, 0.0)
    assert len(made.pieces) == 2
    with pytest.raises(PartError, match=r"cut 2.*does not part"):
        cap(cuts=(short, short))
    with pytest.raises(PartError, match="off the surface"):
        cap(cuts=(((0.0, 0.0, 3.0), (0.1, 0.0, 3.0)),))
    with pytest.raises(TartanError, match="two points"):
        cap(cuts=(((0.0, 0.0, 0.35),),))
    with pytest.raises(PartError, match="no length"):
        cap(cuts=(((0.0, 0.0, 0.35), (0.0, 0.0, 0.35)),))


def test_pieces_start_where_they_are_told_to() -> None:
    start = (0.2, 0.3, 0.2797)
    part = cap(cuts=(ACROSS,), starts=(start,))[1]
    whole = meshed(part)
    made = draping_of(whole, np.arange(whole.mesh.count).tobytes(), part.lay_up[0].draped, 0.0)
    began = [net.places[net.start] for net in made.nets]
    assert min(np.linalg.norm(x - np.array(start)) for x in began) < 0.02
    other = cap(cuts=(ACROSS,))[1]
    usual = draping_of(whole, np.arange(whole.mesh.count).tobytes(), other.lay_up[0].draped, 0.0)
    assert min(np.linalg.norm(n.places[n.start] - np.array(start)) for n in usual.nets) > 0.05


def test_a_tube_that_is_cut_along_has_a_pattern_of_its_whole_area() -> None:
    R, L = 0.1, 0.3
    surface = Tube(R, L)
    cut = ((R, 0.0, 0.02), (R, 0.0, 0.28))
    far = ((-R, 0.0, 0.02), (-R, 0.0, 0.28))
    along = part_edits.usual_directions(surface)[0]
    part = Part(surface, 0.02, directions=along)
    flat = pattern_of(part, "", Draped((0.0, R, 0.15), 0.008, cuts=(cut, far)), 25.0)
    assert len(flat) == 2
    assert sum(x.area for x in flat) == pytest.approx(2 * math.pi * R * L, rel=0.01)
    # One seam opens a tube; it does not part it.
    with pytest.raises(PartError, match="does not part"):
        pattern_of(part, "", Draped((0.0, R, 0.15), 0.008, cuts=(cut,)), 25.0)


def test_tape_keeps_its_thickness_and_its_sections_turn_with_it() -> None:
    project, part = cap(way="tape")
    laid = laid_plies(part, {})
    assert all(np.array_equal(x.factor, np.ones(len(x.elements))) for x in laid)
    assert max(float(np.abs(x.turn).max()) for x in laid if x.turn is not None) > 1.0
    layout = layout_of(part_inputs(project))
    areas = meshed(part).mesh.areas()
    rho = next(m.rho for m in project.materials if m.name == "radome fabric")
    assert rho is not None
    assert layout.mass() == pytest.approx(areas.sum() * 4 * 0.4e-3 * rho, rel=1e-6)


def test_a_ply_grows_from_an_edge() -> None:
    # Tape along the rim of a dome: circles of latitude all the way up, at 90° to the meridian.
    surface = Dome(0.3, 0.12)
    part = Part(surface, 0.015, directions=part_edits.usual_directions(surface)[0])
    part = replace(part, fallback=(1.0, 0.0, 0.0))
    whole = meshed(part)
    centres = whole.mesh.centres()
    band = np.flatnonzero(
        (centres[:, 2] < 0.08) & (np.abs(np.arctan2(centres[:, 1], centres[:, 0])) < 2.0)
    )
    edge = "lower edge"
    draped = Draped((0.3, 0.0, 0.0), 0.01, way="tape", edge=edge)
    made = draping_of(whole, band.tobytes(), draped, 90.0)
    assert made.covered.mean() > 0.98
    assert np.nanmax(np.abs(made.turn)) < 1.0
    with pytest.raises(PartError, match="no fibre can follow"):
        draping_of(whole, band.tobytes(), draped, 0.0)
    with pytest.raises(PartError, match="There is no edge 'hem'"):
        draping_of(whole, band.tobytes(), replace(draped, edge="hem"), 90.0)


def test_along_a_line_a_flat_ply_lies_as_the_line_does() -> None:
    part = Part(Panel(0.6, 0.4), 0.02)
    whole = meshed(part)
    own = np.arange(whole.mesh.count)
    a = math.radians(12)
    line = tuple((x, x * math.tan(a), 0.0) for x in (-0.2, 0.0, 0.2))
    made = draping_of(whole, own.tobytes(), Draped(cell=0.02, line=line), 0.0)
    np.testing.assert_allclose(made.fibre, 12.0, atol=1e-6)
    assert np.abs(made.found.shear).max() < 1e-6


def test_pieces_lines_and_ways_are_kept_in_files_and_layouts() -> None:
    project, part = cap(cuts=(ACROSS,), starts=((0.0, 0.3, 0.303),), way="tape")
    # Nets are as fine as the mesh: what is kept does not ask for a fine one.
    project = part_edits.put_part(project, replace(part, mesh_size=3 * part.mesh_size))
    assert storage.from_text(storage.to_text(project)) == project
    data = json.dumps(layout_data(project))
    assert len(json.loads(data)["plies"][0]["patterns"]) == 2
    assert take_layout(project, layout_from(data, "layout")).project == project
    ply = Ply("radome fabric", 0.0, 0.4e-3)
    line = ((-0.2, 0.0, 0.33), (0.0, 0.0, 0.35), (0.2, 0.0, 0.33))
    rung = Rung(ply=ply, draped=Draped((0.0, 0.0, 0.35), line=line))
    lined = part_edits.put_lay_up(project, (rung, *part.lay_up[1:]))
    data = json.dumps(layout_data(lined, "in"))
    assert take_layout(lined, layout_from(data, "layout")).project == lined


@pytest.mark.parametrize("seed", range(12))
def test_any_cut_right_across_parts_the_cap_where_it_was_drawn(seed: int) -> None:
    # Elements about the pole are thirty times as long as wide: none may be missed.
    rng = np.random.default_rng(seed)
    part = cap()[1]
    whole = meshed(part)
    own = np.arange(whole.mesh.count)
    a, aside = rng.uniform(0, math.pi), rng.uniform(-0.25, 0.25)
    way, out = np.array([math.cos(a), math.sin(a)]), np.array([-math.sin(a), math.cos(a)])
    half = math.sqrt(0.58**2 - aside**2)
    flat = [aside * out + t * half * way for t in np.linspace(-1, 1, 9)]
    cut = tuple((x, y, 0.35 * math.sqrt(1 - (x * x + y * y) / 0.36)) for x, y in flat)
    surface = surface_of(whole.mesh, own.tobytes())
    found = pieces_of(whole.mesh, surface, own, (cut,))
    assert len(found) == 2
    side = whole.mesh.centres()[:, :2] @ out - aside
    for piece in found:
        clear = side[piece][np.abs(side[piece]) > 0.03]
        assert (np.sign(clear) == np.sign(clear[0])).all()


def test_where_yarns_fold_up_nothing_is_thinner_than_the_cloth() -> None:
    # From an edge that is not beside the start, over blades: its net folds up in places.
    part = Part(StiffenedPanel(0.5, 0.4, 3, 0.05), 0.025)
    whole = meshed(part)
    draped = Draped((0.1375, 0.09333333333333331, 0.0), edge="right edge")
    made = draping_of(whole, np.arange(whole.mesh.count).tobytes(), draped, 103.22233527796016)
    factor = made.found.factor
    assert (factor[np.isfinite(factor)] >= 1 - 1e-12).all()
