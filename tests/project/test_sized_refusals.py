"""Sizing: what cannot be asked, what is gone by now, and files that cannot be."""

import dataclasses
import json

import pytest

from tartan.core.errors import DocumentError, MaterialError, StackError, TartanError
from tartan.exchange.sizing_tables import requirements_table
from tartan.project.analysis.size_proposals import variables_of
from tartan.project.document.model import Project
from tartan.project.document.partmodel import DisplacementRequirement, ReserveRequirement
from tartan.project.document.sizingmodel import SizeAsk, SizeVariable, SizeZone
from tartan.project.edits import part_edits, sizing_edits, stack_edits
from tartan.project.files.storage import from_text, to_text
from tartan.project.findings.sizing import sized, sizing_of
from tartan.project.wording.document_words import requirement_words
from tests.project.test_sized import asked, last, panel


def refused(project: Project, ask: SizeAsk) -> TartanError:
    with pytest.raises(TartanError) as caught:
        last(sized(project, ask))
    assert caught.value.mend
    return caught.value


def test_what_cannot_be_sized_is_refused_in_words() -> None:
    project = panel()
    ask = asked(project, skin0=(2, 4))
    assert "Nothing may change" in refused(project, SizeAsk(tuple(
        dataclasses.replace(v, active=False) for v in ask.variables
    ))).what  # fmt: skip
    assert "no part" in refused(dataclasses.replace(project, part=None), ask).what
    assert "can be made" in refused(project, asked(project, skin0=(1, 3))).what
    one, *rest = asked(project, skin0=(2, 4), skin90=(1, 3)).variables
    linked = tuple(dataclasses.replace(v, link="a") for v in (one, *rest))
    assert "linked as 'a'" in refused(project, SizeAsk(linked)).what
    ends = dataclasses.replace(asked(project, plies2=(3, 4)), most_dropped=2)
    assert "end between two zones" in refused(project, ends).what
    carbon = project.material("UD carbon")
    assert carbon is not None
    unknown = stack_edits.put_material(
        project, "UD carbon", dataclasses.replace(carbon, price=None)
    )
    with pytest.raises((MaterialError, DocumentError), match="price"):
        last(sized(unknown, dataclasses.replace(ask, least="cost")))
    # What cannot be solved as it is, is said as it would be.
    assert "supports" in str(refused(dataclasses.replace(project, supports=()), ask))


def test_a_design_of_another_lay_up_is_not_taken() -> None:
    project = panel(requirements=(ReserveRequirement(1.0),))
    ask = asked(project, plies2=(0, 1, 2))
    found = last(sized(project, ask))
    sizing = sizing_of(project, ask)
    chosen, _ = sizing.changes(found.steps[-1].values)
    assert project.part is not None
    other = part_edits.put_lay_up(project, project.part.lay_up[:2])
    with pytest.raises(DocumentError, match="no rung 3"):
        sizing_edits.take_design(other, chosen, found.steps[-1], found)
    swapped = part_edits.put_lay_up(project, project.part.lay_up[::-1])
    assert [v.kind for v in variables_of(swapped, ask) if v.rung == 2] == ["plies", "angle"]
    skin = project.stack("skin")
    assert skin is not None
    gone = stack_edits.put_plies(project, "skin", skin.plies[1:4])
    one = next(v for v in asked(project, skin45=(2, 4)).variables if v.active)
    with pytest.raises(DocumentError, match="no such plies"):
        sizing_edits.take_design(gone, [one], found.steps[-1], None)


def test_names_that_change_are_followed() -> None:
    project = panel()
    project = sizing_edits.put_sizing(project, asked(project, skin0=(2, 8)))
    renamed = stack_edits.rename_stack(project, "skin", "outer skin")
    carbon = renamed.material("UD carbon")
    assert carbon is not None
    renamed = stack_edits.put_material(
        renamed, "UD carbon", dataclasses.replace(carbon, name="tape")
    )
    mine = [v for v in variables_of(renamed, renamed.sizing) if v.active]
    assert [(v.stack, v.material, v.values) for v in mine] == [("outer skin", "tape", (2.0, 8.0))]


@pytest.mark.parametrize(
    ("kind", "values"),
    [
        ("plies", (1.5,)),
        ("plies", (-1.0, 2.0)),
        ("plies", (2.0, 2.0)),
        ("plies", ()),
        ("plies", (1e9,)),
        ("core", (0.0, 1e-3)),
        ("laid", (0.0, 2.0)),
        ("angle", (1e4,)),
        ("angle", (float("nan"),)),
        ("plies", tuple(map(float, range(100)))),
    ],
)
def test_values_that_cannot_be_are_refused(kind: str, values: tuple[float, ...]) -> None:
    variable = SizeVariable(kind, rung=0, values=values)  # type: ignore[arg-type]
    with pytest.raises(StackError):
        sizing_edits.put_sizing(panel(), SizeAsk((variable,)))


def test_a_file_with_a_sizing_that_cannot_be_is_refused() -> None:
    project = sizing_edits.put_sizing(panel(), asked(panel(), skin0=(2, 4)))
    text = to_text(project)
    assert from_text(text) == project
    body = json.loads(text)
    for field, bad in (("most_solves", 0), ("most_dropped", -1), ("least", "time")):
        spoilt = json.loads(json.dumps(body))
        spoilt["sizing"][field] = bad
        with pytest.raises(DocumentError):
            from_text(json.dumps(spoilt))
    spoilt = json.loads(json.dumps(body))
    spoilt["sizing"]["variables"][0]["values"] = [1.5]
    with pytest.raises(DocumentError, match="whole numbers"):
        from_text(json.dumps(spoilt))


def test_a_kept_sizing_tells_the_requirements_of_then() -> None:
    # Another requirement of the same number of figures, put in the old one's place afterwards.
    stiff = DisplacementRequirement(9e-3, "press")
    project = panel(requirements=(stiff,))
    ask = asked(project, skin0=(2, 4), plies2=(0, 1))
    found = last(sized(project, ask))
    found = dataclasses.replace(found, zones=(SizeZone("zone 1", 1e-3, 1e-3, (0,)),))
    kept = dataclasses.replace(
        project,
        sizing=dataclasses.replace(ask, found=found),
        requirements=(ReserveRequirement(2.0),),
    )
    again = from_text(to_text(kept)).sizing.found
    assert again is not None
    assert again.requirements == (stiff,)
    row = requirements_table(again, again.before).rows[-1]
    assert row[0] == requirement_words(stiff)
    assert "mm" in str(row[1])
    # A zone that names what is not there, or has no thickness, is refused as well.
    for key, value in (("variables", [99]), ("after", "nan")):
        spoilt = json.loads(to_text(kept))
        zones = spoilt["sizing"]["found"]["zones"]
        assert zones
        zones[0][key] = value
        with pytest.raises(DocumentError):
            from_text(json.dumps(spoilt))
    # A file whose figures belong to no requirement is refused, not read with the wrong ones.
    body = json.loads(to_text(kept))
    body["sizing"]["found"]["requirements"] = []
    with pytest.raises(DocumentError):
        from_text(json.dumps(body))
    # What an older file found did not say what was required: it is left out, the rest stays.
    del body["sizing"]["found"]["requirements"]
    del body["sizing"]["found"]["least"]
    old = from_text(json.dumps({**body, "schema": 6}))
    assert old == dataclasses.replace(kept, sizing=ask)
