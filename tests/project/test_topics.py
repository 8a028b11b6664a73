"""What stands in the way says what it is about, also from the solver's process."""

import dataclasses
import pickle
from collections.abc import Callable

import pytest

from tartan.core.errors import MaterialError, TartanError, Topic, concerning
from tartan.core.stack import Ply, Stack
from tartan.project.analysis.jobs import solve_now
from tartan.project.analysis.shellinputs import part_inputs
from tartan.project.document.model import Project
from tartan.project.document.partmodel import (
    Acceleration,
    Case,
    EdgeForce,
    Pressure,
    Region,
    Rung,
    Support,
)
from tartan.project.findings.verdict import blocked
from tests.project.test_part import plate

CARBON = "UD carbon"
LAID = (Rung(ply=Ply(CARBON, 0.0, 1e-3)),)
HELD = (Support("left edge", "clamped"),)
PRESSED = (Case("press", (Pressure(1e3),)),)


def panel(**changes: object) -> Project:
    """A plate that is laid, held and pressed, with changes past the edits' gates."""
    project = plate(mesh_size=0.1, lay_up=LAID)
    return dataclasses.replace(project, **{"supports": HELD, "cases": PRESSED} | changes)  # type: ignore[arg-type]


def with_part(**changes: object) -> Project:
    project = panel()
    assert project.part is not None
    return dataclasses.replace(project, part=dataclasses.replace(project.part, **changes))  # type: ignore[arg-type]


def of_material(**changes: object) -> Project:
    """The only material without figures that are needed."""
    project = panel()
    mended = tuple(dataclasses.replace(m, **changes) for m in project.materials)  # type: ignore[arg-type]
    return dataclasses.replace(project, materials=mended)


BLOCKED: dict[str, tuple[Callable[[], Project], str, str]] = {
    "no part": (lambda: panel(part=None), "Part", ""),
    "nothing laid": (lambda: with_part(lay_up=()), "Part", ""),
    "an empty stack": (
        lambda: dataclasses.replace(
            with_part(lay_up=(Rung(stack="s"),)), stacks=(Stack("s", ()),)
        ),
        "Stacks",
        "s",
    ),
    "no case": (lambda: panel(cases=()), "Cases", ""),
    "no support": (lambda: panel(supports=()), "Cases", ""),
    "a support nowhere": (lambda: panel(supports=(Support("moon", "clamped"),)), "Cases", ""),
    "a load nowhere": (
        lambda: panel(cases=(*PRESSED, Case("pull", (EdgeForce("moon", (1.0, 0.0, 0.0)),)))),
        "Cases",
        "pull",
    ),
    "a region of no face": (
        lambda: with_part(regions=(Region("odd", faces=("moon",)),)),
        "Part",
        "",
    ),
    "no density": (
        lambda: dataclasses.replace(
            of_material(rho=None), cases=(Case("hung", (Acceleration((0.0, 0.0, -9.81)),)),)
        ),
        "Materials",
        CARBON,
    ),
    "no strength": (lambda: of_material(Yt=None), "Materials", CARBON),
}


@pytest.mark.parametrize("name", BLOCKED)
def test_what_blocks_leads_to_where_it_is_mended(name: str) -> None:
    make, station, subject = BLOCKED[name]
    project = make()
    with pytest.raises(TartanError) as caught:
        solve_now(part_inputs(project))
    error = pickle.loads(pickle.dumps(caught.value))
    told = blocked(error, project)
    assert told.state == "blocked"
    assert (told.station, told.subject) == (station, subject), str(error)


def test_the_innermost_says_what_an_error_is_about() -> None:
    with (
        pytest.raises(TartanError) as outer,
        concerning(Topic.LOADS, "outer"),
        concerning(Topic.PART, "inner"),
    ):
        raise TartanError("Broken.")
    assert (outer.value.topic, outer.value.subject) == (Topic.PART, "inner")
    with pytest.raises(MaterialError) as named, concerning(Topic.LOADS, "case"):
        raise MaterialError("Missing.").of("glass")
    assert (named.value.topic, named.value.subject) == (Topic.MATERIALS, "glass")
