"""What an answer does not cover, in words: theory past its range, and checks without data."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.stiffness import Laminate
from tartan.core.strength.laminate_reserves import unchecked
from tartan.core.strength.theory import soft_core
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.findings.chosen_margins import remembered
from tartan.project.wording import units

Array = NDArray[np.float64]

LOW = 0.1
"""Face stresses that may be low by more than this are told."""

OF_THICKNESS = 0.5
"""Deflection of a flat part beyond this share of its thickness stretches its middle."""

OF_SIZE = 0.05
"""Displacement beyond this share of the part's size is not small."""

FLAT = 0.9995
"""Cosine within which all normals of a flat part lie."""


@dataclass(frozen=True)
class Limit:
    """Something that an answer does not cover.

    Attributes
    ----------
    short, words : str
        For the verdict, and with figure and reason.
    case : int or None
        Case that it concerns.
    zone : int or None
        Zone that it concerns.
    """

    short: str
    words: str
    case: int | None = None
    zone: int | None = None


def limits(answer: PartAnswer) -> tuple[Limit, ...]:
    """All that an answer does not cover, the gravest first; remembered with it."""

    def make() -> tuple[Limit, ...]:
        return (*_deflections(answer), *_cores(answer), *_unchecked(answer))

    return remembered(answer, ("limits",), make)


def limits_at(answer: PartAnswer, element: int, case: int) -> tuple[Limit, ...]:
    """Those that concern an element in a case."""
    zone = int(answer.layout().zones.zone[element])
    return tuple(x for x in limits(answer) if x.case in (None, case) and x.zone in (None, zone))


def _unchecked(answer: PartAnswer) -> list[Limit]:
    found: dict[str, int] = {}
    seen: set[tuple[int, ...]] = set()
    for number, laminate in enumerate(answer.layout().zones.laminates):
        # Thousands of zones of a draped part are of the same materials.
        materials = tuple(map(id, laminate.materials))
        if materials in seen:
            continue
        seen.add(materials)
        for words in unchecked(laminate, answer.inputs.criteria.sets):
            found.setdefault(words, number)
    return [Limit(f"{w.split(' (')[0]} not checked", f"Not checked: {w}.") for w in found]


def _deflections(answer: PartAnswer) -> list[Limit]:
    layout = answer.layout()
    mesh = layout.mesh
    size = float(np.ptp(mesh.nodes, axis=0).max())
    normals = mesh.normals()
    flat = bool((np.abs(normals @ normals[0]) > FLAT).all())
    thickness = min(x.thickness for x in layout.zones.laminates)
    found = []
    for k, name in enumerate(answer.inputs.solved_names):
        u = answer.solution.displacement[k, :, :3]
        moved = float(np.linalg.norm(u, axis=1).max(initial=0.0))
        across = float(np.abs(u @ normals[0]).max(initial=0.0)) if flat else 0.0
        if moved > OF_SIZE * size:
            said = (
                f"{units.show(moved, units.LENGTH)} on a part of {units.show(size, units.LENGTH)}"
            )
        elif across > OF_THICKNESS * thickness:
            said = (
                f"{units.show(across, units.LENGTH)} of a flat part "
                f"{units.show(thickness, units.LENGTH)} thick"
            )
        else:
            continue
        found.append(
            Limit(
                "deflection too large for linear theory",
                f"{name} moves {said}: the deflection is too large for linear theory, "
                "which leaves out how it stiffens or snaps.",
                case=k,
            )
        )
    return found


def _cores(answer: PartAnswer) -> list[Limit]:
    found = []
    zones = answer.layout().zones
    for number, laminate in enumerate(zones.laminates):
        if not any(m.kind == "core" for m in laminate.materials):
            continue
        here = zones.members[number]
        worst: tuple[float, str, int, float] | None = None
        for k, name in enumerate(answer.inputs.case_names):
            for axis, (low, length) in _lows(answer, laminate, here, k).items():
                if low > LOW and (worst is None or low > worst[0]):
                    worst = (low, f"{name}, along {'xy'[axis]}", k, length)
        if worst is not None:
            low, name, k, length = worst
            words = (
                f"Zone {number + 1}, {name}: bending stresses of the faces may be {low:.0%} "
                f"low. Their core is soft for moments that change over "
                f"{units.show(length, units.LENGTH)} (Allen 1969, ch. 4)."
            )
            short = f"face stresses may be {low:.0%} low in zone {number + 1}"
            found.append(Limit(short, words, case=k, zone=number))
    return found


def _lows(
    answer: PartAnswer, laminate: Laminate, here: NDArray[np.int64], case: int
) -> dict[int, tuple[float, float]]:
    """By axis, the share by which face stresses are low, and the half wave they vary over."""
    strains = answer.solution.strains[case, here].mean(axis=1)
    moments = (strains[:, :6] @ laminate.ABD.T)[:, 3:5]
    offset = float(laminate.z[0] + laminate.z[-1]) / 2
    if offset:
        moments = moments - offset * (strains[:, :6] @ laminate.ABD.T)[:, :2]
    shears = strains[:, 6:] @ laminate.shear.T
    found = {}
    for axis in (0, 1):
        M, Q = (float(np.abs(v[:, axis]).max(initial=0.0)) for v in (moments, shears))
        if M > 0 and Q > 0:
            # A half wave M sin(π x / L) has the shear π M / L at its ends.
            length = float(np.pi * M / Q)
            soft = soft_core(laminate, length, axis)
            if soft is not None and _bends(laminate, strains, axis):
                found[axis] = (soft.low, length)
    return found


def _bends(laminate: Laminate, strains: Array, axis: int) -> bool:
    """Whether bending counts beside the membrane strain at the faces."""
    bent = np.abs(strains[:, 3 + axis]).max(initial=0.0) * laminate.thickness / 2
    return bool(bent > 0.1 * np.abs(strains[:, axis]).max(initial=0.0))
