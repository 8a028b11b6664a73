"""User formulas: safe to read, and as right as the criterion they spell out."""

import pickle

import numpy as np
import pytest

from tartan.core.criteria import criterion, written
from tartan.core.criteria.base import strengths_of
from tartan.core.criteria.formula import FormulaCriterion, read
from tartan.core.errors import CriterionError
from tartan.core.laminate.response import Load
from tartan.core.strength.govern import govern
from tartan.core.strength.progressive import ply_discount
from tartan.core.strength.reserve import first_failure
from tests.conftest import CARBON, laminate

SPELLED = {
    "max_stress": "max(s1 / Xt, -s1 / Xc, s2 / Yt, -s2 / Yc, abs(t12) / S12)",
    "tsai_wu": "s1*(1/Xt - 1/Xc) + s2*(1/Yt - 1/Yc) + s1**2/(Xt*Xc) + s2**2/(Yt*Yc)"
    " + (t12/S12)**2 + 2*f12_star*sqrt(1/(Xt*Xc*Yt*Yc))*s1*s2",
    "tsai_hill": "(s1/((s1>=0)*Xt+(s1<0)*Xc))**2 - s1*s2/((s1>=0)*Xt+(s1<0)*Xc)**2"
    " + (s2/((s2>=0)*Yt+(s2<0)*Yc))**2 + (t12/S12)**2",
    "max_strain": "max(e1*E1/Xt, -e1*E1/Xc, e2*E2/Yt, -e2*E2/Yc, abs(g12)*G12/S12)",
}


@pytest.mark.parametrize("key", SPELLED)
def test_formula_agrees_with_the_criterion_it_spells_out(key: str) -> None:
    rng = np.random.default_rng(5)
    stress = rng.normal(size=(6, 20, 3)) * np.array([800e6, 60e6, 60e6])
    residual = 0.05 * stress[::-1]
    formula, own = FormulaCriterion("mine", "mine", SPELLED[key]), criterion(key)
    found = formula.evaluate(strengths_of(CARBON, formula), stress, residual)
    exact = own.evaluate(strengths_of(CARBON, own), stress, residual)
    np.testing.assert_allclose(found.reserve, exact.reserve, rtol=1e-9)
    np.testing.assert_allclose(found.index, exact.index, rtol=1e-9, atol=1e-12)


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("s1 == 3", lambda s: s == 3),
        ("s1 != 3", lambda s: s != 3),
        ("s1 < 3", lambda s: s < 3),
        ("s1 <= 3", lambda s: s <= 3),
        ("s1 > 3", lambda s: s > 3),
        ("s1 >= 3", lambda s: s >= 3),
        ("2 < s1 <= 4", lambda s: (s > 2) & (s <= 4)),
        ("min(s1, 3) + max(s1, 4) - abs(s1)", lambda s: np.minimum(s, 3) + np.maximum(s, 4) - s),
        ("s1**2 - s1**3 / 2", lambda s: s**2 - s**3 / 2),
        ("-s1 + +2", lambda s: 2 - s),
    ],
)
def test_every_sign_of_a_formula_says_what_it_means(text: str, told) -> None:  # type: ignore[no-untyped-def]
    s = np.array([0.0, 1.0, 2.0, 3.0, 4.0, 5.0])
    stress = np.stack([s, np.zeros_like(s), np.zeros_like(s)], axis=1)
    found = FormulaCriterion("mine", "mine", text).evaluate({}, stress)
    np.testing.assert_allclose(found.index, np.asarray(told(s), float))


def test_limits_of_a_formula() -> None:
    formula = FormulaCriterion("mine", "mine", "s1 / Xt")
    strengths = strengths_of(CARBON, formula)
    found = formula.evaluate(strengths, np.array([[1e6, 0, 0], [-1e6, 0, 0], [0, 0, 0]]))
    assert found.reserve[0] == pytest.approx(2100)
    assert np.isinf(found.reserve[1:]).all()
    doomed = formula.evaluate(strengths, np.ones((1, 3)), np.full((1, 3), 3e9))
    assert doomed.reserve[0] == 0
    assert formula.needs == ("Xt",)
    undefined = FormulaCriterion("mine", "mine", "s1 / (s2 - s2)")
    assert undefined.evaluate({}, np.array([0.0, 1e6, 0])).reserve == 0


@pytest.mark.parametrize(
    "text",
    [
        "",
        "s1 +",
        "s1.real",
        "__import__('os')",
        "open('x')",
        "s1[0]",
        "lambda: 1",
        "[1, 2]",
        "s1 if 1 else 2",
        "s1 and s2",
        "'text'",
        "True",
        "max()",
        "sqrt(1, 2)",
        "max(s1, key=abs)",
        "s1 ** s2",
        "s1 ** 99",
        "9**9**9",
        "force",
        "1e99",
        "x" * 600,
        "+".join(["s1"] * 150),
        "(" * 300 + "s1" + ")" * 300,
        "f'{s1}'",
        "s1; s2",
        "(s1 := 2)",
        "s1 @ s2",
        "~s1",
        "s1 % 2",
    ],
)
def test_what_is_not_of_the_language_is_refused(text: str) -> None:
    with pytest.raises(CriterionError) as caught:
        read(text)
    assert caught.value.where == "Formula"
    assert caught.value.mend


def test_a_function_without_brackets_is_refused() -> None:
    with pytest.raises(CriterionError, match="brackets"):
        FormulaCriterion("m", "m", "max + s1").evaluate({}, np.zeros(3))


EXACT = (
    SPELLED["tsai_wu"],
    "(s1 / Xt)**2 + (s2 / Yt)**2 + (t12 / S12)**2",
    "max(s1 / Xt, -s1 / Xc, abs(t12) / S12)",
    "max(s1 / Xt, -s1 / Xc) + (t12 / S12)**2",
    "(s1 / Xt)**2 - s1 * s2 / (Xt * Xc) + abs(s2) / Yc + abs(t12 / S12)**2",
    "0.5 * max(e1 * E1 / Xt, -e1 * E1 / Xc, abs(g12) * G12 / S12) * 2",
    "(s1 / Xt)**2 + s1 * s2 / (-1 * Xt * Xc) + abs(s2) / Yc",
    # Figures of the material alone, to any power, are but numbers.
    "(s1 / Xt)**2 + (s2 / Yt)**2 * (Yt / Yc)**0.5 + abs(t12) / (S12 * 2**1.5)",
)


@pytest.mark.parametrize("text", EXACT)
@pytest.mark.parametrize("held", [False, True])
def test_branches_of_a_formula_say_what_its_numbers_say(text: str, held: bool) -> None:
    rule = FormulaCriterion("own", "own", text)
    strengths = strengths_of(CARBON, rule)
    assert rule.branches(strengths) is not None
    rng = np.random.default_rng(8)
    applied = rng.normal(size=(60, 3)) * np.array([800e6, 60e6, 60e6])
    residual = 0.2 * rng.normal(size=(60, 3)) * np.array([800e6, 40e6, 40e6]) if held else None
    exact = rule.evaluate(strengths, applied, residual)
    plain = rule._along(strengths, applied, residual)
    np.testing.assert_allclose(exact.reserve, plain.reserve, rtol=1e-9, atol=1e-12)
    np.testing.assert_allclose(exact.index, plain.index, rtol=1e-9, atol=1e-12)


@pytest.mark.parametrize(
    "text",
    [
        "sqrt(s1**2) / Xt",
        "min(s1 / Xt, 1)",
        "(s1 > 0) * s1 / Xt",
        "(s1 / Xt)**3",
        "s1 / Xt + 0.1",
        "s1 * t12 / Xt**2",
        "max(s1, 0)**2 / Xt**2",
        "Xt / s1",
    ],
)
def test_what_leaves_the_form_goes_the_numerical_way(text: str) -> None:
    rule = FormulaCriterion("own", "own", text)
    assert rule.branches(strengths_of(CARBON, rule)) is None


def test_a_written_criterion_goes_wherever_a_built_in_one_does() -> None:
    text = (
        "s1 / Xt - s1 / Xc + s2 / Yt - s2 / Yc + s1**2 / (Xt * Xc) + s2**2 / (Yt * Yc) "
        "+ (t12 / S12)**2 - s1 * s2 / (Xt * Xc)"
    )
    same = written("as Hoffman", text)
    assert criterion(same).title == "as Hoffman"
    lam = laminate(("carbon", 0, 1e-3), ("carbon", 60, 1e-3), ("carbon", -20, 0.5e-3))
    load = Load(np.array([2e5, -1e5, 6e4]), np.array([20.0, -10.0, 5.0]), dT=-60.0)
    for given in (same, criterion(same)):
        one, two = first_failure(lam, load, given), first_failure(lam, load, "hoffman")
        np.testing.assert_allclose(one.reserve, two.reserve, rtol=1e-9)
        sets = {m.name: (given,) for m in lam.materials}
        assert govern(lam, load, sets=sets).reserve == pytest.approx(two.reserve.min(), rel=1e-9)
    history = ply_discount(lam, load, same)
    expected = ply_discount(lam, load, "hoffman")
    assert [s.plies for s in history.steps] == [s.plies for s in expected.steps]
    assert pickle.loads(pickle.dumps(criterion(same))) == criterion(same)


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("", "s1 / Xt"),
        ("hashin", "s1"),
        ("Tsai–Wu", "s1"),
        ("a = b", "s1"),
        ("own", "s1 +"),
        ("own", "open('x')"),
        ("own", "s9 / Xt"),
    ],
)
def test_a_criterion_that_cannot_be_is_refused(name: str, text: str) -> None:
    with pytest.raises(CriterionError) as told:
        written(name, text)
    assert told.value.mend
