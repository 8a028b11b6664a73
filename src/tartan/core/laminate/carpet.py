"""Laminates of 0°, ±45° and 90° by their shares: stiffness and first failure of the whole family.

The laminate is symmetric and balanced and its plies are spread evenly, so that only shares count
(R. M. Jones, Mechanics of Composite Materials, 2nd ed., section 7.4).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import Criterion, criterion
from tartan.core.criteria.base import data_of, strengths_of
from tartan.core.errors import StackError
from tartan.core.laminate.stiffness import reduced_stiffness, strain_rotation
from tartan.core.materials import Material, checked
from tartan.core.stack.plies import Ply, normal_angle

Array = NDArray[np.float64]

ANGLES = (0.0, 45.0, -45.0, 90.0)

LOADS: dict[str, tuple[float, float, float]] = {
    "strength along x, tension": (1.0, 0.0, 0.0),
    "strength along x, compression": (-1.0, 0.0, 0.0),
    "strength along y, tension": (0.0, 1.0, 0.0),
    "strength along y, compression": (0.0, -1.0, 0.0),
    "strength in shear": (0.0, 0.0, 1.0),
}
"""Mean stresses of size one under which a strength is."""

CONSTANTS = ("Ex", "Ey", "Gxy", "νxy")

FIGURES = (*CONSTANTS, *LOADS)
"""Figures of a family."""


@dataclass(frozen=True)
class Shares:
    """Shares of the thickness in 0°, in ±45° together, and in 90°; they sum to one."""

    zero: float
    diagonal: float
    ninety: float

    def __post_init__(self) -> None:
        every = (self.zero, self.diagonal, self.ninety)
        if not (min(every) >= -1e-12 and abs(sum(every) - 1) < 1e-9):
            raise StackError(
                "Shares of 0°, ±45° and 90° do not sum to one.", "Shares", "Mend one of them."
            )


def figure_of(
    name: str, material: Material, shares: Sequence[Shares], key: str | Criterion = "tsai_wu"
) -> Array:
    """A figure of many members of the family.

    Parameters
    ----------
    name : str
        One of `FIGURES`.
    material : Material
        Of every ply.
    shares : sequence of Shares
        The members.
    key : str or Criterion
        What strengths are judged by.

    Returns
    -------
    ndarray, shape (k,)
        Moduli and strengths [Pa], Poisson's ratio [1].

    Raises
    ------
    StackError
        A figure that is not known.
    MaterialError
        A material that cannot be, or lacks strengths.
    """
    checked(material)
    if name not in FIGURES:
        raise StackError(
            f"There is no figure '{name}'.", "Carpet plot", f"Use {', '.join(FIGURES)}."
        )
    parts = np.array([[s.zero, s.diagonal / 2, s.diagonal / 2, s.ninety] for s in shares])
    T = strain_rotation(np.deg2rad(ANGLES))
    Q = reduced_stiffness(material)
    compliance = np.linalg.inv(np.einsum("ka,aij->kij", parts, np.swapaxes(T, 1, 2) @ Q @ T))
    if name in CONSTANTS:
        s = compliance
        return np.asarray(
            {
                "Ex": 1 / s[:, 0, 0],
                "Ey": 1 / s[:, 1, 1],
                "Gxy": 1 / s[:, 2, 2],
                "νxy": -s[:, 0, 1] / s[:, 0, 0],
            }[name]
        )
    rule = criterion(key)
    data_of(material, rule)
    strain = compliance @ np.array(LOADS[name])
    stress = np.einsum("aij,kj->kai", Q @ T, strain)
    reserve = rule.evaluate(strengths_of(material, rule), stress).reserve
    # A direction that is not laid cannot fail.
    return np.asarray(np.where(parts > 1e-12, reserve, np.inf).min(axis=1))


def shares_of(plies: Sequence[Ply]) -> Shares | None:
    """Shares of a stack; None where it has plies of other directions, or ±45° unlike."""
    thick = dict.fromkeys(ANGLES, 0.0)
    for ply in plies:
        angle = round(normal_angle(ply.angle), 9)
        if angle not in thick:
            return None
        thick[angle] += ply.thickness
    whole = sum(thick.values())
    if not whole or abs(thick[45.0] - thick[-45.0]) > 1e-12:
        return None
    return Shares(thick[0.0] / whole, 2 * thick[45.0] / whole, thick[90.0] / whole)


@dataclass(frozen=True)
class Neighbour:
    """A stack of whole plies near to another: plies more of each, and its shares."""

    more: tuple[int, int, int]
    shares: Shares


def neighbours(zero: int, pairs: int, ninety: int) -> list[Neighbour]:
    """Stacks with one ply of 0° or 90°, or one pair of ±45°, more or less.

    `pairs` counts pairs of ±45°.
    """
    found = []
    for k in range(3):
        for step in (1, -1):
            counts = [zero, pairs, ninety]
            counts[k] += step
            whole = counts[0] + 2 * counts[1] + counts[2]
            if min(counts) < 0 or not whole:
                continue
            shares = Shares(counts[0] / whole, 2 * counts[1] / whole, counts[2] / whole)
            more = [0, 0, 0]
            more[k] = step
            found.append(Neighbour((more[0], more[1], more[2]), shares))
    return found
