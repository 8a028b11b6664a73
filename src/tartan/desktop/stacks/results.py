"""Every figure of every ply at its three levels as a table."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QWidget

from tartan.core.criteria import criterion
from tartan.core.criteria.base import mode_name
from tartan.core.errors import TartanError
from tartan.core.laminate.response import LEVELS, principal
from tartan.desktop.stacks.context import Chosen
from tartan.desktop.widgets.controls import column, label
from tartan.desktop.widgets.datatable import DataTable
from tartan.exchange.tables import Cell, Table
from tartan.pages import stack_answers as answers
from tartan.pages.shown import Look
from tartan.pages.stack_answers import Question
from tartan.project.wording import units

_AXES_12, _AXES_XY = ("1", "2", "12"), ("x", "y", "xy")


class ResultsPane(QWidget):
    """Strains, stresses, principal values and reserve factors under the chosen load case."""

    def __init__(self) -> None:
        super().__init__()
        self.note = label("", "soft", wrap=True)
        self.table = DataTable("plies")
        made = column(self.note, self.table, spacing=5)
        box = made.layout()
        assert box is not None
        self.setLayout(box)

    def put(self, chosen: Chosen) -> None:
        """Show the figures of a stack."""
        asked = chosen.question
        if asked is None:
            self.table.put(Table("plies", (), ()))
            return
        self.note.setText(
            f"{chosen.stack.name} under {chosen.loads.name}, by {chosen.criteria.name} criteria"
        )
        try:
            table = ply_table(asked)
        except TartanError as error:
            self.note.setText(str(error))
            self.table.put(Table("plies", (), ()))
            return
        # Reserve factors and modes come right after the place, before the long rest.
        widths = (42, 56, 96, 56)
        looks: list[list[Look | None]] = [
            [Look(str(r[0])), *([None] * (len(table.head) - 1))] for r in table.rows
        ]
        self.table.put(table, looks, widths)


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
    mpa, micro = units.STRESS.scale, units.STRAIN.scale
    groups = (
        total.stress_12 / mpa,
        total.stress_xy / mpa,
        extreme / mpa,
        np.degrees(turn)[..., None],
        found.shear / mpa,
        total.strain_12 / micro,
        strain_xy / micro,
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
        *(f"σ{a} [{stress}]" for a in (*_AXES_12, *_AXES_XY)),
        f"σI [{stress}]",
        f"σII [{stress}]",
        "σI from 1 [°]",
        f"τ13 [{stress}]",
        f"τ23 [{stress}]",
        *(f"ε{a} [{strain}]" for a in (*_AXES_12, *_AXES_XY)),
    )
