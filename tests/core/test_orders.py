"""Orders of plies under rules, against all permutations; their values against the laminate."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np
import pytest

from tartan.core.errors import StackError
from tartan.core.search import orders as module
from tartan.core.search.complete import complete
from tartan.core.search.goals import bending_goal
from tartan.core.search.orders import Bound, admissible_orders, pruned
from tartan.core.search.plyset import PlySet, Stiffness, set_of
from tartan.core.search.shoprules import ShopRule, breaks, checked_rule, costs
from tartan.core.stack import Ply
from tests.conftest import CARBON, FOAM, GLASS, MATERIALS, laminate

T = 0.125e-3
CORE = Ply(FOAM.name, 0.0, 4e-3)


def carbon(angle: float) -> Ply:
    return Ply(CARBON.name, angle, T)


def keeps(full: Sequence[Ply], rule: ShopRule) -> bool:
    """Whether a full stack keeps a rule, ply by ply as it is worded."""
    names = [None if p.material == FOAM.name else p.angle for p in full]
    woven = [p.material == GLASS.name for p in full]
    if rule.kind == "run":
        groups = [(a, len(list(g))) for a, g in itertools.groupby(names)]
        return all(
            n <= rule.limit
            for a, n in groups
            if a is not None and (rule.angle is None or a == rule.angle)
        )
    if rule.kind == "cover":
        return names[0] in rule.angles and names[-1] in rule.angles
    if rule.kind == "pairs":
        return _paired(names, woven)
    if rule.kind == "step":
        return all(
            _turn(a, b, soft=u or v) <= rule.limit
            for (a, u), (b, v) in itertools.pairwise(zip(names, woven, strict=True))
            if a is not None and b is not None
        )
    if rule.kind == "middle":
        half = len(full) // 2
        return all(
            _leading(side, rule.angle) <= rule.limit
            for side in (names[:half][::-1], names[len(names) - half :])
        )
    assert rule.kind == "sequence"
    size = len(rule.angles)
    windows = [tuple(names[i : i + size]) for i in range(len(names) - size + 1)]
    return tuple(rule.angles) not in windows and tuple(rule.angles[::-1]) not in windows


def _leading(side: list[float | None], angle: float | None) -> int:
    if not side or side[0] is None or (angle is not None and side[0] != angle):
        return 0
    return len(list(itertools.takewhile(lambda a: a == side[0], side)))


def _turn(a: float, b: float, *, soft: bool) -> float:
    turn = abs(a - b) % 180
    turn = min(turn, 180 - turn)
    return min(turn, 90 - turn) if soft else turn


def _paired(names: list[float | None], woven: list[bool]) -> bool:
    i = 0
    while i < len(names):
        angle = names[i]
        if angle in (None, 0.0, 90.0) or woven[i]:
            i += 1
        elif i + 1 < len(names) and names[i + 1] == -angle:
            i += 2
        else:
            return False
    return True


def a_set(rng: np.random.Generator) -> PlySet:
    """Random plies: some woven, some held, a core or a ply on the mid-plane now and then."""
    kinds = [carbon(a) for a in (0.0, 45.0, -45.0, 90.0, 30.0, -30.0)[: rng.integers(2, 7)]]
    if rng.random() < 0.3:
        kinds.append(Ply(GLASS.name, 45.0, 0.2e-3))
    counts = [int(c) for c in rng.integers(0, 3, len(kinds))]
    counts[0] = max(counts[0], 1)
    while sum(counts) > 7:
        counts[int(np.argmax(counts))] -= 1
    symmetric = bool(rng.random() < 0.6)
    middle = -1
    if symmetric and rng.random() < 0.4:
        if rng.random() < 0.5:
            kinds.append(CORE)
            counts.append(0)
        middle = len(kinds) - 1 if rng.random() < 0.7 else 0
    n, held = sum(counts), ()
    if rng.random() < 0.3:
        bag = [k for k, c in enumerate(counts) for _ in range(c)]
        some = rng.permutation(bag)
        at = rng.permutation(n)[: rng.integers(1, n + 1)]
        held = tuple(int(some[p]) if p in at else -1 for p in range(n))
    cores, woven = frozenset({FOAM.name}), frozenset({GLASS.name})
    return PlySet(tuple(kinds), tuple(counts), symmetric, middle, held, cores, woven)


def some_rules(rng: np.random.Generator) -> list[ShopRule]:
    angles = (0.0, 45.0, -45.0, 90.0)
    every = [
        ShopRule("run", int(rng.integers(1, 5)), rng.choice([None, 0.0, 45.0])),
        ShopRule("cover", angles=tuple(rng.choice(angles, 2).tolist())),
        ShopRule("pairs"),
        ShopRule("step", float(rng.choice([30, 45, 60, 75]))),
        ShopRule("middle", int(rng.integers(0, 3)), rng.choice([None, 0.0])),
        ShopRule("sequence", angles=tuple(rng.choice(angles, rng.integers(2, 4)).tolist())),
    ]
    return [r for r in every if rng.random() < 0.35]


@pytest.mark.parametrize("seed", range(60))
def test_orders_are_those_of_all_permutations_that_keep_the_rules(seed: int) -> None:
    rng = np.random.default_rng(seed)
    plies, rules = a_set(rng), some_rules(rng)
    stiff = Stiffness.of(plies, MATERIALS)
    bag = [k for k, c in enumerate(plies.counts) for _ in range(c)]
    every = {
        p
        for p in itertools.permutations(bag)
        if all(h in (-1, k) for h, k in zip(plies.held or (-1,) * len(p), p, strict=True))
    }
    assert plies.total == len(every)
    found = [
        tuple(int(k) for k in row)
        for piece in admissible_orders(plies, rules)
        for row in piece.orders
    ]
    assert len(found) == len(set(found))
    inner = pruned(rules)
    wanted = {p for p in every if all(keeps(plies.plies(p), r) for r in inner)}
    assert set(found) == wanted
    # The same rules as marks on many stacks at once, those of the enumeration and the others.
    rows = np.array(sorted(every), np.int8)
    full = plies.full(rows)
    for rule in rules:
        broken = breaks(rule, stiff, full).any(axis=1)
        assert [not keeps(plies.plies(row), rule) for row in rows] == broken.tolist(), rule
    kept, cost = costs(rules, stiff, full)
    assert kept.tolist() == [all(keeps(plies.plies(r), x) for x in rules) for r in rows]
    assert not cost.any()


def test_blocks_go_on_where_the_one_before_ended(monkeypatch: pytest.MonkeyPatch) -> None:
    plies = PlySet((carbon(0), carbon(45), carbon(-45)), (2, 2, 2))
    rules = [ShopRule("run", 2)]

    def found() -> list[tuple[int, ...]]:
        pieces = admissible_orders(plies, rules)
        return [tuple(map(int, row)) for piece in pieces for row in piece.orders]

    whole = found()
    assert len(whole) > 7
    for block, nodes in ((1, 10**6), (7, 10**6), (len(whole), 10**6), (10**4, 3), (2, 1)):
        monkeypatch.setattr(module, "BLOCK", block)
        monkeypatch.setattr(module, "NODES", nodes)
        assert found() == whole


@pytest.mark.parametrize("seed", range(12))
def test_a_bound_leaves_out_nothing_that_is_better(seed: int) -> None:
    rng = np.random.default_rng(seed)
    plies = a_set(rng)
    coefficients = rng.normal(size=(int(rng.integers(1, 4)), len(plies.kinds)))
    bound = Bound(rng.random(plies.places), coefficients, rng.normal(size=len(coefficients)))
    every = np.concatenate([p.orders for p in admissible_orders(plies)])
    values = bound.value(every)
    for known in np.quantile(values, [0.0, 0.4, 0.9]):
        bound.known[0] = known
        found = [tuple(r) for p in admissible_orders(plies, (), bound) for r in p.orders]
        better = {tuple(r) for r, v in zip(every, values, strict=True) if v > known + 1e-9}
        assert better <= set(found) <= {tuple(r) for r in every}
    bound.known[0] = values.max() + 1e-9
    assert not sum(len(p.orders) for p in admissible_orders(plies, (), bound))


def test_soft_rules_count_their_places() -> None:
    plies = PlySet((carbon(0), carbon(45), carbon(-45)), (3, 1, 1), symmetric=False)
    stiff = Stiffness.of(plies, MATERIALS)
    rows = np.array([[0, 0, 0, 1, 2], [0, 1, 0, 2, 0], [1, 0, 0, 0, 2]], np.int8)
    for rule, wanted in (
        (ShopRule("run", 1, weight=0.1), [2, 0, 2]),
        (ShopRule("run", 2, weight=0.1), [1, 0, 1]),
        (ShopRule("cover", angles=(0.0,), weight=0.1), [1, 0, 2]),
        (ShopRule("pairs", weight=0.1), [0, 2, 2]),
        (ShopRule("step", 45, weight=0.1), [1, 0, 0]),
        (ShopRule("sequence", angles=(0.0, 45.0), weight=0.1), [1, 2, 1]),
    ):
        kept, cost = costs([rule], stiff, rows)
        assert kept.all()
        np.testing.assert_allclose(cost, 0.1 * np.array(wanted), err_msg=rule.kind)
        off = ShopRule(rule.kind, rule.limit, rule.angle, rule.angles, active=False)
        assert costs([off], stiff, rows)[0].all()


def test_shares_twist_and_coupling_are_those_of_the_laminate() -> None:
    angles = [0.0, 45.0, 45.0, -45.0, 90.0, 0.0, 0.0]
    lam = laminate(*((CARBON.name, a, T) for a in angles))
    plies = set_of(lam.stack.plies, symmetric=False)
    stiff = Stiffness.of(plies, MATERIALS)
    row = np.array([plies.order_of(lam.stack.plies)])
    A, B, D = lam.ABD[:3, :3], lam.ABD[:3, 3:], lam.ABD[3:, 3:]
    gamma = abs(D[0, 2]) / (D[0, 0] ** 3 * D[1, 1]) ** 0.25
    delta = abs(D[1, 2]) / (D[0, 0] * D[1, 1] ** 3) ** 0.25
    apart = np.abs(B).max() / (7 * T * np.sqrt(A[0, 0] * A[1, 1]))
    for kind, value in (("twist", max(gamma, delta)), ("coupled", apart), ("share", 1 / 7)):
        for factor, broken in ((0.999, kind != "share"), (1.001, kind == "share")):
            rule = ShopRule(kind, value * factor, -45.0 if kind == "share" else None)
            assert bool(breaks(rule, stiff, row).any()) == broken, (kind, factor)


def test_a_stack_becomes_a_set_and_back() -> None:
    angles = [45.0, 0.0, 90.0, 0.0, 90.0, 0.0, 45.0]
    plies = [carbon(a) for a in angles]
    one = set_of(plies, symmetric=True, held={0, 3})
    assert [p.angle for p in one.kinds] == [45.0, 0.0, 90.0]
    assert (one.counts, one.middle, one.held) == ((1, 1, 1), 1, (0, -1, -1))
    assert one.total == 2
    assert list(one.plies(one.order_of(plies))) == plies
    whole = set_of(plies, symmetric=False, held={2})
    assert (whole.total, whole.length, whole.held[2]) == (60, 7, 2)
    # A ply turned by half a turn is the same ply; one of another thickness is not.
    assert len(set_of([carbon(0), carbon(180)], symmetric=True).kinds) == 1
    with pytest.raises(StackError, match="odd number"):
        set_of([carbon(0), carbon(45), carbon(90)], symmetric=True)
    with pytest.raises(StackError, match="held and differ"):
        set_of([carbon(0), carbon(0), carbon(45), carbon(45)], symmetric=True, held={0, 3})
    with pytest.raises(StackError, match="More of 0° carbon are held"):
        set_of([carbon(0), carbon(0), carbon(45), carbon(45)], symmetric=True, held={0, 1})


def test_what_cannot_be_ordered_is_refused() -> None:
    for kinds, counts, words in (
        ((carbon(0), carbon(180)), (1, 1), "stands twice"),
        ((carbon(0), carbon(45)), (1,), "not as many"),
        ((carbon(0),), (0,), "no plies"),
        ((carbon(0), carbon(45)), (3, -1), "no plies"),
    ):
        with pytest.raises(StackError, match=words):
            PlySet(kinds, counts)
    with pytest.raises(StackError, match="122 plies of 1 kinds are too many"):
        PlySet((carbon(0),), (61,)).searchable()
    for rule, words in (
        (ShopRule("spin"), "no such rule"),
        (ShopRule("run", 0), "cannot be 0"),
        (ShopRule("run", 1.5), "whole number"),
        (ShopRule("step", 91), "cannot be 91"),
        (ShopRule("share", float("nan")), "cannot be nan"),
        (ShopRule("cover"), "too few angles"),
        (ShopRule("sequence", angles=(0.0,)), "too few angles"),
        (ShopRule("cover", angles=(float("inf"),)), "no number"),
        (ShopRule("pairs", weight=-1.0), "cannot cost"),
    ):
        with pytest.raises(StackError, match=words):
            checked_rule(rule)


def test_the_best_of_all_is_the_greatest_and_says_how_many_there_are() -> None:
    plies = PlySet(tuple(carbon(a) for a in (0, 45, -45, 90)), (2, 1, 1, 1))
    stiff = Stiffness.of(plies, MATERIALS)
    rules = [ShopRule("run", 2), ShopRule("sequence", angles=(45.0, 90.0))]
    goal = bending_goal(stiff)
    found = complete(stiff, rules, goal.value)
    every = np.concatenate([p.orders for p in admissible_orders(plies)])
    every = every[[all(keeps(plies.plies(row), r) for r in rules) for row in every]]
    values = goal.value(plies.full(every))
    assert (found.admissible, found.total) == (len(every), 60)
    assert (found.best, found.worst) == (values.max(), values.min())
    assert found.second == values[values < values.max() * (1 - 1e-9)].max()
    assert found.ties == (values >= values.max() * (1 - 1e-9)).sum()
    # The stiffest along x has its fibres along x outermost.
    assert found.order[:2] == (0, 0)
    none = complete(stiff, [ShopRule("cover", angles=(30.0,))], goal.value)
    assert (none.admissible, none.best, none.order, none.total) == (0, None, (), 60)
