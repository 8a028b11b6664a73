"""Orders of plies by chance: many chains that walk towards the better, less and less astray.

Simulated annealing (S. Kirkpatrick, C. D. Gelatt, M. P. Vecchi, Optimization by simulated
annealing, Science 220 (1983), 671-680), with as many chains side by side as one call takes.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from tartan.core.search.judging import Question
from tartan.core.search.plyset import Orders, PlySet
from tartan.core.search.shoprules import counted

Array = NDArray[np.float64]

CHAINS = 128

HOT, COLD = 0.05, 0.0003
"""Loss of merit that a chain takes with a chance of 1/e, at first and at the end."""

BROKEN = 0.05
"""Loss of merit that a broken rule that has to be kept counts as on the way."""

AGAIN = 0.5
"""Share of the tries after which the worse half of the chains goes on from the better."""


def tries(question: Question, most: int) -> Iterator[tuple[Orders, int]]:
    """Orders that keep all rules that have to be kept, as chains come upon them.

    Yields orders, shape (k, places), and how many were looked at until then. The same seed gives
    the same orders.
    """
    rng = np.random.default_rng(question.seed)
    plies = question.plies
    free = np.flatnonzero(np.array(plies.held or (-1,) * plies.places) < 0)
    at = _scattered(plies, free, question.start, rng)
    energy, good = _energy(question, at)
    tried = len(at)
    yield at[good], tried
    if len(free) < 2:
        return
    again = False
    while tried < most:
        heat = HOT * (COLD / HOT) ** (tried / most)
        new = _moved(at, free, rng)
        found, good = _energy(question, new)
        tried += len(new)
        with np.errstate(over="ignore"):
            taken = rng.random(len(new)) < np.exp(np.minimum((energy - found) / heat, 0.0))
        at[taken], energy[taken] = new[taken], found[taken]
        if not again and tried > AGAIN * most:
            again = True
            by = np.argsort(energy, kind="stable")
            half = len(by) // 2
            at[by[half : 2 * half]], energy[by[half : 2 * half]] = at[by[:half]], energy[by[:half]]
        yield new[good], tried


def _scattered(
    plies: PlySet,
    free: NDArray[np.int64],
    start: tuple[int, ...] | None,
    rng: np.random.Generator,
) -> Orders:
    """Where the chains begin: at the start, and anywhere."""
    held = np.array(plies.held or (-1,) * plies.places)
    left = list(plies.counts)
    for kind in held[held >= 0]:
        left[kind] -= 1
    bag = np.repeat(np.arange(len(left)), left)
    at = np.tile(held, (CHAINS, 1)).astype(np.int8)
    at[:, free] = rng.permuted(np.tile(bag, (CHAINS, 1)), axis=1)
    if start is not None:
        at[: CHAINS // 8] = start
    return at


def _moved(at: Orders, free: NDArray[np.int64], rng: np.random.Generator) -> Orders:
    """Two plies of every chain in each other's place, or one taken out and put in elsewhere."""
    new = at.copy()
    i, j = rng.integers(len(free), size=(2, len(at)))
    swap = rng.random(len(at)) < 0.6
    rows = np.flatnonzero(swap)
    one, other = free[i[rows]], free[j[rows]]
    new[rows, one], new[rows, other] = at[rows, other], at[rows, one]
    for row in np.flatnonzero(~swap):
        line = at[row, free]
        kind = line[i[row]]
        new[row, free] = np.insert(np.delete(line, i[row]), j[row], kind)
    return new


def _energy(question: Question, orders: Orders) -> tuple[Array, NDArray[np.bool_]]:
    """Loss of merit, and whether all rules that have to be kept are, shapes (k,)."""
    full = question.plies.full(orders)
    broken, cost = counted(question.rules, question.stiff, full)
    merit, _ = question.merits(question.values(full, quick=True), cost)
    return BROKEN * broken - merit, broken == 0
