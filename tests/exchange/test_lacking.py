"""Materials that lack what may be missing: it is said where it is needed, the rest is told."""

import dataclasses

import pytest

from tartan.core.errors import TartanError
from tartan.core.materials import Material
from tartan.exchange.exports import TABLES
from tartan.exchange.report.document import Source, chapters
from tartan.exchange.report.parts import CHAPTERS
from tartan.project.analysis.inputs import part_inputs
from tartan.project.analysis.jobs import PartAnswer, solve_now
from tartan.project.document.model import Project
from tartan.project.document.partmodel import (
    Acceleration,
    BucklingRequirement,
    DisplacementRequirement,
    MassRequirement,
    ReserveRequirement,
)
from tartan.project.document.samples import dish_panel
from tartan.project.edits import case_edits, part_edits
from tartan.project.findings.verdict import statuses, verdict
from tests.project.test_part import plate

NEEDED = ("G13", "G23", "Xt", "Xc", "Yt", "Yc", "S12")
"""Without these there is no answer of a part."""

OPTIONAL = tuple(f.name for f in dataclasses.fields(Material) if f.default is None)

PASSED_OVER = tuple(f for f in OPTIONAL if f not in NEEDED)


def lacking(project: Project, *fields: str) -> Project:
    """A project of materials without some of their figures, of which everything is asked."""
    case = project.cases[0].name
    bare = tuple(dataclasses.replace(m, **dict.fromkeys(fields)) for m in project.materials)
    asked = (
        ReserveRequirement(1.5),
        MassRequirement(1.0),
        DisplacementRequirement(1e-3, case),
        BucklingRequirement(1.0, case),
    )
    project = dataclasses.replace(project, materials=bare)
    return case_edits.put_requirements(project, asked)


def sandwich() -> Project:
    """The dish panel, coarse, without the cases that weigh it."""
    project = dish_panel()
    assert project.part is not None
    cases = [
        c for c in project.cases if not any(isinstance(load, Acceleration) for load in c.loads)
    ]
    project = dataclasses.replace(
        project, cases=tuple(cases[:1]), combinations=(), requirements=()
    )
    return part_edits.put_part(project, dataclasses.replace(project.part, mesh_size=0.15))


def told(project: Project) -> tuple[PartAnswer, str]:
    """All that there is to tell of a project: its answer, and report and tables in one text."""
    answer = solve_now(part_inputs(project))
    verdict(project, answer)
    source = Source(project, answer)
    wanted = [name for name in CHAPTERS if name != "verification"]
    words = [repr(chapter) for chapter in chapters(source, wanted)]
    words += [repr(make(project, answer)) for make in TABLES.values()]
    return answer, "\n".join(words)


@pytest.mark.parametrize("field", NEEDED)
def test_what_is_needed_is_asked_for_by_name(field: str) -> None:
    with pytest.raises(TartanError, match=rf"\b{field}\b"):
        solve_now(part_inputs(lacking(plate(mesh_size=0.2), field)))


@pytest.mark.parametrize("fields", [("S23",), PASSED_OVER], ids=["S23", "all that may"])
def test_what_is_not_needed_may_all_be_missing(fields: tuple[str, ...]) -> None:
    """Without S23 the workings of a criterion that goes without it fell over it."""
    project = lacking(plate(mesh_size=0.1), *fields)
    _, text = told(project)
    if "rho" in fields:
        assert "The mass is not known: UD carbon has no density." in text


def test_a_mass_that_is_not_known_is_not_met() -> None:
    """The page of versions, the verdict and the report fell over a density that was missing."""
    project = lacking(sandwich(), "rho", "price")
    answer, text = told(project)
    assert answer.layout().mass() is None
    [status] = [s for s in statuses(project, answer) if s.requirement.kind == "mass"]
    assert not status.met
    lost = answer.layout().weightless()
    assert project.material(lost) is not None
    assert status.figure == f"Mass not known ({lost} has no density)"
    assert f"The mass is not known: {lost} has no density." in text
    # A click on the verdict leads to the material.
    said = verdict(project, answer)
    assert (said.station, said.subject) == ("Materials", lost)
    assert "Enter its density in Materials." in said.sentence
    # What cannot do without it names the material.
    with pytest.raises(TartanError, match=f"'{lost}'.*density"):
        answer.layout().needed_mass()
    # The others are met or not as they were.
    whole = lacking(sandwich())
    heavy = {s.requirement.kind: s.value for s in statuses(whole, solve_now(part_inputs(whole)))}
    for other in statuses(project, answer):
        if other.requirement.kind != "mass":
            assert other.value == pytest.approx(heavy[other.requirement.kind], rel=1e-9)
