"""Tables: columns as wide as what is in them, found without measuring all of it."""

import pytest

from tartan.desktop.widgets.datatable import MEASURED, DataTable
from tartan.exchange.tables import Table


def qt_width(shown: DataTable, column: int) -> int:
    """Width by Qt's own measure of every cell of the first rows."""
    across = shown.view.horizontalHeader()
    assert across is not None
    across.setResizeContentsPrecision(MEASURED)
    return max(shown.view.sizeHintForColumn(column), across.sectionSizeHint(column))


@pytest.mark.parametrize("ordered", [False, True])
def test_columns_are_as_wide_as_what_is_in_them(qtbot, ordered: bool) -> None:  # type: ignore[no-untyped-def]
    shown = DataTable("figures")
    qtbot.addWidget(shown)
    rows = tuple(
        (f"ply {i}", 1.5e-3 * i, "W" * (30 if i == 41 else i % 7), "", None, "i" * 25)
        for i in range(MEASURED)
    )
    head = ("ply", "strain", "words", "a head that is wider", "none", "narrow letters")
    if ordered:
        shown.put(Table("figures", head, ()))
        shown.view.sortByColumn(2, shown.view.horizontalHeader().sortIndicatorOrder())
        shown.put(Table("figures", (*head[:5], "other"), rows))
    else:
        shown.put(Table("figures", head, rows))
    for j in range(len(head)):
        assert shown.view.columnWidth(j) == qt_width(shown, j)


def test_fewer_long_words_of_wide_letters_still_fit(qtbot) -> None:  # type: ignore[no-untyped-def]
    """Most characters are not most pixels: the widest of the longest is what counts."""
    shown = DataTable("words")
    qtbot.addWidget(shown)
    rows = (("i" * 20,), ("W" * 18,), ("W" * 3,), ("",))
    shown.put(Table("words", ("w",), rows))
    assert shown.view.columnWidth(0) == qt_width(shown, 0)


def test_given_widths_and_the_rest_are_kept(qtbot) -> None:  # type: ignore[no-untyped-def]
    shown = DataTable("given")
    qtbot.addWidget(shown)
    shown.resize(500, 200)
    shown.show()
    qtbot.waitExposed(shown)
    shown.put(Table("given", ("a", "b", "c"), (("1", "2", "3"),)), widths=(77, 0))
    assert shown.view.columnWidth(0) == 77
    assert shown.view.columnWidth(1) > 200
    assert shown.view.columnWidth(2) == qt_width(shown, 2)
