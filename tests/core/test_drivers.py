"""What drives a failure, envelopes over a choice, and loads that stay or are scaled."""

import dataclasses
import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tartan.core.criteria import REGISTRY, criterion
from tartan.core.criteria.base import strengths_of
from tartan.core.criteria.tsai_wu import TsaiWu
from tartan.core.laminate import Laminate
from tartan.core.laminate.loadcase import LoadCase, answer, parts
from tartan.core.laminate.response import (
    Load,
    level_heights,
    respond,
    shear_from_section,
    stress_from_section,
)
from tartan.core.search.changes import Change
from tartan.core.search.whatif import rank
from tartan.core.shell.margins import Within, assess
from tartan.core.strength.drivers import drivers
from tartan.core.strength.govern import checks_of, reserves
from tests.conftest import CARBON, MATERIALS

SETS = {"ply": ("tsai_wu", "hashin", "max_stress"), "core": ("core_shear",)}
MPA = st.floats(-400, 400).map(lambda v: v * 1e6)
IN_PLANE = [k for k, r in REGISTRY.items() if r.stress == "in-plane" and k != "von_mises"]


@settings(max_examples=40)
@given(st.tuples(MPA, MPA, MPA), st.tuples(MPA, MPA, MPA))
def test_shares_of_tsai_wu_are_its_own_terms(applied, held) -> None:  # type: ignore[no-untyped-def]
    rule = criterion("tsai_wu")
    strengths = strengths_of(CARBON, rule)
    p, r = np.array(applied), np.array(held) * 0.05
    found = drivers(rule, strengths, p, r)
    reserve = float(rule.evaluate(strengths, p[None], r[None]).reserve[0])
    if not found.at_failure:
        return
    s = reserve * p + r
    (branch,) = TsaiWu().branches(strengths)
    linear, f = branch.linear, branch.square
    cross = f[3] * s[0] * s[1]
    terms = np.array(
        [
            linear[0] * s[0] + f[0] * s[0] ** 2 + cross,
            linear[1] * s[1] + f[1] * s[1] ** 2 + cross,
            f[2] * s[2] ** 2,
        ]
    )
    scaled = np.divide(reserve * p, s, out=np.zeros(3), where=s != 0)
    np.testing.assert_allclose(found.shares, terms * scaled, atol=2e-6 * np.abs(terms).max())
    assert found.held == pytest.approx(float((terms * (1 - scaled)).sum()), abs=1e-5)
    assert found.index == pytest.approx(1, rel=1e-9)


@pytest.mark.parametrize("key", IN_PLANE)
def test_shares_add_up_to_failure_and_idle_stresses_have_none(key: str) -> None:
    rule = criterion(key)
    strengths = strengths_of(CARBON, rule)
    rng = np.random.default_rng(3)
    for _ in range(12):
        applied = rng.normal(0, 1, 3) * [400e6, 40e6, 30e6]
        held = rng.normal(0, 1, 3) * [30e6, 6e6, 3e6]
        found = drivers(rule, strengths, applied, held)
        assert found.shares.sum() + found.held + found.rest == pytest.approx(1, abs=1e-9)
    alone = drivers(rule, strengths, np.array([0.0, 20e6, 0.0]))
    np.testing.assert_allclose(alone.shares[[0, 2]], 0, atol=1e-9)
    assert alone.shares[1] == pytest.approx(1, abs=1e-9)


def test_a_relieving_stress_has_a_negative_share_and_nothing_drives_no_stress() -> None:
    rule = criterion("hashin")
    # Matrix compression: the pressure across the fibres helps against shear while it is small.
    # Shear without weight on the fibres, so that the fibre mode does not govern.
    strengths = {**strengths_of(CARBON, rule), "hashin_alpha": 0.0}
    found = drivers(rule, strengths, np.array([0.0, -20e6, 80e6]))
    s2, shear = -20e6, 80e6
    quadratic = (s2 / (2 * CARBON.S23)) ** 2  # type: ignore[operator]
    brittle = (CARBON.Yc / (2 * CARBON.S23)) ** 2 - 1  # type: ignore[operator]
    reserve = float(rule.evaluate(strengths, np.array([[0.0, s2, shear]])).reserve[0])
    share = reserve**2 * quadratic + reserve * brittle * s2 / CARBON.Yc  # type: ignore[operator]
    assert share < 0
    assert found.shares[1] == pytest.approx(share, abs=1e-6)
    none = drivers(rule, strengths, np.zeros(3))
    assert not none.at_failure
    assert none.index == 0


def brute(lam: Laminate, strains, within: Within, residual=None):  # type: ignore[no-untyped-def]
    """Least reserve factor by plain loops over everything that is chosen."""
    k, m, p, _ = strains.shape
    least = np.full(m, np.inf)
    for case, e, point in itertools.product(range(k), range(m), range(p)):
        section = strains[case, e, point]
        stress = stress_from_section(lam, section)
        shear = shear_from_section(lam, section)
        rest = None if residual is None else stress_from_section(lam, residual[e, point])
        held = None if residual is None else shear_from_section(lam, residual[e, point])
        found = reserves(checks_of(lam, SETS), stress[None], shear[None], rest, held)
        for check, values in zip(found.checks, found.by_check, strict=True):
            if within.criteria is not None and check.rule.key not in within.criteria:
                continue
            for i, ply in enumerate(check.plies):
                if within.plies is None or ply in within.plies:
                    least[e] = min(least[e], values[0, i, list(within.levels)].min())
    return least


CHOICES = [
    Within(),
    Within((0,)),
    Within((1, 2), (1,)),
    Within(None, (0, 2), ("hashin",)),
    Within((2,), (2,), ("max_stress", "tsai_wu")),
    Within(None, (1,), ("core_shear",)),
]


@pytest.mark.parametrize("within", CHOICES, ids=str)
@pytest.mark.parametrize("kept", [False, True], ids=["plain", "held"])
def test_an_envelope_over_a_choice_is_the_least_of_what_was_chosen(
    sandwich: Laminate, within: Within, kept: bool
) -> None:
    rng = np.random.default_rng(5)
    strains = rng.normal(0, 1, (2, 4, 3, 8)) * [*([1e-3] * 3), *([0.05] * 3), 4e-3, 4e-3]
    residual = 0.1 * strains[0] if kept else None
    found = assess(sandwich, strains, SETS, residual, within=within)
    least = brute(sandwich, strains, within, residual)
    np.testing.assert_allclose(found.reserve, least, rtol=1e-9)
    for e in np.flatnonzero(np.isfinite(least)):
        assert within.plies is None or found.ply[e] in within.plies
        assert found.level[e] in within.levels
        key = found.checks[int(found.check[e])]
        assert within.criteria is None or key in within.criteria
        # The failure index is the criterion's own expression at the address.
        section = strains[found.case[e], e, found.point[e]]
        if criterion(key).stress == "in-plane" and not kept:
            z = level_heights(sandwich)[found.ply[e], found.level[e]]
            strain = section[:3] + z * section[3:6]
            stress = (sandwich.Q @ sandwich.T)[found.ply[e]] @ strain
            material = sandwich.materials[int(found.ply[e])]
            rule = criterion(key)
            index = rule.evaluate(strengths_of(material, rule), stress[None]).index[0]
            assert found.index[e] == pytest.approx(index, rel=1e-9)


def test_what_nobody_judges_is_told_apart_from_what_never_fails(sandwich: Laminate) -> None:
    strains = np.zeros((1, 2, 1, 8))
    strains[0, 0, 0, 0] = 1e-3
    core = assess(sandwich, strains, SETS, within=Within((1,), criteria=("tsai_wu",)))
    assert not core.judged.any()
    every = assess(sandwich, strains, SETS)
    assert every.judged.all()
    assert np.isfinite(every.reserve[0])
    assert np.isinf(every.reserve[1])


def test_forces_that_stay_are_superposed_and_the_ranking_knows_them(sandwich: Laminate) -> None:
    applied, held = (9e3, -4e3, 2e3, 30.0, 10.0, -5.0), (-3e3, 2e3, 0.0, 12.0, 0.0, 4.0)
    loads = LoadCase("x", applied, Q=(900.0, -400.0), dT=-40.0, held=(*held, 150.0, 60.0))
    found = answer(sandwich, loads)
    rest = respond(sandwich, Load(np.array(held[:3]), np.array(held[3:]), -40.0)).stress_12
    assert found.residual is not None
    np.testing.assert_allclose(found.residual, rest, rtol=1e-9, atol=1.0)
    scaled, kept = parts(sandwich, loads)
    for load, stress in ((scaled, found.applied.stress_12), (kept, found.residual)):
        np.testing.assert_allclose(respond(sandwich, load).stress_12, stress, rtol=1e-9, atol=1.0)
    whole = dataclasses.replace(loads, scales_temperature=True)
    moved = answer(sandwich, whole)
    assert moved.residual is None
    np.testing.assert_allclose(moved.applied.stress_12, found.applied.stress_12 + rest, atol=1.0)
    for each in (loads, whole):
        a = answer(sandwich, each)
        least = (
            reserves(
                checks_of(sandwich, SETS),
                a.applied.stress_12[None],
                a.shear[None],
                a.residual,
                a.held_shear,
            )
            .governing()
            .reserve
        )
        change = Change("", sandwich.stack.plies, ())
        (ranked,) = (r for p in rank([change], MATERIALS, (each,), SETS) for r in p)
        assert ranked.reserve == pytest.approx(least, rel=1e-9)
