"""What a rung of the ladder has to be."""

from __future__ import annotations

import json
import math

from tartan.core.errors import DocumentError, StackError
from tartan.project.document.model import Project
from tartan.project.document.packed_arrays import unpack_rows
from tartan.project.document.partmodel import Rung
from tartan.project.edits.draped_rungs import check_draped
from tartan.project.edits.wound_rungs import check_wound

LONGEST_NAME = 200


def check_rung(project: Project, rung: Rung, where: str) -> None:
    """Check a rung by itself; whether it can be laid is seen when it is.

    Raises
    ------
    DocumentError, StackError
        Naming what is wrong.
    """
    check_texts(rung, where)
    if bool(rung.stack) == (rung.ply is not None):
        raise DocumentError("A rung is either a stack or a single ply.", where, "Choose one.")
    if rung.stack and project.stack(rung.stack) is None:
        raise DocumentError(f"There is no stack '{rung.stack}'.", where, "Choose another.")
    if not math.isfinite(rung.turn):
        raise StackError("The angle is not a number.", where, "Enter degrees.")
    if rung.wound is not None:
        check_wound(rung, where, {m.name: m.kind for m in project.materials})
    if rung.draped is not None:
        check_draped(rung, where)
    ply = rung.ply
    if ply is None:
        return
    if project.material(ply.material) is None:
        raise StackError(
            f"there is no material '{ply.material}'.",
            where,
            "Choose one of the project's materials.",
        )
    if not (math.isfinite(ply.thickness) and ply.thickness > 0):
        raise StackError(
            f"thickness must be greater than zero, it is {ply.thickness * 1e3:g} mm.",
            where,
            "Enter a positive thickness.",
        )
    if not math.isfinite(ply.angle) or abs(ply.angle) > 360:
        raise StackError("the angle must lie between -360° and 360°.", where, "Enter degrees.")


def check_texts(rung: Rung, where: str) -> None:
    """Check the name of a rung, and what it keeps of a layout that was read.

    Raises
    ------
    DocumentError
        A name that is too long or cannot be shown, or what is kept is damaged.
    """
    if len(rung.name) > LONGEST_NAME or not (rung.name == "" or rung.name.isprintable()):
        raise DocumentError(
            "Its name is too long, or holds what cannot be shown.",
            where,
            f"Type one of up to {LONGEST_NAME} letters.",
        )
    if rung.fibres:
        unpack_rows(rung.fibres, 6)
    check_kept(rung.kept, where)


def check_kept(kept: str, where: str) -> None:
    """Check what is kept of a layout that was read: a JSON object, or nothing.

    Raises
    ------
    DocumentError
        When it is damaged.
    """
    if not kept:
        return
    try:
        sound = isinstance(json.loads(kept), dict)
    except (ValueError, RecursionError):
        sound = False
    if not sound:
        raise DocumentError(
            "What it keeps of a layout is damaged.", where, "Read the layout anew."
        )
