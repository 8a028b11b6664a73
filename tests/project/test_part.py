"""Regions, directions, sides, lay-ups, loads and meshes of a part; what a new surface costs it."""

import dataclasses

import numpy as np
import pytest

from tartan.core.errors import DocumentError, TartanError
from tartan.core.laminate.response import Load as LaminateLoad
from tartan.core.laminate.response import respond
from tartan.core.shell.mesh import Pad, Panel, grid_mesh
from tartan.core.shell.shapes import Tube
from tartan.core.shell.supports import SUPPORT_KINDS
from tartan.core.stack import Ply
from tartan.core.strength.govern import govern
from tartan.project.analysis.caseloads import case_forces
from tartan.project.analysis.inputs import layout_of, part_inputs
from tartan.project.analysis.jobs import Memory, SolveRequest, run_solve, solve_now
from tartan.project.analysis.laying import laid_plies
from tartan.project.analysis.partmesh import meshed
from tartan.project.document.model import Project
from tartan.project.document.packed_arrays import pack_mesh
from tartan.project.document.partmodel import (
    BucklingRequirement,
    Case,
    Combination,
    Direction,
    EdgeForce,
    Force,
    FrequencyRequirement,
    MassRequirement,
    Movement,
    Near,
    Part,
    Pressure,
    ReadSurface,
    Region,
    Rung,
    Side,
    Support,
    Temperature,
)
from tartan.project.edits import case_edits, part_edits, stack_edits
from tartan.project.findings.verdict import statuses
from tests.panels import dish_panel

UD = "UD carbon"
PLATE = Panel(0.8, 0.4, pads=(Pad("pad", 0.2, 0.0, 0.1),))


def plate(**changes: object) -> Project:
    """Flat plate with a pad, one UD ply on all and one on the pad, clamped at the left."""
    rungs = (Rung(ply=Ply(UD, 0.0, 1e-3)), Rung("pad", ply=Ply(UD, 90.0, 0.5e-3)))
    part = Part(PLATE, 0.05, rungs)
    project = dataclasses.replace(
        dish_panel(),
        part=part,
        supports=(Support("left edge", "clamped"),),
        cases=(Case("press", (Pressure(100.0),)),),
        requirements=(),
    )
    return part_edits.put_part(project, dataclasses.replace(part, **changes))  # type: ignore[arg-type]


def test_zones_follow_from_rungs_and_their_order() -> None:
    project = plate()
    layout = layout_of(part_inputs(project))
    pad = layout.whole.regions["pad"]
    assert [x.count for x in layout.zones.laminates] == [1, 2]
    assert set(np.flatnonzero(layout.zones.zone == 1)) == set(pad)
    assert layout.plies(int(pad[0])) == (0, 1)
    mass = layout.mesh.areas().sum() * 1e-3 + layout.mesh.areas()[pad].sum() * 0.5e-3
    rho = project.material(UD).rho  # type: ignore[union-attr]
    assert layout.mass() == pytest.approx(mass * rho)
    off = part_edits.put_lay_up(
        project,
        (
            project.part.lay_up[0],  # type: ignore[union-attr]
            dataclasses.replace(project.part.lay_up[1], active=False),
        ),
    )  # type: ignore[union-attr]
    assert len(layout_of(part_inputs(off)).zones.laminates) == 1
    turned = part_edits.put_lay_up(project, (Rung(stack="feed strut", turn=30.0),))
    first = laid_plies(turned.part, {s.name: s for s in turned.stacks})[0].ply  # type: ignore[arg-type]
    assert first.angle == project.stack("feed strut").plies[0].angle + 30  # type: ignore[union-attr]


def test_mirrored_rungs_make_a_symmetric_laminate() -> None:
    project = plate(lay_up=(Rung(stack="light sandwich", turn=20.0), Rung(ply=Ply(UD, 30, 1e-4))))
    assert project.part is not None
    both = (*project.part.lay_up, *part_edits.mirrored(project, project.part.lay_up))
    laminate = layout_of(part_inputs(part_edits.put_lay_up(project, both))).laminate(0)
    assert np.abs(laminate.B).max() < 1e-9 * np.abs(laminate.A).max() * laminate.thickness


def test_regions_of_faces_rules_and_rings() -> None:
    mesh = grid_mesh(Panel(1.0, 1.0), 10, 10)
    project = plate(surface=Panel(1.0, 1.0), mesh_size=0.1, lay_up=(Rung(stack="feed strut"),))
    near = Region("strip", near=(Near(0.1, "left edge"),))
    project = part_edits.put_region(project, near)
    strip = meshed(project.part).regions["strip"]  # type: ignore[arg-type]
    np.testing.assert_array_equal(strip, np.flatnonzero(mesh.centres()[:, 0] < -0.4))
    wider = part_edits.put_region(project, dataclasses.replace(near, grow=2), "strip")
    assert len(meshed(wider.part).regions["strip"]) == 3 * 10  # type: ignore[arg-type]
    dot = part_edits.put_region(project, Region("dot", near=(Near(0.12, at=(0.05, 0.05, 0)),)))
    assert len(meshed(dot.part).regions["dot"]) == 5  # type: ignore[arg-type]
    laid = part_edits.put_lay_up(dot, (*dot.part.lay_up, Rung("dot", ply=Ply(UD, 0, 1e-3))))  # type: ignore[union-attr]
    renamed = part_edits.put_region(
        laid, dataclasses.replace(laid.part.region("dot"), name="eye"), "dot"
    )  # type: ignore[type-var, union-attr]
    assert renamed.part.lay_up[-1].region == "eye"  # type: ignore[union-attr]
    with pytest.raises(DocumentError, match="rung 2"):
        part_edits.remove_region(renamed, "eye")
    gone = part_edits.put_region(dot, dataclasses.replace(near, grow=0), "strip")
    assert part_edits.remove_region(gone, "dot").part.region("dot") is None  # type: ignore[union-attr]


def test_picked_elements_follow_a_new_mesh() -> None:
    project = plate(surface=Panel(1.0, 1.0), mesh_size=0.1, lay_up=(Rung(stack="feed strut"),))
    left = np.flatnonzero(meshed(project.part).mesh.centres()[:, 0] < 0)  # type: ignore[arg-type]
    project = part_edits.put_region(project, Region("half", elements=tuple(left.tolist())))
    finer = dataclasses.replace(project.part, mesh_size=0.04)  # type: ignore[type-var]
    changed, lost = part_edits.put_surface(project, finer)  # type: ignore[arg-type]
    whole = meshed(changed.part)  # type: ignore[arg-type]
    assert lost == []
    assert whole.mesh.areas()[whole.regions["half"]].sum() == pytest.approx(0.5, abs=0.03)


def test_a_new_surface_says_what_it_lost() -> None:
    project = plate(
        regions=(Region("r", faces=("pad",)),),
        flipped=("pad",),
        directions=(Direction(), Direction("pad", vector=(0, 1, 0))),
    )
    loads = (Pressure(1.0, "pad"), EdgeForce("left edge", (1.0, 0, 0)), Force("pad", (0, 0, 1.0)))
    project = case_edits.put_cases(project, [Case("a", loads)])
    tube = dataclasses.replace(project.part, surface=Tube(0.1, 0.3), mesh_size=0.03)  # type: ignore[type-var]
    changed, lost = part_edits.put_surface(project, tube)  # type: ignore[arg-type]
    assert changed.part is not None
    assert (changed.part.regions, changed.part.flipped, changed.supports) == ((), (), ())
    assert len(changed.part.lay_up) == 1
    assert changed.cases[0].loads == ()
    words = "; ".join(lost)
    for what in (
        "region 'r'",
        "rung 2",
        "direction of pad",
        "left edge",
        "pressure of case 'a'",
        "edge force",
        "force of case 'a'",
    ):
        assert what in words


def test_directions_by_region_and_the_mend_of_undefined_ones() -> None:
    tube = plate(
        surface=Tube(0.2, 0.4),
        mesh_size=0.04,
        lay_up=(Rung(stack="feed strut"),),
        directions=(Direction(vector=(1.0, 0, 0)),),
    )
    lost = meshed(tube.part).undefined  # type: ignore[arg-type]
    assert len(lost) > 0
    mended = part_edits.mend_directions(tube)
    whole = meshed(mended.part)  # type: ignore[arg-type]
    assert len(whole.undefined) == 0
    # Both y and z lie flat there; y carries the hoop on that the projected x makes beside them.
    np.testing.assert_allclose(np.abs(whole.direction[lost][:, 1]), 1, atol=1e-9)
    kept = np.setdiff1d(np.arange(whole.mesh.count), lost)
    assert (whole.direction[kept][:, 0] > 0.9).all()
    with pytest.raises(TartanError, match="Every element"):
        part_edits.mend_directions(
            part_edits.put_direction(tube, Direction(way="along", vector=(0, 0, 1.0)))
        )
    around = part_edits.put_direction(tube, Direction(way="around", vector=(0, 0, 1.0)))
    found = meshed(around.part)  # type: ignore[arg-type]
    radial = found.mesh.centres() * [1, 1, 0]
    assert np.abs((found.direction * radial).sum(axis=1)).max() < 1e-12
    own = part_edits.put_direction(plate(), Direction("pad", way="edge", edge="left edge"))
    both = meshed(own.part)  # type: ignore[arg-type]
    np.testing.assert_allclose(
        np.abs(both.direction[both.regions["pad"]]),
        [[0, 1, 0]] * len(both.regions["pad"]),
        atol=1e-9,
    )
    np.testing.assert_allclose(both.direction[both.regions["field"][:3]], [[1, 0, 0]] * 3)


@pytest.mark.parametrize(("side", "change"), [("front", 0), ("back", 0), ("laying", 2)])
def test_a_turned_side_turns_its_plies_and_no_pressure(side: Side, change: int) -> None:
    project = plate()
    pressed = Case("press", (Pressure(100.0, side=side),))
    project = case_edits.put_cases(project, [pressed])
    flipped = part_edits.flip_side(project, "pad")
    whole = meshed(flipped.part)  # type: ignore[arg-type]
    up = whole.mesh.normals()[:, 2]
    assert (up[whole.regions["pad"]] < 0).all()
    assert (up[whole.regions["field"]] > 0).all()
    before, after = (
        case_forces(layout_of(part_inputs(p)), p.cases[0])[:, 2].sum() for p in (project, flipped)
    )
    pad = whole.mesh.areas()[whole.regions["pad"]].sum()
    assert abs(before) == pytest.approx(100 * whole.mesh.areas().sum())
    assert after - before == pytest.approx(change * 100 * pad)
    assert part_edits.flip_side(flipped, "pad").part == project.part


def test_offset_raises_the_laminate() -> None:
    low = layout_of(part_inputs(plate(reference_surface="bottom", offset=2e-3))).laminate(0)
    assert low.z[0] == pytest.approx(2e-3)


def test_temperature_and_combinations_agree_with_the_laminate() -> None:
    # A free plate, cooled and pulled: the same plies in the laminate core.
    project = plate(surface=Panel(0.4, 0.2), mesh_size=0.05, lay_up=(Rung(stack="feed strut"),))
    supports = [
        Support("lower left corner", "pinned"),
        Support("lower right corner", "held along y"),
        Support("lower right corner", "held along z"),
        Support("upper left corner", "held along z"),
    ]
    pull = 2e4
    project = case_edits.put_supports(project, supports)
    project = case_edits.put_cases(
        project,
        [
            Case(
                "pull",
                tuple(
                    EdgeForce(f"{side} edge", (sign * pull, 0, 0))
                    for side, sign in (("right", 1), ("left", -1))
                ),
            ),
            Case("cold", (Temperature(-60.0),)),
        ],
    )
    project = case_edits.put_combinations(
        project, [Combination("both", (("pull", 1.5), ("cold", 0.5)))]
    )
    answer = solve_now(part_inputs(project))
    laminate = answer.layout().laminate(0)
    N = np.array([1.5 * pull, 0.0, 0.0])
    exact = respond(laminate, LaminateLoad(N=N, dT=-30.0))
    strain = answer.solution.strains[2].mean(axis=1)
    np.testing.assert_allclose(
        strain[:, :3], np.tile(exact.eps0, (len(strain), 1)), rtol=1e-6, atol=1e-12
    )
    # The temperature stays while the pull grows; alone it is what is scaled.
    for case, load in (("both", LaminateLoad(N=N, dT=-30.0)), ("pull", LaminateLoad(N=N / 1.5))):
        only = (
            case_edits.put_cases(project, project.cases)
            if case == "both"
            else case_edits.put_combinations(case_edits.put_cases(project, project.cases[:1]), [])
        )
        found = solve_now(part_inputs(only)).margins
        expected = govern(laminate, load).reserve
        if case == "pull":
            assert found.reserve.min() == pytest.approx(expected, rel=1e-6)
        else:
            assert found.reserve.min() <= expected * (1 + 1e-6)
    heat = answer.heat(2)
    assert heat is not None
    assert (heat.dT, heat.dT_gradient) == (-30.0, 0.0)
    assert answer.heat(0) is None


def test_loads_on_places_have_their_resultants() -> None:
    project = plate()
    loads = {
        "region": (Force("pad", (0, 0, -50.0)), (0, 0, -50.0)),
        "edge": (Force("right edge", (30.0, 0, 0)), (30.0, 0, 0)),
        "point": (Force("point", (0, 7.0, 0), at=(0.1, 0.1, 0.0), reach=0.1), (0, 7.0, 0)),
        "per length": (EdgeForce("right edge", (10.0, 0, 0)), (4.0, 0, 0)),
    }
    layout = layout_of(part_inputs(project))
    for load, wanted in loads.values():
        force = case_forces(layout, Case("c", (load,)))
        np.testing.assert_allclose(force[:, :3].sum(axis=0), wanted, atol=1e-9)
    spread = case_forces(layout, Case("c", (loads["point"][0],)))
    assert (np.abs(spread[:, 1]) > 0).sum() > 3
    turn = case_forces(layout, Case("c", (Force("pad", moment=(0, 5.0, 0)),)))
    moment = np.cross(layout.mesh.nodes, turn[:, :3]) + turn[:, 3:]
    np.testing.assert_allclose(moment.sum(axis=0), [0, 5.0, 0], atol=1e-9)
    np.testing.assert_allclose(turn[:, :3].sum(axis=0), 0, atol=1e-9)


def test_supports_in_local_axes_and_moved() -> None:
    project = plate(
        surface=Panel(0.4, 0.2),
        mesh_size=0.1,
        lay_up=(Rung(stack="feed strut"),),
        directions=(Direction(vector=(0.0, 1.0, 0.0)),),
    )
    project = case_edits.put_supports(
        project,
        [
            Support("left edge", "clamped"),
            Support("right edge", "held along y", local=True),
        ],
    )
    move = Movement("right edge", (0, -1e-4, 0), local=True)
    project = case_edits.put_cases(project, [Case("stretch", (move,))])
    answer = solve_now(part_inputs(project))
    mesh = answer.layout().mesh
    # Across the 0° of y and the normal z lies −x: a move of −1e-4 along it is +1e-4 along x.
    np.testing.assert_allclose(answer.solution.displacement[0, mesh.edges["right edge"], 0], 1e-4)
    assert "held along y" in SUPPORT_KINDS
    for wrong, words in (
        (Movement("right edge", (1e-4, 0, 0)), "no support holds"),
        (Movement("right edge", (0, 1e-4, 0)), "other axes"),
    ):
        strange = case_edits.put_cases(project, [Case("stretch", (wrong,))])
        with pytest.raises(TartanError, match=words):
            solve_now(part_inputs(strange))


def test_buckling_modes_and_mass_are_asked_by_requirements() -> None:
    project = plate(surface=Panel(0.6, 0.3), mesh_size=0.05, lay_up=(Rung(stack="feed strut"),))
    push = Case("push", (EdgeForce("right edge", (-1000.0, 0, 0)),))
    project = case_edits.put_cases(project, [push])
    asked = [BucklingRequirement(1.5, "push"), FrequencyRequirement(5.0), MassRequirement(5.0)]
    project = case_edits.put_requirements(project, asked)
    memory = Memory()

    def run(p: Project):  # type: ignore[no-untyped-def]
        steps = run_solve(SolveRequest(1, part_inputs(p)), memory)
        while True:
            try:
                next(steps)
            except StopIteration as end:
                return end.value

    answer = run(project)
    (modes,) = answer.modes
    assert modes.complete
    assert answer.buckling[0].complete
    found = {s.requirement.kind: s.value for s in statuses(project, answer)}
    assert found["mass"] == pytest.approx(answer.layout().mass())
    assert found["frequency"] == modes.values[0]
    # Twice the push buckles at half the factor; frequencies stay and are not worked out again.
    double = case_edits.put_cases(
        project, [Case("push", (EdgeForce("right edge", (-2000.0, 0, 0)),))]
    )
    again = run(double)
    assert again.buckling[0].values[0] == pytest.approx(answer.buckling[0].values[0] / 2, rel=1e-6)
    np.testing.assert_allclose(again.modes[0].values, modes.values, rtol=1e-9)
    shapes = memory.kept[part_inputs(double).elastic()].shapes
    kept = shapes["modes[]"]
    ud = project.material(UD)
    assert ud is not None
    run(stack_edits.put_material(double, UD, dataclasses.replace(ud, Xt=ud.Xt / 2)))  # type: ignore[operator]
    assert shapes["modes[]"] is kept


def test_components_apart_are_tied_by_a_gap() -> None:
    one = grid_mesh(Panel(0.4, 0.2), 8, 4)
    shift = np.array([0.401, 0.0, 0.0])
    nodes = np.concatenate([one.nodes, one.nodes[:, :] * [0.5, 1, 1] + shift - [0.1, 0, 0]])
    two = dataclasses.replace(
        one,
        nodes=nodes,
        quads=np.concatenate([one.quads, one.quads + 45]),
        places=np.zeros((0, 2)),
        edges={"left edge": one.edges["left edge"]},
        regions={"both": np.arange(64)},
    )
    project = plate(
        surface=ReadSurface("two.vtu", pack_mesh(two)), lay_up=(Rung(stack="feed strut"),)
    )
    with pytest.raises(TartanError, match="free to"):
        solve_now(part_inputs(project))
    tied = part_edits.change_part(project, tie_gap=2e-3)
    answer = solve_now(part_inputs(tied))
    # The pressed tip of the second plate hangs farther down than its root: it is carried.
    w = answer.solution.displacement[0, :, 2]
    assert w[45:].min() < w[:45].min() < 0
    assert answer.solution.imbalance < 1e-6
