"""Laminates of 0°, ±45° and 90° by their shares, with the chosen stack and its neighbours."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.core.laminate.carpet import (
    FIGURES,
    LOADS,
    Neighbour,
    Shares,
    figure_of,
    neighbours,
    shares_of,
)
from tartan.core.materials import Material
from tartan.core.stack.plies import normal_angle
from tartan.desktop.stacks.context import Chosen
from tartan.desktop.widgets.controls import choice, label, set_options
from tartan.desktop.widgets.datatable import DataTable
from tartan.desktop.widgets.flow import wrapped
from tartan.desktop.widgets.plot import Plot
from tartan.exchange.tables import Cell, Table
from tartan.project.wording import units
from tartan.project.wording.units import Quantity

STEP = 0.2
"""Share of 0° from curve to curve."""

POINTS = 21


class SharesPane(QWidget):
    """Curves of equal shares of 0° over the share of ±45°; what is left lies at 90°."""

    def __init__(self) -> None:
        super().__init__()
        self._chosen: Chosen | None = None
        self.figure = choice(FIGURES, lambda _: self._again())
        self.figure.setAccessibleName("Figure of the family")
        self.material = choice([], lambda _: self._again())
        self.material.setAccessibleName("Material of the family")
        self.criterion = choice([], lambda _: self._again())
        self.criterion.setAccessibleName("Criterion of the family")
        self.note = label("", "soft", wrap=True)
        self.fault = label("", "fault", wrap=True)
        self.plot = Plot("shares of directions")
        self.plot.setMinimumHeight(200)
        self.table = DataTable("shares, neighbours of whole plies", filtered=False)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        box.addWidget(
            wrapped(
                self.figure, label("of", "soft"), self.material, self.criterion, None, spacing=4
            )
        )
        for each in (self.note, self.fault):
            box.addWidget(each)
        box.addWidget(self.plot, 2)
        box.addWidget(self.table, 1)

    def _again(self) -> None:
        if self._chosen is not None:
            self.put(self._chosen)

    def put(self, chosen: Chosen) -> None:
        """Show the family of the stack's material."""
        self._chosen = chosen
        project, plies = chosen.session.project, chosen.stack.plies
        usable = [m.name for m in project.materials if m.kind == "ply"]
        now = self.material.currentText()
        thick = {n: sum(p.thickness for p in plies if p.material == n) for n in usable}
        most = max(usable, key=lambda n: thick[n], default="")
        set_options(self.material, usable, now if now in usable else most)
        offered = [r for r in project.offered() if r.stress == "in-plane"]
        titles, at = [r.title for r in offered], self.criterion.currentText()
        set_options(self.criterion, titles, at if at in titles else "Tsai–Wu")
        if self.criterion.currentIndex() < 0 and titles:
            self.criterion.setCurrentIndex(0)
        self.criterion.setVisible(self.figure.currentText() in LOADS)
        self._tell("")
        named = project.material(self.material.currentText())
        if named is None:
            self.plot.begin("", "")
            self.table.put(Table("shares", (), ()))
            self._tell("There is no unidirectional material. Add one in Materials.")
            return
        try:
            self._draw(
                chosen, project.in_force(named), offered[max(0, self.criterion.currentIndex())].key
            )
        except TartanError as error:
            self._tell(str(error))

    def _tell(self, fault: str) -> None:
        self.fault.setText(fault)
        self.fault.setVisible(bool(fault))

    def _draw(self, chosen: Chosen, material: Material, key: str) -> None:
        name = self.figure.currentText()
        quantity = _quantity(name)
        self.plot.begin("±45°  % of the thickness", f"{name}  {quantity.unit}".strip())
        for zero in np.arange(0.0, 1.0 - STEP / 2, STEP):
            share = np.linspace(0.0, 1.0 - zero, POINTS)
            members = [Shares(zero, x, max(1.0 - zero - x, 0.0)) for x in share]
            value = figure_of(name, material, members, key) / quantity.scale
            words = f"0° {zero:.0%}"
            self.plot.curve(share * 100, value, "accent", width=1.2, words=words)
            self.plot.mark(float(share[0]) * 100, float(value[0]), words)
        here = shares_of(chosen.stack.plies)
        own = _counts(chosen, material.name)
        rows: list[tuple[Cell, ...]] = []
        if here is None or own is None:
            self.note.setText(
                "The stack is not of 0°, ±45° and 90° plies of this material alone: "
                "the family is shown without it."
            )
        else:
            rows = self._mark(here, neighbours(*own), (name, material, key), quantity)
        self.plot.show_all()
        unit = f" [{quantity.unit}]" if quantity.unit else ""
        head = ("stack", "0 / ±45 / 90 %", f"{name}{unit}", "change")
        self.table.put(
            Table("shares, neighbours of whole plies", head, tuple(rows)), None, (0, 104)
        )

    def _mark(
        self,
        here: Shares,
        near: list[Neighbour],
        asked: tuple[str, Material, str],
        quantity: Quantity,
    ) -> list[tuple[Cell, ...]]:
        """Points of the stack and of its neighbours, and their rows."""
        name, material, key = asked
        every = [here, *(n.shares for n in near)]
        value = figure_of(name, material, every, key) / quantity.scale
        x = np.array([s.diagonal * 100 for s in every])
        self.plot.points(x[1:], value[1:], ["soft"] * len(near))
        self.plot.point(float(x[0]), float(value[0]), "fails", "at work")
        words = ["at work", *(_more(n) for n in near)]
        self.note.setText(
            f"At work {_shares(here)}; grey: one ply of 0° or 90°, or one pair of ±45°, more or "
            "less in each half."
        )
        return [
            (
                w,
                _shares(s),
                float(v),
                "" if k == 0 else f"{v / value[0] - 1:+.1%}".replace("-", "−"),
            )
            for k, (w, s, v) in enumerate(zip(words, every, value, strict=True))
        ]


def _quantity(name: str) -> Quantity:
    if name in LOADS:
        return units.STRESS
    return units.RATIO if name == "νxy" else units.MODULUS


def _change(factor: float) -> str:
    return f"{factor - 1:+.1%}".replace("-", "−")


def _shares(shares: Shares) -> str:
    each = (shares.zero, shares.diagonal, shares.ninety)
    return " / ".join(f"{x * 100:.0f}" for x in each)


def _more(near: Neighbour) -> str:
    names = ("0°", "±45°", "90°")
    k = next(i for i, n in enumerate(near.more) if n)
    return f"{'+' if near.more[k] > 0 else '−'} {names[k]}"


def _counts(chosen: Chosen, material: str) -> tuple[int, int, int] | None:
    """Plies of 0°, pairs of ±45°, plies of 90°, of an even stack in a half; None of others."""
    plies = chosen.stack.plies
    if not plies or any(p.material != material for p in plies):
        return None
    angles = [round(normal_angle(p.angle), 9) for p in plies]
    zero, plus, ninety = (angles.count(a) for a in (0.0, 45.0, 90.0))
    if zero + 2 * plus + ninety != len(plies):
        return None
    if len({p.thickness for p in plies}) > 1 or zero % 2 or plus % 2 or ninety % 2:
        return zero, plus, ninety
    return zero // 2, plus // 2, ninety // 2
