"""User formulas: safe to read, and as right as the criterion they spell out."""

import numpy as np
import pytest

from tartan.core.criteria import criterion
from tartan.core.criteria.base import strengths_of
from tartan.core.criteria.formula import FormulaCriterion, read
from tartan.core.errors import CriterionError
from tests.conftest import CARBON

SPELLED = {
    "max_stress": "max(s1 / Xt, -s1 / Xc, s2 / Yt, -s2 / Yc, abs(t12) / S12)",
    "tsai_wu": "s1*(1/Xt - 1/Xc) + s2*(1/Yt - 1/Yc) + s1**2/(Xt*Xc) + s2**2/(Yt*Yc)"
               " + (t12/S12)**2 + 2*f12_star*sqrt(1/(Xt*Xc*Yt*Yc))*s1*s2",
    "tsai_hill": "(s1/((s1>=0)*Xt+(s1<0)*Xc))**2 - s1*s2/((s1>=0)*Xt+(s1<0)*Xc)**2"
                 " + (s2/((s2>=0)*Yt+(s2<0)*Yc))**2 + (t12/S12)**2",
    "max_strain": "max(e1*E1/Xt, -e1*E1/Xc, e2*E2/Yt, -e2*E2/Yc, abs(g12)*G12/S12)",
}  # fmt: skip


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
    ["", "s1 +", "s1.real", "__import__('os')", "open('x')", "s1[0]", "lambda: 1", "[1, 2]",
     "s1 if 1 else 2", "s1 and s2", "'text'", "True", "max()", "sqrt(1, 2)", "max(s1, key=abs)",
     "s1 ** s2", "s1 ** 99", "9**9**9", "force", "1e99", "x" * 600, "+".join(["s1"] * 150),
     "(" * 300 + "s1" + ")" * 300, "f'{s1}'", "s1; s2", "(s1 := 2)", "s1 @ s2", "~s1", "s1 % 2"],
)  # fmt: skip
def test_what_is_not_of_the_language_is_refused(text: str) -> None:
    with pytest.raises(CriterionError) as caught:
        read(text)
    assert caught.value.where == "Formula"
    assert caught.value.mend


def test_a_function_without_brackets_is_refused() -> None:
    with pytest.raises(CriterionError, match="brackets"):
        FormulaCriterion("m", "m", "max + s1").evaluate({}, np.zeros(3))
