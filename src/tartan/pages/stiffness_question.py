"""Stiffness asked otherwise: in turned axes, about another surface, inverted. No Qt."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate import Laminate, make_laminate
from tartan.core.stack import Stack
from tartan.core.stack.operations import rotate
from tartan.exchange.tables import Cell, Table
from tartan.project.wording import units

Array = NDArray[np.float64]

SURFACES = ("middle", "bottom", "top")

ROWS = ("x", "y", "xy")


def asked_stiffness(laminate: Laminate, turn: float = 0.0, surface: str = "middle") -> Array:
    """Stiffness in axes turned about z, about a surface of the laminate, shape (6, 6).

    N and M are the same loads whatever they are taken about: moments about a surface at height h
    are M − h N, and strains there ε + h κ.

    Parameters
    ----------
    laminate : Laminate
        Its plies stay as they are.
    turn : float
        Angle from its x axis to the new one, anticlockwise seen from the top [deg].
    surface : {"middle", "bottom", "top"}
        Where strains are taken and about which moments are.

    Returns
    -------
    ndarray
        [[A, B], [B, D]] [N/m, N, N·m].
    """
    if turn:
        plies = rotate(laminate.stack.plies, -turn)
        materials = {m.name: m for m in laminate.materials}
        turned = make_laminate(Stack(laminate.stack.name, plies), materials)
        whole = _about(turned.ABD, float(laminate.z[0] - turned.z[0]))
    else:
        whole = laminate.ABD
    at = {
        "middle": float(laminate.z[0] + laminate.z[-1]) / 2,
        "bottom": float(laminate.z[0]),
        "top": float(laminate.z[-1]),
    }[surface]
    return _about(whole, at)


def _about(whole: Array, height: float) -> Array:
    """Stiffness about a surface at a height, shape (6, 6)."""
    shift = np.eye(6)
    shift[:3, 3:] = -height * np.eye(3)
    return np.asarray(shift.T @ whole @ shift)


def stiffness_table(whole: Array, name: str, turn: float, surface: str) -> Table:
    """A, B, D and the blocks of the inverse as numbers in the units on show.

    Parameters
    ----------
    whole : ndarray, shape (6, 6)
        Stiffness [N/m, N, N·m].
    name : str
        The stack's.
    turn, surface : float, str
        How it was asked, for the title.
    """
    inverse: Array = np.asarray(np.linalg.inv(whole), float)
    stiff, coupled, bent = units.MEMBRANE, units.COUPLING, units.BENDING
    blocks: tuple[tuple[str, Array, str], ...] = (
        ("A", whole[:3, :3] / stiff.scale, stiff.unit),
        ("B", whole[:3, 3:] / coupled.scale, coupled.unit),
        ("D", whole[3:, 3:] / bent.scale, bent.unit),
        ("a", inverse[:3, :3] * stiff.scale, f"1/({stiff.unit})"),
        ("b", inverse[:3, 3:] * coupled.scale, f"1/{coupled.unit}"),
        ("d", inverse[3:, 3:] * bent.scale, f"1/({bent.unit})"),
    )
    sizes = {letter: float(np.abs(block).max()) for letter, block, _ in blocks}
    # Couplings are held against what they couple.
    sizes["B"] = max(sizes["B"], float(np.sqrt(sizes["A"] * sizes["D"])))
    sizes["b"] = max(sizes["b"], float(np.sqrt(sizes["a"] * sizes["d"])))
    rows: list[tuple[Cell, ...]] = []
    for letter, block, unit in blocks:
        # What is only rounding would be copied as a figure.
        clean = np.where(np.abs(block) < 1e-9 * sizes[letter], 0.0, block)
        rows += [
            (f"{letter} [{unit}]", axis, *map(float, line))
            for axis, line in zip(ROWS, clean, strict=True)
        ]
    turned = f", axes turned by {units.number(turn)}°" if turn else ""
    about = f"about its {surface} surface" if surface != "middle" else "about its middle"
    return Table(f"Stiffness of {name} {about}{turned}", ("matrix", "row", *ROWS), tuple(rows))
