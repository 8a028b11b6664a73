"""Criteria that the user writes: name and formula, checked while typed."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tartan.core.criteria import criterion
from tartan.core.criteria.base import lacking
from tartan.core.criteria.formula import FormulaCriterion
from tartan.core.errors import TartanError
from tartan.desktop.session import Session
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.controls import Field, button, label, row
from tartan.project.document.model import Project
from tartan.project.edits import design_edits
from tartan.project.edits.design_edits import free_name

FIRST = "(s1 / Xt)**2 + (t12 / S12)**2"
"""Formula of a new criterion, to be written over."""

HELP = (
    "Reaches 1 at failure. Of the ply: stresses s1, s2, t12, strains e1, e2, g12, and the "
    "material's fields, such as Xt, Yc, S12, E1. With + − * / **, < ≤ > ≥, min, max, abs, sqrt."
)


class OwnCriteria(QWidget):
    """Rows of name and formula; what is typed is judged at once, in words below."""

    def __init__(self) -> None:
        super().__init__()
        self._session: Session | None = None
        self.rows = Block()
        self.told = label("", "soft", wrap=True)
        self.told.setAccessibleName("What the formula needs")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        for part in (self.rows, self.told, row(button("+ criterion", self.add, HELP), None)):
            box.addWidget(part)

    def put(self, session: Session) -> None:
        """Show the project's own criteria."""
        self._session = session
        self.rows.put(len(session.project.formulas), self._build)
        if not session.project.formulas or not self.told.text():
            self._say(HELP)

    def toggle(self) -> None:
        """Show it or put it away."""
        self.setVisible(self.isHidden())

    def add(self) -> None:
        """Write another; it judges nothing until it is switched on for a kind of layer."""
        if self._session is None:
            return
        taken = [criterion(k).title for k in self._session.project.formulas]
        name = free_name("own", taken)
        error = self._session.edit(
            "new criterion", lambda p: design_edits.put_formula(p, name, FIRST)
        )
        self._say(str(error) if error else HELP, fault=error is not None)

    def _build(self, block: Block) -> None:
        assert self._session is not None
        for i in range(len(self._session.project.formulas)):
            name = Field(lambda text, i=i: self._change(i, name=text))  # type: ignore[misc]
            formula = Field(lambda text, i=i: self._change(i, text=text))  # type: ignore[misc]
            name.setFixedWidth(84)
            name.setAccessibleName(f"name of criterion {i + 1}")
            formula.setAccessibleName(f"formula of criterion {i + 1}")
            formula.setToolTip(HELP)
            formula.textEdited.connect(self._judge)
            remove = button("×", partial(self._remove, i), "Give this criterion up")
            block.add(
                row(name, label("=", "soft"), formula, remove, spacing=3),
                lambda i=i, n=name, f=formula: self._update(i, n, f),  # type: ignore[misc]
            )

    def _key(self, i: int) -> str:
        assert self._session is not None
        formulas = self._session.project.formulas
        return formulas[i] if i < len(formulas) else ""

    def _update(self, i: int, name: Field, formula: Field) -> None:
        if key := self._key(i):
            rule = criterion(key)
            name.put(rule.title)
            formula.put(rule.formula)

    def _change(
        self, i: int, name: str | None = None, text: str | None = None
    ) -> TartanError | None:
        assert self._session is not None
        key = self._key(i)
        rule = criterion(key)
        new = (rule.title if name is None else name, rule.formula if text is None else text)
        error = self._session.edit(
            f"criterion {new[0]}", lambda p: design_edits.put_formula(p, *new, key)
        )
        self._say(str(error) if error else self._words(new[1]), fault=error is not None)
        return error

    def _remove(self, i: int) -> None:
        assert self._session is not None
        key = self._key(i)
        error = self._session.edit(
            "remove criterion", lambda p: design_edits.remove_formula(p, key)
        )
        self._say(str(error) if error else HELP, fault=error is not None)

    def _judge(self, text: str) -> None:
        """Say while it is typed what a formula needs, or where it cannot be read."""
        try:
            self._say(self._words(text))
        except TartanError as error:
            self._say(str(error), fault=True)

    def _words(self, text: str) -> str:
        assert self._session is not None
        rule = FormulaCriterion("typed", "typed", text)
        needs = f"Needs {', '.join(rule.needs)}." if rule.needs else "Needs no data."
        return f"{needs} {_missing(self._session.project, rule)}".strip()

    def _say(self, words: str, *, fault: bool = False) -> None:
        self.told.setText(words)
        self.told.setProperty("role", "fault" if fault else "soft")
        style = self.told.style()
        if style is not None:
            style.polish(self.told)


def _missing(project: Project, rule: FormulaCriterion) -> str:
    """Which materials lack what it needs; cores and metals are not looked at."""
    found = []
    for material in project.materials:
        gone = lacking(material, rule) if material.kind in ("ply", "woven") else ()
        if gone:
            found.append(f"{material.name} has no {', '.join(gone)}")
    return "; ".join(found) + ("." if found else "")
