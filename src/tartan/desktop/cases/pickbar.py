"""Places picked in the view: edges and faces by a click, and what is to stand on them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QApplication, QVBoxLayout, QWidget

from tartan.core.shell.edges import edge_loop, tangent_chain
from tartan.desktop import theme
from tartan.desktop.widgets.controls import button, label
from tartan.desktop.widgets.flow import wrapped
from tartan.project.analysis.partmesh import Meshed

if TYPE_CHECKING:
    # The 3-D view's libraries take longer to load than all the rest: a view loads them.
    from tartan.desktop.scene.scene import PartScene

CATCH = 9.0
"""Pixels within which an edge is caught rather than the face beside it."""


class PickBar(QWidget):
    """Says what is picked and offers what can stand there; with Ctrl further places join."""

    wanted = pyqtSignal(str, tuple)

    def __init__(self, whole: Callable[[], Meshed | None]) -> None:
        super().__init__()
        self._whole = whole
        self.picked: tuple[str, ...] = ()
        self.words = label("", wrap=True)
        self.more = (
            button(
                "the loop", partial(self._extend, edge_loop), "All edges round the hole or rim"
            ),
            button("tangent", partial(self._extend, tangent_chain), "All that go on smoothly"),
        )
        self.acts = {
            sort: button(sort, partial(self._want, sort))
            for sort in ("support", "force", "force per length", "pressure", "movement")
        }
        self._scene: PartScene | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(
            wrapped(
                self.words,
                *self.more,
                None,
                label("put here", "soft"),
                *self.acts.values(),
                button("×", self.forget, "Pick nothing"),
                spacing=5,
            )
        )
        self.hide()

    def click(self, scene: PartScene, at: QPoint) -> None:
        """Pick what lies under a pixel; with Ctrl beside what is picked."""
        self._scene = scene
        whole = self._whole()
        name = "" if whole is None else place_at(scene, whole, at)
        if not name:
            return
        keys = QApplication.keyboardModifiers()
        if not keys & Qt.KeyboardModifier.ControlModifier:
            self._put((name,))
        elif name in self.picked:
            self._put(tuple(p for p in self.picked if p != name))
        else:
            self._put((*self.picked, name))

    def _want(self, sort: str) -> None:
        self.wanted.emit(sort, self.picked)

    def _extend(self, chain: Callable[..., tuple[str, ...]]) -> None:
        whole = self._whole()
        if whole is not None:
            edges = [p for p in self.picked if p in whole.mesh.edges]
            self._put(tuple(dict.fromkeys(n for e in edges for n in chain(whole.mesh, e))))

    def forget(self) -> None:
        """Pick nothing."""
        self._put(())

    def _put(self, picked: tuple[str, ...]) -> None:
        self.picked = picked
        whole = self._whole()
        edges = {} if whole is None else whole.mesh.edges
        regions = {} if whole is None else whole.regions
        self.words.setText(", ".join(picked))
        for each in self.more:
            each.setVisible(any(p in edges for p in picked))
        self.acts["force per length"].setVisible(all(p in edges for p in picked))
        self.acts["pressure"].setVisible(all(p in regions for p in picked))
        self.setVisible(bool(picked))
        self.mark()

    def tidy(self) -> None:
        """Let go of what the part no longer has."""
        whole = self._whole()
        known = {*whole.mesh.edges, *whole.regions} if whole is not None else set()
        if any(p not in known for p in self.picked):
            self._put(tuple(p for p in self.picked if p in known))

    def mark(self) -> None:
        """Draw what is picked."""
        scene, whole = self._scene, self._whole()
        if scene is None or scene.mesh is None or whole is None or whole.mesh is not scene.mesh:
            return
        strokes = [np.zeros((0, 2, 3))]
        for name in self.picked:
            if name in whole.mesh.edges:
                at = scene.shown_nodes(whole.mesh.edges[name].tolist())
                strokes.append(np.stack([at[:-1], at[1:]], axis=1))
        scene.strokes("picked edges", np.concatenate(strokes), theme.face().accent, 6.0)
        inside = [whole.regions[p] for p in self.picked if p in whole.regions]
        elements = np.concatenate(inside) if inside else np.zeros(0, np.int64)
        scene.outline("picked faces", elements[:3000].tolist(), theme.face().accent, 2.0)
        scene.redraw()


def place_at(scene: PartScene, whole: Meshed, at: QPoint) -> str:
    """Edge, or else face or region, under a pixel of the view; empty where there is none."""
    pixel = np.array([at.x(), at.y()])
    best, name = CATCH, ""
    for each, nodes in whole.mesh.edges.items():
        seen = scene.on_screen(scene.shown_nodes(nodes.tolist()))
        gap = _gap(seen, pixel)
        if gap < best:
            best, name = gap, each
    if name:
        return name
    element = scene.element_at(at)
    if element is None:
        return ""
    # The smallest region that holds it is what was meant.
    holds = [(len(e), n) for n, e in whole.regions.items() if (e == element).any()]
    return min(holds)[1] if holds else ""


def _gap(line: np.ndarray, pixel: np.ndarray) -> float:
    """Distance of a pixel from a line of points on the screen."""
    if len(line) < 2:
        return float("inf")
    start, way = line[:-1], np.diff(line, axis=0)
    square = np.maximum((way * way).sum(axis=1), 1e-12)
    share = np.clip(((pixel - start) * way).sum(axis=1) / square, 0.0, 1.0)
    return float(np.linalg.norm(start + share[:, None] * way - pixel, axis=1).min())
