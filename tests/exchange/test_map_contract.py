"""One contract for every field that a map can show: its figures, its colours and its legend."""

from __future__ import annotations

import dataclasses
from functools import lru_cache

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.stack import Ply
from tartan.exchange.maps.fields import BY_KEY, FIELDS, Field, View, values
from tartan.exchange.maps.mapped import difference_map, make_map, nearest
from tartan.project.analysis.inputs import part_inputs
from tartan.project.analysis.jobs import PartAnswer, solve_now
from tartan.project.document.model import Project
from tartan.project.document.partmodel import (
    Case,
    Combination,
    EdgeForce,
    Pressure,
    ReserveRequirement,
    Rung,
    Support,
    Temperature,
)
from tartan.project.edits import case_edits
from tests.conftest import CARBON
from tests.core.test_laminate_invariants import rotated, tensor, voigt
from tests.project.test_part import plate

Array = NDArray[np.float64]
EVERY = pytest.mark.parametrize("field", FIELDS, ids=[f.key for f in FIELDS])
FIGURES = pytest.mark.parametrize(
    "field", [f for f in FIELDS if f.sort != "category"], ids=lambda f: f.key
)
LINEAR = pytest.mark.parametrize(
    "field",
    [f for f in FIELDS if f.sort in ("motion", "section", "ply") and f.key != "u"],
    ids=lambda f: f.key,
)
PULL, PRESS = EdgeForce("right edge", (9e3, 2e3, 0.0)), Pressure(400.0)


@lru_cache(maxsize=1)
def solved() -> tuple[Project, PartAnswer]:
    """A plate with a pad: two cases, twice the first, their sum, and one with heat."""
    project = case_edits.put_cases(
        plate(),
        [
            Case("pull", (PULL,)),
            Case("press", (PRESS,)),
            Case("twice", (EdgeForce("right edge", (18e3, 4e3, 0.0)),)),
            Case("warm", (PULL, Temperature(-40.0))),
        ],
    )
    both = Combination("both", (("pull", 1.0), ("press", -0.5)))
    project = case_edits.put_combinations(project, [both])
    project = case_edits.put_requirements(project, [ReserveRequirement(1.5)])
    material = project.material("UD carbon")
    assert material is not None
    return project, solve_now(part_inputs(project))


def shown(field: Field, case: str, ply: int = 0, level: int = 2) -> Array:
    return values(solved()[1], View(field.key, case=case, ply=ply, level=level))


def test_keys_and_titles_are_their_own() -> None:
    assert len(BY_KEY) == len(FIELDS)
    assert len({f.title for f in FIELDS}) == len(FIELDS)


@FIGURES
def test_every_element_has_a_figure_where_there_can_be_one(field: Field) -> None:
    _, answer = solved()
    mesh = answer.layout().mesh
    found = shown(field, "press")
    assert found.shape == (mesh.count,)
    assert found.dtype == np.float64
    if field.sort == "ply":
        # The second ply lies on the pad alone.
        pad = answer.layout().whole.elements("pad", "")
        second = shown(field, "press", ply=1)
        assert np.isfinite(found).all()
        assert set(np.flatnonzero(np.isfinite(second))) == set(pad.tolist())
    elif field.sort != "envelope":
        assert np.isfinite(found).all()
    else:
        assert not np.isnan(found).any()


@LINEAR
def test_what_is_linear_adds_up(field: Field) -> None:
    for level in (0, 1, 2):
        pull, press = (shown(field, c, level=level) for c in ("pull", "press"))
        size = max(np.abs(pull).max(), np.abs(press).max())
        np.testing.assert_allclose(shown(field, "twice", level=level), 2 * pull, atol=1e-9 * size)
        both = shown(field, "both", level=level)
        np.testing.assert_allclose(both, pull - 0.5 * press, atol=1e-9 * size)


def test_stresses_of_a_ply_follow_from_the_strains_shown() -> None:
    """By the rotated tensor, written out in the tests; heat taken off where there is some."""
    _, answer = solved()
    project, _ = solved()
    material = project.material("UD carbon")
    assert material is not None
    for case, change in (("pull", 0.0), ("press", 0.0), ("warm", -40.0)):
        strain = np.stack([shown(BY_KEY[k], case) for k in ("ex", "ey", "gxy")], axis=1)
        bend = np.stack([shown(BY_KEY[k], case) for k in ("kx", "ky", "kxy")], axis=1)
        q = voigt(tensor(material))
        alone = np.setdiff1d(np.arange(len(strain)), answer.layout().whole.elements("pad", ""))
        for level, z in ((0, -0.5e-3), (1, 0.0), (2, 0.5e-3)):
            free = np.array([material.alpha1 or 0.0, material.alpha2 or 0.0, 0.0]) * change
            exact = (strain + z * bend - free) @ q.T
            for k, key in enumerate(("s1", "s2", "t12")):
                found = shown(BY_KEY[key], case, level=level)
                size = np.abs(exact).max()
                np.testing.assert_allclose(found[alone], exact[alone, k], atol=1e-8 * size)


def test_section_forces_are_what_the_laminate_makes_of_the_strains() -> None:
    """On the bare plate N = Q h ε and M = Q h³/12 κ, for one ply at 0°."""
    project, answer = solved()
    material = project.material("UD carbon")
    assert material is not None
    h = 1e-3
    q = voigt(rotated(tensor(material), 0.0))
    alone = np.setdiff1d(
        np.arange(answer.layout().mesh.count), answer.layout().whole.elements("pad", "")
    )
    for case in ("pull", "press"):
        strain = np.stack([shown(BY_KEY[k], case) for k in ("ex", "ey", "gxy")], axis=1)
        bend = np.stack([shown(BY_KEY[k], case) for k in ("kx", "ky", "kxy")], axis=1)
        for k, (n, m) in enumerate((("Nx", "Mx"), ("Ny", "My"), ("Nxy", "Mxy"))):
            force, moment = h * strain @ q[k], h**3 / 12 * bend @ q[k]
            scale = np.abs(force).max() + 1e-9
            np.testing.assert_allclose(
                shown(BY_KEY[n], case)[alone], force[alone], atol=1e-8 * scale
            )
            scale = np.abs(moment).max() + 1e-9
            np.testing.assert_allclose(
                shown(BY_KEY[m], case)[alone], moment[alone], atol=1e-8 * scale
            )


def test_what_is_only_rounding_is_zero() -> None:
    """A plate that is pulled in its plane has no shear between plies and does not bend."""
    flat = case_edits.put_cases(plate(lay_up=(Rung(ply=Ply("UD carbon", 0.0, 1e-3)),)), [])
    held = case_edits.put_supports(
        flat, [Support("left edge", "clamped"), Support("right edge", "held along z")]
    )
    answer = solve_now(part_inputs(case_edits.put_cases(held, [Case("pull", (PULL,))])))
    for key in ("t13", "t23", "kx", "ky", "kxy", "Mx", "My", "Mxy", "Qx", "Qy", "gxz", "gyz"):
        assert (values(answer, View(key, case="pull")) == 0.0).all(), key
    for key in ("s1", "ex", "Nx", "t12", "Nxy"):
        assert np.abs(values(answer, View(key, case="pull"))).max() > 0


def test_displacements_are_those_of_the_corners() -> None:
    _, answer = solved()
    case = answer.inputs.case_names.index("press")
    corners = answer.solution.displacement[case][answer.layout().mesh.corner_table]
    for k, key in enumerate(("ux", "uy", "uz")):
        np.testing.assert_allclose(shown(BY_KEY[key], "press"), corners[..., k].mean(axis=1))
    # A flat plate's normal is z, up or down.
    normal = answer.layout().mesh.normals()[:, 2]
    np.testing.assert_allclose(
        shown(BY_KEY["un"], "press"), normal * corners[..., 2].mean(axis=1), atol=1e-15
    )
    size = np.linalg.norm(corners[..., :3], axis=-1).mean(axis=1)
    np.testing.assert_allclose(shown(BY_KEY["u"], "press"), size)


def test_margin_is_reserve_less_one_and_index_judges_alike() -> None:
    reserve, margin, index = (shown(BY_KEY[k], "") for k in ("reserve", "margin", "index"))
    np.testing.assert_allclose(margin, reserve - 1)
    assert ((reserve > 1) == (index < 1)).all()


@EVERY
@pytest.mark.parametrize("dark", [False, True])
def test_its_map_has_colours_and_a_legend_that_go_together(field: Field, dark: bool) -> None:
    project, answer = solved()
    made = make_map(project, answer, View(field.key, case="press"), dark=dark)
    count = answer.layout().mesh.count
    assert made.rgb.shape == (count, 3)
    assert made.rgb.dtype == np.uint8
    assert made.title
    shares = [share for share, _ in made.ticks]
    assert shares == sorted(shares)
    assert all(0 <= share <= 1 for share in shares)
    assert all(text for _, text in made.ticks)
    if field.sort == "category":
        assert len(made.ramp) == 0
        assert made.label is not None
        assert sum(share for *_, share in made.names) == pytest.approx(1.0, abs=1e-6)
        for number, (name, colour, _) in enumerate(made.names):
            assert name
            assert (made.rgb[made.label == number] == np.array(colour)).all()
    else:
        assert made.ramp.shape[1] == 3
        found = values(answer, View(field.key, case="press"))
        least, most = int(np.nanargmin(found)), int(np.nanargmax(found))
        assert (made.rgb[least] != made.rgb[most]).any() or np.ptp(found) == 0


@EVERY
def test_only_what_fails_keeps_its_colour_when_asked(field: Field) -> None:
    project, answer = solved()
    need = float(np.median(answer.margins.reserve))
    project = case_edits.put_requirements(project, [ReserveRequirement(need)])
    view = View(field.key, case="press")
    whole, failing = make_map(project, answer, view), make_map(project, answer, view, failing=True)
    holds = answer.margins.reserve >= need
    assert 0 < holds.sum() < len(holds)
    assert (failing.rgb[~holds] == whole.rgb[~holds]).all()
    assert len(np.unique(failing.rgb[holds], axis=0)) == 1


@FIGURES
def test_against_itself_nothing_changes_and_against_another_its_difference(field: Field) -> None:
    project, answer = solved()
    case = "press"
    view = View(field.key, case=case)
    same = difference_map(project, answer, answer, view)
    assert len(np.unique(same.rgb, axis=0)) <= 2
    doubled = dataclasses.replace(
        answer.solution,
        strains=2 * answer.solution.strains,
        displacement=2 * answer.solution.displacement,
    )
    # What presses on the faces is twice as much then, too: the stress across plies ends there.
    pressed = dataclasses.replace(PRESS, value=2 * PRESS.value)
    cases = tuple(
        dataclasses.replace(c, loads=(pressed,)) if c.loads == (PRESS,) else c
        for c in answer.inputs.cases
    )
    softer = dataclasses.replace(
        answer,
        inputs=dataclasses.replace(answer.inputs, cases=cases),
        solved=dataclasses.replace(answer.solved, solution=doubled),
    )
    assert (nearest(answer, softer) == np.arange(answer.layout().mesh.count)).all()
    if field.sort in ("section", "ply", "motion"):
        now, then = values(answer, view), values(softer, view)
        size = np.abs(now).max() + 1e-30
        np.testing.assert_allclose(then, 2 * now, atol=1e-9 * size)
        other = difference_map(project, answer, softer, view)
        if np.ptp(now) > 1e-6 * size:
            assert len(np.unique(other.rgb, axis=0)) > 2


def test_the_material_of_the_plate_is_the_one_the_reference_uses() -> None:
    """The written-out tensor takes its constants from any material: none is built in."""
    other = dataclasses.replace(CARBON, E1=1.0, E2=1.0, nu12=0.0, G12=1.0)
    np.testing.assert_allclose(voigt(tensor(other)), np.eye(3))
