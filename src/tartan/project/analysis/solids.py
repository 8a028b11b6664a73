"""Stacks in three dimensions: materials with what solids need, coupons, and what they come to."""

from __future__ import annotations

from collections.abc import Generator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import MaterialError, StackError
from tartan.core.laminate.stiffness import Laminate, make_laminate
from tartan.core.materials import Material
from tartan.core.solid.constants import assumed, lacking
from tartan.core.solid.coupon import Coupon, CouponAnswer, solve
from tartan.core.stack import Stack
from tartan.core.strength.laminate_reserves import checks_of
from tartan.project.document.model import Project
from tartan.project.wording import units
from tartan.project.wording.document_words import SYMBOLS

Array = NDArray[np.float64]

IDEALISED = ("shell", "one solid", "ply by ply")
"""The three ways, as they are called."""

LEAST_STRESS = 1e-3
"""Share of the greatest stress below which one is not worth a word."""


def solid_materials(
    materials: Sequence[Material], *, assume: bool, mend: str
) -> tuple[dict[str, Material], tuple[str, ...]]:
    """Materials by name as solids need them, and what was assumed of them in words.

    Parameters
    ----------
    materials : sequence of Material
        Those in force.
    assume : bool
        Whether what is missing is estimated, as `assumed` says.
    mend : str
        How to let it be assumed, as a sentence of a refusal.

    Raises
    ------
    MaterialError
        A material that lacks what three dimensions need, where nothing may be assumed.
    """
    found, told = {}, []
    for material in materials:
        missing = lacking(material)
        if missing and not assume:
            raise MaterialError(
                f"'{material.name}' lacks {', '.join(SYMBOLS[f] for f in missing)} for three "
                "dimensions.",
                f"Material '{material.name}'",
                f"Enter them, or {mend}.",
            ).of(material.name)
        full = assumed(material)
        left = lacking(full)
        if left:
            raise MaterialError(
                f"'{material.name}' lacks {', '.join(SYMBOLS[f] for f in left)} for three "
                "dimensions, which cannot be assumed of it.",
                f"Material '{material.name}'",
                "Enter it in Materials.",
            ).of(material.name)
        found[material.name] = full
        figures = ", ".join(_figure(full, f) for f in missing)
        if figures:
            told.append(f"Assumed for {material.name}: {figures}.")
    return found, tuple(told)


def _figure(material: Material, field: str) -> str:
    value = getattr(material, field)
    own = units.show(value, units.MODULUS) if field[0] in "EG" else units.number(value, 3)
    return f"{SYMBOLS[field]} = {own}"


@dataclass(frozen=True)
class Reserve:
    """The least reserve factor of one of the three ways, with its ply and words."""

    value: float
    ply: int
    words: str


@dataclass(frozen=True, eq=False)
class Tried:
    """A coupon of a stack, solved.

    Attributes
    ----------
    stack : Stack
        Of which.
    coupon : Coupon
        As it was asked.
    laminate : Laminate
        With its materials.
    answer : CouponAnswer
        The three ways.
    reserves : tuple of Reserve or None
        Of each way in the middle of the coupon; None where nothing ever fails.
    assumed : tuple of str
        What was assumed, in words.
    """

    stack: Stack
    coupon: Coupon
    laminate: Laminate
    answer: CouponAnswer
    reserves: tuple[Reserve | None, ...]
    assumed: tuple[str, ...]


def tried(
    project: Project, stack: Stack, coupon: Coupon, *, assume: bool
) -> Generator[str, None, Tried]:
    """Solve a coupon of a stack; tells what it is at.

    Raises
    ------
    TartanError
        A stack or material that cannot be, and as `solve`.
    """
    if not stack.plies:
        raise StackError("The stack is empty.", f"Stack '{stack.name}'", "Add a ply.")
    materials, told = solid_materials(
        project.materials_of(stack), assume=assume, mend="let transverse isotropy be assumed"
    )
    laminate = make_laminate(stack, materials)
    answer = yield from solve(laminate, coupon)
    sets = project.governing_sets
    each = (answer.shell, answer.homogenised, answer.plies)
    reserves = tuple(least_reserve(laminate, sets, x.stress) for x in each)
    return Tried(stack, coupon, laminate, answer, reserves, told)


def _parts(stress: Array) -> tuple[Array, Array]:
    """What is within the plies, and the shears across them."""
    return stress[..., [0, 1, 3]], stress[..., [4, 5]]


def least_reserve(
    laminate: Laminate,
    sets: Mapping[str, tuple[str, ...]],
    stress: Array,
    held: Array | None = None,
) -> Reserve | None:
    """The least reserve factor of stresses in ply axes, shape (n, 3, 6) [Pa].

    Criteria that read a whole sandwich are left out: they are of shells. None where nothing that
    is asked ever fails. Of the stresses `held` stays as it is, the rest is scaled.

    Raises
    ------
    TartanError
        As `checks_of`.
    """
    best: Reserve | None = None
    for check in checks_of(laminate, sets):
        if check.gather is not None:
            continue
        rest = None if held is None else check.fed(*_parts(held))
        grows = stress if held is None else stress - held
        outcome = check.rule.evaluate(check.strengths, check.fed(*_parts(grows)), rest)
        row, level = np.unravel_index(int(np.argmin(outcome.reserve)), outcome.reserve.shape)
        value = float(outcome.reserve[row, level])
        if np.isfinite(value) and (best is None or value < best.value):
            ply = int(check.plies[row])
            mode = check.rule.modes[int(outcome.mode[row, level])]
            best = Reserve(value, ply, f"{check.rule.title}, {mode}")
    return best


def between_plies(laminate: Laminate, stress: Array) -> Reserve | None:
    """The least reserve factor of what acts across the plies, (σ3/Z)² + (τ13/S13)² + (τ23/S23)².

    σ3 counts where it peels; Z is Yt, as strength across plies is about that across fibres. Plies
    that lack one of the strengths are not judged; None where nothing is, or nothing acts.

    Source: J. C. Brewer, P. A. Lagace, J. Composite Materials 22 (1988) 1141–1155.

    Parameters
    ----------
    laminate : Laminate
        The plies.
    stress : ndarray, shape (n, 3, 6)
        In ply axes, order 1, 2, 3, 12, 13, 23 [Pa].
    """
    best: Reserve | None = None
    for ply, m in enumerate(laminate.materials):
        if m.S13 is None or m.S23 is None or m.Yt is None:
            continue
        peel, one, two = (stress[ply, :, k] for k in (2, 4, 5))
        size = (np.maximum(peel, 0) / m.Yt) ** 2 + (one / m.S13) ** 2 + (two / m.S23) ** 2
        most = float(size.max())
        if most > 0 and (best is None or most**-0.5 < best.value):
            best = Reserve(most**-0.5, ply, "between plies")
    return best


def at_edge(found: Tried, over: float) -> list[tuple[int, Array, float | None]]:
    """For every interface the ply below it, means of τxz, τyz, σz at the edge, and a reserve.

    The reserve factor is by ``(τxz/S)² + (τyz/S)² + (σz/Z)²`` with the lesser of both plies' S13
    and S23, whatever the direction, and σz only where it peels; Z is the lesser Yt, as strength
    across plies is about that across fibres. None where a strength is missing.

    Source: J. C. Brewer, P. A. Lagace, J. Composite Materials 22 (1988) 1141–1155.

    Raises
    ------
    PartError
        A length that is none, or more than half the width.
    """
    edge = found.answer.edge
    if edge is None:
        return []
    rows = []
    for ply in range(found.laminate.count - 1):
        stress = edge.mean(ply, over)
        pair = found.laminate.materials[ply : ply + 2]
        shears = [s for m in pair for s in (m.S13, m.S23)]
        peels = [m.Yt for m in pair]
        reserve = None
        if None not in shears and None not in peels:
            S, Z = (min(x for x in each if x is not None) for each in (shears, peels))
            size = np.hypot(stress[0], stress[1]) ** 2 / S**2 + max(stress[2], 0.0) ** 2 / Z**2
            reserve = float(1 / np.sqrt(size)) if size > 0 else np.inf
        rows.append((ply, stress, reserve))
    return rows
