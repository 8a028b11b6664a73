"""The lay-up of the part: the ladder and the fields of the chosen rung."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QApplication, QVBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.core.stack import Ply
from tartan.desktop.part.drapeform import DrapeForm
from tartan.desktop.part.form import PartForm, grid, region_of, region_options, winds
from tartan.desktop.part.ladder import Ladder
from tartan.desktop.part.playback import Playback
from tartan.desktop.session import Session
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.controls import (
    Field,
    QuantityField,
    UnitLabel,
    button,
    choice,
    label,
    row,
    scrolled,
    set_options,
)
from tartan.desktop.widgets.recordform import Record, add_record
from tartan.exchange.rungs_table import parse_rungs, rungs_text
from tartan.pages import part as state
from tartan.pages.fields import make_up
from tartan.pages.winding_fields import wound_fields
from tartan.project.document.partmodel import Rung, Wound
from tartan.project.edits import part_edits
from tartan.project.wording import units

LEAST_LADDER = 132
"""Height of the ladder in pixels, four rungs of it, whatever stands below."""


class LayUpForm(PartForm):
    """Ladder with its commands, and the plies played one by one."""

    pointed = pyqtSignal(int)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.ladder = Ladder()
        self.head = label("", "soft")
        self.playback = Playback()
        self.region = choice([], lambda text: self._change(region=region_of(text)))
        self.material = choice([], lambda text: self._change_ply(material=text))
        self.angle = Field(self._commit_angle)
        self.thickness = QuantityField(
            units.LENGTH, lambda v: self._change_ply(thickness=v or 0.0)
        )
        self.stack = choice([], lambda text: self._change(stack=text))
        self.turn = Field(self._commit_turn)
        self.name = Field(self._commit_name)
        self.to_stack = button("open in Stacks", self._open_stack)
        self.of_ply = grid(
            [
                ("material", self.material),
                ("angle °", row(self.angle, None)),
                ("thickness", row(self.thickness, UnitLabel(units.LENGTH), None)),
            ]
        )
        self.of_stack = grid(
            [
                ("stack", self.stack),
                ("turned by °", row(self.turn, None)),
                ("", row(self.to_stack, None)),
            ]
        )
        self.own_zero = row(
            label("counts from a 0° of its own", "soft"),
            None,
            button("follow the part's", self._follow, "Its angles count from the part's 0° then"),
            spacing=4,
        )
        self.own_zero.setToolTip("As the layout gave it that it was read from")
        self.drape = DrapeForm(session)
        self.drape.told.connect(self.told)
        self.winding = Block()
        self._fields = wound_fields(self._fillers)
        self.add_wound = button("+ wound", self.wind, "Wind a layer above the chosen rung")
        self.add_choice = choice([], self._add_stack)
        self._seen: tuple[int, ...] = ()
        self._build()

    def _build(self) -> None:
        for field, name in (
            (self.angle, "angle of the rung"),
            (self.turn, "turn of the rung"),
            (self.thickness, "thickness of the rung"),
        ):
            field.setAccessibleName(name)
            field.refused.connect(self.told)
            field.setMaximumWidth(92)
        self.region.setAccessibleName("region of the rung")
        self.name.setAccessibleName("name of the rung")
        self.name.setPlaceholderText("none")
        self.name.refused.connect(self.told)
        self.add_choice.setToolTip("Lay a stack of the Stacks station above the chosen rung")
        self.add_choice.setAccessibleName(self.add_choice.toolTip())
        # Its placeholder is longer than no stack's name.
        self.add_choice.setMinimumContentsLength(10)
        # A draped or wound rung has more to say than a low window holds.
        inside = QWidget()
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        self.page = scrolled(inside)
        whole.addWidget(self.page)
        box = QVBoxLayout(inside)
        box.setContentsMargins(0, 0, 6, 0)
        box.setSpacing(6)
        box.addWidget(
            row(
                label("Lay-up", "head"),
                self.head,
                None,
                self.playback,
                spacing=4,
            )
        )
        self.area = scrolled(self.ladder)
        self.area.setMinimumHeight(LEAST_LADDER)
        box.addWidget(self.area, 1)
        like = button("+ ply like this", self.add, "Enter")
        box.addWidget(row(like, self.add_choice, self.add_wound, None))
        box.addWidget(
            row(
                button("double", lambda: self.act("double"), "Ctrl+D"),
                button(
                    "mirror", lambda: self.act("mirror"), "Ctrl+M: add the rungs in reverse order"
                ),
                button("on/off", lambda: self.act("off"), "Space: switch off for a try"),
                button("remove", lambda: self.act("remove"), "Delete"),
                None,
                spacing=4,
            )
        )
        box.addWidget(grid([("on", self.region), ("called", self.name)]))
        box.addWidget(self.of_ply)
        box.addWidget(self.own_zero)
        box.addWidget(self.winding)
        box.addWidget(self.drape)
        box.addWidget(self.of_stack)
        self.ladder.chosen_changed.connect(lambda rungs: self.session.select(rungs=rungs))
        self.ladder.dropped.connect(self._drop)
        self.ladder.asked.connect(self.act)
        self.ladder.pointed.connect(self.pointed)

    # Edits

    @property
    def chosen(self) -> tuple[int, ...]:
        """Chosen rungs."""
        return self.session.selection.rungs

    @property
    def rungs(self) -> tuple[Rung, ...]:
        """The whole lay-up."""
        return self.part.lay_up if self.part else ()

    def _put(self, name: str, rungs: tuple[Rung, ...], chosen: tuple[int, ...]) -> None:
        if self.edit(name, lambda p: part_edits.put_lay_up(p, rungs)) is None:
            self.session.select(rungs=chosen)

    def _each(self, name: str, change: Callable[[Rung], Rung]) -> TartanError | None:
        rungs = tuple(change(r) if i in self.chosen else r for i, r in enumerate(self.rungs))
        return self.edit(name, lambda p: part_edits.put_lay_up(p, rungs))

    def _change(self, **values: object) -> TartanError | None:
        return self._each("rung", lambda r: replace(r, **values))  # type: ignore[arg-type]

    def _change_ply(self, **values: object) -> TartanError | None:
        def change(rung: Rung) -> Rung:
            if rung.ply is None:
                return rung
            return replace(rung, ply=replace(rung.ply, **values))  # type: ignore[arg-type]

        return self._each("ply of the lay-up", change)

    def _commit_angle(self, text: str) -> TartanError | None:
        try:
            angle = units.parse(text.rstrip("° "), units.RATIO)
        except TartanError as error:
            return error
        return self._change_ply(angle=angle)

    def _commit_turn(self, text: str) -> TartanError | None:
        try:
            angle = units.parse(text.rstrip("° "), units.RATIO)
        except TartanError as error:
            return error
        return self._change(turn=angle)

    def _commit_name(self, text: str) -> TartanError | None:
        return self._each("name of the rung", lambda r: replace(r, name=text.strip()))

    def _follow(self) -> None:
        self._each("the part's 0°", lambda r: replace(r, fibres=""))

    def add(self) -> None:
        """Lay a ply like the chosen one above it."""
        project = self.session.project
        at = (self.chosen[-1] + 1) if self.chosen else len(self.rungs)
        like = self.rungs[at - 1] if at else None
        if like is None or like.ply is None:
            material = next((m for m in project.materials if m.kind in ("ply", "woven")), None)
            if material is None:
                self.told.emit("There is no ply material. Add one in Materials.")
                return
            ply = Ply(material.name, 0.0, material.ply_thickness or 0.1e-3)
            like = Rung("" if like is None else like.region, ply=ply)
        # Alike in all but what it is called.
        new = replace(like, name="", kept="")
        self._put("lay a ply", (*self.rungs[:at], new, *self.rungs[at:]), (at,))

    def wind(self) -> None:
        """Wind a layer like the chosen one, or a helical one, above it."""
        project = self.session.project
        at = (self.chosen[-1] + 1) if self.chosen else len(self.rungs)
        like = next((r for r in reversed(self.rungs[:at]) if r.wound is not None), None)
        if like is None:
            material = next((m for m in project.materials if m.kind == "ply"), None)
            if material is None:
                self.told.emit("There is no ply material to wind. Add one in Materials.")
                return
            ply = Ply(material.name, 0.0, material.ply_thickness or 0.25e-3)
            like = Rung(ply=ply, wound=Wound())
        self._put("wind a layer", (*self.rungs[:at], like, *self.rungs[at:]), (at,))

    def _fillers(self) -> tuple[str, ...]:
        return tuple(m.name for m in self.session.project.materials if m.kind == "filler")

    def _wound(self) -> Wound | None:
        one = self.rungs[self.chosen[0]] if self.chosen else None
        return None if one is None else one.wound

    def _change_wound(self, words: str = "", /, **values: object) -> TartanError | None:
        def change(rung: Rung) -> Rung:
            if rung.wound is None:
                return rung
            return replace(rung, wound=replace(rung.wound, **values))  # type: ignore[arg-type]

        return self._each(words or f"winding, {', '.join(values)}".replace("_", " "), change)

    def _show_winding(self) -> None:
        wound = self._wound()
        lines = () if wound is None else make_up(self._fields, wound)
        self.winding.setVisible(wound is not None)
        self.winding.put(lines, self._build_winding)

    def _build_winding(self, block: Block) -> None:
        if self._wound() is not None:
            record = Record(self._wound, self._change_wound, self.told.emit, "the wound layer")
            add_record(block, self._fields, record)

    def _add_stack(self, text: str) -> None:
        at = (self.chosen[-1] + 1) if self.chosen else len(self.rungs)
        region = self.rungs[at - 1].region if at and self.chosen else ""
        new = Rung(region, stack=text)
        self._put(f"lay {text}", (*self.rungs[:at], new, *self.rungs[at:]), (at,))

    def _drop(self, to: int) -> None:
        rungs = state.moved(self.rungs, self.chosen, to)
        first = to - sum(1 for c in self.chosen if c < to)
        self._put("move rungs", rungs, tuple(range(first, first + len(self.chosen))))

    def act(self, word: str) -> None:
        """Do what a key or button of the ladder asks."""
        chosen, rungs = self.chosen, self.rungs
        if word == "all":
            self.session.select(rungs=tuple(range(len(rungs))))
        elif word == "add":
            self.add()
        elif word == "paste":
            self._paste()
        elif not chosen:
            self.told.emit("Pick rungs of the ladder first.")
        elif word == "remove":
            left = tuple(r for i, r in enumerate(rungs) if i not in chosen)
            self._put("remove rungs", left, (max(0, chosen[0] - 1),) if left else ())
        elif word == "off":
            on = not all(rungs[i].active for i in chosen)
            self._each("switch rungs", lambda r: replace(r, active=on))
        elif word == "copy":
            clipboard = QApplication.clipboard()
            if clipboard is not None:
                clipboard.setText(rungs_text([rungs[i] for i in chosen]))
        else:
            taken = tuple(rungs[i] for i in chosen)
            new = taken if word == "double" else part_edits.mirrored(self.session.project, taken)
            at = chosen[-1] + 1
            self._put(
                f"{word} rungs", (*rungs[:at], *new, *rungs[at:]), tuple(range(at, at + len(new)))
            )

    def _paste(self) -> None:
        clipboard = QApplication.clipboard()
        if clipboard is None:
            return
        try:
            new = parse_rungs(clipboard.text(), self.session.project)
        except TartanError as error:
            self.told.emit(str(error))
            return
        at = (self.chosen[-1] + 1) if self.chosen else len(self.rungs)
        self._put(
            "paste rungs",
            (*self.rungs[:at], *new, *self.rungs[at:]),
            tuple(range(at, at + len(new))),
        )

    def _open_stack(self) -> None:
        if self.chosen and (name := self.rungs[self.chosen[0]].stack):
            self.session.select(stack=name, station="Stacks")

    @property
    def count(self) -> int:
        """Plies laid."""
        rows = state.ladder(self.session.project)
        return max((r.numbers[1] for r in rows if r.numbers), default=0)

    # Showing

    def close_down(self) -> None:
        self.playback.stop()

    def refresh(self) -> None:
        """Show the lay-up and the chosen rung."""
        project, part = self.session.project, self.part
        rows = state.ladder(project)
        self.ladder.put(rows, self.chosen)
        if self.chosen and self.chosen != self._seen:
            middle = self.ladder.rect_of(self.chosen[-1]).center().toPoint()
            self.area.ensureVisible(middle.x(), middle.y(), 0, 40)
        self._seen = self.chosen
        self.playback.put(self.count)
        self.head.setText(f"{self.playback.count} plies, {len(rows)} rungs")
        set_options(self.add_choice, [s.name for s in project.stacks], "")
        self.add_choice.setPlaceholderText("+ stack …")
        one = self.rungs[self.chosen[0]] if self.chosen else None
        self.of_ply.setVisible(one is not None and one.ply is not None)
        self.of_stack.setVisible(one is not None and bool(one.stack))
        self.angle.setEnabled(one is None or one.wound is None)
        self.add_wound.setVisible(winds(part))
        self._show_winding()
        self.drape.refresh()
        self.region.setEnabled(one is not None and one.wound is None)
        self.own_zero.setVisible(one is not None and bool(one.fibres))
        self.name.setEnabled(one is not None)
        self.name.put("" if one is None else one.name)
        if one is None or part is None:
            set_options(self.region, [], "")
            return
        try:
            names = region_options(part)
        except TartanError:
            names = []
        set_options(self.region, names, one.region or names[0] if names else "")
        if one.ply is not None:
            set_options(self.material, [m.name for m in project.materials], one.ply.material)
            plies = state.rung_plies(project, one)
            # Of a wound layer the angle follows from its opening.
            angle = one.ply.angle if one.wound is None or not plies else plies[0].angle
            self.angle.put(units.number(angle))
            self.thickness.put_value(one.ply.thickness)
        else:
            set_options(self.stack, [s.name for s in project.stacks], one.stack)
            self.turn.put(units.number(one.turn))
