"""STEP files made for tests."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from tartan.core.shell.mesher import session


def write_step(path: Path, build: Callable[[Any], object]) -> str:
    """Write what is built with a geometry kernel, in metres; its text."""
    with session() as gmsh:
        gmsh.option.setString("Geometry.OCCTargetUnit", "M")
        build(gmsh.model.occ)
        gmsh.model.occ.synchronize()
        gmsh.write(str(path))
    return path.read_text("latin-1")


def sheet(occ: Any) -> None:
    """A flat sheet of 0.6 m × 0.4 m, 0.1 m up, and a loose square over it."""
    occ.addRectangle(-0.3, -0.2, 0.1, 0.6, 0.4)
    corners = [occ.addPoint(x, y, 0.2) for x, y in ((0, 0), (0.2, 0), (0.2, 0.1), (0, 0.1))]
    for one, other in zip(corners, [*corners[1:], corners[0]], strict=True):
        occ.addLine(one, other)


def slab(occ: Any) -> None:
    """A plate of 0.4 m × 0.3 m × 10 mm."""
    occ.addBox(0, 0, 0, 0.4, 0.3, 0.01)


def hood(occ: Any) -> None:
    """A half pipe of 0.2 m within and 0.21 m without, 0.5 m long: its outer skin is the larger."""
    outer = occ.addCylinder(0, 0, 0, 0.5, 0, 0, 0.21, -1, 3.141592653589793)
    inner = occ.addCylinder(-0.1, 0, 0, 0.7, 0, 0, 0.2, -1, 6.283185307179586)
    occ.cut([(3, outer)], [(3, inner)])
