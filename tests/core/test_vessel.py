"""Domes and what is wound on them, against closed forms, equilibrium and counted tow."""

import itertools
import math

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.vessel.isotensoid import Isotensoid
from tartan.core.vessel.meridian import (
    Dome,
    Ellipsoid,
    Profile,
    Torisphere,
    membrane_forces,
)
from tartan.core.vessel.netting import netting, netting_stress
from tartan.core.vessel.plan import Hoop, Layer, LayerOn, Mandrel, Plain, lay_plan
from tartan.core.vessel.winding import Helical, WoundDome

Array = NDArray[np.float64]
R = 0.2
DOMES: dict[str, Dome] = {
    "sphere": Ellipsoid(R, R),
    "flat ellipsoid": Ellipsoid(R, 0.1),
    "isotensoid": Isotensoid(R, 0.05),
    "torisphere": Torisphere(R, 0.36, 0.04),
}


def polygon(dome: Dome, end: float, count: int = 6000) -> Profile:
    """Straight lines along a dome, each point of which is taken from its pieces."""
    points: list[tuple[float, float]] = []
    for piece in dome.pieces(end):
        r, z, _, _ = piece.at(np.linspace(0.0, 1.0, count))
        points += list(zip(r.tolist(), z.tolist(), strict=True))
    kept = [points[0]]
    for p in points[1:]:
        if p[0] < kept[-1][0] - 1e-13:
            kept.append(p)
    return Profile(tuple(kept))


@pytest.mark.parametrize("name", DOMES)
def test_a_dome_is_the_chain_of_its_chords(name: str) -> None:
    dome, end = DOMES[name], 0.052
    radii = np.linspace(end, R, 9)
    z, s = dome.places(radii)
    chords = polygon(dome, end)
    for mine, theirs in zip((z, s), chords.places(radii), strict=True):
        np.testing.assert_allclose(mine, theirs, rtol=2e-6, atol=1e-9)
    assert (np.diff(z) < 0).all()
    layer = Helical(0.045, 0.014, 0.3e-3)
    wound, rough = WoundDome(dome, layer), WoundDome(chords, layer)
    assert wound.path_length == pytest.approx(rough.path_length, rel=1e-5)
    assert wound.turn_angle == pytest.approx(rough.turn_angle, rel=1e-5)


def test_geodesics_of_a_sphere_are_great_circles_and_of_a_cone_straight() -> None:
    for opening in (0.01, 0.05, 0.15):
        wound = WoundDome(DOMES["sphere"], Helical(opening, 0.01, 1e-3, "centre"))
        assert wound.path_length == pytest.approx(math.pi * R / 2, rel=1e-10)
        assert wound.turn_angle == pytest.approx(math.pi / 2, rel=1e-10)
    # Unrolled, the cone is a sector and the path its straight line to the nearest point.
    height, top = 0.3, 0.02
    cone = Profile(((R, 0.0), (top, height)))
    wound = WoundDome(cone, Helical(0.06, 0.01, 1e-3, "centre"))
    slant = math.hypot(R - top, height) / (R - top)
    far, near = R * slant, 0.06 * slant
    assert wound.path_length == pytest.approx(math.sqrt(far**2 - near**2), rel=1e-10)
    assert wound.turn_angle == pytest.approx(math.acos(near / far) * slant, rel=1e-10)


@pytest.mark.parametrize("name", DOMES)
def test_membrane_forces_are_in_equilibrium(name: str) -> None:
    dome, p = DOMES[name], 2e6
    radii = np.linspace(0.0625, R, 50)
    along, hoop = membrane_forces(dome, radii, p)
    one, two = dome.curvature(radii)
    # Across the wall, and of the cap that a circle of latitude cuts off.
    np.testing.assert_allclose(along * one + hoop * two, p, rtol=1e-12)
    np.testing.assert_allclose(2 * np.pi * radii * along * radii * two, p * np.pi * radii**2)
    # The curvatures are those of the drawn shape.
    step = 1e-7
    inner = radii[(np.abs(radii - 0.1777) > 1e-3) & (radii < R - 1e-3)]
    (a, _), (b, _) = (dome.places(inner + s) for s in (-step, step))
    slope = (b - a) / (2 * step)
    np.testing.assert_allclose(
        np.abs(slope) / np.hypot(slope, 1) / inner, dome.curvature(inner)[1], rtol=1e-5
    )


def test_fibres_of_an_isotensoid_are_all_pulled_alike() -> None:
    dome = Isotensoid(R, 0.05)
    radii = np.linspace(0.0625, R, 40)
    along, hoop = membrane_forces(dome, radii, 1e6)
    wound = WoundDome(dome, Helical(0.05, 0.01, 1e-3, "centre"))
    alpha = wound.angle(radii)
    np.testing.assert_allclose(hoop / along, np.tan(alpha) ** 2, rtol=1e-10)
    fibre = along / (wound.plain_thickness(radii) * np.cos(alpha) ** 2)
    np.testing.assert_allclose(fibre, fibre[0], rtol=1e-10)
    inside = np.array([0.0501, dome.r_inflection * 0.99])
    assert dome.curvature(inside)[0].tolist() == [0, 0]


@example("flat ellipsoid", 0.05709041271698871, 0.05709041271698871, "edge", 1.0)
@settings(max_examples=40)
@given(
    kind=st.sampled_from(sorted(DOMES)),
    opening=st.floats(0.02, 0.12),
    width=st.floats(0.002, 0.06),
    turning=st.sampled_from(["edge", "centre"]),
    coverage=st.floats(0.3, 2.0),
)
def test_what_is_laid_is_what_the_tow_brings(
    kind: str, opening: float, width: float, turning: str, coverage: float
) -> None:
    layer = Helical(opening, width, 0.4e-3, turning, coverage, 2)  # type: ignore[arg-type]
    wound = WoundDome(DOMES[kind], layer)
    r0, t = wound.turning_radius, layer.thickness
    # Clairaut, and as many tows across every circle.
    radii = np.linspace(wound.outer, R, 7)
    np.testing.assert_allclose(radii * np.sin(wound.angle(radii)), r0, rtol=1e-12)
    np.testing.assert_allclose(
        wound.thickness(radii) * radii * np.cos(wound.angle(radii)),
        t * R * np.cos(wound.angle(np.array(R))),
        rtol=1e-10,
    )
    # Joined without a step or a corner.
    if wound.outer < R * 0.99:
        b, h = wound.outer, 1e-6 * width
        inside, at, outside = wound.thickness(np.array([b - h, b, b + h]))
        assert inside == pytest.approx(at, rel=1e-4)
        assert (at - inside) / h == pytest.approx((outside - at) / h, rel=2e-3)
    assert np.isfinite(wound.peak[0])
    assert wound.inner <= wound.peak[1] <= wound.outer
    # The volume of the smoothed layer, by a rule that knows nothing of how it is made.
    total = 0.0
    corner = min(r0 + width / 2, wound.outer)
    chords = DOMES[kind].pieces(wound.inner)
    joints = {p.start for p in chords} | {p.end for p in chords}
    marks = sorted({wound.inner, corner, wound.outer, R, *joints})
    for low, high in itertools.pairwise(marks):
        if high - low < 1e-12:
            continue
        # Cosine spacing: slopes without bound at the ends cost nothing.
        angle = (np.arange(1000) + 0.5) / 1000 * np.pi
        r = (low + high) / 2 - (high - low) / 2 * np.cos(angle)
        weight = (high - low) / 2 * np.sin(angle) * np.pi / 1000
        # Near its ends a band is narrow: a shorter step would leave no digits of the slope.
        edge = r + 1e-5 * np.minimum(r - low, high - r)
        _, s = DOMES[kind].places(np.stack([r, edge]))
        slant = (s[0] - s[1]) / (edge - r)
        total += float(2 * np.pi * (wound.thickness(r) * r * slant) @ weight)
    assert total == pytest.approx(wound.volume, rel=2e-5)


def test_conservation_to_all_digits() -> None:
    wound = WoundDome(DOMES["sphere"], Helical(0.045, 0.014, 0.3e-3))
    # On a sphere ds/dr is known: nothing is left but the thickness itself.
    a, b = wound.inner, wound.outer
    corner = wound.turning_radius + 0.007
    total = 0.0
    nodes, weights = np.polynomial.legendre.leggauss(200)
    for low, high in ((a, corner), (corner, b), (b, R)):
        angle = (nodes + 1) / 2 * np.pi
        r = (low + high) / 2 - (high - low) / 2 * np.cos(angle)
        w = weights * np.pi / 2 * (high - low) / 2 * np.sin(angle)
        slant = 1 / np.sqrt((1 - r / R) * (1 + r / R))
        total += float(2 * np.pi * (wound.thickness(r) * r * slant) @ w)
    assert total == pytest.approx(wound.volume, rel=1e-9)
    # Tow counted piece by piece: bands across the cylinder, each as long as its path.
    layer, alpha = wound.layer, float(wound.angle(np.array(R)))
    bands = 2 * math.pi * R * math.cos(alpha) / layer.bandwidth * layer.coverage
    tow = 2 * bands * layer.bandwidth * layer.ply_thickness * wound.path_length
    assert wound.volume == pytest.approx(tow, rel=1e-12)


def test_netting_carries_the_burst_pressure_by_hand() -> None:
    alpha, pressure, strength, Vf, ratio = math.radians(20), 60e6, 2.4e9, 0.6, 0.85
    plan = netting(R, alpha, pressure, strength, Vf, ratio)
    helical = plan.helical * ratio * strength * Vf
    assert helical * math.cos(alpha) ** 2 == pytest.approx(pressure * R / 2)
    hoop = plan.hoop * strength * Vf + helical * math.sin(alpha) ** 2
    assert hoop == pytest.approx(pressure * R)
    with pytest.raises(PartError, match=r"54\.7"):
        netting(R, math.radians(60), pressure, strength, Vf)


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda: Ellipsoid(R, -1.0), "high"),
        (lambda: Ellipsoid(math.nan, 0.1), "radius"),
        (lambda: Isotensoid(R, 0.17), "too large"),
        (lambda: Isotensoid(R, 0.0), "positive"),
        (lambda: Torisphere(R, 0.1, 0.02), "crown"),
        (lambda: Torisphere(R, 0.4, 0.3), "knuckle"),
        (lambda: Profile(((R, 0.0), (0.1, 0.1), (0.12, 0.2))), "turns back: point 3"),
        (lambda: Profile(((R, 0.0),)), "two points"),
        (lambda: Profile(((R, 0.0), (0.1, math.inf))), "no number"),
        (lambda: WoundDome(DOMES["sphere"], Helical(0.25, 0.01, 1e-3)), "not smaller"),
        (lambda: WoundDome(DOMES["sphere"], Helical(0.19, 0.05, 1e-3)), "no room"),
        (lambda: WoundDome(DOMES["sphere"], Helical(0.05, 0.01, -1e-3)), "ply thickness"),
        (lambda: WoundDome(DOMES["sphere"], Helical(0.05, 0.0, 1e-3)), "band width"),
        (lambda: WoundDome(DOMES["sphere"], Helical(0.05, 0.01, 1e-3, coverage=0)), "coverage"),
        (
            lambda: WoundDome(Profile(((R, 0.0), (0.1, 0.1))), Helical(0.05, 0.01, 1e-3)),
            "ends at a radius",
        ),
        (lambda: DOMES["sphere"].places(np.array([0.3])), "not on"),
        (lambda: DOMES["sphere"].places(np.array([-0.01])), "not on"),
    ],
)
def test_what_cannot_be_wound_is_refused(make, words: str) -> None:  # type: ignore[no-untyped-def]
    with pytest.raises(PartError, match=words):
        make()


MANDREL = Mandrel(R, 0.5, (DOMES["isotensoid"], DOMES["sphere"]), (0.045, 0.045))


def laid_on(layers: list[Layer], count: int = 60) -> tuple[Array, Array, list[LayerOn]]:
    lower, upper = (np.linspace(0.0455, R - 1e-6, count) for _ in range(2))
    z = np.concatenate(
        [
            -MANDREL.domes[0].places(lower)[0],
            np.linspace(0.0, 0.5, 21),
            0.5 + MANDREL.domes[1].places(upper)[0],
        ]
    )
    r = np.concatenate([lower, np.full(21, R), upper])
    return r, z, lay_plan(MANDREL, layers, r, z)


def test_a_plan_of_one_layer_is_that_layer_and_the_next_lies_on_it() -> None:
    helical = Helical(0.045, 0.012, 0.4e-3)
    r, z, (first, second) = laid_on([helical, helical])
    alone = WoundDome(MANDREL.domes[1], helical)
    upper = z > 0.5
    np.testing.assert_allclose(first.thickness[upper], alone.thickness(r[upper]), rtol=1e-12)
    np.testing.assert_allclose(first.angle[upper], alone.angle(r[upper]), rtol=1e-12)
    on = (z >= 0) & (z <= 0.5)
    np.testing.assert_allclose(first.thickness[on], helical.thickness, rtol=1e-12)
    # The second lies on a cylinder that is thicker by the first: Clairaut there.
    np.testing.assert_allclose(
        np.sin(second.angle[on]), helical.turning_radius / (R + helical.thickness), rtol=1e-12
    )
    np.testing.assert_allclose(second.thickness[on], helical.thickness, rtol=1e-12)
    # On a sphere that has grown by a thin even layer the angle is that of the greater radius.
    _, _, (_, lifted) = laid_on([Plain(1e-3), helical])
    grown = r[upper] * (1 + 1e-3 / R)
    np.testing.assert_allclose(
        np.sin(lifted.angle[upper]), np.minimum(helical.turning_radius / grown, 1), rtol=2e-5
    )


def test_hoops_lie_between_their_ends_and_step_back() -> None:
    hoop = Hoop(0.05, 0.1, 0.25e-3, passes=3, step_back=0.05)
    _, z, (made,) = laid_on([hoop])
    inside = (z >= 0.05) & (z <= 0.4)
    assert not made.thickness[~inside].any()
    assert made.thickness[(z >= 0.15) & (z <= 0.3)] == pytest.approx(0.75e-3)
    assert made.thickness[(z >= 0.1) & (z < 0.149)] == pytest.approx(0.5e-3)
    assert (made.angle == np.pi / 2).all()


@pytest.mark.parametrize(
    ("layer", "words"),
    [
        (Hoop(0.3, 0.3, 1e-3), "no room"),
        (Hoop(0.0, 0.0, 1e-3, 3, 0.2), "no room"),
        (Hoop(0.0, 0.0, -1e-3), "no layer"),
        (Hoop(-0.1, 0.0, 1e-3), "no room"),
        (Helical(0.3, 0.01, 1e-3), "not smaller"),
        (Helical(0.02, 0.01, 1e-3), "outside"),
    ],
)
def test_a_layer_that_cannot_be_wound_is_named(layer: Layer, words: str) -> None:
    with pytest.raises(PartError, match=words) as caught:
        laid_on([Plain(1e-3), layer])
    assert caught.value.subject == "Layer 2"


def test_many_layers_stay_finite_and_conserve_their_tow() -> None:
    helical, wide = Helical(0.045, 0.012, 0.3e-3), Helical(0.08, 0.012, 0.3e-3)
    r, z, found = laid_on([helical, Hoop(0, 0, 0.3e-3), wide] * 8, 400)
    whole = sum(layer.thickness for layer in found)
    assert np.isfinite(whole).all()
    assert (whole > 0).all()
    # Each lies on a greater radius than the one below, so its angle on the cylinder falls.
    at = int(np.abs(z - 0.25).argmin())
    falls = [float(layer.angle[at]) for layer in found[::3]]
    assert (np.diff(falls) < 0).all()
    # Tow of a layer on the upper dome, by trapezia over what it lies on, against its own path.
    on = z > 0.5
    line = MANDREL.domes[1]
    below = found[0].thickness[on]
    sine = r[on] / R
    outer, rise = r[on] + below * sine, line.places(r[on])[0] + below * np.sqrt(1 - sine**2)
    order = np.argsort(outer)
    steps = np.hypot(np.diff(outer[order]), np.diff(rise[order]))
    t = found[2].thickness[on][order]
    ring = 2 * np.pi * outer[order] * t
    mine = float((steps * (ring[1:] + ring[:-1]) / 2).sum())
    own = WoundDome(Profile(tuple(zip(outer[order][::-1], rise[order][::-1], strict=True))), wide)
    assert mine == pytest.approx(own.volume, rel=0.02)


def test_volumes_of_a_plan_are_those_of_cylinder_and_domes() -> None:
    helical = Helical(0.045, 0.012, 0.4e-3, pairs=2)
    _, _, (first,) = laid_on([helical])
    domes = sum(WoundDome(d, helical).volume for d in MANDREL.domes)
    assert first.volume == pytest.approx(
        2 * math.pi * R * helical.thickness * MANDREL.length + domes, rel=1e-12
    )
    hoop = Hoop(0.05, 0.1, 0.25e-3, passes=2, step_back=0.01)
    _, _, (made,) = laid_on([hoop])
    rings = R * 0.35 + (R + 0.25e-3) * 0.33
    assert made.volume == pytest.approx(2 * math.pi * 0.25e-3 * rings, rel=1e-12)


def test_netting_stress_balances_the_pressure_and_undoes_the_design() -> None:
    alpha, burst, strength, Vf = math.radians(18), 70e6, 3.5e9, 0.6
    plan = netting(R, alpha, burst, strength, Vf, 0.9)
    found = netting_stress(R, burst, [(alpha, plan.helical)], plan.hoop)
    assert found.hoop == pytest.approx(strength * Vf)
    assert found.helical == pytest.approx(0.9 * strength * Vf)
    assert found.ratio == pytest.approx(0.9)
    mixed = netting_stress(R, 1e6, [(0.3, 1e-3), (0.9, 2e-3)], 3e-3)
    pulled = sum(mixed.helical * t * math.cos(a) ** 2 for a, t in ((0.3, 1e-3), (0.9, 2e-3)))
    assert pulled == pytest.approx(1e6 * R / 2)
    assert math.isnan(netting_stress(R, 1e6, [(0.3, 1e-3)], 0.0).hoop)
    with pytest.raises(PartError, match="helical"):
        netting_stress(R, 1e6, [], 1e-3)


@pytest.mark.parametrize("name", DOMES)
def test_a_path_off_the_geodesic_is_held_by_the_friction_it_is_said_to_need(name: str) -> None:
    dome, turn = DOMES[name], 0.06
    geodesic = math.asin(turn / R)
    bare = WoundDome(dome, Helical(turn, 0.01, 1e-3, "centre"))
    same = WoundDome(dome, Helical(turn, 0.01, 1e-3, "centre", angle=geodesic))
    assert same.off is not None
    assert same.off.friction < 1e-6
    assert same.path_length == pytest.approx(bare.path_length, rel=1e-5)
    assert same.volume == pytest.approx(bare.volume, rel=1e-5)
    needed = []
    for angle in (0.8, 1.1, 1.3):
        wound = WoundDome(dome, Helical(turn, 0.01, 1e-3, "centre", angle=angle * geodesic))
        assert wound.off is not None
        needed.append(wound.off.friction)
        ends = wound.angle(np.array([R, turn]))
        assert np.degrees(ends) == pytest.approx([np.degrees(angle * geodesic), 90], abs=0.02)
        # Sideways over normal curvature, from the drawn path alone.
        r = np.linspace(0.19, 0.09, 41)
        r = r[np.abs(r - 0.1777) > 4e-3]
        step = 1e-5
        _, s = dome.places(np.stack([r - step, r + step]))
        sideways = (wound.clairaut(r - step) - wound.clairaut(r + step)) / (s[0] - s[1]) / r
        one, two = dome.curvature(r)
        alpha = wound.angle(r)
        normal = np.cos(alpha) ** 2 * one + np.sin(alpha) ** 2 * two
        np.testing.assert_allclose(np.abs(sideways / normal), needed[-1], rtol=2e-2)
        # Nothing is lost of the tow.
        assert wound.thickness(np.array(R)) == pytest.approx(2e-3, rel=1e-6)
        assert wound.peak[0] > 2e-3
    assert needed[1] < needed[2]
    with pytest.raises(PartError, match="No friction holds"):
        WoundDome(dome, Helical(turn, 0.01, 1e-3, "centre", angle=1.5)).angle(np.array(R))


def test_a_chain_of_chords_has_no_friction_to_tell() -> None:
    chords = polygon(DOMES["sphere"], 0.05, 50)
    with pytest.raises(PartError, match="no curvature"):
        WoundDome(chords, Helical(0.06, 0.01, 1e-3, angle=0.4)).angle(np.array(R))
