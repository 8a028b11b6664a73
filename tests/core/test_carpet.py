"""The family of 0°, ±45° and 90°: against laminates, and what follows from symmetry."""

from __future__ import annotations

import numpy as np
import pytest

from tartan.core.criteria import criterion
from tartan.core.criteria.base import strengths_of
from tartan.core.errors import MaterialError, StackError
from tartan.core.laminate.carpet import (
    FIGURES,
    LOADS,
    Shares,
    figure_of,
    neighbours,
    shares_of,
)
from tartan.core.laminate.constants import membrane
from tartan.core.laminate.response import Load, respond
from tartan.core.stack import Ply
from tests.conftest import CARBON, STEEL, laminate

T = 0.1e-3


def stack(zero: int, pairs: int, ninety: int) -> list[tuple[str, float, float]]:
    half = [("carbon", 0.0, T)] * zero + [("carbon", 45.0, T), ("carbon", -45.0, T)] * pairs
    half += [("carbon", 90.0, T)] * ninety
    return [*half, *half[::-1]]


@pytest.mark.parametrize("counts", [(4, 1, 1), (1, 2, 0), (0, 1, 3), (2, 0, 2), (3, 0, 0)])
def test_a_member_is_its_laminate(counts: tuple[int, int, int]) -> None:
    plies = stack(*counts)
    lam = laminate(*plies)
    shares = shares_of([Ply(*p) for p in plies])
    assert shares is not None
    whole = counts[0] + 2 * counts[1] + counts[2]
    assert shares.diagonal == pytest.approx(2 * counts[1] / whole)
    constants = membrane(lam)
    for name, value in (("Ex", constants.Ex), ("Ey", constants.Ey), ("Gxy", constants.Gxy),
                        ("νxy", constants.nuxy)):  # fmt: skip
        assert figure_of(name, CARBON, [shares])[0] == pytest.approx(value, rel=1e-9)
    for name, load in LOADS.items():
        for key in ("tsai_wu", "max_strain"):
            stress = respond(lam, Load(np.array(load) * lam.thickness, np.zeros(3))).stress_12
            rule = criterion(key)
            least = rule.evaluate(strengths_of(CARBON, rule), stress).reserve.min()
            assert figure_of(name, CARBON, [shares], key)[0] == pytest.approx(least, rel=1e-9)


def test_the_family_is_mirrored_and_quasi_isotropic_in_its_middle() -> None:
    rng = np.random.default_rng(3)
    members = [Shares(*row) for row in rng.dirichlet((1, 1, 1), 30)]
    turned = [Shares(s.ninety, s.diagonal, s.zero) for s in members]
    np.testing.assert_allclose(
        figure_of("Ex", CARBON, members), figure_of("Ey", CARBON, turned), rtol=1e-12
    )
    np.testing.assert_allclose(
        figure_of("strength along x, tension", CARBON, members),
        figure_of("strength along y, tension", CARBON, turned),
        rtol=1e-12,
    )
    quasi = [Shares(0.25, 0.5, 0.25)]
    ex, ey, g, nu = (figure_of(n, CARBON, quasi)[0] for n in ("Ex", "Ey", "Gxy", "νxy"))
    assert ex == pytest.approx(ey)
    assert g == pytest.approx(ex / (2 * (1 + nu)))
    # Only ±45° carry shear; 0° and 90° alone are least stiff in it.
    shear = figure_of("Gxy", CARBON, [Shares(0, x, 1 - x) for x in np.linspace(0, 1, 6)])
    assert (np.diff(shear) > 0).all()


def test_neighbours_are_one_ply_or_pair_away() -> None:
    found = neighbours(2, 1, 0)
    assert {n.more for n in found} == {
        (1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0), (0, 0, 1)
    }  # fmt: skip
    for each in found:
        counts = np.array([2, 1, 0]) + each.more
        whole = counts @ [1, 2, 1]
        assert each.shares.zero == pytest.approx(counts[0] / whole)
        assert each.shares.diagonal == pytest.approx(2 * counts[1] / whole)


def test_what_is_no_member_is_said() -> None:
    assert shares_of([Ply("carbon", 30.0, T)]) is None
    assert shares_of([Ply("carbon", 45.0, T)]) is None
    assert shares_of([]) is None
    with pytest.raises(StackError, match="sum to one"):
        Shares(0.5, 0.2, 0.2)
    with pytest.raises(StackError, match="sum to one"):
        Shares(float("nan"), 0.5, 0.5)
    with pytest.raises(StackError, match="no figure"):
        figure_of("luck", CARBON, [Shares(1, 0, 0)])
    with pytest.raises(MaterialError):
        figure_of("strength in shear", STEEL, [Shares(1, 0, 0)])
    assert len(FIGURES) == 9
