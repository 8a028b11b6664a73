"""What an order of plies is judged by: bending stiffness, buckling of a plate, first-ply reserve.

All of many half stacks at once; a half stack is read from the outside to the mid-plane.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import StackError
from tartan.core.laminate.stiffness import reduced_stiffness, strain_rotation
from tartan.core.materials import Material, checked
from tartan.core.search.candidates import candidate_reserves
from tartan.core.search.orders import OrderRules, Orders, admissible_orders, total_orders

Array = NDArray[np.float64]

WAVES = 6
"""Half waves each way among which a plate buckles."""

ALIKE = 1e-9
"""Share by which two values are one."""

Goal = Callable[[Orders], Array]


@dataclass(frozen=True)
class Plies:
    """Equal plies of a symmetric stack: what they are of, and their angles [deg]."""

    material: Material
    thickness: float
    angles: tuple[float, ...]


@dataclass(frozen=True, eq=False)
class BestOrder:
    """What a complete enumeration found.

    Attributes
    ----------
    total, admissible : int
        Different half stacks without rules and with them.
    best, second, worst : float or None
        Greatest value, the next different one, and the least; None where there is none.
    order : tuple of float
        Angles of one of the best, outermost first [deg].
    ties : int
        Half stacks within 1e-9 of the best.
    """

    total: int
    admissible: int
    best: float | None = None
    second: float | None = None
    worst: float | None = None
    order: tuple[float, ...] = ()
    ties: int = 0


def bending(plies: Plies, orders: Orders) -> Array:
    """Bending stiffness D of symmetric stacks from their halves (k, n), shape (k, 3, 3) [N·m].

    Raises
    ------
    MaterialError, StackError
        A material that cannot be, or a thickness that is not positive.
    """
    checked(plies.material)
    if not plies.thickness > 0:
        raise StackError("The plies have no thickness.", "Plies", "Enter a positive one.")
    n = orders.shape[1]
    T = strain_rotation(np.deg2rad(np.array(plies.angles)))
    Qbar = np.swapaxes(T, 1, 2) @ reduced_stiffness(plies.material) @ T
    outer = np.arange(n, 0, -1)
    share = 2 / 3 * plies.thickness**3 * (outer**3 - (outer - 1) ** 3)
    weight = np.stack([(orders == a) @ share for a in range(len(plies.angles))], axis=1)
    return np.asarray(np.einsum("ka,aij->kij", weight, Qbar))


def bending_goal(plies: Plies) -> Goal:
    """Bending stiffness along x, D11 [N·m]."""
    return lambda orders: bending(plies, orders)[:, 0, 0]


def buckling_goal(plies: Plies, sides: tuple[float, float], load: tuple[float, float]) -> Goal:
    """Least multiplier of (Nx, Ny), compression positive [N/m], at which a plate buckles.

    Simply supported, sides a and b [m]; exact where D16 and D26 are none, which are neglected
    (J. N. Reddy, Mechanics of Laminated Composite Plates and Shells, 2nd ed., eq. 5.3.12).

    Raises
    ------
    StackError
        Sides that are none, or a load that presses nowhere.
    """
    if not (sides[0] > 0 and sides[1] > 0 and max(load) > 0):
        raise StackError(
            "The plate has no sides, or nothing presses on it.", "Goal", "Enter them."
        )
    waves = np.arange(1, WAVES + 1)
    x, y = np.meshgrid((waves / sides[0]) ** 2, (waves / sides[1]) ** 2)
    push = load[0] * x + load[1] * y
    x, y, push = x[push > 0], y[push > 0], push[push > 0]

    def value(orders: Orders) -> Array:
        D = bending(plies, orders)[..., None]
        held = D[:, 0, 0] * x**2 + 2 * (D[:, 0, 1] + 2 * D[:, 2, 2]) * x * y + D[:, 1, 1] * y**2
        return np.asarray((math.pi**2 * held / push).min(axis=1))

    return value


def reserve_goal(plies: Plies, loads: Sequence[Sequence[float]], key: str = "tsai_wu") -> Goal:
    """Least reserve factor of first ply failure over loads, each of Nx to Mxy [N/m, N]."""
    angles = np.array(plies.angles)

    def value(orders: Orders) -> Array:
        whole = np.concatenate([orders, orders[:, ::-1]], axis=1).astype(np.int64)
        each = [
            candidate_reserves(
                plies.material, plies.thickness, angles, whole, np.array(load, float), key
            )[1]
            for load in loads
        ]
        return np.asarray(np.min(each, axis=0))

    return value


def best_order(plies: Plies, counts: Sequence[int], rules: OrderRules, goal: Goal) -> BestOrder:
    """The best of all admissible orders: all are looked at, so that it is proved.

    Parameters
    ----------
    plies : Plies
        What is ordered.
    counts : sequence of int
        Plies of each angle in the half stack.
    rules : OrderRules
        What an order keeps.
    goal : callable
        Values of half stacks; the greatest is the best.

    Raises
    ------
    StackError, MaterialError
        As `admissible_orders` and the goal.
    """
    values: list[Array] = []
    best, order = -math.inf, ()
    for orders in admissible_orders(plies.angles, counts, rules):
        found = goal(orders)
        values.append(found)
        top = int(found.argmax())
        if found[top] > best:
            best = float(found[top])
            order = tuple(plies.angles[a] for a in orders[top])
    total = total_orders(counts)
    if not values:
        return BestOrder(total, 0)
    every = np.concatenate(values)
    near = np.abs(every - best) <= ALIKE * abs(best)
    rest = every[~near]
    second = float(rest.max()) if len(rest) else None
    return BestOrder(total, len(every), best, second, float(every.min()), order, int(near.sum()))
