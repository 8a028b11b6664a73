"""Draped rungs in the lay-up: what elements take of the net, files, refusals, the sample."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import lru_cache

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tartan.core.drape.net import drape
from tartan.core.drape.pattern import NetFinder
from tartan.core.drape.surface import sphere
from tartan.core.errors import TartanError
from tartan.core.shell.mesh import Opening, Panel
from tartan.core.shell.shapes import Cone, Dome, StiffenedPanel, Tube
from tartan.core.stack import Ply
from tartan.pages import draping as page
from tartan.project.analysis.draping import draping_of, start_in
from tartan.project.analysis.inputs import layout_of, part_inputs
from tartan.project.analysis.jobs import PartAnswer, solve_now
from tartan.project.analysis.laying import laid_plies
from tartan.project.analysis.partmesh import meshed
from tartan.project.analysis.yarns import lines
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Direction, Draped, Near, Part, Region, Rung, Wound
from tartan.project.document.samples import radome_cap_project
from tartan.project.edits import part_edits
from tartan.project.edits.draped_rungs import begin_draping
from tartan.project.files import storage


def cap() -> tuple[Project, Part]:
    project = radome_cap_project()
    assert project.part is not None
    return project, project.part


@lru_cache(maxsize=1)
def solved() -> PartAnswer:
    return solve_now(part_inputs(cap()[0]))


def test_elements_take_angle_and_thickness_of_the_net_at_their_middles() -> None:
    # A spherical cap, whose net is known: the mesh's own has to say the same.
    part = cap()[1]
    R = 0.6
    part = replace(part, surface=Dome(R, R, 0.0), mesh_size=0.02)
    whole = meshed(part)
    low = whole.mesh.centres()[:, 2] > R * math.cos(math.radians(42))
    own = np.flatnonzero(low)
    made = draping_of(whole, own.tobytes(), Draped((0.0, 0.0, R), 0.01), 20.0)
    a = math.radians(20)
    exact = drape(
        sphere(R),
        np.array([0, 0, R]),
        np.array([math.cos(a), math.sin(a), 0]),
        (0.01,) * 2,
        (60,) * 4,
    )
    centres = whole.mesh.centres()[own]
    known = NetFinder(exact).at(centres * (R / np.linalg.norm(centres, axis=1))[:, None])
    away = np.hypot(centres[:, 0], centres[:, 1]) > 0.02
    np.testing.assert_allclose(made.found.factor[away], known.factor[away], atol=2e-3)
    # The warp's angle from the reference direction, worked out from the exact net's own warp.
    n = centres / np.linalg.norm(centres, axis=1)[:, None]
    x = np.array([1.0, 0, 0]) - n[:, :1] * n
    angle = np.degrees(
        np.arctan2(
            np.einsum("qi,qi->q", np.cross(x, known.warp), n), np.einsum("qi,qi->q", x, known.warp)
        )
    )
    np.testing.assert_allclose(made.fibre[away], angle[away], atol=0.25)


def test_sections_are_of_the_plies_as_they_are_draped() -> None:
    project, part = cap()
    layout = layout_of(part_inputs(project))
    laid = laid_plies(part, {})
    assert [x.rung for x in laid] == [0, 1, 2, 3]
    first = laid[0]
    assert first.turn is not None
    assert first.factor is not None
    for place in (5, 700, 2000):
        element = int(first.elements[place])
        ply = layout.local_plies(element)[0]
        assert ply.angle == pytest.approx(0.0 + first.turn[place], abs=0.05)
        assert ply.thickness == pytest.approx(0.4e-3 * first.factor[place], rel=1e-3)
    # Sheared fabric is thicker, and brings as much mass as its flat pattern has.
    areas = layout.mesh.areas()
    mass = sum(float((x.factor * areas[x.elements]).sum()) for x in laid) * 0.4e-3 * 1880.0  # type: ignore[operator]
    assert layout.mass() == pytest.approx(mass, rel=1e-3)
    assert layout.mass() > areas.sum() * 4 * 0.4e-3 * 1880.0 * 1.01


def test_the_sample_is_solved_and_says_what_locks() -> None:
    project, _ = cap()
    answer = solved()
    assert np.isfinite(answer.margins.reserve).all()
    assert answer.solution.imbalance < 1e-9
    found = page.draped_ply(project, 0)
    assert found is not None
    said = page.words(project, found)
    assert "Beyond the locking angle of 30°" in said
    assert "lower edge" in said
    loose = replace(found, locking=60.0)
    assert "It locks nowhere (60°)" in page.words(project, loose)
    warp, weft = lines(found.made, meshed(cap()[1]).mesh)
    assert len(warp) > 1000
    assert len(weft) > 1000
    shades, on, told = page.map_of(found, "shear", answer.layout().mesh.count)
    assert len(shades) == on.sum() == answer.layout().mesh.count
    assert "ember beyond" in told
    for which, most in (("fibre off nominal", found.made.turn), ("thickness", None)):
        shades, on, told = page.map_of(found, which, answer.layout().mesh.count)
        if most is not None:
            # The deepest colour stands where it is most.
            depth = shades.astype(int).sum(axis=1)
            assert depth[int(np.abs(most).argmax())] == depth.min()
        assert "the darker the more" in told


def test_on_a_tube_a_draped_ply_is_the_nominal_one() -> None:
    part = cap()[1]
    tube = replace(part, surface=Tube(0.2, 0.6), mesh_size=0.03)
    ply = Ply("radome fabric", 35.0, 0.4e-3)
    along = part_edits.usual_directions(tube.surface)[0]
    start = Draped((0.2, 0.0, 0.3), 0.008)
    tube = replace(tube, lay_up=(Rung(ply=ply, draped=start),), directions=along)
    laid = laid_plies(tube, {})
    assert laid[0].turn is not None
    assert laid[0].factor is not None
    assert np.abs(laid[0].turn).max() < 0.02
    assert laid[0].factor == pytest.approx(1.0, abs=1e-6)


def test_rungs_are_draped_from_the_middle_of_their_region_and_kept_in_files() -> None:
    project, part = cap()
    bare = replace(part, lay_up=tuple(replace(r, draped=None) for r in part.lay_up))
    ring = Region("ring", near=(Near(0.2, "lower edge"),))
    bare = replace(
        bare,
        regions=(ring,),
        lay_up=(replace(bare.lay_up[0]), Rung("ring", ply=bare.lay_up[1].ply)),
    )
    plain = part_edits.put_part(project, bare)
    rungs = begin_draping(plain, (0, 1), on=True)
    whole = meshed(bare)
    for rung in rungs:
        assert rung.draped is not None
        own = whole.elements(rung.region)
        assert rung.draped.start == start_in(whole.mesh, own)
    kept = part_edits.put_lay_up(plain, rungs)
    assert storage.from_text(storage.to_text(kept)) == kept
    off = begin_draping(kept, (0, 1), on=False)
    assert all(r.draped is None for r in off)


PANELS = (
    Panel(0.8, 0.5, radius_x=0.5, radius_y=-0.6),
    Panel(0.8, 0.5, radius_x=0.7, radius_y=0.6),
    Panel(0.8, 0.5, openings=(Opening("hatch", -0.1, 0.05, 0.2, 0.15),)),
)


@pytest.mark.parametrize("surface", PANELS)
@pytest.mark.parametrize("turn", [0.0, 30.0, 90.0, -61.0])
def test_a_panel_is_reached_to_its_corners_from_anywhere(surface: Panel, turn: float) -> None:
    part = replace(cap()[1], surface=surface, mesh_size=0.03, directions=(Direction(),))
    whole = meshed(part)
    own = np.arange(whole.mesh.count).tobytes()
    centres = whole.mesh.centres()
    for at in ((0.2, 0.07), (-0.38, -0.22), (0.37, 0.0)):
        x, y, z = centres[int(np.linalg.norm(centres[:, :2] - at, axis=1).argmin())]
        made = draping_of(whole, own, Draped((float(x), float(y), float(z))), turn)
        assert made.covered.all()
        assert np.isfinite(made.turn).all()
        assert made.found.factor.min() >= 1 - 1e-9
        assert np.abs(made.found.shear).max() < 75


@settings(max_examples=40)
@given(
    st.sampled_from([StiffenedPanel(0.8, 0.5, 2, 0.06, 0.1), Cone(0.2, 0.0, 0.3), Tube(0.1, 0.4)]),
    st.tuples(*(st.sampled_from([0.0, 0.1, -0.3, 1e-300, 1e4, 1e300, math.inf, math.nan]),) * 3),
    st.sampled_from([0.0, 0.02, 1.0, 1e4, 1e-9]),
    st.floats(-1e6, 1e6),
)
def test_any_start_is_draped_or_refused_in_words(
    surface: StiffenedPanel, start: tuple[float, float, float], cell: float, angle: float
) -> None:
    # A search for what is out of all measure once left the mesh, and the program with it.
    part = replace(cap()[1], surface=surface, mesh_size=0.05)
    whole = meshed(part)
    own = np.arange(whole.mesh.count).tobytes()
    try:
        made = draping_of(whole, own, Draped(start, cell), angle)
    except TartanError as error:
        refused = str(error)
        assert len(refused) > 20
        return
    assert np.isfinite(made.turn[made.covered]).all()
    assert made.found.factor[made.covered].min(initial=1.0) >= 1 - 1e-9


def test_what_cannot_be_draped_is_refused_in_words() -> None:
    project, part = cap()
    first = part.lay_up[0]
    tries = (
        (Draped((math.nan, 0, 0)), "no place"),
        (Draped((0, 0, 0.35), -1.0), "Cells of"),
    )
    for bad, words in tries:
        with pytest.raises(TartanError, match=words):
            part_edits.put_lay_up(project, (replace(first, draped=bad),))
    with pytest.raises(TartanError, match="wound or draped"):
        part_edits.put_lay_up(project, (replace(first, wound=Wound()),))
    above = replace(first, draped=Draped((0, 0, 0.9)))
    far = replace(project, part=replace(part, lay_up=(above,)))
    with pytest.raises(TartanError, match="off the surface"):
        layout_of(part_inputs(far))
    # One net does not lie on two pieces that do not hang together.
    both = Region("both", near=tuple(Near(0.15, at=(x, 0.0, 0.1)) for x in (0.5, -0.5)))
    own = replace(first, region="both", draped=Draped((0.55, 0.0, 0.14)))
    parted = replace(part, regions=(both,), lay_up=(*part.lay_up, own))
    with pytest.raises(TartanError, match="does not reach"):
        layout_of(part_inputs(replace(project, part=parted)))
