"""Good practice, conditions and envelopes."""

import dataclasses

import numpy as np
import pytest

from tartan.core.conditions import Condition, under
from tartan.core.errors import MaterialError, StackError
from tartan.core.laminate import Laminate
from tartan.core.laminate.response import Load
from tartan.core.stack.notation import Context, parse
from tartan.core.stack.rules import GoodPractice, review
from tartan.core.strength.critical import critical_loads
from tartan.core.strength.envelope import envelope
from tartan.core.strength.reserve import first_failure
from tests.conftest import CARBON, laminate

CONTEXT = Context({"UD": 0.125e-3, "core": 10e-3}, "UD")


def found(text: str, **limits: object) -> dict[str, list[tuple[int, ...]]]:
    practice = GoodPractice(cores=frozenset({"core"}), **limits)  # type: ignore[arg-type]
    advice = review(parse(text, CONTEXT), practice)
    for a in advice:
        assert a.what
        assert a.mend
    rules: dict[str, list[tuple[int, ...]]] = {}
    for a in advice:
        rules.setdefault(a.rule, []).append(a.plies)
    return rules


def test_a_good_stack_passes() -> None:
    assert found("[45/0/-45/90]s") == {}
    assert found("[45/0/-45/90/0 core mid]s") == {}
    assert review(()) == []


@pytest.mark.parametrize(
    ("text", "rule", "plies"),
    [
        ("[45/0/-45/90/90/-45/0/0]", "symmetry", [(0, 7)]),
        ("[45/0/45/90]s", "balance", [(0, 2, 5, 7)]),
        ("[45/0_5/-45/90]s", "longest run", [(1, 2, 3, 4, 5), (10, 11, 12, 13, 14)]),
        ("[45/-45/0/90]s", "angle jump", [(0, 1), (2, 3), (4, 5), (6, 7)]),
        ("[0/45/90/-45]s", "outer plies", [(0,), (7,)]),
        ("[45/-45]s", "share of directions", [(), ()]),
    ],
)
def test_each_rule_names_the_plies(text: str, rule: str, plies: list[tuple[int, ...]]) -> None:
    assert found(text)[rule] == plies


def test_a_share_at_the_limit_is_enough_and_one_below_is_told_from_it() -> None:
    """Ten plies of which one lies at 90° have 10 % of it, however that rounds."""
    enough = parse("[45/-45/0_3/90/0_2/-45/45]", CONTEXT)
    assert "90° has" not in " ".join(a.what for a in review(enough))
    thin = parse("[45/-45/0_3/90 0.1249 mm/0_2/-45/45]", CONTEXT)
    (told,) = [a for a in review(thin) if a.what.startswith("90° has")]
    assert told.what == "90° has 9.99% of the thickness."


@pytest.mark.parametrize(
    ("text", "middle"),
    [("[45/-45]", "90°"), ("[0/90]", "45°"), ("[80/-30]", "115°"), ("[-50/60]", "95°")],
)
def test_a_great_turn_is_mended_by_the_direction_between(text: str, middle: str) -> None:
    (told,) = [a for a in review(parse(text, CONTEXT)) if a.rule == "angle jump"]
    between = float(told.mend.removeprefix("Lay a ply of ").split("°")[0])
    one, other = (p.angle for p in parse(text, CONTEXT))
    turns = [abs((between - a + 90) % 180 - 90) for a in (one, other)]
    assert turns[0] == pytest.approx(turns[1])
    assert sum(turns) == pytest.approx(abs((other - one + 90) % 180 - 90) or 90.0)
    assert float(middle.removesuffix("°")) % 180 == pytest.approx(between % 180)


def test_limits_can_be_set() -> None:
    assert "longest run" not in found("[45/0_5/-45/90]s", longest_run=1e-3)
    assert "angle jump" not in found("[45/-45/0/90]s", largest_jump=90.0)


def test_conditions_multiply_and_say_so() -> None:
    hot = Condition("hot, wet", (("Xc", 0.7), ("S12", 0.8), ("E3", 0.5)))
    basis = Condition("B basis", (("Xc", 0.9), ("Xt", 0.9)))
    low = under(CARBON, (hot, basis))
    assert pytest.approx((0.63 * 1.3e9, 0.9 * 2.1e9, 0.8 * 85e6)) == (low.Xc, low.Xt, low.S12)
    assert low.E3 is None
    assert low.E1 == CARBON.E1
    assert "hot, wet" in low.source
    assert under(CARBON, ()) == CARBON
    for factors, word in (
        ((("Xz", 0.5),), "Xz"),
        ((("Xc", 0.0),), "positive"),
        ((("Xc", 0.5), ("Xc", 0.5)), "two"),
        ((("E1", 1e-6),), "nu12"),
    ):
        with pytest.raises(MaterialError, match=word):
            under(CARBON, (Condition("bad", factors),))


def test_rays_of_an_envelope_are_even_where_both_axes_reach_as_far() -> None:
    # Steel by von Mises reaches as far along x as along y: an ellipse at 45°.
    plate = laminate(("steel", 0, 2e-3))
    ring = envelope(plate, "von_mises", ("Nx", "Ny"), count=36).points
    turn = np.unwrap(np.arctan2(ring[:, 1], ring[:, 0]))
    np.testing.assert_allclose(np.diff(turn), 2 * np.pi / 36, rtol=1e-9)
    x, y = ring.T
    np.testing.assert_allclose(np.sqrt(x * x - x * y + y * y), 250e6 * 2e-3, rtol=1e-9)


@pytest.mark.parametrize("key", ["tsai_wu", "puck"])
def test_envelope_points_lie_on_their_criterion(key: str, unsymmetric: Laminate) -> None:
    cold = Load(dT=-60.0)
    found_ = envelope(unsymmetric, key, ("Nx", "Mxy"), cold, count=24)
    for (x, y), ply in zip(found_.points, found_.plies, strict=True):
        load = dataclasses.replace(cold, N=np.array([x, 0, 0]), M=np.array([0, 0, y]))
        at = first_failure(unsymmetric, load, key)
        assert at.reserve.min() == pytest.approx(1.0, rel=1e-8)
        assert at.governing[0] == ply
    critical = {(c.component, c.sign): c.load for c in critical_loads(unsymmetric, key, cold)}
    assert found_.points[0, 0] == pytest.approx(critical["Nx", 1])
    assert found_.points[12, 0] == pytest.approx(-critical["Nx", -1])
    assert found_.points[6, 1] == pytest.approx(critical["Mxy", 1])
    with pytest.raises(StackError, match="Qx"):
        envelope(unsymmetric, key, ("Nx", "Qx"))
    with pytest.raises(StackError, match="two load components"):
        envelope(laminate(("carbon", 0, 1e-3)), key, ("Nx", "Nx"))
