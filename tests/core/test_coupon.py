"""Coupons three ways: bars by formula, laminates by theory, edges by balance, refusals."""

import dataclasses

import numpy as np
import pytest

from tartan.core.errors import MaterialError, PartError
from tartan.core.laminate import Laminate
from tartan.core.laminate.response import Load, respond
from tartan.core.shell.assembly import finished
from tartan.core.solid.constants import assumed, lacking
from tartan.core.solid.coupon import FOUR_POINT, LOADINGS, Coupon, CouponAnswer, solve
from tartan.core.solid.freeedge import in_tension
from tests.conftest import CARBON, FOAM, STEEL
from tests.core.test_solid import of

T = 0.25e-3
CROSS = ((0.0, T), (90.0, T), (90.0, T), (0.0, T))
ANGLE = ((45.0, T), (-45.0, T), (-45.0, T), (45.0, T))
BAR = assumed(dataclasses.replace(STEEL, kind="ply", G12=STEEL.E1 / 2 / (1 + STEEL.nu12)))
LENGTH, WIDTH, THICK = 0.1, 0.02, 2e-3


def steel() -> Laminate:
    return of((0.0, THICK / 2), (0.0, THICK / 2), material=BAR)


def answer(laminate: Laminate, coupon: Coupon) -> CouponAnswer:
    return finished(solve(laminate, coupon))


def bar(*given: object, length: float = LENGTH, count: int = 8) -> CouponAnswer:
    """A bar of one material, on as few elements as its formulas ask for."""
    return answer(steel(), Coupon(length, WIDTH, *given, along=count, across=count))  # type: ignore[arg-type]


def ways(found: CouponAnswer) -> tuple[np.ndarray, ...]:
    return found.shell.stress, found.homogenised.stress, found.plies.stress


def moves(found: CouponAnswer) -> tuple[float, ...]:
    return found.shell.moved, found.homogenised.moved, found.plies.moved


def test_a_bar_in_tension_bears_its_force_over_its_section() -> None:
    found = bar("tension", 1000.0)
    for stress in ways(found):
        np.testing.assert_allclose(stress[..., 0], 1000 / WIDTH / THICK, rtol=1e-3)
        np.testing.assert_allclose(stress[..., 1:], 0.0, atol=1e5)
    # Gripped ends hold it across: a little stiffer than free ones.
    free = 1000 * LENGTH / STEEL.E1 / WIDTH / THICK
    for moved in moves(found):
        assert 0.97 * free < moved < free


def test_a_bar_in_bending_turns_and_bears_as_a_beam() -> None:
    found = bar("bending", 1.0)
    for stress in ways(found):
        # A moment about +y pulls the top.
        assert stress[-1, 2, 0] == pytest.approx(6 / WIDTH / THICK**2, rel=3e-3)
        assert stress[0, 0, 0] == pytest.approx(-6 / WIDTH / THICK**2, rel=3e-3)
    turned = 12 * LENGTH / STEEL.E1 / WIDTH / THICK**3
    for moved in moves(found):
        assert 0.96 * turned < moved < turned


def test_a_bar_in_torsion_has_saint_venants_shear() -> None:
    found = bar("torsion", 1.0, count=10)
    J = WIDTH * THICK**3 / 3 * (1 - 0.63 * THICK / WIDTH)
    for stress in ways(found):
        assert abs(stress[-1, 2, 3]) == pytest.approx(THICK / J, rel=0.01)
    # The rate of twist from two lengths: what the grips hold back is in both.
    longer = bar("torsion", 1.0, length=2 * LENGTH, count=10)
    for short, long in zip(moves(found), moves(longer), strict=True):
        assert long - short == pytest.approx(LENGTH / BAR.G12 / J, rel=0.01)


def test_a_bar_slid_by_its_end_is_a_deep_beam() -> None:
    # What the grips keep from warping counts less the longer it is.
    length = 6 * WIDTH
    found = bar("shear", 100.0, length=length, count=10)
    E, G, inertia = STEEL.E1, BAR.G12, WIDTH**3 * THICK / 12
    beam = 100 * (length**3 / 12 / E / inertia + 1.2 * length / G / WIDTH / THICK)
    for moved, stress in zip(moves(found), ways(found), strict=True):
        assert 0.97 * beam < moved < beam
        assert stress[..., 3].mean() == pytest.approx(1.5 * 100 / WIDTH / THICK, rel=0.03)


def test_four_point_bending_is_uniform_between_the_inner_lines() -> None:
    outer, inner, force = 0.08, 0.04, 100.0
    found = bar(FOUR_POINT, force, outer, inner)
    arm, inertia = (outer - inner) / 2, WIDTH * THICK**3 / 12
    peak = force / 2 * arm * THICK / 2 / inertia
    down = force / 2 * arm * (3 * outer**2 - 4 * arm**2) / 24 / STEEL.E1 / inertia
    for moved, stress in zip(moves(found), ways(found), strict=True):
        # Pressed from above: the bottom is pulled.
        assert stress[0, 0, 0] == pytest.approx(peak, rel=5e-3)
        assert stress[-1, 2, 0] == pytest.approx(-peak, rel=5e-3)
        assert moved == pytest.approx(down, rel=0.02)


@pytest.mark.parametrize("plies", [CROSS, ((0.0, T), (45.0, T), (-45.0, T), (90.0, T))])
def test_a_long_coupon_is_laminate_theory_in_its_middle(
    plies: tuple[tuple[float, float], ...],
) -> None:
    """In bending nothing is held at the loaded end: the moment is known, whatever couples."""
    laminate, moment = of(*plies), 0.05
    found = answer(laminate, Coupon(0.08, 0.02, "bending", moment, per_ply=3))
    M = np.array([moment / 0.02, 0.0, 0.0])
    theory = respond(laminate, Load(M=M))
    peak = np.abs(theory.stress_12).max()
    solid = found.plies.stress[..., [0, 1, 3]]
    # A wide strip keeps some of its anticlastic curvature back, alike in solids and shell.
    np.testing.assert_allclose(solid, theory.stress_12, atol=0.04 * peak)
    np.testing.assert_allclose(found.shell.stress[..., [0, 1, 3]], solid, atol=0.01 * peak)


@pytest.mark.parametrize("loading", LOADINGS)
def test_twice_the_load_is_twice_of_all_and_none_is_nothing(loading: str) -> None:
    laminate = of(*ANGLE)
    coupon = Coupon(0.03, 0.01, loading, 2.0, 0.02, 0.01, along=4, across=4, per_ply=1)
    one = answer(laminate, coupon)
    two = answer(laminate, dataclasses.replace(coupon, amount=-4.0))
    none = answer(laminate, dataclasses.replace(coupon, amount=0.0))
    for a, b, c in zip(ways(one), ways(two), ways(none), strict=True):
        scale = np.abs(a).max()
        assert scale > 0
        np.testing.assert_allclose(b, -2 * a, atol=1e-8 * scale)
        assert not c.any()
    np.testing.assert_allclose(moves(two), -2 * np.array(moves(one)), rtol=1e-9)
    assert all(m > 0 for m in moves(one))


def test_one_material_all_through_is_the_same_as_one_solid() -> None:
    laminate = of((30.0, T), (30.0, T), (30.0, T), (30.0, T))
    found = answer(laminate, Coupon(0.03, 0.01, "tension", 50.0, along=6, across=6, per_ply=1))
    peak = np.abs(found.plies.stress).max()
    np.testing.assert_allclose(found.homogenised.stress, found.plies.stress, atol=5e-3 * peak)
    assert found.homogenised.moved == pytest.approx(found.plies.moved, rel=2e-3)


def test_its_free_edge_is_that_of_a_strip_without_end() -> None:
    laminate, width, force = of(*CROSS), 40 * T, 100.0
    coupon = Coupon(8 * width, width, "tension", force, along=10, across=16, per_ply=3)
    found = answer(laminate, coupon)
    assert found.edge is not None
    strain = force / width * np.linalg.inv(laminate.A)[0, 0]
    strip = in_tension(laminate, width, strain, across=16, per_ply=3)
    for ply in range(3):
        mine, theirs = found.edge.mean(ply, T), strip.mean(ply, T)
        np.testing.assert_allclose(mine, theirs, atol=0.01 * np.abs(theirs).max())
    # Far from the edge nothing acts between plies, and both edges are alike.
    middle = len(found.edge.y) // 2
    peak = np.abs(found.edge.between).max()
    assert np.abs(found.edge.between[:, middle]).max() < 1e-3 * peak
    flipped = found.edge.between[:, ::-1] * [-1, -1, 1]
    np.testing.assert_allclose(flipped, found.edge.between, atol=1e-6 * peak)


def test_peeling_lifts_nothing_and_sliding_carries_what_the_plies_bear_across() -> None:
    laminate = of(*CROSS)
    found = answer(laminate, Coupon(0.04, 0.01, "tension", 100.0, along=16, across=14, per_ply=3))
    assert found.edge is not None
    half = len(found.edge.y) // 2
    y = found.edge.y[half:]
    belongs = np.gradient(y)
    belongs[0] = belongs[-1] = 0.0
    ends = np.diff(y)[[0, -1]] / 2
    belongs[[0, -1]] = ends
    for ply in range(3):
        peel = found.edge.between[ply, half:, 2] * belongs
        assert abs(peel.sum()) < 2e-3 * np.abs(peel).sum()
    # σ2 of the 0° ply on top, times its thickness.
    slide = float((found.edge.between[2, half:, 1] * belongs).sum())
    assert slide == pytest.approx(-found.plies.stress[3, 1, 1] * T, rel=0.02)


def test_a_single_ply_has_nothing_between_plies() -> None:
    coupon = Coupon(0.03, 0.01, "tension", 1.0, along=3, across=3, per_ply=2)
    assert answer(of((0.0, T)), coupon).edge is None


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"length": 0.0}, "length"),
        ({"width": -1.0}, "width"),
        ({"length": float("nan")}, "length"),
        ({"width": float("inf")}, "width"),
        ({"loading": "fatigue"}, "fatigue"),
        ({"amount": float("nan")}, "finite"),
        ({"amount": 1e300}, "finite"),
        ({"along": 1}, "1 elements"),
        ({"across": 10_000}, "10000 elements"),
        ({"per_ply": -1}, "through a ply"),
        ({"per_ply": 99}, "through a ply"),
        ({"length": 1e-4}, "thicker"),
        ({"loading": FOUR_POINT, "outer": 0.2, "inner": 0.01}, "lines"),
        ({"loading": FOUR_POINT, "outer": 0.01, "inner": 0.02}, "lines"),
        ({"loading": FOUR_POINT, "outer": 0.02, "inner": 0.0}, "lines"),
        ({"loading": FOUR_POINT, "outer": 0.02, "inner": float("nan")}, "lines"),
        ({"along": 80, "across": 80, "per_ply": 8}, "GB"),
    ],
)
def test_what_cannot_be_made_is_refused_before_it_is_tried(
    changes: dict[str, object], words: str
) -> None:
    coupon = dataclasses.replace(Coupon(0.03, 0.01), **changes)  # type: ignore[arg-type]
    with pytest.raises(PartError, match=words):
        answer(of(*CROSS), coupon)


def test_constants_that_lack_are_estimated_by_the_kind_of_material() -> None:
    ply = dataclasses.replace(CARBON, E3=None, nu13=None, nu23=None)
    full = assumed(ply)
    assert (full.E3, full.nu13) == (ply.E2, ply.nu12)
    assert full.G23 == ply.G23
    assert full.nu23 == pytest.approx(ply.E2 / 2 / ply.G23 - 1)
    # Across a fabric the matrix bears: nothing like its modulus in the plane.
    woven = dataclasses.replace(ply, kind="woven", E2=ply.E1)
    cloth = assumed(woven)
    assert ply.G23 < cloth.E3 < 0.2 * woven.E1
    # A core's stiffness across follows from nothing: it is asked for.
    core = dataclasses.replace(FOAM, kind="core", E3=None, nu13=None, nu23=None)
    assert lacking(assumed(core)) == ("E3",)
    with pytest.raises(MaterialError, match="E3"):
        answer(of((0.0, 5e-3), material=assumed(core)), Coupon(0.06, 0.02))
