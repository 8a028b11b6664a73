"""Lists and forms beside the map of the Margins station, each made when it is first turned to."""

from __future__ import annotations

from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import pyqtSignal

from tartan.desktop.margins.lists import Board, ByCase, HotSpots
from tartan.desktop.session import Session
from tartan.desktop.widgets.latepanes import LatePanes
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.findings.chosen_margins import Ask, excluded

if TYPE_CHECKING:
    # Loaded with the first of the forms.
    from tartan.desktop.margins.forms import CriteriaForm, LeftOutForm

LEFT_OUT = "left out"
PAGES = ("hot spots", "by case", "requirements", "criteria", LEFT_OUT)


class SidePanes(LatePanes):
    """The panes in the order of `PAGES`; what is chosen in them is told."""

    element_chosen = pyqtSignal(int)
    place_chosen = pyqtSignal(int, str)
    line_chosen = pyqtSignal(int)
    brush_turned = pyqtSignal(bool)

    def __init__(self, session: Session) -> None:
        self.session = session
        makers = (self._hot, self._by_case, self._board, self._criteria, self._left_out)
        super().__init__(dict(zip(PAGES, makers, strict=True)))
        self.show_pane(PAGES[0])

    def _hot(self) -> HotSpots:
        made = HotSpots(self.session)
        made.element_chosen.connect(self.element_chosen)
        return made

    def _by_case(self) -> ByCase:
        made = ByCase(self.session)
        made.place_chosen.connect(self.place_chosen)
        return made

    def _board(self) -> Board:
        made = Board(self.session)
        made.line_chosen.connect(self.line_chosen)
        return made

    def _criteria(self) -> CriteriaForm:
        from tartan.desktop.margins.forms import CriteriaForm

        return CriteriaForm(self.session)

    def _left_out(self) -> LeftOutForm:
        from tartan.desktop.margins.forms import LeftOutForm

        made = LeftOutForm(self.session)
        made.brush_turned.connect(self.brush_turned)
        return made

    def turn(self, number: int) -> None:
        """Show a pane; the brush belongs to one of them and is put away with it."""
        self.show_pane(PAGES[number])
        if self.name != LEFT_OUT and self.stands(LEFT_OUT):
            cast("LeftOutForm", self.pane(LEFT_OUT)).brush.setChecked(False)

    def fill(self, answer: PartAnswer, ask: Ask, element: int, *, judging: bool) -> None:
        """Show an answer in the pane in sight.

        Parameters
        ----------
        answer : PartAnswer
            The answer.
        ask : Ask
            What margins are taken over.
        element : int
            The picked element.
        judging : bool
            Whether the margins over the choice are still being worked out.
        """
        pane = self.pane(self.name)
        if isinstance(pane, HotSpots):
            pane.put(answer, ask, element)
        elif isinstance(pane, ByCase):
            pane.put(None if judging else answer, ask)
        elif isinstance(pane, Board):
            pane.put(answer)
        elif self.name == LEFT_OUT:
            out = excluded(answer, self.session.project.left_out)
            cast("LeftOutForm", pane).refresh(out.words, out.share)
        else:
            cast("CriteriaForm", pane).refresh()


__all__ = ["PAGES", "SidePanes"]
