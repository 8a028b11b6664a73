"""Every figure of every ply at its three levels as a table, and the response of the laminate."""

from __future__ import annotations

import numpy as np

from tartan.core.criteria import criterion
from tartan.core.criteria.base import mode_name
from tartan.core.laminate.response import LEVELS, principal
from tartan.exchange.tables import Cell, Table
from tartan.pages import stack_answers as answers
from tartan.pages.stack_answers import Question
from tartan.project.wording import units

_AXES_12, _AXES_XY = ("1", "2", "12"), ("x", "y", "xy")


def ply_table(asked: Question) -> Table:
    """All results of a laminate under a load case, one row a ply and level.

    Raises
    ------
    TartanError
        When a criterion or a strength is missing.
    """
    found = answers.answer_of(asked.laminate, asked.loads)
    judged = answers.reserves_of(asked.laminate, asked.loads, asked.criteria)
    total = found.total
    strain_xy = np.concatenate([total.eps0, total.kappa])
    strain_xy = strain_xy[:3] + total.z[..., None] * strain_xy[3:]
    extreme, turn = principal(total.stress_12)
    # Strains as stresses have principal values, with half the shear for the shear.
    stretched, _ = principal(total.strain_12 * np.array([1.0, 1.0, 0.5]))
    mpa, micro = units.STRESS.scale, units.STRAIN.scale
    groups = (
        total.stress_12 / mpa,
        total.stress_xy / mpa,
        extreme / mpa,
        np.degrees(turn)[..., None],
        _invariants(extreme) / mpa,
        found.shear / mpa,
        total.strain_12 / micro,
        strain_xy / micro,
        stretched / micro,
        (stretched[..., :1] - stretched[..., 1:]) / micro,
    )
    numbers = np.concatenate(groups, axis=-1)
    rows: list[tuple[Cell, ...]] = []
    for i, ply in enumerate(asked.laminate.stack.plies):
        for s, level in enumerate(LEVELS):
            check = judged.checks[int(judged.check[0, i, s])]
            mode = mode_name(check.rule.modes, int(judged.mode[0, i, s]))
            rows.append(
                (
                    i + 1,
                    ply.angle,
                    ply.material,
                    level,
                    float(judged.reserve[0, i, s]),
                    criterion(check.rule.key).title,
                    mode,
                    float(total.z[i, s] / units.LENGTH.scale),
                    *(float(v) for v in numbers[i, s]),
                )
            )
    return Table("plies", _head(), tuple(rows))


def _sign(axis: str, letters: str) -> str:
    """Letter of a component: the second of two where it is a shear."""
    return letters[axis in ("12", "xy")]


def _invariants(extreme: np.ndarray) -> np.ndarray:
    """Sum, greatest in-plane shear and von Mises stress of principal stresses, (..., 3) [Pa]."""
    one, two = extreme[..., 0], extreme[..., 1]
    mises = np.sqrt(np.maximum(one * one - one * two + two * two, 0.0))
    return np.stack([one + two, (one - two) / 2, mises], axis=-1)


def response_words(asked: Question) -> str:
    """Strains and curvatures of the middle surface, and the forces that go with them, in words.

    Where a strain is prescribed its force is what it takes to hold it.
    """
    found = answers.answer_of(asked.laminate, asked.loads)
    total = found.total
    strain = np.concatenate([total.eps0, total.kappa])
    force = carried(asked)
    said = []
    for symbols, values, quantity in (
        (("εx", "εy", "γxy"), strain[:3], units.STRAIN),
        (("κx", "κy", "κxy"), strain[3:], units.CURVATURE),
        (("Nx", "Ny", "Nxy"), force[:3], units.LINE_FORCE),
        (("Mx", "My", "Mxy"), force[3:], units.LINE_MOMENT),
    ):
        size = float(np.abs(values).max())
        figures = ", ".join(
            f"{s} {units.number(float(v) / quantity.scale if abs(v) > 1e-9 * size else 0.0, 5)}"
            for s, v in zip(symbols, values, strict=True)
        )
        said.append(f"{figures} {quantity.unit}")
    return "Middle surface: " + "; ".join(said)


def carried(asked: Question) -> np.ndarray:
    """Forces and moments about the middle that the plies carry, shape (6,) [N/m, N].

    Their stresses summed through the thickness, which Simpson's rule does exactly.
    """
    total, thickness = (
        answers.answer_of(asked.laminate, asked.loads).total,
        np.diff(asked.laminate.z),
    )
    weights = np.array([1.0, 4.0, 1.0])[:, None] / 6.0
    stress = total.stress_xy * weights * thickness[:, None, None]
    middle = float(asked.laminate.z[0] + asked.laminate.z[-1]) / 2
    height = (total.z - middle)[..., None]
    return np.concatenate([stress.sum(axis=(0, 1)), (stress * height).sum(axis=(0, 1))])


def _head() -> tuple[str, ...]:
    stress, strain = units.STRESS.unit, units.STRAIN.unit
    return (
        "ply",
        "angle [°]",
        "material",
        "level",
        "RF",
        "criterion",
        "mode",
        f"z [{units.LENGTH.unit}]",
        *(f"{_sign(a, 'στ')}{a} [{stress}]" for a in (*_AXES_12, *_AXES_XY)),
        f"σI [{stress}]",
        f"σII [{stress}]",
        "σI from 1 [°]",
        f"σI + σII [{stress}]",
        f"τ max [{stress}]",
        f"σ von Mises [{stress}]",
        f"τ13 [{stress}]",
        f"τ23 [{stress}]",
        *(f"{_sign(a, 'εγ')}{a} [{strain}]" for a in (*_AXES_12, *_AXES_XY)),
        f"εI [{strain}]",
        f"εII [{strain}]",
        f"γ max [{strain}]",
    )
