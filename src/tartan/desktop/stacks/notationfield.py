"""The sequence as a line of notation: judged while it is typed, with names completed."""

from __future__ import annotations

import re
from collections.abc import Callable

from PyQt6.QtCore import QStringListModel, Qt
from PyQt6.QtWidgets import QCompleter

from tartan.core.errors import NotationError, TartanError
from tartan.core.stack.notation import Context, braced, parse, spelled
from tartan.desktop import theme
from tartan.desktop.widgets.controls import Field

_BEGUN = re.compile(
    r"""(?:^|[/,(\[])\s*[±∓+−-]*\s*[\d.]+°?(?:_\d+)?\s*("?[^\W\d_"][^/,()\[\]"]*)$"""
)
"""A material's name that is being typed after an angle."""

_BRACE = re.compile(r"(\{[^}]*)$")


class NotationField(Field):
    """A line of notation.

    Parameters
    ----------
    commit : callable
        Takes the text; returns the error of a refused edit.
    context : callable
        Gives the names that are known now.
    """

    def __init__(
        self, commit: Callable[[str], TartanError | None], context: Callable[[], Context]
    ) -> None:
        super().__init__(commit)
        self._context = context
        self._names = QStringListModel()
        self._span = (0, 0)
        self.names = QCompleter(self._names, self)
        self.names.setWidget(self)
        theme.dress_names(self.names)
        self.names.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self.names.activated.connect(self._complete)
        self.textEdited.connect(self._watch)

    def _watch(self, text: str) -> None:
        """Say what is wrong and where, while it is typed; offer the names that may follow."""
        context = self._context()
        fault = ""
        try:
            parse(text, context)
        except NotationError as error:
            # Until a name or bracket is finished the end of the text is no fault.
            if error.position < len(text.rstrip()) - len(self._begun(text)):
                fault = str(error)
        except TartanError as error:
            fault = str(error)
        self.mark(fault)
        self._offer(text[: self.cursorPosition()], context)

    def _begun(self, text: str) -> str:
        found = _BRACE.search(text) or _BEGUN.search(text)
        return found.group(1) if found else ""

    def _offer(self, text: str, context: Context) -> None:
        begun = self._begun(text)
        popup = self.names.popup()
        if not begun:
            if popup is not None:
                popup.hide()
            return
        known = map(braced, context.stacks) if begun[0] == "{" else map(spelled, context.thickness)
        offered: list[str] = [n for n in known if n.casefold() != begun.casefold()]
        offered.sort(key=str.casefold)
        self._names.setStringList(offered)
        self._span = (len(text) - len(begun), len(text))
        self.names.setCompletionPrefix(begun)
        if self.names.completionCount():
            self.names.complete()
        elif popup is not None:
            popup.hide()

    def _complete(self, name: str) -> None:
        # Keys in the list may have moved the cursor meanwhile.
        first, end = self._span
        whole = self.text()[:first] + name
        self.setText(whole + self.text()[end:])
        self.setModified(True)
        self.setCursorPosition(len(whole))
        self._watch(self.text())
