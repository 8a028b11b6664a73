"""Rules of good practice for stacking sequences; each finding names the plies and the mend.

Source: CMH-17 Volume 3, section 12.2 (laminate design guidelines); M. C. Y. Niu, Composite
Airframe Structures (1992), section 7.3.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from itertools import groupby, pairwise

from tartan.core.stack.plies import Ply, halved, is_balanced, normal_angle

Plies = Sequence[Ply]


@dataclass(frozen=True)
class Advice:
    """What a rule finds: its name, the plies concerned (from 0), what is wrong, what mends it."""

    rule: str
    plies: tuple[int, ...]
    what: str
    mend: str


@dataclass(frozen=True)
class GoodPractice:
    """Limits of the rules.

    Attributes
    ----------
    least_share : float
        Of the thickness in each of the directions 0°, +45°, -45°, 90° [1].
    longest_run : float
        Greatest thickness of neighbours of one direction [m].
    largest_jump : float
        Greatest angle between neighbours [deg].
    cores : frozenset of str
        Materials that are cores: they are no plies to these rules, and part the faces.
    woven : frozenset of str
        Materials with as much fibre across as along.
    """

    least_share: float = 0.10
    longest_run: float = 0.6e-3
    largest_jump: float = 60.0
    cores: frozenset[str] = field(default_factory=frozenset)
    woven: frozenset[str] = field(default_factory=frozenset)


def review(plies: Plies, practice: GoodPractice | None = None) -> list[Advice]:
    """All findings on a stack, rule by rule; empty when it follows them all."""
    practice = practice or GoodPractice()
    found: list[Advice] = []
    if plies:
        for rule in RULES:
            found += rule(plies, practice)
    return found


def symmetry(plies: Plies, practice: GoodPractice) -> list[Advice]:
    """Plies whose mirror image differs."""
    last = len(plies) - 1
    odd = [i for i in range(len(plies)) if not _same(plies[i], plies[last - i])]
    if not odd:
        return []
    first = odd[0]
    what = f"Ply {first + 1} differs from its mirror image, ply {last - first + 1}."
    return [Advice("symmetry", tuple(odd), what, "Give both the same material and angle.")]


def _same(one: Ply, other: Ply) -> bool:
    turn = normal_angle(one.angle - other.angle)
    return (one.material, one.thickness) == (other.material, other.thickness) and abs(turn) < 1e-9


def balance(plies: Plies, practice: GoodPractice) -> list[Advice]:
    """Directions without as much of their mirrored direction."""
    if is_balanced(tuple(plies), practice.woven):
        return []
    laid = [(i, h) for i, p in enumerate(plies) for h in halved([p], practice.woven)]
    found = []
    for angle in sorted({abs(normal_angle(p.angle)) for _, p in laid} - {0.0, 90.0}):
        here = [(i, p) for i, p in laid if abs(normal_angle(p.angle)) == angle]
        total = sum(p.thickness * (1 if normal_angle(p.angle) > 0 else -1) for _, p in here)
        if abs(total) > 1e-12:
            missing = -angle if total > 0 else angle
            where = tuple(dict.fromkeys(i for i, _ in here))
            found.append(
                Advice(
                    "balance",
                    where,
                    f"±{angle:g}° are not balanced.",
                    f"Add {missing:g}° of {abs(total) * 1e3:.4g} mm.",
                )
            )
    return found


def shares(plies: Plies, practice: GoodPractice) -> list[Advice]:
    """Standard directions with too small a share of the thickness."""
    laid = halved((p for p in plies if p.material not in practice.cores), practice.woven)
    total = sum(p.thickness for p in laid)
    found = []
    for angle in (0.0, 45.0, -45.0, 90.0):
        share = sum(p.thickness for p in laid if normal_angle(p.angle) == angle) / (total or 1.0)
        if share < practice.least_share - 1e-9:
            # As many digits as tell it from the limit.
            digits = next(
                n for n in range(12) if f"{share:.{n}%}" != f"{practice.least_share:.{n}%}"
            )
            found.append(
                Advice(
                    "share of directions",
                    (),
                    f"{angle:g}° has {share:.{digits}%} of the thickness.",
                    f"Give it {practice.least_share:.0%} or more.",
                )
            )
    return found


def runs(plies: Plies, practice: GoodPractice) -> list[Advice]:
    """Neighbours of one direction that are too thick together."""
    found = []
    indexed = list(enumerate(plies))
    for (core, angle), group in groupby(
        indexed, lambda ip: (ip[1].material in practice.cores, normal_angle(ip[1].angle))
    ):
        block = list(group)
        thick = sum(p.thickness for _, p in block)
        if not core and len(block) > 1 and thick > practice.longest_run * (1 + 1e-9):
            what = f"{len(block)} plies of {angle:g}° lie together, {thick * 1e3:.4g} mm."
            mend = f"Part them; {practice.longest_run * 1e3:g} mm is enough for one direction."
            found.append(Advice("longest run", tuple(i for i, _ in block), what, mend))
    return found


def jumps(plies: Plies, practice: GoodPractice) -> list[Advice]:
    """Neighbours with a large angle between them."""
    found = []
    for i, (one, other) in enumerate(pairwise(plies)):
        if {one.material, other.material} & practice.cores:
            continue
        jump = abs(normal_angle(other.angle - one.angle))
        if {one.material, other.material} & practice.woven:
            # Fibres also lie across: no turn is greater than 45°.
            jump = min(jump, 90.0 - jump)
        if jump > practice.largest_jump + 1e-9:
            what = f"The angle turns by {jump:g}° between plies {i + 1} and {i + 2}."
            middle = normal_angle(one.angle + normal_angle(other.angle - one.angle) / 2)
            mend = f"Lay a ply of {middle + 0.0:g}° between them."
            found.append(Advice("angle jump", (i, i + 1), what, mend))
    return found


def outer_plies(plies: Plies, practice: GoodPractice) -> list[Advice]:
    """Outermost plies along or across the main direction, easily damaged."""
    found = []
    for i in {0, len(plies) - 1}:
        durable = plies[i].material in practice.cores | practice.woven
        if not durable and normal_angle(plies[i].angle) in (0.0, 90.0):
            what = f"Ply {i + 1} is an outer ply of {plies[i].angle:g}°."
            found.append(Advice("outer plies", (i,), what, "Lay ±45° or a woven ply outside."))
    return sorted(found, key=lambda a: a.plies)


RULES: tuple[Callable[[Plies, GoodPractice], list[Advice]], ...] = (
    symmetry,
    balance,
    shares,
    runs,
    jumps,
    outer_plies,
)
"""Every rule, in the order of the review."""
