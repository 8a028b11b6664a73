"""What a thing on screen is: told where the pointer rests, and where "what is this" is asked."""

from __future__ import annotations

from PyQt6.QtCore import QEvent
from PyQt6.QtGui import QHelpEvent
from PyQt6.QtWidgets import QToolTip, QWhatsThis, QWidget

from tartan.project.wording.symbols import meaning

_ASKED = frozenset((QEvent.Type.ToolTip, QEvent.Type.WhatsThis, QEvent.Type.QueryWhatsThis))


def told_of(widget: QWidget, event: QEvent | None, *words: str) -> bool:
    """Say what a widget is where that is asked for, by the pointer at rest or by "what is this".

    Parameters
    ----------
    widget : QWidget
        Whose own tip, if it has one, comes first.
    event : QEvent or None
        Any event of it; true where it was such a question and is answered.
    *words : str
        Its name, and words whose symbols are told.
    """
    if event is None or event.type() not in _ASKED:
        return False
    name = widget.accessibleName()
    said = [widget.toolTip() or name, meaning(" ".join((name, *words)))]
    text = "\n".join(dict.fromkeys(x for x in said if x))
    if not text:
        return False
    if event.type() == QEvent.Type.QueryWhatsThis:
        event.accept()
    elif isinstance(event, QHelpEvent):
        show = QToolTip.showText if event.type() == QEvent.Type.ToolTip else QWhatsThis.showText
        show(event.globalPos(), text, widget)
    return True
