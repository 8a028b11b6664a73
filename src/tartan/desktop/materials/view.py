"""The Materials station: cards at the left, one material's figures edited in place."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLineEdit, QMenu

from tartan.core.errors import TartanError, fault_of
from tartan.core.materials import Material
from tartan.desktop.materials.card import MaterialCard
from tartan.desktop.materials.compare import ComparePicture
from tartan.desktop.materials.conditions import ConditionsPane
from tartan.desktop.session import Session
from tartan.desktop.station import StationView
from tartan.desktop.widgets.cards import CardList
from tartan.desktop.widgets.controls import (
    Field,
    button,
    choice,
    column,
    label,
    row,
    scrolled,
    set_options,
)
from tartan.desktop.widgets.flow import wrapped
from tartan.desktop.widgets.polar import PolarPicture, laminate_curves, other_curve
from tartan.desktop.widgets.split import Pane, Split
from tartan.exchange import library
from tartan.exchange.materials_table import read_materials, write_materials
from tartan.pages import materials as state
from tartan.pages.shown import Card
from tartan.project.document.model import OF_THE_PART_ALONE
from tartan.project.edits import stack_edits

NONE = "nothing"
TABLES = "Tables (*.csv *.xlsx)"


class MaterialsView(StationView):
    """List and card."""

    unseen = StationView.unseen | OF_THE_PART_ALONE

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.cards = CardList("Materials")
        self.cards.chosen.connect(lambda name: session.select(material=name))
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("show only …")
        self.filter.setAccessibleName("Filter of materials")
        self.filter.setClearButtonEnabled(True)
        self.filter.textChanged.connect(lambda _: self._put_cards())
        self.fault = label("", "fault", wrap=True)
        self.card = MaterialCard(self._set, self._tell)
        self.compare = ComparePicture()
        self.polar = PolarPicture()
        self.pinned: list[str] = []
        self.use = label("", "soft", wrap=True)
        self.name = Field(self._rename)
        self.kind = choice(list(state.KIND_WORDS.values()), self._set_kind)
        self.other = choice([], lambda _: self.refresh())
        self.source = Field(lambda text: self._set("source", text))
        self.conditions = ConditionsPane(session, self._tell)
        self.update_button = button(
            "bring up to date",
            self.bring_up_to_date,
            "The library has other figures for this name",
        )
        self._build()

    @property
    def fields(self) -> dict[str, Field]:
        """Fields of the card by name."""
        return dict(self.card.fields)

    def _build(self) -> None:
        self.add_button = button("+ material ▾", self._offer_new, "New, or from the library")
        left = column(
            self.filter,
            self.cards,
            row(
                self.add_button,
                button("copy", self.add, "Copy of the chosen material"),
                button("remove", self.remove, "Remove the chosen material"),
                None,
                spacing=0,
            ),
            row(
                button("import …", self.ask_import, "Read materials from CSV or XLSX"),
                button("export …", self.ask_export, "Write all materials to CSV or XLSX"),
                None,
                spacing=0,
            ),
            spacing=4,
        )
        self.name.setAccessibleName("Material name")
        self.name.setMinimumWidth(220)
        self.name.refused.connect(self._tell)
        self.kind.setAccessibleName("Kind of material")
        self.other.setAccessibleName("Compare with")
        self.source.setAccessibleName("Source")
        self.use.setTextFormat(Qt.TextFormat.RichText)
        self.use.linkActivated.connect(
            lambda name: self.session.select(station="Stacks", stack=name, plies=())
        )
        head = wrapped(
            self.name,
            self.kind,
            self.update_button,
            button("keep in library", self.keep, "For other projects"),
            None,
            label("compare with", "soft"),
            self.other,
        )
        self.polar_button = button("others ▾", self._offer_others, "Draw other curves too")
        pictures = row(
            self.compare,
            column(
                row(label("Stiffness over direction", "head"), None, self.polar_button),
                self.polar,
                spacing=0,
            ),
            spacing=18,
        )
        card = column(
            head,
            self.use,
            self.fault,
            self.card,
            2,
            pictures,
            self.conditions,
            row(label("Source", "head"), self.source),
            None,
            spacing=6,
        )
        box = QHBoxLayout(self)
        box.setContentsMargins(12, 10, 12, 8)
        area = scrolled(card)
        # In a narrow window the card's four columns are scrolled rather than cut.
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        box.addWidget(Split("materials", Pane(left, 216, 160), Pane(area, share=1)))

    # Edits

    @property
    def material(self) -> Material | None:
        """The chosen material."""
        return self.session.project.material(self.session.selection.material)

    def _set(self, field: str, value: float | str | None) -> TartanError | None:
        name = self.session.selection.material
        return self.session.edit(f"{field} of {name}", state.change(name, field, value))

    def _set_kind(self, words: str) -> None:
        kind = next(k for k, w in state.KIND_WORDS.items() if w == words)
        error = self._set("kind", kind)
        self._tell(fault_of(error))

    def _rename(self, text: str) -> TartanError | None:
        old = self.material
        if old is None:
            return None
        new = dataclasses.replace(old, name=text.strip())
        error = self.session.edit(
            f"rename {old.name}", lambda p: stack_edits.put_material(p, old.name, new)
        )
        if error is None:
            self.session.select(material=new.name)
        return error

    def _offer_new(self) -> None:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction("blank, four constants to type", lambda: self.add(state.BLANK))
        menu.addAction("like the chosen one", self.add)
        menu.addSection("from the library")
        self.fill_library(menu, self.add)
        menu.popup(self.add_button.mapToGlobal(self.add_button.rect().topLeft()))

    def fill_library(self, menu: QMenu, take: Callable[[Material], object]) -> None:
        """Offer the library's materials in a menu."""
        try:
            for material in library.library():
                menu.addAction(
                    f"{material.name}   {state.words(material)}", lambda m=material: take(m)
                )
        except TartanError as error:
            self._tell(str(error))

    def add(self, like: Material | None = None) -> None:
        """Add a material like the chosen one, or like another."""
        like = like or self.material or state.BLANK
        before = {m.name for m in self.session.project.materials}
        self.session.edit("add material", lambda p: stack_edits.add_materials(p, [like]))
        self._choose_new(before)
        self.name.setFocus()
        self.name.selectAll()

    def _choose_new(self, before: set[str]) -> None:
        new = [m.name for m in self.session.project.materials if m.name not in before]
        if new:
            self.session.select(material=new[0])

    def remove(self) -> None:
        """Remove the chosen material, unless a stack uses it."""
        name = self.session.selection.material
        error = self.session.edit(f"remove {name}", lambda p: stack_edits.remove_material(p, name))
        self._tell(fault_of(error))

    def keep(self) -> None:
        """Keep the chosen material in the library."""
        if self.material is not None:
            try:
                library.keep(self.material)
            except TartanError as error:
                self._tell(str(error))
            else:
                self.refresh()

    def bring_up_to_date(self) -> None:
        """Give the chosen material the library's figures."""
        here = self.material
        newer = library.newer(here) if here is not None else None
        if here is not None and newer is not None:
            error = self.session.edit(
                f"{here.name} from the library",
                lambda p: stack_edits.put_material(p, here.name, newer),
            )
            self._tell(fault_of(error))

    def import_file(self, path: Path) -> None:
        """Add the materials of a table."""
        try:
            found = read_materials(path)
        except TartanError as error:
            self._tell(str(error))
            return
        before = {m.name for m in self.session.project.materials}
        self.session.edit("import materials", lambda p: stack_edits.add_materials(p, found))
        self._choose_new(before)
        self._tell("")

    def ask_import(self) -> None:
        """Ask for a table and import it."""
        path, _ = QFileDialog.getOpenFileName(self, "Import materials", "", TABLES)
        if path:
            self.import_file(Path(path))

    def ask_export(self) -> None:
        """Ask for a file and write all materials."""
        path, _ = QFileDialog.getSaveFileName(
            self, "Export materials", "materials.xlsx", "XLSX (*.xlsx);;CSV (*.csv)"
        )
        if path:
            try:
                write_materials(self.session.project.materials, Path(path))
            except TartanError as error:
                self._tell(str(error))

    def _offer_others(self) -> None:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        project = self.session.project
        here = self.session.selection.material
        for name in (
            *(m.name for m in project.materials if m.name != here),
            *(s.name for s in project.stacks),
        ):
            action = menu.addAction(name)
            assert action is not None
            action.setCheckable(True)
            action.setChecked(name in self.pinned)
            action.toggled.connect(lambda on, n=name: self.pin(n, on=on))
        menu.popup(self.polar_button.mapToGlobal(self.polar_button.rect().bottomLeft()))

    def pin(self, name: str, *, on: bool) -> None:
        """Draw the curve of another material or a stack too, or no longer."""
        self.pinned = [n for n in self.pinned if n != name] + ([name] if on else [])
        self.refresh()

    def _tell(self, fault: str) -> None:
        self.fault.setText(fault)
        self.fault.setVisible(bool(fault))

    # Showing

    def _put_cards(self) -> None:
        project, words = self.session.project, self.filter.text().lower().split()
        used = {p.material for s in project.stacks for p in s.plies}
        cards = [
            Card(m.name, state.words(m), mark="" if m.name in used else "not used")
            for m in project.materials
        ]
        shown = [
            c for c in cards if all(w in f"{c.name} {c.words} {c.mark}".lower() for w in words)
        ]
        self.cards.put(shown, self.session.selection.material)

    def refresh(self) -> None:
        """Show the project and selection as they stand."""
        project = self.session.project
        chosen = self.session.selection.material
        self._put_cards()
        material = project.material(chosen)
        if material is None:
            return
        others = [NONE, *(m.name for m in project.materials if m.name != chosen)]
        compared = self.other.currentText()
        set_options(self.other, others, compared if compared in others else NONE)
        other = project.material(self.other.currentText())
        self.compare.put(project.materials, chosen, other.name if other else "")
        self.name.put(material.name)
        set_options(self.kind, list(state.KIND_WORDS.values()), state.KIND_WORDS[material.kind])
        links = [
            f"<a href='{s}' style='text-decoration:none'>{s}</a>"
            for s in project.stacks_using(chosen)
        ]
        lead = f"Used by {', '.join(links)}. " if links else ""
        self.use.setText(lead + state.touched(project, chosen))
        self.source.put(material.source)
        self._tell("")
        self.card.put(material, other)
        self._put_polar(material, other)
        self.conditions.put()
        try:
            self.update_button.setVisible(library.newer(material) is not None)
        except TartanError as error:
            self.update_button.hide()
            self._tell(str(error))

    def _put_polar(self, material: Material, other: Material | None) -> None:
        laminate = state.single_ply(material)
        curves = laminate_curves(laminate)[:2] if laminate is not None else []
        project = self.session.project
        names = dict.fromkeys([*([other.name] if other else []), *self.pinned])
        for name in names:
            found, stack = project.material(name), project.stack(name)
            if found is not None:
                second = state.single_ply(found)
            else:
                second = state.laminate_of(project, stack) if stack is not None else None
            if second is not None and name != material.name:
                curves.append(other_curve(name, second))
        self.polar.put(curves)
