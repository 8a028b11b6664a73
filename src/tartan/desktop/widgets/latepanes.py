"""Panes behind tabs, each made when it is first shown or asked for.

A page of ten panes takes two thirds of a second to make whole, and a visit needs one of them.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Generic, Protocol, TypeVar, cast

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QStackedWidget, QVBoxLayout, QWidget

W = TypeVar("W", bound=QWidget)


class LatePanes(QStackedWidget):
    """Panes by name, one in sight.

    Parameters
    ----------
    makers : mapping of str to callable
        Name of each pane, in the order of their tabs, and what makes it.
    frame : callable
        What a pane is put into, such as a scrolled area; by default nothing.
    """

    made = pyqtSignal(str)
    """A pane was made that is not filled yet."""

    def __init__(
        self,
        makers: Mapping[str, Callable[[], QWidget]],
        frame: Callable[[str, QWidget], QWidget] = lambda _, pane: pane,
    ) -> None:
        super().__init__()
        self._makers, self._frame = dict(makers), frame
        self._panes: dict[str, QWidget] = {}
        self._places = {name: QWidget() for name in makers}
        for place in self._places.values():
            box = QVBoxLayout(place)
            box.setContentsMargins(0, 0, 0, 0)
            self.addWidget(place)

    @property
    def names(self) -> tuple[str, ...]:
        """Names of all panes, in the order of their tabs."""
        return tuple(self._makers)

    @property
    def name(self) -> str:
        """Name of the pane in sight; empty for what was put beside the panes."""
        here = self.currentWidget()
        return next((name for name, place in self._places.items() if place is here), "")

    def pane(self, name: str) -> QWidget:
        """A pane, made now if it does not stand."""
        if name not in self._panes:
            pane = self._panes[name] = self._makers[name]()
            box = self._places[name].layout()
            assert box is not None
            box.addWidget(self._frame(name, pane))
            self.made.emit(name)
        return self._panes[name]

    def show_pane(self, name: str) -> QWidget:
        """Bring a pane in sight."""
        pane = self.pane(name)
        self.setCurrentWidget(self._places[name])
        return pane

    def standing(self) -> Iterator[QWidget]:
        """Panes that were made."""
        yield from self._panes.values()

    def stands(self, name: str) -> bool:
        """Whether a pane was made."""
        return name in self._panes

    def holding(self, widget: QWidget) -> str:
        """Name of the pane that holds a widget; empty where none does."""
        return next((n for n, place in self._places.items() if place.isAncestorOf(widget)), "")

    def make_one(self) -> bool:
        """Make a pane that nobody asked for yet; false where all stand."""
        name = next((n for n in self._makers if n not in self._panes), None)
        return name is not None and self.pane(name) is not None


class _HasPanes(Protocol):
    @property
    def panes(self) -> LatePanes: ...


class Late(Generic[W]):
    """A pane as an attribute of its page, made when it is first asked for."""

    def __init__(self, name: str) -> None:
        self._name = name

    def __get__(self, page: _HasPanes, owner: type) -> W:
        return cast("W", page.panes.pane(self._name))


__all__ = ["Late", "LatePanes"]
