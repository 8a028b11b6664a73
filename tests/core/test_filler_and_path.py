"""Resin beside wound layers, and the path of their bands, against counted lengths and volumes."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tartan.core.errors import PartError
from tartan.core.vessel.isotensoid import Isotensoid
from tartan.core.vessel.meridian import Dome, Ellipsoid, Torisphere
from tartan.core.vessel.path import hoop_path, pattern_of, tow_path
from tartan.core.vessel.plan import Hoop, Mandrel, lay_plan
from tartan.core.vessel.polar import polar_angle
from tartan.core.vessel.winding import Helical

R, L, OPENING = 0.1, 0.4, 0.02
DOMES: dict[str, Dome] = {
    "ellipsoid": Ellipsoid(R, 0.06),
    "isotensoid": Isotensoid(R, OPENING),
    "torisphere": Torisphere(R, 0.15, 0.03),
}


def mandrel(dome: Dome, other: Dome | None = None) -> Mandrel:
    return Mandrel(R, L, (dome, other or dome), (OPENING, OPENING))


# Resin


def test_resin_beside_hoops_is_a_wedge_of_the_length_asked_for() -> None:
    layer = Hoop(0.05, 0.08, 0.3e-3, 2, 0.0, run_out=5.0)
    z = np.linspace(0.0, L, 4001)
    (laid,) = lay_plan(mandrel(DOMES["ellipsoid"]), [layer], np.full(len(z), R), z)
    assert laid.filler is not None
    # Two passes of 0.3 mm end at 50 mm: the wedge begins 3 mm before, at 47 mm.
    for at, height in ((0.0469, 0.0), (0.0485, 0.3e-3), (0.1, 0.0), (0.3215, 0.3e-3), (0.324, 0)):
        assert np.interp(at, z, laid.filler) == pytest.approx(height, abs=2e-8)
    # Two rings of a triangular section, each with its centre of area a third of its length out.
    assert laid.filler_volume == pytest.approx(2 * 2 * math.pi * R * 3e-3 * 0.6e-3 / 2, rel=1e-4)
    (bare,) = lay_plan(mandrel(DOMES["ellipsoid"]), [Hoop(0.05, 0.08, 0.3e-3, 2)], R + 0 * z, z)
    assert bare.filler is None
    np.testing.assert_array_equal(bare.thickness, laid.thickness)


def test_resin_of_hoops_runs_on_over_the_tangent_line_and_lifts_what_is_wound_on_it() -> None:
    dome = DOMES["ellipsoid"]
    rise = np.linspace(0.0, 0.004, 9)
    radius = R * np.sqrt(1 - (rise / 0.06) ** 2)
    hoops = Hoop(0.0, 0.0, 1e-3, 1, 0.0, run_out=10.0)
    over = Helical(OPENING, 0.01, 0.25e-3)
    for z in (-rise, L + rise):
        first, helical = lay_plan(mandrel(dome), [hoops, over], radius, z)
        assert first.filler is not None
        # So near the equator the arc is the rise, to a few thousandths.
        np.testing.assert_allclose(first.filler[1:], 1e-3 - rise[1:] / 10, rtol=2e-3)
        # What lies on it turns at the same circle, from a greater radius: by Clairaut.
        own = radius[1:] + first.filler[1:]
        np.testing.assert_allclose(np.sin(helical.angle[1:]), over.turning_radius / own, rtol=2e-3)


@settings(max_examples=15)
@given(
    st.sampled_from(sorted(DOMES)),
    st.floats(1.0, 20.0),
    st.floats(0.03, 0.07),
    st.integers(1, 4),
    st.floats(0.0, 0.004),
)
def test_nothing_falls_off_steeper_than_resin_lets_it(
    name: str, run_out: float, opening: float, passes: int, step: float
) -> None:
    shape = mandrel(DOMES[name])
    hoops = Hoop(0.03, 0.04, 0.3e-3, passes, step, run_out)
    helical = Helical(opening, 0.01, 0.3e-3, run_out=run_out)
    z = np.linspace(0.0, L, 3001)
    (laid,) = lay_plan(shape, [hoops], np.full(len(z), R), z)
    assert laid.filler is not None
    top = laid.thickness + laid.filler
    steepest = np.abs(np.diff(top)).max() / (z[1] - z[0])
    assert steepest <= (1 + 1e-9) / run_out
    assert laid.filler.min() >= 0
    # On the dome: from the crest inwards, by the chords between the points.
    radii = np.linspace(R, OPENING, 1500)
    rise = shape.domes[1].places(radii)[0]
    (wound,) = lay_plan(shape, [helical], radii, L + rise)
    assert wound.filler is not None
    top = wound.thickness + wound.filler
    s = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(radii), np.diff(rise)))])
    crest = int(wound.thickness.argmax())
    # The crest lies between two places: the step over it is left out.
    fall = -np.diff(top)[crest + 1 :] / np.diff(s)[crest + 1 :]
    assert fall.max() <= 1.05 / run_out
    assert wound.filler_volume > 0
    assert wound.filler[: crest - 5].max() < 1e-9


# Path


@pytest.mark.parametrize("name", DOMES)
@pytest.mark.parametrize("opening", [0.025, 0.06])
def test_a_path_is_as_long_as_the_tow_that_is_laid_and_keeps_clairaut(
    name: str, opening: float
) -> None:
    shape, layer = mandrel(DOMES[name], DOMES["ellipsoid"]), Helical(opening, 0.008, 0.3e-3)
    pattern = pattern_of(shape, layer)
    # Bands of this length, as many as cover the cylinder, are the volume of the pair.
    cover = 2 * math.pi * R * math.cos(math.asin(layer.turning_radius / R)) / layer.bandwidth
    (laid,) = lay_plan(shape, [layer], np.array([R]), np.array([L / 2]))
    band = layer.bandwidth * layer.ply_thickness
    assert cover * pattern.length * band == pytest.approx(laid.volume, rel=1e-9)
    assert pattern.circuits == math.ceil(cover)
    points = tow_path(shape, layer, 3)
    steps = np.diff(points, axis=0)
    dwelt = pattern.dwell * layer.turning_radius
    lengths = np.linalg.norm(steps, axis=1)
    assert lengths.sum() == pytest.approx(3 * (pattern.length + dwelt), rel=1e-4)
    # A geodesic: r times the part of the way that runs round stays the same but for the chords.
    middle = (points[1:] + points[:-1]) / 2
    r = np.hypot(middle[:, 0], middle[:, 1])
    around = (middle[:, 0] * steps[:, 1] - middle[:, 1] * steps[:, 0]) / lengths
    assert around == pytest.approx(layer.turning_radius, rel=0.02)
    assert r.min() >= layer.turning_radius * 0.99


@settings(max_examples=50)
@given(st.floats(0.021, 0.08), st.floats(0.004, 0.015), st.floats(0.1, 3.0))
def test_circuits_close_evenly_and_none_is_wound_twice(
    opening: float, band: float, length: float
) -> None:
    shape = Mandrel(R, length, (DOMES["ellipsoid"],) * 2, (OPENING,) * 2)
    pattern = pattern_of(shape, Helical(opening, band, 0.3e-3))
    turned = (pattern.advance + pattern.dwell) * np.arange(pattern.circuits) / (2 * math.pi)
    places = np.sort(turned % 1.0)
    gaps = np.diff(np.append(places, places[0] + 1))
    assert gaps == pytest.approx(1 / pattern.circuits, abs=1e-7)
    assert pattern.dwell >= 0
    cover = 2 * math.pi * R * math.sqrt(1 - ((opening + band / 2) / R) ** 2) / band
    assert pattern.circuits - 1 < cover <= pattern.circuits + 1e-9


def test_hoops_lie_side_by_side_between_their_ends() -> None:
    shape = mandrel(DOMES["ellipsoid"])
    points = hoop_path(shape, Hoop(0.05, 0.03, 0.3e-3, 2, 0.01), 0.01)
    assert np.hypot(points[:, 0], points[:, 1]) == pytest.approx(R)
    assert points[0, 2] == pytest.approx(0.055)
    assert points[:, 2].max() == pytest.approx(L - 0.035)
    # The second pass begins where it ends, back by its step.
    assert points[-1, 2] == pytest.approx(0.065)
    turns = np.abs(np.diff(np.unwrap(np.arctan2(points[:, 1], points[:, 0])))).sum() / 2 / math.pi
    assert turns == pytest.approx((0.31 + 0.29) / 0.01, rel=0.02)
    with pytest.raises(PartError, match="no room"):
        hoop_path(shape, Hoop(0.3, 0.2, 0.3e-3), 0.01)
    # Of so narrow a band all turns would not go into memory.
    for band in (1e-9, 0.0, math.nan):
        with pytest.raises(PartError, match="goes round more than"):
            hoop_path(shape, Hoop(0.05, 0.03, 0.3e-3), band)


# Polar


@pytest.mark.parametrize("name", DOMES)
def test_a_polar_band_lies_in_a_plane_that_touches_both_openings(name: str) -> None:
    shape, turning = mandrel(DOMES[name], DOMES["ellipsoid"]), 0.03
    alpha = polar_angle(shape, turning)
    # From a turn on one side of the axis straight to the one on the other side.
    heights = [float(d.places(np.array([turning]))[0][0]) for d in shape.domes]
    assert math.tan(alpha) * (L + sum(heights)) == pytest.approx(2 * turning, rel=1e-12)
    if name == "torisphere":
        assert heights[0] == pytest.approx(
            math.sqrt(0.15**2 - turning**2) - math.sqrt(0.12**2 - 0.07**2), rel=1e-9
        )
    # Steeper than the geodesic that turns there, and held by friction for it.
    assert alpha < math.asin(turning / R)
    layer = Helical(OPENING, 0.02, 0.3e-3, angle=alpha)
    (laid,) = lay_plan(shape, [layer], np.array([R, 0.06]), np.array([0.2, -0.045]))
    assert 0.01 < laid.friction < 0.6
    assert laid.angle[0] == pytest.approx(alpha)
