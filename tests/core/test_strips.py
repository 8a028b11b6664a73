"""Large deflections of strips: against numbers of the books, limits, and the equations anew."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from scipy.integrate import solve_bvp, solve_ivp

from tartan.core.errors import StackError
from tartan.core.laminate.arches import Arch, _Path, arch_loads, arch_path
from tartan.core.laminate.strips import Strip, cantilever_force, cantilever_moment, pinned

STRIP = Strip(0.2, 7.5e7, 10.0)
BENT = Strip(0.2, 7.5e7, 6.2, -1.6e4)


@pytest.mark.parametrize(
    ("load", "w", "u", "turn"),
    # K. Mattiasson, Int. J. Numerical Methods in Engineering 17 (1981), 145-153.
    [
        (1.0, 0.30172, 0.05643, 0.46135),
        (4.0, 0.66996, 0.32894, 1.12124),
        (10.0, 0.81061, 0.55500, 1.43029),
    ],
)
def test_the_elastica_has_the_figures_of_the_table(
    load: float, w: float, u: float, turn: float
) -> None:
    found = cantilever_force(STRIP, load * STRIP.D / STRIP.length**2)
    assert found.deflection / STRIP.length == pytest.approx(w, abs=1e-5)
    assert found.shortening / STRIP.length == pytest.approx(u, abs=1e-5)
    assert found.rotation == pytest.approx(turn, abs=1e-5)


@pytest.mark.parametrize("load", [1e-7, 1e-3, 0.3, 7.0, 60.0, 400.0])
def test_the_elastica_is_its_equation_integrated(load: float) -> None:
    force = load * STRIP.D / STRIP.length**2
    found = cantilever_force(STRIP, force)
    run = solve_ivp(
        lambda _, y: [y[1], -force / STRIP.D * math.cos(y[0]), math.sin(y[0]), 1 - math.cos(y[0])],
        (0, STRIP.length),
        [0.0, found.moment / STRIP.D, 0.0, 0.0],
        rtol=1e-12,
        atol=1e-18,
        method="DOP853",
    )
    turn, bend, w, u = run.y[:, -1]
    # What leaves the clamp with this moment grows as exp(load**0.5): its end is less sharp.
    within = 1e-9 * math.exp(math.sqrt(load))
    assert abs(bend) * STRIP.length < max(within, 1e-9)
    if load < 50:
        assert found.rotation == pytest.approx(turn, rel=1e-7)
        assert found.deflection == pytest.approx(w, rel=1e-7)
        assert found.shortening == pytest.approx(u, rel=1e-6)
    assert cantilever_force(STRIP, -force) == found


def test_small_loads_and_moments_bend_as_beams_do() -> None:
    found = cantilever_force(STRIP, 1e-4)
    assert found.deflection == pytest.approx(1e-4 * STRIP.length**3 / 3 / STRIP.D, rel=1e-6)
    arc = cantilever_moment(STRIP, 1e-3)
    assert arc.deflection == pytest.approx(1e-3 * STRIP.length**2 / 2 / STRIP.D, rel=1e-6)
    whole = cantilever_moment(STRIP, 2 * math.pi * STRIP.D / STRIP.length)
    # Bent into a circle, its end is back at the clamp.
    assert whole.deflection == pytest.approx(0.0, abs=1e-15)
    assert whole.shortening == pytest.approx(STRIP.length)
    assert cantilever_force(STRIP, 0.0).deflection == cantilever_moment(STRIP, 0.0).moment == 0.0


def _pinned_anew(strip: Strip, pressure: float, guess: float) -> tuple[float, float]:
    """Deflection and tension by collocation of the equations, from a guess of the tension."""
    L = strip.length
    x = np.linspace(0, L, 60)

    def slopes(_: np.ndarray, y: np.ndarray, p: np.ndarray) -> np.ndarray:
        w1, w2 = y[1], y[2]
        fourth = (p[0] * w2 + pressure) / strip.left
        stretch = (p[0] + strip.B * w2) / strip.A
        return np.stack([w1, w2, y[3], fourth, stretch - w1**2 / 2])

    def ends(a: np.ndarray, b: np.ndarray, p: np.ndarray) -> np.ndarray:
        edge = strip.B * p[0] / strip.A / strip.left
        return np.array([a[0], b[0], a[2] - edge, b[2] - edge, a[4], b[4]])

    start = np.zeros((5, 60))
    shape = pinned(strip, pressure).deflection
    start[0] = shape * np.sin(np.pi * x / L)
    start[1] = shape * np.pi / L * np.cos(np.pi * x / L)
    start[2] = -shape * (np.pi / L) ** 2 * np.sin(np.pi * x / L)
    run = solve_bvp(slopes, ends, x, start, p=[guess], tol=1e-9, max_nodes=20000)
    assert run.success, run.message
    return float(run.sol(L / 2)[0]), float(run.p[0])


@pytest.mark.parametrize("strip", [STRIP, BENT])
@pytest.mark.parametrize("pressure", [40.0, -40.0, 900.0, -3e4])
def test_a_hinged_strip_is_its_equations_solved_anew(strip: Strip, pressure: float) -> None:
    found = pinned(strip, pressure)
    w, tension = _pinned_anew(strip, pressure, found.tension * 1.05)
    assert found.deflection == pytest.approx(w, rel=1e-5)
    assert found.tension == pytest.approx(tension, rel=1e-5)


def test_a_hinged_strip_in_its_limits() -> None:
    # Small: a beam; of a symmetric stack both signs are alike.
    small = pinned(STRIP, 1e-3)
    beam = 5 * 1e-3 * STRIP.length**4 / 384 / STRIP.D
    assert small.deflection == pytest.approx(beam, rel=1e-6)
    assert small.moment == pytest.approx(1e-3 * STRIP.length**2 / 8, rel=1e-6)
    one, other = pinned(STRIP, 700.0), pinned(STRIP, -700.0)
    assert (one.deflection, one.tension) == pytest.approx((-other.deflection, other.tension))
    # Large: a membrane, w = (3/64 q L⁴/A)^(1/3) and N = (q² L² A / 24)^(1/3).
    big = pinned(STRIP, 1e9)
    tension = (1e18 * STRIP.length**2 * STRIP.A / 24) ** (1 / 3)
    assert big.tension == pytest.approx(tension, rel=0.02)
    assert big.deflection == pytest.approx(1e9 * STRIP.length**2 / 8 / tension, rel=0.02)
    # Turned over, the coupling changes its sign.
    turned = replace(BENT, B=-BENT.B)
    a, b = pinned(BENT, 300.0), pinned(turned, -300.0)
    assert (a.deflection, a.slope) == pytest.approx((-b.deflection, -b.slope), rel=1e-9)
    assert pinned(BENT, 0.0).deflection == 0.0


def _arch_anew(arch: Arch, middle: float, guess: tuple[float, float]) -> float:
    """Load at a deflection of the middle, by collocation over half the span."""
    strip, R = arch.strip, arch.radius
    a = strip.length / 2
    x = np.linspace(0, a, 80)

    def slopes(x: np.ndarray, y: np.ndarray, p: np.ndarray) -> np.ndarray:
        thrust, load = p
        q = 0.0 if arch.force else load
        fourth = (q - thrust / R - thrust * y[2]) / strip.D
        stretch = -thrust / strip.A - x / R * y[1] - y[1] ** 2 / 2
        return np.stack([y[1], y[2], y[3], fourth, stretch])

    def ends(m: np.ndarray, e: np.ndarray, p: np.ndarray) -> np.ndarray:
        kick = p[1] / (2 * strip.D) if arch.force else 0.0
        held = e[1] if arch.clamped else e[2]
        return np.array([m[0] - middle, m[1], m[3] - kick, m[4], e[0], held, e[4]])

    start = np.zeros((5, 80))
    start[0] = middle * np.cos(np.pi * x / 2 / a)
    run = solve_bvp(slopes, ends, x, start, p=guess, tol=1e-7, max_nodes=4000)
    assert run.success, run.message
    return float(run.p[1])


@pytest.mark.parametrize("clamped", [False, True])
@pytest.mark.parametrize("force", [False, True])
@pytest.mark.parametrize("radius", [2.5, 6.0])
def test_an_arch_is_its_equations_solved_anew(
    radius: float, *, clamped: bool, force: bool
) -> None:
    arch = Arch(STRIP, radius, clamped, force)
    for share in (0.05, 0.3, 0.6):
        wanted = share * arch.rise
        load = arch_loads(arch, [wanted])[0]
        assert load is not None
        path = _Path(arch)
        places = np.linspace(1e-5, math.pi / 2, 400)
        at = places[np.argmin([abs(path.at(float(s))[1] - wanted) for s in places])]
        thrust = STRIP.D * (path.states.end * math.sin(float(at)) / path.states.a) ** 2
        again = _arch_anew(arch, wanted, (thrust, load * 1.02))
        assert load == pytest.approx(again, rel=1e-5)


def test_a_flat_arch_grows_throughout_and_a_high_one_gives_way_to_a_side() -> None:
    flat = arch_path(Arch(STRIP, 60.0))
    assert (flat.limit, flat.bifurcation, flat.bifurcation_first) == (None, None, False)
    middle = arch_path(Arch(STRIP, 4.0))
    assert middle.limit is not None
    high = arch_path(Arch(STRIP, 1.0))
    assert high.bifurcation_first
    assert high.limit is not None
    assert high.bifurcation is not None
    assert high.bifurcation < high.limit
    # At the limit the load is greatest among its neighbours on the path.
    arch = Arch(STRIP, 2.5)
    found = arch_path(arch)
    assert found.limit is not None
    assert found.limit_deflection is not None
    near = arch_loads(arch, [found.limit_deflection * f for f in (0.97, 1.0)])
    assert near[0] < found.limit  # type: ignore[operator]
    assert near[1] == pytest.approx(found.limit, rel=1e-9)
    # The thrust at which it gives way to a side is that of a column of half its length.
    assert arch_loads(arch, [0.0, 1e9]) == [0.0, None]


def test_a_slight_load_moves_an_arch_as_linear_theory_says() -> None:
    """Twice the load, twice the deflection; clamped ends move less, and a force more."""
    for clamped in (False, True):
        for force in (False, True):
            arch = Arch(STRIP, 2.5, clamped, force)
            one, two = arch_loads(arch, [1e-7, 2e-7])
            assert two == pytest.approx(2 * one, rel=1e-3)  # type: ignore[operator]
    stiff, soft = (arch_loads(Arch(STRIP, 2.5, c), [1e-6])[0] for c in (True, False))
    assert stiff > soft  # type: ignore[operator]


def test_strips_and_arches_that_cannot_be_are_refused() -> None:
    for values in ((0.0, 1.0, 1.0), (1.0, -1.0, 1.0), (1.0, 1.0, math.nan), (1.0, 1.0, 1.0, 2.0)):
        with pytest.raises(StackError, match="no length or stiffness"):
            Strip(*values)
    for radius in (0.0, 0.05, -1.0, math.inf, math.nan):
        with pytest.raises(StackError, match="no radius"):
            Arch(STRIP, radius)
