"""Stiffness about other surfaces and in turned axes, against the mechanics it must obey."""

from __future__ import annotations

import numpy as np
import pytest

from tartan.core.laminate import Laminate, make_laminate
from tartan.core.laminate.loadcase import LoadCase
from tartan.core.materials import Material
from tartan.core.stack import Ply, Stack
from tartan.pages.ply_results import carried, ply_table
from tartan.pages.stack_answers import Question
from tartan.pages.stiffness_question import SURFACES, asked_stiffness, stiffness_table
from tartan.project.document.samples import dish_panel

UD = next(m for m in dish_panel().materials if m.kind == "ply")


def random_laminate(rng: np.random.Generator) -> Laminate:
    plies = tuple(
        Ply(UD.name, float(rng.uniform(-90, 90)), float(rng.uniform(0.05e-3, 0.5e-3)))
        for _ in range(rng.integers(1, 9))
    )
    return make_laminate(Stack("s", plies), {UD.name: UD})


@pytest.mark.parametrize("seed", range(20))
def test_energy_is_the_same_about_any_surface(seed: int) -> None:
    rng = np.random.default_rng(seed)
    laminate = random_laminate(rng)
    eps, kappa = rng.normal(size=3), rng.normal(size=3) * 1e3
    h = laminate.thickness / 2
    energies = []
    for surface, height in (("middle", 0.0), ("bottom", -h), ("top", h)):
        whole = asked_stiffness(laminate, 0.0, surface)
        there = np.concatenate([eps + height * kappa, kappa])
        energies.append(there @ whole @ there)
        assert np.allclose(whole[:3, :3], laminate.A, rtol=1e-12)
    assert energies == pytest.approx([energies[0]] * 3, rel=1e-9)


@pytest.mark.parametrize("seed", range(20))
def test_turned_axes_see_the_same_energy(seed: int) -> None:
    rng = np.random.default_rng(100 + seed)
    laminate, turn = random_laminate(rng), float(rng.uniform(-180, 180))
    c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    # Strains in axes turned by the angle, engineering shear.
    T = np.array(
        [[c * c, s * s, c * s], [s * s, c * c, -c * s], [-2 * c * s, 2 * c * s, c * c - s * s]]
    )
    both = np.kron(np.eye(2), T)
    strain = np.concatenate([rng.normal(size=3), 1e3 * rng.normal(size=3)])
    turned = asked_stiffness(laminate, turn)
    assert (both @ strain) @ turned @ (both @ strain) == pytest.approx(
        strain @ laminate.ABD @ strain, rel=1e-9
    )


def test_the_table_holds_the_matrix_and_its_inverse() -> None:
    laminate = random_laminate(np.random.default_rng(7))
    whole = asked_stiffness(laminate, 20.0, "bottom")
    table = stiffness_table(whole, "s", 20.0, "bottom")
    assert "bottom surface" in table.title
    assert "20°" in table.title
    blocks = {str(r[0]).split()[0]: [] for r in table.rows}  # type: ignore[var-annotated]
    for row in table.rows:
        blocks[str(row[0]).split()[0]].append(row[2:])
    scale = {"A": 1e6, "B": 1e3, "D": 1.0, "a": 1e-6, "b": 1e-3, "d": 1.0}
    found = {k: np.array(v) * scale[k] for k, v in blocks.items()}
    stiff = np.block([[found["A"], found["B"]], [found["B"], found["D"]]])
    soft = np.block([[found["a"], found["b"]], [found["b"].T, found["d"]]])
    assert np.allclose(stiff, whole, rtol=1e-12, atol=1e-9 * np.abs(whole).max())
    size = np.sqrt(np.outer(np.diag(stiff), np.diag(stiff)))
    assert np.allclose((stiff @ soft) / size * np.diag(size), np.eye(6), atol=1e-6)
    for row in table.as_text().splitlines()[1:]:
        assert all(float(cell) == float(cell) for cell in row.split("\t")[2:])
    assert set(SURFACES) == {"middle", "bottom", "top"}


@pytest.mark.parametrize("seed", range(10))
def test_what_is_read_out_is_what_acts(seed: int) -> None:
    """Forces given come back; where strains are given the forces that hold them are told."""
    rng = np.random.default_rng(200 + seed)
    laminate = random_laminate(rng)
    values = tuple((rng.normal(size=6) * [1e4, 1e4, 1e4, 10, 10, 10]).tolist())
    forced = LoadCase("f", values, ("force",) * 6, dT=float(rng.uniform(-100, 100)))
    question = Question(laminate, forced, dish_panel().criteria[0], 1.0)
    assert carried(question) == pytest.approx(values, rel=1e-8, abs=1e-6)
    strains = tuple((rng.normal(size=6) * [1e-3, 1e-3, 1e-3, 1, 1, 1]).tolist())
    held = LoadCase("h", strains, ("strain",) * 6)
    found = carried(Question(laminate, held, dish_panel().criteria[0], 1.0))
    assert found == pytest.approx(laminate.ABD @ strains, rel=1e-8)


def test_principal_values_and_invariants_are_those_of_the_tensor() -> None:
    rng = np.random.default_rng(3)
    laminate = random_laminate(rng)
    loads = LoadCase("f", tuple((rng.normal(size=6) * 1e4).tolist()), ("force",) * 6)
    table = ply_table(Question(laminate, loads, dish_panel().criteria[0], 1.0))
    at = {h.split(" [")[0]: j for j, h in enumerate(table.head)}
    for row in table.rows:
        s = np.array([[row[at["σ1"]], row[at["τ12"]]], [row[at["τ12"]], row[at["σ2"]]]], float)
        e = np.array(
            [[row[at["ε1"]], row[at["γ12"]] / 2], [row[at["γ12"]] / 2, row[at["ε2"]]]], float
        )
        two, one = np.linalg.eigvalsh(s)
        assert (row[at["σI"]], row[at["σII"]]) == pytest.approx((one, two), rel=1e-9, abs=1e-9)
        assert row[at["σI + σII"]] == pytest.approx(np.trace(s), rel=1e-9, abs=1e-6)
        assert row[at["τ max"]] == pytest.approx((one - two) / 2, rel=1e-9, abs=1e-9)
        mises = np.sqrt(s[0, 0] ** 2 - s[0, 0] * s[1, 1] + s[1, 1] ** 2 + 3 * s[0, 1] ** 2)
        assert row[at["σ von Mises"]] == pytest.approx(mises, rel=1e-9)
        low, high = np.linalg.eigvalsh(e)
        assert (row[at["εI"]], row[at["εII"]]) == pytest.approx((high, low), rel=1e-9, abs=1e-9)
        assert row[at["γ max"]] == pytest.approx(high - low, rel=1e-9)
        # Stress and strain along x and y have the same trace as along the fibres.
        assert row[at["σx"]] + row[at["σy"]] == pytest.approx(np.trace(s), rel=1e-8, abs=1e-6)
    assert isinstance(UD, Material)
