"""One contract for every criterion, then figures worked by hand."""

import dataclasses

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tartan.core.criteria import REGISTRY, Criterion, criterion
from tartan.core.criteria.base import quadratic_root, strengths_of
from tartan.core.criteria.branches import BranchCriterion
from tartan.core.errors import CriterionError, TartanError
from tartan.core.laminate.response import Load
from tartan.core.strength.reserve import first_failure
from tests.conftest import CARBON, FOAM, laminate

PLAIN = {k: r for k, r in REGISTRY.items() if r.stress != "sandwich"}
EVERY = pytest.mark.parametrize("rule", PLAIN.values(), ids=PLAIN.keys())
RNG = np.random.default_rng(7)


def states(rule: Criterion, count: int = 400) -> np.ndarray:
    size = 3 if rule.stress == "in-plane" else 2
    return RNG.normal(size=(count, size)) * np.array([800e6, 60e6, 60e6])[:size]


def small_residual(rule: Criterion, count: int = 400) -> np.ndarray:
    return 0.05 * states(rule, count)


@EVERY
def test_reserve_factor_times_load_meets_the_criterion(rule: Criterion) -> None:
    strengths = strengths_of(CARBON, rule)
    applied, residual = states(rule), small_residual(rule)
    found = rule.evaluate(strengths, applied, residual)
    live = (found.reserve > 0) & np.isfinite(found.reserve)
    assert live.mean() > 0.8
    at_failure = residual[live] + found.reserve[live, None] * applied[live]
    index = rule.evaluate(strengths, at_failure).index
    assert (np.abs(index - 1) < 1e-8).mean() > 0.97
    # Where a sign changes the index may jump past 1, on either side of rounding.
    just_above = residual[live] + (1 + 1e-9) * found.reserve[live, None] * applied[live]
    assert (rule.evaluate(strengths, just_above).index > 1).all()
    just_below = residual[live] + 0.999 * found.reserve[live, None] * applied[live]
    assert (rule.evaluate(strengths, just_below).index < 1 + 1e-9).all()


@EVERY
def test_scaling_the_load_divides_the_reserve_factor(rule: Criterion) -> None:
    strengths, applied, residual = strengths_of(CARBON, rule), states(rule), small_residual(rule)
    one = rule.evaluate(strengths, applied, residual).reserve
    three = rule.evaluate(strengths, 3 * applied, residual).reserve
    np.testing.assert_allclose(three, one / 3, rtol=1e-9)


@EVERY
def test_batches_agree_with_single_states(rule: Criterion) -> None:
    strengths = strengths_of(CARBON, rule)
    applied, residual = states(rule, 24).reshape(2, 3, 4, -1), small_residual(rule, 24)
    whole = rule.evaluate(strengths, applied, residual.reshape(applied.shape))
    assert whole.reserve.shape == whole.index.shape == whole.mode.shape == (2, 3, 4)
    for i, (s, r) in enumerate(zip(applied.reshape(24, -1), residual, strict=True)):
        single = rule.evaluate(strengths, s, r)
        assert single.reserve == pytest.approx(whole.reserve.ravel()[i], rel=1e-12)
        assert single.mode == whole.mode.ravel()[i]


@EVERY
def test_limits_and_signs(rule: Criterion) -> None:
    strengths = strengths_of(CARBON, rule)
    applied = states(rule)
    nothing = rule.evaluate(strengths, np.zeros_like(applied))
    assert np.isinf(nothing.reserve).all()
    doomed = rule.evaluate(strengths, applied, 100 * np.abs(applied) + 1e9)
    assert (doomed.reserve == 0).all()
    mirrored = applied * np.array([1, 1, -1] if rule.stress == "in-plane" else [-1, 1])
    np.testing.assert_allclose(
        rule.evaluate(strengths, mirrored).reserve, rule.evaluate(strengths, applied).reserve
    )
    assert (nothing.mode < len(rule.modes)).all()


@EVERY
def test_every_needed_strength_is_asked_for(rule: Criterion) -> None:
    for field in rule.needs:
        if field in ("f12_star", "hashin_alpha", "nu12", "p_nl_t", "p_nl_c") or field[0] == "e":
            continue
        for value in (None, 0.0, float("nan")):
            with pytest.raises(TartanError) as caught:
                strengths_of(dataclasses.replace(CARBON, **{field: value}), rule)
            assert field in str(caught.value)
            assert "carbon" in str(caught.value)


IN_PLANE = [k for k, r in REGISTRY.items() if r.stress == "in-plane" and k != "von_mises"]


@pytest.mark.parametrize("key", IN_PLANE)
@pytest.mark.parametrize(
    ("stress", "strength", "mode"),
    [
        ([1, 0, 0], "Xt", "fibre tension"),
        ([-1, 0, 0], "Xc", "fibre compression"),
        ([0, 1, 0], "Yt", "matrix tension"),
        ([0, -1, 0], "Yc", "matrix compression"),
    ],
)
def test_each_strength_is_reached_alone(
    key: str, stress: list[float], strength: str, mode: str
) -> None:
    rule = criterion(key)
    found = rule.evaluate(strengths_of(CARBON, rule), np.array(stress) * 1e6)
    assert found.reserve == pytest.approx(getattr(CARBON, strength) / 1e6)
    assert rule.modes[int(found.mode)] == PUCK_NAMES.get((key, mode), mode)


PUCK_NAMES = {("puck", "matrix tension"): "IFF A", ("puck", "matrix compression"): "IFF C"}


def test_puck_fracture_angle_under_transverse_compression() -> None:
    # cos² θ = R⊥⊥A / Yc with R⊥⊥A = Yc / (2 (1 + p⊥⊥)), VDI 2014-3, eq. 41.
    rule = criterion("puck")
    found = rule.evaluate(strengths_of(CARBON, rule), np.array([0.0, -50e6, 0.0]))
    assert found.angle is not None
    RA = 85e6 / (2 * 0.3) * (np.sqrt(1 + 2 * 0.3 * 200 / 85) - 1)
    pnn = 0.3 * RA / 85e6
    assert pytest.approx(200e6 / (2 * (1 + pnn))) == RA
    assert float(found.angle) == pytest.approx(np.rad2deg(np.arccos(np.sqrt(RA / 200e6))))
    in_shear = rule.evaluate(strengths_of(CARBON, rule), np.array([0.0, -1e6, 50e6]))
    assert rule.modes[int(in_shear.mode)] == "IFF B"
    assert float(in_shear.angle) == 0.0  # type: ignore[arg-type]


def test_modes_b_and_c_meet_where_the_standard_says() -> None:
    # VDI 2014-3: at s2 = −R⊥⊥A and τ21c = S12 √(1 + 2 p⊥⊥) both are at failure.
    rule = criterion("puck")
    strengths = strengths_of(CARBON, rule)
    RA = 85e6 / (2 * 0.3) * (np.sqrt(1 + 2 * 0.3 * 200 / 85) - 1)
    corner = 85e6 * np.sqrt(1 + 2 * 0.3 * RA / 85e6)
    for share, mode in ((0.999, "IFF B"), (1.001, "IFF C")):
        found = rule.evaluate(strengths, np.array([0.0, -share * RA, corner]))
        assert float(found.index) == pytest.approx(1.0, abs=2e-3)
        assert float(found.reserve) == pytest.approx(1.0, abs=2e-3)
        assert rule.modes[int(found.mode)] == mode
    # Halfway to pure compression, by the equation of mode C solved for the shear.
    push = (RA + 200e6) / 2
    pnn = 0.3 * RA / 85e6
    shear = 2 * (1 + pnn) * 85e6 * np.sqrt(push / 200e6 - (push / 200e6) ** 2)
    found = rule.evaluate(strengths, np.array([0.0, -push, shear]))
    assert float(found.reserve) == pytest.approx(1.0)


def test_entered_strain_allowables_take_the_place_of_derived_ones() -> None:
    rule = criterion("max_strain")
    own = strengths_of(dataclasses.replace(CARBON, eXt=0.01, Xt=None), rule)
    assert own["eXt"] == 0.01
    assert own["eYt"] == pytest.approx(55e6 / 9e9)
    found = rule.evaluate(own, np.array([140e6, 0.0, 0.0]))
    assert found.reserve == pytest.approx(10.0)
    # The other way round along and across the fibre, never in shear.
    stress_rule = criterion("max_stress")
    by_strain = dataclasses.replace(CARBON, eXt=0.01, Xt=None)
    assert strengths_of(by_strain, stress_rule)["Xt"] == pytest.approx(1.4e9)
    with pytest.raises(TartanError, match="S12"):
        strengths_of(dataclasses.replace(CARBON, eS12=0.02, S12=None), stress_rule)


def test_hashin_matrix_compression_by_hand() -> None:
    # (s2/2S23)² + ((Yc/2S23)² - 1) s2/Yc + (t/S12)² at s2 = -100, t = 50 MPa:
    # 0.69444 - 0.5 (25/9 - 1) + 0.34602 = 0.15157
    rule = criterion("hashin")
    found = rule.evaluate(strengths_of(CARBON, rule), np.array([-1e3, -100e6, 50e6]))
    assert found.index == pytest.approx(
        (100 / 120) ** 2 - 0.5 * ((200 / 120) ** 2 - 1) + (50 / 85) ** 2
    )
    assert rule.modes[int(found.mode)] == "matrix compression"


def test_hashin_jumps_into_an_already_failed_branch() -> None:
    # s1 changes sign at λ = 2 where shear alone exceeds the tension mode's limit only there.
    rule = criterion("hashin")
    weak_shear = dataclasses.replace(CARBON, hashin_alpha=2.0)
    applied, residual = np.array([100e6, -1e3, 0.0]), np.array([-200e6, -60e6, 75e6])
    found = rule.evaluate(strengths_of(weak_shear, rule), applied, residual)
    assert found.reserve == pytest.approx(2.0)
    assert rule.modes[int(found.mode)] == "fibre tension"


def test_core_shear_takes_the_weaker_direction() -> None:
    rule = criterion("core_shear")
    found = rule.evaluate(strengths_of(FOAM, rule), np.array([0.4e6, -0.4e6]))
    assert found.reserve == pytest.approx(0.5 / 0.4)
    assert rule.modes[int(found.mode)] == "core shear along 2"


def test_open_tsai_wu_surface_is_refused() -> None:
    with pytest.raises(CriterionError, match=r"f12_star"):
        strengths_of(dataclasses.replace(CARBON, f12_star=-1.0), criterion("tsai_wu"))
    with pytest.raises(CriterionError, match="nothing"):
        criterion("nothing")


@given(
    st.just(0.0) | st.floats(1e-9, 1e6),
    st.just(0.0) | st.floats(1e-9, 1e6) | st.floats(-1e6, -1e-9),
    st.floats(-1e6, -1e-6),
)
def test_greater_root_keeps_its_digits(a: float, b: float, c: float) -> None:
    root = float(quadratic_root(np.array(a), np.array(b), np.array(c)))
    if np.isinf(root):
        assert a == 0
        assert b <= 0
        return
    terms = abs(a * root * root) + abs(b * root) + abs(c)
    assert root > 0
    assert abs(a * root * root + b * root + c) <= 1e-12 * terms


def test_first_of_equal_plies_is_named() -> None:
    lam = laminate(*(("carbon", a, 0.125e-3) for a in (90, 0, 0, 90)))
    found = first_failure(lam, Load(np.array([1e5, 0, 0])), "hashin")
    assert found.governing == (0, 0)
    assert found.label == "matrix tension"
    cold = first_failure(lam, Load(np.array([1e5, 0, 0]), dT=-100.0), "hashin")
    assert cold.reserve.min() < found.reserve.min()


@pytest.mark.parametrize(
    "key", ["puck", *(k for k, r in REGISTRY.items() if isinstance(r, BranchCriterion))]
)
@pytest.mark.parametrize("with_residual", [False, True])
def test_compiled_loops_say_the_same_as_the_arrays(
    key: str, with_residual: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    rule = criterion(key)
    strengths = strengths_of(CARBON, rule)
    applied = states(rule, 12_000).reshape(3, 4000, -1)
    # Also states on the axes, where signs and branches meet.
    applied[0, :500] *= RNG.integers(0, 2, (500, applied.shape[-1]))
    residual = 0.4 * states(rule, 12_000).reshape(3, 4000, -1) if with_residual else None
    fast = rule.evaluate(strengths, applied, residual)
    monkeypatch.setattr("tartan.core.criteria.kernels.LARGE", 10**9)
    plain = rule.evaluate(strengths, applied, residual)
    np.testing.assert_allclose(fast.reserve, plain.reserve, rtol=1e-9, atol=1e-12)
    np.testing.assert_allclose(fast.index, plain.index, rtol=1e-9, atol=1e-12)
    assert (fast.mode == plain.mode).mean() > 0.999
    if plain.angle is not None and fast.angle is not None:
        same = fast.mode == plain.mode
        np.testing.assert_allclose(fast.angle[same], plain.angle[same], atol=1e-5)
