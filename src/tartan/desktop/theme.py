"""The face of the window: ground, ink and accent in light and dark, type, and the style sheet."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import as_file, files

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QGuiApplication, QPalette
from PyQt6.QtWidgets import QApplication, QCompleter, QWidget


@dataclass(frozen=True)
class Face:
    """Colours of one appearance, as #rrggbb."""

    paper: str
    panel: str
    well: str
    ink: str
    soft: str
    line: str
    accent: str
    accent_wash: str
    holds: str
    fails: str
    fails_wash: str
    stale: str
    dark: bool


LIGHT = Face(
    "#f5f3ee",
    "#fbfaf7",
    "#ffffff",
    "#1f2933",
    "#5a656f",
    "#dad5ca",
    "#7c4d8b",
    "#ece7f0",
    "#16716c",
    "#b3461a",
    "#f9e9e0",
    "#6e6450",
    dark=False,
)
DARK = Face(
    "#20211f",
    "#292a28",
    "#1a1b1a",
    "#ebe8e1",
    "#a5a9a8",
    "#45443f",
    "#c197d0",
    "#3a3040",
    "#55bdb4",
    "#ee8656",
    "#472c1f",
    "#a89e8a",
    dark=True,
)

_face = LIGHT
_scale = 1.0

SCALES = (0.8, 0.9, 1.0, 1.1, 1.25, 1.4)
"""Sizes of text that can be chosen, against the usual one."""


def face() -> Face:
    """Colours in force."""
    return _face


def colour(name: str) -> QColor:
    """One of the face's colours by its field name."""
    return QColor(getattr(_face, name))


def use(application: QApplication, *, dark: bool | None = None) -> None:
    """Put the face on: fonts, palette, style sheet; by default as the desktop is set."""
    global _face  # noqa: PLW0603 - one appearance for the whole process
    if dark is None:
        hints = QGuiApplication.styleHints()
        dark = hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark
    _face = DARK if dark else LIGHT
    application.setStyle("Fusion")
    application.setFont(font())
    application.setPalette(_palette())
    _redress(application)


def dress(window: QWidget) -> None:
    """Put the style sheet on a window, and on all that is put into it.

    Were it the application's, Qt would restyle what is in a widget whenever that is put into
    another: a page that is built from the inside out, four times over.
    """
    window.setProperty("dressed", True)
    window.setStyleSheet(_sheet())


def dress_names(completer: QCompleter) -> None:
    """Put the style sheet on the list of a field's completions, which is a window of its own."""
    popup = completer.popup()
    if popup is not None:
        dress(popup)


def _redress(application: QApplication) -> None:
    for window in application.topLevelWidgets():
        if window.property("dressed"):
            window.setStyleSheet(_sheet())


def load_fonts() -> None:
    """Make the bundled type family known to Qt."""
    for entry in (files("tartan") / "assets").iterdir():
        if entry.name.endswith((".otf", ".ttf")):
            with as_file(entry) as path:
                QFontDatabase.addApplicationFont(str(path))


def scale() -> float:
    """Size of text in force, against the usual one."""
    return _scale


def scale_text(application: QApplication, factor: float) -> None:
    """Make all text larger or smaller, of what is painted and of the widgets that are there."""
    global _scale
    if factor == _scale:
        return
    ratio, _scale = factor / _scale, factor
    font.cache_clear()
    for widget in application.allWidgets():
        if widget.testAttribute(Qt.WidgetAttribute.WA_SetFont):
            own = widget.font()
            if own.pointSizeF() > 0:
                own.setPointSizeF(own.pointSizeF() * ratio)
                widget.setFont(own)
    application.setFont(font())
    _redress(application)
    for widget in application.allWidgets():
        widget.updateGeometry()
        widget.update()


@lru_cache(maxsize=64)
def font(size: float = 9.75, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """Text font in points at the usual size, figures of equal width."""
    made = QFont("Inter")
    made.setPointSizeF(size * _scale)
    made.setWeight(weight)
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


def strong(size: float = 9.75) -> QFont:
    """Return the semibold text font."""
    return font(size, QFont.Weight.DemiBold)


def mono(size: float = 12.0) -> QFont:
    """Return the font of notation."""
    made = QFont("JetBrains Mono")
    made.setPointSizeF(size * _scale)
    made.setFeature(QFont.Tag("calt"), 0)
    return made


def _palette() -> QPalette:
    made = QPalette()
    roles = QPalette.ColorRole
    for role, name in (
        (roles.Window, "paper"),
        (roles.Base, "well"),
        (roles.Text, "ink"),
        (roles.WindowText, "ink"),
        (roles.ButtonText, "ink"),
        (roles.Button, "panel"),
        (roles.Highlight, "accent"),
        (roles.ToolTipBase, "panel"),
        (roles.ToolTipText, "ink"),
        (roles.PlaceholderText, "soft"),
        (roles.AlternateBase, "panel"),
        (roles.Link, "accent"),
    ):
        made.setColor(role, colour(name))
    made.setColor(roles.HighlightedText, QColor("#ffffff" if not _face.dark else "#1a1b1a"))
    return made


def _sheet() -> str:
    f = _face
    return f"""
    QWidget {{ color: {f.ink}; }}
    QToolTip {{ background: {f.panel}; color: {f.ink}; border: 1px solid {f.line}; padding: 4px; }}
    QLabel[role="soft"] {{ color: {f.soft}; }}
    QLabel[role="head"] {{ font-weight: 600; }}
    QLabel[role="fault"] {{ color: {f.fails}; }}
    QLabel[role="well"] {{ color: {f.holds}; }}
    QFrame[role="recovery"] {{ background: {f.accent_wash};
        border-bottom: 1px solid {f.line}; }}
    QFrame[role="rule"] {{ background: {f.line}; border: none; }}
    QWidget[role="panel"] {{ background: {f.panel}; border: 1px solid {f.line};
        border-radius: 6px; }}
    QLineEdit {{ background: {f.well}; border: 1px solid {f.line}; border-radius: 5px;
        padding: 3px 7px; selection-background-color: {f.accent}; }}
    QLineEdit:hover {{ border-color: {f.soft}; }}
    QLineEdit:focus {{ border: 1px solid {f.accent}; }}
    QLineEdit[fault="true"] {{ border: 1px solid {f.fails}; background: {f.fails_wash}; }}
    QLineEdit:disabled {{ background: {f.paper}; color: {f.soft}; }}
    QComboBox {{ background: {f.well}; border: 1px solid {f.line}; border-radius: 5px;
        padding: 3px 20px 3px 7px; }}
    QComboBox:focus {{ border-color: {f.accent}; }}
    QComboBox::drop-down {{ border: none; width: 20px; }}
    QComboBox::down-arrow {{ image: none; }}
    QComboBox QAbstractItemView {{ background: {f.panel}; border: 1px solid {f.line};
        selection-background-color: {f.accent_wash}; selection-color: {f.ink}; outline: none; }}
    QPushButton {{ background: transparent; border: none; color: {f.accent}; font-weight: 600;
        padding: 4px 6px; border-radius: 5px; text-align: left; }}
    QPushButton:hover {{ background: {f.accent_wash}; }}
    QPushButton:focus {{ background: {f.accent_wash}; }}
    QPushButton:disabled {{ color: {f.stale}; }}
    QPushButton[role="tab"] {{ border-radius: 0px; border-bottom: 2px solid transparent;
        color: {f.soft}; padding: 4px 7px; font-weight: 500; }}
    QPushButton[role="tab"]:checked {{ color: {f.ink}; border-bottom: 2px solid {f.accent}; }}
    QPlainTextEdit {{ background: {f.well}; border: 1px solid {f.line}; border-radius: 5px; }}
    QLabel[role="other"] {{ color: {f.accent}; font-size: {8 * _scale:.3g}pt; }}
    QLabel[role="figure"]:focus {{ background: {f.accent_wash}; }}
    QPushButton[role="switch"] {{ border: 1px solid {f.line}; border-radius: 12px; color: {f.soft};
        padding: 4px 12px; background: {f.panel}; font-weight: 500; }}
    QPushButton[role="switch"]:checked {{ border-color: {f.accent}; color: {f.ink};
        background: {f.accent_wash}; }}
    QPushButton[role="switch"]:focus {{ border: 2px solid {f.accent}; padding: 3px 11px; }}
    QCheckBox:focus {{ background: {f.accent_wash}; border-radius: 4px; }}
    QListView, QTableView, QTreeView {{ background: transparent; outline: none;
        border: 1px solid transparent; border-radius: 4px; }}
    QListView:focus, QTableView:focus, QTreeView:focus {{ border-color: {f.accent}; }}
    QTableView {{ font-size: {9 * _scale:.3g}pt; gridline-color: {f.line};
        selection-background-color: {f.accent_wash};
        selection-color: {f.ink}; }}
    QHeaderView, QTableCornerButton::section {{ background: transparent; border: none; }}
    QHeaderView::section {{ background: transparent; border: none; color: {f.soft};
        border-bottom: 1px solid {f.line}; padding: 2px 5px; text-align: left;
        font-size: {8.5 * _scale:.3g}pt; }}
    QScrollArea {{ background: transparent; border: none; }}
    QAbstractScrollArea::corner {{ background: transparent; border: none; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {f.line}; border-radius: 4px; min-height: 24px;
        margin: 1px; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; }}
    QScrollBar::handle:horizontal {{ background: {f.line}; border-radius: 4px; margin: 1px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QMenu {{ background: {f.panel}; border: 1px solid {f.line}; padding: 4px; }}
    QMenu::item {{ padding: 5px 22px 5px 12px; border-radius: 4px; }}
    QMenu::item:selected {{ background: {f.accent_wash}; }}
    QMenu::item:disabled {{ color: {f.stale}; }}
    QMenu::separator {{ height: 1px; background: {f.line}; margin: 4px 6px; }}
    """
