"""Single changes and their ranking, against counting by hand and one-by-one answers."""

import dataclasses

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tartan.core.criteria import DEFAULT_SETS
from tartan.core.errors import CriterionError, StackError
from tartan.core.laminate import make_laminate
from tartan.core.laminate.loadcase import LoadCase, answer, check_load_case, parts
from tartan.core.laminate.response import respond
from tartan.core.laminate.tube import TubeLoad
from tartan.core.search.changes import single_changes
from tartan.core.search.whatif import rank
from tartan.core.stack import Ply, Stack
from tartan.core.stack.plies import is_symmetric
from tartan.core.strength.critical import critical_by_sets, critical_loads
from tartan.core.strength.envelope import envelope
from tartan.core.strength.govern import checks_of, reserves
from tartan.core.strength.under import least_under
from tests.conftest import CARBON, FOAM, GLASS, MATERIALS

SETS = {"ply": ("tsai_wu", "hashin", "max_stress"), "core": ("core_shear",)}
LOADS = (
    LoadCase("forces", (2e5, -4e4, 3e4, 40.0, -10.0, 5.0), Q=(3e3, -1e3)),
    LoadCase("cold", (1e5, 2e4, 0.0, 0.0, 20.0, 0.0), dT=-80.0, dT_gradient=4e3, dC=0.004),
    LoadCase(
        "strained",
        (1e-3, 2e4, 0.0, 0.0, 0.5, 0.0),
        ("strain", "force", "force", "force", "strain", "force"),
        dT=-40.0,
    ),
    LoadCase("mean stress", (9e7, 0.0, 1e7, 5e7, 0.0, 0.0), ("stress",) * 6),
    LoadCase("tube", dT=-30.0, tube=TubeLoad(0.05, at="inner", pressure=1e6, torque=60.0)),
)


def plies(*angles: float, material: str = "carbon") -> tuple[Ply, ...]:
    return tuple(Ply(material, a, 0.125e-3) for a in angles)


def test_changes_of_two_plies_counted_by_hand() -> None:
    found = {
        tuple(p.angle for p in c.plies)
        for c in single_changes(plies(0, 90), [CARBON], (0.0, 90.0))
    }
    turned_moved_dropped = {(90, 90), (0, 0), (90, 0), (0,), (90,)}
    added = {(0, 0, 90), (90, 0, 90), (0, 90, 90), (0, 90, 0)}
    assert found == turned_moved_dropped | added


@settings(max_examples=40)
@given(st.lists(st.sampled_from([0, 45, -45, 90]), min_size=1, max_size=7), st.booleans())
def test_symmetric_stacks_stay_symmetric_and_no_result_comes_twice(
    half: list[int], odd: bool
) -> None:
    lower = plies(*half)
    whole = lower + lower[::-1][1 if odd else 0 :]
    changes = single_changes(whole, [CARBON, GLASS])
    assert all(is_symmetric(c.plies) for c in changes if len(whole) > 1)
    results = [c.plies for c in changes]
    assert len(set(results)) == len(results)
    assert whole not in results
    assert all(abs(len(r) - len(whole)) <= 2 for r in results)


@pytest.mark.parametrize(
    "stack",
    [
        plies(0, 45, -45, 90, 90, -45, 45, 0),
        plies(30, 0, 90),
        (*plies(0, 45), Ply("foam", 0.0, 8e-3), *plies(45, 0)),
    ],
    ids=["symmetric", "unsymmetric", "sandwich"],
)
def test_ranking_agrees_with_answers_one_by_one(stack: tuple[Ply, ...]) -> None:
    changes = single_changes(stack, [CARBON, GLASS, FOAM])
    ranked = [r for piece in rank(changes, MATERIALS, LOADS, SETS, block=900) for r in piece]
    assert {r.change for r in ranked} == set(changes)
    for r in ranked[:: max(1, len(ranked) // 25)]:
        laminate = make_laminate(Stack("s", r.change.plies), MATERIALS)
        checks = checks_of(laminate, SETS)
        each = []
        for loads in LOADS:
            a = answer(laminate, loads)
            found = reserves(checks, a.applied.stress_12[None], a.shear[None], a.residual)
            each.append(found.governing().reserve)
        assert r.reserve == pytest.approx(min(each), rel=1e-9)
        assert each[r.load] == pytest.approx(min(each), rel=1e-9)
        assert r.mass == pytest.approx(laminate.areal_mass)


def test_a_material_without_criterion_is_refused_by_name() -> None:
    changes = single_changes(plies(0, 90), [CARBON])
    with pytest.raises(CriterionError, match="carbon"):
        next(rank(changes, MATERIALS, LOADS, {"core": ("core_shear",)}))
    with pytest.raises(StackError, match="no load"):
        next(rank(changes, MATERIALS, (), SETS))


@pytest.mark.parametrize("loads", LOADS, ids=[s.name for s in LOADS])
def test_the_two_parts_of_a_load_case_cause_its_response(unsymmetric, loads: LoadCase) -> None:  # type: ignore[no-untyped-def]
    found = answer(unsymmetric, loads)
    scaled, rest = parts(unsymmetric, loads)
    assert respond(unsymmetric, scaled).stress_12 == pytest.approx(found.applied.stress_12)
    both = respond(unsymmetric, scaled).stress_12 + respond(unsymmetric, rest).stress_12
    assert both == pytest.approx(found.total.stress_12, rel=1e-9, abs=1.0)
    for i, way in enumerate(loads.ways):
        if way == "strain":
            strain = np.concatenate([found.total.eps0, found.total.kappa])
            assert strain[i] == pytest.approx(loads.values[i])


def test_load_cases_that_are_no_numbers_are_refused() -> None:
    with pytest.raises(StackError, match="finite"):
        check_load_case(LoadCase("x", dT=float("nan")))


def test_the_worst_of_a_set_governs_critical_loads_and_envelopes(unsymmetric) -> None:  # type: ignore[no-untyped-def]
    keys = ("tsai_wu", "hashin", "max_stress")
    both = critical_by_sets(unsymmetric, {"ply": keys})
    single = {k: critical_loads(unsymmetric, k) for k in keys}
    for i, load in enumerate(both):
        least = min(single.values(), key=lambda loads: loads[i].load)[i]
        assert load.load == pytest.approx(least.load)
        assert (load.ply, load.mode) == (least.ply, least.mode)
    ring = envelope(unsymmetric, {"ply": keys}, ("Nx", "Mxy"))
    radius = np.linalg.norm(ring.points / np.abs(ring.points).max(axis=0), axis=1)
    for k in keys:
        other = envelope(unsymmetric, k, ("Nx", "Mxy"), count=720)
        # A point of the common envelope lies on or within each single one, along its own ray.
        scale = np.abs(ring.points).max(axis=0)
        turned = np.arctan2(*(other.points / scale).T[::-1])
        reach = np.linalg.norm(other.points / scale, axis=1)
        order = np.argsort(turned)
        mine = np.arctan2(*(ring.points / scale).T[::-1])
        along = np.interp(mine, turned[order], reach[order], period=2 * np.pi)
        assert (radius <= along * 1.01).all()


def test_work_on_sandwiches_pauses_and_plain_stacks_come_in_large_pieces() -> None:
    """Whoever goes through the pieces between key presses is held up by none of them."""
    face = (Ply(CARBON.name, 0.0, 1e-4), Ply(CARBON.name, 90.0, 1e-4))
    offered = [CARBON]
    load = [LoadCase("pull", (1e4, 0.0, 0.0, 0.0, 0.0, 0.0))]
    core = Ply(FOAM.name, 0.0, 5e-3)
    sandwich = single_changes((*face, core, *face), offered)
    pieces = list(rank(sandwich, MATERIALS, load, SETS))
    # Each is looked up between two pauses.
    cored = sum(core in c.plies for c in sandwich)
    assert sum(not p for p in pieces) >= cored > 40
    together = [r for p in pieces for r in p]
    assert len(together) == len(sandwich)
    plain = single_changes((*face, *face), offered)
    assert max(len(p) for p in rank(plain, MATERIALS, load, SETS)) > 2
    # A piece's size changes no figure.
    for other in together:
        (one,) = (r for p in rank([other.change], MATERIALS, load, SETS) for r in p)
        assert one.reserve == pytest.approx(other.reserve, rel=1e-12)


@pytest.mark.parametrize("seed", range(4))
def test_sandwiches_judged_together_are_what_each_is_alone(seed: int) -> None:
    """Held and growing temperature, pressure and curvature, one face or two, two cores."""
    rng = np.random.default_rng(seed)
    face = [Ply(CARBON.name, float(a), 1e-4) for a in rng.integers(-90, 91, 3)]
    comb = dataclasses.replace(
        FOAM, name="comb", E3=130e6, Zc=0.9e6, cell_size=5e-3, wrinkling_k=0.6
    )
    materials = MATERIALS | {comb.name: comb}
    sets = SETS | {"core": DEFAULT_SETS["core"]}
    core = Ply(comb.name, 30.0, float(rng.uniform(2e-3, 9e-3)))
    plies = ((*face, core, *face), (*face, core), (core, *face, core, face[0]))[seed % 3]
    loads = [
        LoadCase("cold", tuple(rng.normal(0, 4e4, 6) * [1, 1, 1, 1e-3, 1e-3, 1e-3]), dT=-60.0),
        LoadCase(
            "pressed",
            tuple(rng.normal(0, 4e4, 6) * [1, 1, 1, 1e-3, 1e-3, 1e-3]),
            press=float(rng.uniform(0, 1e5)),
            held_press=2e4,
            curved=tuple(rng.normal(0, 1, 3)),
        ),
        LoadCase("heated", tuple(rng.normal(0, 4e4, 6) * 1e-3), growing_dT=80.0),
    ]
    changes = single_changes(plies, [CARBON])
    ranked = [r for p in rank(changes, materials, loads, sets) for r in p]
    assert len(ranked) == len(changes) > 5
    for r in ranked[seed :: len(ranked) // 10]:
        made = make_laminate(Stack("c", r.change.plies), materials)
        assert r.reserve == pytest.approx(least_under(made, loads, sets), rel=1e-7)
