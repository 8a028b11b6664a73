"""Rules of the shop that an order of plies keeps, or pays for breaking.

One rule is looked at in many stacks at once; a single stack is the case of one. The remarks on a
stack, what a soft rule costs and what is told of a found order all come from here.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import StackError
from tartan.core.search.plyset import Orders, PlySet, Stiffness
from tartan.core.stack.plies import halved, normal_angle

Array = NDArray[np.float64]
Marks = NDArray[np.bool_]

EDGE = 1e-9
"""By which a limit is exceeded at least [deg, 1]."""

RUN, COVER, PAIRS, STEP = "run", "cover", "pairs", "step"
MIDDLE, SEQUENCE, SHARE = "middle", "sequence", "share"
TWIST, COUPLED = "twist", "coupled"


@dataclass(frozen=True)
class ShopRule:
    """One rule.

    Attributes
    ----------
    kind : str
        ``run``: at most `limit` plies of a direction in a row; ``cover``: the outermost plies are
        of `angles`; ``pairs``: a ply other than 0° and 90° is followed at once by that of the
        opposite sign; ``step``: at most `limit` degrees between neighbours; ``middle``: at most
        `limit` plies of a direction in a row on each side of the mid-plane; ``sequence``: `angles`
        never follow each other, in either reading; ``share``: at least the share `limit` of the
        thickness lies in a direction; ``twist``: bending and twisting are coupled by at most
        `limit`, the greater of Nemeth's γ and δ; ``coupled``: stretching and bending are coupled
        by at most `limit`, the greatest of B against h √(A11 A22).
    limit : float
        As the kind says [1, deg].
    angle : float or None
        Direction that a rule is of [deg]; None for every one.
    angles : tuple of float
        As the kind says [deg].
    weight : float or None
        What each place that breaks the rule costs, as a share of the goal; None where the rule
        has to be kept.
    active : bool
        Whether it counts.
    """

    kind: str
    limit: float = 0.0
    angle: float | None = None
    angles: tuple[float, ...] = ()
    weight: float | None = None
    active: bool = True


KINDS = (RUN, COVER, PAIRS, STEP, MIDDLE, SEQUENCE, SHARE, TWIST, COUPLED)
"""Every kind, in the order in which they are offered."""

OF_STIFFNESS = (TWIST, COUPLED)
"""Kinds that ask for the stiffness of a stack."""

OF_ANGLES = (COVER, SEQUENCE)
"""Kinds that name angles."""


def checked_rule(rule: ShopRule) -> ShopRule:
    """Return a rule that can be.

    Raises
    ------
    StackError
        An unknown kind, a limit or weight that cannot be, or missing angles.
    """
    where = f"Shop rule '{rule.kind}'"
    if rule.kind not in KINDS:
        raise StackError("There is no such rule.", where, f"Use one of {', '.join(KINDS)}.")
    whole = rule.kind in (RUN, MIDDLE)
    least = 1.0 if rule.kind == RUN else 0.0
    most = {STEP: 90.0, SHARE: 1.0, RUN: 1e3, MIDDLE: 1e3}.get(rule.kind, 10.0)
    if not least <= rule.limit <= most or (whole and rule.limit != int(rule.limit)):
        number = "a whole number" if whole else "a number"
        raise StackError(
            f"Its limit cannot be {rule.limit:g}.",
            where,
            f"Enter {number}, {least:g} to {most:g}.",
        )
    if rule.kind in OF_ANGLES and len(rule.angles) < (2 if rule.kind == SEQUENCE else 1):
        raise StackError("It names too few angles.", where, "Enter them, such as 45 / -45.")
    own = (*rule.angles, *(() if rule.angle is None else (rule.angle,)))
    if not all(math.isfinite(a) and abs(a) < 1e6 for a in own):
        raise StackError("An angle is no number.", where, "Enter it in degrees.")
    if rule.weight is not None and not 0 <= rule.weight <= 1e3:
        raise StackError(
            f"A break cannot cost {rule.weight:g} of the goal.", where, "Enter 0 or more."
        )
    return rule


def breaks(rule: ShopRule, stiff: Stiffness, full: Orders) -> Marks:
    """Where stacks break a rule: plies that need not be as they are, shape (k, length).

    Parameters
    ----------
    rule : ShopRule
        The rule.
    stiff : Stiffness
        The plies, and what they are of.
    full : ndarray of int, shape (k, length)
        Kinds of the plies of full stacks, first-laid first.
    """
    return _FINDERS[rule.kind](rule, stiff, full)


def counted(
    rules: Sequence[ShopRule], stiff: Stiffness, full: Orders
) -> tuple[NDArray[np.int64], Array]:
    """Places that break what has to be kept, and what breaks of the rest cost, shapes (k,)."""
    broken, cost = np.zeros(len(full), np.int64), np.zeros(len(full))
    for rule in rules:
        if not rule.active:
            continue
        count = breaks(rule, stiff, full).sum(axis=1)
        if rule.weight is None:
            broken += count
        else:
            cost += rule.weight * count
    return broken, cost


def costs(rules: Sequence[ShopRule], stiff: Stiffness, full: Orders) -> tuple[Marks, Array]:
    """Whether stacks keep what has to be kept, and what breaks of the rest cost, shapes (k,)."""
    broken, cost = counted(rules, stiff, full)
    return broken == 0, cost


def number_of(plies: PlySet, angle: float) -> int:
    """Number of a direction among those of a set; -2 where no ply has it."""
    for kind, ply in enumerate(plies.kinds):
        if plies.directions[kind] >= 0 and abs(normal_angle(ply.angle - angle)) < EDGE:
            return int(plies.directions[kind])
    return -2


def _none(full: Orders) -> Marks:
    return np.zeros(full.shape, bool)


def _runs(ways: NDArray[np.int64]) -> NDArray[np.int64]:
    """How many of one direction lie in a row up to every ply; 0 at cores."""
    run = (ways >= 0).astype(np.int64)
    for p in range(1, ways.shape[1]):
        same = (ways[:, p] == ways[:, p - 1]) & (ways[:, p] >= 0)
        run[:, p] = np.where(same, run[:, p - 1] + 1, run[:, p])
    return run


def _run(rule: ShopRule, stiff: Stiffness, full: Orders) -> Marks:
    ways = stiff.plies.directions[full]
    found = _runs(ways) > rule.limit
    return found if rule.angle is None else found & (ways == number_of(stiff.plies, rule.angle))


def _cover(rule: ShopRule, stiff: Stiffness, full: Orders) -> Marks:
    ways = stiff.plies.directions[full]
    allowed = [number_of(stiff.plies, a) for a in rule.angles]
    found = _none(full)
    for end in (0, -1):
        found[:, end] = ~np.isin(ways[:, end], allowed)
    return found


def _pairs(rule: ShopRule, stiff: Stiffness, full: Orders) -> Marks:
    plies, found = stiff.plies, _none(full)
    ways = plies.directions[full]
    opposite = opposites(plies)[full]
    open_ = np.full(len(full), -1)
    for p in range(full.shape[1]):
        met = (open_ >= 0) & (ways[:, p] == open_)
        if p:
            found[:, p - 1] |= (open_ != -1) & ~met
        open_ = np.where(met, -1, opposite[:, p])
    found[:, -1] |= open_ != -1
    return found


def opposites(plies: PlySet) -> NDArray[np.int64]:
    """Direction that has to follow each kind, shape (kinds,); -1: none has to, -2: none can."""
    found = []
    for kind, ply in enumerate(plies.kinds):
        angle = normal_angle(ply.angle)
        straight = plies.directions[kind] < 0 or ply.material in plies.woven
        if straight or abs(angle) < EDGE or abs(abs(angle) - 90) < EDGE:
            found.append(-1)
        else:
            found.append(number_of(plies, -angle))
    return np.array(found)


def _step(rule: ShopRule, stiff: Stiffness, full: Orders) -> Marks:
    found = _none(full)
    apart = steps(stiff.plies)[full[:, :-1], full[:, 1:]]
    found[:, 1:] = apart > rule.limit + EDGE
    return found


def steps(plies: PlySet) -> Array:
    """Angle between neighbours by their kinds, shape (kinds, kinds) [deg]; none at cores."""
    angle = np.array([normal_angle(p.angle) for p in plies.kinds])
    apart = np.abs(np.subtract.outer(angle, angle)) % 180
    apart = np.minimum(apart, 180 - apart)
    woven = np.array([p.material in plies.woven for p in plies.kinds])
    cores = plies.directions < 0
    # Fibres of a woven ply also lie across: no turn is greater than 45°.
    apart = np.where(np.logical_or.outer(woven, woven), np.minimum(apart, 90 - apart), apart)
    return np.where(np.logical_or.outer(cores, cores), 0.0, apart)


def _middle(rule: ShopRule, stiff: Stiffness, full: Orders) -> Marks:
    ways, found = stiff.plies.directions[full], _none(full)
    half = full.shape[1] // 2
    number = None if rule.angle is None else number_of(stiff.plies, rule.angle)
    for side in (slice(half - 1, None, -1), slice(full.shape[1] - half, None)):
        own = ways[:, side] if half else ways[:, :0]
        first = own[:, :1]
        same = (own == first) & (own >= 0) & ((number is None) | (own == number))
        run = np.cumprod(same, axis=1).cumsum(axis=1) * same
        found[:, side] |= run > rule.limit
    return found


def _sequence(rule: ShopRule, stiff: Stiffness, full: Orders) -> Marks:
    ways, found = stiff.plies.directions[full], _none(full)
    wanted = [number_of(stiff.plies, a) for a in rule.angles]
    size = len(wanted)
    if size > full.shape[1]:
        return found
    for reading in (wanted, wanted[::-1]):
        starts = np.lib.stride_tricks.sliding_window_view(ways, size, axis=1)
        found[:, : full.shape[1] - size + 1] |= (starts == np.array(reading)).all(axis=2)
    return found


def _share(rule: ShopRule, stiff: Stiffness, full: Orders) -> Marks:
    found = _none(full)
    # It is the same for every order.
    for row in full[:1]:
        laid = [stiff.plies.kinds[k] for k in row if stiff.plies.directions[k] >= 0]
        laid_half = halved(laid, stiff.plies.woven)
        whole = math.fsum(p.thickness for p in laid_half) or 1.0
        angles = {normal_angle(p.angle) for p in laid} if rule.angle is None else {rule.angle}
        for angle in angles:
            own = [p.thickness for p in laid_half if abs(normal_angle(p.angle - angle)) < EDGE]
            if math.fsum(own) / whole < rule.limit - EDGE:
                found[:, 0] = True
    return found


def twisting(D: Array) -> Array:
    """The greater of Nemeth's γ = D16/(D11³ D22)^¼ and δ = D26/(D11 D22³)^¼, shape (k,).

    M. P. Nemeth, Importance of anisotropy on buckling of compression-loaded symmetric composite
    plates, AIAA Journal 24 (1986), 1831-1835.
    """
    d11, d22 = D[:, 0, 0], D[:, 1, 1]
    one = np.abs(D[:, 0, 2]) / (d11**3 * d22) ** 0.25
    return np.asarray(np.maximum(one, np.abs(D[:, 1, 2]) / (d11 * d22**3) ** 0.25))


def _twist(rule: ShopRule, stiff: Stiffness, full: Orders) -> Marks:
    found = _none(full)
    found[:, 0] = twisting(stiff.abd(full)[2]) > rule.limit + EDGE
    return found


def coupling(A: Array, B: Array, h: Array) -> Array:
    """The greatest of B against h √(A11 A22), shape (k,)."""
    size = h * np.sqrt(A[:, 0, 0] * A[:, 1, 1])
    return np.asarray(np.abs(B).max(axis=(1, 2)) / size)


def _coupled(rule: ShopRule, stiff: Stiffness, full: Orders) -> Marks:
    found = _none(full)
    A, B, _ = stiff.abd(full)
    h = stiff.plies.thickness[full].sum(axis=1)
    found[:, 0] = coupling(A, B, h) > rule.limit + EDGE
    return found


_FINDERS: dict[str, Callable[[ShopRule, Stiffness, Orders], Marks]] = {
    RUN: _run,
    COVER: _cover,
    PAIRS: _pairs,
    STEP: _step,
    MIDDLE: _middle,
    SEQUENCE: _sequence,
    SHARE: _share,
    TWIST: _twist,
    COUPLED: _coupled,
}
