"""Rungs of a lay-up as rows for a spreadsheet, and back."""

from __future__ import annotations

from collections.abc import Sequence

from tartan.core.errors import DocumentError
from tartan.core.stack import Ply
from tartan.exchange.tables import parted_rows
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Rung, Wound

HEAD = (
    "region",
    "stack",
    "material",
    "angle [°]",
    "thickness [mm]",
    "laid",
    "wound",
    "opening [mm]",
    "band width [mm]",
    "touches by",
    "coverage [%]",
    "count",
    "from lower end [mm]",
    "from upper end [mm]",
    "step back [mm]",
    "wound at [°]",
    "tows",
    "speed [m/min]",
    "filler",
    "runs out 1 :",
)
"""Columns; a row has either a stack or a material, and those of winding where it is wound."""

_LENGTHS = {7: "opening", 8: "bandwidth", 12: "start", 13: "end", 14: "step_back"}
"""Columns that are lengths, and the fields of `Wound` they hold."""


def rungs_text(rungs: Sequence[Rung]) -> str:
    """Rungs as tab-separated rows under a head."""
    lines = ["\t".join(HEAD)]
    for r in rungs:
        ply = r.ply
        cells = (
            r.region or "all",
            r.stack,
            ply.material if ply else "",
            repr(ply.angle if ply else r.turn),
            repr(ply.thickness * 1e3) if ply else "",
            "yes" if r.active else "no",
            *_wound_cells(r.wound),
        )
        lines.append("\t".join(cells))
    return "\n".join(lines)


def _wound_cells(wound: Wound | None) -> tuple[str, ...]:
    if wound is None:
        return ("",) * (len(HEAD) - 6)
    cells = dict.fromkeys(range(6, len(HEAD)), "")
    cells |= {6: wound.sort, 9: wound.turning, 10: repr(wound.coverage * 100)}
    cells[11], cells[15] = str(wound.count), repr(wound.angle)
    cells |= {16: str(wound.tows), 17: repr(wound.speed * 60)}
    cells |= {18: wound.filler, 19: repr(wound.run_out)}
    cells |= {i: repr(getattr(wound, name) * 1e3) for i, name in _LENGTHS.items()}
    return tuple(cells[i] for i in range(6, len(HEAD)))


def _wound(cells: list[str], where: str) -> Wound | None:
    if not cells[6]:
        return None
    if cells[6] not in ("helical", "polar", "hoop"):
        raise DocumentError(f"'{cells[6]}' is no winding.", where, "Write helical, polar or hoop.")
    turning = cells[9] or "edge"
    if turning not in ("edge", "centre"):
        raise DocumentError(f"'{turning}' touches no opening.", where, "Write edge or centre.")
    lengths = {name: float(cells[i]) * 1e-3 for i, name in _LENGTHS.items() if cells[i]}
    coverage = float(cells[10]) / 100 if cells[10] else 1.0
    count = int(float(cells[11])) if cells[11] else 1
    angle = float(cells[15]) if cells[15] else 0.0
    given = {"turning": turning, "coverage": coverage, "count": count, "angle": angle}
    given["filler"] = cells[18]
    given["tows"] = int(float(cells[16])) if cells[16] else 1
    given["speed"] = float(cells[17]) / 60 if cells[17] else 0.5
    given["run_out"] = float(cells[19]) if cells[19] else 3.0
    return Wound(cells[6], **given, **lengths)  # type: ignore[arg-type]


def parse_rungs(text: str, project: Project) -> tuple[Rung, ...]:
    """Rungs from rows, with or without the head, parted by tabs, commas or semicolons.

    Raises
    ------
    DocumentError
        Naming the row that cannot be read; nothing is taken then.
    """
    mark = next((m for m in ("\t", ";", ",") if m in text), "\t")
    rows = [r for r in parted_rows(text, mark, "Clipboard") if any(c.strip() for c in r)]
    if rows and rows[0][0].strip() == HEAD[0]:
        rows = rows[1:]
    if not rows:
        raise DocumentError(
            "There are no rungs to paste.", "Clipboard", f"Copy rows of {', '.join(HEAD)}."
        )
    return tuple(_rung(r, f"Pasted row {i}", project) for i, r in enumerate(rows, start=1))


def _rung(cells: list[str], where: str, project: Project) -> Rung:
    cells = [c.strip() for c in cells] + [""] * len(HEAD)
    region = "" if cells[0] in ("", "all") else cells[0]
    active = cells[5].lower() != "no"
    try:
        angle = float(cells[3] or 0)
        if cells[1]:
            return Rung(region, stack=cells[1], turn=angle, active=active)
        material = project.material(cells[2])
        if material is None:
            raise DocumentError(
                f"There is no material '{cells[2]}'.",
                where,
                "Name a stack or a material of the project.",
            )
        thick = float(cells[4]) * 1e-3 if cells[4] else material.ply_thickness or 0.0
        wound = _wound(cells, where)
    except ValueError as error:
        if isinstance(error, DocumentError):
            raise
        raise DocumentError(
            "An angle, thickness or figure of winding is not a number.", where, "Mend it."
        ) from error
    return Rung(region, ply=Ply(cells[2], angle, thick), active=active, wound=wound)
