"""What the route and the verdict say of projects at every stage from nothing on."""

from __future__ import annotations

import dataclasses

from tartan.core.shell.shapes import Tube
from tartan.core.stack import Ply
from tartan.pages.stations import Freshness, StationLine, lines
from tartan.project.analysis.inputs import part_inputs
from tartan.project.analysis.jobs import solve_now
from tartan.project.document.model import Project
from tartan.project.document.partmodel import (
    Case,
    Part,
    Pressure,
    ReserveRequirement,
    Rung,
    Support,
)
from tartan.project.edits import case_edits, part_edits, stack_edits
from tartan.project.findings.verdict import blocked, verdict
from tests.conftest import CARBON
from tests.project.test_part import plate


def laminates() -> Project:
    """A material and a stack of one ply: laminate work, and nothing of a part."""
    project = stack_edits.add_materials(Project("p"), [CARBON])
    return stack_edits.add_stack(project, "skin", [Ply("carbon", 0.0, 0.125e-3)])[0]


def refused(project: Project) -> Freshness:
    try:
        part_inputs(project)
    except Exception as error:  # noqa: BLE001 - whatever stands in the way
        return Freshness(False, error, 0, 0)  # type: ignore[arg-type]
    return Freshness(True, None, 1, 1)


def said(project: Project) -> dict[str, StationLine]:
    return lines(project, refused(project))


def test_laminates_alone_are_calm() -> None:
    """Nothing of a part is begun, so nothing of it is asked for in red."""
    project = laminates()
    found = said(project)
    assert {found[s].mark for s in ("Part", "Cases", "Margins")} == {"stale"}
    assert found["Materials"].words == "1 material, 1 in use"
    assert found["Stacks"].words == "1 stack, 1 ply"
    error = refused(project).error
    assert error is not None
    told = blocked(error, project)
    assert (told.state, told.figure, told.station) == ("idle", "No part", "Stacks")
    assert "1 stack" in told.sentence
    nothing = blocked(error, Project("new"))
    assert (nothing.state, nothing.station) == ("idle", "Materials")


def test_what_is_laid_counts_before_any_case() -> None:
    project = part_edits.put_part(laminates(), Part(Tube(0.1, 0.4), 0.03, (Rung(stack="skin"),)))
    found = said(project)
    assert found["Part"].words.startswith("tube, 1 zone,")
    assert found["Part"].mark == "complete"
    off = part_edits.put_lay_up(project, [Rung(stack="skin", active=False)])
    assert "nothing laid" in said(off)["Part"].words
    # A part is begun: what is lacking for an answer is asked for.
    assert found["Cases"].mark == "needs"
    error = refused(project).error
    assert error is not None
    assert blocked(error, project).state == "blocked"


def test_margins_count_the_requirements_that_were_asked() -> None:
    project = plate()
    met, missed = Freshness(True, None, 1, 1), Freshness(True, None, 0, 1)
    assert not project.requirements
    assert lines(project, met)["Margins"].words == "holds"
    assert lines(project, missed)["Margins"].words == "does not hold"
    assert "0 requirements" in lines(project, met)["Cases"].words
    asked = case_edits.put_requirements(project, [ReserveRequirement(1.5)])
    assert lines(asked, met)["Margins"].words == "all met"
    assert lines(asked, missed)["Margins"].words == "0 of 1 met"
    assert "1 requirement" in lines(asked, met)["Cases"].words


def test_a_part_that_nothing_loads_is_not_green() -> None:
    project = case_edits.put_cases(plate(), [Case("calm")])
    told = verdict(project, solve_now(part_inputs(project)))
    assert told.state == "blocked"
    assert "No case loads the part" in told.sentence
    assert told.station == "Cases"
    calm = Freshness(True, None, 1, 1, unloaded=True)
    line = lines(project, calm)["Margins"]
    assert (line.words, line.mark) == ("nothing is loaded", "needs")
    loaded = case_edits.put_cases(plate(), [Case("press", (Pressure(10.0),))])
    assert verdict(loaded, solve_now(part_inputs(loaded))).state == "holds"


def test_the_thing_to_mend_is_marked_where_it_is() -> None:
    loose = case_edits.put_supports(plate(), [])
    held = case_edits.put_supports(loose, [Support("left edge", "clamped")])
    assert said(held)["Cases"].mark == "complete"
    assert lines(loose, refused(held))["Cases"].mark == "needs"
    bare = dataclasses.replace(held, cases=())
    assert said(bare)["Cases"].mark == "needs"
