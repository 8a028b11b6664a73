"""A vessel solved as one part of its ring, against the whole ring and against equilibrium."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import lru_cache

import numpy as np
import pytest

from tartan.core.errors import MechanismError, TartanError
from tartan.core.shell.vessel_shape import Vessel
from tartan.exchange.rungs_table import parse_rungs, rungs_text
from tartan.pages import winding as page
from tartan.project.analysis.inputs import part_inputs
from tartan.project.analysis.jobs import PartAnswer, solve_now
from tartan.project.analysis.part_ring import whole_total
from tartan.project.analysis.partmesh import place_names, places
from tartan.project.document.model import Project
from tartan.project.document.partmodel import (
    Acceleration,
    BucklingRequirement,
    Case,
    EdgeForce,
    Pressure,
    Support,
    Temperature,
)
from tartan.project.document.samples import breathing_air_cylinder
from tartan.project.edits import part_edits


def vessel(parts: int) -> Project:
    """The sample, coarse, with pressure, a pull and heat in three cases."""
    project = breathing_air_cylinder()
    part = project.part
    assert part is not None
    assert isinstance(part.surface, Vessel)
    cases = (
        Case("pressed", (Pressure(30e6, side="back"), EdgeForce("upper edge", (0, 0, 3.3e5)))),
        Case("pulled", (EdgeForce("upper edge", (0, 0, 1e5)), Acceleration((0, 0, -50.0)))),
        Case("colder", (Temperature(-60.0, held=False),)),
    )
    surface = replace(part.surface, parts=parts)
    return replace(project, part=replace(part, surface=surface, mesh_size=0.012), cases=cases)


@lru_cache(maxsize=8)
def solved(parts: int) -> PartAnswer:
    return solve_now(part_inputs(vessel(parts)))


@pytest.mark.parametrize("parts", [2, 6, 21, 42])
def test_a_part_of_the_ring_answers_as_the_whole_ring_does(parts: int) -> None:
    # 42 elements stand round the ring: the last is a strip of one.
    whole, ring = solved(1), solved(parts)
    mesh, small = whole.layout().mesh, ring.layout().mesh
    assert small.count * parts == mesh.count
    at = np.linalg.norm(small.nodes[:, None] - mesh.nodes[None], axis=2)
    u, v = whole.solution.displacement, ring.solution.displacement
    for k in range(3):
        same = u[k, at.argmin(axis=1)]
        np.testing.assert_allclose(v[k], same, atol=1e-9 * np.abs(u[k]).max())
    gap = np.linalg.norm(small.centres()[:, None] - mesh.centres()[None], axis=2).argmin(axis=1)
    np.testing.assert_allclose(ring.margins.reserve, whole.margins.reserve[gap], rtol=1e-9)
    assert ring.layout().mass() == pytest.approx(whole.layout().mass(), rel=1e-12)
    assert ring.layout().cost() == whole.layout().cost()
    # What the supports give of the whole, and that it balances the loads.
    total = whole_total(ring.inputs.part, ring.solution.reaction)
    np.testing.assert_allclose(
        total, whole.solution.reaction, atol=1e-6 * np.abs(whole.solution.reaction).max()
    )
    assert ring.solution.imbalance < 1e-9
    assert ring.solution.residual < 1e-9


def test_a_part_of_a_ring_needs_holding_along_and_about_its_axis_alone() -> None:
    along = replace(vessel(6), supports=(Support("lower edge", "held along z"),))
    with pytest.raises(MechanismError, match="free to turn about z"):
        solve_now(part_inputs(along))
    about = replace(vessel(6), supports=(Support("upper edge", "pinned"),))
    assert np.isfinite(solve_now(part_inputs(about)).margins.reserve).all()


def test_what_is_not_alike_all_round_is_refused_with_the_way_out() -> None:
    project = vessel(6)
    case = project.cases[0]
    wind = replace(case, loads=(*case.loads, Acceleration((9.81, 0.0, 0.0))))
    alone = Support("upper edge", "held along x")
    tries = (
        (replace(project, cases=(wind,)), "points across the axis"),
        (replace(project, supports=(*project.supports[:2],)), "along x and y both"),
        (replace(project, supports=(replace(alone, local=True),)), "global"),
        (replace(project, requirements=(BucklingRequirement("", 2.0),)), "waves that repeat"),
    )
    for bad, words in tries:
        with pytest.raises(TartanError, match=words) as caught:
            solve_now(part_inputs(bad))
        assert "whole ring" in caught.value.mend
    part = project.part
    assert part is not None
    assert isinstance(part.surface, Vessel)
    for parts in (0, -1, 361):
        bad_part = replace(part, surface=replace(part.surface, parts=parts))
        with pytest.raises(TartanError, match="parts is none"):
            part_edits.put_part(project, bad_part)


def test_the_cuts_are_no_places_of_the_part() -> None:
    project = vessel(6)
    part = project.part
    assert part is not None
    assert not {"right cut", "left cut"} & set(places(part))
    layout = solved(6).layout()
    mesh = layout.mesh
    first = int(np.abs(mesh.centres() - [0.08, 0.0, 0.15]).sum(axis=1).argmin())
    assert "cut" not in place_names(layout.whole, list(layout.whole.regions), [first])[0]
    turn = np.degrees(np.arctan2(mesh.nodes[:, 1], mesh.nodes[:, 0]))
    assert turn.min() == pytest.approx(0, abs=1e-9)
    assert turn.max() == pytest.approx(math.degrees(math.pi / 3))


def test_a_polar_layer_takes_its_angle_from_both_openings_and_says_its_friction() -> None:
    project = vessel(1)
    part = project.part
    assert part is not None
    rungs = list(part.lay_up)
    wound = rungs[2].wound
    assert wound is not None
    rungs[2] = replace(rungs[2], wound=replace(wound, sort="polar"))
    made = part_edits.put_part(project, replace(part, lay_up=tuple(rungs)))
    found = page.meridian_of_project(made, "upper")
    row = dict(
        zip(page.layer_table(made, found).head, page.layer_table(made, found).rows[1], strict=True)
    )
    assert isinstance(part.surface, Vessel)
    height = part.surface.length + 2 * float(
        part.surface.dome("upper").places(np.array([0.028]))[0][0]
    )
    alpha = math.degrees(math.atan(2 * 0.028 / height))
    # Its angle on what lies below it, at mid-length: as it is on the mandrel.
    assert row["α [°]"] == pytest.approx(alpha, rel=1e-6)
    assert str(row["layer"]).startswith(f"3 polar ±{alpha:.3g}")
    assert float(row["friction"]) > 0.01  # type: ignore[arg-type]
    assert parse_rungs(rungs_text(made.part.lay_up), made)[2] == rungs[2]  # type: ignore[union-attr]
    wide = replace(rungs[2], wound=replace(wound, sort="polar", opening=0.5))
    with pytest.raises(TartanError, match="not smaller"):
        part_edits.put_part(project, replace(part, lay_up=(rungs[0], wide)))
