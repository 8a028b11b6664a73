"""A window on a project file: new, open, save, and asking before anything is lost."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QMainWindow, QMessageBox

from tartan.core.errors import TartanError
from tartan.desktop.autosave import Autosave
from tartan.desktop.clashbar import ClashBar
from tartan.desktop.session import Session
from tartan.pages.stations import STATIONS
from tartan.project.document.model import Project
from tartan.project.document.samples import SAMPLES
from tartan.project.edits import versions
from tartan.project.files import storage
from tartan.project.files.filelock import Lock, stamp
from tartan.project.files.recovery import Left


class FileWindow(QMainWindow):
    """Whatever a window does with files."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.autosave = Autosave(session)
        self.origin = "sample"
        """What a project is that came from no file."""
        self._unwritable: Path | None = None
        self._lock = Lock()
        self._stamp = ""
        self.clash = ClashBar()
        self.clash.chosen.connect(self._settle)
        if session.path is not None:
            self._took(session.path)

    def _took(self, path: Path | None) -> None:
        """The document lives in another file now, or in none."""
        self.clash.hide()
        self._stamp = stamp(path) if path is not None else ""
        self._lock.release()
        other = self._lock.take(path) if path is not None else None
        if other is not None:
            self.clash.tell_open(other)

    def file_changed(self) -> None:
        """Show which file it is, and whether it is saved."""

    def new_project(self) -> None:
        """Begin an empty project, asking first about unsaved changes."""
        if self.may_leave():
            self.session.open(Project("new project"), None)
            self._took(None)
            self.origin = "new"
            self.file_changed()
            self.session.select(station=STATIONS[0])

    def open_sample(self, name: str) -> None:
        """Open a sample, asking first about unsaved changes."""
        if self.may_leave():
            self.session.open(SAMPLES[name](), None)
            self._took(None)
            self.origin = "sample"
            self.file_changed()

    def open_path(self, path: Path) -> None:
        """Open a project file; on any fault the open project stays as it was."""
        try:
            project = storage.load(path)
        except TartanError as error:
            self.complain("Not opened", error)
            return
        self.session.open(project, path)
        self._took(path)

    def bring_back(self, left: Left) -> bool:
        """Open what a process left behind, as unsaved changes of its file."""
        if not self.may_leave():
            return False
        self.session.open(left.project, left.path, saved=False)
        self._took(left.path)
        self.autosave.finish()
        if self.autosave.error is None:
            # It is in this window's own recovery file now.
            left.file.unlink(missing_ok=True)
        return True

    def ask_open(self) -> None:
        """Ask for a project file and open it."""
        if not self.may_leave():
            return
        path, _ = QFileDialog.getOpenFileName(
            self, "Open project", "", f"Projects (*{storage.SUFFIX})"
        )
        if path:
            self.open_path(Path(path))

    def save(self) -> bool:
        """Save where the project came from; ask where there is none that can be written."""
        if self.session.path is None or self._unwritable == self.session.path:
            return self.ask_save_as()
        return self._save_to(self.session.path)

    def _save_to(self, path: Path, *, over: bool = False) -> bool:
        """Save, and only when that went well let the project live there."""
        if not over and path == self.session.path and self._changed_by_others():
            self.clash.ask(path)
            return False
        try:
            storage.save(self.session.project, path)
        except TartanError as error:
            self._unwritable = path
            self.complain("Not saved", error)
            return False
        self._unwritable = None
        if path != self.session.path:
            self.session.path = path
            self._took(path)
        self._stamp = stamp(path)
        self.clash.settled()
        self.session.history.mark_saved()
        self.autosave.forget()
        self.file_changed()
        return True

    def ask_save_as(self) -> bool:
        """Ask for a file and save there."""
        path, _ = QFileDialog.getSaveFileName(
            self, "Save project", str(self._proposed()), f"Projects (*{storage.SUFFIX})"
        )
        if not path:
            return False
        whole = path if path.endswith(storage.SUFFIX) else path + storage.SUFFIX
        return self._save_to(Path(whole))

    def _changed_by_others(self) -> bool:
        """Whether the file is another than was opened or saved here."""
        path = self.session.path
        now = stamp(path) if path is not None else ""
        return bool(now and self._stamp) and now != self._stamp

    def _settle(self, way: str) -> None:
        """Do what was chosen about a file that others have changed."""
        path = self.session.path
        if path is None:
            return
        if way == "keep both":
            self._save_to(beside(path))
        elif way == "save over it":
            self._save_to(path, over=True)
        else:
            try:
                theirs = storage.load(path)
            except TartanError as error:
                self.complain("Not read", error)
                return
            # Either is one edit, which undo takes back: nothing of this window's is lost.
            if way == "take theirs":
                self.session.edit("take the file's", lambda _: theirs)
                self.session.history.mark_saved()
                self._stamp = stamp(path)
            else:
                self.session.edit(
                    "compare with the file's",
                    lambda p: versions.compare_with(
                        versions.add_version(p, theirs, "in the file"), "in the file"
                    ),
                )
                self.session.select(station="Versions")
            self.clash.settled()
            self.file_changed()

    def _proposed(self) -> Path:
        """Where a project that has no file yet might go: named as it is, beside the last one."""
        name = (
            "".join(
                "-" if c in '/\\:*?"<>|' or not c.isprintable() else c
                for c in self.session.project.name
            ).strip(" .")
            or "project"
        )
        file = name[:80] + storage.SUFFIX
        return self.session.path.with_name(file) if self.session.path else Path(file)

    def leave_file(self) -> None:
        """Say no longer that this window has the file open."""
        self._lock.release()

    def may_leave(self) -> bool:
        """Ask whether unsaved changes may go; true when there are none."""
        if not self.session.history.modified:
            return True
        kind = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self,
            "Unsaved changes",
            "Save the changes first?",
            kind.Save | kind.Discard | kind.Cancel,
        )
        return answer == kind.Discard or (answer == kind.Save and self.save())

    def complain(self, title: str, error: TartanError) -> None:
        """Show an error that has no place of its own in the window."""
        QMessageBox.warning(self, title, f"{error.where}\n\n{error.what}\n\n{error.mend}".strip())


def beside(path: Path) -> Path:
    """A free name beside a project file."""
    name, number = path.name.removesuffix(storage.SUFFIX), 2
    while (found := path.with_name(f"{name} {number}{storage.SUFFIX}")).exists():
        number += 1
    return found
