"""Surfaces from STEP files (ISO 10303), meshed with quadrilaterals through gmsh.

The file's own unit is used; faces keep the names the file gives them, edges are numbered.
"""

from __future__ import annotations

import re
import tempfile
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from tartan.core.errors import DocumentError, PartError
from tartan.core.shell.directions import turned, turned_elements
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.mesher import Finer, collected, generate, gmsh, session
from tartan.exchange.apart import call_apart
from tartan.exchange.trims import cut_faces, left
from tartan.project.document.partmodel import Trim, Vector

MOST_FACES = 2000
"""Files with more faces are taken for whole machines, not parts."""

CURVE_POINTS = 25
"""Points of a curve of a file, of which what is cut along it is made."""

SMALL = 1e-5
"""Edges shorter than this share of the part's size are healed away."""


@dataclass(frozen=True, eq=False)
class Geometry:
    """What a STEP file holds.

    Attributes
    ----------
    text : str
        The file itself.
    faces, edges : tuple of str
        Names.
    size : float
        Diagonal of the box round it [m].
    """

    text: str
    faces: tuple[str, ...]
    edges: tuple[str, ...]
    size: float


def read_step(path: Path) -> Geometry:
    """Read a STEP file.

    Raises
    ------
    DocumentError
        When it cannot be read, is no STEP file, or holds no faces.
    """
    try:
        text = path.read_text("latin-1")
    except OSError as error:
        raise DocumentError(
            f"The file cannot be read ({error.strerror}).",
            str(path),
            "Check the path and its permissions.",
        ) from error
    if not text.lstrip().startswith("ISO-10303-21"):
        raise DocumentError(
            "This is not a STEP file.", path.name, "Export it anew as STEP (ISO 10303)."
        )
    try:
        faces, edges, size = call_apart(_names, text, where=path.name)
    except PartError as error:
        raise DocumentError(
            f"The file could not be read. {error.what}",
            path.name,
            "Export it anew, with surfaces or solids.",
        ) from error
    return Geometry(text, faces, edges, size)


def _names(text: str) -> tuple[tuple[str, ...], tuple[str, ...], float]:
    with session():
        faces, edges, size = _load(text)
    return tuple(faces), tuple(edges), size


def mesh_step(
    text: str,
    size: float,
    finer: Sequence[Finer] = (),
    leave_out: Sequence[str] = (),
    trims: Sequence[Trim] = (),
) -> Mesh:
    """Mesh the surfaces of a STEP file.

    Parameters
    ----------
    text : str
        Content of the file.
    size : float
        Element size [m].
    finer : sequence of Finer
        Smaller elements around edges and points.
    leave_out : sequence of str
        Faces that are not meshed.
    trims : sequence of Trim
        Curves that cut the rest.

    Raises
    ------
    PartError
        Sizes that make no sense, or a face that cannot be meshed.
    DocumentError
        When the mesher breaks off on it.
    """
    return call_apart(
        _mesh,
        text,
        size,
        (tuple(finer), tuple(leave_out), tuple(trims)),
        where="Surface",
        seconds=900.0,
    )


Asked = tuple[Sequence[Finer], Sequence[str], Sequence[Trim]]


def _mesh(text: str, size: float, asked: Asked) -> Mesh:
    finer, leave_out, trims = asked
    with session():
        faces, edges, whole = _load(text)
        if not whole / 5000 < size <= whole:
            raise PartError(
                f"A mesh size of {size:g} m does not suit a part of {whole:.3g} m.",
                "Mesh size",
                f"Start with {whole / 40:.2g} m.",
            )
        for name in leave_out:
            for face in faces.pop(name, []):
                gmsh.model.removeEntities([(2, face)])
        if not faces:
            raise PartError("All faces are left out.", "Surface", "Keep one at least.")
        seen: list[np.ndarray] = []
        if trims:
            faces, edges, seen = cut_faces(faces, edges, trims)
        generate(size, edges, finer)
        mesh = collected(faces, edges)
    if trims:
        mesh = left(mesh, trims, seen)
    keep = {name: nodes for name, nodes in mesh.edges.items() if len(nodes)}
    mesh = replace(mesh, edges=keep)
    return turned(mesh, turned_elements(mesh))


def curves_of(text: str) -> dict[str, tuple[Vector, ...]]:
    """Points along all curves of a STEP file by name, those of no face first.

    Raises
    ------
    PartError, DocumentError
        As `mesh_step`.
    """
    return call_apart(_curves_of, text, where="Surface")


def _curves_of(text: str) -> dict[str, tuple[Vector, ...]]:
    with session():
        _, edges, _ = _load(text, sew=False)
        found = {}
        for name, (curve,) in edges.items():
            low, high = (float(x[0]) for x in gmsh.model.getParametrizationBounds(1, curve))
            at = np.linspace(low, high, CURVE_POINTS)
            points = np.array(gmsh.model.getValue(1, curve, at.tolist())).reshape(-1, 3)
            loose = not len(gmsh.model.getAdjacencies(1, curve)[0])
            called = f"loose curve ({name})" if loose else name
            found[called] = tuple((float(x), float(y), float(z)) for x, y, z in points)
    return dict(sorted(found.items(), key=lambda x: not x[0].startswith("loose")))


def _load(
    text: str, *, sew: bool = True
) -> tuple[dict[str, list[int]], dict[str, list[int]], float]:
    """Faces and edges of a file in the current model, by name, and its size [m]."""
    option = gmsh.option.setNumber
    gmsh.option.setString("Geometry.OCCTargetUnit", "M")
    option("Geometry.OCCImportLabels", 1)
    for heal in ("FixDegenerated", "FixSmallEdges", "FixSmallFaces"):
        option(f"Geometry.OCC{heal}", 1)
    # What is sewn loses the curves that bound no face.
    option("Geometry.OCCSewFaces", float(sew))
    option("Geometry.Tolerance", 1e-7)
    with tempfile.TemporaryDirectory(prefix="tartan-") as folder:
        file = Path(folder) / "part.step"
        file.write_text(text, "latin-1")
        gmsh.model.occ.importShapes(str(file), highestDimOnly=False)
    gmsh.model.occ.removeAllDuplicates()
    gmsh.model.occ.synchronize()
    found = gmsh.model.getEntities(2)
    if not found:
        raise PartError("It holds no faces.", "Surface", "Export surfaces or solids.")
    if len(found) > MOST_FACES:
        raise PartError(f"It holds {len(found):,} faces.", "Surface", "Export the part alone.")
    box = np.array(gmsh.model.getBoundingBox(-1, -1))
    faces: dict[str, list[int]] = {}
    for number, (_, face) in enumerate(found, start=1):
        label = gmsh.model.getEntityName(2, face).rsplit("/", 1)[-1].strip()
        # A program's signature is no name that a user gave.
        signed = re.search(r"translator|^(open )?(shell|face|solid|compound)$", label, re.I)
        wanted = f"face {number}" if not label or signed else label
        name, again = wanted, 2
        while name in faces:
            name, again = f"{wanted} {again}", again + 1
        faces[name] = [face]
    edges = {f"edge {n}": [curve] for n, (_, curve) in enumerate(gmsh.model.getEntities(1), 1)}
    return faces, edges, float(np.linalg.norm(box[3:] - box[:3]))
