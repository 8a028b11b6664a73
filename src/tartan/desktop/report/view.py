"""The Report station: what goes into it, its pages, and whatever else can be taken elsewhere."""

from __future__ import annotations

import datetime
import shutil
import tempfile
import time
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtPdfWidgets import QPdfView
from PyQt6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QHBoxLayout,
    QProgressBar,
    QVBoxLayout,
    QWidget,
)

from tartan.core.errors import TartanError
from tartan.desktop.background import Background
from tartan.desktop.report.maker import ReportMaker
from tartan.desktop.session import Session
from tartan.desktop.station import StationView
from tartan.desktop.widgets.controls import Field, button, choice, column, label, row, rule, switch
from tartan.desktop.widgets.split import Pane, Split
from tartan.exchange.exports import PLIES, TABLES, export
from tartan.exchange.maps.fields import BY_TITLE, FIELDS, View
from tartan.exchange.report.parts import CHAPTERS
from tartan.exchange.report.request import ReportRequest, Standing
from tartan.project.analysis.jobs import PartAnswer, Progress
from tartan.project.disk.wholefile import replacing
from tartan.project.document.model import Project
from tartan.project.files.storage import not_written

TITLE = "Strength and stiffness report"


class ReportView(StationView):
    """Makes the report in the background and shows its pages."""

    unseen = frozenset(())

    made = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.maker = ReportMaker(self)
        self.scene = None
        self._folder: Path | None = None
        self.of: Project | None = None
        self.when = ""
        self._being: Project | None = None
        self._begun = 0.0
        self.title = Field(self._put_title)
        self.title.put(TITLE)
        self.chapters = {name: QCheckBox(f"{name}: {what}") for name, what in CHAPTERS.items()}
        self.progress = QProgressBar()
        self.note = label("", "soft", wrap=True)
        self.told = label("", "fault", wrap=True)
        self.make_button = button("make the report", self.make, "In the background")
        self.cancel_button = button("cancel", self.cancel, "Give it up")
        self.save_html = button("save as HTML …", lambda: self.ask_save("html"), "One file")
        self.save_pdf = button("save as PDF …", lambda: self.ask_save("pdf"), "A4 pages")
        self.table = choice([*TABLES, PLIES], lambda _: None)
        self.field = choice([f.title for f in FIELDS], lambda _: None)
        self.document = QPdfDocument(self)
        self.pages = QPdfView(self)
        self._build()
        self.maker.stepped.connect(self._step)
        self.maker.done.connect(self._done)
        self._history = session.history
        session.project_changed.connect(lambda *_: self._forget_another())
        self.maker.failed.connect(self._failed)

    def _build(self) -> None:
        self.title.setAccessibleName("Title of the report")
        self.table.setAccessibleName("Table to save")
        self.saving = Background(self, "Export", "Save it under another name.")
        self.saving.done.connect(lambda name: self._tell(None, f"saved as {name}"))
        self.saving.failed.connect(self._tell)
        self.with_plies = switch("with plies", "Stresses and strains of every ply, level and case")
        self.field.setAccessibleName("Map to save")
        self.field.setMaxVisibleItems(44)
        self.progress.setRange(0, 100)
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(5)
        for name, box in self.chapters.items():
            box.setChecked(True)
            box.setAccessibleName(f"chapter {name}")
            box.toggled.connect(lambda _: self.refresh())
        left = column(
            label("What goes into it", "head"),
            row(label("title", "soft"), self.title),
            *self.chapters.values(),
            4,
            row(self.make_button, self.cancel_button, None),
            self.progress,
            self.note,
            self.told,
            row(self.save_html, self.save_pdf, None),
            rule(),
            label("Taken elsewhere", "head"),
            row(
                label("table", "soft"),
                self.table,
                None,
                button("save …", self.ask_table, "CSV or XLSX"),
            ),
            row(
                label("map", "soft"),
                self.field,
                None,
                button("save …", self.ask_map, "SVG or PNG, drawn for paper"),
            ),
            row(
                label("all fields, for general viewers", "soft"),
                None,
                self.with_plies,
                button("save …", self.ask_fields, "VTU"),
            ),
            None,
            spacing=5,
        )
        self.pages.setDocument(self.document)
        self.pages.setPageMode(QPdfView.PageMode.MultiPage)
        self.pages.setZoomMode(QPdfView.ZoomMode.FitToWidth)
        self.pages.setAccessibleName("Pages of the report")
        self.pages.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.empty = label("The pages stand here once the report is made.", "soft", wrap=True)
        right = QWidget()
        inside = QVBoxLayout(right)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.addWidget(self.empty)
        inside.addWidget(self.pages, 1)
        across = QHBoxLayout(self)
        across.setContentsMargins(16, 10, 12, 8)
        across.addWidget(Split("report", Pane(left, 404, 404), Pane(right, share=1), gap=16))

    def showEvent(self, event: QShowEvent | None) -> None:
        """Have what writes a report loaded while its chapters are chosen."""
        super().showEvent(event)
        self.maker.make_ready()

    # Making

    def _put_title(self, text: str) -> TartanError | None:
        self.title.put(text.strip() or TITLE)
        return None

    @property
    def wanted(self) -> tuple[str, ...]:
        """Chapters that are ticked."""
        return tuple(n for n, box in self.chapters.items() if box.isChecked())

    @property
    def folder(self) -> Path:
        """Where a report lies until it is saved; made when first needed."""
        if self._folder is None:
            self._folder = Path(tempfile.mkdtemp(prefix="tartan-report-"))
        return self._folder

    @property
    def files(self) -> tuple[Path, Path]:
        """The HTML and the PDF as they were made last."""
        return self.folder / "report.html", self.folder / "report.pdf"

    @property
    def fresh(self) -> bool:
        """Whether the report is of the project as it stands."""
        return self.of is not None and self.of == self.session.project

    def make(self) -> None:
        """Make HTML and PDF of the project as it stands."""
        self.told.setText("")
        self._being, self._begun = self.session.project, time.monotonic()
        title = self.title.text().strip() or TITLE
        # Written beside the last ones, which stay until the new are whole.
        paths = tuple(p.with_name(f"new-{p.name}") for p in self.files)
        there = (self.session.answer, self.session.before)
        standing = tuple(Standing.of(answer) for answer in there if answer is not None)
        self.maker.start(ReportRequest(self._being, paths, self.wanted, title, standing))
        self.refresh()

    def cancel(self) -> None:
        """Give up what is being made; the last report stays."""
        self.maker.stop()
        self.refresh()

    def _forget_another(self) -> None:
        """Let go of the report of a document that is no longer open."""
        if self._history is not self.session.history:
            self._history = self.session.history
            self.maker.stop()
            self.of = self._being = None
            self.document.close()

    def _step(self, progress: Progress) -> None:
        self.progress.setValue(round(100 * progress.share))
        self.note.setText(progress.timed(time.monotonic() - self._begun).words)

    def _done(self) -> None:
        self.of, self._being = self._being, None
        self.document.close()
        for path in self.files:
            path.with_name(f"new-{path.name}").replace(path)
        self.when = f"{datetime.datetime.now():%H:%M}"
        self.document.load(str(self.files[1]))
        self.refresh()
        self.made.emit()

    def _failed(self, error: TartanError) -> None:
        self.told.setText(str(error))
        self.refresh()

    # Taking elsewhere

    def ask_save(self, sort: str) -> None:
        """Ask for a file and save the report there."""
        name = f"{self.session.project.name} {self.session.project.version}.{sort}"
        path = self._ask("Save report", name.replace("/", "-"), f"Report (*.{sort})")
        if path is not None:
            self.save(sort, path)

    def save(self, sort: str, path: Path) -> None:
        """Save the report as it was made last."""
        source = self.files[0 if sort == "html" else 1]
        try:
            with replacing(path) as beside:
                shutil.copyfile(source, beside)
        except OSError as error:
            self._tell(not_written(error, path))
        else:
            self._tell(None, f"saved as {path.name}")

    def ask_table(self) -> None:
        """Ask for a file and save the chosen table."""
        name = self.table.currentText()
        self._export(name, self._ask("Save table", f"{name}.xlsx", "XLSX (*.xlsx);;CSV (*.csv)"))

    def ask_map(self) -> None:
        """Ask for a file and save the chosen map."""
        name = f"{self.field.currentText()}.svg"
        self._export("map", self._ask("Save map", name, "SVG (*.svg);;PNG (*.png)"))

    def ask_fields(self) -> None:
        """Ask for a file and save all fields."""
        what = "ply-fields" if self.with_plies.isChecked() else "fields"
        self._export(what, self._ask("Save fields", "fields.vtu", "VTU (*.vtu)"))

    def _ask(self, title: str, name: str, kinds: str) -> Path | None:
        path, kind = QFileDialog.getSaveFileName(self, title, name, kinds)
        if not path:
            return None
        ending = kind.partition("(*")[2].partition(")")[0]
        return Path(path if Path(path).suffix else path + ending)

    def _export(self, what: str, path: Path | None) -> None:
        session = self.session
        if path is None:
            return
        if session.answer is None or not session.fresh:
            self._tell(
                TartanError(
                    "There is no answer of the project as it stands.",
                    "Export",
                    "Wait until it is solved.",
                )
            )
            return
        selection = session.selection
        view = View(
            BY_TITLE[self.field.currentText()].key,
            case=selection.case,
            ply=selection.spot_ply or 0,
        )
        project, answer = session.project, session.answer
        self.told.setText("")
        self.note.setText(f"saving {path.name} …")
        self.saving.start(lambda: self._written(what, project, answer, path, view))

    @staticmethod
    def _written(what: str, project: Project, answer: PartAnswer, path: Path, view: View) -> str:
        """Write on a thread; tables of a million rows take their time. Says what was written."""
        export(what, project, answer, path, view)
        return path.name

    def _tell(self, error: TartanError | None, words: str = "") -> None:
        self.told.setText("" if error is None else str(error))
        if words:
            self.note.setText(words)

    # Showing

    @property
    def line(self) -> str:
        """What the route says of it."""
        if self.maker.busy:
            return "being made"
        if self.of is None:
            return ""
        return f"made {self.when}" if self.fresh else f"made {self.when},\nchanged since"

    def refresh(self) -> None:
        """Show what is made and what can be."""
        busy, there = self.maker.busy, self.of is not None
        self.make_button.setEnabled(not busy and bool(self.wanted))
        self.cancel_button.setVisible(busy)
        self.progress.setVisible(busy)
        self.empty.setVisible(not there)
        self.pages.setVisible(there)
        self.save_html.setEnabled(there)
        self.save_pdf.setEnabled(there)
        self.told.setVisible(bool(self.told.text()))
        if not busy:
            count = self.document.pageCount() if there else 0
            state = "" if self.fresh else "; the project has changed since"
            self.note.setText(
                f"{count} pages, made {self.when}{state}"
                if there
                else f"{len(self.wanted)} of {len(CHAPTERS)} chapters"
            )

    def close_view(self) -> None:
        """End what is under way and remove what was not saved."""
        self.maker.close()
        self.saving.stop()
        self.document.close()
        if self._folder is not None:
            shutil.rmtree(self._folder, ignore_errors=True)
