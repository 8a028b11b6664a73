"""One contract for every kind of load: kept, said, refused, linear, and all of it editable."""

from __future__ import annotations

import dataclasses
import math
from typing import get_args

import numpy as np
import pytest

from tartan.core.bounds import MOST_FACTOR, MOST_FORCE, MOST_HEAT, MOST_LENGTH, MOST_STRESS
from tartan.core.errors import TartanError
from tartan.pages.fields import Flag, Number, OneOf, Several, Vector
from tartan.pages.load_fields import NEW, fields_of
from tartan.project.analysis.caseloads import case_forces
from tartan.project.analysis.inputs import layout_of, part_inputs
from tartan.project.analysis.jobs import PartAnswer, solve_now
from tartan.project.document.model import Project
from tartan.project.document.partmodel import (
    POINT,
    Acceleration,
    Case,
    Combination,
    EdgeForce,
    Force,
    Load,
    MappedPressure,
    Movement,
    Pressure,
    PressureTable,
    Support,
    Temperature,
)
from tartan.project.edits import case_edits, part_edits
from tartan.project.edits.region_uses import left_of, renamed_region
from tartan.project.files.storage import from_text, to_text
from tartan.project.wording.document_words import load_words
from tests.project.test_part import plate

TABLE = PressureTable(
    "gust", ((-1, -1, 0, 50.0), (1, -1, 0, 90.0), (-1, 1, 0, 120.0), (1, 1, 0, 160.0))
)

LOADS: dict[type, Load] = {
    Pressure: Pressure(70.0, "pad", "back"),
    MappedPressure: MappedPressure("gust", 1.5),
    EdgeForce: EdgeForce("right edge", (120.0, -30.0, 4.0)),
    Force: Force("pad", (1.0, -2.0, 5.0), (0.2, 0.1, -0.3)),
    Acceleration: Acceleration((1.0, 2.0, -9.81)),
    Temperature: Temperature(-35.0, 900.0),
    Movement: Movement("left edge", (1e-4, 0.0, -3e-4)),
}
"""A load of every kind, each with all of its figures."""

EVERY = pytest.mark.parametrize("load", LOADS.values(), ids=[x.kind for x in LOADS.values()])


def project_of(*cases: tuple[Load, ...], combinations: tuple[Combination, ...] = ()) -> Project:
    project = case_edits.put_tables(plate(), [TABLE])
    made = [Case(f"case {i + 1}", loads) for i, loads in enumerate(cases)]
    project = case_edits.put_cases(project, made)
    return case_edits.put_combinations(project, combinations)


def solved(project: Project) -> PartAnswer:
    return solve_now(part_inputs(project))


def scaled(load: Load, factor: float) -> Load:
    """The load with every figure of its own times a factor; where it acts stays."""
    values = {}
    for field in dataclasses.fields(load):
        value = getattr(load, field.name)
        if field.name in ("held", "at", "reach", "kind") or isinstance(value, str):
            continue
        if isinstance(load, MappedPressure) and field.name != "factor":
            continue
        values[field.name] = (
            tuple(factor * v for v in value) if isinstance(value, tuple) else factor * value
        )
    return dataclasses.replace(load, **values)


def test_every_kind_has_its_sample() -> None:
    assert set(LOADS) == set(get_args(Load))
    for kind, load in LOADS.items():
        assert type(load) is kind


@EVERY
def test_it_is_kept_in_the_file_as_it_is(load: Load) -> None:
    project = project_of((load, dataclasses.replace(load, held=not load.held)))
    assert from_text(to_text(project)) == project


@EVERY
def test_its_words_say_its_figures_and_whether_it_is_held(load: Load) -> None:
    words = load_words(load)
    assert words
    assert load_words(scaled(load, 3.0)) != words
    other = load_words(dataclasses.replace(load, held=not load.held))
    assert other.startswith(words)
    assert other != words


@pytest.mark.parametrize(
    ("load", "words"),
    [
        (EdgeForce("right edge", (1200.0, 0.0, 0.0)), "1.2 N/mm along +x on right edge"),
        (EdgeForce("right edge", (-1200.0, 0.0, 0.0)), "1.2 N/mm along −x on right edge"),
        (Force("pad", (0.0, 0.0, -5.0)), "5 N along −z on pad"),
        (Force("pad", moment=(0.0, 2.0, 0.0)), "2 N·m about +y on pad"),
        (Force("pad", (3.0, 4.0, 0.0)), "5 N along (3, 4, 0) on pad"),
        (Force("pad"), "0 N on pad"),
        (Acceleration((0.0, 0.0, -9.81)), "own weight"),
        (Acceleration((0.0, 0.0, 9.81)), "1 g along +z"),
        (Acceleration((0.0, -19.62, 0.0)), "2 g along −y"),
    ],
)
def test_words_carry_the_direction(load: Load, words: str) -> None:
    assert load_words(load) == words


@EVERY
@pytest.mark.parametrize("wrong", [math.nan, math.inf, -math.inf, 1e300])
def test_figures_that_make_no_sense_are_refused_one_by_one(load: Load, wrong: float) -> None:
    """Each figure alone is refused, and the refusal says whose it is."""
    for field in dataclasses.fields(load):
        value = getattr(load, field.name)
        if isinstance(value, bool | str):
            continue
        many = value if isinstance(value, tuple) else (value,)
        for i in range(len(many)):
            changed = (*many[:i], wrong, *many[i + 1 :])
            bad = changed if isinstance(value, tuple) else wrong
            with pytest.raises(TartanError) as caught:
                project_of((dataclasses.replace(load, **{field.name: bad}),))
            assert "case 1" in caught.value.where


@EVERY
def test_places_that_are_not_there_are_refused_with_their_name(load: Load) -> None:
    for field in ("place", "edge", "region", "table"):
        if hasattr(load, field):
            with pytest.raises(TartanError, match="nowhere"):
                project_of((dataclasses.replace(load, **{field: "nowhere"}),))


@EVERY
def test_its_fields_reach_all_that_it_has(load: Load) -> None:
    """Every field of the record is in a line of its form, at a point as on a place."""

    class Offer:
        def __getattr__(self, _: str) -> object:
            return lambda *_: []

    table = fields_of(load.kind, Offer())  # type: ignore[arg-type]
    point = dataclasses.replace(load, place=POINT) if hasattr(load, "place") else load
    pieces = [p for line in table if line.stands(point) for p in line.pieces]
    keys = {p.key for p in pieces if isinstance(p, Number | Vector | OneOf | Several | Flag)}
    assert keys == {f.name for f in dataclasses.fields(load)} - {"kind"}


BOTH: tuple[tuple[Load, str], ...] = (
    (EdgeForce("right edge", (120.0, -30.0, 4.0)), "upper edge"),
    (Force("right edge", (1.0, -2.0, 5.0), (0.2, 0.1, -0.3)), "upper edge"),
    (Movement("left edge", (1e-4, 0.0, -3e-4)), "lower edge"),
)


@pytest.mark.parametrize(("load", "other"), BOTH, ids=[x.kind for x, _ in BOTH])
def test_several_places_are_one_load(load: Load, other: str) -> None:
    """What is spread per length acts on each; a total is shared; a movement moves them all."""
    both = dataclasses.replace(load, also=(other,))  # type: ignore[call-arg]
    field = "edge" if isinstance(load, EdgeForce) else "place"
    alone = dataclasses.replace(load, **{field: other})
    project = project_of((both,), (load,), (alone,))
    if isinstance(load, Movement):
        project = case_edits.put_supports(
            project, [Support("left edge", "clamped", also=("lower edge",))]
        )
        u = solved(project).solution.displacement[0, :, :3]
        whole = layout_of(part_inputs(project)).whole
        nodes = np.union1d(*(np.unique(whole.mesh.edges[e]) for e in (load.place, other)))
        assert np.allclose(u[nodes], load.move, atol=1e-12)
        return
    layout = layout_of(part_inputs(project))
    whole, first, second = (case_forces(layout, c) for c in project.cases)
    if isinstance(load, EdgeForce):
        assert np.allclose(whole, first + second, atol=1e-9)
    else:
        assert np.allclose(whole.sum(axis=0)[:3], load.force)  # type: ignore[union-attr]
        assert np.count_nonzero(whole[:, 0]) > np.count_nonzero(first[:, 0])


def test_a_pressure_on_regions_that_meet_acts_once() -> None:
    project = project_of((Pressure(70.0, "pad", also=("pad",)),), (Pressure(70.0, "pad"),))
    layout = layout_of(part_inputs(project))
    twice, once = (case_forces(layout, c) for c in project.cases)
    assert np.array_equal(twice, once)


def test_further_places_are_checked_renamed_said_and_let_go() -> None:
    support = Support("left edge", "pinned", also=("pad",))
    load = Force("right edge", (1.0, 0.0, 0.0), also=("pad", "upper edge"))
    project = case_edits.put_supports(project_of((load,)), [support])
    assert load_words(load) == "1 N along +x on right edge, pad and upper edge"
    assert from_text(to_text(project)) == project
    with pytest.raises(TartanError, match="nowhere"):
        project_of((dataclasses.replace(load, also=("nowhere",)),))
    with pytest.raises(TartanError, match="nowhere"):
        case_edits.put_supports(project, [dataclasses.replace(support, also=("nowhere",))])
    with pytest.raises(TartanError, match="support 1"):
        part_edits.remove_region(project, "pad")
    renamed = renamed_region(project, "pad", "boss")
    assert renamed.supports[0].also == ("boss",)
    assert renamed.cases[0].loads[0].also == ("boss", "upper edge")  # type: ignore[union-attr]
    kept = left_of(load, {"pad", "upper edge"})
    assert kept == dataclasses.replace(load, place="pad", also=("upper edge",))
    assert left_of(load, {"elsewhere"}) is None


def test_every_kind_can_be_added_and_begins_within_bounds() -> None:
    class Offer:
        def places(self) -> list[str]:
            return [POINT, "left edge", "pad"]

        edges = lambda self: ["left edge", "right edge"]  # noqa: E731
        region_values = lambda self: ["", "pad"]  # noqa: E731
        tables = lambda self: ["gust"]  # noqa: E731
        laying_side = lambda self: "back"  # noqa: E731
        held_place = lambda self: "left edge"  # noqa: E731
        mapping_words = lambda self, _: ""  # noqa: E731

    made = {key: new.make(Offer()) for key, new in NEW.items()}
    assert {type(x) for x in made.values()} == set(LOADS)
    for load in made.values():
        project_of((load,))
    # Figures begin at zero, to be typed; own weight is the one that needs none.
    assert made["pressure"] == Pressure(0.0, side="back")
    assert made["own weight"] == Acceleration((0.0, 0.0, -9.81))
    for name, load in made.items():
        figures = scaled(load, 0.0) == load
        assert figures == (name not in ("own weight", "pressure table")), name


@EVERY
def test_answers_grow_with_it_and_add_up(load: Load) -> None:
    """f(−2 a) = −2 f(a); f(a + b) = f(a) + f(b), with whatever else acts; held or growing."""
    other: Load = Pressure(33.0)
    grows = dataclasses.replace(load, held=False)
    held = dataclasses.replace(load, held=True)
    found = solved(
        project_of((grows,), (scaled(grows, -2.0),), (grows, other), (other,), (held, other))
    ).solution
    for values in (found.displacement, found.strains):
        one, back, both, alone, rests = values
        size = np.abs(values).max()
        assert np.abs(one).max() > 0
        np.testing.assert_allclose(back, -2 * one, atol=1e-9 * size)
        np.testing.assert_allclose(both, one + alone, atol=1e-9 * size)
        np.testing.assert_allclose(rests, both, atol=1e-9 * size)


@EVERY
def test_a_combination_is_its_cases_times_their_factors(load: Load) -> None:
    both = Combination("sum", (("case 1", 1.5), ("case 2", -0.5)))
    found = solved(project_of((load,), (Pressure(25.0),), combinations=(both,))).solution
    for values in (found.displacement, found.strains):
        expected = 1.5 * values[0] - 0.5 * values[1]
        np.testing.assert_allclose(values[2], expected, atol=1e-10 * np.abs(values).max())


@EVERY
def test_the_part_stands_in_equilibrium_with_it(load: Load) -> None:
    """Reactions are the loads' resultants turned round; what only strains leaves none."""
    found = solved(project_of((load,))).solution
    size = np.abs(found.applied[0]).max() + np.abs(found.reaction[0]).max() + 1e-3
    np.testing.assert_allclose(found.applied[0] + found.reaction[0], 0.0, atol=1e-6 * size)
    strains_only = isinstance(load, Temperature | Movement)
    assert (np.abs(found.applied[0][:3]).max() > 1e-6) != strains_only


AREA = 0.8 * 0.4
PAD = math.pi * 0.05**2


@pytest.mark.parametrize(
    ("load", "force"),
    [
        (Pressure(70.0), (0.0, 0.0, -70.0 * AREA)),
        (Pressure(70.0, side="back"), (0.0, 0.0, 70.0 * AREA)),
        (MappedPressure("gust", 1.5), (0.0, 0.0, -1.5 * 105.0 * AREA)),
        (EdgeForce("right edge", (120.0, -30.0, 4.0)), (48.0, -12.0, 1.6)),
        (Force("pad", (1.0, -2.0, 5.0)), (1.0, -2.0, 5.0)),
    ],
    ids=["front", "back", "table", "edge", "force"],
)
def test_resultants_are_those_of_a_hand_sum(load: Load, force: tuple[float, ...]) -> None:
    """The table is bilinear over the plate: its mean is its value at the middle, 105 Pa."""
    found = solved(project_of((load,))).solution
    np.testing.assert_allclose(found.applied[0][:3], force, rtol=2e-3, atol=1e-9)


def test_bounds_are_of_a_size_that_a_part_can_have() -> None:
    """A bound that is too tight would refuse work: the largest structures stay within them."""
    assert MOST_STRESS >= 1e12
    assert MOST_FORCE >= 1e12
    assert MOST_HEAT >= 5e3
    assert MOST_LENGTH >= 1e3
    assert MOST_FACTOR >= 1e3


def test_a_movement_of_what_nobody_holds_is_refused() -> None:
    project = project_of((Movement("right edge", (0.0, 0.0, 1e-3)),))
    with pytest.raises(TartanError, match="movement"):
        solved(project)
    held = case_edits.put_supports(project, (*project.supports, Support("right edge", "pinned")))
    assert np.isfinite(solved(held).solution.displacement).all()
