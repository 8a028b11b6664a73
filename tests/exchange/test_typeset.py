"""Formulas set as formulas: nothing of the text is lost, and no other markup comes in."""

from __future__ import annotations

import html
import re

import hypothesis.strategies as st
import pytest
from hypothesis import given

from tartan.core.working import Given, Working
from tartan.exchange.report.derivation import derive
from tartan.exchange.report.typeset import typeset
from tartan.project.wording import units

OWN = re.compile(r"</?(i|sub|sup|span)( class='(frac|over|under|root)')?>")


@pytest.mark.parametrize(
    ("formula", "wanted"),
    [
        ("E1", "<i>E</i><sub>1</sub>"),
        ("nu12²", "<i>ν</i><sub>12</sub><sup>2</sup>"),
        ("t12", "<i>τ</i><sub>12</sub>"),
        ("Xt²", "<i>X</i><sub>t</sub><sup>2</sup>"),
        (
            "a / (b + c)",
            "<span class='frac'><span class='over'><i>a</i></span><span class='under'>"
            "<i>b</i> + <i>c</i></span></span>",
        ),
        ("√(F11 F22)", "√<span class='root'><i>F</i><sub>11</sub> <i>F</i><sub>22</sub></span>"),
        ("(x)^⅓", "(<i>x</i>)<sup>1/3</sup>"),
        (
            "eps0 x + z kappa xy",
            "<i>ε</i><sup>0</sup><sub>x</sub> + <i>z</i> <i>κ</i><sub>xy</sub>",
        ),
        ("a - b", "<i>a</i> − <i>b</i>"),
        ("turned by 45°", "turned by 45°"),
        ("the thin-core form", "the thin-core form"),
    ],
)
def test_signs_are_set(formula: str, wanted: str) -> None:
    assert typeset(formula) == wanted


@given(st.text(max_size=60))
def test_whatever_is_typed_makes_only_our_own_markup(text: str) -> None:
    """Criteria of the user's own come here too."""
    made = typeset(text)
    bare = OWN.sub("", made)
    assert "<" not in bare
    assert html.escape(html.unescape(bare)) == bare.replace("&#x27;", "&#x27;")
    for name in ("i", "sub", "sup", "span"):
        assert len(re.findall(f"<{name}[ >]", made)) == made.count(f"</{name}>")


@given(st.text("abxyEXst0123+-*/() ,²√|", max_size=40))
def test_figures_and_letters_stay_in_their_order(text: str) -> None:
    """Brackets round a fraction's parts, the stroke and powers are drawn; all else is there."""
    greek = {"σ": "s", "τ": "t", "ε": "e", "γ": "g", "α": "a", "β": "b"}
    bare = "".join(greek.get(c, c) for c in html.unescape(OWN.sub("", typeset(text))))
    drop = str.maketrans("", "", "()/ ²^-−")
    plain = text.translate(drop)
    assert [c for c in bare.translate(drop) if c != "2"] == [c for c in plain if c != "2"]


def test_a_formula_without_end_stands_as_it_was_typed() -> None:
    deep = "(" * 5000 + "s1" + ")" * 5000
    assert typeset(deep) == deep


def test_what_is_needed_twice_stands_once() -> None:
    E = Given("E1", 181e9, "Pa", "material 'x', modulus")
    q = Working("Q11", "E1 / (1 - nu12²)", 182e9, "Pa", (E,))
    strain = Working("strain", "eps0 x + z kappa x", 1e-3, "", (Given("z", 1e-3, "m", "stack"),))
    top = Working("stress 1", "Q times strain", 1e6, "Pa", (), (q, strain, q))
    both = Working("index", "s1/Xt", 0.5, "", (E,), (top, q))
    found = derive(both, units.worded_short)
    assert [s.title for s in found.steps] == ["Q11", "strain", "stress 1", "index"]
    assert [s.number for s in found.steps] == [1, 2, 3, 4]
    assert found.steps[2].needs == (1, 2)
    assert found.steps[3].needs == (3, 1)
    assert found.steps[0].amount == "182000 MPa"
    assert [x[0] for x in found.inputs] == ["<i>E</i><sub>1</sub>"]
    assert found.steps[1].given == (("<i>z</i>", "1 mm"),)


def test_figures_follow_the_units_of_the_user() -> None:
    step = Working("stress", "E1", 1e6, "Pa", (Given("t", 1e-3, "m", "load"),))
    try:
        units.use_system("US customary")
        found = derive(step, units.worded_short)
    finally:
        units.use_system(units.SYSTEMS[0])
    assert "ksi" in found.steps[0].amount
    assert "in" in found.inputs[0][1]
