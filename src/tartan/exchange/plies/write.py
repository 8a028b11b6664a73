"""Writing the ply layout of a part."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict, replace
from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

from tartan import __version__
from tartan.core.errors import DocumentError, PartError
from tartan.core.shell.directions import turned_about
from tartan.core.shell.outlines import Links, links_of, outlines
from tartan.core.stack import Ply
from tartan.core.stack.groups import bare
from tartan.exchange.patterns import pattern_of
from tartan.exchange.plies.form import FORMAT, LENGTHS, SCHEMA
from tartan.project.analysis.draping import start_in
from tartan.project.analysis.laying import Laid, laid_plies
from tartan.project.analysis.own_fibres import own_turn
from tartan.project.analysis.partmesh import Meshed, meshed
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Part, Rung
from tartan.project.files.storage import write_whole

Array = NDArray[np.float64]
Index = NDArray[np.int64]

SAMPLES = 200
"""Places at most at which the fibre direction of an entry is given."""

_WOUND_LENGTHS = ("opening", "bandwidth", "start", "end", "step_back")


def write_layout(project: Project, path: Path, unit: str = "mm") -> int:
    """Write the ply layout of a part; how many entries it has.

    Parameters
    ----------
    project : Project
        Whose part.
    path : Path
        The file.
    unit : {"mm", "m", "in"}
        Of lengths in it.

    Raises
    ------
    DocumentError
        Where there is no part or no ply, or the file cannot be written.
    PartError, StackError
        Where a ply cannot be laid.
    """
    made = layout_data(project, unit)
    write_whole(json.dumps(made, ensure_ascii=False, allow_nan=False) + "\n", path)
    return len(made["plies"])


def layout_data(project: Project, unit: str = "mm") -> dict[str, Any]:
    """The ply layout of a part as plain data.

    Raises
    ------
    DocumentError
        Where there is no part or no ply.
    PartError, StackError
        Where a ply cannot be laid.
    """
    part = project.part
    if part is None or not part.lay_up:
        raise DocumentError("Nothing is laid on the part.", "Ply layout", "Lay a ply in Part.")
    whole = meshed(part)
    first = {x.rung: x for x in laid_plies(part, {s.name: s for s in project.stacks})[::-1]}
    maker = _Maker(project, part, whole, links_of(whole.mesh), unit)
    entries = [maker.entry(i, rung, first.get(i)) for i, rung in enumerate(part.lay_up)]
    kept = json.loads(part.kept or "{}")
    used = {p.material for r in part.lay_up for p in _plies(project, r)}
    made: dict[str, Any] = {
        "format": FORMAT,
        "schema": SCHEMA,
        "units": {"length": unit, "angle": "deg"},
        "written_by": f"Tartan {__version__}",
        "name": project.name,
        "anchors": maker.points(_anchors(whole.mesh.nodes)),
        "materials": [
            {
                "name": m.name,
                "kind": m.kind,
                **({"thickness": maker.length(m.ply_thickness)} if m.ply_thickness else {}),
            }
            for m in project.materials
            if m.name in used
        ],
        "laminates": [
            {"name": s.name, "plies": [maker.ply(p) for p in s.plies]}
            for s in project.stacks
            if s.name in part.stacks()
        ],
        "reference": [
            asdict(d)
            | {
                "vector": list(d.vector),
                "origin": [maker.length(x) for x in d.origin],
            }
            for d in part.directions
        ],
        "reference_surface": part.reference_surface,
        "plies": entries,
    }
    for name in ("materials", "laminates"):
        by_name = kept.pop(name, {})
        if isinstance(by_name, dict):
            made[name] = [merged(x, by_name.get(x["name"], {})) for x in made[name]]
    return merged(made, kept)


def merged(made: dict[str, Any], kept: object) -> dict[str, Any]:
    """Data with what was kept from a file beside it, at all depths; what is made goes first."""
    found = dict(made)
    for key, value in kept.items() if isinstance(kept, Mapping) else ():
        if key not in found:
            found[key] = value
        elif isinstance(value, dict) and isinstance(found[key], dict):
            found[key] = merged(found[key], value)
    return found


def _plies(project: Project, rung: Rung) -> tuple[Ply, ...]:
    if rung.ply is not None:
        return (rung.ply,)
    stack = project.stack(rung.stack)
    return () if stack is None else bare(stack.plies)


class _Maker:
    """Turns rungs into entries, lengths in a unit."""

    def __init__(
        self, project: Project, part: Part, whole: Meshed, links: Links, unit: str
    ) -> None:
        if unit not in LENGTHS:
            raise DocumentError(
                f"'{unit}' is no unit of a ply layout.", "Ply layout", f"Use {', '.join(LENGTHS)}."
            )
        self.project, self.part, self.whole, self.links = project, part, whole, links
        self._unit = Decimal(repr(LENGTHS[unit]))

    def length(self, value: float) -> float:
        """Length [m] in the unit; what was typed in decimals stays so."""
        return float(Decimal(repr(float(value))) / self._unit)

    def points(self, values: Array) -> list[list[float]]:
        """Points of shape (q, 3) [m] in the unit."""
        return (np.asarray(values) / float(self._unit)).tolist()  # type: ignore[no-any-return]

    def ply(self, ply: Ply) -> dict[str, Any]:
        """A ply."""
        made: dict[str, Any] = {
            "material": ply.material,
            "angle": ply.angle,
            "thickness": self.length(ply.thickness),
        }
        return made | ({"sub": ply.sub} if ply.sub else {})

    def entry(self, number: int, rung: Rung, laid: Laid | None) -> dict[str, Any]:
        """One rung; `laid` is its first ply as it lies, where it is switched on."""
        whole = self.whole
        own = whole.elements(rung.region, f"Lay-up, rung {number + 1}")
        own = own if laid is None else laid.elements
        made: dict[str, Any] = {
            "name": rung.name,
            "region": rung.region,
            "active": rung.active,
            "turn": rung.turn,
        }
        if rung.ply is not None:
            made["ply"] = self.ply(rung.ply)
        else:
            made["laminate"] = rung.stack
        made["boundary"] = [
            {"points": self.points(x.points), "normals": x.normals.tolist()}
            for x in outlines(whole.mesh, own, self.links)
        ]
        plies = _plies(self.project, rung)
        angle = plies[0].angle + rung.turn if plies else 0.0
        base = own_turn(whole, rung.fibres, own) if rung.fibres else np.zeros(len(own))
        turn = base if laid is None or laid.turn is None else laid.turn
        if laid is not None:
            angle = laid.ply.angle
        made["directions"] = self._directions(own, base, angle + turn - base)
        if laid is None or (rung.draped is None and rung.wound is None):
            # Elsewhere fibres lie at their angle from 0°.
            del made["directions"]["fibre"]
        if rung.wound is None:
            made["start"] = self._start(rung, own)
        else:
            wound = asdict(rung.wound)
            made["wound"] = wound | {k: self.length(wound[k]) for k in _WOUND_LENGTHS}
        if rung.draped is not None:
            made["draped"] = self._draped(rung)
            made["patterns"] = self._patterns(rung)
        return merged(made, json.loads(rung.kept or "{}"))

    def _draped(self, rung: Rung) -> dict[str, Any]:
        draped = rung.draped
        assert draped is not None
        return {
            "way": draped.way,
            "cell": self.length(draped.cell),
            "edge": draped.edge,
            "line": [[self.length(x) for x in p] for p in draped.line],
            "cuts": [[[self.length(x) for x in p] for p in cut] for cut in draped.cuts],
            "starts": [[self.length(x) for x in p] for p in draped.starts],
        }

    def _directions(self, own: Index, base: Array, angle: Array) -> dict[str, Any]:
        """0° and fibres on some of the elements: their turns from the part's 0° and from that."""
        # Where it is laid from both sides every element tells its own.
        many = len(own) if self._from_both_sides(own) else min(SAMPLES, len(own))
        chosen = np.unique(np.linspace(0, len(own) - 1, many).astype(np.int64))
        at = own[chosen]
        zero, n = self.whole.zero(at)
        if base.any():
            zero = turned_about(n, zero, base[chosen])
        return {
            "at": self.points(self.whole.mesh.centres()[at]),
            "zero": zero.tolist(),
            "normals": n.tolist(),
            "fibre": turned_about(n, zero, np.broadcast_to(angle, own.shape)[chosen]).tolist(),
        }

    def _from_both_sides(self, own: Index) -> bool:
        """Whether neighbours among some elements are turned over to each other."""
        inside = np.zeros(self.whole.mesh.count, bool)
        inside[own] = True
        links = self.links
        twin = np.maximum(links.twin, 0)
        both = (links.twin >= 0) & inside[links.owner] & inside[links.owner[twin]]
        return bool((both & (links.first == links.first[twin])).any())

    def _start(self, rung: Rung, own: Index) -> dict[str, Any]:
        mesh = self.whole.mesh
        at = start_in(mesh, own) if rung.draped is None else rung.draped.start
        element = own[int(scipy.spatial.cKDTree(mesh.centres()[own]).query(at)[1])]
        one = np.array([element])
        zero, n = self.whole.zero(one)
        if rung.fibres:
            zero = turned_about(n, zero, own_turn(self.whole, rung.fibres, one))
        return {
            "at": [self.length(x) for x in at],
            "zero": zero[0].tolist(),
            "normal": n[0].tolist(),
        }

    def _patterns(self, rung: Rung) -> list[dict[str, Any]]:
        made = []
        scale = float(self._unit)
        assert rung.draped is not None
        for angle in dict.fromkeys(p.angle + rung.turn for p in _plies(self.project, rung)):
            try:
                flat = pattern_of(replace(self.part, lay_up=()), rung.region, rung.draped, angle)
            except PartError:
                # What comes round upon itself has none; the ply goes without.
                continue
            made += [
                {
                    "angle": angle,
                    "outline": (one.outline / scale).tolist(),
                    "holes": [(h / scale).tolist() for h in one.holes],
                }
                for one in flat
            ]
        return made


def _anchors(nodes: Array) -> Array:
    """Three places far apart: of all nodes the outermost two, and that farthest off their line."""
    middle = nodes.mean(axis=0)
    one = nodes[int(np.linalg.norm(nodes - middle, axis=1).argmax())]
    other = nodes[int(np.linalg.norm(nodes - one, axis=1).argmax())]
    along = (other - one) / max(float(np.linalg.norm(other - one)), 1e-300)
    away = nodes - one - ((nodes - one) @ along)[:, None] * along
    return np.stack([one, other, nodes[int(np.linalg.norm(away, axis=1).argmax())]])
