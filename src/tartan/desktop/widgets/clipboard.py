"""The clipboard's text."""

from __future__ import annotations

from PyQt6.QtWidgets import QApplication


def clipboard_text() -> str:
    """Text on the clipboard; empty where there is none."""
    clipboard = QApplication.clipboard()
    return "" if clipboard is None else clipboard.text()
