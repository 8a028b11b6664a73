"""Workings: every tree ends at the figure it explains, and its steps add up."""

import dataclasses

import numpy as np
import pytest

from tartan.core.criteria import REGISTRY
from tartan.core.laminate import Laminate
from tartan.core.laminate.constants import flexural, membrane
from tartan.core.laminate.response import Load, respond
from tartan.core.strength.govern import govern
from tartan.core.strength.reserve import first_failure
from tartan.core.working import (
    Working,
    constant_working,
    modulus_working,
    reduced_stiffness_working,
    stiffness_working,
)
from tartan.core.working_strength import ply_stress_working, reserve_working, shear_reserve_working
from tests.conftest import CARBON


@pytest.mark.parametrize("block", ["A", "B", "D"])
def test_stiffness_is_the_sum_of_its_steps(block: str, unsymmetric: Laminate) -> None:
    for i in range(3):
        for j in range(3):
            tree = stiffness_working(unsymmetric, block, i, j)
            parts = np.array([s.value for s in tree.steps])
            assert parts.sum() == pytest.approx(tree.value, rel=1e-9, abs=1e-9 * abs(parts).max())
            assert tree.value == pytest.approx(getattr(unsymmetric, block)[i, j])
            assert tree.source


def test_reduced_stiffness_follows_its_formula() -> None:
    tree = reduced_stiffness_working(CARBON, 0, 1)
    g = {x.symbol: x.value for x in tree.given}
    assert tree.value == pytest.approx(
        g["nu12"] * g["E2"] / (1 - g["nu12"] ** 2 * g["E2"] / g["E1"])
    )
    assert all("carbon" in x.origin for x in tree.given)
    assert reduced_stiffness_working(CARBON, 0, 2).value == 0


def test_moduli_and_stresses_end_at_the_answer(unsymmetric: Laminate) -> None:
    assert modulus_working(unsymmetric, 0).value == pytest.approx(membrane(unsymmetric).Ex)
    assert modulus_working(unsymmetric, 2, bending=True).value == pytest.approx(
        flexural(unsymmetric).Gxy
    )
    for form, found in (
        ("membrane", membrane(unsymmetric)),
        ("flexural", flexural(unsymmetric)),
        ("kept flat", membrane(unsymmetric, kept_flat=True)),
    ):
        for field in ("Ex", "Ey", "Gxy", "nuxy", "nuyx"):
            shown = constant_working(unsymmetric, field, form)
            assert shown.value == pytest.approx(getattr(found, field), rel=1e-12)
    load = Load(np.array([1e5, 0, 2e4]), np.array([5.0, 0, 0]), dT=-40.0)
    stress = respond(unsymmetric, load).stress_12
    for component in range(3):
        tree = ply_stress_working(unsymmetric, load, 1, 2, component)
        assert tree.value == pytest.approx(stress[1, 2, component])
        q = [s.value for s in tree.steps if s.title.startswith("Q")]
        e = [s.value for s in tree.steps if s.title.startswith("mechanical")]
        used = e[2:] if component == 2 else e[:2]
        assert np.dot(q, used) == pytest.approx(tree.value)


@pytest.mark.parametrize("key", [k for k, r in REGISTRY.items() if r.stress == "in-plane"])
def test_reserve_factor_is_explained_down_to_the_strengths(
    key: str, unsymmetric: Laminate
) -> None:
    load = Load(np.array([1e5, 0, 2e4]), dT=-40.0)
    tree = reserve_working(unsymmetric, load, key, 0, 1)
    assert tree.value == pytest.approx(first_failure(unsymmetric, load, key).reserve[0, 1])
    index, check = tree.steps
    assert {g.symbol for g in index.given} == set(REGISTRY[key].needs)
    assert check.value == pytest.approx(1.0)
    assert sum(s.title.startswith("residual") for s in index.steps) == 3
    text = tree.text()
    assert REGISTRY[key].source in text
    assert "Pa" in text
    assert text.count("\n") > 20


def test_derived_allowables_are_marked(unsymmetric: Laminate) -> None:
    entered = dataclasses.replace(CARBON, eXt=0.012)
    lam = Laminate(unsymmetric.stack, (entered, *unsymmetric.materials[1:]))
    index = reserve_working(lam, Load(np.array([1e5, 0, 0])), "max_strain", 0, 1).steps[0]
    origins = {g.symbol: g.origin for g in index.given}
    assert "derived as Yt/E2" in origins["eYt"]
    assert "derived" not in origins["eXt"]


def depth(tree: Working) -> int:
    return 1 + max((depth(s) for s in tree.steps), default=0)


def test_trees_are_trees(unsymmetric: Laminate) -> None:
    assert depth(modulus_working(unsymmetric)) >= 4


@pytest.mark.parametrize("key", ["core_shear", "interlaminar"])
def test_shear_reserve_is_explained_down_to_the_forces(key: str, sandwich: Laminate) -> None:
    Q = np.array([4000.0, -1000.0])
    tree = shear_reserve_working(sandwich, np.append(Q, np.zeros(8)), key, 1, 1)
    least = govern(sandwich, Load(), Q, {"core": (key,), "ply": ("interlaminar",)})
    assert tree.value >= least.reserve * (1 - 1e-9)
    index = tree.steps[0]
    tau, limit = [s.value for s in index.steps], [g.value for g in index.given]
    shares = np.abs(tau) / limit
    expected = shares.max() if key == "core_shear" else (shares**2).sum()
    assert index.value == pytest.approx(expected)
    assert {g.symbol for g in index.steps[0].given} == {"Qx", "Qy"}


def test_what_grows_beside_the_transverse_force_is_told_in_the_working(
    unsymmetric: Laminate,
) -> None:
    acting = np.zeros(10)
    acting[[0, 6, 9]] = 900.0, 2500.0, -700.0
    tree = shear_reserve_working(unsymmetric, acting, "interlaminar", 1, 1)
    given = {g.symbol: (g.value, g.unit) for g in tree.steps[0].steps[0].given}
    assert given == {
        "Qx": (900.0, "N/m"),
        "Qy": (0.0, "N/m"),
        "My,x": (2500.0, "N/m"),
        "Mxy,y": (-700.0, "N/m"),
    }
    alone = shear_reserve_working(
        unsymmetric, np.where(np.arange(10) < 2, acting, 0.0), "interlaminar", 1, 1
    )
    assert alone.value != pytest.approx(tree.value, rel=0.01)
