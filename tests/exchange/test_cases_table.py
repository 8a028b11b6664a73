"""Cases, combinations and requirements to a spreadsheet and back."""

from __future__ import annotations

import dataclasses
from pathlib import Path

import hypothesis.strategies as st
import pytest
from hypothesis import HealthCheck, given, settings

from tartan.core.errors import TartanError
from tartan.core.shell.shapes import Panel
from tartan.exchange.cases.matrix import put_block
from tartan.exchange.cases.table import (
    all_tables,
    read_cases,
    rows_of,
    text_of,
    with_pasted,
    write_all,
)
from tartan.exchange.tables import read_rows
from tartan.project.document.model import Project
from tartan.project.document.partmodel import (
    POINT,
    Acceleration,
    BucklingRequirement,
    Case,
    Combination,
    DisplacementRequirement,
    EdgeForce,
    Force,
    FrequencyRequirement,
    MassRequirement,
    Movement,
    Part,
    Pressure,
    ReserveRequirement,
    SupportSet,
    Temperature,
)
from tartan.project.edits import case_edits
from tartan.project.wording import units


def empty_panel() -> Project:
    return Project("panel", part=Part(Panel(1.0, 0.5), 0.1), support_sets=(SupportSet("hung"),))


figures = st.floats(-1e6, 1e6, allow_nan=False).map(lambda x: x if abs(x) > 1e-9 else 1.0)
vectors = st.tuples(figures, figures, figures)
places = st.tuples(*[st.floats(-100, 100)] * 3)
sides = st.sampled_from(["front", "back", "laying"])
held = st.booleans()
loads = st.one_of(
    st.builds(Pressure, figures, st.just(""), sides, held),
    st.builds(
        EdgeForce,
        st.sampled_from(["left edge", "upper edge"]),
        vectors,
        held,
        also=st.sampled_from([(), ("right edge", "lower edge")]),
    ),
    st.builds(Force, st.just(POINT), vectors, vectors, places, st.floats(0, 100), held),
    st.builds(Acceleration, vectors, held),
    st.builds(Temperature, st.floats(-300, 300), figures, sides, held),
    st.builds(
        Movement, st.just("left edge"), st.tuples(*[st.floats(-1, 1)] * 3), places, held, held
    ),
)
names = st.text(
    st.characters(categories=("L", "N", "P"), exclude_characters="\t\n\r"), min_size=1, max_size=12
)
limits = st.floats(1e-6, 1e6)


@st.composite
def projects(draw: st.DrawFn) -> Project:
    called = draw(st.lists(names, min_size=2, max_size=5, unique=True))
    cases = tuple(
        Case(n, tuple(draw(st.lists(loads, max_size=3))), draw(st.sampled_from(["", "hung"])))
        for n in called[:-1]
    )
    project = case_edits.put_cases(empty_panel(), cases)
    usual = [c.name for c in cases if not c.supports]
    factors = tuple((n, draw(figures)) for n in usual if draw(st.booleans()))
    both = Combination(called[-1], factors, tuple(n for n, _ in factors if draw(st.booleans())))
    project = case_edits.put_combinations(project, (both,))
    case = draw(st.sampled_from(["", *called]))
    asked = (
        ReserveRequirement(draw(limits), case=case),
        DisplacementRequirement(draw(limits), case, draw(st.sampled_from(["size", "normal"]))),
        BucklingRequirement(draw(limits), case),
        FrequencyRequirement(draw(limits), case),
        MassRequirement(draw(limits)),
    )
    return case_edits.put_requirements(project, asked)


def parted(project: Project) -> tuple[object, ...]:
    return project.cases, project.combinations, project.requirements


@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(projects(), st.sampled_from(units.SYSTEMS))
def test_what_is_copied_is_pasted_to_the_last_digit(project: Project, system: str) -> None:
    units.use_system(system)
    try:
        pasted = read_cases(rows_of(text_of(project)), empty_panel(), "Clipboard")
        assert parted(with_pasted(empty_panel(), pasted)) == parted(project)
    finally:
        units.use_system(units.SYSTEMS[0])


@settings(max_examples=10, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(projects(), st.sampled_from([".csv", ".xlsx"]))
def test_what_is_saved_is_read_to_the_last_digit(
    tmp_path_factory: pytest.TempPathFactory, project: Project, ending: str
) -> None:
    path = tmp_path_factory.mktemp("cases") / f"cases{ending}"
    write_all(all_tables(project), path)
    pasted = read_cases(read_rows(path), empty_panel(), path.name)
    assert parted(with_pasted(empty_panel(), pasted)) == parted(project)


def read(text: str, project: Project | None = None) -> Project:
    project = project or empty_panel()
    return with_pasted(project, read_cases(rows_of(text), project, "Clipboard"))


def test_a_sheet_of_another_hand_is_understood() -> None:
    """Short heads of the trade, other units, zeros for what does not act, cells left empty."""
    text = (
        "Load case\twhere\tFx [kN]\tFy [kN]\tFz [kN]\tMz [N*m]\tp [bar]\taz [g]\n"
        "gust\tleft edge\t1.5\t0\t-2\t0\t0\t0\n"
        "\tright edge\t0\t0\t3\t40\t\t\n"
        "tank\t\t\t\t\t\t0.5\t\n"
        "drop\t\t0\t0\t0\t0\t0\t-9\n"
    ).replace("drop\t\t0\t0\t0\t0", "drop\tleft edge\t0\t0\t0\t0")
    cases = read(text).cases
    assert [c.name for c in cases] == ["gust", "tank", "drop"]
    assert cases[0].loads == (
        Force("left edge", (1500.0, 0.0, -2000.0)),
        Force("right edge", (0.0, 0.0, 3000.0), (0.0, 0.0, 40.0)),
    )
    assert cases[1].loads == (Pressure(50_000.0),)
    assert isinstance(cases[2].loads[0], Acceleration)
    assert cases[2].loads[0].vector[2] == pytest.approx(-9 * 9.81, rel=1e-12)


def test_a_pasted_case_takes_the_place_of_the_one_so_called() -> None:
    before = read("case\tpressure [kPa]\na\t1\nb\t2\n\nrequirement\tlimit\nmass\t3 kg\n")
    after = read("case\tpressure [kPa]\nb\t5\nc\t7\n", before)
    assert [(c.name, c.loads[0].value) for c in after.cases] == [  # type: ignore[union-attr]
        ("a", 1e3),
        ("b", 5e3),
        ("c", 7e3),
    ]
    assert after.requirements == (MassRequirement(3.0),)


@pytest.mark.parametrize(
    ("text", "where"),
    [
        ("a\t1\t2\n", "row 1"),
        ("case\tcolour\na\tred\n", "row 1, column 2"),
        ("case\tpressure [kPa]\na\tx\n", "row 2, pressure"),
        ("case\tpressure [kPa]\na\t1 mm\n", "row 2, pressure"),
        ("case\tpressure [kPa]\na\t1e99\n", "row 2"),
        ("case\tFx\na\t1\n", "row 2, on"),
        ("case\ton\tFx\na\tnowhere\t1\n", "row 2"),
        ("case\ton\tpressure\na\tnowhere\t1\n", "row 2"),
        ("case\tside\tp\na\tupper\t1\n", "row 2, side"),
        ("case\theld\tp\na\tmaybe\t1\n", "row 2, held"),
        ("case\tp\tpressure\na\t1\t1\n", "row 1"),
        ("case\tp\n\t1\n", "row 2"),
        ("case\tsupports\na\tnone such\n", "row 2"),
        ("case\tp\na\t1\t\tstray\n", "row 2"),
        ("case\ttable\na\tnone such\n", "row 2"),
        ("case\na\n\ncombination\ta\tb\nc\t1\t2\n", "row 4, column 3"),
        ("case\na\n\ncombination\ta\nc\tone\n", "row 5, a"),
        ("case\na\n\ncombination\ta\na\t1\n", "case"),
        ("requirement\tlimit\tcase\nstrength\t1\t\n", "row 2, requirement"),
        ("requirement\tlimit\nmass\t3 mm\n", "row 2, limit"),
        ("requirement\tcase\nmass\ta\n", "row 1"),
        ("requirement\tlimit\tcase\ndisplacement\t1 mm\tnone\n", "displacement"),
        ("", "Clipboard"),
        ("case;p\na;" + "9" * 200_000, "Clipboard"),
        ("case\tp\n", "Clipboard"),
    ],
)
def test_what_cannot_be_read_is_told_with_its_place(text: str, where: str) -> None:
    project = empty_panel()
    with pytest.raises(TartanError) as told:
        read(text, project)
    assert where.casefold() in str(told.value).casefold()
    assert told.value.mend


def test_a_matrix_is_typed_and_pasted_by_cells() -> None:
    project = read("case\na\nb\nc\n\ncombination\ta\tb\tc\ns\t1\t\t2 held\nt\t\t\t\n")
    assert project.combinations[0] == Combination("s", (("a", 1.0), ("c", 2.0)), ("c",))
    made = put_block(project, 0, 1, [["1,5", ""], ["held", "−2"]])
    assert made[0] == Combination("s", (("a", 1.0), ("b", 1.5)))
    assert made[1] == Combination("t", (("c", -2.0),), ("b",))
    with pytest.raises(TartanError, match="beyond"):
        put_block(project, 1, 0, [["1"], ["1"]])
    with pytest.raises(TartanError, match="'s', b"):
        put_block(project, 0, 1, [["two"]])


def test_a_case_may_be_called_as_a_head_is(tmp_path: Path) -> None:
    project = case_edits.put_cases(
        empty_panel(), (Case("case", (Pressure(1.0),)), Case("combination"), Case("requirement"))
    )
    assert read(text_of(project)).cases == project.cases


def test_an_untouched_project_is_pasted_onto_itself() -> None:
    project = read(
        "case\tp\na\t1\n\ncombination\ta\nx\t2\n\nrequirement\tlimit\tcase\n"
        "displacement\t1 mm\tall\n"
    )
    assert project.requirements == (DisplacementRequirement(1e-3, ""),)
    assert parted(read(text_of(project), project)) == parted(project)
    assert dataclasses.replace(project, name="x").cases == project.cases


@settings(max_examples=300)
@given(st.text(st.sampled_from("case,;\t\r\n\"'1.5e-ap held"), max_size=60))
def test_any_text_is_read_or_refused_with_its_place(text: str) -> None:
    refused = None
    try:
        read(text)
    except TartanError as error:
        refused = error
    assert refused is None or (refused.what and refused.where and refused.mend)
