"""What governs a laminate, and the small functions round it."""

import dataclasses

import numpy as np
import pytest

from tartan.core.errors import CriterionError, MaterialError, NotationError
from tartan.core.laminate import Laminate
from tartan.core.laminate.response import (
    Load,
    expansion,
    mean_stress_load,
    principal,
    respond,
    strain_rotation,
)
from tartan.core.materials import findings
from tartan.core.stack import Ply, operations
from tartan.core.stack.notation import Context, parse
from tartan.core.strength.critical import critical_shears
from tartan.core.strength.govern import govern
from tartan.core.strength.reserve import first_failure
from tests.conftest import CARBON, FOAM, laminate


def test_the_worst_criterion_governs_with_its_address(unsymmetric: Laminate) -> None:
    load = Load(np.array([1e5, -4e4, 2e4]), np.array([20.0, 0, 0]), dT=-60.0)
    keys = ("tsai_wu", "hashin", "puck", "max_stress")
    found = govern(unsymmetric, load, sets={"ply": keys})
    each = {k: first_failure(unsymmetric, load, k) for k in keys}
    worst = min(each, key=lambda k: each[k].reserve.min())
    assert found.reserve == pytest.approx(each[worst].reserve.min())
    assert (found.criterion, found.ply) == (worst, each[worst].governing[0])
    assert found.mode == each[worst].label
    assert found.margin == pytest.approx(found.reserve - 1)
    glass_by_strain = {"ply": ("tsai_wu",), "glass": ("max_strain",)}
    mixed = govern(unsymmetric, load, sets=glass_by_strain)
    by_hand = min(
        first_failure(unsymmetric, load, "tsai_wu").reserve[[0, 2]].min(),
        first_failure(unsymmetric, load, "max_strain").reserve[1].min(),
    )
    assert mixed.reserve == pytest.approx(by_hand)


def test_cores_are_governed_by_transverse_shear(sandwich: Laminate) -> None:
    found = govern(sandwich, Load(), np.array([5000.0, 0.0]))
    assert (found.criterion, found.ply, found.mode) == ("core_shear", 1, "core shear along 1")
    assert found.reserve == pytest.approx(0.8e6 * 21e-3 / 5000, rel=5e-3)
    shears = critical_shears(sandwich, {"ply": ("interlaminar",), "core": ("core_shear",)})
    assert shears["Qx"] == pytest.approx(5000 * found.reserve)
    assert shears["Qy"] < shears["Qx"]
    with pytest.raises(CriterionError, match="foam"):
        govern(sandwich, Load(), sets={"ply": ("tsai_wu",)})


def test_fracture_angle_comes_with_the_address() -> None:
    one = laminate(("carbon", 0, 1e-3))
    found = govern(one, Load(np.array([0, -1e5, 0])), sets={"ply": ("puck",)})
    assert found.mode == "IFF C"
    assert found.angle is not None
    assert 45 < found.angle < 60


@pytest.mark.parametrize(
    ("values", "field"),
    [
        ({"E3": 9e9, "nu13": 5.0}, "nu13"),
        ({"E3": 9e9, "nu23": 1.1}, "nu23"),
        ({"E3": 9e9, "nu12": 0.3, "nu13": 3.5, "nu23": 0.9}, "nu23"),
        ({"E3": -1.0}, "E3"),
    ],
)
def test_spatial_constants_are_checked(values: dict[str, float], field: str) -> None:
    assert [f.field for f in findings(dataclasses.replace(CARBON, **values))] == [field]
    sound = dataclasses.replace(CARBON, E3=9e9, nu13=0.3, nu23=0.4)
    assert findings(sound) == []


def test_turned_and_moved_laminates(unsymmetric: Laminate) -> None:
    turned = unsymmetric.turned(25.0)
    T = strain_rotation(np.deg2rad(25.0))
    np.testing.assert_allclose(turned.A, T.T @ unsymmetric.A @ T, rtol=1e-9)
    np.testing.assert_allclose(unsymmetric.about(1e-3).B, unsymmetric.B + 1e-3 * unsymmetric.A)
    warm, wet = expansion(unsymmetric)
    free = respond(unsymmetric, Load(dT=10.0, dC=0.0))
    np.testing.assert_allclose(10 * warm, np.concatenate([free.eps0, free.kappa]))
    assert (wet == 0).all()


def test_mean_and_principal_stresses() -> None:
    one = laminate(("steel", 0, 2e-3))
    load = mean_stress_load(one, np.array([50e6, 0, 20e6]), np.array([30e6, 0, 0]))
    stress = respond(one, load).stress_xy
    np.testing.assert_allclose(stress[0, :, 0], [20e6, 50e6, 80e6])
    both, angle = principal(stress[0, 1])
    np.testing.assert_allclose(both, 25e6 + np.array([1, -1]) * np.hypot(25e6, 20e6))
    assert np.tan(2 * float(angle)) == pytest.approx(0.8)


def test_sub_laminates_in_notation() -> None:
    face = parse("[45/0]", Context({"UD": 1e-4}, "UD"))
    context = Context({"UD": 1e-4, "core": 1e-2}, "UD", {"face": face})
    plies = parse("[{face}/0 core mid]s", context)
    assert [p.angle for p in plies] == [45, 0, 0, 0, 45]
    assert len(parse("[{face}2/90]", context)) == 5
    for text, at in (("[{skin}]", 1), ("[{face]", 1)):
        with pytest.raises(NotationError) as caught:
            parse(text, context)
        assert caught.value.position == at


def test_insert_and_cost() -> None:
    plies = laminate(("carbon", 0, 1e-3), ("carbon", 90, 1e-3)).stack.plies
    new = Ply("foam", 0, 1e-2)
    assert operations.insert(plies, 1, [new]) == (plies[0], new, plies[1])
    assert operations.insert(plies, 2, [new])[-1] == new
    lam = laminate(("carbon", 0, 1e-3))
    with pytest.raises(MaterialError, match="price"):
        _ = lam.areal_cost
    priced = Laminate(lam.stack, (dataclasses.replace(CARBON, price=50.0),))
    assert priced.areal_cost == pytest.approx(50 * 1.58)
    assert FOAM.price is None
