"""Criteria at the ends of the numbers: overflow, underflow, NaN, never; allowables of metals."""

import dataclasses

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tartan.core.bounds import MATERIAL
from tartan.core.criteria import REGISTRY
from tartan.core.criteria.base import NEVER, strengths_of
from tartan.core.errors import MaterialError, StackError
from tartan.core.laminate import make_laminate
from tartan.core.laminate.response import Load, respond
from tartan.core.materials import findings, isotropic, replace_value
from tartan.core.stack import Ply, Stack
from tartan.core.strength.progressive import ply_discount
from tartan.core.strength.reserve import first_failure
from tests.conftest import CARBON, laminate

# Every criterion with its data; strains and stresses of one ply.
FULL = dataclasses.replace(CARBON, eXt=0.012, eXc=0.009, eYt=0.004, eYc=0.02, eS12=0.015)
PLAIN = [k for k, r in REGISTRY.items() if r.stress != "sandwich"]
PART = st.one_of(st.just(0.0), st.floats(1e-3, 1.0), st.floats(-1.0, -1e-3))
STATES = st.tuples(PART, PART, PART)


@pytest.mark.parametrize("key", PLAIN)
@given(state=STATES, power=st.integers(-250, 250))
def test_a_reserve_factor_scales_with_the_load_over_all_numbers(
    key: str, state: tuple[float, ...], power: int
) -> None:
    rule = REGISTRY[key]
    width = 3 if rule.stress == "in-plane" else 2
    unit = np.array(state[:width]) * 1e8
    strengths = strengths_of(FULL, rule)
    plain = rule.evaluate(strengths, unit)
    size = float(np.abs(unit).max())
    if not size > 1e-3:
        return
    far = rule.evaluate(strengths, unit * 10.0**power)
    expected = plain.reserve * 10.0**-power
    np.testing.assert_allclose(far.reserve, expected, rtol=1e-7)
    if np.isfinite(expected) and min(np.abs(state)) > 1e-3:
        assert int(far.mode) == int(plain.mode)
    assert not np.isnan(far.index)


@pytest.mark.parametrize("key", PLAIN)
def test_what_is_no_number_has_no_reserve_factor_and_what_never_fails_no_mode(key: str) -> None:
    rule = REGISTRY[key]
    width = 3 if rule.stress == "in-plane" else 2
    strengths = strengths_of(FULL, rule)
    states = np.full((4, width), 1e7)
    states[1, 0] = np.nan
    states[2] = 0.0
    found = rule.evaluate(strengths, states)
    assert np.isnan(found.reserve).tolist() == [False, True, False, False]
    assert np.isnan(found.index).tolist() == [False, True, False, False]
    assert np.isinf(found.reserve[2])
    assert found.mode[2] == NEVER
    assert found.mode[1] == NEVER
    assert found.mode[0] >= 0
    held = np.zeros_like(states)
    held[3, -1] = np.nan
    assert np.isnan(rule.evaluate(strengths, states, held).reserve).tolist() == [
        False,
        True,
        False,
        True,
    ]


def test_great_loads_and_lost_numbers_of_a_laminate() -> None:
    lam = laminate(("carbon", 0, 1e-3), ("carbon", 90, 1e-3))
    for key in ("tsai_hill", "tsai_wu", "hoffman", "hashin", "max_stress", "puck"):
        small = first_failure(lam, Load(np.array([1e5, 2e4, 0.0])), key)
        great = first_failure(lam, Load(np.array([1e160, 2e159, 0.0])), key)
        np.testing.assert_allclose(great.reserve, small.reserve * 1e-155, rtol=1e-9)
    with pytest.raises(StackError, match="finite"):
        respond(lam, Load(np.array([np.nan, 0, 0])))


@pytest.mark.parametrize(
    ("field", "value"), [("Xt", 1e200), ("E1", 1e30), ("S12", 1e-300), ("rho", 1e12), ("eXt", 1e3)]
)
def test_figures_beyond_sense_are_refused_with_their_bounds(field: str, value: float) -> None:
    found = findings(dataclasses.replace(FULL, **{field: value}))
    assert [f.field for f in found] == [field]
    assert f"{MATERIAL[field][1]:g}" in found[0].what
    with pytest.raises(MaterialError, match=field):
        replace_value(FULL, field, value)


def test_an_isotropic_material_is_one_in_all_its_fields() -> None:
    metal = isotropic("metal", 70e9, 0.3, strength=200e6, alpha=2e-5)
    assert (metal.nu13, metal.nu23, metal.E3, metal.alpha3) == (0.3, 0.3, 70e9, 2e-5)
    for field in ("Xt", "Xc", "Yt", "Yc"):
        changed = replace_value(metal, field, 90e6)
        assert {getattr(changed, f) for f in ("Xt", "Xc", "Yt", "Yc")} == {90e6}
    stiff = replace_value(dataclasses.replace(metal, beta1=0.1, S13=1e8), "E2", 210e9)
    assert pytest.approx(210e9 / 2.6) == stiff.G13
    assert (stiff.E1, stiff.E3, stiff.beta1, stiff.S13) == (210e9, 210e9, 0.1, 1e8)
    with pytest.raises(MaterialError, match="follows"):
        replace_value(metal, "G12", 1e9)


def test_the_fibre_survives_by_strain_where_strain_is_the_criterion() -> None:
    # Two cross plies pulled along x: 90° cracks, 0° carries on to its strain allowable.
    only = dataclasses.replace(
        CARBON,
        Xt=None,
        Xc=None,
        Yt=None,
        Yc=None,
        S12=None,
        eXt=0.004,
        eXc=0.004,
        eYt=0.002,
        eYc=0.01,
        eS12=0.01,
    )
    plies = tuple(Ply("carbon", a, 1e-3) for a in (0, 90, 90, 0))
    lam = make_laminate(Stack("s", plies), {"carbon": only})
    history = ply_discount(lam, Load(np.array([1e6, 0, 0])), "max_strain", "mode")
    # After cracking the 0° plies carry along x, and the fibres across keep y.
    d = 1 - CARBON.nu12**2 * CARBON.E2 / CARBON.E1
    Q11, Q12, Q22 = CARBON.E1 / d, CARBON.nu12 * CARBON.E2 / d, CARBON.E2 / d
    last = 0.004 * (Q11 - Q12**2 / (Q22 + CARBON.E1)) * 2e-3 / 1e6
    assert history.last == pytest.approx(last, rel=1e-5)
    assert history.steps[-1].modes[0] == "fibre tension"
    by_stress = ply_discount(
        laminate(("carbon", 0, 1e-3), ("carbon", 90, 2e-3), ("carbon", 0, 1e-3)),
        Load(np.array([1e6, 0, 0])),
        "max_stress",
        "mode",
    )
    assert by_stress.last == pytest.approx(CARBON.Xt * 2e-3 / 1e6, rel=1e-3)  # type: ignore[operator]
