"""Surfaces read from files, and meshed anew, apart from the window."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QVBoxLayout

from tartan.core.errors import TartanError
from tartan.desktop.background import Background
from tartan.desktop.part.form import PartForm
from tartan.desktop.session import Session
from tartan.desktop.widgets.controls import button, choice, column, label, row
from tartan.exchange.meshfiles import LENGTHS, SUFFIXES
from tartan.exchange.surfaces import ReadRequest, read_surface, remesh_surface
from tartan.project.document.partmodel import Part, ReadSurface
from tartan.project.edits import part_edits

FILES = " ".join(f"*{s}" for s in (".step", ".stp", *SUFFIXES))


class SurfaceFile(PartForm):
    """Reads a surface; its unit, what is going on, and a way to stop it."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.unit = choice([*LENGTHS], lambda _: None)
        self.unit.setCurrentText("mm")
        self.unit.setToolTip("Unit of a mesh file; a STEP file says its own")
        self.busy = label("", "soft", wrap=True)
        self.cancel = button("cancel", self._cancel)
        self.background = Background(self)
        self.background.done.connect(self._take)
        self.background.failed.connect(self._fail)
        self._remesh: Part | None = None
        self._words = ""
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        read = button("read …", self.ask_file, "STEP, or a mesh: " + FILES)
        box.addWidget(
            column(
                row(label("from a file", "soft"), self.unit, None, read),
                row(self.busy, self.cancel),
            )
        )
        self.cancel.hide()

    def ask_file(self) -> None:
        """Choose a file and read it."""
        name, _ = QFileDialog.getOpenFileName(
            self, "Read a surface", "", f"Surfaces ({FILES});;All files (*)"
        )
        if name:
            self.read(Path(name))

    def read(self, path: Path) -> None:
        """Read a surface from a file, apart from the window."""
        self._remesh = None
        request = ReadRequest(path, self.unit.currentText(), None)
        self._start(f"reading {path.name} …", lambda: read_surface(request))

    def mesh_again(self, part: Part) -> TartanError | None:
        """Mesh a read surface with the size and refinements of a part."""
        surface = part.surface
        if not isinstance(surface, ReadSurface):
            return self.change_surface("mesh", mesh_size=part.mesh_size, finer=part.finer)
        if not surface.geometry:
            error = TartanError(
                "A mesh that was read keeps its elements.",
                "Mesh size",
                "Read the surface as STEP to mesh it anew.",
            )
            self.told.emit(str(error))
            return error
        self._remesh, self._words = part, "mesh size"
        self._start("meshing …", lambda: remesh_surface(surface, part.mesh_size, part.finer))
        return None

    def mesh_as(self, surface: ReadSurface, words: str) -> None:
        """Mesh a read surface of other faces or trims; `words` name the step."""
        part = self.part
        if part is None:
            return
        self._remesh, self._words = part, words
        call = partial(remesh_surface, surface, part.mesh_size, part.finer)
        self._start("meshing …", call)

    def _start(self, words: str, call: Callable[[], object]) -> None:
        self.busy.setText(words)
        self.cancel.show()
        self.told.emit("")
        self.background.start(call)

    def _cancel(self) -> None:
        self.background.cancel()
        self._idle()

    def _idle(self) -> None:
        self.busy.setText("")
        self.cancel.hide()

    def _take(self, found: tuple[ReadSurface, float]) -> None:
        surface, size = found
        self._idle()
        if self._remesh is not None:
            part = replace(self._remesh, surface=surface)
            self.change_surface(
                self._words, surface=surface, mesh_size=part.mesh_size, finer=part.finer
            )
        elif self.part is None:
            self.edit(f"read {surface.file}", lambda p: part_edits.begin_part(p, surface, size))
        else:
            self.change_surface(f"read {surface.file}", surface=surface, mesh_size=size, finer=())

    def _fail(self, error: TartanError) -> None:
        self._idle()
        self.told.emit(str(error))
