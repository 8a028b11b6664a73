"""Stability of sandwiches as criteria: by hand, by brute force, wherever criteria are asked."""

import dataclasses

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from tartan.core.criteria import DEFAULT_SETS, criterion
from tartan.core.criteria.sandwich import THICK, wrinkling_stress
from tartan.core.laminate import Laminate, make_laminate
from tartan.core.laminate.loadcase import LoadCase, answer
from tartan.core.laminate.response import Load, respond
from tartan.core.materials import Material
from tartan.core.search.changes import single_changes
from tartan.core.search.whatif import rank
from tartan.core.shell.margins import assess
from tartan.core.stack import Ply, Stack
from tartan.core.strength.cores import cores_of
from tartan.core.strength.critical import critical_by_sets
from tartan.core.strength.drivers import drivers
from tartan.core.strength.govern import govern
from tartan.core.strength.laminate_reserves import Beside, checks_of, reserves, unchecked
from tartan.core.strength.sandwich import check_sandwich, face_laminate
from tartan.core.strength.theory import soft_core
from tartan.core.working_sandwich import sandwich_working
from tests.conftest import CARBON, STEEL

Array = NDArray[np.float64]
FOAM = Material(
    "foam",
    60e6,
    60e6,
    0.3,
    23e6,
    "core",
    E3=70e6,
    G13=25e6,
    G23=18e6,
    rho=60.0,
    S13=0.8e6,
    S23=0.5e6,
    cell_size=6e-3,
    Zc=0.9e6,
)
MATERIALS = {"carbon": CARBON, "foam": FOAM, "steel": STEEL}
ONLY = {"ply": ("tsai_wu",), "isotropic": ("von_mises",)}


def sandwich(
    core: float = 20e-3,
    faces: float = 1e-3,
    name: str = "carbon",
    angles: tuple[float, float] = (0.0, 0.0),
    foam: Material = FOAM,
) -> Laminate:
    plies = (Ply(name, angles[0], faces), Ply("foam", 0.0, core), Ply(name, angles[1], faces))
    return make_laminate(Stack("s", plies), MATERIALS | {"foam": foam})


def least(lam: Laminate, key: str, load: Load) -> tuple[float, str]:
    found = govern(lam, load, None, ONLY | {"core": (key,)})
    checks = [c for c in checks_of(lam, ONLY | {"core": (key,)}) if c.rule.key == key]
    one = reserves(checks, respond(lam, load).stress_12[None]).governing()
    assert found.reserve <= one.reserve * (1 + 1e-9)
    return one.reserve, one.mode


def test_wrinkling_agrees_with_the_formula_along_x_and_in_shear() -> None:
    lam = sandwich(name="steel")
    N = -5e4
    E = STEEL.E1
    limit = 0.5 * np.cbrt(E * 70e6 * 25e6)
    # Each face takes half, but for what the core takes.
    checked = check_sandwich(lam, 1, Load(np.array([N, 0, 0])), np.zeros(2))
    value, mode = least(lam, "wrinkling", Load(np.array([N, 0, 0])))
    assert value == pytest.approx(checked.faces["bottom_face_x"].reserve, rel=1e-9)
    assert value == pytest.approx(limit / (-N / 2e-3), rel=4e-3)
    assert mode == "face wrinkling, bottom face"
    # Pure shear compresses at 45°, where the core's modulus is the mean of both.
    shear, _ = least(lam, "wrinkling", Load(np.array([0, 0, 5e4])))
    at45 = 0.5 * np.cbrt(E * 70e6 * (25e6 + 18e6) / 2)
    tau = respond(lam, Load(np.array([0, 0, 5e4]))).stress_xy[0, 1, 2]
    assert shear == pytest.approx(at45 / tau, rel=1e-9)


def test_bending_wrinkles_the_face_that_is_pressed_and_tension_none() -> None:
    lam = sandwich()
    for sign, mode in ((1.0, "face wrinkling, bottom face"), (-1.0, "face wrinkling, top face")):
        assert least(lam, "wrinkling", Load(M=np.array([500 * sign, 0, 0])))[1] == mode
    # Pulled evenly both ways nothing is pressed in any direction.
    assert least(lam, "wrinkling", Load(np.array([1e5, 1e5, 0]))) == (np.inf, "none")


def test_thin_and_thick_forms_meet() -> None:
    Ef, Ec, Gc, tf = np.array([70e9]), 70e6, np.array([25e6]), 1e-3
    depth = 2 * THICK * tf * np.cbrt(Ef * Ec / Gc**2)[0]
    thick = 0.91 * np.cbrt(70e9 * 70e6 * 25e6)
    # The forms meet where the waves fill the core; off it the safe one stands.
    for share in (0.1, 0.5, 1.0, 2.0, 10.0):
        found = wrinkling_stress(Ef, Gc, Ec, (tf, depth * share), 0.91)[0]
        assert thick * 0.99 < found <= thick
    half = wrinkling_stress(Ef, Gc, Ec, (tf, depth / 4), 0.455)[0]
    assert half == pytest.approx(thick / 2)


@settings(max_examples=40)
@given(
    angles=st.tuples(st.integers(-90, 90), st.integers(-90, 90)),
    force=st.tuples(*[st.floats(-1e5, 1e5)] * 3),
    held=st.tuples(*[st.floats(-2e4, 2e4)] * 3),
)
def test_the_first_multiple_at_which_a_face_wrinkles_is_named(
    angles: tuple[int, int], force: tuple[float, ...], held: tuple[float, ...]
) -> None:
    lam = sandwich(angles=(float(angles[0]), float(angles[1])))
    checks = [
        c for c in checks_of(lam, ONLY | {"core": ("wrinkling",)}) if c.rule.key == "wrinkling"
    ]
    push, rest = (respond(lam, Load(np.array(n))).stress_12 for n in (force, held))
    found = float(reserves(checks, push[None], None, rest).reserve.min())

    def index(scale: float) -> float:
        """Greatest index of both faces, by the moduli of laminates turned to the compression."""
        worst = 0.0
        for i, plies in ((0, slice(0, 1)), (2, slice(2, 3))):
            x, y, t = lam.T[i].T @ (scale * push + rest)[i, 1]
            values, axes = np.linalg.eigh(np.array([[x, t], [t, y]]))
            n = axes[:, 0]
            if values[0] < 0:
                face = face_laminate(lam, plies)
                turned = face.turned(-float(np.degrees(np.arctan2(n[1], n[0]))))
                E = 1 / (face.thickness * np.linalg.inv(turned.A)[0, 0])
                G = 25e6 * n[0] ** 2 + 18e6 * n[1] ** 2
                worst = max(worst, -values[0] / (0.5 * np.cbrt(E * 70e6 * G)))
        return worst

    if found == 0.0:
        assert index(0.0) >= 1 - 1e-9
    elif np.isfinite(found):
        # The thin form is a little less than the thick one where the waves just fill the core.
        assert index(found) == pytest.approx(1.0, rel=3e-3)
        assert max(index(found * k) for k in np.linspace(0, 0.999, 60)) < 1
    else:
        assert max(index(10.0**k) for k in range(7)) < 1


def test_dimpling_crimping_and_crushing_by_hand() -> None:
    lam = sandwich(core=15e-3, faces=0.4e-3, name="steel")
    N, M = -3e4, 900.0
    E, nu = STEEL.E1, STEEL.nu12
    pressed = respond(lam, Load(np.array([N, 0, 0]))).stress_xy[0, 1, 0]
    dimple = 2 * E / (1 - nu**2) * (0.4e-3 / 6e-3) ** 2
    value, mode = least(lam, "dimpling", Load(np.array([N, 0, 0])))
    assert value == pytest.approx(dimple / -pressed, rel=1e-9)
    assert mode.startswith("dimpling")
    d, tc = 15.4e-3, 15e-3
    value, mode = least(lam, "crimping", Load(np.array([N, 0, 0])))
    assert (value, mode) == (pytest.approx(25e6 * d**2 / tc / -N, rel=1e-9), "shear crimping")
    load = Load(M=np.array([M, 0, 0]))
    kappa = respond(lam, load).kappa[0]
    value, mode = least(lam, "crushing", load)
    assert (value, mode) == (
        pytest.approx(np.sqrt(0.9e6 * d / (M * kappa)), rel=1e-9),
        "core crushing",
    )
    # Pressing grows with the square of the load.
    assert least(lam, "crushing", Load(M=np.array([2 * M, 0, 0])))[0] == pytest.approx(value / 2)


def test_a_carbon_sandwich_is_not_carried_to_the_strength_of_its_fibre() -> None:
    foam = dataclasses.replace(FOAM, E3=60e6, G13=20e6, G23=20e6)
    lam = sandwich(foam=foam)
    sets = {**DEFAULT_SETS, "core": ("core_shear", "wrinkling")}
    by_set = {c.component: c for c in critical_by_sets(lam, sets) if c.sign < 0}
    nx = by_set["Nx"]
    assert nx.criterion == "wrinkling"
    # The face's own limit, and what the core takes beside it.
    face = 0.5 * np.cbrt(CARBON.E1 * 60e6 * 20e6)
    assert nx.load == pytest.approx(face * 2e-3, rel=0.01)
    plies = {
        c.component: c
        for c in critical_by_sets(lam, ONLY | {"core": ("core_shear",)})
        if c.sign < 0
    }
    assert plies["Nx"].load > 1.3 * nx.load


def test_what_has_no_data_is_said_and_the_rest_goes_on() -> None:
    bare = dataclasses.replace(FOAM, E3=None, cell_size=None, Zc=None)
    lam = sandwich(foam=bare)
    words = unchecked(lam)
    assert any("face wrinkling" in w and "E3" in w for w in words)
    assert {w.split(" (")[0] for w in words} == {"face wrinkling", "dimpling", "core crushing"}
    assert unchecked(sandwich(foam=dataclasses.replace(FOAM, cell_size=None))) == ()
    assert (
        govern(
            lam,
            Load(np.array([-1e5, 0, 0])),
            None,
            ONLY | {"core": ("core_shear", "wrinkling", "crimping")},
        ).reserve
        < np.inf
    )
    assert unchecked(sandwich()) == ()
    # Without faces there is nothing to judge.
    alone = make_laminate(Stack("c", (Ply("foam", 0.0, 0.01),)), MATERIALS)
    assert [c.rule.key for c in checks_of(alone)] == ["core_shear"]


def test_shells_what_if_drivers_and_working_ask_the_same() -> None:
    lam = sandwich(angles=(5.0, -5.0))
    sets = {"ply": ("tsai_wu",), "core": ("wrinkling", "crushing", "core_shear")}
    forces = np.array([-9e4, 0.0, 1e3, 30.0, 0.0, 5.0])
    load = Load(forces[:3], forces[3:])
    expected = govern(lam, load, np.zeros(2), sets)
    strain = np.append(lam.compliance @ forces, [0.0, 0.0])
    margins = assess(lam, np.broadcast_to(strain, (1, 3, 4, 8)).copy(), sets)
    np.testing.assert_allclose(margins.reserve, expected.reserve, rtol=1e-9)
    assert margins.mode_label(0) == expected.mode
    assert expected.criterion == "wrinkling"
    # Held strains stay: twice the held part takes from the same limit.
    both = assess(
        lam,
        np.broadcast_to(strain, (1, 1, 4, 8)).copy(),
        sets,
        np.broadcast_to(0.1 * strain, (1, 4, 8)).copy(),
    )
    assert both.reserve[0] == pytest.approx(expected.reserve - 0.1, rel=1e-4)
    check = next(c for c in checks_of(lam, sets) if c.rule.key == "wrinkling")
    spot = 0 if "bottom" in expected.mode else 2
    state = check.fed(respond(lam, load).stress_12, None)[0, spot]
    driven = drivers(criterion("wrinkling"), check.at(1, spot), state)
    assert driven.shares.sum() == pytest.approx(1.0, abs=1e-3)
    work = sandwich_working(lam, load, "wrinkling", 1, spot, Load())
    assert work.value == pytest.approx(expected.reserve, rel=1e-9)
    asked = LoadCase("n", tuple(float(f) for f in forces), growing_dT=-20.0)  # type: ignore[arg-type]
    changes = single_changes(lam.stack.plies, [CARBON], (0.0, 45.0))
    ranked = [r for part in rank(changes, MATERIALS, [asked], sets) for r in part]
    assert len(ranked) == len(changes) > 5
    for each in ranked:
        made = make_laminate(Stack("c", each.change.plies), MATERIALS)
        alone = answer(made, asked)
        one = reserves(checks_of(made, sets), alone.applied.stress_12[None], alone.shear[None])
        assert each.reserve == pytest.approx(one.governing().reserve, rel=1e-9)


@settings(max_examples=60)
@given(st.integers(0, 10_000))
def test_crushing_is_first_met_where_a_walk_along_the_load_meets_it(seed: int) -> None:
    rng = np.random.default_rng(seed)
    rule = criterion("crushing")
    d, Zc = 0.02, 1e6
    curved = rng.normal(0, 2.0, 3) * rng.integers(0, 2)
    data = {"Zc": np.array(Zc), "d": np.array(d), "curved": curved}
    grows = np.concatenate([rng.normal(0, 500, 3), rng.normal(0, 1, 3), rng.normal(0, 4e5, 1)])
    stays = (
        rng.integers(0, 2)
        * 0.5
        * np.concatenate([rng.normal(0, 500, 3), rng.normal(0, 1, 3), rng.normal(0, 2e5, 1)])
    )

    found = float(rule.evaluate(data, grows[None], stays[None]).reserve[0])
    walk = np.linspace(0, 40, 40_001)
    s = walk[:, None] * grows + stays
    q = (s[:, :3] * (s[:, 3:6] + curved)).sum(axis=1) / d + np.maximum(s[:, 6], 0.0)
    over = walk[q >= Zc]
    if found < 39:
        assert over[0] == pytest.approx(found, abs=1.001e-3)
    else:
        assert not len(over) or over[0] > 38.9
    # Nothing held is the same as zeros held.
    none = rule.evaluate(data, grows[None]).reserve[0]
    assert none == pytest.approx(rule.evaluate(data, grows[None], 0 * grows[None]).reserve[0])


def test_pressure_on_a_core_in_working_what_if_and_drivers() -> None:
    lam = sandwich(core=15e-3, faces=0.4e-3, name="steel")
    sets = ONLY | {"core": ("crushing",)}
    loads = LoadCase("p", (0.0, 0.0, 0.0, 900.0, 0.0, 0.0), press=0.3e6, curved=(0.5, 0.0, 0.0))
    found = answer(lam, loads)
    kappa, d = found.total.kappa[0], 15.4e-3
    # (M (κ λ² + λ / R) / d + p λ) / Zc = 1
    roots = np.roots([900 * kappa / d, 900 * 0.5 / d + 0.3e6, -0.9e6])
    exact = float(roots[roots > 0][0])
    checks = checks_of(lam, sets)
    by_ply = reserves(
        checks, found.applied.stress_12[None], found.shear[None], beside=Beside.of(loads)
    )
    assert by_ply.of_rule("crushing")[0, 1].min() == pytest.approx(exact, rel=1e-9)
    working = sandwich_working(
        lam, Load(M=np.array([900.0, 0, 0])), "crushing", 1, 1, Load(), Beside.of(loads)
    )
    assert working.value == pytest.approx(exact, rel=1e-9)
    pressed = working.steps[0].steps[0]
    assert pressed.value == pytest.approx(900 * (kappa + 0.5) / d + 0.3e6, rel=1e-9)
    change = next(
        c
        for c in single_changes(lam.stack.plies, ())
        if [p.material for p in c.plies].count("foam") == 1 and c.plies != lam.stack.plies
    )
    near = make_laminate(Stack("n", change.plies), MATERIALS)
    (ranked,) = (
        r
        for p in rank([change], MATERIALS, [loads], sets | {"isotropic": ("von_mises",)})
        for r in p
    )
    own = answer(near, loads)
    expected = reserves(
        checks_of(near, sets),
        own.applied.stress_12[None],
        own.shear[None],
        beside=Beside.of(loads),
    ).governing()
    assert ranked.reserve == pytest.approx(expected.reserve, rel=1e-9)
    # A pressure that pulls away does not crush.
    away = dataclasses.replace(loads, press=-0.3e6, values=(0.0,) * 6)
    none = reserves(
        [c for c in checks if c.rule.key == "crushing"],
        np.zeros((1, 3, 3, 3)),
        beside=Beside.of(away),
    )
    assert np.isinf(none.of_rule("crushing")[0, 1]).all()


def sheared(share: float, turn: float) -> Load:
    """Compression with shear, in axes that turn with the laminate."""
    n = -2e5 * np.array([[1.0, share], [share, 0.2]])
    c, s = np.cos(np.deg2rad(turn)), np.sin(np.deg2rad(turn))
    r = np.array([[c, -s], [s, c]])
    m = r @ n @ r.T
    return Load(np.array([m[0, 0], m[1, 1], m[0, 1]]))


def turned(by: float, parts: int = 1, foam: Material = FOAM) -> Laminate:
    core = tuple(Ply("foam", by, 20e-3 / parts) for _ in range(parts))
    faces = (Ply("carbon", 20.0 + by, 0.4e-3), Ply("carbon", -50.0 + by, 0.3e-3))
    plies = (*faces, *core, *faces[::-1])
    return make_laminate(Stack("s", plies), MATERIALS | {"foam": foam})


EVEN = dataclasses.replace(FOAM, G13=21e6, G23=21e6, S13=0.6e6, S23=0.6e6)


@settings(max_examples=25)
@given(st.floats(-90, 90), st.floats(-0.8, 0.8))
def test_a_turned_sandwich_under_a_turned_load_gives_way_alike(turn: float, share: float) -> None:
    """Whatever the axes: greatest compression, limits over directions, and their search."""
    for key in ("wrinkling", "dimpling", "crimping"):
        sets = {"core": (key,), "ply": ("max_stress",)}
        one = reserves(
            checks_of(turned(0.0, foam=EVEN), sets),
            respond(turned(0.0, foam=EVEN), sheared(share, 0.0)).stress_12[None],
        )
        other = reserves(
            checks_of(turned(turn, foam=EVEN), sets),
            respond(turned(turn, foam=EVEN), sheared(share, turn)).stress_12[None],
        )
        least, again = np.nanmin(one.of_rule(key)), np.nanmin(other.of_rule(key))
        assert again == pytest.approx(least, rel=1e-4)


@pytest.mark.parametrize("parts", [2, 3, 5])
def test_a_core_laid_in_several_plies_is_one_core(parts: int) -> None:
    whole, cut = turned(0.0), turned(0.0, parts)
    load = sheared(0.2, 0.0)
    for key in ("wrinkling", "crimping", "core_shear"):
        sets = {"core": (key,), "ply": ("max_stress",)}
        found = [
            reserves(checks_of(lam, sets), respond(lam, load).stress_12[None])
            for lam in (whole, cut)
        ]
        if key != "core_shear":
            least = [np.nanmin(f.of_rule(key)) for f in found]
            assert least[1] == pytest.approx(least[0], rel=1e-9)
        assert len(cores_of(cut)) == 1
        assert list(cores_of(cut)[0].plies) == list(range(2, 2 + parts))
        assert (list(cores_of(cut)[0].below), list(cores_of(cut)[0].above)) == (
            [0, 1],
            [2 + parts, 3 + parts],
        )


@pytest.mark.parametrize("length", [0.15, 0.4, 1.2])
def test_a_soft_core_is_told_from_a_stiff_one_by_the_theory_of_thick_faces(length: float) -> None:
    """H. G. Allen (1969), section 2: shear flexibility takes the share π² Ds / (S l²) of bending.

    Faces of t and E a distance d apart: Ds = E t d²/2, S = G d²/c, both written out here.
    """
    t, c = 1e-3, 20e-3
    laminate = sandwich(core=c, faces=t)
    found = soft_core(laminate, length, 0)
    assert found is not None
    d = c + t
    a = CARBON.E1 / (1 - CARBON.nu12**2 * CARBON.E2 / CARBON.E1) * t
    assert FOAM.G13 is not None
    phi = np.pi**2 * (a * d * d / 2) / (FOAM.G13 * d * d / c * length**2)
    assert found.flexibility == pytest.approx(phi, rel=0.02)
    # The energy of a sine wave, solved for deflection and turn of the whole: E I of both faces,
    # D of the pair, S of the core.
    p, own, pair = np.pi / length, 2 * a * t * t / 12, a * d * d / 2
    S = FOAM.G13 * d * d / c
    K = np.array([[own * p**4 + S * p * p, -S * p], [-S * p, pair * p * p + S]])
    by_faces = own * p**4 * np.linalg.solve(K, [1.0, 0.0])[0]
    true = (1 - by_faces) / (d * t) + by_faces * a / t * (t / 2) / own
    shown = a / t * (d + t) / 2 / (own + pair)
    assert found.low == pytest.approx(1 - shown / true, rel=0.03)
    # Thick faces bend by themselves: plane sections tell too little stress, the more the shorter.
    assert 0 < found.low < 1
    shorter = soft_core(laminate, length / 2, 0)
    assert shorter is not None
    assert shorter.low > found.low
    assert (
        soft_core(make_laminate(Stack("s", (Ply("carbon", 0.0, t),)), MATERIALS), 1.0, 0) is None
    )
