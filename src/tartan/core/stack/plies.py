"""A ply and a stack of plies. Ply 1 is the first laid; z grows towards the laying side."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable
from dataclasses import dataclass, replace
from functools import lru_cache

from tartan.core.bounds import LEAST_LENGTH, MOST_LENGTH, beyond
from tartan.core.errors import StackError


@dataclass(frozen=True)
class Ply:
    """One ply: material name, angle from x towards y [deg], thickness [m].

    `sub` names the sub-laminate it was laid with; it says nothing about stiffness.
    """

    material: str
    angle: float
    thickness: float
    sub: str = ""


@dataclass(frozen=True)
class Stack:
    """A named stacking sequence, first-laid ply first."""

    name: str
    plies: tuple[Ply, ...]

    @property
    def thickness(self) -> float:
        """Total thickness [m]."""
        return math.fsum(p.thickness for p in self.plies)

    def with_plies(self, plies: Iterable[Ply]) -> Stack:
        """Return the same stack with other plies."""
        return replace(self, plies=tuple(plies))


@lru_cache(maxsize=4096)
def normal_angle(angle: float) -> float:
    """Angle brought into (-90, 90] degrees, where it names a fibre direction only once."""
    a = math.fmod(angle, 180.0)
    if a <= -90.0:
        a += 180.0
    elif a > 90.0:
        a -= 180.0
    return a + 0.0


def is_symmetric(plies: tuple[Ply, ...]) -> bool:
    """Whether the stack reads the same from both faces (material, thickness and direction)."""
    keys = [(p.material, round(normal_angle(p.angle), 9), p.thickness) for p in plies]
    return keys == keys[::-1]


def is_balanced(plies: tuple[Ply, ...], woven: Collection[str] = ()) -> bool:
    """Whether every +θ ply has a −θ ply of the same material and total thickness.

    Plies of a `woven` material carry as much fibre across as along.
    """
    plies = halved(plies, woven)
    total: dict[tuple[str, float], float] = {}
    for p in plies:
        angle = round(normal_angle(p.angle), 9)
        if angle not in (0.0, 90.0):
            key = (p.material, abs(angle))
            total[key] = total.get(key, 0.0) + math.copysign(p.thickness, angle)
    return all(abs(t) < 1e-12 for t in total.values())


def halved(plies: Iterable[Ply], woven: Collection[str]) -> tuple[Ply, ...]:
    """Plies with each woven one written as two of half its thickness, along and across."""
    found: list[Ply] = []
    for p in plies:
        if p.material in woven:
            half = replace(p, thickness=p.thickness / 2)
            found += [half, replace(half, angle=normal_angle(p.angle + 90.0))]
        else:
            found.append(p)
    return tuple(found)


def check_stack(stack: Stack, materials: Collection[str]) -> Stack:
    """Return the stack when it can be used.

    Raises
    ------
    StackError
        When it has no plies, a ply has no positive finite thickness or no finite angle, or its
        material is not among `materials`.
    """
    if not stack.plies:
        raise StackError(
            "The stack is empty: it has no plies.",
            f"Stack '{stack.name}'",
            "Add a ply or type a notation such as [0/±45/90]s.",
        ).of(stack.name)
    for number, ply in enumerate(stack.plies, start=1):
        where = f"Stack '{stack.name}', ply {number}"
        if not math.isfinite(ply.thickness) or ply.thickness <= 0:
            what = f"thickness must be greater than zero, it is {ply.thickness:g} m."
            raise StackError(what, where, "Enter a positive thickness.")
        if not LEAST_LENGTH <= ply.thickness <= MOST_LENGTH:
            what = (
                f"thickness {ply.thickness:g} m is beyond {LEAST_LENGTH:g} m to {MOST_LENGTH:g} m."
            )
            raise StackError(what, where, "Check its unit.")
        if beyond(ply.angle, 1e6):
            raise StackError("angle is not a finite number.", where, "Enter an angle in degrees.")
        if ply.material not in materials:
            known = ", ".join(sorted(materials)) or "none yet"
            raise StackError(
                f"unknown material '{ply.material}'.",
                where,
                f"Choose one of the project's materials ({known}).",
            )
    return stack
