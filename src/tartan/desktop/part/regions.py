"""Regions of the part: picked faces, swept elements, rules of distance; named in place."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QVBoxLayout

from tartan.core.errors import TartanError
from tartan.core.shell.edges import smooth_patch
from tartan.desktop.part.form import PartForm
from tartan.desktop.session import Session
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.cards import CardList
from tartan.desktop.widgets.controls import (
    Field,
    button,
    label,
    row,
    scrolled,
    switch,
)
from tartan.desktop.widgets.recordform import Records
from tartan.pages.shown import Card
from tartan.pages.surface_fields import near_fields
from tartan.project.analysis.partmesh import Meshed, base_mesh, meshed
from tartan.project.document.partmodel import Near, Region
from tartan.project.edits import part_edits
from tartan.project.edits.design_edits import first_free

Index = NDArray[np.int64]

SMOOTH_MODE = "smooth"

MODES = {
    "faces": "Click a face to add it, or to take it out",
    "brush": "Sweep over elements; Ctrl takes them out",
    "box": "Drag a box round elements; Ctrl takes them out",
    SMOOTH_MODE: "Click: all that goes on from there without a kink",
}


class RegionsForm(PartForm):
    """List of regions and the rules of the chosen one."""

    mode_changed = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.cards = CardList("Regions")
        self.cards.chosen.connect(lambda name: session.select(region=name))
        self.name = Field(self._rename)
        self.name.setAccessibleName("Region name")
        self.name.refused.connect(self.told)
        self.modes = {name: switch(name, tip, on=name == "faces") for name, tip in MODES.items()}
        group = QButtonGroup(self)
        for made in self.modes.values():
            group.addButton(made)
            made.toggled.connect(lambda _: self.mode_changed.emit(self.mode))
        self.faces = label("", "soft", wrap=True)
        self.near = Block()
        self.grow = label("", "soft")
        self.overlap = label("", "soft", wrap=True)
        self._build()

    def _build(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        box.addWidget(
            row(
                label("Regions", "head"),
                None,
                button("new", self.begin_new, "The next pick begins another region"),
                button("remove", self.remove),
            )
        )
        box.addWidget(scrolled(self.cards), 1)
        box.addWidget(row(label("pick by", "soft"), *self.modes.values(), None, spacing=4))
        box.addWidget(row(label("name", "soft"), self.name))
        box.addWidget(self.faces)
        box.addWidget(
            row(
                label("near", "soft"),
                None,
                button("+ an edge", self._add_edge),
                button("+ a point", self._add_point),
            )
        )
        box.addWidget(self.near)
        box.addWidget(
            row(
                label("rings of elements", "soft"),
                None,
                button("shrink", lambda: self._grow(-1)),
                self.grow,
                button("grow", lambda: self._grow(1)),
            )
        )
        box.addWidget(self.overlap)

    @property
    def mode(self) -> str:
        """How the part is picked."""
        return next((n for n, s in self.modes.items() if s.isChecked()), "faces")

    @property
    def region(self) -> Region | None:
        """The chosen region."""
        return self.part.region(self.session.selection.region) if self.part else None

    # Edits

    def begin_new(self) -> None:
        """Let the next pick begin another region."""
        self.session.select(region="")

    def remove(self) -> None:
        """Remove the chosen region."""
        if (region := self.region) is not None:
            self.edit("remove region", lambda p: part_edits.remove_region(p, region.name))

    def _put(self, name: str, region: Region) -> TartanError | None:
        old = self.region.name if self.region else ""
        error = self.edit(name, lambda p: part_edits.put_region(p, region, old))
        if error is None:
            self.session.select(region=region.name)
        return error

    def _rename(self, text: str) -> TartanError | None:
        region = self.region
        return (
            None
            if region is None
            else self._put("name region", replace(region, name=text.strip()))
        )

    def _fresh(self) -> Region:
        assert self.part is not None
        return Region(first_free("region", [r.name for r in self.part.regions]))

    def pick(self, element: int) -> None:
        """Add the face under the pointer to the chosen region, or take it out."""
        if self.part is None:
            return
        mesh = base_mesh(self.part.surface, self.part.mesh_size, self.part.finer)
        if self.mode == SMOOTH_MODE:
            patch = smooth_patch(mesh, element)
            there = self.region is not None and element in self.region.elements
            self.sweep(patch, out=there)
            return
        face = next((n for n, e in mesh.regions.items() if (e == element).any()), "")
        if len(mesh.regions) < 2 or not face:
            self.sweep(np.array([element]), out=False)
            return
        region = self.region or self._fresh()
        there = face in region.faces
        faces = tuple(f for f in region.faces if f != face) if there else (*region.faces, face)
        self._put("pick a face", replace(region, faces=faces))

    def sweep(self, elements: Index, out: bool) -> None:
        """Add swept elements to the chosen region, or take them out."""
        if self.part is None:
            return
        region = self.region or self._fresh()
        before, swept = set(region.elements), set(elements.tolist())
        after = before - swept if out else before | swept
        self._put("sweep elements", replace(region, elements=tuple(sorted(after))))

    def _grow(self, by: int) -> None:
        if (region := self.region) is not None:
            self._put("grow region", replace(region, grow=region.grow + by))

    def _add_edge(self) -> None:
        if self.part is not None:
            mesh = base_mesh(self.part.surface, self.part.mesh_size, self.part.finer)
            self._add_near(Near(3 * self.part.mesh_size, next(iter(mesh.edges), "")))

    def _add_point(self) -> None:
        part, element = self.part, self.session.selection.element
        if part is not None:
            mesh = base_mesh(part.surface, part.mesh_size, part.finer)
            x, y, z = mesh.centres()[element if element and element < mesh.count else 0].tolist()
            self._add_near(Near(3 * part.mesh_size, at=(round(x, 6), round(y, 6), round(z, 6))))

    def _add_near(self, near: Near) -> None:
        region = self.region or self._fresh()
        self._put("region near", replace(region, near=(*region.near, near)))

    # Showing

    def refresh(self) -> None:
        """Show the regions as they stand."""
        part = self.part
        cards: list[Card] = []
        whole: Meshed | None = None
        try:
            whole = meshed(part) if part else None
        except TartanError as error:
            self.told.emit(str(error))
        for region in part.regions if part else ():
            count = len(whole.regions[region.name]) if whole else 0
            cards.append(Card(region.name, f"{count} elements"))
        self.cards.put(cards, self.session.selection.region)
        one = self.region
        self.name.setEnabled(one is not None)
        self.name.put(one.name if one else "")
        self.faces.setText(_made_of(one) if one else "Pick on the part to begin a region.")
        self.grow.setText(f"{one.grow:+d}" if one else "")
        made = (one.name, self._distances.make_up()) if one else None
        self.near.put(made, self._distances.rows)
        names = [r.name for r in part.regions] if part else []
        self.overlap.setText(_overlaps(whole, one, names) if whole and one else "")

    @property
    def _distances(self) -> Records:
        def put(words: str, near: tuple[Near, ...]) -> TartanError | None:
            return (
                None if self.region is None else self._put(words, replace(self.region, near=near))
            )

        return Records(
            lambda: self.region.near if self.region else (),
            put,
            lambda _: near_fields(self._edges),
            self.told.emit,
            "distance",
        )

    def _edges(self) -> list[str]:
        part = self.part
        return [] if part is None else [*base_mesh(part.surface, part.mesh_size, part.finer).edges]


def _made_of(region: Region) -> str:
    parts = []
    if region.faces:
        parts.append("faces " + ", ".join(region.faces))
    if region.elements:
        parts.append(f"{len(region.elements)} picked elements")
    return " · ".join(parts)


def _overlaps(whole: Meshed, region: Region, names: list[str]) -> str:
    """Other regions that share elements with one, in words."""
    own = whole.regions[region.name]
    found = []
    for name in names:
        shared = len(np.intersect1d(own, whole.regions[name]))
        if shared and name != region.name:
            found.append(f"{name} ({shared})")
    return f"Shares elements with {', '.join(found)}." if found else "Shares no elements."
