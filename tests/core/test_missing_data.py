"""Criteria whose data are there in part: what can be judged is, and what cannot is said."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tartan.core.criteria import REGISTRY, criterion
from tartan.core.criteria.base import data_of, lacking, strengths_of, unjudged_modes
from tartan.core.errors import MaterialError
from tartan.core.laminate import Laminate, make_laminate
from tartan.core.laminate.response import Load
from tartan.core.materials import OPTIONAL, Material
from tartan.core.stack import Ply, Stack
from tartan.core.strength.govern import govern
from tartan.core.strength.laminate_reserves import checks_of, unchecked
from tests.conftest import CARBON

FIVE = Material(
    "five", 140e9, 9e9, 0.3, 4.8e9, Xt=2.1e9, Xc=1.3e9, Yt=55e6, Yc=200e6, S12=85e6
)  # the usual five strengths and nothing else
STATES = st.tuples(*(st.floats(-a, a).map(lambda v: round(v, 1)) for a in (2e9, 3e8, 2e8)))


def laid(material: Material, *angles: float) -> Laminate:
    plies = tuple(Ply(material.name, a, 0.2e-3) for a in angles)
    return make_laminate(Stack("s", plies), {material.name: material})


def test_the_usual_five_strengths_give_an_answer() -> None:
    laminate = laid(FIVE, 0, 45, -45, 90)
    found = govern(laminate, Load(np.array([-2e5, 3e4, 1e4])))
    assert np.isfinite(found.reserve)
    assert found.reserve > 0
    keys = {c.rule.key for c in checks_of(laminate)}
    assert keys == {"tsai_wu", "hashin"}
    (told,) = unchecked(laminate)
    assert told == "Hashin, matrix compression (S23 of 'five' is empty)"


@given(STATES)
def test_the_other_modes_are_judged_as_ever(state: tuple[float, float, float]) -> None:
    rule, whole = criterion("hashin"), strengths_of(CARBON, criterion("hashin"))
    partly = data_of(dataclasses.replace(CARBON, S23=None), rule)
    assert partly is not None
    assert set(whole) - set(partly) == {"S23"}
    one = rule.evaluate(whole, np.array(state))
    other = rule.evaluate(partly, np.array(state))
    if rule.modes[int(one.mode)] == "matrix compression" and np.isfinite(one.reserve):
        assert float(other.reserve) >= float(one.reserve)
    else:
        assert float(other.reserve) == pytest.approx(float(one.reserve), rel=1e-12)
        assert int(other.mode) == int(one.mode)


@pytest.mark.parametrize("key", [k for k, r in REGISTRY.items() if r.stress == "in-plane"])
def test_whatever_is_lacking_is_said_and_never_passed_over(key: str) -> None:
    """Alone in its set a criterion goes on with what it has, and else names what it lacks."""
    rule = criterion(key)
    sets = {"ply": (key,)}
    for field in rule.needs:
        if field not in OPTIONAL:
            # It cannot be emptied: a material without it is refused where it is entered.
            continue
        bare = dataclasses.replace(
            CARBON,
            **{field: None, "e" + field: None}
            if f"e{field}" in {f.name for f in dataclasses.fields(CARBON)}
            else {field: None},
        )
        if field not in lacking(bare, rule):
            continue
        modes = unjudged_modes(bare, rule)
        laminate = laid(bare, 0, 90)
        assert any(field in words for words in unchecked(laminate, sets))
        if modes == rule.modes:
            assert data_of(bare, rule) is None
            with pytest.raises(MaterialError, match=field):
                checks_of(laminate, sets)
            # Beside another criterion the set goes on.
            both = {"ply": (key, "stiff")} | {"ply": (key, "max_stress")}
            if not lacking(bare, criterion("max_stress")) and key != "max_stress":
                assert {c.rule.key for c in checks_of(laminate, both)} == {"max_stress"}
        else:
            assert 0 < len(modes) < len(rule.modes)
            assert len(checks_of(laminate, sets)) == 1


def test_a_wrong_figure_is_refused_even_where_others_are_lacking() -> None:
    wrong = dataclasses.replace(FIVE, Yt=-1.0)
    with pytest.raises(MaterialError, match="Yt"):
        checks_of(laid(wrong, 0))
