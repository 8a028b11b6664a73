"""Edits of a part that are refused."""

import dataclasses
from collections.abc import Callable

import pytest

from tartan.core.errors import DocumentError, TartanError
from tartan.core.shell.mesh import Opening, Panel
from tartan.core.shell.mesher import Finer
from tartan.core.shell.shapes import StiffenedPanel
from tartan.core.stack import Ply
from tartan.project.analysis.inputs import part_inputs
from tartan.project.analysis.jobs import solve_now
from tartan.project.analysis.partmesh import meshed
from tartan.project.analysis.shellinputs import held_nodes
from tartan.project.document.model import Project
from tartan.project.document.partmodel import (
    Case,
    Combination,
    Direction,
    Force,
    MappedPressure,
    Near,
    Pressure,
    PressureTable,
    Region,
    Rung,
    Support,
)
from tartan.project.edits import case_edits, part_edits
from tests.project.test_part import plate

TABLE = PressureTable("t", ((0, 0, 0, 1.0), (1, 0, 0, 1.0), (0, 1, 0, 1.0)))


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (lambda p: part_edits.put_region(p, Region("left edge", faces=("pad",))), "already"),
        (lambda p: part_edits.put_region(p, Region("r")), "holds no"),
        (lambda p: part_edits.put_region(p, Region("r", faces=("roof",))), "roof"),
        (lambda p: part_edits.put_region(p, Region("r", near=(Near(0.1, "gable"),))), "gable"),
        (lambda p: part_edits.put_region(p, Region("r", elements=(10**6,))), "beyond"),
        (lambda p: part_edits.put_region(p, Region("r", faces=("pad",), grow=-9)), "no elements"),
        (lambda p: part_edits.put_lay_up(p, (Rung("roof", stack="feed strut"),)), "roof"),
        (lambda p: part_edits.put_lay_up(p, (Rung(),)), "either"),
        (lambda p: part_edits.put_lay_up(p, (Rung(ply=Ply("tin", 0, 1.0)),)), "tin"),
        (lambda p: part_edits.put_direction(p, Direction(way="edge", edge="gable")), "gable"),
        (lambda p: part_edits.change_part(p, flipped=("roof",)), "roof"),
        (lambda p: part_edits.change_part(p, tie_gap=-1.0), "gap"),
        (lambda p: part_edits.change_part(p, finer=(Finer(0.5, 0.1, "pad"),)), "refinement 1"),
        (lambda p: part_edits.change_part(p, surface=StiffenedPanel(1, 1, 0)), "stiffeners"),
        (
            lambda p: part_edits.change_part(
                p, surface=Panel(1, 1, openings=(Opening("o", 0, 0, 2, 1),))
            ),
            "edge",
        ),
        (
            lambda p: case_edits.put_cases(p, [Case("a", (MappedPressure("t"),))]),
            "no pressure table",
        ),
        (lambda p: case_edits.put_cases(p, [Case("a", (Force("roof"),))]), "roof"),
        (lambda p: case_edits.put_cases(p, [Case("a", (Pressure(1.0, "roof"),))]), "roof"),
        (lambda p: case_edits.put_tables(p, [PressureTable("t", TABLE.rows[:2])]), "three"),
        (lambda p: case_edits.put_combinations(p, [Combination("x", (("gone", 1.0),))]), "gone"),
        (lambda p: case_edits.put_combinations(p, [Combination("press")]), "already"),
    ],
)
def test_edits_of_the_part_refuse_what_cannot_stand(
    edit: Callable[[Project], Project], words: str
) -> None:
    with pytest.raises(TartanError, match=words) as caught:
        edit(plate())
    assert caught.value.where


def test_a_table_that_misses_the_part_is_said_before_solving() -> None:
    far = dataclasses.replace(TABLE, rows=tuple((x + 50, y, z, p) for x, y, z, p in TABLE.rows))
    project = case_edits.put_tables(plate(), [far])
    project = case_edits.put_cases(project, [Case("a", (MappedPressure("t"),))])
    with pytest.raises(TartanError, match="far from the part"):
        solve_now(part_inputs(project))


def test_local_axes_need_a_direction() -> None:
    project = plate(directions=(Direction(vector=(0.0, 0.0, 1.0)),))
    with pytest.raises(TartanError, match="undefined there") as caught:
        held_nodes(meshed(project.part), (Support("left edge", "pinned", local=True),))  # type: ignore[arg-type]
    assert caught.value.where == "Support 1"


def test_a_region_that_is_not_there_is_not_renamed() -> None:
    """An edge of that name keeps its supports and loads: they were carried to the new name."""
    project = plate()
    with pytest.raises(DocumentError, match="no region 'left edge'"):
        part_edits.put_region(project, Region("rim", near=(Near(0.1, "left edge"),)), "left edge")
    assert project.supports[0].place == "left edge"


@pytest.mark.parametrize(
    ("surface", "words"),
    [
        (Panel(1e300, 0.4), "length"),
        (Panel(0.4, 0.3, radius_x=1e12), "radius x"),
        (Panel(0.4, 0.3, openings=(Opening("cut", 1e9, 0.0, 0.1, 0.1),)), "cut"),
        (StiffenedPanel(0.8, 0.5, 3, 1e7), "height"),
    ],
)
def test_sizes_that_no_part_has_are_refused_by_name(surface: object, words: str) -> None:
    for size in (0.05, 1e-9):
        with pytest.raises(TartanError, match=words):
            part_edits.put_part(
                plate(), dataclasses.replace(plate().part, surface=surface, mesh_size=size)
            )  # type: ignore[type-var]
    with pytest.raises(TartanError, match="mesh size"):
        part_edits.change_part(plate(), mesh_size=1e-300)
