"""What a complete enumeration of orders of plies finds of one figure."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.search.goals import Value
from tartan.core.search.ordering import ALIKE
from tartan.core.search.orders import admissible_orders, pruned
from tartan.core.search.plyset import Stiffness
from tartan.core.search.shoprules import ShopRule, costs

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Complete:
    """Every order looked at.

    Attributes
    ----------
    total, admissible : int
        Different orders without rules and with them.
    best, second, worst : float or None
        Greatest value, the next different one, and the least; None where there is none.
    order : tuple of int
        Kinds of one of the best, first place first.
    ties : int
        Orders within 1e-9 of the best.
    """

    total: int
    admissible: int
    best: float | None = None
    second: float | None = None
    worst: float | None = None
    order: tuple[int, ...] = ()
    ties: int = 0


def complete(stiff: Stiffness, rules: Sequence[ShopRule], value: Value) -> Complete:
    """Look at every order that keeps all rules.

    Parameters
    ----------
    stiff : Stiffness
        What is ordered.
    rules : sequence of ShopRule
        What an order keeps, each without a weight.
    value : callable
        Values of full stacks; the greatest is the best.
    """
    rest = [r for r in rules if r not in pruned(rules)]
    values: list[Array] = []
    best = -math.inf
    order: tuple[int, ...] = ()
    for piece in admissible_orders(stiff.plies, rules):
        full = stiff.plies.full(piece.orders)
        kept, _ = costs(rest, stiff, full)
        if not kept.any():
            continue
        found = value(full[kept])
        values.append(found)
        top = int(found.argmax())
        if found[top] > best:
            best = float(found[top])
            order = tuple(int(k) for k in piece.orders[kept][top])
    if not values:
        return Complete(stiff.plies.total, 0)
    every = np.concatenate(values)
    near = np.abs(every - best) <= ALIKE * abs(best)
    others = every[~near]
    second = float(others.max()) if len(others) else None
    return Complete(
        stiff.plies.total,
        len(every),
        best,
        second,
        float(every.min()),
        order,
        int(near.sum()),
    )
