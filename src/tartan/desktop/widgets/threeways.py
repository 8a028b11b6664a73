"""One stress by a shell, one solid and solids ply by ply: a chart over the height, and a table."""

from __future__ import annotations

from collections.abc import Callable

from tartan.desktop.widgets.controls import choice, label
from tartan.desktop.widgets.datatable import DataTable
from tartan.desktop.widgets.plot import WAY_INKS, Plot, key_words
from tartan.pages.shown import Look
from tartan.pages.three_ways import STRESSES, Ways, section_lines, section_table
from tartan.project.analysis.solids import IDEALISED
from tartan.project.wording import units


class ThreeWays:
    """The parts of such a picture, for whoever has room for them.

    Parameters
    ----------
    name : str
        What is shown, for those who do not see it.
    again : callable
        Called when another stress is chosen.

    Attributes
    ----------
    stress, key, plot, table : QWidget
        To be placed.
    """

    def __init__(self, name: str, again: Callable[[], object]) -> None:
        self.stress = choice(list(STRESSES), lambda _: again())
        self.stress.setAccessibleName(f"Stress of the {name}")
        self.key = label("", "soft")
        self.plot = Plot(name)
        self.table = DataTable(name, filtered=False)

    def draw(self, ways: Ways, widths: tuple[int, ...]) -> None:
        """Show the chosen stress."""
        symbol = self.stress.currentText()
        heights, lines = section_lines(ways, symbol)
        self.plot.begin(
            f"{symbol}  {units.STRESS.unit}", f"height  {units.LENGTH.unit}", ways.about
        )
        for name, ink, values in zip(IDEALISED, WAY_INKS, lines, strict=True):
            self.plot.curve(values, heights, ink, words=name, dashed=name == IDEALISED[1])
        self.key.setText(key_words(IDEALISED, WAY_INKS))
        self.plot.show_all()
        table = section_table(ways, symbol)
        looks = [[None, None, None, *(figure_look(v) for v in r[3:])] for r in table.rows]
        self.table.put(table, looks, widths)


def figure_look(value: object) -> Look | None:
    """A figure of a table as it is shown."""
    return Look(units.number(value)) if isinstance(value, float) else None
