"""What is asked of an order of plies, and what an order is worth by it."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import StackError
from tartan.core.search.goals import Goal
from tartan.core.search.orders import pruned
from tartan.core.search.plyset import Orders, PlySet, Stiffness
from tartan.core.search.shoprules import ShopRule, checked_rule, costs

Array = NDArray[np.float64]

MISSED = 1e3
"""By which an order that misses a limit is worth less than one that meets all."""


@dataclass(frozen=True)
class Judged:
    """An order and what it is worth.

    Attributes
    ----------
    order : tuple of int
        Kinds at the places that are filled.
    merit : float
        What the search makes great: by how much the goal is better than that of the start, less
        what broken rules cost.
    values : tuple of float
        Of every goal.
    cost : float
        What broken rules cost.
    kept, meets : bool
        Whether it keeps all rules that have to be kept, and all limits.
    tried : int
        Orders looked at when it was found.
    """

    order: tuple[int, ...]
    merit: float
    values: tuple[float, ...]
    cost: float = 0.0
    kept: bool = True
    meets: bool = True
    tried: int = 0


@dataclass(frozen=True, eq=False)
class Question:
    """What is asked.

    Attributes
    ----------
    stiff : Stiffness
        The plies, and what they are of.
    goals : tuple of Goal
        Figures: those without a limit are made as good as can be; where all have one, the
        scantest of them is.
    rules : tuple of ShopRule
        What an order keeps.
    start : tuple of int or None
        The order as it is, if it is one of the set.
    seed : int
        Of what is left to chance.
    """

    stiff: Stiffness
    goals: tuple[Goal, ...]
    rules: tuple[ShopRule, ...] = ()
    start: tuple[int, ...] | None = None
    seed: int = 0
    _reference: list[Array] = field(default_factory=list)

    def __post_init__(self) -> None:
        if not self.goals:
            raise StackError("There is no goal to order plies by.", "Goals", "Choose one.")
        self.plies.searchable()
        for rule in self.rules:
            checked_rule(rule)

    @property
    def plies(self) -> PlySet:
        """What is ordered."""
        return self.stiff.plies

    @property
    def improved(self) -> tuple[int, ...]:
        """Goals without a limit."""
        return tuple(i for i, g in enumerate(self.goals) if g.least is None)

    @property
    def several(self) -> bool:
        """Whether no single order need be the best."""
        return len(self.improved) > 1

    @property
    def rest(self) -> tuple[ShopRule, ...]:
        """Active rules that the enumeration does not keep by itself."""
        kept = pruned(self.rules)
        return tuple(r for r in self.rules if r.active and r not in kept)

    @property
    def reference(self) -> Array:
        """Values of the start, or of the first order there is, shape (goals,).

        Raises
        ------
        StackError
            A goal that no order changes.
        """
        if not self._reference:
            order = self.start
            if order is None:
                order = tuple(k for k, n in enumerate(self.plies.counts) for _ in range(n))
            found = self.values(self.plies.full(np.array([order], np.int8)))[0]
            for goal, value in zip(self.goals, found, strict=True):
                if not np.isfinite(value) or value == 0:
                    raise StackError(
                        f"The goal '{goal.key}' has no value here ({value:g}).",
                        "Goals",
                        "Choose one that the loads and the panel bear on.",
                    )
            self._reference.append(found)
        return self._reference[0]

    def values(self, full: Orders, *, quick: bool = False) -> Array:
        """Values of full stacks, shape (k, goals); `quick` ones are at least as good."""
        each = [
            goal.quick(full) if quick and goal.quick is not None else goal.value(full)
            for goal in self.goals
        ]
        return np.stack(each, axis=1) if len(full) else np.zeros((0, len(self.goals)))

    def gains(self, values: Array) -> Array:
        """How many times as good as the reference values are, shape (k, goals)."""
        more = np.array([g.more for g in self.goals])
        with np.errstate(divide="ignore", invalid="ignore"):
            found = np.where(more, values / self.reference, self.reference / values)
        return np.asarray(np.nan_to_num(found, nan=-MISSED))

    def merits(self, values: Array, cost: Array) -> tuple[Array, NDArray[np.bool_]]:
        """What orders are worth, and whether they meet all limits, shapes (k,)."""
        short = np.zeros(len(values))
        scant = np.full(len(values), np.inf)
        for i, goal in enumerate(self.goals):
            if goal.least is None:
                continue
            v = values[:, i]
            with np.errstate(divide="ignore", invalid="ignore"):
                share = v / goal.least if goal.more else goal.least / v
            scant = np.minimum(scant, share)
            short += np.maximum(1 - share, 0)
        chosen = list(self.improved)
        if not chosen:
            base = np.minimum(scant, MISSED)
        elif len(chosen) == 1:
            base = self.gains(values)[:, chosen[0]]
        else:
            base = np.exp(np.log(np.maximum(self.gains(values)[:, chosen], 1e-12)).mean(axis=1))
        meets = short <= 1e-12
        return np.where(meets, base - cost, base - cost - MISSED * (1 + short)), meets

    def judged(self, orders: Orders, tried: int = 0) -> list[Judged]:
        """Orders with all that is to be said of them."""
        full = self.plies.full(orders)
        kept, cost = costs(self.rules, self.stiff, full)
        values = self.values(full)
        merit, meets = self.merits(values, cost)
        return [
            Judged(
                tuple(int(k) for k in orders[i]),
                float(merit[i]),
                tuple(float(v) for v in values[i]),
                float(cost[i]),
                bool(kept[i]),
                bool(meets[i]),
                tried,
            )
            for i in range(len(orders))
        ]
