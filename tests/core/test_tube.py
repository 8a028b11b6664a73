"""Laminates as tubes: forces, growth, burst, buckling, by hand and against classical results."""

import dataclasses

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tartan.core.errors import StackError
from tartan.core.laminate import Laminate, make_laminate
from tartan.core.laminate.loadcase import LoadCase, answer
from tartan.core.laminate.tube import TubeLoad
from tartan.core.materials import Material
from tartan.core.stack import Ply, Stack
from tartan.core.strength.progressive import ply_discount
from tartan.core.vessel.tube import first_burst, growth, last_burst, thick_wall
from tartan.core.vessel.tube_buckling import tube_buckling
from tests.conftest import CARBON

E, NU = 70e9, 0.3
METAL = Material(
    "metal",
    E,
    E,
    NU,
    E / 2 / (1 + NU),
    "isotropic",
    E3=E,
    nu13=NU,
    nu23=NU,
    alpha1=23e-6,
    alpha2=23e-6,
    Xt=300e6,
    Xc=300e6,
    Yt=300e6,
    Yc=300e6,
    S12=170e6,
)
WOUND = dataclasses.replace(CARBON, E3=CARBON.E2, nu13=CARBON.nu12, nu23=0.4)
MATERIALS = {"metal": METAL, "wound": WOUND}
R = 0.5


def wall(*plies: tuple[str, float, float]) -> Laminate:
    return make_laminate(Stack("wall", tuple(Ply(*p) for p in plies)), MATERIALS)


def metal(thickness: float) -> Laminate:
    return wall(("metal", 0.0, thickness))


def case(**given: float | str | bool) -> LoadCase:
    tube = TubeLoad(**({"radius": R} | given))  # type: ignore[arg-type]
    return LoadCase("tube", tube=tube)


def test_forces_of_a_closed_tube_by_hand_on_a_mean_and_on_an_inner_radius() -> None:
    mean = TubeLoad(0.1, pressure=2e6, force=5e3, torque=40.0)
    ring = 2 * np.pi * 0.1
    assert mean.resultants(4e-3) == pytest.approx(
        [2e6 * 0.1 / 2 + 5e3 / ring, 2e6 * 0.1, 40.0 / (ring * 0.1)], rel=1e-14
    )
    assert TubeLoad(0.1, closed=False, pressure=2e6).resultants(4e-3)[0] == 0
    # What presses on the inside is carried by a ring cut in half, and by a ring at the end.
    inner = TubeLoad(0.1, at="inner", pressure=2e6).resultants(4e-3)
    assert inner[1] == pytest.approx(2e6 * 0.1, rel=1e-14)
    assert inner[0] * 2 * np.pi * 0.102 == pytest.approx(2e6 * np.pi * 0.1**2, rel=1e-14)
    outer = TubeLoad(0.1, at="inner", pressure=-2e6).resultants(4e-3)
    assert outer[1] == pytest.approx(-2e6 * 0.104, rel=1e-14)
    assert outer[0] * 2 * np.pi * 0.102 == pytest.approx(-2e6 * np.pi * 0.104**2, rel=1e-14)


def test_growth_of_an_isotropic_tube_by_hand() -> None:
    h, p, F, T, dT = 2e-3, 1e6, 3e4, 800.0, 40.0
    lam = metal(h)
    loads = dataclasses.replace(case(pressure=p, force=F, torque=T, length=2.0), dT=dT)
    found = growth(lam, loads)
    hoop, axial = p * R / h, p * R / 2 / h + F / (2 * np.pi * R * h)
    assert found.hoop == pytest.approx((hoop - NU * axial) / E + 23e-6 * dT, rel=1e-12)
    assert found.radius == pytest.approx(R * found.hoop, rel=1e-14)
    assert found.length == pytest.approx(2 * ((axial - NU * hoop) / E + 23e-6 * dT), rel=1e-12)
    # Twist of a thin tube, T / (G J) with J = 2 π R³ h.
    assert found.twist == pytest.approx(T / (METAL.G12 * 2 * np.pi * R**3 * h), rel=1e-12)


def test_an_unsymmetric_wall_strains_but_keeps_its_curvature() -> None:
    lam = wall(("wound", 90.0, 1e-3), ("wound", 20.0, 1e-3))
    found = answer(lam, case(pressure=1e6))
    assert np.abs(found.total.kappa).max() == 0
    N = np.array([R * 1e6 / 2, R * 1e6, 0.0])
    assert found.total.eps0 == pytest.approx(np.linalg.solve(lam.A, N), rel=1e-10)
    assert np.abs(found.resultants[3:]).max() > 1


def test_burst_by_hand_and_with_a_force_that_stays() -> None:
    lam, sets = metal(2e-3), {"isotropic": ("von_mises",)}
    found = first_burst(lam, case(pressure=5e5), sets)
    # Von Mises of hoop p R/h and half of it along.
    assert found.pressure == pytest.approx(300e6 * 2e-3 / R / np.sqrt(0.75), rel=1e-9)
    open_ = first_burst(lam, case(closed=False), sets)
    assert open_.pressure == pytest.approx(300e6 * 2e-3 / R, rel=1e-9)
    # A force that makes up for the caps leaves an open tube, whatever the pressure entered.
    force = -open_.pressure * np.pi * R**2
    both = first_burst(lam, case(force=force, pressure=1.0), sets)
    assert both.pressure == pytest.approx(open_.pressure, rel=1e-9)
    crushed = first_burst(lam, case(closed=False), sets, -1.0)
    assert crushed.pressure == pytest.approx(-open_.pressure, rel=1e-9)


def test_netting_is_where_ply_failure_ends() -> None:
    # Hoops, and helices at 20°: with the matrix gone the fibres alone carry the pressure.
    lam = wall(
        ("wound", 90.0, 2e-3), ("wound", 20.0, 1e-3), ("wound", -20.0, 1e-3), ("wound", 90.0, 2e-3)
    )
    found = last_burst(lam, case(), "max_stress")
    c = np.cos(np.radians(20.0)) ** 2
    helical, hoop = 2e-3, 4e-3
    # Nx = helical σ c and Ny = hoop σ' + helical σ (1 − c), of p R / 2 and p R.
    assert WOUND.Xt is not None
    along = 2 * WOUND.Xt * helical * c / R
    sigma = along * R / 2 / (helical * c)
    around = (hoop * WOUND.Xt + helical * sigma * (1 - c)) / R
    assert found.pressure == pytest.approx(min(along, around), rel=0.03)
    assert found.mode == "fibre tension"
    first = first_burst(lam, case(), {"ply": ("max_stress",)})
    assert first.pressure < found.pressure


def test_ply_discount_of_a_load_case_is_that_of_its_forces() -> None:
    lam = wall(("wound", 0.0, 1e-3), ("wound", 90.0, 1e-3), ("wound", 0.0, 1e-3))
    flat = LoadCase("flat", (2e5, 1e5, 1e4, 0.0, 0.0, 0.0), dT=-60.0)
    from tartan.core.laminate.response import Load

    by_load = ply_discount(lam, Load(np.array(flat.values[:3]), dT=-60.0), "hashin", "mode")
    by_case = ply_discount(lam, flat, "hashin", "mode")
    assert [s.reserve for s in by_case.steps] == pytest.approx(
        [s.reserve for s in by_load.steps], rel=1e-9
    )
    assert [s.strain for s in by_case.steps] == [
        pytest.approx(s.strain, rel=1e-6, abs=1e-12) for s in by_load.steps
    ]


@settings(max_examples=25)
@given(ratio=st.floats(1e-5, 3e-2), closed=st.booleans(), angle=st.integers(0, 90))
def test_the_thick_wall_goes_over_into_the_thin_one(
    ratio: float, closed: bool, angle: int
) -> None:
    h = ratio * R / 4
    lam = wall(*(("wound", float(a), h) for a in (angle, -angle, -angle, angle)))
    loads = dataclasses.replace(case(pressure=1e6, force=1e4, closed=closed), dT=-50.0)
    found = thick_wall(lam, loads)
    # The steepness of the hoop stress over the radius is that of the wall, times how much more
    # a ply holds along than across.
    assert found.difference < 40 * ratio
    assert found.radial[0, 0] == pytest.approx(-1e6, rel=1e-9)
    assert abs(found.radial[-1, 2]) < 1e-3
    inner = R - 2 * h
    assert np.trapezoid(found.hoop.ravel(), found.radius.ravel()) == pytest.approx(
        1e6 * inner, rel=2e-2
    )


def test_external_pressure_buckles_as_rings_and_panels_do() -> None:
    for h in (1e-2, 1e-3, 5e-6):
        lam = metal(h)
        D = E * h**3 / 12 / (1 - NU**2)
        long = tube_buckling(lam, TubeLoad(R, closed=False, pressure=-1.0), "long")
        # Bresse 1859: rings, 3 D / R³.
        assert long.factor == pytest.approx(3 * D / R**3, rel=1e-4)
        assert (long.around, long.wave) == (2, np.inf)
    # Windenburg and Trilling 1934, good to some hundredths for middling lengths.
    for h, length in ((1e-3, 0.5), (1e-4, 1.0), (1e-3, 2.0)):
        known = 2.42 * E * (h / 2 / R) ** 2.5
        known /= (1 - NU**2) ** 0.75 * (length / 2 / R - 0.45 * np.sqrt(h / 2 / R))
        found = tube_buckling(metal(h), TubeLoad(R, pressure=-1.0, length=length))
        assert found.factor == pytest.approx(known, rel=0.03)
    assert tube_buckling(metal(1e-3), TubeLoad(R, pressure=1.0, length=1.0)).factor == np.inf


def test_axial_force_buckles_classically_and_long_tubes_as_columns() -> None:
    ring = 2 * np.pi * R
    # The classical formula is of many waves round: what a thicker wall falls short of it by goes
    # with √(h / R), as the number of waves does.
    for h in (1e-3, 1e-4, 1e-5):
        lam = metal(h)
        classical = E * h**2 / R / np.sqrt(3 * (1 - NU**2))
        short = tube_buckling(lam, TubeLoad(R, force=-ring, length=0.4))
        assert 0 < 1 - short.factor / classical < 0.3 * np.sqrt(h / R)
    half = tube_buckling(lam, TubeLoad(R, force=-ring, length=0.4, knock_down=0.5))
    assert half.factor == pytest.approx(short.factor / 2, rel=1e-12)
    # Two long waves round, (n² − 1) / (n² + 1) of it (Calladine, Theory of Shell Structures).
    long = tube_buckling(lam, TubeLoad(R, force=-ring), "long")
    assert long.factor == pytest.approx(0.6 * classical, rel=2e-3)
    r, thick, length = 0.05, 2e-3, 20.0
    column = tube_buckling(metal(thick), TubeLoad(r, force=-1.0, length=length))
    euler = np.pi**2 * E * np.pi * r**3 * thick / length**2
    assert column.factor == pytest.approx(euler, rel=1e-3)
    assert column.words == "as a column"
    # A pressure outside presses on the caps, but no closed tube buckles as a column under it.
    closed = tube_buckling(metal(thick), TubeLoad(r, pressure=-1.0, length=length))
    assert closed.around == 2


def test_torque_buckles_long_and_middling_tubes_as_known() -> None:
    h = 1e-3
    lam, one = metal(h), 2 * np.pi * R**2
    long = tube_buckling(lam, TubeLoad(R, torque=one), "long")
    # Schwerin 1925: E / (3 √2 (1 − ν²)^¾) (h/R)^³⁄₂.
    known = E * h / (3 * np.sqrt(2) * (1 - NU**2) ** 0.75) * (h / R) ** 1.5
    assert long.factor == pytest.approx(known, rel=3e-3)
    for length in (1.0, 5.0):
        # Batdorf 1947: k = 0.85 Z^¾.
        Z = length**2 / R / h * np.sqrt(1 - NU**2)
        known = 0.85 * Z**0.75 * np.pi**2 * E * h / 12 / (1 - NU**2) * (h / length) ** 2
        found = tube_buckling(lam, TubeLoad(R, torque=one, length=length))
        assert found.factor == pytest.approx(known, rel=0.02)
    turned = tube_buckling(lam, TubeLoad(R, torque=-one, length=1.0))
    straight = tube_buckling(lam, TubeLoad(R, torque=one, length=1.0))
    assert turned.factor == pytest.approx(straight.factor, rel=1e-9)


def test_skew_plies_buckle_alike_mirrored_with_the_torque_mirrored() -> None:
    one = 2 * np.pi * R**2
    angles = (30.0, -40.0, 75.0)
    lam, mirror = (wall(*(("wound", s * a, 0.4e-3) for a in angles)) for s in (1.0, -1.0))
    there, back, other = (
        tube_buckling(lam, TubeLoad(R, torque=one, length=1.0)).factor,
        tube_buckling(mirror, TubeLoad(R, torque=-one, length=1.0)).factor,
        tube_buckling(lam, TubeLoad(R, torque=-one, length=1.0)).factor,
    )
    assert there == pytest.approx(back, rel=1e-9)
    assert abs(there / other - 1) > 0.01


def test_figures_that_make_no_tube_are_refused() -> None:
    for wrong, words in (
        ({"radius": 0.0}, "radius"),
        ({"radius": np.inf}, "radius"),
        ({"length": -1.0}, "length"),
        ({"knock_down": 0.0}, "knock-down"),
        ({"pressure": np.nan}, "pressure"),
        ({"torque": 1e300}, "torque"),
    ):
        with pytest.raises(StackError, match=words):
            answer(metal(1e-3), case(**wrong))  # type: ignore[arg-type]
    with pytest.raises(StackError, match="no room"):
        answer(metal(0.2), case(radius=0.1))
