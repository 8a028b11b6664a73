"""Plies of the lay-up as they lie on the elements of a part, and the zones they make."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.materials import Material
from tartan.core.shell.zones import LaidPly, Zones, zones_of
from tartan.core.stack import Ply, Stack
from tartan.core.stack.groups import bare
from tartan.project.analysis.beside import Beside
from tartan.project.analysis.draping import check_covered, draping_of
from tartan.project.analysis.own_fibres import own_turn
from tartan.project.analysis.partmesh import Meshed, meshed
from tartan.project.analysis.winding import laid_over, plan_of
from tartan.project.document.partmodel import Level, Part

Array = NDArray[np.float64]
Index = NDArray[np.int64]

HEIGHTS: dict[Level, float] = {"bottom": -1.0, "middle": 0.0, "top": 1.0}
"""Height of the reference surface in a laminate, by its name."""


@dataclass(frozen=True, eq=False)
class Laid:
    """A ply of the lay-up as it lies.

    Attributes
    ----------
    rung : int
        Its rung of the ladder, from 0.
    within : int
        Its place in the rung's stack, from 0.
    ply : Ply
        Material, angle from the reference direction, thickness.
    elements : ndarray of int
        Where.
    turn, factor : ndarray or None
        Of a wound or draped ply: what is added to its angle [deg] and what its thickness is
        multiplied by, element by element, shape (q,).
    """

    rung: int
    within: int
    ply: Ply
    elements: Index
    turn: Array | None = None
    factor: Array | None = None


def laid_plies(part: Part, stacks: Mapping[str, Stack]) -> tuple[Laid, ...]:
    """Plies of the lay-up in laying order, those switched off left out.

    Raises
    ------
    DocumentError
        When a stack does not exist.
    PartError
        When a region does not exist.
    """
    return _LAID(*_key(part, stacks))


def laid_soon(part: Part, stacks: Mapping[str, Stack]) -> tuple[Laid, ...]:
    """Plies of the lay-up for whoever can do without them for a moment.

    Raises
    ------
    MeshPending
        When they are being laid, in a window.
    DocumentError, PartError
        As `laid_plies`.
    """
    meshed(part)
    return _LAID.soon(*_key(part, stacks))


def _key(part: Part, stacks: Mapping[str, Stack]) -> tuple[Part, tuple[Stack, ...]]:
    used = {r.stack for r in part.lay_up}
    return part, tuple(s for n, s in stacks.items() if n in used)


def _laid_plies(part: Part, known: tuple[Stack, ...]) -> tuple[Laid, ...]:
    whole, stacks = meshed(part), {s.name: s for s in known}
    found: list[Laid] = []
    wound = plan_of(part, stacks, whole.mesh)
    if wound:
        _check_meridians(whole)
    for number, rung in enumerate(part.lay_up):
        if not rung.active:
            continue
        if rung.wound is not None:
            over = laid_over(rung, part.surface, wound[number])
            found += [Laid(number, k, *each) for k, each in enumerate(over)]
            continue
        elements = whole.elements(rung.region, f"Lay-up, rung {number + 1}")
        plies: tuple[Ply, ...] = () if rung.ply is None else (rung.ply,)
        if rung.stack:
            if rung.stack not in stacks:
                raise PartError(
                    f"There is no stack '{rung.stack}'.",
                    f"Part, rung {number + 1}",
                    "Choose another.",
                )
            plies = bare(stacks[rung.stack].plies)
        turned = [replace(p, angle=p.angle + rung.turn) if rung.turn else p for p in plies]
        if rung.draped is None:
            own = own_turn(whole, rung.fibres, elements) if rung.fibres else None
            found += [Laid(number, k, p, elements, own) for k, p in enumerate(turned)]
            continue
        for k, p in enumerate(turned):
            made = draping_of(whole, elements.tobytes(), rung.draped, p.angle)
            check_covered(made, f"Lay-up, rung {number + 1}")
            found.append(Laid(number, k, p, elements, made.turn, made.found.factor))
    return tuple(found)


_LAID = Beside(_laid_plies, "The plies are being laid.")


def _check_meridians(whole: Meshed) -> None:
    """Wound plies are counted from the meridian: 0° has to run along it, either way."""
    normals, axis = whole.mesh.normals(), np.array([0.0, 0.0, 1.0])
    meridian = axis - normals * normals[:, 2:]
    along = whole.direction - normals * np.einsum("mi,mi->m", whole.direction, normals)[:, None]
    size = np.linalg.norm(meridian, axis=1) * np.linalg.norm(along, axis=1)
    aside = np.linalg.norm(np.cross(meridian, along), axis=1)
    if (aside > 1e-6 * size).any():
        raise PartError(
            "Wound layers are counted from the meridian, and 0° runs elsewhere.",
            "Reference direction",
            "Point it along z, as 0, 0, 1.",
        )


def zones_for(part: Part, laid: Sequence[Laid], materials: Sequence[Material]) -> Zones:
    """Zones of equal stacking sequence.

    Raises
    ------
    TartanError
        As `zones_of`.
    """
    return zones_of(
        [LaidPly(x.ply, x.elements, x.turn, x.factor) for x in laid],
        meshed(part).mesh.count,
        {m.name: m for m in materials},
        HEIGHTS[part.reference_surface],
        part.alike,
        offset=part.offset,
    )


def bare_elements(part: Part, laid: Sequence[Laid]) -> Index:
    """Elements without any ply."""
    covered = np.zeros(meshed(part).mesh.count, bool)
    for each in laid:
        covered[each.elements] = True
    return np.flatnonzero(~covered)
