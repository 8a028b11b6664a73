"""What the Part station draws on the surface: colours, strokes and words, as switched on."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QColor

from tartan.core.errors import TartanError
from tartan.core.materials import ISOTROPIC
from tartan.desktop import theme
from tartan.desktop.scene import glyphs
from tartan.desktop.scene.pane import ScenePane
from tartan.desktop.session import Session
from tartan.exchange.maps import colours
from tartan.pages import part as state
from tartan.pages.draping import DrapedPly, map_of, starts
from tartan.project.analysis.caseloads import map_soon
from tartan.project.analysis.inputs import Layout, layout_soon, part_inputs
from tartan.project.analysis.laying import Laid, laid_soon
from tartan.project.analysis.partmesh import Meshed, meshed
from tartan.project.analysis.shellinputs import ties_of
from tartan.project.analysis.yarns import lines
from tartan.project.wording.units import counted

if TYPE_CHECKING:
    # The 3-D view's libraries take longer to load than all the rest: a view loads them.
    from tartan.desktop.scene.scene import PartScene

Bytes = NDArray[np.uint8]

NAMES = (
    "reference",
    "reference words",
    "laying",
    "undefined",
    "fibres",
    "region",
    "zone words",
    "ties",
    "pegs",
    "crosses",
    "loads",
    "load words",
    "matter",
    "overlap",
)


WORD_WIDE = 0.22
"""Share of the part's width that the word of a zone takes about."""

FAR = 1e6
"""Farther than any two places of a part [m]."""

MOST_NAMED = 12
"""Zones that are named on the part; the rings of a wound vessel are many more."""


class Overlays:
    """Draws the part as the project, the selection and the switches have it."""

    def __init__(self, session: Session, pane: ScenePane) -> None:
        self._session, self._pane = session, pane
        self.pointed: int | None = None
        self.words = ""

    def draw(self, scene: PartScene, step: int | None, form: str) -> None:
        """Draw everything; `step` is the ply that playback stands at."""
        project = self._session.project
        assert project.part is not None
        self.words = ""
        for name in NAMES:
            scene.clear(name)
        try:
            whole = meshed(project.part)
        except TartanError as error:
            self.words = str(error)
            return
        scene.put_mesh(whole.mesh)
        scene.show_edges(self._pane.on("mesh"))
        laid = self._laid()
        layout = self._layout()
        scene.paint(self._colours(whole, laid, layout, step))
        if layout is not None and self._pane.on("zones") and step is None:
            self._zone_words(scene, layout)
        self._fibres(scene, whole, laid, step)
        if form == "regions":
            self._region(scene, whole)
        self._directions(scene, whole)
        if self._pane.on("ties"):
            self._ties(scene, whole)
        if layout is not None and self._pane.on("supports, loads"):
            self._loads(scene, layout)

    def draped(self, scene: PartScene, found: DrapedPly | None, which: str) -> None:
        """Draw a draped ply's net, and one of its maps in colours."""
        if found is None or not self._pane.on("draped net") or scene.mesh is None:
            for name in ("warp", "weft", "start"):
                scene.clear(name)
            return
        face = theme.face()
        rgb = np.tile(colours.bare(dark=face.dark), (scene.mesh.count, 1))
        shades, on, self.words = map_of(found, which, scene.mesh.count)
        rgb[on] = shades
        scene.paint(rgb)
        # Lines of the mesh would stand between those of the net.
        scene.show_edges(False)
        warp, weft = lines(found.made, scene.mesh)
        scene.strokes("warp", warp, face.ink, 1.4)
        scene.strokes("weft", weft, face.soft, 1.0)
        scene.knobs("start", starts(found.made))

    def _laid(self) -> tuple[Laid, ...]:
        project = self._session.project
        try:
            assert project.part is not None
            return laid_soon(project.part, {s.name: s for s in project.stacks})
        except TartanError:
            return ()

    def _layout(self) -> Layout | None:
        try:
            return layout_soon(part_inputs(self._session.project))
        except TartanError:
            return None

    # Colours

    def _colours(
        self, whole: Meshed, laid: tuple[Laid, ...], layout: Layout | None, step: int | None
    ) -> Bytes | None:
        dark = theme.face().dark
        if step is not None:
            return self._played(whole, laid, step)
        if self._pane.on("quality"):
            rgb, self.words = state.quality_map(whole)
            return rgb
        shown = self._shown(laid)
        if shown:
            # The ply stands out from the bare part; its fibres are drawn on it.
            rgb = np.tile(colours.bare(dark=dark), (whole.mesh.count, 1))
            for each in shown:
                c = QColor(colours.ply_band(each.ply.angle, dark=dark))
                rgb[each.elements] = (c.red(), c.green(), c.blue())
            return rgb
        if self._pane.on("zones") and layout is not None:
            count = len(layout.zones.laminates)
            return colours.zone_map(layout.zones.zone, count, dark=dark)
        return None

    def _played(self, whole: Meshed, laid: tuple[Laid, ...], step: int) -> Bytes:
        """Every element in the colour of the last ply laid on it so far."""
        rgb = np.tile(colours.bare(dark=theme.face().dark), (whole.mesh.count, 1))
        kinds = {m.name: m.kind for m in self._session.project.materials}
        for each in laid[: step + 1]:
            stone = kinds.get(each.ply.material) in ("core", *ISOTROPIC)
            c = QColor("#c9bda3" if stone else colours.ply_solid(each.ply.angle))
            rgb[each.elements] = (c.red(), c.green(), c.blue())
        if 0 <= step < len(laid):
            ply = laid[step].ply
            angle = "" if kinds.get(ply.material) == "core" else f", {ply.angle:g}°"
            self.words = f"ply {step + 1} of {len(laid)}: {ply.material}{angle}"
        return rgb

    # Strokes

    def _zone_words(self, scene: PartScene, layout: Layout) -> None:
        """Ply count and thickness on each zone."""
        mesh, zones = layout.mesh, layout.zones
        if len(zones.laminates) > MOST_NAMED:
            return
        taken = mesh.centres()[glyphs.inner(mesh)]
        # By shares of the part: the view may have no size yet.
        across = scene.on_screen(mesh.centres())[:, 0]
        limit = across.max() - WORD_WIDE * np.ptp(across)
        places, words = [], []
        for number, laminate in enumerate(zones.laminates):
            here = zones.members[number]
            here = here[:: max(1, len(here) // 300)]
            # Where no other glyph or word stands, and not where it would end beyond the part.
            at = mesh.centres()[here]
            free = np.linalg.norm(at[:, None] - taken[None], axis=2).min(axis=1)
            beyond = across[here] > limit
            place = at[int((free - FAR * beyond).argmax())]
            places.append(place)
            taken = np.concatenate([taken, place[None]])
            words.append(f"zone {number + 1} · {counted(laminate.count, 'ply', 'plies')}")
        scene.words("zone words", np.array(places), words, theme.face().ink)

    def _fibres(
        self, scene: PartScene, whole: Meshed, laid: tuple[Laid, ...], step: int | None
    ) -> None:
        playing = step is not None and step < len(laid)
        chosen = [laid[step]] if playing and step is not None else self._shown(laid)
        for each in chosen:
            kind = next(
                (m.kind for m in self._session.project.materials if m.name == each.ply.material),
                "ply",
            )
            if kind in ("core", *ISOTROPIC):
                scene.outline("fibres", each.elements[:4000].tolist(), "#a89468", 1.6)
                continue
            angle = each.ply.angle + (0.0 if each.turn is None else each.turn)
            strokes = glyphs.fibre_strokes(whole.mesh, whole.direction, angle, each.elements)
            if kind == "woven":
                strokes = np.concatenate(
                    [
                        strokes,
                        glyphs.fibre_strokes(
                            whole.mesh, whole.direction, angle + 90, each.elements
                        ),
                    ]
                )
            ink = theme.face().ink if step is not None else colours.ply_stroke(each.ply.angle)
            scene.strokes("fibres", strokes, ink, 2.6)

    def _shown(self, laid: tuple[Laid, ...]) -> list[Laid]:
        """Ply whose fibres are asked for: of the pointed rung, or the chosen one."""
        if not self._pane.on("fibres"):
            return []
        rungs = self._session.selection.rungs
        rung = self.pointed if self.pointed is not None else (rungs[0] if rungs else None)
        return [x for x in laid if x.rung == rung][:1]

    def _region(self, scene: PartScene, whole: Meshed) -> None:
        name = self._session.selection.region
        if name in whole.regions:
            own = whole.regions[name]
            scene.outline("region", own.tolist(), theme.face().accent, 2.2)
            region = (
                self._session.project.part.region(name) if self._session.project.part else None
            )
            others = [
                e
                for n, e in whole.regions.items()
                if n != name
                and region is not None
                and n not in region.faces
                and len(e) < whole.mesh.count
                and n in self._named()
            ]
            shared = np.intersect1d(own, np.concatenate(others)) if others else own[:0]
            if len(shared):
                scene.outline("overlap", shared.tolist(), theme.face().fails, 3.0)

    def _named(self) -> set[str]:
        part = self._session.project.part
        return {r.name for r in part.regions} if part else set()

    def _directions(self, scene: PartScene, whole: Meshed) -> None:
        face = theme.face()
        elements = glyphs.inner(whole.mesh)
        if self._pane.on("0° direction"):
            strokes = glyphs.reference_strokes(whole.mesh, whole.direction, elements)
            scene.strokes("reference", strokes, face.ink, 3.0)
            if len(strokes):
                scene.words("reference words", strokes[:, 1], ["0°"] * len(strokes), face.ink)
            if len(whole.undefined):
                scene.outline("undefined", whole.undefined[:3000].tolist(), face.fails, 2.4)
        if self._pane.on("laying side"):
            stairs = glyphs.laying_strokes(whole.mesh, whole.direction, elements)
            scene.strokes("laying", stairs, face.accent, 3.0)

    def _ties(self, scene: PartScene, whole: Meshed) -> None:
        """A stroke from every tied node to its place on what leads, and the tied nodes' edge."""
        part, face = self._session.project.part, theme.face()
        if part is None or not part.tie_gap:
            return
        ties = ties_of(whole.mesh, part.tie_gap)
        found = [glyphs.tie_strokes(whole.mesh, tie) for tie in ties]
        if found:
            scene.strokes("ties", np.concatenate(found), face.accent, 3.4)

    def _loads(self, scene: PartScene, layout: Layout) -> None:
        project, face = self._session.project, theme.face()
        draw_supports(scene, layout.whole, self._session)
        case = next((c for c in project.cases if c.name == self._session.selection.case), None)
        if case is not None:
            try:
                map_soon(layout, case.loads, project.tables)
                found = glyphs.load_glyphs(layout, case, project.tables)
            except TartanError as error:
                self.words = str(error)
                return
            scene.strokes("loads", found.strokes, face.accent, 2.6)
            scene.words("load words", found.places, list(found.words), face.accent)


def draw_supports(scene: PartScene, whole: Meshed, session: Session) -> None:
    """Pegs and crosses of the supports."""
    ink = theme.face().ink
    project = session.project
    case = next((c for c in project.cases if c.name == session.selection.case), None)
    shown = project.supports_of(case.supports if case is not None else "")
    pegs, crosses = glyphs.support_strokes(whole, shown)
    scene.strokes("pegs", pegs, ink, 2.2)
    scene.strokes("crosses", crosses, ink, 2.2)


def faded(rgb: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Colours of what does not count: most of the colour gone."""
    ground = theme.colour("stale")
    stone = np.array([ground.red(), ground.green(), ground.blue()])
    return np.asarray(0.28 * rgb + 0.72 * stone).astype(np.uint8)
