"""The range of a map's colours, opened by a click on the legend."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QVBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.desktop.widgets.controls import QuantityField, button, label, row, switch
from tartan.exchange.maps.fields import BY_KEY
from tartan.exchange.maps.limits import Limits


class RangeForm(QFrame):
    """Ends of the colours, linear or logarithmic, for one field."""

    changed = pyqtSignal(object)

    def __init__(self, parent: QWidget, field: str, limits: Limits) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setProperty("role", "panel")
        self.setAccessibleName("Range of the map")
        self.limits, shown = limits, BY_KEY[field]
        judged = shown.sort == "envelope"
        self.fault = label("", "fault", wrap=True)
        self.fault.hide()
        self.low, self.high = (
            QuantityField(shown.quantity, self._committing(name), optional=True)
            for name in ("low", "high")
        )
        for made, words in ((self.low, "lower end"), (self.high, "upper end")):
            made.setAccessibleName(words)
            made.setPlaceholderText("as usual" if judged else "of the data")
            made.setFixedWidth(96)
            made.refused.connect(self._tell)
        self.log = switch("logarithmic", "Equal ratios are equally far apart", on=limits.log)
        self.log.clicked.connect(lambda on: self._put(Limits(limits.low, limits.high, on)))
        unit = label(shown.quantity.unit, "soft")
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 8, 10, 8)
        box.addWidget(label(f"Colours of {shown.title}", "head"))
        begins = label("from", "soft")
        box.addWidget(row(begins, self.low, label("to", "soft"), self.high, unit, None))
        # What is judged reaches as far below the requirement as above it.
        for each in (begins, self.low, self.log):
            each.setVisible(not judged)
        box.addWidget(row(self.log, None, button("as usual", self._reset)))
        box.addWidget(self.fault)
        self._show()

    def _committing(self, name: str):  # type: ignore[no-untyped-def]
        def commit(value: float | None) -> TartanError | None:
            now = self.limits
            low = value if name == "low" else now.low
            high = value if name == "high" else now.high
            return self._put(Limits(low, high, self.log.isChecked()))

        return commit

    def _put(self, limits: Limits) -> TartanError | None:
        try:
            limits.check()
        except TartanError as error:
            self._tell(str(error))
            self.log.setChecked(self.limits.log)
            return error
        self._tell("")
        self.limits = limits
        self.changed.emit(limits)
        return None

    def _reset(self) -> None:
        self.log.setChecked(False)
        self._put(Limits())
        self._show()

    def _show(self) -> None:
        self.low.put_value(self.limits.low)
        self.high.put_value(self.limits.high)

    def _tell(self, words: str) -> None:
        self.fault.setText(words)
        self.fault.setVisible(bool(words))
        self.adjustSize()

    def open_at(self, place: QPoint) -> None:
        """Show it at a place of the screen, with the first field ready to type into."""
        self.adjustSize()
        self.move(place)
        self.show()
        self.low.setFocus()
