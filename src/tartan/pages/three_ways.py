"""Stresses of plies by a shell, one solid, and solids ply by ply: tables, lines, words. No Qt."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.stiffness import Laminate
from tartan.core.solid.reading import PLY_ORDER
from tartan.exchange.tables import Cell, Table
from tartan.pages.fields import Flag, line
from tartan.project.analysis.solids import IDEALISED, LEAST_STRESS, Reserve, between_plies
from tartan.project.wording import units

Array = NDArray[np.float64]

STRESSES = dict(zip(("σ₁", "σ₂", "σ₃", "τ₁₂", "τ₁₃", "τ₂₃"), range(len(PLY_ORDER)), strict=True))
"""Components by what they are called, in the order in which solids give them."""

NOTHING = 1e-10
"""Share of the greatest stress below which one is none."""

MOST_TOLD = 3
"""Stresses that are told to differ, those that differ most."""

FAR = 100.0
"""Reserve factor beyond which nothing that acts between plies is worth a word."""

TOLD = 0.01
"""Share by which the shell has to be off before that is told."""


ASSUME = line(
    Flag(
        "assume",
        "assume what lacks",
        "assume what three dimensions need and a material lacks",
        "Plies as transversely isotropic: E3 = E2, ν13 = ν12, G13 = G12, "
        "G23 = E2 / 2 (1 + ν23). Fabrics: E3 of a matrix with their shear modulus across.",
    ),
    None,
)
"""Line of a form that lets missing constants be estimated."""


@dataclass(frozen=True, eq=False)
class Ways:
    """One place three ways.

    Attributes
    ----------
    about : str
        What it is of.
    laminate : Laminate
        Its plies.
    numbers : tuple of int
        What the plies are called by, from 1.
    stresses : tuple of ndarray
        Of the shell, of one solid, and of solids ply by ply, shape (n, 3, 6) [Pa].
    reserves : tuple of Reserve or None
        The least of each.
    """

    about: str
    laminate: Laminate
    numbers: tuple[int, ...]
    stresses: tuple[Array, ...]
    reserves: tuple[Reserve | None, ...]


def section_table(ways: Ways, symbol: str) -> Table:
    """One stress by ply and level from the top, the ways side by side."""
    which, unit, scale = STRESSES[symbol], units.STRESS.unit, units.STRESS.scale
    size = max(float(np.abs(s).max()) for s in ways.stresses)
    rows: list[tuple[Cell, ...]] = []
    for k, (number, ply) in enumerate(zip(ways.numbers, ways.laminate.stack.plies, strict=True)):
        for level, word in enumerate(("bottom", "middle", "top")):
            own = [float(s[k, level, which]) for s in ways.stresses]
            # What is nothing but for the last digits is shown as nothing.
            figures = [v / scale if abs(v) > NOTHING * size else 0.0 for v in own]
            rows.append((number, f"{units.number(ply.angle)}°", word, *figures))
    rows.reverse()
    head = ("ply", "angle", "at", *(f"{n} [{unit}]" for n in IDEALISED))
    return Table(f"three ways, {symbol}", head, tuple(rows), ways.about)


def section_lines(ways: Ways, symbol: str) -> tuple[Array, tuple[Array, ...]]:
    """Heights over the bottom and one stress of each of the ways solved, in units as shown."""
    z = ways.laminate.z - ways.laminate.z[0]
    heights = np.stack([z[:-1], (z[:-1] + z[1:]) / 2, z[1:]], axis=1).ravel()
    which = STRESSES[symbol]
    lines = tuple(s[..., which].ravel() / units.STRESS.scale for s in ways.stresses)
    return heights / units.LENGTH.scale, lines


def reserve_words(ways: Ways) -> str:
    """The least reserve factors side by side; empty where nothing is judged or ever fails."""
    if all(r is None for r in ways.reserves):
        return ""
    each = [
        f"{name} {'∞' if r is None else units.factor(r.value)}"
        for name, r in zip(IDEALISED, ways.reserves, strict=True)
    ]
    least = ways.reserves[-1] or next(r for r in ways.reserves if r is not None)
    return f"{', '.join(each)} (ply {ways.numbers[least.ply]}, {least.words})"


def between_words(ways: Ways) -> str:
    """What acts between plies, judged with all three stresses; empty where nothing is."""
    each = [between_plies(ways.laminate, s) for s in ways.stresses]
    last = each[-1]
    if last is None or last.value > FAR:
        return ""
    told = [
        f"{name} {'∞' if r is None else units.factor(r.value)}"
        for name, r in zip(IDEALISED, each, strict=True)
    ]
    return f"Between plies, by σ₃, τ₁₃ and τ₂₃: {', '.join(told)} (ply {ways.numbers[last.ply]})."


def gap_words(ways: Ways) -> list[str]:
    """Where the shell's greatest stresses are most off those of the solids ply by ply."""
    shell, plies = ways.stresses[0], ways.stresses[-1]
    size = float(np.abs(plies).max())
    found: list[tuple[float, str]] = []
    for symbol, which in STRESSES.items():
        own = plies[..., which]
        ply, level = np.unravel_index(int(np.abs(own).argmax()), own.shape)
        true, said = float(own[ply, level]), float(shell[ply, level, which])
        if size == 0 or abs(true) < LEAST_STRESS * size or abs(said - true) < TOLD * abs(true):
            continue
        where = f"ply {ways.numbers[ply]}, {units.show(true, units.STRESS)}"
        gap = said / true - 1
        share = f"{units.number(abs(gap) * 100, 2)} % {'low' if gap < 0 else 'high'}"
        if symbol == "σ₃" and not shell[..., which].any():
            words = f"σ₃, which the shell has nothing of, is greatest in {where}."
        elif gap < -1 - TOLD:
            words = f"The shell's {symbol} has the other sign at its greatest ({where})."
        else:
            words = f"The shell's {symbol} is {share} where it is greatest ({where})."
        found.append((abs(gap), words))
    found.sort(key=lambda x: -x[0])
    return [w for _, w in found[:MOST_TOLD]]


def same_words(gaps: Sequence[str]) -> str:
    """What is off, or that nothing is."""
    return " ".join(gaps) or f"The shell's stresses are the solids' within {TOLD * 100:.0f} %."
