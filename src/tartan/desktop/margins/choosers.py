"""What the map shows, and over which plies, cases, criteria and levels it is taken."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QWidget

from tartan.core.criteria import criterion
from tartan.core.laminate.response import LEVELS
from tartan.desktop.margins.judging import Judging
from tartan.desktop.widgets.controls import button, choice, column, label, row, set_options
from tartan.desktop.widgets.flow import wrapped
from tartan.desktop.widgets.manychoice import ManyChoice
from tartan.exchange.maps.fields import BY_TITLE, FIELDS, View, reads_growth
from tartan.exchange.maps.mapped import shapes_of
from tartan.pages.margins import Picked
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.findings.chosen_margins import EVERYTHING, Ask, asks_by_case, judged
from tartan.project.findings.verdict import ply_words

TITLES = tuple(f.title for f in FIELDS)


class Choosers(QWidget):
    """Two lines: the field, and what it is taken over."""

    changed = pyqtSignal()
    ply_chosen = pyqtSignal(int)
    case_chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._shapes: list[str] = []
        self._keys: tuple[str, ...] = ()
        self._cases: tuple[str, ...] = ()
        self._plies = 0
        self.ask = EVERYTHING
        """What envelopes are taken over: what is wanted, as soon as that is judged."""
        self.judging = Judging(self)
        self.judging.ready.connect(self.changed)
        self._before = FIELDS[0]
        self.shown = choice(TITLES, lambda _: self._tell())
        self.shown.setMaxVisibleItems(44)
        self.plies = ManyChoice("ply", "plies", "Plies that the worst is taken over")
        self.cases = ManyChoice("case", "cases", "Cases that the worst is taken over")
        self.criteria = ManyChoice("criterion", "criteria", "Criteria that judge")
        self.levels = ManyChoice("level", "levels", "Bottom, middle and top of the plies")
        self.levels.put(LEVELS)
        self.ply = choice([], lambda _: self.ply_chosen.emit(self.ply.currentIndex()))
        self.case = choice([], self.case_chosen.emit)
        self.level = choice(LEVELS, lambda _: self._tell())
        self.level.setCurrentText("top")
        self._build()

    def _build(self) -> None:
        for chooser, name in (
            (self.shown, "show"),
            (self.case, "case"),
            (self.ply, "ply"),
            (self.level, "level"),
        ):
            chooser.setAccessibleName(name)
        self.case.setMinimumWidth(126)
        self.ply.setMinimumWidth(104)
        for many in (self.plies, self.cases, self.criteria, self.levels):
            many.changed.connect(self._tell)
        self._over = wrapped(
            label("worst over", "soft"),
            self.plies,
            self.cases,
            label("by", "soft"),
            self.criteria,
            label("at", "soft"),
            self.levels,
            None,
            spacing=5,
        )
        back = button("◂", lambda: self.step(-1), "The ply laid before   Page Down")
        ahead = button("▸", lambda: self.step(1), "The ply laid next   Page Up")
        self._of_ply = row(
            label("of", "soft"),
            back,
            self.ply,
            ahead,
            label("at the", "soft"),
            self.level,
            spacing=4,
        )
        self._in_case = row(label("in", "soft"), self.case, spacing=4)
        self._first = wrapped(label("show", "soft"), self.shown, None, spacing=6)
        whole = column(
            self._first,
            wrapped(self._over, self._of_ply, self._in_case, None, spacing=6),
            spacing=4,
        )
        box = whole.layout()
        assert box is not None
        self.setLayout(box)
        for keys, by in ((Qt.Key.Key_PageDown, -1), (Qt.Key.Key_PageUp, 1)):
            shortcut = QShortcut(QKeySequence(keys), self)
            shortcut.setContext(Qt.ShortcutContext.WindowShortcut)
            shortcut.activated.connect(partial(self.step, by))

    def beside(self, *widgets: QWidget) -> None:
        """Stand switches at the end of the first line."""
        box = self._first.layout()
        assert box is not None
        for each in widgets:
            box.addWidget(each)

    def _tell(self) -> None:
        self._show_lines()
        self.changed.emit()

    def step(self, by: int) -> None:
        """Show the ply laid next, or before."""
        if self._plies and self._of_ply.isVisible():
            self.ply_chosen.emit((self.ply.currentIndex() + by) % self._plies)

    def show_field(self, title: str) -> None:
        """Choose a field by its title."""
        self.shown.setCurrentText(title)
        self._tell()

    @property
    def shape(self) -> int | None:
        """Number of the mode or buckling shape that is shown; None for a field."""
        number = self.shown.currentIndex() - len(TITLES)
        return number if 0 <= number < len(self._shapes) else None

    @property
    def wanted(self) -> Ask:
        """What is chosen for envelopes to be taken over."""
        return Ask(
            tuple(self._cases[i] for i in self.cases.chosen),
            self.plies.chosen,
            self.levels.chosen,
            tuple(self._keys[i] for i in self.criteria.chosen),
        )

    def settle(self, answer: PartAnswer, *, by_case: bool) -> None:
        """Take what is wanted as soon as it is judged; until then what was shown stays.

        With `by_case` every case is to be judged alone as well.
        """
        self.judging.warm(answer)
        wanted = self.wanted
        asks = (wanted, *(asks_by_case(answer, wanted) if by_case else ()))
        if self.judging.has(answer, asks) or judged(answer, wanted):
            self.ask = wanted
        elif not judged(answer, self.ask):
            self.ask = EVERYTHING

    def view(self, answer: PartAnswer, at: Picked) -> View:
        """What is looked at."""
        field = BY_TITLE.get(self.shown.currentText(), FIELDS[0])
        if reads_growth(field.key) and not self.judging.has_growth():
            # Until then what was shown stays, as while margins are judged.
            field = self._before
        self._before = field
        case = answer.inputs.case_names[at.case]
        return View(field.key, self.ask, case, at.ply, max(0, self.level.currentIndex()))

    def put(self, answer: PartAnswer, at: Picked) -> None:
        """Offer what an answer has, and show what is picked."""
        shapes = [n for n, _ in shapes_of(answer)]
        kept = self.shown.currentText()
        names = [*TITLES, *shapes]
        self._shapes = shapes
        set_options(self.shown, names, kept if kept in names else names[0])
        self._cases = answer.inputs.case_names
        plies = [ply_words(answer, i) for i in range(len(answer.layout().laid))]
        self._plies = len(plies)
        self._keys = tuple(dict.fromkeys(answer.margins.checks))
        self.plies.put(plies)
        self.cases.put(self._cases)
        self.criteria.put([criterion(k).title for k in self._keys])
        set_options(self.ply, plies, plies[at.ply])
        set_options(self.case, list(self._cases), self._cases[at.case])
        self._show_lines()

    def _show_lines(self) -> None:
        field = BY_TITLE.get(self.shown.currentText())
        sort = "shape" if field is None else field.sort
        self._over.setVisible(sort in ("envelope", "category"))
        self._of_ply.setVisible(sort == "ply")
        self._in_case.setVisible(sort in ("ply", "section", "motion"))
