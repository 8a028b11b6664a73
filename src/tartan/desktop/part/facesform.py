"""Which faces of a read solid are the part, and the curves that they are cut along."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QLabel, QVBoxLayout

from tartan.core.errors import TartanError
from tartan.core.shell.skins import skins_of
from tartan.desktop.background import Background
from tartan.desktop.part.form import PartForm
from tartan.desktop.session import Session
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.controls import button, label, row, switch
from tartan.desktop.widgets.manychoice import ManyChoice
from tartan.desktop.widgets.recordform import Record, add_record
from tartan.exchange.step import curves_of
from tartan.exchange.trims import joined, read_curve
from tartan.pages.surface_fields import TRIM
from tartan.project.analysis.partmesh import base_mesh, meshed
from tartan.project.document.packed_arrays import unpack_text
from tartan.project.document.partmodel import ReadSurface, Trim, Vector
from tartan.project.wording.units import counted

Remesh = Callable[[ReadSurface, str], None]


class FacesForm(PartForm):
    """Leaves faces out, keeps a skin of a thin solid, and trims what is left."""

    def __init__(self, session: Session, remesh: Remesh) -> None:
        super().__init__(session)
        self._remesh = remesh
        self._curves: dict[str, tuple[Vector, ...]] = {}
        self._drawn: list[Vector] = []
        self.faces = ManyChoice(
            "face left out", "faces", "Faces that are not part of it", none="no face left out"
        )
        self.faces.changed.connect(self._leave_out)
        self.by_click = switch("click leaves out", "A click on the part leaves that face out")
        self.draw_trim = switch("draw a trim", "Each click adds a point of the closed curve")
        self.draw_trim.toggled.connect(self._toggle_draw)
        self.curves = ManyChoice("curve", "curves", "Curves of the file that close", none="curves")
        self.by_curves = button("cut along them", self._trim_by_curves, "They have to close")
        self.background = Background(self, "Surface", "Try a table of points.")
        self.background.done.connect(self._offer_curves)
        self.background.failed.connect(lambda e: self.told.emit(str(e)))
        self.trims = Block()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        box.addWidget(row(label("Faces", "head"), None, self.faces))
        box.addWidget(
            row(
                button("outer skin", partial(self._keep, 0), "Of a thin solid, the larger one"),
                button("inner skin", partial(self._keep, 1), "Of a thin solid, the smaller one"),
                self.by_click,
                None,
                spacing=4,
            )
        )
        box.addWidget(row(label("Trims", "head"), None, self.draw_trim))
        box.addWidget(
            row(
                button("+ from a table …", self.ask_table, "A closed curve: x, y, z by rows"),
                button("curves of the file …", self._ask_curves, "Its edges and loose curves"),
                None,
                spacing=4,
            )
        )
        self.of_file = row(self.curves, self.by_curves, None, spacing=4)
        box.addWidget(self.of_file)
        box.addWidget(self.trims)
        self.of_file.hide()

    @property
    def surface(self) -> ReadSurface | None:
        """The surface where its geometry is known."""
        surface = self.part.surface if self.part else None
        return surface if isinstance(surface, ReadSurface) and surface.geometry else None

    @property
    def _names(self) -> tuple[str, ...]:
        """All faces of the file, those left out too."""
        surface = self.surface
        if surface is None:
            return ()
        return tuple(sorted({*base_mesh(surface, 1.0).regions, *surface.left_out}, key=_order))

    # Faces

    def _leave_out(self) -> None:
        names = tuple(self.faces.names[i] for i in self.faces.chosen)
        self._put_out(names, "faces left out")

    def _put_out(self, names: tuple[str, ...], words: str) -> None:
        surface = self.surface
        if surface is None or names == surface.left_out:
            return
        if not set(self._names) - set(names):
            self.told.emit("All faces would be left out. Keep one at least.")
            self.refresh()
            return
        self._remesh(replace(surface, left_out=names), words)

    def _keep(self, which: int) -> None:
        surface = self.surface
        if surface is None:
            return
        skin = skins_of(base_mesh(surface, 1.0))[which]
        if not skin:
            self.told.emit("There is one skin alone: what is left is smooth throughout.")
            return
        names = tuple(n for n in self._names if n not in skin)
        self._put_out(names, f"keep the {('outer', 'inner')[which]} skin")

    # Clicks

    @property
    def takes_clicks(self) -> bool:
        """Whether clicks on the part are for its faces."""
        return self.surface is not None and (
            self.by_click.isChecked() or self.draw_trim.isChecked()
        )

    def pick(self, element: int) -> None:
        """Leave the face of an element out, or add its middle to the curve that is drawn."""
        part, surface = self.part, self.surface
        if part is None or surface is None or element < 0:
            return
        if self.draw_trim.isChecked():
            x, y, z = meshed(part).mesh.centres()[element]
            self._drawn.append((float(x), float(y), float(z)))
            self.told.emit(f"{len(self._drawn)} picked; press its switch again to close it.")
            return
        name = next(
            (n for n, own in base_mesh(surface, 1.0).regions.items() if element in own), ""
        )
        if name:
            self._put_out((*surface.left_out, name), f"leave {name} out")

    def _toggle_draw(self, on: bool) -> None:
        if on:
            self._drawn = []
            self.by_click.setChecked(False)
            return
        drawn, self._drawn = tuple(self._drawn), []
        if drawn:
            self._add(drawn)

    # Trims

    def ask_table(self) -> None:
        """Ask for a table of points and cut along it."""
        path, _ = QFileDialog.getOpenFileName(
            self, "Read a curve", "", "Tables (*.csv *.xlsx);;All files (*)"
        )
        if not path:
            return
        try:
            self._add(read_curve(Path(path)))
        except TartanError as error:
            self.told.emit(str(error))

    def _ask_curves(self) -> None:
        surface = self.surface
        if surface is not None:
            self.told.emit("")
            self.background.start(partial(curves_of, unpack_text(surface.geometry)))

    def _offer_curves(self, found: dict[str, tuple[Vector, ...]]) -> None:
        self._curves = found
        self.curves.show_chosen(list(found), [])
        self.of_file.setVisible(bool(found))
        self.told.emit("" if found else "The file holds no curves.")

    def _trim_by_curves(self) -> None:
        chosen = [self._curves[self.curves.names[i]] for i in self.curves.chosen]
        try:
            self._add(joined(chosen))
        except TartanError as error:
            self.told.emit(str(error))

    def _add(self, points: tuple[Vector, ...]) -> None:
        surface = self.surface
        if surface is not None:
            self._put_trims((*surface.trims, Trim(points)), "trim the surface")

    def _put_trims(self, trims: tuple[Trim, ...], words: str) -> None:
        surface = self.surface
        if surface is not None and trims != surface.trims:
            self._remesh(replace(surface, trims=trims), words)

    def _change(self, number: int, words: str = "", /, **values: object) -> TartanError | None:
        surface = self.surface
        if surface is not None and number < len(surface.trims):
            trims = list(surface.trims)
            trims[number] = replace(trims[number], **values)  # type: ignore[arg-type]
            self._put_trims(tuple(trims), words or "trim of the surface")
        return None

    def _remove(self, number: int) -> None:
        surface = self.surface
        if surface is not None:
            rest = (*surface.trims[:number], *surface.trims[number + 1 :])
            self._put_trims(rest, "take a trim away")

    # Showing

    def refresh(self) -> None:
        """Show which faces are left out, and the trims."""
        surface = self.surface
        self.setVisible(surface is not None)
        if surface is None:
            self.by_click.setChecked(False)
            return
        self.faces.show_chosen(self._names, surface.left_out)
        self.trims.put(len(surface.trims), self._build_trims)

    def _build_trims(self, block: Block) -> None:
        surface = self.surface
        for number in range(0 if surface is None else len(surface.trims)):
            words = label("", "soft")
            away = button("✕", partial(self._remove, number), f"Take trim {number + 1} away")
            away.setAccessibleName(f"take trim {number + 1} away")
            block.add(row(words, None, away, spacing=4), partial(self._say, words, number))
            record = Record(
                partial(self._trim, number),
                partial(self._change, number),
                self.told.emit,
                f"trim {number + 1}",
            )
            add_record(block, TRIM, record)

    def _trim(self, number: int) -> Trim | None:
        surface = self.surface
        return None if surface is None or number >= len(surface.trims) else surface.trims[number]

    def _say(self, words: QLabel, number: int) -> None:
        trim = self._trim(number)
        if trim is not None:
            words.setText(f"trim {number + 1}: {counted(len(trim.points), 'point')}")


def _order(name: str) -> tuple[str, int, str]:
    """Faces that are numbered come in the order of their numbers."""
    head, _, tail = name.rpartition(" ")
    return (head, int(tail), "") if tail.isdigit() else (name, 0, "")
