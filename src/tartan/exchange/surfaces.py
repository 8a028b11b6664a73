"""Surfaces of a project from files: STEP, meshed here, and meshes as they are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from tartan.core.shell.mesher import Finer
from tartan.exchange.meshfiles import read_mesh
from tartan.exchange.step import mesh_step, read_step
from tartan.project.document.packed_arrays import pack_mesh, pack_text, unpack_text
from tartan.project.document.partmodel import ReadSurface


@dataclass(frozen=True)
class ReadRequest:
    """A file to read: its path, the unit of a mesh file, and an element size if one is asked."""

    path: Path
    unit: str = "mm"
    size: float | None = None


def read_surface(request: ReadRequest) -> tuple[ReadSurface, float]:
    """Read a surface; return it and its element size [m].

    Raises
    ------
    TartanError
        As `read_step`, `mesh_step` and `read_mesh`.
    """
    path = request.path
    if path.suffix.lower() in (".step", ".stp"):
        geometry = read_step(path)
        size = request.size or float(f"{geometry.size / 40:.1g}")
        mesh = mesh_step(geometry.text, size)
        return ReadSurface(path.name, pack_mesh(mesh), pack_text(geometry.text)), size
    mesh = read_mesh(path, request.unit)
    size = float(f"{(mesh.areas().mean()) ** 0.5:.3g}")
    return ReadSurface(path.name, pack_mesh(mesh)), size


def remesh_surface(
    surface: ReadSurface, size: float, finer: Sequence[Finer] = ()
) -> tuple[ReadSurface, float]:
    """Mesh a surface that was read as STEP anew.

    Raises
    ------
    PartError
        As `mesh_step`.
    """
    geometry = unpack_text(surface.geometry)
    mesh = mesh_step(geometry, size, finer, surface.left_out, surface.trims)
    return replace(surface, mesh=pack_mesh(mesh)), size
