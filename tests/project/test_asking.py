"""What is asked of an answer: spots, groups, areas left out, cases, outside forces, zones."""

import dataclasses
from functools import lru_cache

import numpy as np
import pytest

from tartan.core.errors import DocumentError, PartError, StackError, TartanError
from tartan.core.laminate.loadcase import answer as respond_to
from tartan.core.laminate.response import Load
from tartan.core.search.changes import single_changes
from tartan.core.shell.margins import Within
from tartan.core.stack import Ply
from tartan.core.strength.govern import checks_of, govern, reserves
from tartan.exchange.maps.fields import FIELDS, View, section_forces, values
from tartan.exchange.maps.mapped import difference_map, make_map
from tartan.project.analysis.jobs import PartAnswer, solve_now
from tartan.project.analysis.section_forces import match
from tartan.project.analysis.shellinputs import laminate_for, layout_of, part_inputs
from tartan.project.document.model import Project
from tartan.project.document.packed_arrays import pack_rows
from tartan.project.document.partmodel import (
    Case,
    LeftOut,
    OutsideForces,
    Pressure,
    Region,
    ReserveRequirement,
    Rung,
    Temperature,
)
from tartan.project.document.samples import dish_panel
from tartan.project.edits import case_edits, part_edits, versions
from tartan.project.edits.zone_edits import change_zone
from tartan.project.findings.chosen_margins import (
    GROUPS,
    Ask,
    case_worst,
    excluded,
    failing_share,
    hot_list,
    margins_for,
    modes_of,
    worst_of,
)
from tartan.project.findings.limits import limits
from tartan.project.findings.spot_laminate import about_middle, spot_loads
from tartan.project.findings.verdict import statuses, verdict
from tests.project.test_part import plate


@lru_cache(maxsize=1)
def solved() -> tuple[Project, PartAnswer]:
    """The sample dish, coarser: pads, temperature, a combination."""
    project = dish_panel()
    assert project.part is not None
    project = part_edits.put_part(project, dataclasses.replace(project.part, mesh_size=0.08))
    return project, solve_now(part_inputs(project))


def test_a_spot_as_a_laminate_under_its_forces_says_what_the_part_says() -> None:
    _, found = solved()
    rng = np.random.default_rng(2)
    elements = [*found.spots[:4], *rng.integers(0, len(found.margins.reserve), 12)]
    for case, name in enumerate(found.inputs.case_names):
        margins = margins_for(found, Ask((name,)))
        for e in map(int, elements):
            laminate = found.layout().laminate(e)
            loads = spot_loads(found, e, case, int(margins.point[e]))
            a = respond_to(laminate, loads)
            checks = checks_of(laminate, found.inputs.criteria.sets)
            least = reserves(
                checks, a.applied.stress_12[None], a.shear[None], a.residual, a.held_shear
            ).governing()
            assert least.reserve == pytest.approx(margins.reserve[e], rel=1e-9), (name, e)
            assert about_middle(laminate, loads) == loads


def test_forces_about_another_surface_are_the_same_forces() -> None:
    project = plate(offset=0.7e-3)
    warm = case_edits.put_cases(
        project, [Case("warm", (Pressure(80.0), Temperature(-30.0, 900.0)))]
    )
    found = solve_now(part_inputs(warm))
    laminate = found.layout().laminate(40)
    loads = spot_loads(found, 40, 0)
    middle = dataclasses.replace(laminate, offset=0.0)
    one, other = respond_to(laminate, loads), respond_to(middle, about_middle(laminate, loads))
    assert loads != about_middle(laminate, loads)
    np.testing.assert_allclose(one.total.stress_12, other.total.stress_12, rtol=1e-7, atol=10.0)
    assert one.residual is not None
    np.testing.assert_allclose(one.residual, other.residual, rtol=1e-7, atol=10.0)  # type: ignore[arg-type]


@pytest.mark.parametrize("group", GROUPS)
def test_each_group_is_named_by_its_worst(group: str) -> None:
    _, found = solved()
    rules = (LeftOut("supports", 1),)
    m, out = found.margins, excluded(found, rules).mask
    elements = hot_list(found, Ask(), rules, group)
    reserve = [m.reserve[e] for e in elements]
    assert reserve == sorted(reserve)
    assert reserve[0] == m.reserve[~out].min()
    assert not out[elements].any()
    if group in ("case", "ply", "zone"):
        label = {"case": m.case, "ply": m.ply, "zone": found.layout().zones.zone}[group]
        counted = np.isfinite(m.reserve) & ~out
        assert {int(label[e]) for e in elements} == set(np.unique(label[counted]).tolist())
        for e in elements:
            assert m.reserve[e] == m.reserve[counted & (label == label[e])].min()


def test_an_answer_over_some_cases_and_plies_is_the_least_of_each() -> None:
    _, found = solved()
    names = found.inputs.case_names
    each = [margins_for(found, Ask((n,))).reserve for n in names]
    np.testing.assert_allclose(np.minimum.reduce(each), found.margins.reserve, rtol=1e-9)
    both = margins_for(found, Ask(names[1:3]))
    np.testing.assert_allclose(both.reserve, np.minimum(each[1], each[2]), rtol=1e-9)
    assert set(np.unique(both.case)) <= {1, 2}
    count = len(found.layout().laid)
    by_ply = [margins_for(found, Ask(plies=(i,))).reserve for i in range(count)]
    np.testing.assert_allclose(np.minimum.reduce(by_ply), found.margins.reserve, rtol=1e-9)
    for name, e, m in case_worst(found):
        assert m.reserve[e] == each[names.index(name)].min()
    # A doubler lies on the mounts only: elsewhere nobody is judged.
    doubler = margins_for(found, Ask(plies=(3,)))
    assert set(np.flatnonzero(doubler.judged)) == set(found.layout().laid[3].elements)
    mode, words = modes_of(found.margins)
    assert words[mode[found.spots[0]]] == found.margins.mode_label(found.spots[0])
    assert margins_for(found, Ask()) is found.margins
    assert Ask().within == Within()


def test_areas_left_out_are_named_and_do_not_govern() -> None:
    project, found = solved()
    plain = verdict(project, found)
    assert "Left out" not in plain.sentence
    rule = LeftOut("supports", 1)
    less = case_edits.put_left_out(project, [rule, rule])
    assert less.left_out == (rule,)
    out = excluded(found, less.left_out)
    areas = found.layout().mesh.areas()
    assert out.share == pytest.approx(areas[out.mask].sum() / areas.sum())
    assert 0.01 < out.share < 0.3
    said = verdict(less, found)
    assert "Left out: within 1 element of a support" in said.sentence
    element = worst_of(found, Ask(), less.left_out)
    assert element is not None
    assert not out.mask[element]
    assert found.margins.reserve[element] == found.margins.reserve[~out.mask].min()
    # More rings leave out more; a region leaves out itself and no more; forces have their own.
    wide = excluded(found, (LeftOut("supports", 3),))
    assert (wide.mask | ~out.mask).all()
    region = excluded(found, (LeftOut("region", 0, "mounts"),))
    assert set(np.flatnonzero(region.mask)) == set(found.layout().whole.regions["mounts"])
    assert excluded(found, (LeftOut("loads", 1),)).mask.any()
    need = float(np.median(found.margins.reserve))
    share = failing_share(found, Ask(), less.left_out, need)
    low = (found.margins.reserve < need) & ~out.mask
    assert share == pytest.approx(areas[low].sum() / areas[~out.mask].sum())
    # A region that is left out is not removed, is renamed along, and goes with its elements.
    named = case_edits.put_left_out(project, [LeftOut("region", 0, "rim of the cut-out")])
    with pytest.raises(DocumentError, match="areas left out"):
        part_edits.remove_region(named, "rim of the cut-out")
    assert named.part is not None
    rim = named.part.region("rim of the cut-out")
    assert rim is not None
    moved = part_edits.put_region(named, dataclasses.replace(rim, name="rim"), rim.name)
    assert moved.left_out == (LeftOut("region", 0, "rim"),)
    with pytest.raises(PartError, match="cannot be left out"):
        case_edits.put_left_out(project, [LeftOut("supports", 99)])
    with pytest.raises(PartError, match="no region"):
        case_edits.put_left_out(project, [LeftOut("region", 0, "nowhere")])


def test_a_region_that_nothing_feels_asks_for_no_new_solution() -> None:
    project, found = solved()
    more = part_edits.put_region(project, Region("left out by hand", elements=(1, 2, 3)))
    assert part_inputs(more).elastic() == found.inputs.elastic()
    felt = part_edits.put_lay_up(more, (*more.part.lay_up, Rung("left out by hand", "dish face")))  # type: ignore[union-attr]
    assert part_inputs(felt).elastic() != found.inputs.elastic()


def test_a_reserve_factor_is_asked_of_one_case() -> None:
    project, found = solved()
    asked = [ReserveRequirement(1.25, case="survival wind"), ReserveRequirement(9.0, case="ice")]
    strict = case_edits.put_requirements(project, asked)
    by_case = {s.case: s for s in statuses(strict, found)}
    for name in ("survival wind", "ice"):
        assert by_case[name].value == margins_for(found, Ask((name,))).reserve.min()
        assert by_case[name].address is not None
        assert by_case[name].where.startswith(name)
    renamed = case_edits.rename_case(strict, "ice", "rime")
    assert [r.case for r in renamed.requirements] == ["survival wind", "rime"]  # type: ignore[union-attr]
    gone = case_edits.put_cases(
        dataclasses.replace(renamed, combinations=()),
        [c for c in renamed.cases if c.name != "rime"],
    )
    assert [r.case for r in gone.requirements] == ["survival wind"]  # type: ignore[union-attr]
    with pytest.raises(DocumentError, match="no case 'storm'"):
        case_edits.put_requirements(project, [ReserveRequirement(2.0, case="storm")])


def outside(rows: np.ndarray, by: str = "element", name: str = "other") -> OutsideForces:
    return OutsideForces(name, "other.csv", by, pack_rows(rows))  # type: ignore[arg-type]


def test_forces_of_another_analysis_are_assessed_as_a_laminate_under_them() -> None:
    project = dataclasses.replace(plate(), cases=(), supports=())
    mesh = layout_of(
        part_inputs(case_edits.put_outside(project, [outside(np.zeros((1, 9)))]))
    ).mesh
    force = np.array([60e3, -8e3, 5e3, 3.0, -2.0, 1.0, 0.0, 0.0])
    rows = np.column_stack([np.arange(mesh.count), np.tile(force, (mesh.count, 1))])
    found = solve_now(part_inputs(case_edits.put_outside(project, [outside(rows)])))
    for e in (0, int(found.layout().whole.regions["pad"][0])):
        laminate = found.layout().laminate(e)
        least = govern(laminate, Load(force[:3], force[3:6]), sets=found.inputs.criteria.sets)
        assert found.margins.reserve[e] == pytest.approx(least.reserve, rel=1e-9)
    np.testing.assert_allclose(section_forces(found, 0), rows[:, 1:], rtol=1e-7, atol=1e-3)
    # By position the same, and the rows may come in any order.
    order = np.random.default_rng(0).permutation(mesh.count)
    placed = np.column_stack([mesh.centres(), rows[:, 1:]])[order]
    again = solve_now(part_inputs(case_edits.put_outside(project, [outside(placed, "position")])))
    np.testing.assert_allclose(again.margins.reserve, found.margins.reserve, rtol=1e-9)
    assert np.isnan(values(found, View("u", case="other"))).all()


def test_forces_that_do_not_lie_on_the_part_are_refused_with_their_row() -> None:
    project = plate()
    mesh = layout_of(part_inputs(project)).mesh
    far = np.column_stack([mesh.centres()[:3] * 1e3, np.ones((3, 8))])
    with pytest.raises(PartError, match=r"Row \d lies"):
        match(mesh, outside(far, "position"))
    with pytest.raises(PartError, match=f"no element {mesh.count + 1}"):
        match(mesh, outside(np.full((1, 9), float(mesh.count))))
    # Two rows on one element are averaged; the others are zero, and told.
    both = match(mesh, outside(np.array([[4, *[1.0] * 8], [4, *[3.0] * 8]])))
    assert both.found.sum() == 1
    assert both.forces[4] == pytest.approx([2.0] * 8)
    named = case_edits.put_outside(project, [outside(np.zeros((1, 9)), name="other")])
    with pytest.raises(DocumentError, match="already a case"):
        case_edits.put_outside(project, [outside(np.zeros((1, 9)), name="press")])
    with pytest.raises(DocumentError, match="damaged"):
        case_edits.put_outside(project, [OutsideForces("x", "f", "element", "nonsense")])
    assert case_edits.put_outside(named, []).case_names == ("press",)


def _bare(plies: tuple[Ply, ...]) -> list[tuple[str, float, float]]:
    return [(p.material, p.angle, p.thickness) for p in plies]


def test_one_change_at_a_spot_reaches_the_rungs_it_was_laid_with() -> None:
    project, found = solved()
    mount = int(found.layout().whole.regions["mounts"][0])
    for element in (found.spots[0], mount):
        layout = found.layout()
        laid = [layout.laid[n] for n in layout.plies(element)]
        plies = tuple(x.ply for x in laid)
        materials = [m for m in project.materials if m.name in {p.material for p in plies}]
        zone = int(layout.zones.zone[element])
        made = refused = 0
        for change in single_changes(plies, materials)[::5]:
            try:
                changed = change_zone(project, laid, change.plies)
            except StackError:
                refused += 1
                continue
            new = layout_of(part_inputs(changed)).zones.laminates
            assert _bare(change.plies) in [_bare(x.stack.plies) for x in new]
            made += 1
        assert made > 3, (zone, made, refused)


def test_a_stack_that_lies_twice_is_not_changed_in_one_place_only() -> None:
    # Laid turned on a doubler of itself: a change of one layer would change both.
    project, _ = solved()
    assert project.part is not None
    name = "light face"
    twice = part_edits.put_lay_up(project, [Rung(stack=name, turn=30.0), Rung("mounts", name)])
    layout = layout_of(part_inputs(twice))
    mount = int(layout.whole.regions["mounts"][0])
    for element, count in ((mount, 2), (0, 1)):
        laid = [layout.laid[n] for n in layout.plies(element)]
        assert len({x.rung for x in laid}) == count
        plies = [x.ply for x in laid]
        plies[1] = dataclasses.replace(plies[1], angle=77.0)
        if count == 2:
            with pytest.raises(StackError, match="more than once"):
                change_zone(twice, laid, plies)
            continue
        changed = change_zone(twice, laid, plies)
        assert changed.stack(name).plies[1].angle == pytest.approx(47.0)  # type: ignore[union-attr]


def test_every_field_has_values_of_its_own_part_only() -> None:
    project, found = solved()
    case = found.inputs.case_names[1]
    for field in FIELDS:
        shown = make_map(project, found, View(field.key, case=case, ply=3, level=0))
        assert shown.rgb.shape == (len(found.margins.reserve), 3)
        if field.sort == "category":
            assert sum(n[2] for n in shown.names) == pytest.approx(1)
        elif field.sort == "ply":
            there = ~np.isnan(values(found, View(field.key, case=case, ply=3)))
            assert set(np.flatnonzero(there)) == set(found.layout().laid[3].elements)
    # A ply's stress at an element is what the laminate under its mean strains has.
    e = int(found.layout().laid[3].elements[0])
    laminate, place = found.layout().laminate(e), found.layout().plies(e).index(3)
    from tartan.core.laminate.response import stress_from_section

    mean = found.solution.strains[1, e].mean(axis=0)
    stress = stress_from_section(laminate, mean)[place, 0]
    for key, want in zip(("s1", "s2", "t12"), stress, strict=True):
        got = values(found, View(key, case=case, ply=3, level=0))[e]
        assert got == pytest.approx(want, rel=1e-9)


def test_a_version_differs_where_it_was_changed() -> None:
    project, found = solved()
    same = difference_map(project, found, found, View("reserve"))
    assert same.note == "0.0% of the area gains, 0.0% loses"
    clone = versions.pin_baseline(project)
    assert clone.part is not None
    thick = part_edits.put_lay_up(
        clone, (*clone.part.lay_up, Rung(ply=Ply("UD carbon", 0.0, 0.3e-3)))
    )
    now = solve_now(part_inputs(thick))
    change = difference_map(thick, now, found, View("u", case="ice"))
    assert change.title == "change of displacement"
    old, new = (values(a, View("u", case="ice")) for a in (found, now))
    low = min((new - old).min() * 1e3, 0)
    assert float(change.note.split()[1].replace("−", "-")) == pytest.approx(low, rel=1e-3)
    assert " against A." in verdict(thick, now, found).sentence
    assert " against " not in verdict(thick, now).sentence


def test_an_unsound_strength_is_told_by_name() -> None:
    project, _ = solved()

    def with_(**missing: None) -> Project:
        bare = dataclasses.replace(project.materials[1], **missing)
        materials = tuple(bare if m.name == bare.name else m for m in project.materials)
        return dataclasses.replace(project, materials=materials)

    # Of the set no criterion can do without this one.
    with pytest.raises(TartanError, match="Yc"):
        solve_now(part_inputs(with_(Yc=None, eYc=None)))
    # Without that one the others judge, and what they cannot is said with the answer.
    told = [x.words for x in limits(solve_now(part_inputs(with_(S23=None))))]
    assert any("matrix compression" in words and "S23" in words for words in told)
    assert laminate_for(project.stacks[0], project.materials_of(project.stacks[0])).count == 3


def test_what_is_near_is_measured_from_the_nodes_that_are_held() -> None:
    project, found = solved()
    near = excluded(found, (LeftOut("supports", distance=0.08),))
    mesh, whole = found.layout().mesh, found.layout().whole
    held = np.unique(np.concatenate([whole.nodes_of(s, "") for s in project.supports]))
    gaps = np.linalg.norm(mesh.centres()[:, None] - mesh.nodes[held], axis=2).min(axis=1)
    assert (near.mask == (gaps <= 0.08)).all()


def test_a_distance_leaves_out_the_same_area_whatever_the_elements() -> None:
    """A number of elements shrinks with them; a length does not: the strip of an edge, b / l."""
    shares = {}
    for size in (0.1, 0.05, 0.025):
        project = plate(mesh_size=size)
        found = solve_now(part_inputs(project))
        assert project.part is not None
        length = float(np.ptp(found.layout().mesh.nodes[:, 0]))
        shares[size] = [
            excluded(found, (rule,)).share * length
            for rule in (LeftOut("supports", distance=0.2), LeftOut("supports", 2))
        ]
    by_length = [x[0] for x in shares.values()]
    by_count = [x[1] for x in shares.values()]
    assert by_length == pytest.approx([0.2] * 3, abs=0.051)
    assert by_count[0] > 3 * by_count[2]
    with pytest.raises(TartanError, match="no distance"):
        case_edits.put_left_out(plate(), [LeftOut("supports", distance=-1.0)])
