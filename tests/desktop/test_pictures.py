"""What pictures are made of: colours, band heights, strokes, words. No window needed."""

import dataclasses

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tartan.core.errors import StackError
from tartan.core.shell.mesh import Panel
from tartan.core.stack import Ply
from tartan.desktop.finder import Entry, matching
from tartan.desktop.scene import glyphs
from tartan.desktop.widgets.bands import band_heights
from tartan.exchange.maps import colours
from tartan.exchange.maps.fields import View
from tartan.exchange.maps.mapped import make_map
from tartan.exchange.plies_table import plies_table
from tartan.pages import margins, stacks
from tartan.pages.stations import Freshness, lines
from tartan.project.analysis.jobs import PartAnswer, solve_now
from tartan.project.analysis.shellinputs import layout_of, part_inputs
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Case, EdgeForce, Part, Pressure, Rung, Support
from tartan.project.edits import case_edits
from tests.desktop.conftest import coarse_sample
from tests.panels import dish_panel


@pytest.fixture(scope="module")
def answer() -> PartAnswer:
    return solve_now(part_inputs(coarse_sample()))


def lightness(rgb: np.ndarray) -> np.ndarray:
    return rgb.astype(float) @ np.array([0.2126, 0.7152, 0.0722])


@given(st.floats(-90, 90))
def test_a_direction_has_one_colour_and_a_half_turn_changes_nothing(angle: float) -> None:
    assert colours.ply_solid(angle) == colours.ply_solid(angle + 180)
    assert colours.ply_solid(angle) != colours.ply_solid(angle + 45)


def test_the_reserve_map_tells_holding_from_failing() -> None:
    need = 1.25
    factors = np.array([0.0, 0.5, 1.2499, 1.25, 2.0, 50.0, np.inf])
    rgb = colours.reserve_map(factors, need).astype(int)
    red_over_green = rgb[:, 0] - rgb[:, 1]
    assert (red_over_green[:3] > 20).all()
    assert (red_over_green[3:] < 10).all()
    light = lightness(rgb)
    assert (np.diff(light[:3]) >= 0).all()
    assert (np.diff(light[3:]) <= 0).all()
    # Seen without red and green (deuteranopia, roughly): blue against yellow still differs.
    assert abs((rgb[1, 2] - rgb[1, :2].mean()) - (rgb[5, 2] - rgb[5, :2].mean())) > 40


def test_sequential_maps_darken_steadily() -> None:
    light = lightness(colours.size_map(np.linspace(0, 1, 50)))
    assert (np.diff(light) < 0.5).all()
    assert light[0] - light[-1] > 100
    both = lightness(colours.signed_map(np.array([-1.0, -0.5, 0.0, 0.5, 1.0])))
    assert both.argmax() == 2


@given(st.lists(st.floats(1e-5, 1e-1), min_size=1, max_size=60), st.floats(50, 900))
def test_bands_fill_the_room_in_true_proportion_above_a_floor(
    weights: list[float], room: float
) -> None:
    heights = band_heights(weights, room, 12.0)
    assert min(heights) >= 12.0 - 1e-9
    if 12.0 * len(weights) < room:
        assert sum(heights) == pytest.approx(room)
        free = [(h, w) for h, w in zip(heights, weights, strict=True) if h > 12.0 + 1e-6]
        for h, w in free:
            assert h / w == pytest.approx(free[0][0] / free[0][1])


def test_strokes_show_what_is_held_and_what_pushes() -> None:
    project = dish_panel()
    part = Part(Panel(2.0, 1.0), 0.1, (Rung(stack="reflector sandwich"),))
    inputs = part_inputs(dataclasses.replace(project, part=part))
    layout = layout_of(inputs)
    mesh, whole = layout.mesh, layout.whole
    pegs, crosses = glyphs.support_strokes(whole, (Support("left edge", "pinned"),))
    assert len(pegs) == 9 * 3 * 2
    assert len(crosses) == 0
    _, crosses = glyphs.support_strokes(whole, (Support("lower left corner", "clamped"),))
    assert len(crosses) == 2
    press = glyphs.load_glyphs(layout, Case("c", (Pressure(10.0),)), ())
    shafts = press.strokes[: len(press.strokes) // 5]
    np.testing.assert_allclose(shafts[:, 1, 2], 0, atol=1e-12)
    assert (shafts[:, 0, 2] > 0).all()
    assert press.words == ("0.01 kPa",)
    pull = glyphs.load_glyphs(layout, Case("c", (EdgeForce("right edge", (5.0, 0, 0)),)), ())
    assert (pull.strokes[:7, 1, 0] > 1.0).all()
    assert len(glyphs.load_glyphs(layout, Case("calm"), ()).strokes) == 0
    some = glyphs.spread(mesh)
    each = np.tile([0.0, 3.0, 1.0], (mesh.count, 1))
    along = glyphs.reference_strokes(mesh, each, some)
    np.testing.assert_allclose((along[:, 1] - along[:, 0])[:, [0, 2]], 0, atol=1e-12)
    upright = np.tile([0.0, 0, 1.0], (mesh.count, 1))
    assert len(glyphs.reference_strokes(mesh, upright, some)) == 0
    # The stair stands on the laying side, its widest bar farthest out, along 0°.
    stair = glyphs.laying_strokes(mesh, each, some[:1])
    wide = np.linalg.norm(stair[1:, 1] - stair[1:, 0], axis=1)
    assert (np.diff(wide) > 0).all()
    assert (np.diff(stair[1:, 0, 2]) > 0).all()
    fibres = glyphs.fibre_strokes(mesh, each, 30.0, some)
    way = fibres[0, 1] - fibres[0, 0]
    assert np.rad2deg(np.arctan2(way[1], way[0])) % 180 == pytest.approx(90 + 30)


def test_maps_agree_with_the_answer(answer: PartAnswer) -> None:
    project = coarse_sample()
    shown = make_map(project, answer, View("s2", case="operating wind", ply=6))
    assert shown.unit == "MPa"
    assert len(shown.rgb) == len(answer.margins.reserve)
    assert make_map(project, answer, View()).note == "the whole area holds"
    strict = case_edits.put_requirements(
        project, [dataclasses.replace(project.requirements[0], value=50)]
    )
    assert make_map(strict, answer, View()).note.startswith("100.0% of the area")
    # Only what fails: nothing is coloured where all holds.
    bare = make_map(project, answer, View(), failing=True)
    assert len(np.unique(bare.rgb, axis=0)) == 1
    largest = np.linalg.norm(answer.solution.displacement[0, :, :3], axis=1).max() * 1e3
    u = make_map(project, answer, View("u", case="operating wind"))
    assert 0.8 * largest < float(u.note.split()[1]) <= largest * 1.001
    factor = margins.magnification(answer, 0)
    assert 0.02 < factor * largest / 1e3 / 2.0 < 0.07


def test_the_section_agrees_with_the_map(answer: PartAnswer) -> None:
    for element in (0, 57, 100):
        case = int(answer.margins.case[element])
        found = margins.section_at(coarse_sample(), answer, element, case)
        assert found.reserve.min() == pytest.approx(answer.margins.reserve[element])
        assert f"element {element + 1}" in found.words


def test_selections_move_with_their_plies() -> None:
    plies = tuple(Ply("UD carbon", float(a), 1e-4) for a in (0, 10, 20, 30))
    up = stacks.move(plies, (1, 2), 1)
    assert ([p.angle for p in up.plies], up.picked) == ([0, 30, 10, 20], (2, 3))
    assert stacks.move(plies, (2, 3), 1) == stacks.Edited(plies, (2, 3))
    assert [p.angle for p in stacks.delete(plies, (0, 2)).plies] == [10, 30]
    assert stacks.delete(plies[:1], (0,)).picked == ()
    project = coarse_sample()
    table = plies_table("", plies).as_text()
    again = stacks.paste(project, (), (), table)
    assert again.plies == plies
    with pytest.raises(StackError, match="row 2"):
        stacks.paste(project, plies, (0,), "45\nfast")
    with pytest.raises(StackError, match="no plies"):
        stacks.paste(project, plies, (), "  \n")
    with pytest.raises(StackError, match="no material"):
        stacks.insert_like(Project("x"), (), ())


def test_station_lines_say_what_is_there_and_missing() -> None:
    fresh = Freshness(fresh=True, error=None, met=1, asked=2)
    found = lines(coarse_sample(), fresh)
    assert found["Stacks"].words == "3 stacks, 5–10 plies"
    assert found["Part"].words.startswith("dish, 1 zone")
    assert (found["Margins"].words, found["Margins"].mark) == ("1 of 2 met", "needs")
    bare = lines(Project("x"), fresh)
    assert {bare[s].mark for s in ("Materials", "Stacks")} == {"needs"}
    assert {bare[s].mark for s in ("Part", "Cases")} == {"stale"}


def test_finding_takes_every_word_and_prefers_beginnings() -> None:
    entries = [
        Entry(n, s, lambda: None)
        for n, s in (("own weight", "case"), ("weight of ply", "command"), ("woven", "material"))
    ]
    assert [e.name for e in matching(entries, "weight")] == ["weight of ply", "own weight"]
    assert [e.name for e in matching(entries, "wei case")] == ["own weight"]
    assert matching(entries, "nothing") == []
