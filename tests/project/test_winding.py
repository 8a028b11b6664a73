"""Wound vessels as parts: what is laid, what is refused, and what a solved vessel carries."""

from __future__ import annotations

import contextlib
import dataclasses
import math
from functools import lru_cache

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from tartan.core.criteria import criterion
from tartan.core.errors import DocumentError, TartanError
from tartan.core.laminate.loadcase import LoadCase
from tartan.core.laminate.tube import TubeLoad
from tartan.core.shell.shapes import Panel
from tartan.core.shell.vessel_shape import (
    CYLINDER,
    DOME_SORTS,
    ENDS,
    Vessel,
    on_vessel,
    vessel_mesh,
)
from tartan.core.stack import Ply, Stack
from tartan.core.vessel.winding import WoundDome
from tartan.exchange.rungs_table import parse_rungs, rungs_text
from tartan.pages import tube, winding
from tartan.pages.part import ladder
from tartan.pages.stack_answers import Question
from tartan.project.analysis.jobs import PartAnswer, solve_now
from tartan.project.analysis.laying import laid_plies
from tartan.project.analysis.partmesh import meshed
from tartan.project.analysis.shellinputs import laminate_for, part_inputs
from tartan.project.analysis.winding import along_meridian, layer_of, places_on
from tartan.project.document.cylinder_sample import OPENING, SERVICE
from tartan.project.document.model import USUAL, Project
from tartan.project.document.partmodel import Direction, Part, Rung, Wound
from tartan.project.document.samples import breathing_air_cylinder
from tartan.project.edits import part_edits, vessel_edits
from tartan.project.edits.zone_edits import change_zone
from tartan.project.files import storage
from tartan.project.findings.verdict import ply_words


def cylinder() -> tuple[Project, Part, Vessel]:
    project = breathing_air_cylinder()
    assert project.part is not None
    assert isinstance(project.part.surface, Vessel)
    return project, project.part, project.part.surface


@lru_cache(maxsize=1)
def solved() -> PartAnswer:
    return solve_now(part_inputs(cylinder()[0]))


@pytest.mark.parametrize("sort", DOME_SORTS[:3])
def test_a_vessels_mesh_lies_on_its_meridian(sort: str) -> None:
    shape = Vessel(0.15, 0.4, sort, 0.045, lower_height=0.1, upper_dome="ellipsoid")  # type: ignore[arg-type]
    mesh = vessel_mesh(shape, 0.02)
    normals, centres = mesh.normals(), mesh.centres()
    # Outwards, away from the middle of the vessel.
    assert (np.einsum("mi,mi->m", normals, centres - [0, 0, 0.2]) > 0).all()
    np.testing.assert_allclose(on_vessel(shape, mesh.nodes), mesh.nodes, atol=2e-7)
    r = np.hypot(*mesh.nodes[:, :2].T)
    upper = mesh.nodes[:, 2] > 0.4 + 1e-9
    ellipse = (r[upper] / 0.15) ** 2 + ((mesh.nodes[upper, 2] - 0.4) / 0.1) ** 2
    np.testing.assert_allclose(ellipse, 1.0, atol=1e-9)
    assert r[mesh.edges["lower edge"]] == pytest.approx(0.045)
    wall = mesh.areas()[mesh.regions[CYLINDER]].sum()
    assert wall == pytest.approx(2 * np.pi * 0.15 * 0.4, rel=2e-3)


def test_wound_plies_turn_and_thicken_over_the_rings_and_keep_their_tow() -> None:
    project, part, shape = cylinder()
    laid = laid_plies(part, {s.name: s for s in project.stacks})
    mesh = meshed(part).mesh
    rows = [r for r in ladder(project) if r.numbers]
    assert rows[-1].numbers[1] == len(laid)
    helical = [x for x in laid if x.rung == 2]
    assert [np.sign(x.ply.angle) for x in helical] == [1, -1]
    radius, z = places_on(mesh)
    first = helical[0]
    assert first.turn is not None
    assert first.factor is not None
    angle = np.radians(first.ply.angle + first.turn)
    on_dome = z[first.elements] > shape.length
    # Clairaut on what lies below, which is thin against the radius: 3 mm of liner.
    lifted = radius[first.elements][on_dome] * np.sin(angle[on_dome])
    r0 = OPENING + 0.006
    outer = radius[first.elements][on_dome] > r0 + 0.02
    assert (lifted[outer] < r0).all()
    assert (lifted[outer] > r0 * 0.94).all()
    # Volume on the elements of both domes against the tow's own, ring by ring.
    rung = part.lay_up[2]
    layer = layer_of(rung, shape)
    areas = mesh.areas()[first.elements]
    volume = float((2 * first.factor * first.ply.thickness * areas)[on_dome].sum())
    bare = WoundDome(shape.dome("upper"), layer).volume  # type: ignore[arg-type]
    # It lies 3 mm further out than the mandrel whose elements are counted.
    assert volume == pytest.approx(bare, rel=0.05)


def test_hoops_end_at_their_distances() -> None:
    project, part, shape = cylinder()
    rung = dataclasses.replace(part.lay_up[1], wound=Wound("hoop", start=0.05, end=0.1, count=1))
    part = dataclasses.replace(part, lay_up=(part.lay_up[0], rung))
    part_edits.put_part(project, part)
    (_, hoop) = laid_plies(part, {s.name: s for s in project.stacks})
    _, z = places_on(meshed(part).mesh)
    assert hoop.ply.angle == 90
    assert z[hoop.elements].min() >= 0.05
    assert z[hoop.elements].max() <= shape.length - 0.1
    along = along_meridian(part, {s.name: s for s in project.stacks}, "lower")
    on = along.layers[1][1].thickness > 0
    assert (along.arc[on] <= -0.05 + 1e-12).all()


def test_a_solved_vessel_is_in_equilibrium_and_alike_all_round() -> None:
    answer, (_, _, shape) = solved(), cylinder()
    mesh, layout = answer.layout().mesh, answer.layout()
    strains = answer.solution.strains[0].mean(axis=1)
    _, z = places_on(mesh)
    middle = np.flatnonzero(np.abs(z - shape.length / 2) < 0.02)
    laminate = layout.laminate(int(middle[0]))
    force = strains[middle, :3] @ laminate.A + strains[middle, 3:6] @ laminate.B
    # Along: what presses on both caps; round: half a ring's pressure.
    assert force[:, 0] == pytest.approx(SERVICE * shape.radius / 2, rel=2e-3)
    assert force[:, 1] == pytest.approx(SERVICE * shape.radius, rel=2e-3)
    # Every element of a ring is strained as its neighbours are.
    rings = np.round(z, 9)
    for at in np.unique(rings)[::7]:
        ring = strains[rings == at]
        assert np.ptp(ring[:, :2], axis=0) == pytest.approx(0, abs=1e-3 * np.abs(ring).max())
    u = answer.solution.displacement[0]
    nodes = mesh.nodes
    r = np.hypot(nodes[:, 0], nodes[:, 1])
    grown = np.einsum("ni,ni->n", u[:, :2], nodes[:, :2]) / r
    here = np.abs(nodes[:, 2] - shape.length / 2) < 0.02
    hoop = float(strains[middle, 1].mean())
    assert grown[here] == pytest.approx(hoop * shape.radius, rel=5e-3)


def test_rungs_that_are_wound_go_to_a_spreadsheet_and_to_a_file_and_back() -> None:
    project, part, _ = cylinder()
    project = part_edits.put_part(
        project,
        dataclasses.replace(
            part,
            lay_up=(
                *part.lay_up,
                dataclasses.replace(
                    part.lay_up[2],
                    wound=Wound(turning="centre", opening=0.03, coverage=0.9, angle=24.0),
                ),
            ),
        ),
    )
    assert project.part is not None
    assert parse_rungs(rungs_text(project.part.lay_up), project) == project.part.lay_up
    assert storage.from_text(storage.to_text(project)) == project
    with pytest.raises(DocumentError, match="no winding"):
        parse_rungs(rungs_text(project.part.lay_up).replace("helical", "spiral"), project)


@pytest.mark.parametrize(
    ("wound", "words"),
    [
        (Wound(opening=0.2), "rung 2.*not smaller"),
        (Wound(opening=0.01), "rung 2.*outside"),
        (Wound(opening=-0.01), "none"),
        (Wound(bandwidth=0.0), "band width"),
        (Wound(bandwidth=1.0), "no room"),
        (Wound(coverage=0.0), "coverage"),
        (Wound(coverage=float("nan")), "none"),
        (Wound(count=0), "1 to 100"),
        (Wound("hoop", start=0.4), "no room"),
        (Wound("hoop", step_back=-1.0), "step back"),
    ],
)
def test_what_cannot_be_wound_is_refused_by_its_rung(wound: Wound, words: str) -> None:
    project, part, _ = cylinder()
    rung = Rung(ply=Ply("UD carbon", 0.0, 0.3e-3), wound=wound)
    with pytest.raises(TartanError, match=words):
        part_edits.put_part(project, dataclasses.replace(part, lay_up=(part.lay_up[0], rung)))


def test_only_a_whole_vessel_is_wound() -> None:
    project, part, _ = cylinder()
    rung = part.lay_up[1]
    for wrong, words in (
        (dataclasses.replace(rung, region="cylinder"), "whole vessel"),
        (Rung(stack="liner", wound=Wound()), "not wound"),
    ):
        with pytest.raises(TartanError, match=words):
            part_edits.put_part(project, dataclasses.replace(part, lay_up=(wrong,)))
    with pytest.raises(TartanError, match="Only a vessel"):
        part_edits.put_part(project, dataclasses.replace(part, surface=Panel(0.5, 0.5)))


def around(usual: float) -> st.SearchStrategy[float]:
    """Figures near what is usual, and far off it."""
    far = [0.0, -usual, usual * 100, 1e-9, 1e-300, 1e300, float("inf"), float("nan")]
    return st.floats(usual * 0.5, usual * 2) | st.sampled_from(far)


WOUNDS = st.builds(
    Wound,
    sort=st.sampled_from(["helical", "hoop"]),
    opening=st.just(0.0) | around(0.03),
    bandwidth=around(0.01),
    turning=st.sampled_from(["edge", "centre"]),
    coverage=around(1.0),
    count=st.integers(-1, 5),
    start=around(0.02),
    end=around(0.02),
    step_back=around(0.002),
    angle=st.just(0.0) | around(20.0),
)
VESSELS = st.builds(
    Vessel,
    around(0.08),
    around(0.3),
    st.sampled_from(DOME_SORTS),
    around(0.02),
    st.just(0.0) | around(0.025),
    around(0.06),
    around(0.15),
    around(0.02),
)


@settings(max_examples=150)
@given(VESSELS, st.lists(st.tuples(WOUNDS, around(0.3e-3)), min_size=1, max_size=3))
def test_any_vessel_is_laid_or_refused_in_words(
    shape: Vessel, plan: list[tuple[Wound, float]]
) -> None:
    project, part, _ = cylinder()
    rungs = [Rung(ply=Ply("UD carbon", 0.0, t), wound=w) for w, t in plan]
    changed = dataclasses.replace(
        part, surface=shape, mesh_size=0.03, lay_up=(part.lay_up[0], *rungs)
    )
    refused: TartanError | None = None
    try:
        project = part_edits.put_part(project, changed)
    except TartanError as error:
        refused = error
    if refused is not None:
        assert refused.what
        assert refused.mend
        return
    for end in ENDS:
        found = winding.meridian_of_project(project, end)
        whole = sum(on.thickness for _, on in found.layers)
        assert np.isfinite(whole).all()
        assert (whole > 0).all()
        for chart in winding.CHARTS:
            winding.curves(project, found, chart, 2.0)
        assert len(winding.layer_table(project, found).rows) == len(rungs)


@settings(max_examples=100)
@given(
    radius=around(0.05),
    at=st.sampled_from(["mean", "inner"]),
    closed=st.booleans(),
    loads=st.tuples(around(2e6), around(1e4), around(100.0)),
    length=st.just(0.0) | around(0.5),
    share=around(0.7),
    heat=around(50.0),
)
@example(0.0625, "mean", False, (0.0, 1e-300, 50.0), 0.0, 1.0, 25.0)
def test_any_tube_is_answered_or_refused_in_words(
    radius: float,
    at: str,
    closed: bool,
    loads: tuple[float, float, float],
    length: float,
    share: float,
    heat: float,
) -> None:
    project = breathing_air_cylinder()
    laminate = laminate_for(
        Stack("wall", tuple(Ply("UD carbon", a, 0.5e-3) for a in (90.0, 30.0, -30.0))),
        project.materials,
    )
    load = TubeLoad(radius, at, closed, *loads, length, share)  # type: ignore[arg-type]
    asked = Question(laminate, LoadCase("t", dT=heat, tube=load), USUAL, 1.0)
    try:
        rows = tube.facts(asked, tube.limit_rows(asked, criterion("hashin"), "mode"))
        table = tube.wall_table(asked, thick=False)
    except TartanError as error:
        refused = str(error)
    else:
        refused = ""
    if refused:
        assert len(refused) > 20
        return
    assert all(v is None or np.isfinite(float(v)) for _, v, *_ in rows)  # type: ignore[arg-type]
    assert len(table.rows) == 9
    with contextlib.suppress(TartanError):
        tube.wall_words(asked)


def test_a_place_has_its_own_plies_and_they_are_not_changed_one_by_one() -> None:
    project, part, _ = cylinder()
    answer, layout = solved(), solved().layout()
    _, z = places_on(layout.mesh)
    element = int(np.argmax(z))
    numbers, plies = layout.plies(element), layout.local_plies(element)
    assert len(numbers) == len(plies)
    # At the opening bands lie almost along the circle, and thicker than on the cylinder.
    helical = [p for p in plies if p.angle not in (0.0, 90.0)]
    assert helical
    assert all(abs(p.angle) > 45 for p in helical)
    total = sum(p.thickness for p in plies)
    assert total == pytest.approx(layout.laminate(element).thickness)
    ply = next(n for n, p in zip(numbers, plies, strict=True) if p in helical)
    assert ply_words(answer, ply, element) != ply_words(answer, ply)
    laid = [layout.laid[n] for n in numbers]
    with pytest.raises(TartanError, match="not changed ply by ply"):
        change_zone(project, laid, plies[:-1])
    assert part.lay_up == project.part.lay_up  # type: ignore[union-attr]


def test_a_balanced_plan_carries_its_pressure_with_whole_layers() -> None:
    project, _, shape = cylinder()
    burst = 90e6
    made = vessel_edits.balanced_plan(project, burst)
    part = made.part
    assert part is not None
    assert [r.stack or r.wound.sort for r in part.lay_up] == ["liner", "hoop", "helical"]  # type: ignore[union-attr]
    along = along_meridian(part, {s.name: s for s in made.stacks}, "lower")
    (_, hoop), (_, helical) = along.layers[1:]
    carbon = made.material("UD carbon")
    assert carbon is not None
    assert carbon.Xt is not None
    # Bare of the liner, as netting counts: no fibre is pulled beyond its strength, and one
    # layer less of either would not do.
    alpha, t = math.asin((OPENING + 0.006) / shape.radius), 0.3e-3
    pulled = burst * shape.radius / 2 / (helical.nominal * math.cos(alpha) ** 2)
    round_ = burst * shape.radius - carbon.Xt * helical.nominal * math.sin(alpha) ** 2
    assert pulled <= carbon.Xt * (1 + 1e-9)
    assert pulled * helical.nominal / (helical.nominal - 2 * t) > carbon.Xt
    assert round_ / hoop.nominal <= carbon.Xt * (1 + 1e-9)
    for pressure, words in ((0.0, "no pressure"), (float("nan"), "no pressure"), (1e12, "layers")):
        with pytest.raises(TartanError, match=words):
            vessel_edits.balanced_plan(project, pressure)
    # An opening so wide that its fibres alone carry the hoop force.
    wide = dataclasses.replace(shape, lower_dome="ellipsoid", lower_opening=0.068)
    wide = dataclasses.replace(wide, upper_dome="ellipsoid", upper_opening=0.068)
    bare = dataclasses.replace(part, surface=wide, lay_up=part.lay_up[:1])
    with pytest.raises(TartanError, match=r"54\.7"):
        vessel_edits.balanced_plan(part_edits.put_part(project, bare), burst)


def test_wound_layers_need_their_zero_along_the_meridian() -> None:
    project, part, shape = cylinder()
    for way in ((1.0, 0.0, 0.0), (0.0, 0.1, 1.0)):
        with pytest.raises(TartanError, match="counted from the meridian"):
            part_edits.put_part(
                project, dataclasses.replace(part, directions=(Direction(vector=way),))
            )
    axis = Direction(way="along", vector=(0.0, 0.0, -1.0))
    part_edits.put_part(project, dataclasses.replace(part, directions=(axis,)))
    # A new vessel's surface is what is wound: its layers lie on it.
    begun = part_edits.begin_part(project, shape, 0.02).part
    assert begun is not None
    assert begun.reference_surface == "bottom"
