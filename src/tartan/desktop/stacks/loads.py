"""The load cases of a stack: any mix of forces, strains and mean stresses, edited in place."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.core.laminate import Laminate
from tartan.core.laminate.loadcase import COMPONENTS, LoadCase, Way
from tartan.core.laminate.tube import TubeLoad
from tartan.desktop.session import Session
from tartan.desktop.stacks.context import NOTHING, Chosen
from tartan.desktop.stacks.tubefields import TubeFields
from tartan.desktop.widgets.controls import (
    Field,
    QuantityField,
    UnitLabel,
    button,
    column,
    row,
    switch,
)
from tartan.pages.stack_answers import answer_of
from tartan.pages.tube import as_flat, as_tube
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.document.model import Project
from tartan.project.edits import design_edits
from tartan.project.findings.spot_laminate import about_middle, spot_loads
from tartan.project.wording import units
from tartan.project.wording.units import Quantity

WAYS: tuple[Way, ...] = ("force", "strain", "stress")
_SYMBOLS: dict[Way, tuple[str, ...]] = {
    "force": ("Nx", "Ny", "Nxy", "Mx", "My", "Mxy"),
    "strain": ("εx", "εy", "γxy", "κx", "κy", "κxy"),
    "stress": ("σx mean", "σy mean", "τxy mean", "σx bend", "σy bend", "τxy bend"),
}
_OTHERS: dict[str, tuple[str, Quantity]] = {
    "Qx": ("Qx", units.LINE_FORCE),
    "Qy": ("Qy", units.LINE_FORCE),
    "dT": ("ΔT", units.TEMPERATURE),
    "dT_gradient": ("ΔT / z", units.GRADIENT),
    "dC": ("moisture", units.MOISTURE),
    "press": ("p on core", units.PRESSURE),
}


def way_quantity(way: Way, component: int) -> Quantity:
    """Kind of quantity of a component prescribed in a way."""
    bend = component > 2
    if way == "force":
        return units.LINE_MOMENT if bend else units.LINE_FORCE
    if way == "strain":
        return units.CURVATURE if bend else units.STRAIN
    return units.STRESS


def with_value(loads: LoadCase, field: str, value: float) -> LoadCase:
    """Load case with one value changed; `field` is a component, or Qx, Qy, dT, dT_gradient, dC."""
    if field in COMPONENTS:
        values = list(loads.values)
        values[COMPONENTS.index(field)] = value
        return replace(loads, values=tuple(values))  # type: ignore[arg-type]
    if field in ("Qx", "Qy"):
        Q = (value, loads.Q[1]) if field == "Qx" else (loads.Q[0], value)
        return replace(loads, Q=Q)
    return replace(loads, **{field: value})  # type: ignore[arg-type]


def value_of(loads: LoadCase, field: str) -> float:
    """One value of a load case, as `with_value` names it."""
    if field in COMPONENTS:
        return loads.values[COMPONENTS.index(field)]
    if field in ("Qx", "Qy"):
        return loads.Q[0 if field == "Qx" else 1]
    return float(getattr(loads, field))


def with_way(loads: LoadCase, component: int, way: Way) -> LoadCase:
    """Load case with a component prescribed in another way, at zero."""
    ways, values = list(loads.ways), list(loads.values)
    ways[component], values[component] = way, 0.0
    return replace(loads, ways=tuple(ways), values=tuple(values))  # type: ignore[arg-type]


_EVEN = (0.0,) * 8


def from_spot(session: Session) -> LoadCase | None:
    """Load case of the part's governing or picked spot; None where there is no answer."""
    answer = session.answer
    if answer is None or not answer.spots:
        return None
    element = session.selection.element
    if element is None or element >= len(answer.margins.reserve):
        element = answer.spots[0]
    laminate = answer.layout().laminate(element)
    # Moments about the reference surface are moved to the middle, which load cases refer to.
    loads = about_middle(laminate, spot_loads(answer, element, int(answer.margins.case[element])))
    return replace(loads, stack=laid_stack(answer, element))


def laid_stack(answer: PartAnswer, element: int) -> str:
    """Stack that an element's zone consists of; empty where it is of several rungs."""
    layout = answer.layout()
    rungs = {layout.laid[n].rung for n in layout.plies(element)}
    names = {answer.inputs.part.lay_up[r].stack for r in rungs}
    return names.pop() if len(rungs) == 1 else ""


class LoadStrip(QWidget):
    """Names the load case and shows its values; a click on a symbol changes how it is given."""

    swept = pyqtSignal(str, str)
    """A figure is asked over a range: its path, and the range."""

    def __init__(self, session: Session, tell: Callable[[str], None]) -> None:
        super().__init__()
        self.session = session
        self._tell = tell
        self._chosen: Chosen | None = None
        self.chooser = button("load case ▾", self._offer_sets, "Choose among the load cases")
        self.chooser.setAccessibleName("Load case")
        self.name = Field(self._rename)
        self.name.setAccessibleName("Load case name")
        self.name.setMaximumWidth(210)
        self.everywhere = switch("every stack", "Apply this load case to every stack")
        self.everywhere.clicked.connect(self._set_everywhere)
        self.fields: dict[str, QuantityField] = {}
        self.symbols: dict[str, QPushButton] = {}
        self.unit_labels: dict[str, UnitLabel] = {}
        self.tiles: dict[str, QWidget] = {}
        self.tube_fields = TubeFields(self._put_tube, tell)
        self._build()

    def _build(self) -> None:
        self.held = switch("ΔT held", "Temperature and moisture stay while the rest is scaled")
        self.held.clicked.connect(self._hold)
        self.grown = switch(
            "growth",
            "Where they were taken forces grow along the part, which shears plies beside Qx and "
            "Qy; off: by Qx and Qy alone",
        )
        self.grown.clicked.connect(self._let_go_of_growth)
        self.tube_switch = switch("as a tube", "Radius, ends, pressure, axial force and torque")
        self.tube_switch.clicked.connect(self.enter_as_tube)
        line = row(
            self.chooser,
            self.name,
            self.everywhere,
            self.held,
            self.grown,
            self.tube_switch,
            None,
            button("+", self.add, "New load case"),
            button(
                "from the part",
                self.add_from_part,
                "Section forces at the part's governing or picked spot as a load case",
            ),
            button("remove", self.remove, "Remove this load case"),
            spacing=5,
        )
        grid_holder = QWidget()
        grid = QGridLayout(grid_holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(4)
        grid.setVerticalSpacing(3)
        for i, component in enumerate(COMPONENTS):
            grid.addWidget(self._tile(component, way_quantity("force", i)), 0, i)
        for i, (field, (_, quantity)) in enumerate(_OTHERS.items()):
            grid.addWidget(self._tile(field, quantity), 1, i)
        self._grid = grid
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(3)
        box.addWidget(line)
        box.addWidget(self.tube_fields)
        box.addWidget(grid_holder)

    def _tile(self, field: str, quantity: Quantity) -> QWidget:
        edit = QuantityField(quantity, lambda value: self._set(field, value))
        edit.setAccessibleName(field)
        edit.setMinimumWidth(40)
        edit.refused.connect(self._tell)
        unit = UnitLabel(quantity)
        symbol = QPushButton(_OTHERS[field][0] if field in _OTHERS else field)
        symbol.setAccessibleName(f"way of {field}")
        symbol.setStyleSheet("padding: 0px 2px;")
        if field in COMPONENTS:
            symbol.setToolTip("Click to give it as force, strain or mean stress")
            symbol.clicked.connect(lambda: self._offer_ways(field))
        else:
            symbol.setEnabled(False)
            if field == "press":
                symbol.setToolTip("Pressure on the faces that the core carries between them")
        self.fields[field], self.symbols[field], self.unit_labels[field] = edit, symbol, unit
        self.tiles[field] = column(row(symbol, None, unit, spacing=2), edit, spacing=0)
        return self.tiles[field]

    # Edits

    @property
    def loads(self) -> LoadCase | None:
        """The chosen load case, if there is one."""
        if self._chosen is None or self._chosen.loads is NOTHING:
            return None
        return self._chosen.loads

    def _replace(self, label_: str, new: LoadCase) -> TartanError | None:
        old = self.loads
        assert old is not None

        def edit(project: Project) -> Project:
            return design_edits.put_load_cases(
                project, (new if s.name == old.name else s for s in project.load_cases)
            )

        return self.session.edit(f"{label_}, {old.name}", edit)

    def _set(self, field: str, value: float | None) -> TartanError | None:
        if self.loads is None:
            # Typed without a load case: one is made to hold it.
            if value:
                self.add(with_value(self._fresh(), field, value))
            return None
        return self._replace(field, with_value(self.loads, field, value or 0.0))

    def _offer_ways(self, field: str) -> None:
        i = COMPONENTS.index(field)
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for way in WAYS:
            words = f"{_SYMBOLS[way][i]}   {way_quantity(way, i).unit}"
            menu.addAction(words, lambda w=way: self.give_as(i, w))
        if self.loads is not None and self.loads.ways[i] == "force":
            menu.addSeparator()
            menu.addAction("over a range", lambda: self.over_range(i))
        menu.popup(self.symbols[field].mapToGlobal(self.symbols[field].rect().bottomLeft()))

    def _offer_sets(self) -> None:
        if self._chosen is None:
            return
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for loads in self.session.project.loads_on(self._chosen.stack.name):
            menu.addAction(loads.name, lambda n=loads.name: self.session.select(load_case=n))
        menu.addSeparator()
        menu.addAction("new load case", self.add)
        menu.popup(self.chooser.mapToGlobal(self.chooser.rect().topLeft()))

    def over_range(self, component: int) -> None:
        """Ask what a force or moment from none to twice its size would do."""
        if self.loads is None:
            return
        quantity = way_quantity("force", component)
        now = self.loads.values[component] / quantity.scale or 50.0
        path = f"load_cases[{self.loads.name}].values[{COMPONENTS[component]}]"
        self.swept.emit(path, f"0 to {2 * now:.6g} in 8")

    def give_as(self, component: int, way: Way) -> None:
        """Prescribe a component as force, strain or mean stress, starting at its present value."""
        if self.loads is None:
            self.add()
        if self.loads is not None and self._chosen is not None:
            new = with_way(self.loads, component, way)
            question = self._chosen.question
            if question is not None and any(self.loads.values):
                value = _present(question.laminate, self.loads, component, way)
                new = with_value(new, COMPONENTS[component], value)
            self._replace(f"{COMPONENTS[component]} as {way}", new)

    def _fresh(self) -> LoadCase:
        return LoadCase("loads", stack=self._chosen.stack.name if self._chosen else "")

    def add(self, like: LoadCase | None = None) -> None:
        """Add a load case and choose it."""
        new = like or self._fresh()
        before = {s.name for s in self.session.project.load_cases}
        self.session.edit("add load case", lambda p: design_edits.add_load_case(p, new))
        added = [s.name for s in self.session.project.load_cases if s.name not in before]
        if added:
            self.session.select(load_case=added[0])

    def add_from_part(self) -> None:
        """Add the section forces at the part's governing or picked spot as a load case."""
        found = from_spot(self.session)
        if found is None:
            self._tell("The part has no answer yet. Wait until it is solved.")
            return
        if self.session.selection.stack != found.stack:
            self.session.select(stack=found.stack, plies=())
        self.add(found)

    def remove(self) -> None:
        """Remove the chosen load case."""
        gone = self.loads
        if gone is not None:
            self.session.edit(
                f"remove {gone.name}",
                lambda p: design_edits.put_load_cases(
                    p, (s for s in p.load_cases if s.name != gone.name)
                ),
            )

    def _rename(self, text: str) -> TartanError | None:
        old = self.loads
        if old is None:
            return None
        error = self._replace("rename load case", replace(old, name=text.strip()))
        if error is None:
            self.session.select(load_case=text.strip())
        else:
            self._tell(str(error))
        return error

    def enter_as_tube(self, on: bool = True) -> None:
        """Enter the load case as a tube, or as components at the forces of the tube's wall."""
        if self.loads is None:
            if on:
                self.add(as_tube(replace(self._fresh(), name="tube")))
            return
        laminate = self._chosen.laminate if self._chosen is not None else None
        new = as_tube(self.loads) if on else as_flat(self.loads, laminate)
        self._replace("as a tube" if on else "as components", new)

    def _put_tube(self, what: str, tube: TubeLoad) -> TartanError | None:
        if self.loads is None:
            return None
        return self._replace(what, replace(self.loads, tube=tube))

    def _set_everywhere(self, on: bool) -> None:
        if self.loads is not None and self._chosen is not None:
            stack = "" if on else self._chosen.stack.name
            self._replace("every stack", replace(self.loads, stack=stack))

    def _hold(self, on: bool) -> None:
        """Hold temperature and moisture, or scale them with the rest."""
        if self.loads is not None:
            self._replace("temperature held", replace(self.loads, scales_temperature=not on))

    def _let_go_of_growth(self, _: bool) -> None:
        """Keep the forces alone; how they grew where they were taken comes back by undo."""
        if self.loads is not None:
            self._replace("without growth", replace(self.loads, growth=_EVEN, held_growth=_EVEN))

    # Showing

    def put(self, chosen: Chosen) -> None:
        """Show the load cases of a stack."""
        self._chosen = chosen
        loads = chosen.loads
        some = self.loads is not None
        self.name.setVisible(some)
        self.everywhere.setVisible(some)
        warm = bool(loads.dT or loads.dT_gradient or loads.dC)
        self.held.setVisible(some and warm)
        self.held.setChecked(not loads.scales_temperature)
        self.grown.setVisible(some and loads.grows)
        self.grown.setChecked(True)
        # What was taken of a part's surface is no tube; its name needs the room.
        self.tube_switch.setVisible(not loads.grows)
        cored = chosen.question is not None and any(
            m.kind == "core" for m in chosen.question.laminate.materials
        )
        self.tiles["press"].setVisible(cored or bool(loads.press))
        tube = loads.tube
        self.tube_switch.setChecked(tube is not None)
        self.tube_fields.setVisible(tube is not None)
        for field in (*COMPONENTS, "Qx", "Qy"):
            self.tiles[field].setVisible(tube is None)
        for i in range(6):
            # A tube has no transverse forces: what stands beside them moves up.
            self._grid.setColumnStretch(i, 0 if tube is not None and i < 2 else 1)
        if tube is not None:
            self.tube_fields.put(tube, [p.angle for p in chosen.stack.plies])
        self.name.put(loads.name)
        self.everywhere.setChecked(not loads.stack)
        for i, component in enumerate(COMPONENTS):
            way = loads.ways[i]
            quantity = way_quantity(way, i)
            self.symbols[component].setText(f"{_SYMBOLS[way][i]} ▾")
            self.unit_labels[component].quantity = quantity
            self.unit_labels[component].show_unit()
            self.fields[component].quantity = quantity
        for field, edit in self.fields.items():
            edit.put_value(value_of(loads, field))


def _present(laminate: Laminate, loads: LoadCase, component: int, way: Way) -> float:
    """Value a component has now, in another way of giving it, to six digits."""
    found = answer_of(laminate, loads)
    if way == "strain":
        value = np.concatenate([found.total.eps0, found.total.kappa])[component]
    else:
        value = found.resultants[component]
        h = laminate.thickness
        if way == "stress":
            value /= h if component < 3 else h**2 / 6
    return float(f"{value:.6g}")
